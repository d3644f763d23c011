"""One response of two arms: choose the method that the prints allow, and apply it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.effects.cliff import CliffsDelta, cliffs_delta
from oddtwin.core.effects.noise import SMALLEST, NoiseFloor, noise_from_twins, pool
from oddtwin.core.effects.permutation import PermutationTest, reallocation_test, sign_flip_test
from oddtwin.core.effects.power import further_pairs
from oddtwin.core.effects.ranks import rank_sum, shift_intervals, signed_rank, walsh_averages
from oddtwin.core.effects.student import StudentEstimate, noise_floor_t, paired_t, welch_t
from oddtwin.core.readings import Better, Prints, PrintValue, Reading, ResponseType, reduce_prints

Floats = NDArray[np.float64]
Interval = tuple[float, float]
Design = Callable[[int], tuple[float, float] | None]

WIDEST_GRADE = 4.0
"""Two grades of 0 to 4 cannot differ by more."""


@dataclass(frozen=True, slots=True)
class Measure:
    """What is asked of one response.

    Parameters
    ----------
    baseline, change : str
        Names of the two arms.
    margin : float, optional
        Smallest difference that matters, in the response's unit, above zero.
    better : Better, optional
        Which direction is better.
    target : float, optional
        With ``Better.TARGET``, the value to hit, in the response's unit; the
        response becomes its distance from it.
    noise : NoiseFloor, optional
        Known from earlier twins of the same response, machine and piece; pooled with
        the twins found among the prints.
    """

    baseline: str
    change: str
    margin: float | None = None
    better: Better | None = None
    target: float | None = None
    noise: NoiseFloor | None = None

    def __post_init__(self) -> None:
        """Refuse a margin or target that means nothing."""
        if self.margin is not None and not (math.isfinite(self.margin) and self.margin > SMALLEST):
            raise ValueError("the margin must be a number above zero")
        if (self.target is not None) != (self.better is Better.TARGET):
            raise ValueError("a target value goes with the direction “target”")


@dataclass(frozen=True, slots=True)
class Inference:
    """What a method makes of a difference; None where it can say nothing."""

    method: str
    ci95: Interval | None = None
    ci90: Interval | None = None
    p_difference: float | None = None
    p_equivalence: float | None = None
    further: int | None = None


@dataclass(frozen=True, slots=True)
class Comparison:
    """The comparison of two arms in one response.

    Parameters
    ----------
    response, unit : str
        As in the readings.
    type : ResponseType
        Number or grade.
    measure : Measure
        What was asked.
    prints : Prints
        The prints behind it.
    n_baseline, n_change : int
        Prints that enter the estimate.
    n_pairs : int or None
        Complete pairs, where prints are paired.
    estimate : float or None
        Change minus baseline, in the response's unit; None where an arm is empty.
    percent : float or None
        Of the baseline's mean; None for grades and where that mean is not above zero.
    inference : Inference
        Intervals and p values.
    permutation : PermutationTest or None
        Of the mean difference, respecting the pairs.
    noise : NoiseFloor or None
        From twins and earlier knowledge together.
    differences : tuple of float
        Of each complete pair, in the response's unit.
    cliff : CliffsDelta or None
        For grades.
    """

    response: str
    unit: str
    type: ResponseType
    measure: Measure
    prints: Prints
    n_baseline: int
    n_change: int
    n_pairs: int | None
    estimate: float | None
    percent: float | None
    inference: Inference
    permutation: PermutationTest | None
    noise: NoiseFloor | None
    differences: tuple[float, ...]
    cliff: CliffsDelta | None


def compare(readings: Sequence[Reading], measure: Measure, rng: np.random.Generator) -> Comparison:
    """Compare the change with the baseline in one response.

    Parameters
    ----------
    readings : sequence of Reading
        All of one response, at least one; set-aside and missing ones included.
    measure : Measure
        Arms, margin, direction and known noise.
    rng : numpy.random.Generator
        For permutation tests with more than 20 000 arrangements.

    Returns
    -------
    Comparison
        Paired where two or more pairs are complete; unpaired where no pair is and
        both arms have two or more prints; otherwise by the noise floor.

    Raises
    ------
    ValueError
        There are no readings.
    """
    if not readings:
        raise ValueError("there are no readings to compare")
    prints = reduce_prints(readings, measure.baseline, measure.change, measure.target)
    grade = readings[0].type is ResponseType.GRADE
    used_baseline, used_change = _entering(prints)
    differences = np.array([block.difference for block in prints.pairs])
    estimate, baseline_mean = _estimate(used_baseline, used_change, prints)
    noise = pool(noise_from_twins(prints.twin_groups()), measure.noise)
    return Comparison(
        response=readings[0].response,
        unit=readings[0].unit,
        type=readings[0].type,
        measure=measure,
        prints=prints,
        n_baseline=len(used_baseline),
        n_change=len(used_change),
        n_pairs=len(differences) if prints.paired else None,
        estimate=estimate,
        percent=None if grade else _percent(estimate, baseline_mean),
        inference=infer(estimate, differences, used_baseline, used_change, noise, measure, grade),
        permutation=_permute(differences, used_baseline, used_change, rng),
        noise=noise,
        differences=tuple(float(item) for item in differences),
        cliff=cliffs_delta(used_baseline, used_change) if grade and estimate is not None else None,
    )


def _entering(prints: Prints) -> tuple[Floats, Floats]:
    """Return the values that enter: those of complete pairs, or all where none is complete."""
    if prints.pairs:
        return (
            _values([item for block in prints.pairs for item in block.baseline]),
            _values([item for block in prints.pairs for item in block.change]),
        )
    return _values(prints.baseline), _values(prints.change)


def _values(items: Sequence[PrintValue]) -> Floats:
    return np.array([item.value for item in items if item.value is not None], dtype=np.float64)


def _estimate(baseline: Floats, change: Floats, prints: Prints) -> tuple[float | None, float | None]:
    if not len(baseline) or not len(change):
        return None, None
    if not prints.pairs:
        return float(change.mean() - baseline.mean()), float(baseline.mean())
    means = [float(_values(block.baseline).mean()) for block in prints.pairs]
    return float(np.mean([block.difference for block in prints.pairs])), float(np.mean(means))


def _percent(estimate: float | None, baseline_mean: float | None) -> float | None:
    if estimate is None or baseline_mean is None or baseline_mean <= 0:
        return None
    percent = 100 * estimate / baseline_mean
    return percent if math.isfinite(percent) else None


def _permute(
    differences: Floats, baseline: Floats, change: Floats, rng: np.random.Generator
) -> PermutationTest | None:
    if len(differences):
        largest = max((float(np.abs(side).max()) for side in (baseline, change) if len(side)), default=0.0)
        return sign_flip_test(differences, rng, largest) if len(differences) > 1 else None
    if min(len(baseline), len(change)) < 2:
        return None
    return reallocation_test(baseline, change, rng)


def infer(
    estimate: float | None,
    differences: Floats,
    baseline: Floats,
    change: Floats,
    noise: NoiseFloor | None,
    measure: Measure,
    grade: bool,
) -> Inference:
    """Choose the method that the prints allow, and apply it.

    Parameters
    ----------
    estimate : float or None
        Change minus baseline, in the response's unit; None where an arm is empty.
    differences : array of shape (pairs,)
        Of the complete pairs.
    baseline, change : arrays of shape (prints,)
        Values that enter.
    noise : NoiseFloor or None
        Of one print.
    measure : Measure
        What was asked.
    grade : bool
        Whether values are grades, which are judged by ranks.
    """
    if estimate is None:
        return Inference("none: an arm has no print that counts")
    if len(differences) > 1:
        return _infer_pairs(estimate, differences, measure, grade)
    if not len(differences) and min(len(baseline), len(change)) > 1:
        return _infer_unpaired(estimate, baseline, change, measure, grade)
    if noise is None or not noise.judges:
        return Inference("none: too few prints, and no noise floor")
    judged = noise_floor_t(estimate, len(baseline), len(change), noise)

    def design(extra: int) -> tuple[float, float]:
        return noise.sd * math.sqrt(2 / (1 + extra)), extra

    return _student(judged, measure, design)


def _infer_pairs(estimate: float, differences: Floats, measure: Measure, grade: bool) -> Inference:
    judged = None if grade else paired_t(differences)
    n, sd = len(differences), float(np.std(differences, ddof=1))
    # Sign patterns reach 5 % with six pairs two-sided, with five one-sided.
    inside = measure.margin is not None and abs(estimate) < measure.margin
    fewest = 5 if inside else 6

    def design(extra: int) -> tuple[float, float] | None:
        return _planned(sd, n + extra, n + extra - 1, fewest if judged is None else 2)

    if judged is not None:
        return _student(judged, measure, design)
    ci95, ci90 = shift_intervals(
        lambda shift: signed_rank(differences - shift), walsh_averages(differences), estimate, n
    )
    margin = measure.margin
    return Inference(
        method="exact signed-rank (Pratt)" + ("" if grade else "; the pairs show no scatter"),
        ci95=_bounded(ci95, grade),
        ci90=_bounded(ci90, grade),
        p_difference=signed_rank(differences).p_two_sided,
        p_equivalence=None
        if margin is None
        else max(signed_rank(differences + margin).p_greater, signed_rank(differences - margin).p_less),
        further=_further(estimate, ci95, measure, design),
    )


def _infer_unpaired(
    estimate: float, baseline: Floats, change: Floats, measure: Measure, grade: bool
) -> Inference:
    judged = None if grade else welch_t(baseline, change)
    sd = math.sqrt((float(np.var(baseline, ddof=1)) + float(np.var(change, ddof=1))) / 2)
    smaller = min(len(baseline), len(change))

    def design(extra: int) -> tuple[float, float] | None:
        n = smaller + extra
        return _planned(sd * math.sqrt(2), n, 2 * n - 2, 4 if judged is None else 2)

    if judged is not None:
        return _student(judged, measure, design)
    shifts = np.unique(np.unique(change)[:, None] - np.unique(baseline)[None, :])
    ci95, ci90 = shift_intervals(
        lambda shift: rank_sum(baseline, change - shift), shifts, estimate, len(baseline) + len(change)
    )
    test, margin = rank_sum(baseline, change), measure.margin
    name = "exact rank-sum permutation" if test.exact else "rank-sum, normal approximation"
    return Inference(
        method=name + ("" if grade else "; the prints show no scatter"),
        ci95=_bounded(ci95, grade),
        ci90=_bounded(ci90, grade),
        p_difference=test.p_two_sided,
        p_equivalence=None
        if margin is None
        else max(rank_sum(baseline, change + margin).p_greater, rank_sum(baseline, change - margin).p_less),
        further=_further(estimate, ci95, measure, design),
    )


def _planned(sd: float, n: int, df: int, fewest: int) -> tuple[float, float] | None:
    """Standard error and df of n pairs; None where so few cannot reach 5 % at all."""
    return (max(sd, 1e-12) / math.sqrt(n), df) if n >= fewest else None


def _further(estimate: float, ci95: Interval, measure: Measure, design: Design) -> int | None:
    return further_pairs(estimate, measure.margin, ci95[0] > 0 or ci95[1] < 0, design)


def _student(judged: StudentEstimate, measure: Measure, design: Design) -> Inference:
    ci95 = judged.interval(0.95)
    return Inference(
        method=judged.method,
        ci95=ci95,
        ci90=judged.interval(0.90),
        p_difference=judged.p_difference(),
        p_equivalence=None if measure.margin is None else judged.p_equivalence(measure.margin),
        further=_further(judged.difference, ci95, measure, design),
    )


def _bounded(interval: Interval, grade: bool) -> Interval:
    """Grades cannot differ by more than four steps, so an open end is closed there."""
    if not grade:
        return interval
    return max(interval[0], -WIDEST_GRADE), min(interval[1], WIDEST_GRADE)
