"""One response of two arms: choose the method that the prints allow, and apply it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.choosing import further_prints, method_for
from oddtwin.core.effects.cliff import CliffsDelta, cliffs_delta
from oddtwin.core.effects.method import Data, Inference, Measure, Shape, Truth
from oddtwin.core.effects.noise import NoiseFloor, noise_from_twins, pool
from oddtwin.core.effects.permutation import PermutationTest, reallocation_test, sign_flip_test
from oddtwin.core.effects.student import scatters
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
    used_baseline, used_change = _entering(prints)
    differences = np.array([block.difference for block in prints.pairs if block.measured])
    # A value known only as “above 40” has no place in a mean; half a mean of the rest would favour its arm.
    exact = all(item.reach is None for item in (*prints.baseline, *prints.change))
    estimate, baseline_mean = _estimate(used_baseline, used_change, prints) if exact else (None, None)
    # Twins of this study and what is known of earlier ones judge together, by their degrees of freedom.
    noise = pool(noise_from_twins(prints.twin_groups()), measure.noise)
    return Comparison(
        response=template.response,
        unit=template.unit,
        kind=kind,
        measure=measure,
        prints=prints,
        n_baseline=len(used_baseline),
        n_change=len(used_change),
        n_pairs=len(differences) if prints.paired else None,
        estimate=estimate,
        percent=_percent(estimate, baseline_mean) if kind.has_percent else None,
        inference=_infer(kind, estimate, differences, used_baseline, used_change, noise, measure, prints),
        permutation=_permute(differences, used_baseline, used_change, rng),
        noise=noise,
        differences=tuple(float(item) for item in differences),
        cliff=cliffs_delta(used_baseline, used_change)
        if kind is ResponseKind.GRADE and estimate is not None
        else None,
    )


def _infer(
    kind: ResponseKind,
    estimate: float | None,
    differences: Floats,
    baseline: Floats,
    change: Floats,
    noise: NoiseFloor | None,
    measure: Measure,
    prints: Prints,
) -> Inference:
    """Let the method that the prints allow judge them, and say how many more would settle it."""
    if any(item.words for item in (*prints.baseline, *prints.change)):
        return Inference("none: words are counted, and not compared yet")
    if any(item.reach is not None for item in (*prints.baseline, *prints.change)):
        return Inference("none: some values are known only as above, below or between limits")
    if estimate is None:
        return Inference("none: an arm has no print that counts")
    shape = Shape(
        kind=kind,
        pairs=len(differences),
        n_baseline=len(baseline),
        n_change=len(change),
        noise_df=noise.df if noise is not None and noise.judges else 0.0,
        scatters=scatters(differences) if len(differences) else scatters(baseline) or scatters(change),
    )
    found = method_for(shape).infer(Data(shape, measure, estimate, differences, baseline, change, noise))
    if found.ci95 is None:
        return found
    truth = Truth(estimate, _scatter_seen(differences, baseline, change, noise), measure.margin)
    return replace(found, further=further_prints(shape, truth, found.ci95[0] > 0 or found.ci95[1] < 0))


def _scatter_seen(differences: Floats, baseline: Floats, change: Floats, noise: NoiseFloor | None) -> float:
    """Return the standard deviation of one print that the further ones are reckoned with."""
    if len(differences) > 1:
        sd = float(np.std(differences, ddof=1)) / math.sqrt(2)
    elif not len(differences) and min(len(baseline), len(change)) > 1:
        sd = math.sqrt((float(np.var(baseline, ddof=1)) + float(np.var(change, ddof=1))) / 2)
    else:
        sd = noise.sd if noise else 0.0
    # Pairs that agree to the last digit have no scatter that further ones could be reckoned with; they
    # settle at once.
    return max(sd, 1e-12)


def _entering(prints: Prints) -> tuple[Floats, Floats]:
    """Return the values that enter: those of complete pairs, or all where none is complete."""
    # A print whose partner is missing would bring its machine and day in without the counterweight.
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
    # Pairs weigh alike, however many twins one of them holds.
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
        # Differences of large readings are rounded as coarsely as the readings; ties have to allow for it.
        largest = max((float(np.abs(side).max()) for side in (baseline, change) if len(side)), default=0.0)
        return sign_flip_test(differences, rng, largest) if len(differences) > 1 else None
    if min(len(baseline), len(change)) < 2:
        return None
    return reallocation_test(baseline, change, rng)
