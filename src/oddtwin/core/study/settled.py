"""How a study is looked at and settled."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any, Final

from oddtwin.core.language import mark


class DecisionKind(StrEnum):
    """How a study is settled."""

    ADOPT = mark("adopt")
    KEEP = mark("keep the baseline")
    MORE = mark("more prints")
    UNDECIDED = mark("undecided")

    @property
    def settles(self) -> bool:
        """Whether the study is closed by it; after more prints it goes on."""
        return self is not DecisionKind.MORE


@dataclass(frozen=True, slots=True)
class Decision:
    """How the study was settled.

    Parameters
    ----------
    kind : DecisionKind
        What was decided.
    reason : str
        In the user's own words.
    at : datetime
        When.
    prices : mapping
        Of that day, as plain values; none where nothing had a price.
    condition : str
        Where it holds, such as “only above 1600 mm/s²”; empty for everywhere.
    verify_at : datetime or None
        When the baseline is to be printed again.
    verify_hours : float
        After how many hours of printing on its machines the baseline is to be printed again; 0 for never.
    """

    kind: DecisionKind
    reason: str
    at: datetime
    prices: Mapping[str, Any] = field(default_factory=dict)
    condition: str = ""
    verify_at: datetime | None = None
    verify_hours: float = 0.0


def tidy_tags(text: str) -> tuple[str, ...]:
    """Return tags that were written apart by commas: without blanks around them, each once, in their order.

    Parameters
    ----------
    text : str
        Such as “drying, shelf”.
    """
    return tuple(dict.fromkeys(" ".join(tag.split()) for tag in text.split(",") if tag.strip()))


class LookAt(StrEnum):
    """What can be looked at."""

    VERDICT = mark("verdict")
    ARMS = mark("arms")
    REPORT = mark("report")
    EXPORT = mark("export")
    SESSION = mark("key of a blind session")


@dataclass(frozen=True, slots=True)
class Look:
    """Somebody looked at what gives the arms or the verdict away.

    Parameters
    ----------
    at : datetime
        When.
    who : str
        Who; empty where nobody knows.
    what : LookAt
        At what.
    advised : bool
        Whether all that was planned was printed, so that looking was the next step.
    """

    at: datetime
    who: str = ""
    what: LookAt = LookAt.VERDICT
    advised: bool = False

    @property
    def of_arms(self) -> bool:
        """Whether it told the arm of every run, also of those that are printed later."""
        return self.what in (LookAt.ARMS, LookAt.EXPORT)


HIDDEN: Final = 0
"""Id of the arm of a run that is not to be told; the lab book counts from 1."""
