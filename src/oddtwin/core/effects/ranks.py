"""How often the prints of one group beat those of another, when nothing was changed."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats

MOST_EXACT: Final = 120
"""Prints of both groups together up to which the distribution is counted out."""


def chance_of_wins(wins: int, n_baseline: int, n_change: int) -> float:
    """Return the chance that one group wins so few of the comparisons with the other, or fewer.

    Parameters
    ----------
    wins : int
        Of all n_baseline × n_change comparisons between prints of either group.
    n_baseline, n_change : int
        Prints of each group, one or more.

    Returns
    -------
    float
        By the exact distribution of Mann and Whitney without ties; of more than 120 prints by the
        normal one.
    """
    from scipy.special import ndtr

    product, total = n_baseline * n_change, n_baseline + n_change
    if wins >= product:
        return 1.0
    if total > MOST_EXACT:
        return float(ndtr((wins + 0.5 - product / 2) / math.sqrt(product * (total + 1) / 12)))
    return float(_below(*sorted((n_baseline, n_change)))[wins]) if wins >= 0 else 0.0


def wins_allowed(n_baseline: int, n_change: int, tail: float) -> int:
    """Return the rank, from 1 on, of the ordered difference that ends an interval.

    Parameters
    ----------
    n_baseline, n_change : int
        Prints of each group.
    tail : float
        Chance that may lie beyond each end, such as 0.025.

    Returns
    -------
    int
        0 where so few prints give no end (Hollander and Wolfe; from memory).
    """
    from scipy.special import ndtri

    product, total = n_baseline * n_change, n_baseline + n_change
    if total > MOST_EXACT:
        sd = math.sqrt(product * (total + 1) / 12)
        return max(0, math.floor(product / 2 + 0.5 + float(ndtri(tail)) * sd))
    return int(np.sum(_below(*sorted((n_baseline, n_change))) <= tail))


@lru_cache(maxsize=512)
def _below(fewer: int, more: int) -> Floats:
    """Return the chance of each number of wins or fewer, of shape (fewer × more + 1,)."""
    # The numbers of ways are the coefficients of a Gaussian binomial: a product of factors
    # (1 − q^(more + i)) / (1 − q^i).
    counts = np.zeros(fewer * more + 1)
    counts[0] = 1.0
    for i in range(1, fewer + 1):
        counts[more + i :] -= counts[: -(more + i)].copy() if more + i <= fewer * more else 0.0
        for start in range(i, len(counts)):
            counts[start] += counts[start - i]
    below: Floats = np.cumsum(counts) / counts.sum()
    return below
