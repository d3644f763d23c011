"""How the outer walls of a sliced file are printed."""

from __future__ import annotations

import math
from collections import Counter

import numpy as np

from oddtwin.core.toolpath.gcode import Feature, Toolpath


def outer_wall_motion(path: Toolpath) -> tuple[float | None, float | None]:
    """Return the speed (mm/s) and the acceleration (mm/s²) that most of the outer walls are printed with.

    Parameters
    ----------
    path : Toolpath
        Of the file.

    Returns
    -------
    (float or None, float or None)
        None where the file names no outer walls, or no acceleration.
    """
    walls = path.lays(features={Feature.OUTER_WALL})
    if not walls.any():
        return None, None
    length = path.length[walls]
    speed = path.feed[walls] * path.per_move("speed_factor")[walls]
    return _most(speed, length), _most(path.per_move("print_acceleration")[walls], length)


def _most(values: np.ndarray, weights: np.ndarray) -> float | None:
    """Return the value along most of the way; None where most of it has none."""
    way: Counter[float | None] = Counter()
    for value, weight in zip(values.tolist(), weights.tolist(), strict=True):
        way[None if math.isnan(value) else round(value, 3)] += weight
    return way.most_common(1)[0][0]
