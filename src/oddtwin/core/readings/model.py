"""One reading of one print, and the words that describe it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Final

GRADES: Final = ("none", "trace", "clear", "bad", "ruined")
"""Fault grades 0 to 4 in words; more is worse."""


class ResponseType(StrEnum):
    """Whether a response is measured or graded by eye."""

    NUMBER = "number"
    GRADE = "grade"


class Better(StrEnum):
    """Which direction of a response is the better one."""

    LOWER = "lower"
    HIGHER = "higher"
    TARGET = "target"


class Combine(StrEnum):
    """How several readings of one print become its one value."""

    MEAN = "mean"
    SUM = "sum"


@dataclass(frozen=True, slots=True)
class Reading:
    """One value of one response of one print.

    Parameters
    ----------
    arm : str
        Name of the arm that the print belongs to.
    value : float or None
        In ``unit``; None where the print has no reading of this response.
    response, unit : str
        What was measured, and in which unit; grades have no unit.
    pair, machine, piece, run, zone, spool : str
        Where the print belongs; empty when not recorded. Readings with the same
        arm, pair, machine, piece and run are readings of one print.
    type : ResponseType
        Measured number or fault grade.
    combine : Combine
        How readings of one print are brought together.
    set_aside : str
        Reason why the print does not count; empty when it counts.
    day : str
        ISO date on which the print was started; empty when not recorded.
    setting : str
        What else differs between prints of one arm, where several combinations stand on
        one side of a comparison; prints with different settings are no twins.
    """

    arm: str
    value: float | None
    response: str = ""
    unit: str = ""
    pair: str = ""
    machine: str = ""
    piece: str = ""
    run: str = ""
    zone: str = ""
    type: ResponseType = ResponseType.NUMBER
    combine: Combine = Combine.MEAN
    set_aside: str = ""
    spool: str = ""
    day: str = ""
    setting: str = ""


def grade_from_word(text: str) -> float | None:
    """Return the grade 0 to 4 that a word or a digit stands for, else None."""
    cleaned = text.strip().lower()
    if cleaned in GRADES:
        return float(GRADES.index(cleaned))
    return float(cleaned) if cleaned in {"0", "1", "2", "3", "4"} else None
