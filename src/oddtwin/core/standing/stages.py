"""The stages of a study."""

from __future__ import annotations

from enum import StrEnum

from oddtwin.core.language import mark


class Stage(StrEnum):
    """The stages of a study, in the order of work."""

    ASK = mark("Ask")
    PLAN = mark("Plan")
    MATCH = mark("Match")
    PRINT = mark("Print and measure")
    LOOK = mark("Look")
    VERDICT = mark("Verdict")
    SETTLE = mark("Settle")
