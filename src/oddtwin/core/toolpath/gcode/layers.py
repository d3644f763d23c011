"""Where each layer begins: by the file's own marks, or by height."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.toolpath.gcode.features import tight

Ints = NDArray[np.int64]

SAME_HEIGHT_MM: Final = 0.04
"""Layers are farther apart than this."""
HIGHEST_LAYER_MM: Final = 1.2
USUAL_LAYER_MM: Final = 0.2
LAYER_COUNTS: Final = frozenset(
    {
        "layer count",
        "layers count",
        "total layers",
        "total layers count",
        "number of layers",
        "total layer number",
        "total layer count",
    }
)


def find_layers(
    z: Floats, printing: NDArray[np.bool_], marks: Mapping[str, list[int]], settings: Mapping[str, str]
) -> tuple[Ints, Floats]:
    """Return the first move and the height of every layer.

    Parameters
    ----------
    z : numpy.ndarray, shape (moves,)
        Heights, mm.
    printing : numpy.ndarray of bool, shape (moves,)
        Which moves lay filament.
    marks : mapping
        For each way of marking a layer, the moves before which it stands; the
        way that occurs most often counts.
    settings : mapping
        Of the file: the layer height splits a spiral.
    """
    # Files write several styles of marks, some of them only at the beginning; the most frequent one is
    # meant.
    best = max(marks.values(), key=len, default=[])
    laid = np.flatnonzero(printing)
    starts = np.unique(np.array(best, np.int64)) if len(best) > 1 else _by_height(z, laid, settings)
    # A layer in which nothing is laid is none.
    held = np.searchsorted(laid, np.append(starts, len(z)))
    starts = starts[np.diff(held) > 0]
    if not len(starts):
        starts = laid[:1]
    last = laid[np.searchsorted(laid, np.append(starts[1:], len(z))) - 1]
    return starts, z[last]


def _by_height(z: Floats, laid: Ints, settings: Mapping[str, str]) -> Ints:
    heights = z[laid]
    fresh = np.abs(np.diff(heights, prepend=-1.0)) > SAME_HEIGHT_MM
    starts = laid[fresh]
    rise = float(heights.max() - heights.min())
    # Rising all the time, as a vase does: no height comes twice, and the layers are cut at even steps.
    if rise > HIGHEST_LAYER_MM * len(starts):
        step = _layer_height(settings)
        turn = np.floor((heights - heights.min() + 1e-6) / step)
        starts = laid[np.diff(turn, prepend=-1.0) > 0]
    # A layer begins with the travel to it.
    before = np.concatenate(([-1], laid))[np.searchsorted(laid, starts)] + 1
    return np.asarray(before)


def _layer_height(settings: Mapping[str, str]) -> float:
    try:
        height = float(settings.get("layer_height", settings.get("Layer height", "")).rstrip(" m"))
    except ValueError:
        return USUAL_LAYER_MM
    return height if 0.01 < height < HIGHEST_LAYER_MM else USUAL_LAYER_MM


def cut_off(settings: Mapping[str, str], layers: int) -> list[str]:
    """Return a note where a file says that it has more layers than there are."""
    for key, value in settings.items():
        if tight(key) in LAYER_COUNTS and value.isdigit() and int(value[:7]) > layers + 1:
            return [
                tr(
                    "The file says that it has {value} layers, but holds {layers}: it may have been cut off.",
                    value=value[:7],
                    layers=layers,
                )
            ]
    return []
