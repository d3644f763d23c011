"""Keys and values of settings, compared as what they mean and not as they are spelt."""

from __future__ import annotations

import math
import re
from typing import Final

WORD_TRUE: Final = frozenset({"true", "yes", "on", "enabled"})
WORD_FALSE: Final = frozenset({"false", "no", "off", "disabled"})
UNIT_FACTORS: Final[dict[str, tuple[str, float]]] = {
    "mm": ("mm", 1.0),
    "µm": ("mm", 0.001),
    "um": ("mm", 0.001),
    "cm": ("mm", 10.0),
    "s": ("s", 1.0),
    "sec": ("s", 1.0),
    "ms": ("s", 0.001),
    "min": ("s", 60.0),
    "mm/s": ("mm/s", 1.0),
    "mm/min": ("mm/s", 1 / 60),
    "mm/s²": ("mm/s²", 1.0),
    "mm/s2": ("mm/s²", 1.0),
    "mm/s^2": ("mm/s²", 1.0),
    "mm³": ("mm³", 1.0),
    "mm3": ("mm³", 1.0),
    "mm³/s": ("mm³/s", 1.0),
    "mm3/s": ("mm³/s", 1.0),
    "%": ("%", 1.0),
    "°": ("°", 1.0),
    "°c": ("°C", 1.0),
    "c": ("°C", 1.0),
    "g": ("g", 1.0),
}
NUMBER: Final = re.compile(
    r"([+\-\N{MINUS SIGN}]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d{1,3})?)\s*(\D{0,8})", re.ASCII
)
CAMEL: Final = re.compile(r"(?<=[a-z0-9])(?=[A-Z])")
APART: Final = re.compile(r"[^a-z0-9]+")


def plain_key(key: str) -> str:
    """Return a key in lower case with underscores, however it was spelt."""
    return APART.sub("_", CAMEL.sub("_", key).lower()).strip("_")


def number_and_unit(text: str) -> tuple[float, str] | None:
    """Return a number in its base unit; None where the text is no number.

    Parameters
    ----------
    text : str
        Such as ``"0.2 mm"``, ``"200 µm"``, ``"3600 mm/min"``, ``"60%"`` or ``"0.2"``.
    """
    found = NUMBER.fullmatch(text.strip().replace(",", ".") if text.count(",") == 1 else text.strip())
    if not found:
        return None
    value = float(found.group(1).replace("\N{MINUS SIGN}", "-"))
    unit = found.group(2).strip().lower()
    if not math.isfinite(value) or (unit and unit not in UNIT_FACTORS):
        return None
    base, factor = UNIT_FACTORS.get(unit, ("", 1.0))
    return value * factor, base


def same_value(first: str, second: str) -> bool:
    """Return whether two values mean the same: numbers with units, switches, lists of them, or words."""
    ours, theirs = _parts(first), _parts(second)
    return len(ours) == len(theirs) and all(_same(a, b) for a, b in zip(ours, theirs, strict=True))


def _parts(text: str) -> list[str]:
    text = text.strip().strip("[]").strip()
    parts = [part.strip().strip("\"'") for part in re.split(r"[,;]", text)]
    # One value for every extruder is one value.
    return parts[:1] if len(set(parts)) == 1 else parts


def _same(first: str, second: str) -> bool:
    if first == second:
        return True
    ours, theirs = number_and_unit(first), number_and_unit(second)
    if ours and theirs:
        units = {ours[1], theirs[1]} - {""}
        # A bare number is in whatever unit the other file names; two different units are never the same.
        return len(units) < 2 and math.isclose(ours[0], theirs[0], rel_tol=1e-9, abs_tol=1e-12)
    switches = _switch(first), _switch(second)
    if None not in switches:
        return switches[0] == switches[1]
    return " ".join(first.lower().split()) == " ".join(second.lower().split())


def _switch(text: str) -> bool | None:
    word = text.lower()
    if word in WORD_TRUE or word == "1":
        return True
    return False if word in WORD_FALSE or word == "0" else None
