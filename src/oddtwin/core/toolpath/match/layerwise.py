"""Differences by layer, on one axis of height."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.language import mark
from oddtwin.core.toolpath.sliced import LayerFigures, Sliced, layer_figures

MEASURES: Final = (
    (mark("Time"), "s", "time_s", True),
    (mark("Mass"), "g", "mass_g", True),
    (mark("Retractions"), "", "retractions", True),
    (mark("Greatest flow"), "mm³/s", "flow_mm3_s", False),
)


@dataclass(frozen=True, slots=True)
class LayerDifference:
    """One figure of both files by layer of the baseline's file; arrays have shape (layers,).

    ``difference`` is change − baseline. Where the layers differ in height, what adds up is
    shared out by height, and what does not is taken from the layer at that height.
    """

    name: str
    unit: str
    z: Floats
    baseline: Floats
    change: Floats
    adds_up: bool = True

    @property
    def difference(self) -> Floats:
        """Change minus baseline."""
        return self.change - self.baseline


def layer_differences(baseline: Sliced, change: Sliced) -> list[LayerDifference]:
    """Return time, mass, retractions and flow of two files by layer."""
    ours, theirs = layer_figures(baseline), layer_figures(change)
    same = len(ours.z) == len(theirs.z) and bool(np.allclose(ours.z, theirs.z, atol=0.02))
    found = []
    for name, unit, field, adds_up in MEASURES:
        mine: Floats = getattr(ours, field)
        other: Floats = getattr(theirs, field)
        if not same:
            other = _shared_out(ours, theirs, other) if adds_up else _at_height(ours, theirs, other)
        found.append(LayerDifference(name, unit, ours.z, mine, other, adds_up))
    return found


def _shared_out(ours: LayerFigures, theirs: LayerFigures, values: Floats) -> Floats:
    """Return a figure that adds up, shared out over the other file's layers by height."""
    edges = np.concatenate(([0.0], np.maximum.accumulate(ours.z)))
    tops = np.concatenate(([0.0], np.maximum.accumulate(theirs.z)))
    total = np.concatenate(([0.0], np.cumsum(values)))
    # What lies above the top layer of ours belongs to it.
    edges[-1] = max(edges[-1], tops[-1])
    # What adds up is shared out so that it still adds up to the whole, however the layers of the two files
    # lie.
    return np.diff(np.interp(edges, tops, total))


def _at_height(ours: LayerFigures, theirs: LayerFigures, values: Floats) -> Floats:
    # A greatest flow is no sum: of other layers the one at that height has it.
    place = np.searchsorted(theirs.z, ours.z - 1e-6)
    return np.asarray(values[np.minimum(place, len(values) - 1)])
