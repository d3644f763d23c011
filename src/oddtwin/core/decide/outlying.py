"""A pair, or twins, that lie far from the others: what would be said without them."""

from __future__ import annotations

import numpy as np

from oddtwin.core.decide.verdict import Verdict, judge
from oddtwin.core.decide.wording_figures import decimals_of, measure_unit
from oddtwin.core.effects import IN_STEPS, Comparison, compare_prints, farthest, noise_from_twins, widest
from oddtwin.core.language import tr
from oddtwin.core.quantities import decimals_for, format_number, format_signed, with_unit
from oddtwin.core.readings import Reading, arranged


def outlying_lines(comparison: Comparison, verdict: Verdict) -> list[str]:
    """Point at what lies far from its like, with what would be said without it; nothing is dropped.

    Parameters
    ----------
    comparison : Comparison
        Of any response.
    verdict : Verdict
        What is said with everything in it.
    """
    if comparison.kind in IN_STEPS or (comparison.shape is not None and comparison.shape.fitted is not None):
        return []
    return [*_pair(comparison, verdict), *_twins(comparison)]


def _pair(comparison: Comparison, verdict: Verdict) -> list[str]:
    pairs = comparison.prints.pairs
    if len(pairs) != len(comparison.differences):
        return []
    place = farthest(np.array(comparison.differences))
    if place is None:
        return []
    odd = {item.run for item in (*pairs[place].baseline, *pairs[place].change)}
    rest = [item for block in pairs if block is not pairs[place] for item in (*block.baseline, *block.change)]
    measure = comparison.measure
    template = Reading("", None, comparison.response, comparison.unit, kind=comparison.kind)
    without = compare_prints(
        template, arranged(rest, measure.baseline, measure.change), measure, np.random.default_rng(0)
    )
    if without.estimate is None:
        return []
    # By the same rule as the verdict that stands, with one pair less.
    found = judge(
        without.inference.ci95, without.inference.ci90, measure.margin, measure.better, measure.guard
    )
    size = with_unit(format_signed(without.estimate, decimals_of(without)), measure_unit(comparison))
    said = (
        tr("the verdict would be the same")
        if found is verdict
        else tr("it would be “{found}”", found=found.words)
    )
    label = pairs[place].label or ", ".join(sorted(odd))
    return [
        tr(
            "Pair {label} lies far from the others (Grubbs, 5\u202f%). It counts, and is "
            "worth a second look; without it {size}, and {said}.",
            label=label,
            size=size,
            said=said,
        )
    ]


def _twins(comparison: Comparison) -> list[str]:
    groups = comparison.prints.twin_groups()
    place = widest(groups)
    noise = noise_from_twins(groups)
    rest = noise_from_twins([group for number, group in enumerate(groups) if number != place])
    if place is None or noise is None or rest is None:
        return []
    unit, places = measure_unit(comparison), decimals_for(noise.sd)
    figures = (with_unit(format_number(one.sd, places), unit) for one in (noise, rest))
    values = tr(" and ").join(format_number(value) for value in groups[place])
    return [
        tr(
            "Twins of {values} differ far more than the other twins (Cochran, 5\u202f%): "
            "their standard deviation is {figures} with them, {figures} without.",
            values=values,
            figures=next(figures),
        )
    ]
