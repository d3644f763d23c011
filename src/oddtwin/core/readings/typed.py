"""Readings as a person types them at the printer, and back."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Final, Protocol

from oddtwin.core.language import tr
from oddtwin.core.quantities import QuantityError, convert, format_reading, parse_quantity
from oddtwin.core.readings.model import Bound, Read, ResponseKind, grade_from_word

YES: Final = ("yes", "y", "held", "fits", "1")
NO: Final = ("no", "n", "failed", "0")

_SHARE: Final = re.compile(r"(\d{1,6})\s*(?:of|/)\s*(\d{1,6})", re.IGNORECASE)
_BETWEEN: Final = re.compile(r"(.+?)\s*(?:\.\.+|…|–)\s*(.+)")


@dataclass(frozen=True, slots=True)
class Typed:
    """What a typed text says, as the fields of a reading."""

    value: float
    bound: Bound = Bound.EXACT
    high: float | None = None
    out_of: int = 1
    word: str = ""

    def fields(self) -> dict[str, Any]:
        """Return the fields by their names in a reading."""
        return {name: getattr(self, name) for name in ("value", "bound", "high", "out_of", "word")}

    def converted(self, unit: str, wanted: str) -> Typed:
        """Return it in another unit of the same family.

        Raises
        ------
        ValueError
            The units do not go together.
        """
        if unit == wanted:
            return self
        high = None if self.high is None else convert(self.high, unit, wanted)
        return Typed(convert(self.value, unit, wanted), self.bound, high, self.out_of, self.word)


def read_typed(
    text: str,
    kind: ResponseKind,
    unit: str = "",
    words: Sequence[str] = (),
    doubted: str = ",",
) -> Typed:
    """Read one reading as it was typed.

    Parameters
    ----------
    text : str
        A quantity as ``parse_quantity`` reads it, or ``>40``, ``<5``, ``40..60``; a grade 0 to 4
        or its word; ``y``, ``n`` or ``5 of 7``; a whole number for a count; a word.
    kind : ResponseKind
        Of the response.
    unit : str
        That the value is wanted in.
    words : sequence of str
        What can be chosen of a word, which its number chooses too; any word where empty.
    doubted : str
        As for ``parse_number``.

    Raises
    ------
    QuantityError
        The text is no reading of that kind.
    """
    cleaned = text.strip()
    if kind.graded:
        return Typed(_grade(cleaned))
    if kind is ResponseKind.YES_NO:
        return _yes_no(cleaned)
    if kind is ResponseKind.WORD:
        return Typed(0.0, word=_word(cleaned, words))

    def number(part: str) -> float:
        value = parse_quantity(part, "" if kind is ResponseKind.COUNT else unit, doubted)
        if kind is ResponseKind.COUNT and (value < 0 or value != math.floor(value)):
            raise QuantityError(
                tr("“{part}” is no count; type a whole number such as 12", part=part.strip()[:40])
            )
        return value

    return _number(cleaned, number)


def write_typed(reading: Worded, number: Callable[[float], str] = format_reading) -> str:
    """Write a reading as it could be typed again.

    Parameters
    ----------
    reading : Worded
        With a value.
    number : callable
        Writes one number.
    """
    value = reading.value or 0.0
    if reading.word:
        return reading.word
    if reading.out_of > 1:
        return f"{value:.0f} of {reading.out_of}"
    if reading.bound is Bound.BETWEEN and reading.high is not None:
        return f"{number(value)}..{number(reading.high)}"
    return f"{'' if reading.bound is Bound.BETWEEN else reading.bound.value}{number(value)}"


class Worded(Read, Protocol):
    """What is needed of a reading to write it."""

    @property
    def word(self) -> str:
        """The word that was chosen."""


def _grade(text: str) -> float:
    grade = grade_from_word(text)
    if grade is None:
        raise QuantityError(
            tr("“{text}” is no grade; use 0 to 4, or none, trace, clear, bad, ruined", text=text[:40])
        )
    return grade


def _yes_no(text: str) -> Typed:
    lowered = text.casefold()
    # In English everywhere, as in files, and in the language of the place beside it.
    yes, no = (*YES, tr("yes"), tr("y")), (*NO, tr("no"), tr("n"))
    if lowered in yes or lowered in no:
        return Typed(float(lowered in yes))
    share = _SHARE.fullmatch(text)
    if share is None:
        raise QuantityError(
            tr("“{text}” is neither yes nor no; type y, n, or how many such as 5 of 7", text=text[:40])
        )
    held, tries = int(share[1]), int(share[2])
    if not 0 <= held <= tries or not tries:
        raise QuantityError(tr("“{text}”: there cannot be more that held than were tried", text=text[:40]))
    return Typed(float(held), out_of=tries)


def _word(text: str, words: Sequence[str]) -> str:
    if not text:
        raise QuantityError(tr("no word was typed"))
    if not words:
        return text
    if text.isdigit() and 1 <= int(text) <= len(words):
        return words[int(text) - 1]
    for word in words:
        if word.casefold() == text.casefold():
            return word
    raise QuantityError(
        tr("“{text}” is none of the words; choose {words}", text=text[:40], words=", ".join(words))
    )


def _number(text: str, number: Callable[[str], float]) -> Typed:
    if text[:1] in (">", "<"):
        return Typed(number(text[1:].lstrip("= ")), Bound(text[0]))
    between = _BETWEEN.fullmatch(text)
    if between is None:
        return Typed(number(text))
    low, high = number(between[1]), number(between[2])
    if not low < high:
        raise QuantityError(tr("“{text}”: the smaller number comes first, as in 40..60", text=text[:40]))
    return Typed(low, Bound.BETWEEN, high)
