"""Figures of every layer, to be drawn beside those of another file."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.parallel import each
from oddtwin.core.toolpath.sliced.blocks import blocks
from oddtwin.core.toolpath.sliced.figures import Sliced
from oddtwin.core.toolpath.sliced.pushed import retraction_starts


@dataclass(frozen=True, slots=True)
class LayerFigures:
    """Figures of every layer; arrays have shape (layers,).

    Parameters
    ----------
    z : numpy.ndarray
        Height, mm.
    time_s, mass_g : numpy.ndarray
    path_mm, travel_mm : numpy.ndarray
    retractions : numpy.ndarray
    flow_mm3_s : numpy.ndarray
        Greatest volume flow.
    """

    z: Floats
    time_s: Floats
    mass_g: Floats
    path_mm: Floats
    travel_mm: Floats
    retractions: Floats
    flow_mm3_s: Floats


def layer_figures(sliced: Sliced) -> LayerFigures:
    """Return the figures of every layer of a file."""
    path = sliced.path
    count = path.layers
    sums = np.zeros((4, count))
    flow = np.zeros(count)
    grams = sliced.of_filament("g_per_mm")

    def add_up(part: slice) -> tuple[slice, Floats, Floats]:
        first, last = np.searchsorted(path.layer_start, (part.start, part.stop - 1), side="right") - 1
        inside = slice(max(0, int(first)), int(last) + 1)
        # A layer is a run of moves: its sum needs no look-up, only the places where layers begin.
        begins = np.maximum(path.layer_start[inside] - part.start, 0)
        length, prints = path.length[part], path.e[part] > 0
        printed = length * prints
        weights = sliced.pushed[part] * grams.take(path.state[part]), printed, length - printed
        added = np.array([np.add.reduceat(weight, begins) for weight in weights])
        return inside, added, np.maximum.reduceat(sliced.flow(part), begins)

    begun = int(path.layer_start[0]) if count else path.moves
    # Block by block: whole columns beside those of the file would be as large as the file itself.
    for inside, added, most in each(add_up, [part for part in blocks(path.moves) if part.stop > begun]):
        sums[:3, inside] += added
        np.maximum(flow[inside], most, out=flow[inside])
    pulls = np.flatnonzero(retraction_starts(path.e))
    own = np.searchsorted(path.layer_start, pulls, side="right") - 1
    sums[3] = np.bincount(own[own >= 0], minlength=count)
    mass_g, path_mm, travel_mm, retractions = sums
    return LayerFigures(path.layer_z, sliced.layer_s, mass_g, path_mm, travel_mm, retractions, flow)
