"""One response of two arms: choose the method that the prints allow, and apply it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import chain
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.by_t import IN_STEPS
from oddtwin.core.effects.choosing import further_prints, method_for
from oddtwin.core.effects.cliff import CliffsDelta, cliffs_delta
from oddtwin.core.effects.method import Data, Inference, Measure, Shape, Truth
from oddtwin.core.effects.noise import NoiseFloor, noise_from_twins, pool
from oddtwin.core.effects.permutation import PermutationTest, reallocation_test, sign_flip_test
from oddtwin.core.effects.strata import adjusted
from oddtwin.core.readings import Prints, PrintValue, Reading, ResponseKind, Rule, reduce_prints


@dataclass(frozen=True, slots=True)
class Comparison:
    """The comparison of two arms in one response.

    Parameters
    ----------
    response, unit : str
        As in the readings.
    kind : ResponseKind
        What a reading is.
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
    kind: ResponseKind
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
    first = readings[0]
    rule = Rule(first.kind, first.combine, measure.target, measure.onset)
    return compare_prints(
        first, reduce_prints(readings, measure.baseline, measure.change, rule), measure, rng
    )


def compare_prints(
    template: Reading, prints: Prints, measure: Measure, rng: np.random.Generator
) -> Comparison:
    """Compare the prints of two arms in one response.

    Parameters
    ----------
    template : Reading
        Any of the response: its name, unit and kind.
    prints : Prints
        Each reduced to its value.
    measure : Measure
        Arms, margin, direction and known noise.
    rng : numpy.random.Generator
        For permutation tests with more than 20 000 arrangements.
    """
    kind = template.kind
    used = _entering(prints)
    differences = np.array(
        [
            value
            for block in prints.pairs
            if block.measured
            for value in (block.matched if kind is ResponseKind.GRADE else [block.difference])
        ]
    )
    # A value known only as “above 40” has no place in a mean; half a mean of the rest would favour its arm.
    exact = all(item.reach is None for item in (*prints.baseline, *prints.change))
    twins = noise_from_twins(prints.twin_groups())
    # Prints of one arm that are not in pairs are one another's twins: their scatter is the prints' own.
    judging = pool(twins, measure.noise) if prints.pairs else measure.noise
    values, estimate, inference = (_values(used[0]), _values(used[1])), None, _UNKNOWN
    if exact and all(map(len, values)):
        data = _data(kind, prints, used, differences, judging, measure)
        estimate = data.estimate
        inference = _infer(data)
    elif any(item.words for item in (*prints.baseline, *prints.change)):
        inference = Inference("none: words are counted, and not compared yet")
    elif exact:
        inference = Inference("none: an arm has no print that counts")
    return Comparison(
        response=template.response,
        unit=template.unit,
        kind=kind,
        measure=measure,
        prints=prints,
        n_baseline=len(values[0]),
        n_change=len(values[1]),
        n_pairs=len(differences) if prints.paired else None,
        estimate=estimate,
        percent=_percent(estimate, _baseline_mean(prints, values[0])) if kind.has_percent else None,
        inference=inference,
        permutation=_permute(differences, *values, rng),
        # Twins of this study and what is known of earlier ones together, by their degrees of freedom.
        noise=pool(twins, measure.noise),
        differences=tuple(float(item) for item in differences),
        cliff=cliffs_delta(*values) if kind is ResponseKind.GRADE and estimate is not None else None,
    )


_UNKNOWN: Final = Inference("none: some values are known only as above, below or between limits")


