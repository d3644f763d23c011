"""Where a figure was found, to be drawn over its region."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats


@dataclass(frozen=True, slots=True)
class Trace:
    """Lines and places that a figure was read from, px from the region's left upper corner.

    Parameters
    ----------
    lines : tuple of arrays of shape (points, 2)
        Places x and y along each line.
    places : array of bool of shape (height, width), optional
        Which pixels of the region were counted.
    """

    lines: tuple[Floats, ...] = ()
    places: NDArray[np.bool_] | None = None

    def turned(self) -> Trace:
        """Return it for the region with its two axes changed over."""
        return Trace(
            tuple(line[:, ::-1] for line in self.lines), None if self.places is None else self.places.T
        )


def along(x: Floats, y: Floats) -> Floats:
    """Return a line through places x and y; shape (points, 2)."""
    return np.stack([x, y], axis=1).astype(np.float64)
