"""Reading a number with its unit from what a person typed at the printer."""

from __future__ import annotations

import math
import re
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.quantities.units import UNITS, canonical, convert, family_of

LARGEST: Final = 1e9
"""Readings beyond this are slips of the keyboard, not measurements."""

# Thousands apart by one sign and decimals by another: there is one way to read it, wherever it was written.
_GROUPED = r"[1-9]\d{0,2}(?:(?:\.\d{3})+,|(?:,\d{3})+\.|(?:[ '\u2019\u00a0\u202f]\d{3})+[.,])\d+"
_GROUPS = re.compile(rf"[+-]?{_GROUPED}", re.ASCII)
_NUMBER = re.compile(
    rf"[+-]?(?:{_GROUPED}(?![\d.,])|(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d{{1,3}})?)", re.ASCII
)
_MILLIONS = re.compile(r"[+-]?[1-9]\d{0,2}([.,]\d{3}){2,}", re.ASCII)
_THOUSANDS = re.compile(r"[+-]?[1-9]\d{0,2}[.,]\d{3}", re.ASCII)
_CLOCK = re.compile(r"(\d{1,4}):([0-5]\d)(?::([0-5]\d))?", re.ASCII)
_PART = re.compile(r"\s*((?:\d+(?:[.,]\d*)?|[.,]\d+))\s*(?:([^\d\s.,:;+-]+)\.?)?", re.ASCII)


_IN_NAME = re.compile(r"(?:(?<![^\W_])[-+\N{MINUS SIGN}])?\d+(?:[.,]\d+)?")
"""A sign right behind a letter or a digit joins two words, as in “mix-2”."""


class QuantityError(ValueError):
    """What was typed is no quantity; the message says what to type instead."""


def number_in(name: str) -> float | None:
    """Return the first number that the name of a level or zone says, such as 45 of “45°”; None without one.

    Parameters
    ----------
    name : str
        As a person typed it.
    """
    found = _IN_NAME.search(name)
    return _figure(found[0]) if found is not None else None


def half_way(one: str, two: str) -> str | None:
    """Return the name half-way between two that say numbers, such as “0.25 mm”, written as the first is.

    None where they say no two numbers, or have other words around them: half-way between 200 µm and 0.3 mm
    lies nothing that can be written down.

    Parameters
    ----------
    one, two : str
        Names of levels as a person typed them; one of them may be a bare number.
    """
    found = [_IN_NAME.search(name) for name in (one, two)]
    here, there = found
    if here is None or there is None or _figure(here[0]) == _figure(there[0]):
        return None
    around = {
        "".join(f"{match.string[: match.start()]}|{match.string[match.end() :]}".split()).casefold()
        for match in (here, there)
    }
    if len(around - {"|"}) > 1:
        return None
    value = (_figure(here[0]) + _figure(there[0])) / 2
    doubtful = [_may_be_thousands(_plain(match[0]), ",") for match in (here, there)]
    if any(doubtful):
        # “1,250” may be a thousand times another: only where all three may is the middle the same either way.
        if not all(doubtful) or abs(1000 * value - round(1000 * value)) > 1e-6:
            return None
        middle = f"{value:.3f}".replace(".", ",")
    else:
        middle = f"{value:.7g}".replace(".", "," if "," in here[0] else ".")
    return f"{one[: here.start()]}{middle}{one[here.end() :]}".strip()


def _figure(typed: str) -> float:
    return float(_plain(typed).replace(",", "."))


def _plain(typed: str) -> str:
    return typed.strip().replace("\N{MINUS SIGN}", "-")


def _may_be_thousands(typed: str, doubted: str) -> bool:
    """Whether the comma or the point of a number may stand between thousands as well as before decimals."""
    return bool(doubted) and doubted in typed and _THOUSANDS.fullmatch(typed) is not None


