"""Figures of every layer, to be drawn beside those of another file."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.toolpath.sliced.figures import Sliced, blocks
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
    starts = path.layer_start
    prints = path.e > 0

    def added(values: NDArray[np.generic]) -> Floats:
        return np.asarray(np.add.reduceat(values.astype(np.float64, copy=False), starts))

    flow = np.concatenate([sliced.flow(part) for part in blocks(path.moves)])
    return LayerFigures(
        path.layer_z,
        sliced.layer_s,
        added(sliced.pushed * sliced.of_filament("g_per_mm").take(path.state)),
        added(np.where(prints, path.length, 0.0)),
        added(np.where(prints, 0.0, path.length)),
        added(retraction_starts(path.e)),
        np.asarray(np.maximum.reduceat(flow, starts)),
    )
