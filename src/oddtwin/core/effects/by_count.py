"""The methods that judge what is counted: so many of so many, and so many a print."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats, Interval
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
from oddtwin.core.effects.steps import simulated_power
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number
from oddtwin.core.readings import ResponseKind

OVERDISPERSED: Final = 0.1
"""Chance below which counts are said to scatter more than Poisson's distribution lets them."""

FEW_TRIES: Final = 20
"""Tries of a side below which the limits of its share are exact."""


class Proportions:
    """Difference of two shares of yes.

    Notes
    -----
    The interval is Newcombe's, from Wilson's limits of either share (1998, method 10 of each of his two
    papers: in pairs with their correlation; from memory). Below 20 tries a side the limits are Clopper
    and Pearson's: Wilson's then hold as little as 88 % of the time. The test is Fisher's, in pairs
    McNemar's, both exact. An interval never excludes a zero that its test does not reject.
    """

    def applies(self, shape: Shape) -> bool:
        """Whether both sides have an answer."""
        return shape.kind is ResponseKind.YES_NO and shape.fewest > 0

    def infer(self, data: Data) -> Inference:
        """Judge the difference of the shares."""
        tries = data.tries or (np.ones(len(data.baseline)), np.ones(len(data.change)))
        shares = _Shares(
            [
                np.array([float(side @ each)])
                for side, each in zip((data.baseline, data.change), tries, strict=True)
            ],
            [float(each.sum()) for each in tries],
            data.differences[None, :] if data.shape.pairs else None,
        )
        p = shares.p()
        ends = shares.ends(p)
        inside, beyond = _p_of_margin(shares.limits, data.measure.margin)
        return Inference(
            method=tr("{part}, limits by squares added", part="McNemar" if data.shape.pairs else "Fisher"),
            ci95=(float(ends.low95[0]), float(ends.high95[0])),
            ci90=(float(ends.low90[0]), float(ends.high90[0])),
            p_difference=float(p[0]),
            p_equivalence=inside,
            p_beyond=beyond,
            sd=0.5,
        )

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies with one try a print."""
        both = (studies.baseline, studies.change)
        shares = _Shares(
            [side.sum(axis=1) for side in both],
            [float(side.shape[1]) for side in both],
            studies.differences if studies.shape.pairs else None,
        )
        return shares.ends(shares.p(), measure.level)

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return chances from simulated studies: half of the baseline's prints are a yes."""
        return simulated_power(self, shape, truth)


class Rates:
    """Difference and ratio of two rates, in counts a print.

    Notes
    -----
    Given the total, the change's count is binomial: the test and the interval of the ratio are exact
    (Przyborowski and Wilenski; from memory). The difference's interval comes from Garwood's exact limits
    of either rate by squares added (Zou and Donner's MOVER; from memory). Where prints scatter more than
    Poisson's distribution lets them, all counts are divided by how much more (quasi-Poisson).
    """

    def applies(self, shape: Shape) -> bool:
        """Whether both sides have a count."""
        return shape.kind is ResponseKind.COUNT and shape.fewest > 0

    def infer(self, data: Data) -> Inference:
        """Judge the difference of the rates."""
        base, change = data.baseline[None, :], data.change[None, :]
        many = _Counts(base, change)
        p = many.p()
        ends = many.ends(p)
        inside, beyond = _p_of_margin(many.limits, data.measure.margin)
        baseline = float(many.totals[0][0])
        return Inference(
            method=tr("conditional exact")
            + (
                tr(", scatter {spread} times", spread=format_number(many.spread[0], 1))
                if many.spread[0] > 1
                else ""
            ),
            ci95=(float(ends.low95[0]), float(ends.high95[0])),
            ci90=(float(ends.low90[0]), float(ends.high90[0])),
            p_difference=float(p[0]),
            p_equivalence=inside,
            p_beyond=beyond,
            sd=math.sqrt(
                max(float(np.concatenate([data.baseline, data.change]).mean() * many.spread[0]), 0.0)
            ),
            ratio=float(many.totals[1][0] / many.counts[1] / (baseline / many.counts[0]))
            if baseline
            else None,
            ratio_ci95=many.ratio_interval(),
        )

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies."""
        many = _Counts(studies.baseline, studies.change)
        return many.ends(many.p(), measure.level)

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return chances from simulated studies: the baseline's rate is the square of a print's scatter."""
        return simulated_power(self, shape, truth)


