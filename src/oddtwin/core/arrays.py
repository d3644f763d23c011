"""Types of figures that all of core shares."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
"""Numbers; the shape stands where it is used."""

Interval = tuple[float, float]
"""Lower and upper end, in the unit of the figure."""
