"""The methods that judge grades: the typical pair, by exact intervals that suppose no distribution."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.effects.by_t import FEW
from oddtwin.core.effects.method import (
    LOOKED_AT_ONCE,
    Data,
    Ends,
    Inference,
    Measure,
    Power,
    Shape,
    Studies,
    Truth,
)
from oddtwin.core.effects.ranks import chance_of_wins, wins_allowed
from oddtwin.core.effects.steps import GRADE_MIDDLE, WIDEST, simulated_power
from oddtwin.core.language import tr
from oddtwin.core.readings import ResponseKind

ALONE = 1 - LOOKED_AT_ONCE + 1e-9
"""Confidence up to which a comparison stands by itself."""


class SignTest:
    """The median difference of the pairs, by the sign test turned round.

    Notes
    -----
    An interval from one ordered difference to another holds the median of any distribution, ties and
    zeros included (closed ends; David and Nagaraja, Order Statistics; from memory): six pairs give
    the smallest to the largest, 96.9 %; five give none at 95 %.
    """

    def applies(self, shape: Shape) -> bool:
        """Whether there are pairs of grades."""
        return shape.kind is ResponseKind.GRADE and shape.pairs > 0

    def infer(self, data: Data) -> Inference:
        """Judge the typical pair."""
        from scipy.special import bdtr

        ordered, margin = np.sort(data.differences), data.measure.margin
        count = len(ordered)

        def chance(against: int) -> float:
            return float(bdtr(against, count, 0.5)) if against < count else 1.0

        differs, inside, beyond = _p_values(ordered, np.ones(count), margin, chance)
        return Inference(
            method=tr("sign test of the pairs"),
            ci95=_between(ordered, median_rank(count, 0.95), _widest(data)),
            ci90=_between(ordered, median_rank(count, 0.90), _widest(data)),
            p_difference=differs,
            p_equivalence=inside,
            p_beyond=beyond,
            sd=float(np.std(ordered, ddof=1)) / math.sqrt(2) if count > 1 else None,
        )

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies with the same number of pairs."""
        ranks = (median_rank(studies.shape.pairs, 1 - share * measure.level) for share in (1, 2))
        return _ends(np.sort(studies.differences, axis=1), *ranks)

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return exact chances: how many pairs lie where is binomial."""
        return _of_signs(shape.pairs, shape.level, truth)


class RankSum:
    """The median of all differences between two groups that are not paired.

    Notes
    -----
    Ordered differences between prints of either side, by the rank sum's distribution without ties.
    It supposes that both sides scatter alike; where one side always shows the same grade it is the
    other's sign test, and so it says nothing below five prints of a side.
    """

    def applies(self, shape: Shape) -> bool:
        """Whether there are grades of two groups that are not paired."""
        return shape.kind is ResponseKind.GRADE and not shape.pairs and shape.fewest > 0

    def infer(self, data: Data) -> Inference:
        """Judge the typical difference between a print of the change and one of the baseline."""
        baseline, change, margin = data.baseline, data.change, data.measure.margin
        values, counts = _differences(baseline, change)
        sizes = (len(baseline), len(change))
        # Where one side never varies the rank sum promises too much: the other side's signs are all there is.
        least = 0.5 ** min(sizes)

        # An interval may never claim more than the signs of the smaller side alone.
        def chance(against: int) -> float:
            return max(chance_of_wins(against, *sizes), least)

        differs, inside, beyond = _p_values(values, counts, margin, chance)
        squares = sum(float(np.var(side)) * len(side) for side in (baseline, change))
        return Inference(
            method=tr("exact rank sum"),
            ci95=_among(values, counts, _rank_of_sums(*sizes, 0.95), _widest(data)),
            ci90=_among(values, counts, _rank_of_sums(*sizes, 0.90), _widest(data)),
            p_difference=differs,
            p_equivalence=inside,
            p_beyond=beyond,
            sd=math.sqrt(squares / (sum(sizes) - 2)) if sum(sizes) > 2 else None,
        )

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies with the same numbers of prints."""
        sizes = (studies.shape.n_baseline, studies.shape.n_change)
        values, counts = _difference_counts(studies.baseline, studies.change)
        reached = np.cumsum(counts, axis=1)
        total = sizes[0] * sizes[1]

        def ordered(rank: int) -> Floats:
            """The difference of a rank, from 1 on, of each study."""
            picked: Floats = values[np.argmax(reached >= rank, axis=1)]
            return picked

        found: list[Floats] = []
        for share in (1, 2):
            rank = _rank_of_sums(*sizes, 1 - share * measure.level)
            full = np.full(len(counts), WIDEST)
            found += [ordered(rank), ordered(total + 1 - rank)] if rank else [-full, full]
        return Ends(*found)

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return chances from simulated studies."""
        return simulated_power(self, shape, truth)


def _p_values(
    values: Floats, counts: Floats, margin: float | None, chance: Callable[[int], float]
) -> tuple[float, float | None, float | None]:
    """Return p of a difference, of equivalence and of one beyond the margin: how many speak against each."""

    def at(which: NDArray[np.bool_]) -> int:
        return int(counts[which].sum())

    differs = min(1.0, 2 * chance(min(at(values >= 0), at(values <= 0))))
    if margin is None:
        return differs, None, None
    inside = chance(max(at(values >= margin), at(values <= -margin)))
    return differs, inside, chance(min(at(values < margin), at(values > -margin)))


def median_rank(count: int, level: float) -> int:
    """Return which ordered difference ends the interval of a median.

    Parameters
    ----------
    count : int
        Differences, one or more.
    level : float
        Such as 0.95.

    Returns
    -------
    int
        From 1 on; 0 where so few give no interval.
    """
    from scipy.special import bdtr

    tails = bdtr(np.arange(count // 2), count, 0.5) if count > 1 else np.empty(0)
    return int(np.sum(2 * tails <= 1 - level))


def _rank_of_sums(n_baseline: int, n_change: int, level: float) -> int:
    fewest = min(n_baseline, n_change)
    # As one of many no more can be claimed than the signs of one side allow, where the other never varies.
    if fewest < FEW or (level > ALONE and 2 * 0.5**fewest > 1 - level):
        return 0
    return wins_allowed(n_baseline, n_change, (1 - level) / 2)


def _widest(data: Data) -> float:
    """By how much two prints can differ; grades that were added up over zones know no end."""
    values = np.concatenate([data.baseline, data.change])
    # Effects go both ways: one may lift a print over all steps, and the other let it fall over all.
    widest = 2 * WIDEST if data.measure.of_effects else WIDEST
    return widest if np.abs(values).max() <= WIDEST else math.inf


def _between(ordered: Floats, rank: int, widest: float) -> Interval:
    if not rank:
        return -widest, widest
    return float(ordered[rank - 1]), float(ordered[-rank])


def _difference_counts(baseline: Floats, change: Floats) -> tuple[Floats, Floats]:
    """Return the differences that come up at all, and how often each does in each study.

    Grades have few values: thousands of studies share a few differences, which are counted and not sorted.
    """
    levels = np.unique(np.concatenate([baseline.ravel(), change.ravel()]))
    old, new = ((side[:, :, None] == levels).sum(axis=1) for side in (baseline, change))
    values, place = np.unique(np.subtract.outer(levels, levels), return_inverse=True)
    ways = (new[:, :, None] * old[:, None, :]).reshape(len(old), -1)
    counts = ways @ (place.ravel()[:, None] == np.arange(len(values))).astype(np.int64)
    return values, counts.astype(np.float64)


def _differences(baseline: Floats, change: Floats) -> tuple[Floats, Floats]:
    """Return the differences between the sides in order, and how often each comes up."""
    # Grades have few values: thousands of prints have a few dozen differences.
    (base, base_counts), (other, other_counts) = (
        np.unique(side, return_counts=True) for side in (baseline, change)
    )
    values, place = np.unique(np.subtract.outer(other, base), return_inverse=True)
    ways = np.multiply.outer(other_counts, base_counts).ravel()
    counts = np.bincount(place.ravel(), ways).astype(np.float64)
    return values, counts


def _among(values: Floats, counts: Floats, rank: int, widest: float) -> Interval:
    if not rank:
        return -widest, widest
    reached = np.cumsum(counts)
    low, high = np.searchsorted(reached, [rank, reached[-1] + 1 - rank])
    return float(values[low]), float(values[high])


def _ends(ordered: Floats, rank95: int, rank90: int) -> Ends:
    found: list[Floats] = []
    for rank in (rank95, rank90):
        full = np.full(len(ordered), WIDEST)
        found += [ordered[:, rank - 1], ordered[:, -rank]] if rank else [-full, full]
    return Ends(*found)


@lru_cache(maxsize=4096)
def _of_signs(pairs: int, level: float, truth: Truth) -> Power:
    from scipy.special import bdtr, ndtr

    edges = np.arange(WIDEST) + 0.5 - GRADE_MIDDLE

    def shares(shift: float) -> Floats:
        return np.diff(ndtr((edges - shift) / truth.sd), prepend=0.0, append=1.0)

    base, change = shares(0.0), shares(abs(truth.difference))
    # What two grades differ by is all that the sign test looks at, so that its chances are sums over 25 ways.
    sizes = np.subtract.outer(np.arange(5), np.arange(5)).ravel()
    chance = np.multiply.outer(change, base).ravel()
    rank95, rank90 = (median_rank(pairs, 1 - share * level) for share in (1, 2))

    def within(share: float, rank: int) -> float:
        """Chance that fewer pairs than the rank are of a kind."""
        return float(bdtr(rank - 1, pairs, min(share, 1.0))) if rank else 0.0

    differs = within(chance[sizes <= 0].sum(), rank95) + within(chance[sizes >= 0].sum(), rank95)
    if truth.margin is None:
        return Power(differs, differs, 0.0)
    below, above = chance[sizes <= -truth.margin].sum(), chance[sizes >= truth.margin].sum()
    return Power(
        differs,
        within(chance[sizes < truth.margin].sum(), rank95),
        _both_within(pairs, rank90, float(below), float(above)),
    )


def _both_within(pairs: int, rank: int, below: float, above: float) -> float:
    """Chance that fewer pairs than the rank lie at or below the margin, and fewer at or above it."""
    from scipy.special import bdtr

    found = 0.0
    for low in range(rank):
        ways = float(bdtr(low, pairs, below) - (bdtr(low - 1, pairs, below) if low else 0.0))
        rest = above / (1 - below) if below < 1 else 0.0
        found += ways * float(bdtr(rank - 1, pairs - low, min(rest, 1.0)))
    return found
