"""Values that lie far from their like: pointed at, never dropped."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from oddtwin.core.arrays import Floats

FEWEST = 4
"""Values below which one of them may lie anywhere."""


def grubbs_edge(count: int, alpha: float = 0.05) -> float:
    """Return how many standard deviations the farthest of some values lies off their mean by luck.

    Parameters
    ----------
    count : int
        Values, three or more.
    alpha : float
        Two-sided chance of a farther one.

    Returns
    -------
    float
        Grubbs 1969 (ISO 5725-2; from memory).
    """
    from scipy.special import stdtrit

    t = float(stdtrit(count - 2, 1 - alpha / (2 * count)))
    return (count - 1) / math.sqrt(count) * math.sqrt(t**2 / (count - 2 + t**2))


def cochran_edge(groups: int, size: int, alpha: float = 0.05) -> float:
    """Return what share of all variances the largest has by luck.

    Parameters
    ----------
    groups, size : int
        Groups, and values in each; two or more.
    alpha : float
        Chance of a larger one.

    Returns
    -------
    float
        Cochran 1941 (ISO 5725-2; from memory).
    """
    from scipy.special import fdtri

    edge = float(fdtri(size - 1, (groups - 1) * (size - 1), 1 - alpha / groups))
    return 1 / (1 + (groups - 1) / edge)


def farthest(values: Floats) -> int | None:
    """Return which of some values lies too far off; None where none does.

    Parameters
    ----------
    values : array of shape (values,)
        In any unit.
    """
    if len(values) < FEWEST:
        return None
    sd = float(np.std(values, ddof=1))
    off = np.abs(values - values.mean())
    place = int(off.argmax())
    return place if sd > 0 and float(off[place]) / sd > grubbs_edge(len(values)) else None


def widest(groups: Sequence[Sequence[float]]) -> int | None:
    """Return which of some groups scatters too much; None where none does, or they are not of one size.

    Parameters
    ----------
    groups : sequence of sequences of float
        In any unit.
    """
    sizes = {len(group) for group in groups}
    if len(groups) < 3 or len(sizes) != 1 or min(sizes) < 2:
        return None
    variances = np.array([np.var(group, ddof=1) for group in groups])
    place, total = int(variances.argmax()), float(variances.sum())
    large = total > 0 and float(variances[place]) / total > cochran_edge(len(groups), min(sizes))
    return place if large else None
