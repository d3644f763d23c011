"""Where straight lines go, and places along them, close together."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats


def places_along(
    begin: Floats, end: Floats, step_mm: float, most: int, offset: float = 0.0
) -> tuple[Floats, NDArray[np.int64], float]:
    """Return places along some lines.

    Parameters
    ----------
    begin, end : numpy.ndarray, shape (lines, 2)
        mm.
    step_mm : float
        Between two places of a line at most.
    most : int
        About so many places at most; the step grows for it.
    offset : float
        Where in its step each place lies: 0 for its begin, 0.5 for its middle.

    Returns
    -------
    (numpy.ndarray, shape (places, 2)), (numpy.ndarray, shape (places,)), float
        The places, the line that each is of, and the step in mm.
    """
    length = np.hypot(*(end - begin).T)
    # Coarser on long paths rather than cut off: every part of a layer has to be looked at.
    step = max(step_mm, float(length.sum()) / most)
    count = np.maximum(1, np.ceil(length / step)).astype(np.int64)
    line = np.repeat(np.arange(len(count)), count)
    share = (np.arange(len(line)) - np.repeat(np.cumsum(count) - count, count) + offset) / count[line]
    return begin[line] + (end - begin)[line] * share[:, None], line, step


def directions_of(begin: Floats, end: Floats) -> Floats:
    """Return the direction of each line, of length one; zero for a line that goes nowhere.

    Parameters
    ----------
    begin, end : numpy.ndarray, shape (lines, 2)
        mm.
    """
    way = end - begin
    length = np.hypot(*way.T)[:, None]
    found: Floats = np.divide(way, length, out=np.zeros_like(way), where=length > 0)
    return found
