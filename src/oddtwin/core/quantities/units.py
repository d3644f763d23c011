"""The units that readings are typed in, by family, with their exact factors."""

from __future__ import annotations

from typing import Final

from oddtwin.core.language import tr

# Factor to the first unit of the family. The ounce, pound and inch are exact by
# the international yard and pound agreement of 1959.
UNITS: Final[dict[str, dict[str, float]]] = {
    "time": {"min": 1.0, "s": 1.0 / 60.0, "h": 60.0, "d": 1440.0},
    "mass": {"g": 1.0, "mg": 0.001, "kg": 1000.0, "oz": 28.349523125, "lb": 453.59237},
    "length": {"mm": 1.0, "µm": 0.001, "cm": 10.0, "m": 1000.0, "in": 25.4},
}

# Other spellings in daily use, in lower case.
SPELLINGS: Final[dict[str, str]] = {
    "minute": "min", "minutes": "min", "mins": "min", "m'": "min", "'": "min",
    "sec": "s", "secs": "s", "second": "s", "seconds": "s",
    "hr": "h", "hrs": "h", "hour": "h", "hours": "h",
    "day": "d", "days": "d",
    "gr": "g", "gram": "g", "grams": "g", "gramme": "g", "grammes": "g",
    "kilo": "kg", "kilos": "kg", "lbs": "lb", "pound": "lb", "pounds": "lb",
    "ounce": "oz", "ounces": "oz",
    "um": "µm", "μm": "µm", "micron": "µm", "microns": "µm",
    "inch": "in", "inches": "in", '"': "in",
}  # fmt: skip


def canonical(unit: str) -> str:
    """Return the one spelling of a unit that the product writes.

    Parameters
    ----------
    unit : str
        A unit as typed, any case; unknown units come back trimmed.
    """
    text = unit.strip()
    lowered = text.lower()
    if lowered in SPELLINGS:
        return SPELLINGS[lowered]
    for family in UNITS.values():
        # As written first: “M” and “m” may mean two things, and only what nobody else means is read without
        # its case.
        if text in family:
            return text
        if lowered in family:
            return lowered
    return text


def family_of(unit: str) -> dict[str, float] | None:
    """Return the factors of the family that a canonical unit belongs to, if any."""
    return next((family for family in UNITS.values() if unit in family), None)


def convert(value: float, unit: str, to: str) -> float:
    """Convert between two units of one family.

    Parameters
    ----------
    value : float
        In ``unit``.
    unit, to : str
        Units in any accepted spelling.

    Returns
    -------
    float
        The value in ``to``.

    Raises
    ------
    ValueError
        The units belong to different families.
    """
    source, target = canonical(unit), canonical(to)
    if source == target:
        return value
    family = family_of(target)
    if family is None or source not in family:
        raise ValueError(tr("{unit} cannot be turned into {to}", unit=unit, to=to))
    return value * family[source] / family[target]
