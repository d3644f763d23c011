"""One response of two arms: choose the method that the prints allow, and apply it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.by_t import IN_STEPS
from oddtwin.core.effects.censored import infer_censored
from oddtwin.core.effects.choosing import Further, further_settling, method_for
from oddtwin.core.effects.cliff import CliffsDelta, cliffs_delta
from oddtwin.core.effects.gather import entering, gathered, pair_differences, values_of
from oddtwin.core.effects.linear import Modelled
from oddtwin.core.effects.method import Data, Inference, Measure, Shape, Truth
from oddtwin.core.effects.noise import NoiseFloor, noise_from_twins, pool
from oddtwin.core.effects.permutation import PermutationTest, reallocation_test, sign_flip_test
from oddtwin.core.effects.planning import smallest_findable
from oddtwin.core.effects.relative import percent_of_log
from oddtwin.core.effects.words import p_of_words
from oddtwin.core.language import mark, tr
from oddtwin.core.readings import (
    FAILURES,
    Prints,
    PrintValue,
    Reading,
    ResponseKind,
    Rule,
    arranged,
    reduce_prints,
)


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
    shape : Shape or None
        Of the prints behind the estimate; None without one.
    logs : Comparison or None
        Where figures are in percent: the logarithms that it was judged by.
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
    shape: Shape | None = None
    logs: Comparison | None = None

    @property
    def pieces(self) -> int:
        """How many pieces the prints are of; 0 where none is named."""
        return len({item.piece for item in (*self.prints.baseline, *self.prints.change)} - {""})

    @property
    def of_failures(self) -> bool:
        """Whether it is how many prints failed: nobody states a margin for that."""
        return self.kind is ResponseKind.YES_NO and self.response == FAILURES

    @property
    def findable(self) -> float | None:
        """The smallest true difference that these prints would have shown with 80 % chance, in the unit."""
        if self.logs is not None:
            least = self.logs.findable
            return None if least is None else percent_of_log(least)
        sd = self.inference.sd
        return smallest_findable(self.shape.counted, sd) if self.shape is not None and sd else None

    @property
    def further(self) -> Further | None:
        """Return how many more prints would settle it, if the difference seen is the true one.

        None where no number would, or nothing is known to reckon with. It is worked out when it is
        asked for, which takes long, and then remembered.
        """
        if self.logs is not None:
            return self.logs.further
        found, margin = self.inference, self.measure.margin
        if self.shape is None or self.estimate is None or found.ci95 is None or margin is None:
            return None
        differs = found.ci95[0] > 0 or found.ci95[1] < 0
        # Pairs that agree to the last digit have no scatter that further ones could be reckoned with; they
        # settle at once.
        sd = max(found.sd or 0.0, 1e-12)
        return further_settling(self.shape, Truth(self.estimate, sd, margin), differs, found.df)


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
        raise ValueError(tr("there are no readings to compare"))
    first = readings[0]
    rule = Rule(first.kind, first.combine, measure.target, measure.onset)
    return compare_prints(
        first, reduce_prints(readings, measure.baseline, measure.change, rule), measure, rng
    )


def compare_prints(
    template: Reading,
    prints: Prints,
    measure: Measure,
    rng: np.random.Generator,
    modelled: Modelled | None = None,
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
    modelled : Modelled, optional
        All prints of the design, where they are judged together.
    """
    kind = template.kind
    twins = noise_from_twins(prints.twin_groups())
    # Prints of one arm that are not in pairs are one another's twins: their scatter is the prints' own.
    judging = pool(twins, measure.noise) if prints.pairs else measure.noise
    data, estimate, inference = _inferred(kind, prints, measure, judging, rng, modelled)
    by_model = data is not None and data.shape.fitted is not None
    differences = pair_differences(kind, prints) if data is None or by_model else data.differences
    sides = entering(prints)
    values = [values_of(side) for side in sides]
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
        percent=_percent(estimate, _baseline_mean(prints, values[0]))
        if kind.has_percent and not measure.of_effects
        else None,
        inference=inference,
        # Drawing arms anew inside pairs would ask again what the model has answered with all prints.
        permutation=None if by_model else _permute(differences, values[0], values[1], rng),
        # Twins of this study and what is known of earlier ones together, by their degrees of freedom.
        noise=_of_model(inference) if by_model else pool(twins, measure.noise),
        differences=tuple(float(item) for item in differences),
        cliff=cliffs_delta(*values) if kind is ResponseKind.GRADE and estimate is not None else None,
        shape=data.shape if data else None,
    )


def _of_model(inference: Inference) -> NoiseFloor | None:
    """What prints of one arm scatter in a whole design, blocks and drift taken out."""
    return NoiseFloor(inference.sd, inference.df) if inference.sd and inference.df else None


