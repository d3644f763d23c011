"""Figures of every layer, to be drawn beside those of another file."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddtwin.core.arrays import Floats
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
    # Block by block: whole columns beside those of the file would be as large as the file itself.
    for part in blocks(path.moves):
        layer = np.searchsorted(path.layer_start, np.arange(part.start, part.stop), side="right") - 1
        inside = layer >= 0
        own = layer[inside]
        length, prints = path.length[part], path.e[part] > 0
        mass = sliced.pushed[part] * grams.take(path.state[part])
        for row, weight in enumerate((mass, length * prints, length * ~prints)):
            sums[row] += np.bincount(own, weight[inside], count)
        np.maximum.at(flow, own, sliced.flow(part)[inside])
    pulls = np.flatnonzero(retraction_starts(path.e))
    own = np.searchsorted(path.layer_start, pulls, side="right") - 1
    sums[3] = np.bincount(own[own >= 0], minlength=count)
    mass_g, path_mm, travel_mm, retractions = sums
    return LayerFigures(path.layer_z, sliced.layer_s, mass_g, path_mm, travel_mm, retractions, flow)
