"""Round numbers along an axis."""

from __future__ import annotations

import math


def nice_ticks(low: float, high: float, most: int = 8) -> list[float]:
    """Return round numbers inside a range: steps of 1, 2 or 5 times a power of ten.

    Parameters
    ----------
    low, high : float
        Ends of the range.
    most : int
        How many steps at most.
    """
    # A figure that never differs spans nothing, and still has to be drawn.
    span = max(high - low, 1e-12)
    step = 10.0 ** math.floor(math.log10(span / most))
    step *= next(times for times in (1, 2, 5, 10) if span / (step * times) <= most)
    first, last = math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9)
    return [index * step for index in range(first, last + 1)]
