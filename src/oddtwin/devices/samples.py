"""What lines of instruments say: a value with its unit, whether it stands still, where the gauge ended."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.quantities import convert
from oddtwin.core.readings import Bound

_NUMBER: Final = re.compile(r"([+-]?)\s*(\d+(?:[.,]\d+)?|[.,]\d+)")
_UNIT: Final = re.compile(
    r"(?<![a-z])(kg|mg|g|oz|lb|mm|cm|in|db\(?a?\)?|kn|n|kgf|lbf|°?c|%)(?![a-z])", re.IGNORECASE
)
_STABLE: Final = re.compile(r"^(?:ST|S\s+S|SS)\b|\bstable\b", re.IGNORECASE)
_MOVING: Final = re.compile(r"^(?:US|UN|S\s+D|SD)\b|\bunstable\b|\?\s*$", re.IGNORECASE)
_OVER: Final = re.compile(r"\b(?:OL|over(?:load)?)\b|^[\s+S]*\+{3,}|^S\s+\+\s*$|^-*\^+-*$", re.IGNORECASE)
_UNDER: Final = re.compile(r"\b(?:UL|under(?:load)?)\b|^S\s+-\s*$|^-{3,}$|^_{3,}$", re.IGNORECASE)
_CLOCK: Final = re.compile(r"(?:(\d{1,3}):)?(\d{1,3}):(\d{2}(?:[.,]\d+)?)")
LARGEST: Final = 1e7


@dataclass(frozen=True, slots=True)
class Sample:
    """One value of an instrument.

    Parameters
    ----------
    value : float
        In ``unit``.
    unit : str
    stable : bool or None
        None where the instrument does not say.
    bound : Bound
        Above where the gauge ended.
    decimals : int
        Digits behind the point, which tell its step.
    about : str
        Which of several values of an instrument, such as ``humidity``.
    """

    value: float
    unit: str
    stable: bool | None = None
    bound: Bound = Bound.EXACT
    decimals: int = 0
    about: str = ""


@dataclass(frozen=True, slots=True)
class NoValue:
    """A line that tells no value, and why."""

    why: str


Said = Sample | NoValue
FORCES: Final[Mapping[str, float]] = {"n": 1.0, "kn": 1000.0, "kgf": 9.80665, "lbf": 4.4482216}
"""Newtons (exact by definition; lbf from memory)."""


def scale_line(text: str) -> Said:
    """Read a line of a scale, in grams.

    Parameters
    ----------
    text : str
        As scales send them continuously or when asked: ``ST,GS,+  123.45g``, ``US,NT,-0.02 g``,
        ``S S    12.34 g``, ``12.34 g``, ``OL``.
    """
    if _OVER.search(text):
        return NoValue(tr("more lies on the scale than it can weigh; take some off"))
    if _UNDER.search(text):
        return NoValue(tr("the scale is relieved of more than its zero; put the pan back, or tare it"))
    found = _value(text)
    if found is None:
        return NoValue("")
    value, unit, decimals = found
    if unit not in ("", "g", "kg", "mg", "oz", "lb"):
        return NoValue(tr("it sends {unit}, which is no mass", unit=unit))
    # The flag of a moving scale wins: some send both while they settle.
    stable = False if _MOVING.search(text) else True if _STABLE.search(text) else None
    if unit == "mg":
        return Sample(value / 1000, "g", stable, decimals=decimals + 3)
    grams = value if unit in ("", "g") else convert(value, unit, "g")
    return Sample(grams, "g", stable, decimals=decimals)


def calliper_line(text: str) -> Said:
    """Read a line of a calliper, in millimetres; what is sent was taken, so that it stands still."""
    found = _value(text.replace('"', " in"))
    if found is None:
        return NoValue("")
    value, unit, decimals = found
    if unit not in ("", "mm", "cm", "in"):
        return NoValue(tr("it sends {unit}, which is no length", unit=unit))
    return Sample(value * {"in": 25.4, "cm": 10.0}.get(unit, 1.0), "mm", True, decimals=decimals)


def sound_line(text: str) -> Said:
    """Read a line of a sound level meter, in dB."""
    found = _value(text)
    if found is None:
        return NoValue(tr("more sound than its range") if _OVER.search(text) else "")
    return Sample(found[0], "dB", decimals=found[2])


def force_line(text: str) -> Said:
    """Read a line of a force gauge, in newtons; beyond its end it is known from below alone."""
    found = _value(text)
    over = bool(_OVER.search(text)) or text.lstrip().startswith(">")
    if found is None:
        return NoValue(tr("the gauge ended, and says not where; type it as >40") if over else "")
    value, unit, decimals = found
    times = FORCES.get(unit, 1.0)
    return Sample(
        value * times, "N", None if not over else True, Bound.ABOVE if over else Bound.EXACT, decimals
    )


def stopwatch_line(text: str) -> Said:
    """Read a line of a stopwatch, in seconds: ``1:23.45``, ``0:01:23`` or ``83.4 s``; it was stopped."""
    found = _CLOCK.search(text)
    if found is not None:
        hours, minutes, seconds = found[1] or "0", found[2], found[3].replace(",", ".")
        value = 3600 * int(hours) + 60 * int(minutes) + float(seconds)
        return Sample(value, "s", True, decimals=len(seconds.partition(".")[2]))
    plain = _value(text)
    if plain is None:
        return NoValue("")
    return Sample(plain[0], "s", True, decimals=plain[2])


def climate_line(text: str) -> list[Said]:
    """Read a line of a thermometer and hygrometer: ``T=23.4C H=45%`` or ``23.4 45``."""
    numbers = [
        (float(f"{sign}{digits.replace(',', '.')}"), len(digits.replace(",", ".").partition(".")[2]))
        for sign, digits in _NUMBER.findall(text)
    ]
    if not numbers:
        return [NoValue("")]
    named = {"t": "temperature", "h": "humidity", "r": "humidity"}
    order = [named[letter] for letter in re.findall(r"(?<![a-z])([thr])[a-z]*\s*[=:]", text.lower())]
    order = list(dict.fromkeys(order)) or ["temperature", "humidity"]
    units = {"temperature": "°C", "humidity": "%"}
    return [
        Sample(value, units[about], decimals=decimals, about=about)
        for about, (value, decimals) in zip(order, numbers, strict=False)
    ]


def _value(text: str) -> tuple[float, str, int] | None:
    """Return value, unit and decimals of the last number in a line that has a unit, or the last of all."""
    numbers = list(_NUMBER.finditer(text))
    if not numbers:
        return None
    unit = _UNIT.search(text)
    # A line may number itself or give a date: the figure stands right before its unit.
    before = [one for one in numbers if unit is not None and one.end() <= unit.start() + 1]
    match = before[-1] if before else numbers[-1]
    digits = match[2].replace(",", ".")
    value = float(f"{match[1]}{digits}")
    if abs(value) > LARGEST:
        return None
    return value, unit[1].lower() if unit else "", len(digits.partition(".")[2])


SINGLE: Final[Mapping[str, Callable[[str], Said]]] = {
    "scale": scale_line,
    "calliper": calliper_line,
    "sound level": sound_line,
    "force": force_line,
    "stopwatch": stopwatch_line,
}


def said_by(kind: str, text: str) -> list[Said]:
    """Return what a line of an instrument says.

    Parameters
    ----------
    kind : str
        scale, calliper, sound level, force, stopwatch or climate.
    text : str
        One line.
    """
    return climate_line(text) if kind == "climate" else [SINGLE[kind](text)]