def _inferred(
    kind: ResponseKind,
    prints: Prints,
    measure: Measure,
    noise: NoiseFloor | None,
    rng: np.random.Generator,
    modelled: Modelled | None,
) -> tuple[Data | None, float | None, Inference]:
    """Let the method judge that suits what is known of the prints: words, values, or limits."""
    every = (*prints.baseline, *prints.change)
    if any(item.words for item in every):
        old, new = (
            [word for item in side for word in item.words] for side in (prints.baseline, prints.change)
        )
        p = p_of_words(old, new, rng)
        return None, None, Inference(tr("exact independence (Freeman and Halton)"), p_difference=p)
    # A value known only as “above 40” has no place in a mean; half a mean of the rest would favour its arm.
    if any(item.reach is not None for item in every):
        found = _censored(kind, prints)
        return None, *(found or (None, _UNKNOWN))
    data = modelled.data(kind, measure) if modelled is not None else None
    if data is None:
        modelled, data = None, gathered(kind, prints, measure, noise)
    if data is None:
        return None, None, _EMPTY
    inference = method_for(data.shape).infer(data)
    if kind is ResponseKind.YES_NO and measure.of_effects:
        inference = _within(inference, MOST_APART)
    if kind.has_percent:
        inference = _with_ratio(inference, prints, measure, data.shape, modelled)
    return data, data.estimate, inference


MOST_APART: Final = 2.0
"""By so much the effects on a share differ at most: all turned one way, and all turned the other."""


def _within(found: Inference, most: float) -> Inference:
    """Let no interval reach beyond what can be."""
    ci95, ci90 = (
        None if ends is None else (max(-most, ends[0]), min(most, ends[1]))
        for ends in (found.ci95, found.ci90)
    )
    return replace(found, ci95=ci95, ci90=ci90)


_EMPTY: Final = Inference(mark("none: an arm has no print that counts"))
_UNKNOWN: Final = Inference(mark("none: some values are known only as above, below or between limits"))


def _censored(kind: ResponseKind, prints: Prints) -> tuple[float, Inference] | None:
    """Judge prints of which some are only known by limits."""
    if kind in IN_STEPS:
        return None
    rows = (
        [
            ([one], [other])
            for block in prints.pairs
            for one, other in zip(block.baseline, block.change, strict=False)
        ]
        if prints.pairs
        else [(list(prints.baseline), list(prints.change))]
    )
    ends = [
        [np.array([_end(item, side) for row in rows for item in row[arm]]) for arm in (0, 1)]
        for side in (0, 1)
    ]
    if not all(map(len, ends[0])):
        return None
    return infer_censored((ends[0][0], ends[0][1]), (ends[1][0], ends[1][1]), bool(prints.pairs))


def _end(item: PrintValue, side: int) -> float:
    value = item.value if item.value is not None else math.nan
    return value if item.reach is None else item.reach[side]


def _with_ratio(
    inference: Inference, prints: Prints, measure: Measure, shape: Shape, modelled: Modelled | None
) -> Inference:
    """Add the ratio of change to baseline, by the mean of the logarithms: it is alike on large and small."""
    every = [*prints.baseline, *prints.change]
    no_size = measure.of_effects or measure.target is not None
    if no_size or min(item.value or 0.0 for item in every) <= 0:
        # An effect and a distance have no ratio, nor has anything to nothing.
        return inference
    plain = Measure(measure.baseline, measure.change)
    data: Data | None
    if modelled is not None:
        data = modelled.logarithms().data(ResponseKind.QUANTITY, plain) if modelled.values.min() > 0 else None
    elif prints.pairs:
        logs = [
            [[math.log(item.value or 1.0) for item in side] for side in (block.baseline, block.change)]
            for block in prints.pairs
        ]
        means = [[math.fsum(side) / len(side) for side in pair] for pair in logs]
        differences = np.array([change - base for base, change in means])
        sides = [np.array([value for pair in logs for value in pair[arm]]) for arm in (0, 1)]
        own = replace(shape, noise_df=0.0)
        data = (
            Data(own, plain, float(differences.mean()), differences, sides[0], sides[1])
            if own.own_df
            else None
        )
    else:
        every = [replace(item, value=math.log(item.value or 1.0)) for item in every]
        values = arranged(every, measure.baseline, measure.change)
        data = gathered(ResponseKind.QUANTITY, values, plain, None)
        data = data if data is not None and data.shape.own_df else None
    if data is None:
        return inference
    found = method_for(data.shape).infer(data).ci95
    # Beyond e to the 700 a ratio is infinite in all but name.
    ends = (math.exp(found[0]), math.exp(found[1])) if found and max(map(abs, found)) < 700 else None
    return replace(inference, ratio=math.exp(min(data.estimate, 700.0)), ratio_ci95=ends)


def _baseline_mean(prints: Prints, baseline: Floats) -> float | None:
    if not prints.pairs:
        return float(baseline.mean()) if len(baseline) else None
    # Pairs weigh alike, however many twins one of them holds.
    means = [float(values_of(block.baseline).mean()) for block in prints.pairs if block.measured]
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