def _data(
    kind: ResponseKind,
    prints: Prints,
    used: tuple[Sequence[PrintValue], Sequence[PrintValue]],
    differences: Floats,
    noise: NoiseFloor | None,
    measure: Measure,
) -> Data:
    """Gather what a method asks for: the shape of the prints, and their figures."""
    baseline, change = (_values(side) for side in used)
    counts = (len(baseline), len(change))
    df = noise.df if noise is not None and noise.judges else 0.0
    step = step_of(np.concatenate([baseline, change]))
    tries = (_tries(used[0]), _tries(used[1]))
    if len(differences):
        sizes = [(len(block.baseline), len(block.change)) for block in prints.pairs]
        spread = math.sqrt(sum(1 / base + 1 / other for base, other in sizes) / len(sizes) / 2)
        shape = Shape(kind, len(differences), *counts, df, spread=spread)
    elif kind in IN_STEPS:
        shape = Shape(kind, 0, *counts, df)
    else:
        named = {
            place: number for number, place in enumerate(sorted({(i.machine, i.piece) for i in chain(*used)}))
        }
        places = np.array([named[item.machine, item.piece] for item in chain(*used)])
        sides = np.repeat([False, True], counts)
        fitted = adjusted(np.concatenate([baseline, change])[None, :], sides, places)
        baseline, change = np.split(fitted.values[0], [counts[0]])
        shape = Shape(kind, 0, *counts, df, int(fitted.strata[0]), float(fitted.spread[0]))
    return Data(
        shape,
        measure,
        _estimate(kind, differences, baseline, change),
        differences,
        baseline,
        change,
        noise,
        step,
        tries,
    )


def _infer(data: Data) -> Inference:
    """Let the method that the prints allow judge them, and say how many more would settle it."""
    found = method_for(data.shape).infer(data)
    if found.ci95 is None:
        return found
    # Pairs that agree to the last digit have no scatter that further ones could be reckoned with; they
    # settle at once.
    truth = Truth(data.estimate, max(found.sd or 0.0, 1e-12), data.measure.margin)
    differs = found.ci95[0] > 0 or found.ci95[1] < 0
    return replace(found, further=further_prints(data.shape, truth, differs))


def step_of(values: Floats) -> float:
    """Return the last decimal place that some values were written with; 0 beyond six places.

    Parameters
    ----------
    values : array of shape (prints,)
        In the response's unit.
    """
    for places in range(7):
        scaled = values * 10.0**places
        if np.all(np.abs(scaled - np.round(scaled)) < 1e-6 * np.maximum(1.0, np.abs(scaled) * 1e-6)):
            return float(10.0**-places)
    return 0.0


def _entering(prints: Prints) -> tuple[Sequence[PrintValue], Sequence[PrintValue]]:
    """Return the prints that enter: those of complete pairs, or all where none is complete."""
    # A print whose partner is missing would bring its machine and day in without the counterweight.
    if prints.pairs:
        return (
            [item for block in prints.pairs for item in block.baseline],
            [item for block in prints.pairs for item in block.change],
        )
    return prints.baseline, prints.change


def _values(items: Sequence[PrintValue]) -> Floats:
    return np.array([item.value for item in items if item.value is not None], dtype=np.float64)


def _tries(items: Sequence[PrintValue]) -> Floats:
    return np.array([item.tries for item in items], dtype=np.float64)


def _estimate(kind: ResponseKind, differences: Floats, baseline: Floats, change: Floats) -> float:
    # Of grades, the typical pair: a mean of grades says nothing that anybody could see on a print.
    typical = np.median if kind is ResponseKind.GRADE else np.mean
    if len(differences):
        return float(typical(differences))
    if kind is ResponseKind.GRADE:
        return float(np.median(np.subtract.outer(change, baseline)))
    return float(change.mean() - baseline.mean())


def _baseline_mean(prints: Prints, baseline: Floats) -> float | None:
    if not prints.pairs:
        return float(baseline.mean()) if len(baseline) else None
    # Pairs weigh alike, however many twins one of them holds.
    means = [float(_values(block.baseline).mean()) for block in prints.pairs if block.measured]
    return float(np.mean(means)) if means else None


def _percent(estimate: float | None, baseline_mean: float | None) -> float | None:
    if estimate is None or baseline_mean is None or baseline_mean <= 0:
        return None
    percent = 100 * estimate / baseline_mean
    return percent if math.isfinite(percent) else None


def _permute(
    differences: Floats, baseline: Floats, change: Floats, rng: np.random.Generator
) -> PermutationTest | None:
    if len(differences):
        # Differences of large readings are rounded as coarsely as the readings; ties have to allow for it.
        largest = max((float(np.abs(side).max()) for side in (baseline, change) if len(side)), default=0.0)
        return sign_flip_test(differences, rng, largest) if len(differences) > 1 else None
    if min(len(baseline), len(change)) < 2:
        return None
    return reallocation_test(baseline, change, rng)
