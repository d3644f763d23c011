"""The purge ledger: what every change of colour took, by pair of colours, and what the tower takes anyway."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.toolpath.gcode import Feature
from oddtwin.core.toolpath.sliced import Sliced, tool_changes

LEAST_OUTSIDE: Final = 0.05
"""Share of all purge that has to lie outside the tower before the tower is a frame only."""


@dataclass(frozen=True, slots=True)
class PurgeChange:
    """One change of tool: from, to, layer (from 0; -1 before the first), mm³ and g purged for it."""

    before: int
    after: int
    layer: int
    volume_mm3: float
    mass_g: float = 0.0


@dataclass(frozen=True, slots=True)
class PurgePair:
    """All changes from one colour to another: how many, and mm³ and g in all."""

    before: int
    after: int
    changes: int
    volume_mm3: float
    mass_g: float = 0.0

    @property
    def each_mm3(self) -> float:
        """mm³ for one change."""
        return self.volume_mm3 / self.changes


@dataclass(frozen=True, slots=True)
class PurgeLedger:
    """What changes of colour take.

    Parameters
    ----------
    changes : tuple of PurgeChange
        Every change with what was really laid or pushed out for it.
    tower_mm3, tower_g : float
        What the tower takes however much is purged: its frame, and its layers without a change.
    """

    changes: tuple[PurgeChange, ...]
    tower_mm3: float
    tower_g: float

    @property
    def mass_g(self) -> float:
        """Mass of all, g."""
        return sum(change.mass_g for change in self.changes) + self.tower_g

    @property
    def pairs(self) -> list[PurgePair]:
        """The changes added up by pair of colours, the most wasteful first."""
        return purge_pairs(self.changes)


def purge_ledger(sliced: Sliced) -> PurgeLedger:
    """Return every change of tool with what was purged until the next one.

    Parameters
    ----------
    sliced : Sliced
        The file, planned.

    Returns
    -------
    PurgeLedger
        Counted is what the standing nozzle pushes beyond what was drawn back, and what is laid as purge.
        Lines of the tower count too, in layers with a change, where nothing else is purged.
    """
    path = sliced.path
    found = list(tool_changes(path, sliced.pushed))
    tower = path.lays(features=(Feature.TOWER,))
    volume = sliced.pushed * sliced.of_filament("area_mm2").take(path.state)
    mass = sliced.pushed * sliced.of_filament("g_per_mm").take(path.state)
    if not found:
        return PurgeLedger((), float(volume[tower].sum()), float(mass[tower].sum()))
    starts = np.array([move for move, _, _ in found])
    purges = path.lays(features=(Feature.PURGE,)) | ((path.length == 0) & (sliced.pushed > 0))
    # What is pushed before the first change primes the nozzle.
    purges[: starts[0]] = False
    layer = np.searchsorted(path.layer_start, np.arange(path.moves), side="right") - 1
    layers = layer[np.minimum(starts, path.moves - 1)]
    outside = volume[purges].sum()
    if outside <= LEAST_OUTSIDE * (outside + volume[tower].sum()):
        purges |= tower & np.isin(layer, layers)
    frame = tower & ~purges
    changes = [
        PurgeChange(before, after, int(at), each, grams)
        for (_, before, after), at, each, grams in zip(
            found, layers, _between(starts, volume * purges), _between(starts, mass * purges), strict=True
        )
    ]
    return PurgeLedger(tuple(changes), float(volume[frame].sum()), float(mass[frame].sum()))


def _between(starts: NDArray[np.int64], values: NDArray[np.float64]) -> list[float]:
    """Return the sums from each change to the next; what lies before the first is its own."""
    sums = np.concatenate(([0.0], np.cumsum(values)))
    edges = np.append(starts, len(values))
    edges[0] = 0
    found: list[float] = np.diff(sums[edges]).tolist()
    return found


def purge_pairs(changes: Sequence[PurgeChange]) -> list[PurgePair]:
    """Return changes added up by pair of colours, the most wasteful first.

    Parameters
    ----------
    changes : sequence of PurgeChange
        In any order.
    """
    sums: dict[tuple[int, int], tuple[int, float, float]] = {}
    for change in changes:
        count, volume, mass = sums.get((change.before, change.after), (0, 0.0, 0.0))
        key = change.before, change.after
        sums[key] = count + 1, volume + change.volume_mm3, mass + change.mass_g
    pairs = [PurgePair(before, after, *found) for (before, after), found in sums.items()]
    return sorted(pairs, key=lambda pair: -pair.volume_mm3)
