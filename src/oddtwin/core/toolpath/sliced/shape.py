"""The steepest overhang and the longest bridge, estimated from the layers.

Every place of a layer is compared with the nearest place where the layer below lays
filament. A wall that leans by an angle α from the vertical lies h·tan α beside the one
below it, h being the layer's height; what lies farther out than two lines hangs in the air.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.toolpath.gcode import FEATURES, WALLS, WASTE, Feature
from oddtwin.core.toolpath.sliced.along import directions_of, places_along
from oddtwin.core.toolpath.sliced.figures import Sliced

STEP_MM: Final = 0.3
MOST_LAYERS: Final = 40
MOST_GROWN: Final = 12
MOST_POINTS: Final = 12_000
FARTHEST_MM: Final = 3.0
USUAL_WIDTH_MM: Final = 0.45
SHORT_BRIDGE_MM: Final = 3.0
"""Under a longer one the walls of a layer tell nothing about an overhang."""
TURN: Final = 0.5
"""Cosine of a turn that ends a bridge."""
SHARE: Final = 0.98


@dataclass(frozen=True, slots=True)
class Shape:
    """Estimates: degrees from the vertical, at which height; longest bridge in mm, at which height."""

    overhang_deg: float = 0.0
    overhang_z: float = 0.0
    bridge_mm: float = 0.0
    bridge_z: float = 0.0


@dataclass(frozen=True, slots=True)
class Points:
    """Places along the lines of a layer, ``stride`` mm apart; ``run`` numbers what is laid in one go."""

    place: Floats
    direction: Floats
    run: NDArray[np.int64]
    wall: NDArray[np.bool_]
    sparse: NDArray[np.bool_]
    stride: float


class Over(NamedTuple):
    """A layer over the one below: its places, how far beside those below each lies, and its height, mm."""

    here: Points
    below: Points
    beside: Floats
    height: float


def over_layer(sliced: Sliced, layer: int, also: Collection[Feature] = ()) -> Over | None:
    """Return how a layer lies over the one below; None where one of them is empty, or it is no higher.

    Parameters
    ----------
    sliced : Sliced
        The file, planned.
    layer : int
        From 1.
    also : collection of Feature
        What carries besides, such as supports.
    """
    from scipy.spatial import cKDTree

    below, here = _points_of(sliced, layer - 1, also), _points_of(sliced, layer)
    height = float(sliced.path.layer_z[layer] - sliced.path.layer_z[layer - 1])
    if not len(below.place) or not len(here.place) or height <= 0:
        return None
    # Farther than that nothing carries it anyway, and the search stays quick.
    beside = np.asarray(cKDTree(below.place).query(here.place, distance_upper_bound=FARTHEST_MM)[0])
    return Over(here, below, beside, height)


def shape_of(sliced: Sliced, job: Job = UNWATCHED) -> Shape:
    """Estimate the steepest overhang and the longest bridge of a sliced file.

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
    best = Shape()
    for layer in _looked_at(sliced):
        job.check()
        over = over_layer(sliced, layer)
        if over is not None:
            best = _worse(best, over, float(sliced.path.layer_z[layer]))
    return best


def _looked_at(sliced: Sliced) -> list[int]:
    """Return layers from bottom to top, and those that are likely to begin in the air."""
    path = sliced.path
    if path.layers < 2:
        return []
    even = np.linspace(1, path.layers - 1, min(MOST_LAYERS, path.layers - 1)).astype(int)
    # A bridge lies in one layer, between two of those: most is laid anew where it begins.
    laid = np.add.reduceat(np.where(path.lays(), path.length, 0.0), path.layer_start)
    grown = 1 + np.argsort(-np.diff(laid), kind="stable")[:MOST_GROWN]
    return sorted({*even.tolist(), *grown.tolist()})


def _points_of(sliced: Sliced, layer: int, also: Collection[Feature] = ()) -> Points:
    """Return places about every `STEP_MM` along what stays on the part in a layer.

    Parameters
    ----------
    sliced : Sliced
        The file, planned.
    layer : int
        From 0.
    also : collection of Feature
        What counts besides, such as supports.
    """
    path = sliced.path
    span = path.span(layer)
    feature = np.array([state.feature for state in path.states])[path.state[span]]
    laid = path.lays(span, (set(FEATURES) - WASTE) | set(also))
    begin = np.column_stack([path.start("x", span), path.start("y", span)])[laid]
    end = np.column_stack([path.x[span], path.y[span]])[laid]
    place, move, stride = places_along(begin, end, STEP_MM, MOST_POINTS, offset=0.5)
    direction = directions_of(begin, end)[move]
    number = np.flatnonzero(laid)
    parted: NDArray[np.int64] = np.cumsum(np.diff(number, prepend=-9) > 1, dtype=np.int64)
    walls = [FEATURES.index(name) for name in (WALLS | {Feature.UNNAMED})]
    wall = np.asarray(np.isin(feature[laid], walls))[move]
    sparse = (feature[laid] == FEATURES.index(Feature.INFILL))[move]
    return Points(place, direction, parted.take(move), wall, sparse, stride)


def _worse(best: Shape, over: Over, z: float) -> Shape:
    """Return the worse of what is known and what one layer shows."""
    here, beside, height = over.here, over.beside, over.height
    angle, angle_z, bridge, bridge_z = best.overhang_deg, best.overhang_z, best.bridge_mm, best.bridge_z
    longest = _longest_free(here, beside)
    if longest > bridge:
        bridge, bridge_z = longest, z
    leaning = beside[here.wall & (beside <= 2 * USUAL_WIDTH_MM)]
    if len(leaning) > 3 and longest < SHORT_BRIDGE_MM:
        # Places between two points below lie up to half a step beside them.
        out = float(np.sqrt(max(0.0, np.quantile(leaning, SHARE) ** 2 - (here.stride / 2) ** 2)))
        found = float(np.degrees(np.arctan2(out, height)))
        if found > angle:
            angle, angle_z = found, z
    return Shape(angle, angle_z, bridge, bridge_z)


def free_runs(here: Points, free: NDArray[np.bool_]) -> tuple[NDArray[np.int64], Floats]:
    """Return which straight way each place is on, and how far it lies from the place before it there.

    Parameters
    ----------
    here : Points
        Of a layer.
    free : array of bool of shape (places,)
        Which lie in the air; ways end where that changes, and the step to a place that does not is 0.
    """
    # A bridge is laid straight across; where the line turns in the air it hangs on something else.
    turns = (here.direction[1:] * here.direction[:-1]).sum(axis=1) < TURN
    breaks = np.concatenate(([True], turns | (here.run[1:] != here.run[:-1]) | (free[1:] != free[:-1])))
    step = np.concatenate(([0.0], np.hypot(*np.diff(here.place, axis=0).T)))
    step[breaks] = 0.0
    return np.cumsum(breaks) - 1, np.where(free, step, 0.0)


def _longest_free(here: Points, beside: Floats) -> float:
    """Return the longest way that is laid in the air in one direction, mm; sparse infill does not count."""
    free = (beside > USUAL_WIDTH_MM) & ~here.sparse
    if not free.any():
        return 0.0
    longest = float(np.bincount(*free_runs(here, free)).max())
    # From the last place that is carried to the next one.
    return longest + 2 * here.stride if longest else 0.0
