"""From millimetres of filament to cubic millimetres and grams."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Final

DENSITIES: Final = {
    "PLA": 1.24,
    "PETG": 1.27,
    "ABS": 1.04,
    "ASA": 1.07,
    "TPU": 1.21,
    "PA": 1.14,
    "PC": 1.20,
    "PP": 0.90,
    "PVA": 1.23,
    "HIPS": 1.04,
}
"""Usual density of a material, g/cm³ (common practice, no source; a maker's figure comes first)."""


def density_of(material: str) -> float | None:
    """Return the usual density of a material, g/cm³; None where it is not known.

    Parameters
    ----------
    material : str
        As the user writes it, such as "PLA" or "petg black".
    """
    words = re.findall(r"[A-Z]+", material.upper())
    return next((DENSITIES[word] for word in words if word in DENSITIES), None)


@dataclass(frozen=True, slots=True)
class Filament:
    """The filament on a spool.

    Parameters
    ----------
    diameter_mm : float
    density_g_cm3 : float

    Raises
    ------
    ValueError
        A figure is not above zero.
    """

    diameter_mm: float = 1.75
    density_g_cm3: float = 1.24

    def __post_init__(self) -> None:
        for name, value in (("diameter", self.diameter_mm), ("density", self.density_g_cm3)):
            if not 0 < value < 100:
                raise ValueError(f"filament {name}: give a number above zero and below 100, not {value:g}")

    @property
    def area_mm2(self) -> float:
        """Cross-section of the strand, mm² (π/4·d², a cylinder)."""
        return math.pi / 4 * self.diameter_mm**2

    def grams(self, volume_mm3: float) -> float:
        """Return the mass of a volume."""
        return volume_mm3 * self.density_g_cm3 / 1000

    def grams_along(self, length_mm: float) -> float:
        """Return the mass of some length of the strand."""
        return self.grams(length_mm * self.area_mm2)
