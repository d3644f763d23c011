"""The stages of a study."""

from __future__ import annotations

from enum import StrEnum


class Stage(StrEnum):
    """The stages of a study, in the order of work."""

    ASK = "Ask"
    PLAN = "Plan"
    MATCH = "Match"
    PRINT = "Print and measure"
    LOOK = "Look"
    VERDICT = "Verdict"
    SETTLE = "Settle"
