"""Cliff's delta: how often a print of one arm is graded above one of the other."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from oddtwin.core.arrays import Floats


@dataclass(frozen=True, slots=True)
class CliffsDelta:
    """Cliff's delta with its 95 % interval.

    Parameters
    ----------
    delta : float
        P(change above baseline) − P(change below baseline), −1 to 1.
    ci95 : tuple of float, or None
        None where an arm has fewer than two prints.
    """

    delta: float
    ci95: tuple[float, float] | None


def cliffs_delta(baseline: Floats, change: Floats) -> CliffsDelta:
    """Compute Cliff's delta of unpaired values.

    Parameters
    ----------
    baseline, change : array of shape (prints,)
        Grades of the prints of each arm; at least one in each.

    Notes
    -----
    Unbiased variance and asymmetric interval of Cliff (1993), Psychol. Bull.
    114:494, with the t quantile at m + n − 2 degrees of freedom; where the arms do
    not overlap at all, the bound (k − t²)/(k + t²) with k the smaller arm, after Feng
    & Cliff (2004). Both from memory.
    """
    from scipy.special import stdtrit

    m, n = len(change), len(baseline)
    above, below = _dominance(change, baseline), _dominance(baseline, change)
    delta = float(above.sum()) / (m * n)
    if min(m, n) < 2:
        return CliffsDelta(delta, None)
    t = float(stdtrit(m + n - 2, 0.975))
    if abs(delta) == 1:
        bound = max(-1.0, (min(m, n) - t * t) / (min(m, n) + t * t))
        return CliffsDelta(delta, (bound, 1.0) if delta > 0 else (-1.0, -bound))
    rows = float(np.sum((above / n - delta) ** 2))
    columns = float(np.sum((-below / m - delta) ** 2))
    # Every cell is −1, 0 or 1, so its square is 1 where the two prints differ.
    cells = m * n * (1 - delta**2) - _ties(change, baseline)
    variance = (n * n * rows + m * m * columns - cells) / (m * n * (m - 1) * (n - 1))
    variance = max(variance, (1 - delta**2) / (m * n - 1))
    spread = t * math.sqrt(variance) * math.sqrt((1 - delta**2) ** 2 + t * t * variance)
    scale = 1 - delta**2 + t * t * variance
    centre = delta - delta**3
    return CliffsDelta(delta, (max(-1.0, (centre - spread) / scale), min(1.0, (centre + spread) / scale)))


def _dominance(values: Floats, others: Floats) -> Floats:
    """Count, for each value, the others below it less the others above it."""
    ordered = np.sort(others)
    below = np.searchsorted(ordered, values, side="left")
    above = len(others) - np.searchsorted(ordered, values, side="right")
    counted: Floats = (below - above).astype(np.float64)
    return counted


def _ties(values: Floats, others: Floats) -> int:
    """Count the pairs of a value and another that are equal."""
    ordered = np.sort(others)
    first, last = (np.searchsorted(ordered, values, side=side) for side in ("left", "right"))
    return int((last - first).sum())