def parse_number(text: str, doubted: str = ",") -> float:
    """Read one plain number with a decimal point or a decimal comma.

    Parameters
    ----------
    text : str
        For example ``"12.5"``, ``"12,5"``, ``"1.250,5"`` or ``"-0.2"``; a Unicode minus is accepted.
    doubted : str
        The sign, a comma or a point, that may stand between thousands where this was written: with it
        ``"1,250"`` is asked about. Empty where neither may.

    Returns
    -------
    float
        A finite number of at most 1e9 in size.

    Raises
    ------
    QuantityError
        The text is empty, no number, not finite or implausibly large, or may be a thousand times another.
    """
    cleaned = _plain(text)
    if not cleaned:
        raise QuantityError(tr("nothing was typed where a number is needed"))
    if _GROUPS.fullmatch(cleaned):
        sign = max(cleaned.rfind("."), cleaned.rfind(","))
        digits = re.sub(r"[^\d+-]", "", cleaned[:sign])
        return _plausible(float(f"{digits}.{cleaned[sign + 1 :]}"), text)
    if _MILLIONS.fullmatch(cleaned):
        whole = re.sub(r"[.,]", "", cleaned)
        raise QuantityError(
            tr(
                "“{shown}” has no sign before decimals; type {whole} if that is meant",
                shown=_shown(text),
                whole=whole,
            )
        )
    if not _NUMBER.fullmatch(cleaned):
        raise QuantityError(tr("“{shown}” is not a number; type it like 12.5 or 12,5", shown=_shown(text)))
    # Guessing would be wrong by a factor of a thousand for half of the world, and nobody would see it.
    if _may_be_thousands(cleaned, doubted):
        decimal = "." if doubted == "," else ","
        raise QuantityError(
            tr(
                "“{shown}” can be {point} or {whole}; type one of them",
                shown=_shown(text),
                point=cleaned.replace(doubted, decimal).rstrip("0").rstrip(decimal),
                whole=cleaned.replace(doubted, ""),
            )
        )
    return _plausible(float(cleaned.replace(",", ".")), text)


def _plausible(value: float, text: str) -> float:
    if not math.isfinite(value) or abs(value) > LARGEST:
        raise QuantityError(tr("“{shown}” is too large to be a reading", shown=_shown(text)))
    return value


def parse_quantity(text: str, unit: str, doubted: str = ",") -> float:
    """Read a quantity and express it in the unit of its response.

    Parameters
    ----------
    text : str
        A number alone (then it is in ``unit``), or with a unit of the same family:
        ``"1h25"``, ``"85 min"``, ``"12,5 g"``, ``"3 oz"``, ``"1:25"`` (hours and
        minutes), ``"1 kg"``, ``"0.2 mm"``.
    unit : str
        The unit wanted; any text. Units outside time, mass and length are
        accepted only as themselves.
    doubted : str
        As for ``parse_number``.

    Returns
    -------
    float
        The quantity in ``unit``.

    Raises
    ------
    QuantityError
        The text is no quantity of that kind.
    """
    wanted = canonical(unit)
    cleaned = _plain(text)
    if not cleaned or _NUMBER.fullmatch(cleaned):
        return parse_number(cleaned, doubted)
    if family_of(wanted) is UNITS["time"]:
        return convert(_parse_minutes(cleaned, doubted), "min", wanted)
    return _parse_single(cleaned, wanted, doubted)


def _parse_single(text: str, wanted: str, doubted: str) -> float:
    match = _NUMBER.match(text)
    if match is None:
        raise QuantityError(
            tr(
                "“{shown}” is not a number; type it like 12.5 {wanted}", shown=_shown(text), wanted=wanted
            ).rstrip()
        )
    value = parse_number(match.group(), doubted)
    typed = canonical(text[match.end() :])
    if typed.lower() == wanted.lower():
        return value
    try:
        return convert(value, typed, wanted)
    except ValueError:
        expected = tr("in {wanted}", wanted=wanted) if wanted else tr("without a unit")
        raise QuantityError(
            tr(
                "“{shown}”: this reading is {expected}, not in {typed}",
                shown=_shown(text),
                expected=expected,
                typed=typed,
            )
        ) from None


def _parse_minutes(text: str, doubted: str) -> float:
    clock = _CLOCK.fullmatch(text)
    if clock:
        hours, minutes, seconds = (int(part or 0) for part in clock.groups())
        return hours * 60.0 + minutes + seconds / 60.0
    total, position, last_factor = 0.0, 0, math.inf
    while position < len(text):
        match = _PART.match(text, position)
        factor = match and _time_factor(match.group(2), last_factor)
        # Units have to fall: “30 min 1 h” is more likely a slip than a time.
        if not match or not factor or factor >= last_factor:
            raise QuantityError(
                tr("“{shown}” is not a time; type it like 1h25, 85 min or 1:25", shown=_shown(text))
            )
        total += parse_number(match.group(1), doubted) * factor
        position, last_factor = match.end(), factor
    return total


def _time_factor(typed: str | None, last_factor: float) -> float | None:
    """Minutes in one typed unit; a bare number after hours is minutes, after minutes seconds."""
    if typed is None:
        return {1440.0: 60.0, 60.0: 1.0, 1.0: 1.0 / 60.0}.get(last_factor)
    spelled = "min" if typed.lower() == "m" else canonical(typed)
    return UNITS["time"].get(spelled)


def _shown(text: str) -> str:
    trimmed = " ".join(text.split())
    return trimmed if len(trimmed) <= 40 else trimmed[:39] + "…"
