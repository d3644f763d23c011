"""Axes: where values lie in pixels, and round numbers along them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple


class Axis(NamedTuple):
    """Where values lie, in pixels, between the ends of a range."""

    low: float
    high: float
    begin: float
    end: float

    def at(self, value: float) -> float:
        """Return the pixel of a value."""
        return self.begin + (value - self.low) / (self.high - self.low) * (self.end - self.begin)


def axis_of(values: Sequence[float], begin: float, end: float) -> Axis:
    """Return the axis that holds some values, with a little room beyond both ends.

    Parameters
    ----------
    values : sequence of float
        One at least.
    begin, end : float
        Pixels of the low and the high end.
    """
    low, high = min(values), max(values)
    # Figures that never differ span nothing, and still have to be drawn.
    pad = max((high - low) * 0.08, abs(high) * 0.01, 1e-9)
    return Axis(low - pad, high + pad, begin, end)


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