class _Shares:
    """The answers of many studies: how often yes, of how many, and the differences inside pairs."""

    def __init__(self, yes: Sequence[Floats], tries: Sequence[float], differences: Floats | None) -> None:
        self.yes, self.tries = yes, tries
        self.differences = differences

    def p(self) -> Floats:
        """Two-sided p value of equal shares: McNemar's in pairs, else Fisher's."""
        from scipy.special import bdtr

        if self.differences is not None:
            up, down = self._moved(self.differences)
            tail = bdtr(np.minimum(up, down), np.maximum(up + down, 1), 0.5)
            return np.asarray(np.minimum(1.0, 2 * tail))
        counts = [round(count) for count in self.tries]
        # Of thousands of simulated studies a few dozen differ.
        rows, which = np.unique(np.round(self.yes).astype(int), axis=1, return_inverse=True)
        found = np.array([_fisher(old, counts[0], new, counts[1]) for old, new in rows.T.tolist()])
        return np.asarray(found[which.ravel()])

    def ends(self, p: Floats, level: float = LOOKED_AT_ONCE) -> Ends:
        """Newcombe's intervals of the difference, at a two-sided level."""
        return _ends(self.limits, p, level)

    def limits(self, level: float) -> tuple[Floats, Floats]:
        """Limits of the difference at a level."""
        shares = [yes / tries for yes, tries in zip(self.yes, self.tries, strict=True)]
        phi = self._phi()
        (low0, high0), (low1, high1) = (
            (clopper_pearson if min(self.tries) < FEW_TRIES else wilson)(yes, tries, level)
            for yes, tries in zip(self.yes, self.tries, strict=True)
        )
        difference = shares[1] - shares[0]
        down = _added(shares[1] - low1, high0 - shares[0], phi)
        return difference - down, difference + _added(high1 - shares[1], shares[0] - low0, phi)

    @staticmethod
    def _moved(differences: Floats) -> tuple[Floats, Floats]:
        """How many pairs of each study moved up, and how many down."""
        return (differences > 0).sum(axis=1), (differences < 0).sum(axis=1)

    def _phi(self) -> Floats:
        """Correlation of the answers inside pairs of one try each."""
        count = self.tries[0]
        if self.differences is None or self.differences.shape[1] != count or self.tries[1] != count:
            return np.zeros(len(self.yes[0]))
        up, down = self._moved(self.differences)
        both = self.yes[0] - down
        neither = count - both - up - down
        spread = np.sqrt(np.prod([yes * (count - yes) for yes in self.yes], axis=0))
        cross = both * neither - up * down
        # Corrected as Newcombe does: else a few pairs that all agree would have an interval of no width.
        cross = np.where(cross > 0, np.maximum(cross - count / 2, 0.0), cross)
        phi: Floats = np.where(spread > 0, cross / np.where(spread > 0, spread, 1.0), 0.0)
        return phi


class _Counts:
    """The counts of many studies, and how much more than Poisson's they scatter."""

    def __init__(self, baseline: Floats, change: Floats) -> None:
        from scipy.special import chdtrc

        self.counts = (baseline.shape[1], change.shape[1])
        self.totals = (baseline.sum(axis=1), change.sum(axis=1))
        df = sum(self.counts) - 2
        squares = np.zeros(len(baseline))
        for side in (baseline, change):
            mean = side.mean(axis=1, keepdims=True)
            squares += ((side - mean) ** 2 / np.where(mean > 0, mean, 1.0)).sum(axis=1)
        # Strings come in bursts: a print that has one has many, and they are no trials of their own.
        more = chdtrc(df, squares) < OVERDISPERSED if df else np.zeros(len(squares), dtype=bool)
        self.spread = np.where(more, squares / max(df, 1), 1.0)

    def p(self) -> Floats:
        """Two-sided p value of equal rates, given the total."""
        low, high = (self._tail(up) for up in (False, True))
        found: Floats = np.minimum(1.0, 2 * np.minimum(low, high))
        return found

    def _tail(self, up: bool) -> Floats:
        from scipy.special import betainc

        base, change = (total / self.spread for total in self.totals)
        share = self.counts[1] / sum(self.counts)
        # The binomial tail as a beta integral, which counts divided by their spread go into as well.
        tail = betainc(change, base + 1, share) if up else 1 - betainc(change + 1, base, share)
        return np.where((change if up else base) > 0, tail, 1.0)

    def ends(self, p: Floats, level: float = LOOKED_AT_ONCE) -> Ends:
        """Intervals of the difference of the rates, at a two-sided level."""
        return _ends(self.limits, p, level)

    def limits(self, level: float) -> tuple[Floats, Floats]:
        """Limits of the difference at a level."""
        rates = [total / count for total, count in zip(self.totals, self.counts, strict=True)]
        (low0, high0), (low1, high1) = (self._limits(side, level) for side in (0, 1))
        difference: Floats = rates[1] - rates[0]
        low: Floats = difference - np.hypot(rates[1] - low1, high0 - rates[0])
        return low, difference + np.hypot(high1 - rates[1], rates[0] - low0)

    def _limits(self, side: int, level: float) -> tuple[Floats, Floats]:
        from scipy.special import gammaincinv

        tail = (1 - level) / 2
        total, count = self.totals[side] / self.spread, self.counts[side] / self.spread
        # None counted still leaves room for some: the limit from below is zero, that from above is not.
        low = np.nan_to_num(gammaincinv(total, tail))
        return low / count, gammaincinv(total + 1, 1 - tail) / count

    def ratio_interval(self) -> Interval | None:
        """95 % interval of the ratio of the rates, of the first study."""
        from scipy.special import betaincinv

        base, change = (float(total[0] / self.spread[0]) for total in self.totals)
        if not base + change:
            return None
        low = float(betaincinv(change, base + 1, 0.025)) if change else 0.0
        high = float(betaincinv(change + 1, base, 0.975)) if base else 1.0
        scale = self.counts[0] / self.counts[1]
        return scale * low / (1 - low), scale * high / (1 - high) if high < 1 else math.inf


