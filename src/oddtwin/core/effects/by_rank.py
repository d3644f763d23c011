"""The methods that judge grades, and whatever hardly scatters, by exact ranks."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.effects.by_t import RANKED, PairedT, WelchT
from oddtwin.core.effects.method import Data, Ends, Inference, Measure, Power, Shape, Studies, Truth
from oddtwin.core.effects.ranks import (
    rank_sum,
    rank_sums,
    shift_intervals,
    signed_rank,
    signed_ranks,
    walsh_averages,
)
from oddtwin.core.readings import ResponseKind

WIDEST: Final = {ResponseKind.GRADE: 4.0, ResponseKind.YES_NO: 1.0}
"""Grades of 0 to 4 cannot differ by more, nor can shares."""

SIMULATED: Final = 300
"""Studies behind a chance that no formula gives."""

MOST_SIMULATED: Final = 8
"""Pairs, or prints of a side, from which on ranks find as much as t does, but for a few percent."""

GRADE_MIDDLE: Final = 1.5
"""Where the baseline is taken to lie on the scale of grades."""


class SignedRank:
    """Wilcoxon's signed ranks of the differences inside pairs."""

    def applies(self, shape: Shape) -> bool:
        """Whether there are two pairs or more."""
        return shape.pairs > 1

    def infer(self, data: Data) -> Inference:
        """Judge the typical difference of the pairs by all their signs."""
        differences, margin = data.differences, data.measure.margin
        ci95, ci90 = shift_intervals(
            # The interval is what the test does not reject, so that it can never contradict its own p
            # value.
            lambda shifts: signed_ranks(differences, shifts),
            walsh_averages(differences),
            data.estimate,
            len(differences),
        )
        return Inference(
            method="exact signed-rank (Pratt)" + _hidden(data, "; the pairs show no scatter"),
            ci95=_bounded(ci95, data.shape.kind),
            ci90=_bounded(ci90, data.shape.kind),
            p_difference=signed_rank(differences).p_two_sided,
            p_equivalence=None
            if margin is None
            else max(signed_rank(differences + margin).p_greater, signed_rank(differences - margin).p_less),
        )

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies; equal ones once."""
        return _one_by_one(self, studies, (studies.differences,))

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return chances from simulated studies; of many pairs those of t."""
        if shape.pairs > MOST_SIMULATED:
            return PairedT().chances(shape, truth)
        return _simulated(self, shape, truth)


class RankSum:
    """The rank sum of two groups that are not paired."""

    def applies(self, shape: Shape) -> bool:
        """Whether both sides have two prints or more, and none are paired."""
        return shape.pairs == 0 and shape.fewest > 1

    def infer(self, data: Data) -> Inference:
        """Judge the shift between the sides by all ways to deal their prints out."""
        baseline, change, margin = data.baseline, data.change, data.measure.margin
        # The statistic changes only where a shifted value ties with one of the other side.
        shifts = np.unique(np.unique(change)[:, None] - np.unique(baseline)[None, :])
        ci95, ci90 = shift_intervals(
            lambda shifts: rank_sums(baseline, change, shifts),
            shifts,
            data.estimate,
            len(baseline) + len(change),
        )
        test = rank_sum(baseline, change)
        name = "exact rank-sum permutation" if test.exact else "rank-sum, normal approximation"
        return Inference(
            method=name + _hidden(data, "; the prints show no scatter"),
            ci95=_bounded(ci95, data.shape.kind),
            ci90=_bounded(ci90, data.shape.kind),
            p_difference=test.p_two_sided,
            p_equivalence=None
            if margin is None
            else max(
                rank_sum(baseline, change + margin).p_greater, rank_sum(baseline, change - margin).p_less
            ),
        )

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies; equal ones once."""
        return _one_by_one(self, studies, (studies.baseline, studies.change))

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return chances from simulated studies; of many prints those of t."""
        if shape.fewest > MOST_SIMULATED:
            return WelchT().chances(shape, truth)
        return _simulated(self, shape, truth)


def in_steps(values: Floats, kind: ResponseKind) -> Floats:
    """Bring simulated values about zero to what prints of a kind can be: whole grades from 0 to 4."""
    return np.clip(np.round(values + GRADE_MIDDLE), 0, 4) if kind is ResponseKind.GRADE else values


def _hidden(data: Data, words: str) -> str:
    """Say that numbers are judged by ranks only because they do not scatter."""
    return "" if data.shape.kind in RANKED else words


def _bounded(interval: Interval, kind: ResponseKind) -> Interval:
    """What cannot differ by more has its open ends closed there."""
    widest = WIDEST.get(kind, math.inf)
    return max(interval[0], -widest), min(interval[1], widest)


def _one_by_one(method: SignedRank | RankSum, studies: Studies, parts: tuple[Floats, ...]) -> Ends:
    """Judge each study by itself; the order inside a side does not matter, so equal ones come up often."""
    rows = zip(*(np.sort(part, axis=1) for part in parts), strict=True)
    kind = studies.shape.kind
    return Ends(*np.array([_ends_of(method, kind, *(side.tobytes() for side in row)) for row in rows]).T)


@lru_cache(maxsize=1 << 14)
def _ends_of(method: SignedRank | RankSum, kind: ResponseKind, *sides: bytes) -> tuple[float, ...]:
    # Grades have few values: of a thousand simulated studies a few dozen differ once their order is gone, and
    # plans of one size meet the same ones again, whatever they ask.
    parts = [np.frombuffer(side) for side in sides]
    none = np.empty(0)
    differences, baseline, change = (parts[0], none, none) if len(parts) == 1 else (none, *parts)
    estimate = float(differences.mean() if len(parts) == 1 else change.mean() - baseline.mean())
    shape = Shape(kind, len(differences), len(baseline), len(change))
    result = method.infer(Data(shape, Measure("", ""), estimate, differences, baseline, change))
    return (*(result.ci95 or (-math.inf, math.inf)), *(result.ci90 or (-math.inf, math.inf)))


@lru_cache(maxsize=4096)
def _simulated(method: SignedRank | RankSum, shape: Shape, truth: Truth) -> Power:
    # A seed of the shape alone: the same plan always promises the same, whatever was asked before it.
    rng = np.random.default_rng(shape.pairs + 100 * shape.n_change)
    margin, difference = truth.margin, abs(truth.difference)
    # Prints that never scatter are all one study.
    times, sd = (SIMULATED, truth.sd * shape.spread) if shape.scatters else (1, 0.0)
    sides = [max(shape.pairs, 0)] * 2 if shape.pairs else [shape.n_baseline, shape.n_change]
    base, change = (
        in_steps(rng.normal(shift, sd, (times, count)), shape.kind)
        for count, shift in zip(sides, (0.0, difference), strict=True)
    )
    pairs = change - base if shape.pairs else np.empty((times, 0))
    nothing = np.zeros(times)
    estimates = change.mean(axis=1) - base.mean(axis=1)
    studies = Studies(shape, estimates, pairs, base, change, nothing, nothing)
    ends = method.infer_many(studies, Measure("", "", margin))
    differs = float(np.mean((ends.low95 > 0) | (ends.high95 < 0)))
    if margin is None:
        return Power(differs, differs, 0.0)
    inside = np.mean((ends.low90 > -margin) & (ends.high90 < margin))
    return Power(differs, float(np.mean(ends.low95 > margin)), float(inside))
