"""One reading of one print, and the words that describe it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Final, NamedTuple, Protocol

from oddtwin.core.language import mark, shown

GRADES: Final = (mark("none"), mark("trace"), mark("clear"), mark("bad"), mark("ruined"))
"""Fault grades 0 to 4 in words; more is worse."""


class ResponseKind(StrEnum):
    """What a reading of a response is; it decides arithmetic, fields at the machine, and method."""

    QUANTITY = mark("quantity")
    """A number with a true zero: minutes, grams, newtons."""

    DEVIATION = mark("deviation")
    """A number on a scale without one: degrees, a signed error. Never a percent."""

    SIZE = mark("size")
    """A measured size beside its nominal: the error counts, without its sign."""

    GRADE = mark("grade")
    """A fault seen, 0 to 4, zone by zone."""

    YES_NO = mark("yes-no")
    """Held or failed; or so many of so many."""

    COUNT = mark("count")
    """Strings, blobs, skips: whole and not below zero."""

    WORD = mark("word")
    """A word from a list; counted, never averaged."""

    ONSET = mark("onset")
    """Where along graded zones that have a position a fault begins."""

    @property
    def graded(self) -> bool:
        """Whether it is read as grades, zone by zone."""
        return self in (ResponseKind.GRADE, ResponseKind.ONSET)

    @property
    def has_unit(self) -> bool:
        """Whether its figures have a unit of their own."""
        return self in (
            ResponseKind.QUANTITY,
            ResponseKind.DEVIATION,
            ResponseKind.SIZE,
            ResponseKind.ONSET,
        )

    @property
    def measured(self) -> bool:
        """Whether it is a plain figure on a scale, with or without a true zero."""
        return self in (ResponseKind.QUANTITY, ResponseKind.DEVIATION)

    @property
    def has_percent(self) -> bool:
        """Whether a difference can be told as a share of the baseline."""
        return self is ResponseKind.QUANTITY


class Subject(StrEnum):
    """What a reading is of; that is the unit that is compared."""

    PIECE = mark("piece")
    PLATE = mark("plate")
    MACHINE = mark("machine")


class Better(StrEnum):
    """Which direction of a response is the better one."""

    LOWER = mark("lower")
    HIGHER = mark("higher")
    TARGET = mark("target")


class Combine(StrEnum):
    """How several readings of one print become its one value."""

    MEAN = mark("mean")
    SUM = mark("sum")
    WORST = mark("worst")


class Bound(StrEnum):
    """What a number says: itself, or only that the value lies above, below or between."""

    EXACT = ""
    ABOVE = ">"
    BELOW = "<"
    BETWEEN = ".."


class Source(StrEnum):
    """Where a reading came from."""

    TYPED = mark("typed")
    DEVICE = mark("device")
    PHOTOGRAPH = mark("photograph")
    IMPORT = mark("import")
    SESSION = mark("blind session")


class Spot(NamedTuple):
    """What of a print is read: a zone or size, a kind of waste, a nominal; all empty for the whole."""

    zone: str = ""
    waste: str = ""
    nominal: float | None = None

    @property
    def name(self) -> str:
        """What a person calls it."""
        return self.zone or self.waste


class Read(Protocol):
    """The number of a reading, whatever else is told of it."""

    @property
    def value(self) -> float | None:
        """The number read; None for none."""

    @property
    def bound(self) -> Bound:
        """Whether the value is exact."""

    @property
    def high(self) -> float | None:
        """Upper end of where the value lies."""

    @property
    def out_of(self) -> int:
        """Of how many the value counts the yes."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Taken:
    """How and where a reading was taken, whatever it is of.

    Parameters
    ----------
    zone : str
        Zone of a grade, or name of a size; empty for the whole print.
    waste : str
        Kind of a waste; empty for all in one heap, and for what is no waste.
    nominal : float or None
        Of a size, in the response's unit.
    bound : Bound
        Whether the value is exact, or an end of where it lies.
    high : float or None
        Upper end, in the response's unit, where it lies between two.
    out_of : int
        Of a yes or no: of how many the value counts the yes.
    word : str
        Of a word: which one.
    retake : int
        0 for the first, 1 for the same print measured once more, and so on.
    by, instrument : str
        Who read it, and with what; empty where nobody said.
    at : datetime or None
        When, with its offset from UTC.
    source : Source
        Where it came from.
    u : float or None
        Its own standard uncertainty, in the response's unit, where the way of measuring tells one.
    evidence : str
        What it was measured from, and how: hash of the photograph, region and method.
    """

    zone: str = ""
    waste: str = ""
    nominal: float | None = None
    bound: Bound = Bound.EXACT
    high: float | None = None
    out_of: int = 1
    word: str = ""
    retake: int = 0
    by: str = ""
    instrument: str = ""
    at: datetime | None = None
    source: Source = Source.TYPED
    u: float | None = None
    evidence: str = ""

    @property
    def spot(self) -> Spot:
        """What of the print was read; readings of one spot are retakes of one another."""
        return Spot(self.zone, self.waste, self.nominal)


@dataclass(frozen=True, slots=True)
class Reading(Taken):
    """One value of one response of one print.

    Parameters
    ----------
    arm : str
        Name of the arm that the print belongs to.
    value : float or None
        In ``unit``; None where the print has no reading of this response.
    response, unit : str
        What was measured, and in which unit; grades have no unit.
    pair, machine, piece, run, plate, spool : str
        Where the print belongs; empty when not recorded. Readings with the same
        arm, pair, machine, piece and run are readings of one print.
    kind : ResponseKind
        What the value is.
    combine : Combine
        How readings of one print are brought together.
    set_aside : str
        Reason why the print does not count; empty when it counts.
    day : str
        ISO date on which the print was started; empty when not recorded.
    setting : str
        What else differs between prints of one arm, where several combinations stand on
        one side of a comparison; prints with different settings are no twins.
    failed : str
        How it failed because of what was changed; empty where it did not.
    level : str
        Its level on a ladder; empty without one.
    factors : tuple of (str, str)
        Names of crossed factors with the level of each; none where the arm says it all.
    order : float or None
        Its place in the printed order.
    step : float or None
        Smallest step of the instrument, in ``unit``.
    """

    arm: str
    value: float | None
    response: str = ""
    unit: str = ""
    pair: str = ""
    machine: str = ""
    piece: str = ""
    run: str = ""
    kind: ResponseKind = ResponseKind.QUANTITY
    combine: Combine = Combine.MEAN
    set_aside: str = ""
    spool: str = ""
    day: str = ""
    setting: str = ""
    plate: str = ""
    failed: str = ""
    level: str = ""
    factors: tuple[tuple[str, str], ...] = ()
    order: float | None = None
    step: float | None = None

    @property
    def read(self) -> bool:
        """Whether there is a reading at all."""
        return self.value is not None or bool(self.word)


def grade_from_word(text: str) -> float | None:
    """Return the grade 0 to 4 that a word or a digit stands for, else None."""
    cleaned = text.strip().lower()
    # In English everywhere, as in files, and in the language of the place beside it.
    for words in (GRADES, tuple(shown(word).lower() for word in GRADES)):
        if cleaned in words:
            return float(words.index(cleaned))
    return float(cleaned) if cleaned in {"0", "1", "2", "3", "4"} else None
