"""Exact rank tests for grades, and the intervals that agree with them."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.effects.noise import SMALLEST

MOST_EXACT_WORK: Final = 30_000_000
"""Elementary steps up to which a rank-sum null distribution is counted out."""

MOST_EXACT_PAIRS: Final = 1000
"""Pairs up to which sign patterns are counted out; more would overflow the counts."""

MOST_REMEMBERED: Final = 30
"""Prints up to which a null distribution is kept for the next test; larger ones take much memory."""

MOST_COMPARED: Final = 1_000_000
"""Comparisons of values that are held at a time."""

MOST_SCANNED: Final = 25
"""Pairs or prints up to which every shift is tried for an interval; beyond, the ends are searched."""

OPEN_END: Final = 1e-9
"""An end of an interval that is itself rejected lies this much further in."""


@dataclass(frozen=True, slots=True)
class RankTest:
    """One-sided and two-sided p values of a rank test.

    Parameters
    ----------
    p_greater, p_less, p_two_sided : float
        For a change larger than, smaller than and different from the baseline.
    exact : bool
        Whether the null distribution was counted out rather than approximated.
    """

    p_greater: float
    p_less: float
    p_two_sided: float
    exact: bool = True


def signed_rank(differences: Floats) -> RankTest:
    """Test pairs by Wilcoxon's signed ranks with Pratt's treatment of zeros.

    Parameters
    ----------
    differences : array of shape (pairs,)
        Change minus baseline for each pair; ties and zeros allowed.

    Returns
    -------
    RankTest
        Exact conditional on ties: all sign patterns of the differences that are not
        zero, by convolution; beyond 1 000 pairs the normal approximation. Pratt (1959),
        JASA 54:655; from memory.
    """
    return signed_ranks(differences, np.zeros(1))[0]


def signed_ranks(differences: Floats, shifts: Floats) -> list[RankTest]:
    """Test pairs as ``signed_rank`` does, with each of some shifts taken off their differences.

    Parameters
    ----------
    differences : array of shape (pairs,)
        Change minus baseline for each pair.
    shifts : array of shape (shifts,)
        In the same unit.
    """
    found = []
    for some in _batches(shifts, len(differences)):
        whole = _wholes(differences - some[:, None])
        ranks = _doubled_ranks(np.abs(whole))
        ranks[whole == 0] = 0
        positive = np.where(whole > 0, ranks, 0).sum(axis=1)
        for row, observed in zip(np.sort(ranks, axis=1).tolist(), positive.tolist(), strict=True):
            kept = tuple(row[row.count(0) :])
            if len(kept) > MOST_EXACT_PAIRS:
                sd = math.sqrt(sum(rank * rank for rank in kept)) / 2
                found.append(_normal_tails(observed, sum(kept) / 2, sd))
            else:
                found.append(_of_signs(kept).at(observed))
    return found


def rank_sum(baseline: Floats, change: Floats) -> RankTest:
    """Test unpaired prints by the rank sum with mid-ranks for ties.

    Parameters
    ----------
    baseline, change : array of shape (prints,)
        Values of the prints of each arm; at least one in each.

    Returns
    -------
    RankTest
        The exact conditional permutation distribution up to about 60 prints; beyond
        that the normal approximation with tie correction. Two-sided by the absolute
        deviation from the mean rank sum.
    """
    return rank_sums(baseline, change, np.zeros(1))[0]


def rank_sums(baseline: Floats, change: Floats, shifts: Floats) -> list[RankTest]:
    """Test unpaired prints as ``rank_sum`` does, with each of some shifts taken off the change.

    Parameters
    ----------
    baseline, change : array of shape (prints,)
        Values of the prints of each arm.
    shifts : array of shape (shifts,)
        In the same unit.
    """
    n, k = len(baseline) + len(change), len(change)
    found = []
    for some in _batches(shifts, n):
        base = np.broadcast_to(baseline, (len(some), n - k))
        ranks = _doubled_ranks(_wholes(np.concatenate([base, change - some[:, None]], axis=1)))
        observed = ranks[:, n - k :].sum(axis=1)
        for row, own in zip(np.sort(ranks, axis=1).tolist(), observed.tolist(), strict=True):
            if n * k * sum(row) > MOST_EXACT_WORK:
                sd = math.sqrt(k * (n - k) / n * float(np.var(row, ddof=1)))
                found.append(_normal_tails(own, k * (n + 1.0), sd))
            else:
                found.append(_of_sums(tuple(row), k).at(own))
    return found


@dataclass(frozen=True, slots=True)
class _Null:
    """p values by the observed sum of doubled ranks, each of shape (sums,)."""

    greater: Floats
    less: Floats
    two_sided: Floats

    def at(self, observed: int) -> RankTest:
        return RankTest(
            float(self.greater[observed]), float(self.less[observed]), float(self.two_sided[observed])
        )


def _of_signs(ranks: tuple[int, ...]) -> _Null:
    """Return the null distribution of the sum of the positive ranks."""
    return _signs(ranks) if len(ranks) <= MOST_REMEMBERED else _signs.__wrapped__(ranks)


def _of_sums(ranks: tuple[int, ...], k: int) -> _Null:
    """Return the null distribution of the sum of k of the ranks."""
    return _sums(ranks, k) if len(ranks) <= MOST_REMEMBERED else _sums.__wrapped__(ranks, k)


@lru_cache(maxsize=1 << 11)
def _signs(ranks: tuple[int, ...]) -> _Null:
    # Every rank comes in with a plus or not: adding one shifts the counts of all sums so far by it.
    # Floating point holds the counts, which reach 2 to the number of pairs.
    counts = np.zeros(sum(ranks) + 1)
    counts[0] = 1.0
    reach = 0
    for rank in ranks:
        # A copy, because source and target overlap, and a rank must not be added twice.
        counts[rank : reach + rank + 1] += counts[: reach + 1].copy()
        reach += rank
    return _tails(counts, sum(ranks))


@lru_cache(maxsize=1 << 11)
def _sums(ranks: tuple[int, ...], k: int) -> _Null:
    # Row by row how many values are chosen, column by column their sum; only the row of k is wanted at
    # the end.
    counts = np.zeros((k + 1, sum(ranks) + 1))
    counts[0, 0] = 1.0
    for rank in ranks:
        counts[1:, rank:] += counts[:-1, : counts.shape[1] - rank].copy()
    return _tails(counts[k], 2 * k * (len(ranks) + 1))


def _tails(counts: Floats, twice_mean: int) -> _Null:
    """Return the p values of every sum from how often it comes up; counts of few prints are exact."""
    total = counts.sum()
    below = np.cumsum(counts)
    # As far out on either side: doubling the smaller tail would be wrong where ties make the two unlike.
    distance = np.abs(2 * np.arange(len(counts)) - twice_mean)
    by_distance = np.bincount(distance, counts)
    as_far = np.cumsum(by_distance[::-1])[::-1][distance]
    return _Null(
        np.minimum((total - below + counts) / total, 1.0),
        np.minimum(below / total, 1.0),
        np.minimum(as_far / total, 1.0),
    )


def shift_intervals(
    tests: Callable[[Floats], Sequence[RankTest]], shifts: Floats, estimate: float, n: int
) -> tuple[Interval, Interval]:
    """Find the shifts that a rank test does not reject at 95 % and at 90 %.

    Parameters
    ----------
    tests : callable
        Takes shifts, in the response's unit, and tests the data with each of them taken
        off the change.
    shifts : array of shape (candidates,)
        Where the p value can step: Walsh averages of pair differences, or all
        differences between prints of two arms.
    estimate : float
        The estimate reported beside the intervals; they are widened to hold it.
    n : int
        Pairs or prints behind the test.

    Returns
    -------
    tuple of Interval
        The 95 % interval agrees with the two-sided test at 5 %, the 90 % interval with
        the two one-sided tests at 5 % each. Ends are infinite where the data are too
        few. Inversion as in Hollander & Wolfe, Nonparametric Statistical Methods;
        from memory.
    """
    points = np.unique(_rounded(shifts))
    # Between two neighbouring points every shift gives the same ranks, so one probe a gap is all there is
    # to know; at the points themselves ties make the test another.
    gaps = np.concatenate([[points[0] - 1], (points[:-1] + points[1:]) / 2, [points[-1] + 1]])
    places = np.empty(2 * len(points) + 1)
    places[0::2], places[1::2] = gaps, points
    # With few prints acceptance has holes, which halving would fall into; with many they close.
    few = n <= MOST_SCANNED
    first = _scanned if few else _searched
    known: dict[int, RankTest] = dict(enumerate(tests(places))) if few else {}

    def at(index: int) -> RankTest:
        if index not in known:
            known[index] = tests(places[[index]])[0]
        return known[index]

    def hull(accepts: Callable[[RankTest], bool]) -> Interval:
        centre = int(np.argmin(np.abs(places - estimate)))
        low = first(lambda i: accepts(at(i)), centre)
        high = first(lambda i: accepts(at(2 * len(points) - i)), 2 * len(points) - centre)
        # Even places are gaps between points: there the end itself is rejected.
        left = -math.inf if low == 0 else float(points[(low - 1) // 2]) + OPEN_END * (low % 2 == 0)
        right = math.inf if high == 0 else float(points[-1 - (high - 1) // 2]) - OPEN_END * (high % 2 == 0)
        # The mean may lie outside the shifts that ranks accept; an interval without its estimate could not
        # be read.
        return min(left, estimate), max(right, estimate)

    return (
        hull(lambda result: result.p_two_sided > 0.05),
        hull(lambda result: min(result.p_greater, result.p_less) > 0.05),
    )


def walsh_averages(differences: Floats) -> Floats:
    """Return the averages of all pairs of differences, each with itself too; equal ones once.

    Parameters
    ----------
    differences : array of shape (pairs,)
        In the response's unit.

    Returns
    -------
    array of shape (distinct averages,)
        Ascending, in the same unit (Walsh 1949; from memory).
    """
    distinct = np.unique(differences)
    return np.unique((distinct[:, None] + distinct[None, :]) / 2)


def _scanned(accepted: Callable[[int], bool], end: int) -> int:
    """Return the first accepted index, trying every one; ``end``, near the estimate, is accepted."""
    return next((index for index in range(end) if accepted(index)), end)


def _searched(accepted: Callable[[int], bool], end: int) -> int:
    """Return the first accepted index by halving, as if acceptance began only once."""
    start = 0
    while start < end:
        middle = (start + end) // 2
        start, end = (start, middle) if accepted(middle) else (middle + 1, end)
    return end


def _batches(shifts: Floats, n: int) -> Iterator[Floats]:
    """Cut shifts into parts whose comparisons of all with all fit into memory."""
    most = max(1, MOST_COMPARED // max(1, n * n))
    for start in range(0, len(shifts), most):
        yield shifts[start : start + most]


def _rounded(values: Floats) -> Floats:
    """Make values that differ only in the last bits equal, so that ties are seen."""
    scale = float(np.max(np.abs(values), initial=0.0))
    if scale < SMALLEST:
        return np.zeros_like(values)
    decimals = 11 - math.ceil(math.log10(scale))
    rounded: Floats = np.round(values, decimals) + 0.0
    return rounded


def _wholes(values: Floats) -> Floats:
    """Bring each row to whole numbers of its eleventh digit, so that ties are seen."""
    scale = np.maximum(np.abs(values).max(axis=1, initial=0.0), SMALLEST)[:, None]
    whole: Floats = np.round(values * 10.0 ** (11 - np.ceil(np.log10(scale))))
    return whole


def _doubled_ranks(values: Floats) -> NDArray[np.int64]:
    """Return twice the mid-rank of every value in its row, as whole numbers."""
    if values.shape[1] <= MOST_REMEMBERED:
        other, own = values[:, None, :], values[:, :, None]
        doubled: NDArray[np.int64] = 2 * (other < own).sum(axis=2) + (other == own).sum(axis=2) + 1
        return doubled
    return np.stack([_ranked(row) for row in values])


def _ranked(values: Floats) -> NDArray[np.int64]:
    _, inverse, counts = np.unique(values, return_inverse=True, return_counts=True)
    ends = np.cumsum(counts)
    doubled: NDArray[np.int64] = (2 * ends - counts + 1)[inverse]
    return doubled


def _normal_tails(observed: float, mean: float, sd: float) -> RankTest:
    from scipy.special import ndtr

    if sd == 0:
        return RankTest(1.0, 1.0, 1.0, exact=False)
    z = (observed - mean) / sd
    return RankTest(float(ndtr(-z)), float(ndtr(z)), float(2 * ndtr(-abs(z))), exact=False)