def wilson(yes: Floats, tries: float, level: float) -> tuple[Floats, Floats]:
    """Return Wilson's limits of shares (1927; from memory).

    Parameters
    ----------
    yes : array
        How often yes.
    tries : float
        Of how many.
    level : float
        Such as 0.95.
    """
    from scipy.special import ndtri

    z2 = float(ndtri(0.5 + level / 2)) ** 2
    middle = (yes + z2 / 2) / (tries + z2)
    half = np.sqrt(z2 * yes * (tries - yes) / tries + z2**2 / 4) / (tries + z2)
    return np.maximum(middle - half, 0.0), np.minimum(middle + half, 1.0)


def clopper_pearson(yes: Floats, tries: float, level: float) -> tuple[Floats, Floats]:
    """Return the exact limits of shares (Clopper and Pearson 1934; from memory).

    Parameters
    ----------
    yes : array
        How often yes.
    tries : float
        Of how many.
    level : float
        Such as 0.95.
    """
    from scipy.special import betaincinv

    tail = (1 - level) / 2
    # At none and at all the limit is the end itself; the beta has no such parameter there, and is no number.
    low: Floats = np.nan_to_num(betaincinv(yes, tries - yes + 1, tail), nan=0.0)
    high: Floats = np.nan_to_num(betaincinv(yes + 1, tries - yes, 1 - tail), nan=1.0)
    return low, high


@lru_cache(maxsize=1 << 14)
def _fisher(yes0: int, n0: int, yes1: int, n1: int) -> float:
    """Two-sided p value of Fisher's exact test: all tables that are no more likely."""
    total = yes0 + yes1
    ways = [
        math.comb(n0, k) * math.comb(n1, total - k) for k in range(max(0, total - n1), min(n0, total) + 1)
    ]
    own = math.comb(n0, yes0) * math.comb(n1, yes1)
    return sum(way for way in ways if way <= own) / sum(ways)


def _added(one: Floats, other: Floats, phi: Floats) -> Floats:
    total: Floats = np.sqrt(np.maximum(one**2 + other**2 - 2 * phi * one * other, 0.0))
    return total


Limits = Callable[[float], tuple[Floats, Floats]]


def _ends(limits: Limits, p: Floats, level: float) -> Ends:
    outside = (level, 2 * level)
    return Ends(*(end for one in outside for end in _holding_zero(*limits(1 - one), p > one)))


def _p_of_margin(limits: Limits, margin: float | None) -> tuple[float | None, float | None]:
    """Return p of equivalence and of a difference beyond: the level at which an end meets the margin."""
    if margin is None:
        return None, None
    low, high = (float(end[0]) for end in limits(0.0))
    up = low + high >= 0

    def beyond(level: float) -> bool:
        low, high = limits(level)
        return bool(low[0] > margin if up else high[0] < -margin)

    def inside(level: float) -> bool:
        low, high = limits(level)
        return bool(low[0] > -margin and high[0] < margin)

    return _one_sided(inside), _one_sided(beyond)


def _one_sided(holds: Callable[[float], bool]) -> float:
    """Return the smallest one-sided p value, at least one in a million, at which something holds."""
    low, high = 0.0, 1 - 2e-6
    if not holds(low):
        return 1.0
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (middle, high) if holds(middle) else (low, middle)
    return (1 - low) / 2


def _holding_zero(low: Floats, high: Floats, holds: NDArray[np.bool_]) -> list[Floats]:
    return [np.where(holds, np.minimum(low, 0.0), low), np.where(holds, np.maximum(high, 0.0), high)]
