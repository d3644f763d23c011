"""Where a sliced file lays filament in the air: bridges and overhangs, place by place.

The rules are those of the steepest overhang and the longest bridge (`shape`); here every layer is looked at,
and what lies over the inside of the piece is left out, for nobody sees it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.toolpath.gcode import Feature
from oddtwin.core.toolpath.sliced.figures import Sliced
from oddtwin.core.toolpath.sliced.shape import (
    SHORT_BRIDGE_MM,
    USUAL_WIDTH_MM,
    Points,
    free_runs,
    over_layer,
)

STEEP_DEG: Final = 45.0
"""From upright: flatter ones mostly hold (common practice, no source)."""
CELL_MM: Final = 0.4
MOST_CELLS: Final = 4_000_000
MOST_LAYERS: Final = 1500


@dataclass(frozen=True, slots=True)
class Hanging:
    """Places that are laid in the air.

    Parameters
    ----------
    bridges, overhangs : arrays of shape (places, 4)
        x, y and z on the plate, and the way that each place stands for, mm.
    """

    bridges: Floats
    overhangs: Floats


def hanging_of(sliced: Sliced, job: Job = UNWATCHED) -> Hanging:
    """Find the bridges of 3 mm and more of a sliced file, and walls that lean by more than 45°.

    Parameters
    ----------
    sliced : Sliced
        The file, planned.
    job : Job
        Told the share that is done; stops the work between layers.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    bridges: list[Floats] = []
    overhangs: list[Floats] = []
    last = sliced.path.layers - 1
    layers = np.unique(np.linspace(1, last, min(MOST_LAYERS, max(0, last))).astype(int))
    for number, layer in enumerate(layers.tolist()):
        job.check()
        job.tell(number / len(layers))
        bridge, overhang, stride = _of_layer(sliced, layer)
        z = float(sliced.path.layer_z[layer])
        for found, places in ((bridges, bridge), (overhangs, overhang)):
            found.append(np.column_stack([places, np.tile([z, stride], (len(places), 1))]))
    none = [np.zeros((0, 4))]
    return Hanging(np.concatenate(bridges or none), np.concatenate(overhangs or none))


def _of_layer(sliced: Sliced, layer: int) -> tuple[Floats, Floats, float]:
    """Return the places of a layer on bridges and on overhangs, and how far apart they are."""
    # What is printed to be broken off carries as well as the piece does.
    over = over_layer(sliced, layer, {Feature.SUPPORT, Feature.SUPPORT_INTERFACE, Feature.RAFT})
    if over is None:
        return np.zeros((0, 2)), np.zeros((0, 2)), 0.0
    here, below, beside, height = over
    # Places between two points below lie up to half a step beside them.
    beside = np.sqrt(np.maximum(0.0, beside**2 - (below.stride / 2) ** 2))
    out = beside > height * math.tan(math.radians(STEEP_DEG))
    leaning = here.wall & out & (beside <= 2 * USUAL_WIDTH_MM)
    free = (beside > USUAL_WIDTH_MM) & ~here.sparse
    if free.any():
        free &= ~_over_material(below, here.place)
    bridge = _long_enough(here, free)
    return here.place[bridge], here.place[leaning & ~bridge], here.stride


def _long_enough(here: Points, free: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return the places of ways in the air that are long enough for a bridge."""
    run, step = free_runs(here, free)
    length = np.bincount(run, step)
    found: NDArray[np.bool_] = free & ((length + 2 * here.stride)[run] >= SHORT_BRIDGE_MM) & (length[run] > 0)
    return found


def _over_material(below: Points, places: Floats) -> NDArray[np.bool_]:
    """Return which places lie over the inside of the piece: between walls that hold infill."""
    from scipy.ndimage import binary_dilation, label

    every = np.concatenate([below.place, places])
    low = every.min(axis=0) - 2 * CELL_MM
    # A coarser grid for a large plate, so that memory stays bounded.
    size = max(CELL_MM, math.sqrt(float(np.prod(every.max(axis=0) - low + 2 * CELL_MM)) / MOST_CELLS))
    shape = tuple((np.ceil((every.max(axis=0) - low) / size).astype(int) + 3).tolist())
    walls = np.zeros(shape, bool)
    walls[_cells(below.place[below.wall], low, size)] = True
    parts, count = label(~binary_dilation(walls))
    if not count:
        return np.zeros(len(places), bool)
    inside = np.bincount(parts[_cells(below.place[~below.wall], low, size)], minlength=count + 1) > 0
    # Neither the walls themselves nor what lies around the piece is inside.
    inside[[0, int(parts[0, 0])]] = False
    found: NDArray[np.bool_] = inside[parts[_cells(places, low, size)]]
    return found


def _cells(places: Floats, low: Floats, size: float) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    x, y = ((places - low) / size).astype(np.int64).T
    return x, y
