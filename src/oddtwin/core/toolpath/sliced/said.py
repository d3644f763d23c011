"""What a sliced file says of itself: its filament, and the figures it was promised to come to."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from typing import Final, TypeVar

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list, format_minutes, format_number, format_reading, with_unit
from oddtwin.core.toolpath.gcode import Toolpath
from oddtwin.core.toolpath.gcode.features import tight
from oddtwin.core.toolpath.gcode.layers import LAYER_COUNTS
from oddtwin.core.toolpath.sliced.filament import USUAL, Filament, density_of

T = TypeVar("T")

DENSITY: Final = ("filament density", "material density", "density")
DIAMETER: Final = ("filament diameter", "material diameter", "diameter")
COST: Final = ("filament cost", "material cost")
NAME: Final = ("filament settings id", "filament name", "material name", "filament type", "material type")
KIND: Final = ("filament type", "material type", *NAME)
SECONDS: Final = (
    "total estimated time",
    "total print time",
    "estimated printing time normal mode",
    "estimated printing time",
    "estimated print time",
    "estimated time",
    "print time",
    "printing time",
    "build time",
    "model printing time",
)
LENGTHS: Final = (
    "total filament used mm",
    "filament used mm",
    "filament used",
    "total filament length mm",
    "filament length",
    "filament length mm",
    "material used",
    "material 1 used",
    "material length",
)
MASSES: Final = (
    "total filament used g",
    "filament used g",
    "total filament weight g",
    "filament weight",
    "filament weight g",
    "filament mass g",
    "plastic weight",
    "material weight",
)
NUMBER: Final = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)")
AMOUNT: Final = re.compile(r"((?:\d+\.?\d*|\.\d+))\s*([a-zA-Zµ³]*)")
CLOCK: Final = re.compile(r"\s*(\d{1,3}):(\d{2})(?::(\d{2}))?\s*")
UNITS_OF_TIME: Final = {"d": 86400.0, "h": 3600.0, "m": 60.0, "s": 1.0}
DIAMETERS: Final = (0.5, 5.0)
DENSITIES: Final = (0.3, 20.0)
NOTICED: Final = 0.03


@dataclass(frozen=True, slots=True)
class Said:
    """What a file says that it takes; None for what it does not say.

    Parameters
    ----------
    time_s, filament_mm, mass_g : float
    layers : int
    density_g_cm3 : float
        Of the first tool's filament.
    """

    time_s: float | None = None
    filament_mm: float | None = None
    mass_g: float | None = None
    layers: int | None = None
    density_g_cm3: float | None = None


def filaments_said(settings: Mapping[str, str], tools: Collection[int]) -> dict[int, Filament]:
    """Return the filament of every tool, as far as a file tells it.

    Parameters
    ----------
    settings : mapping
        Of the file, as written.
    tools : collection of int
        The tools that occur.

    Returns
    -------
    dict
        What a file does not say is as usual; a tool of which it says nothing is left out.
    """
    known = _plain(settings)
    densities, diameters = _column(known, DENSITY, DENSITIES), _column(known, DIAMETER, DIAMETERS)
    costs, names, kinds = (_list(_first(known, keys)) for keys in (COST, NAME, KIND))
    found = {}
    for tool in tools:
        density, diameter = _of(densities, tool), _of(diameters, tool)
        kind = _of(kinds, tool)
        usual = density_of(kind) if kind else None
        if density or diameter or usual:
            found[tool] = Filament(
                diameter or USUAL.diameter_mm,
                density or usual or USUAL.density_g_cm3,
                _cost(_of(costs, tool)),
                _of(names, tool) or "",
            )
    return found


def said_of(path: Toolpath, filament: Filament | None) -> Said:
    """Return what a file says that it takes.

    Parameters
    ----------
    path : Toolpath
        The file, read.
    filament : Filament or None
        Of its first tool, as the file tells it.
    """
    known = _plain(path.settings)
    seconds = _first_read(known, SECONDS, seconds_of)
    if seconds is None and path.announced_min:
        seconds = path.announced_min * 60
    layers = next(
        (int(value[:7]) for key, value in known.items() if key in LAYER_COUNTS and value.isdigit()), None
    )
    return Said(
        seconds,
        _first_read(known, LENGTHS, _millimetres),
        _first_read(known, MASSES, _sum),
        layers,
        filament.density_g_cm3 if filament else None,
    )


def said_words(said: Said) -> str:
    """Return what a file says of itself as a sentence; nothing where it says nothing."""
    parts = []
    if said.time_s:
        parts.append(format_minutes(said.time_s / 60))
    if said.filament_mm:
        parts.append(with_unit(format_number(said.filament_mm, 0), "mm"))
    if said.mass_g:
        density = said.density_g_cm3
        at = (
            tr(" at density {density}", density=with_unit(format_number(density, 2), "g/cm³"))
            if density
            else ""
        )
        parts.append(with_unit(format_number(said.mass_g, 2), "g") + at)
    if said.layers:
        parts.append(tr("{layers} layers", layers=said.layers))
    return tr("This file says {parts}.", parts=format_list(parts)) if parts else ""


def differences_told(
    said: Said, time_s: float, filament_mm: float, mass_g: float, flow: float, spool: Filament | None
) -> list[str]:
    """Return what is reckoned otherwise than a file says, as sentences, with the reason where it is known.

    Parameters
    ----------
    said : Said
        What it says.
    time_s, filament_mm, mass_g : float
        What is reckoned.
    flow : float
        The flow override (M221) that most of the filament is laid with, 1 for 100 %.
    spool : Filament or None
        The lab book's spool, where that is reckoned with.
    """
    found = []
    for name, theirs, ours in (
        ("time", said.time_s, time_s),
        ("filament", said.filament_mm, filament_mm),
        ("mass", said.mass_g, mass_g),
    ):
        if not theirs or not ours or abs(ours / theirs - 1) <= NOTICED:
            continue
        sentence = tr(
            "The {name} reckoned here is {ours:.0f} % ", name=name, ours=100 * abs(ours / theirs - 1)
        )
        sentence += tr("{part} than the file says", part=tr("more") if ours > theirs else tr("less"))
        of_flow = name != "time" and abs(ours / (theirs * flow) - 1) <= NOTICED and flow != 1
        if of_flow:
            sentence += tr(": its commands set the flow to {flow} % (M221)", flow=format_reading(100 * flow))
        elif name == "mass" and spool is not None and said.density_g_cm3 != spool.density_g_cm3:
            sentence += tr(": the spool of the lab book has another density")
        found.append(sentence + ".")
    return found


def seconds_of(text: str) -> float | None:
    """Return a time as files write it (``1h 2m 3s``, ``01:02:03``, ``3723``), s; None for none."""
    text = text.rpartition(":")[2] if "estimated" in text else text
    clock = CLOCK.fullmatch(text)
    if clock:
        hours, minutes, seconds = (int(part or 0) for part in clock.groups())
        return float(hours * 3600 + minutes * 60 + seconds)
    total, seen = 0.0, False
    for number, unit in AMOUNT.findall(text):
        factor = UNITS_OF_TIME.get(unit[:1].lower(), 1.0) if unit else 1.0
        total, seen = total + float(number) * factor, True
    return total if seen and 0 < total < 1e9 else None


def _plain(settings: Mapping[str, str]) -> dict[str, str]:
    found: dict[str, str] = {}
    for key, value in settings.items():
        found.setdefault(tight(key), value.strip())
    return found


def numbers_in(text: str) -> list[float]:
    """Return all numbers that stand in a text, in their order."""
    return [float(part) for part in NUMBER.findall(text)]


def _first_read(
    known: Mapping[str, str], keys: Collection[str], read: Callable[[str], float | None]
) -> float | None:
    """Return what the first of some keys says that can be read."""
    return next((found for key in keys if (found := read(known.get(key, ""))) is not None), None)


def _first(known: Mapping[str, str], keys: Collection[str]) -> str:
    return next((known[key] for key in keys if known.get(key)), "")


def _list(text: str) -> list[str]:
    parts = [part.strip().strip("\"'") for part in re.split(r"[;,]", text.strip().strip("[]"))]
    return parts if any(parts) else []


def _column(
    known: Mapping[str, str], keys: Collection[str], bounds: tuple[float, float]
) -> list[float | None]:
    """Return one number for each tool; None for what cannot be."""
    found = []
    for part in _list(_first(known, keys)):
        value = next(iter(numbers_in(part)), 0.0)
        found.append(value if bounds[0] <= value <= bounds[1] else None)
    return found


def _of(column: list[T], tool: int) -> T | None:
    """Return the entry of a tool; one entry is for all."""
    if len(column) == 1:
        return column[0]
    return column[tool] if tool < len(column) else None


def _cost(text: str | None) -> float | None:
    value = next(iter(numbers_in(text or "")), 0.0)
    return value if 0 < value < 1e6 else None


def _sum(text: str) -> float | None:
    # What stands in parentheses says the same in another unit.
    total = sum(numbers_in(text.partition("(")[0]))
    return total if 0 < total < 1e7 else None


def _millimetres(text: str) -> float | None:
    total = 0.0
    for number, unit in AMOUNT.findall(text.partition("(")[0]):
        if unit in ("", "mm", "m", "cm"):
            total += float(number) * {"m": 1000.0, "cm": 10.0}.get(unit, 1.0)
    return total if 0 < total < 1e8 else None
