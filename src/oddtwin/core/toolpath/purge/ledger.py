"""The purge ledger: what every change of colour took, by pair of colours."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddtwin.core.toolpath.gcode import Feature
from oddtwin.core.toolpath.sliced import Sliced, tool_changes


@dataclass(frozen=True, slots=True)
class PurgeChange:
    """One change of tool: from, to, layer (from 0; -1 before the first), purge and tower together in mm³."""

    before: int
    after: int
    layer: int
    volume_mm3: float


@dataclass(frozen=True, slots=True)
class PurgePair:
    """All changes from one colour to another: how many, and mm³ in all and for one."""

    before: int
    after: int
    changes: int
    volume_mm3: float

    @property
    def each_mm3(self) -> float:
        """mm³ for one change."""
        return self.volume_mm3 / self.changes


def purge_ledger(sliced: Sliced) -> list[PurgeChange]:
    """Return every change of tool with what was purged until the next one.

    Counted is what is laid into the tower or named purge, and what the standing nozzle
    pushes beyond what was drawn back.
    """
    path = sliced.path
    purges = path.lays(features=(Feature.TOWER, Feature.PURGE)) | (path.length == 0)
    area = sliced.of_filament("area_mm2").take(path.state)
    volume = (
        # A running sum, so that what lies between two changes is one subtraction, however many moves that
        # is.
        np.concatenate(([0.0], np.cumsum(np.where(purges, sliced.pushed * area, 0.0))))
    )
    changes = list(tool_changes(path, sliced.pushed))
    if not changes:
        return []
    ends = [move for move, _, _ in changes[1:]] + [path.moves]
    layers = np.searchsorted(path.layer_start, [move for move, _, _ in changes], side="right") - 1
    return [
        PurgeChange(before, after, int(layer), float(volume[end] - volume[move]))
        for (move, before, after), end, layer in zip(changes, ends, layers, strict=True)
    ]


def purge_pairs(changes: list[PurgeChange]) -> list[PurgePair]:
    """Return the changes added up by pair of colours, the most wasteful first."""
    sums: dict[tuple[int, int], tuple[int, float]] = {}
    for change in changes:
        count, volume = sums.get((change.before, change.after), (0, 0.0))
        sums[change.before, change.after] = count + 1, volume + change.volume_mm3
    pairs = [PurgePair(*pair, *found) for pair, found in sums.items()]
    return sorted(pairs, key=lambda pair: -pair.volume_mm3)
