"""Permutation tests of a mean difference: what dealing the labels anew would give."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats

MOST_ARRANGEMENTS: Final = 20_000
"""Up to this many arrangements all are counted; beyond it this many are drawn."""

MOST_KEYS: Final = 4_000_000
"""Random keys held at a time."""

_BITS: Final = np.unpackbits(np.arange(256, dtype=np.uint8)[:, None], axis=1, bitorder="little").astype(float)

TIE: Final = 1e-9
"""Sums closer than this share of the largest possible sum count as equal."""


@dataclass(frozen=True, slots=True)
class PermutationTest:
    """Result of a two-sided permutation test.

    Parameters
    ----------
    p : float
        Share of arrangements with a difference at least as large, either way. Drawn
        arrangements count the observed one in: (hits + 1) / (draws + 1), after
        Phipson & Smyth (2010), from memory.
    arrangements : int
        How many arrangements were looked at.
    exact : bool
        Whether these were all there are.
    """

    p: float
    arrangements: int
    exact: bool


def sign_flip_test(differences: Floats, rng: np.random.Generator, largest: float = 0.0) -> PermutationTest:
    """Test pairs by swapping the two arms inside each pair.

    Parameters
    ----------
    differences : array of shape (pairs,)
        Change minus baseline for each pair; at least one.
    rng : numpy.random.Generator
        Used only where there are more than 20 000 arrangements.
    largest : float
        Largest size of the values behind the differences, in their unit: their last digits are
        rounding, and sums that differ by no more are ties.

    Notes
    -----
    Fisher (1935), The Design of Experiments, section 21; from memory.
    """
    n = len(differences)
    exact = 2**n <= MOST_ARRANGEMENTS
    arrangements = 2**n if exact else MOST_ARRANGEMENTS
    # The bits of a counter are every pattern of signs once; little-endian whatever the machine, so that
    # byte 0 holds the first eight pairs.
    numbers = np.arange(arrangements, dtype="<u4").view(np.uint8).reshape(-1, 4)
    total = float(differences.sum())
    sums = np.full(arrangements, total)
    # Eight pairs at a time: what flipping them takes off the sum, looked up by their byte.
    for place in range((n + 7) // 8):
        eight = np.zeros(8)
        some = differences[8 * place : 8 * place + 8]
        eight[: len(some)] = some
        drawn = np.frombuffer(rng.bytes(arrangements), dtype=np.uint8) if not exact else numbers[:, place]
        sums -= (2 * (_BITS @ eight))[drawn]
    tie = _tie(float(np.abs(differences).sum()), largest, 2 * n)
    return _counted(np.abs(sums), abs(total), tie, exact)


def reallocation_test(baseline: Floats, change: Floats, rng: np.random.Generator) -> PermutationTest:
    """Test unpaired prints by dealing all values out to the two arms anew.

    Parameters
    ----------
    baseline, change : array of shape (prints,)
        Values of the prints of each arm; at least one in each.
    rng : numpy.random.Generator
        Used only where there are more than 20 000 arrangements.

    Notes
    -----
    Two-sided by the absolute difference of means, as exact one-way tests do.
    """
    pooled = np.concatenate([baseline, change])
    largest = float(np.abs(pooled).max())
    # Without their mean the sums stay small, and lose no digits to the size of the values.
    pooled = pooled - pooled.mean()
    n, k = len(pooled), len(change)
    exact = math.comb(n, k) <= MOST_ARRANGEMENTS
    sums = pooled[_subsets(n, k)].sum(axis=1) if exact else _drawn_sums(pooled, k, rng)
    # The pooled values sum to zero, so the difference of means is sum·(1/k + 1/(n-k)).
    observed = abs(float(pooled[len(baseline) :].sum()))
    return _counted(np.abs(sums), observed, _tie(float(np.abs(pooled).sum()), largest, n), exact)


def _drawn_sums(pooled: Floats, k: int, rng: np.random.Generator) -> Floats:
    """Sums of k values drawn anew for each arrangement, a block of arrangements at a time."""
    n = len(pooled)
    block = max(1, MOST_KEYS // n)
    sums = []
    for start in range(0, MOST_ARRANGEMENTS, block):
        rows = min(block, MOST_ARRANGEMENTS - start)
        # The k smallest of n random keys are a random subset; partitioning is linear where a shuffle a row
        # is not.
        keys = rng.random((rows, n), dtype=np.float32)
        sums.append(pooled[np.argpartition(keys, k - 1, axis=1)[:, :k]].sum(axis=1))
    return np.concatenate(sums)


@lru_cache(maxsize=8)
def _subsets(n: int, k: int) -> NDArray[np.intp]:
    chosen = np.array(list(combinations(range(n), k)), dtype=np.intp)
    # It is kept for the next comparison, which must find it as it is.
    chosen.flags.writeable = False
    return chosen


def _tie(scale: float, largest: float, values: int) -> float:
    """Return how close two sums are ties: a share of the largest sum, and the rounding of the values."""
    return max(TIE * scale, float(np.finfo(np.float64).eps) * largest * values)


def _counted(sums: Floats, observed: float, tie: float, exact: bool) -> PermutationTest:
    hits = int(np.count_nonzero(sums >= observed - tie))
    # All arrangements include the one that was observed, so that p is never zero.
    if exact:
        return PermutationTest(hits / len(sums), len(sums), True)
    # Of drawn arrangements the observed one is counted besides; without it p would be too small (Phipson
    # and Smyth 2010, from memory).
    return PermutationTest((hits + 1) / (len(sums) + 1), len(sums), False)
