"""From millimetres of filament to cubic millimetres and grams."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list, format_number, format_reading, with_unit

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
class SpoolSays:
    """What the lab book, or whoever asks, says of a spool; what is left out is not said.

    Parameters
    ----------
    diameter_mm, density_g_cm3 : float or None
    material : str
        Whose usual density stands in where nobody says another.
    """

    diameter_mm: float | None = None
    density_g_cm3: float | None = None
    material: str = ""

    @property
    def usual(self) -> Filament:
        """The filament, with usual figures for what is not said."""
        density = self.density_g_cm3 or density_of(self.material) or USUAL.density_g_cm3
        return Filament(self.diameter_mm or USUAL.diameter_mm, density)

    def over(self, said: Filament | None) -> Filament:
        """Return the filament of a tool: what the spool says is louder than what the file says.

        Parameters
        ----------
        said : Filament or None
            As the file says.
        """
        if said is None:
            return self.usual
        return replace(
            said,
            diameter_mm=self.diameter_mm or said.diameter_mm,
            density_g_cm3=self.density_g_cm3 or said.density_g_cm3,
        )

    def grams(self, length_mm: float, volume_mm3: float, mass_g: float) -> float:
        """Return the mass of what a file takes.

        Parameters
        ----------
        length_mm : float
            Of filament.
        volume_mm3, mass_g : float
            As the file reckons them; zero where it was read before it could.
        """
        if mass_g and not self.density_g_cm3 and not self.diameter_mm:
            return mass_g
        by_length = self.diameter_mm or not volume_mm3
        volume = length_mm * self.usual.area_mm2 if by_length else volume_mm3
        of_file = mass_g / volume_mm3 * 1000 if volume_mm3 and mass_g else self.usual.density_g_cm3
        return volume * (self.density_g_cm3 or of_file) / 1000


class FilamentSource(StrEnum):
    """Who told the filament that masses are reckoned with."""

    SPOOL = "spool"
    FILE = "file"
    USUAL = "usual"

    def told(self, filaments: Mapping[int, Filament]) -> str:
        """Say whose figures they are.

        Parameters
        ----------
        filaments : mapping of int to Filament
            Of every tool.
        """
        whose = {
            FilamentSource.SPOOL: tr("as the spool says"),
            FilamentSource.FILE: tr("as the file says"),
            FilamentSource.USUAL: tr("as usual, for neither a spool nor the file says"),
        }[self]
        # In the order of the tools, each of them once.
        parts = dict.fromkeys(
            tr(
                "{density_g_cm3} and {diameter_mm}",
                density_g_cm3=with_unit(format_number(one.density_g_cm3, 2), "g/cm³"),
                diameter_mm=with_unit(format_number(one.diameter_mm, 2), "mm"),
            )
            for one in filaments.values()
        )
        return tr("Masses are reckoned with {parts}, {whose}.", parts=format_list(list(parts)), whose=whose)


@dataclass(frozen=True, slots=True)
class Filament:
    """The filament on a spool.

    Parameters
    ----------
    diameter_mm : float
    density_g_cm3 : float
    cost_per_kg : float or None
        In the currency of whoever says it.
    name : str

    Raises
    ------
    ValueError
        A figure is not above zero.
    """

    diameter_mm: float = 1.75
    density_g_cm3: float = 1.24
    cost_per_kg: float | None = None
    name: str = ""

    def __post_init__(self) -> None:
        for name, value in (("diameter", self.diameter_mm), ("density", self.density_g_cm3)):
            if not 0 < value < 100:
                raise ValueError(
                    tr(
                        "filament {name}: give a number above zero and below 100, not {value}",
                        name=name,
                        value=format_reading(value),
                    )
                )

    @property
    def area_mm2(self) -> float:
        """Cross-section of the strand, mm² (π/4·d², a cylinder)."""
        return math.pi / 4 * self.diameter_mm**2

    @property
    def g_per_mm(self) -> float:
        """Mass of each millimetre of the strand, g."""
        return self.grams_along(1.0)

    def grams(self, volume_mm3: float) -> float:
        """Return the mass of a volume."""
        return volume_mm3 * self.density_g_cm3 / 1000

    def grams_along(self, length_mm: float) -> float:
        """Return the mass of some length of the strand."""
        return self.grams(length_mm * self.area_mm2)


def filaments_told(filaments: Mapping[int, Filament], grams: Mapping[int, float]) -> str:
    """Return the names and prices of the filament of a file as a sentence; nothing where it has none.

    Parameters
    ----------
    filaments : mapping of int to Filament
        Of every tool.
    grams : mapping of int to float
        What every tool lays, g.
    """
    parts = []
    for tool, one in filaments.items():
        price = (
            tr("at {cost_per_kg} a kilogram", cost_per_kg=format_number(one.cost_per_kg, 2))
            if one.cost_per_kg
            else ""
        )
        about = " ".join(part for part in (f"“{one.name}”" if one.name else "", price) if part)
        if about:
            parts.append(tr("tool {tool} {about}", tool=tool, about=about) if len(filaments) > 1 else about)
    prices = {tool: one.cost_per_kg for tool, one in filaments.items() if one.cost_per_kg}
    cost = sum(price * grams.get(tool, 0.0) / 1000 for tool, price in prices.items())
    whole = len(prices) == len(filaments)
    takes = (
        tr("; at its own prices the print takes {cost}", cost=format_number(cost, 2))
        if whole and parts
        else ""
    )
    return tr("Filament by the file: {parts}{takes}.", parts=format_list(parts), takes=takes) if parts else ""


USUAL: Final = Filament()
"""What holds where neither the lab book nor the file says anything."""
