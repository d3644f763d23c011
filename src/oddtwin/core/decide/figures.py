"""The figures of a finding as text, for the table and the lines below the ruler."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np

from oddtwin.core.decide.finding import Finding, worst_by_arm
from oddtwin.core.decide.outlying import outlying_lines
from oddtwin.core.decide.verdict import Verdict
from oddtwin.core.decide.wording_figures import decimals_of, measure_unit
from oddtwin.core.effects import Comparison, clopper_pearson
from oddtwin.core.language import mark, tr, trn
from oddtwin.core.quantities import (
    decimals_for,
    format_minutes,
    format_number,
    format_p,
    format_signed,
    with_unit,
)
from oddtwin.core.readings import GRADES, PrintValue, ResponseKind

TABLE_HEAD: Final = (
    mark("Response"),
    mark("n baseline / change"),
    mark("Pairs"),
    mark("Estimate"),
    "%",
    mark("95 % interval"),
    mark("90 % interval"),
    mark("p difference"),
    mark("p permutation"),
    mark("p equivalence"),
    mark("Method"),
)


TABLE_FIRST: Final = (
    mark("Response"),
    mark("n baseline / change"),
    mark("Estimate"),
    "%",
    mark("95 % interval"),
    mark("p difference"),
)
"""What is shown first: as much as a small window holds beside the threats."""


def table_row(finding: Finding) -> tuple[str, ...]:
    """Return the figures of a finding as text, in the order of ``TABLE_HEAD``."""
    comparison, inference = finding.comparison, finding.comparison.inference
    decimals = decimals_of(comparison)
    permutation = comparison.permutation

    def ends(interval: tuple[float, float] | None) -> str:
        if interval is None:
            return "–"
        return tr(" to ").join(format_signed(end, decimals) for end in interval)

    return (
        ", ".join(part for part in (comparison.response, measure_unit(comparison), finding.about) if part),
        f"{comparison.n_baseline} / {comparison.n_change}",
        "–" if comparison.n_pairs is None else str(comparison.n_pairs),
        "–" if comparison.estimate is None else format_signed(comparison.estimate, decimals),
        "–" if comparison.percent is None else format_signed(comparison.percent, 1),
        ends(inference.ci95),
        ends(inference.ci90),
        format_p(inference.p_difference),
        format_p(permutation.p) + ("" if permutation.exact else tr(" (drawn)")) if permutation else "–",
        format_p(inference.p_equivalence),
        inference.method,
    )


def detail_lines(finding: Finding) -> list[str]:
    """Return what else is worth saying of a finding: noise floor, and for grades delta and worst zone."""
    comparison = finding.comparison
    lines = []
    if comparison.noise is not None and comparison.noise.judges:
        unit, places = measure_unit(comparison), decimals_for(comparison.noise.sd)
        sd, limit, low, high = (
            format_number(value, places)
            for value in (comparison.noise.sd, comparison.noise.limit, *comparison.noise.interval(0.95))
        )
        whole = comparison.shape is not None and comparison.shape.fitted is not None
        what = tr("by all prints of the design") if whole else tr("between twins")
        few = tr("prints") if whole else tr("twins")
        lines.append(tr(
            "Noise floor: standard deviation {what} {sd} {unit} with {df} {degrees} of freedom "
            "(95 % interval {low} to {high}); repeatability limit {limit} {unit}; with so few {few}, "
            "two twins differ by more than {exceeded} {unit} once in twenty.",
            what=what, sd=sd, unit=unit, df=format_number(comparison.noise.df),
            degrees=trn("degree", "degrees", comparison.noise.df), low=low, high=high, limit=limit, few=few,
            exceeded=format_number(comparison.noise.exceeded, places),
        ))  # fmt: skip
    lines += [*_together(finding), *_findable(finding), *_could_show(finding)]
    lines += [*_takes(finding), *outlying_lines(comparison, finding.verdict)]
    # The sides of an interaction are effects: differences of shares, of which none is a yes.
    if comparison.kind is ResponseKind.YES_NO and not comparison.measure.of_effects:
        lines += [
            _share(name, side)
            for name, side in zip(_arms(comparison), _sides(comparison), strict=True)
            if side
        ]
    lines += _delta(comparison)
    worst = worst_by_arm(comparison)
    if comparison.kind is ResponseKind.GRADE and worst:
        lines.append(
            tr(
                "Worst zone: baseline {GRADES}, change {GRADES2}.",
                GRADES=GRADES[round(worst[0])], GRADES2=GRADES[round(worst[1])],
            )
        )  # fmt: skip
    return lines


def _delta(comparison: Comparison) -> list[str]:
    """How much more often a print of one arm has the higher grade."""
    if comparison.cliff is None:
        return []
    ends = comparison.cliff.ci95
    interval = (
        tr(
            " (95 % interval {ends} to {ends2})",
            ends=format_signed(ends[0], 2), ends2=format_signed(ends[1], 2),
        )
        if ends
        else ""
    )  # fmt: skip
    delta = format_signed(comparison.cliff.delta, 2)
    return [tr("Cliff’s delta {delta}{interval}.", delta=delta, interval=interval)]


def _together(finding: Finding) -> list[str]:
    """The interval that holds for all comparisons of several arms at once."""
    family = finding.family
    if family is None or family.ci95 is None:
        return []
    decimals, unit = decimals_of(finding.comparison), measure_unit(finding.comparison)
    low, high = (format_signed(end, decimals) for end in family.ci95)
    return [
        tr(
            "Of all {of} comparisons of the response at once 95\u202f% sure: {low} to "
            "{high} (p {difference}).",
            of=family.of,
            low=low,
            high=with_unit(high, unit),
            difference=format_p(family.difference),
        )
    ]


def _findable(finding: Finding) -> list[str]:
    """Say what could have been seen: no difference is a finding only where one would have shown."""
    comparison = finding.comparison
    if finding.verdict.odd or finding.verdict is Verdict.MIXED or comparison.estimate is None:
        return []
    # How much a share can differ hangs on the share itself, which stands below with its bound.
    if comparison.kind is ResponseKind.YES_NO:
        return []
    findable = comparison.findable
    if findable is None:
        # Pairs that agree to the last digit tell no scatter to reckon with.
        known = comparison.shape is not None and (
            comparison.inference.sd or comparison.inference.ci95 is None
        )
        return [tr("So few prints could show no difference, however large.")] if known else []
    least = with_unit(format_number(findable, decimals_for(findable / 10)), measure_unit(comparison))
    return [
        tr(
            "These prints would have shown a true difference of {least} with 80\u202f% chance.",
            least=least,
        )
    ]


def sensitivity(finding: Finding) -> str:
    """Say what a comparison with prints that were made bad on purpose shows.

    Parameters
    ----------
    finding : Finding
        Of the baseline and the positive control.
    """
    comparison, verdict = finding.comparison, finding.verdict
    if comparison.estimate is None:
        return ""
    size = with_unit(format_signed(comparison.estimate, decimals_of(comparison)), measure_unit(comparison))
    name = comparison.measure.change
    if verdict.odd or verdict.leaning or verdict is Verdict.MIXED:
        return tr(
            "{name} was made bad on purpose, and differed by {size}: a difference can be seen here.",
            name=name,
            size=size,
        )
    return tr(
        "{name} was made bad on purpose, and no difference was shown ({size}): what "
        "is not seen here may be there all the same.",
        name=name,
        size=size,
    )


def _takes(finding: Finding) -> list[str]:
    """Say what more pairs are in prints, hours and grams: a pair is two prints."""
    more, one = finding.more_pairs, finding.a_print
    if not more or one is None or not all(one):
        return []
    paired = finding.comparison.prints.paired
    noun = (
        (tr("pair") if paired else tr("print of each arm"))
        if more == 1
        else tr("pairs")
        if paired
        else tr("prints of each arm")
    )
    minutes, grams = (2 * more * each for each in one)
    return [
        tr(
            "{more} more {noun}: {more2} prints, about {minutes} of machine time and {grams}.",
            more=more,
            noun=noun,
            more2=2 * more,
            minutes=format_minutes(minutes),
            grams=with_unit(format_number(grams, 0), "g"),
        )
    ]


def _could_show(finding: Finding) -> list[str]:
    """Say whether no difference could have been one that nobody can see."""
    if finding.verdict.odd or finding.verdict is Verdict.MIXED or finding.comparison.estimate is None:
        return []
    if finding.sensitivity:
        return [finding.sensitivity]
    if finding.verdict is Verdict.TWIN and finding.comparison.kind is ResponseKind.GRADE:
        return [
            tr(
                "Nothing shows that this piece and these eyes could have shown it; a print "
                "that is made bad on purpose would."
            )
        ]
    return []


def _arms(comparison: Comparison) -> tuple[str, str]:
    return comparison.measure.baseline, comparison.measure.change


def _sides(comparison: Comparison) -> tuple[Sequence[PrintValue], Sequence[PrintValue]]:
    return comparison.prints.baseline, comparison.prints.change


def _share(name: str, side: Sequence[PrintValue]) -> str:
    """Say how often yes, and the bound that so few answers set."""
    tries = sum(item.tries for item in side)
    yes = round(sum((item.value or 0.0) * item.tries for item in side))
    # All alike, only one end is open: it is told one-sided.
    level = 0.90 if yes in (0, tries) else 0.95
    low, high = (100 * float(end[0]) for end in clopper_pearson(np.array([float(yes)]), tries, level))
    if yes == 0:
        bound = tr("below {high:.0f}\u202f%, one-sided 95\u202f%", high=high)
    elif yes == tries:
        bound = tr("above {low:.0f}\u202f%, one-sided 95\u202f%", low=low)
    else:
        bound = tr("{low:.0f} to {high:.0f}\u202f%, 95\u202f% interval", low=low, high=high)
    return tr(
        "{name}: yes in {yes} of {tries} (the share is {bound}).",
        name=name,
        yes=yes,
        tries=tries,
        bound=bound,
    )


def prints_line(comparison: Comparison) -> str:
    """List the prints behind a comparison with their values, the baseline's first.

    Parameters
    ----------
    comparison : Comparison
        Of any response.
    """
    unit = measure_unit(comparison) if comparison.kind is not ResponseKind.GRADE else ""
    return " ".join(
        f"{name}: {', '.join(_print(item, unit) for item in side)}."
        for name, side in zip(_arms(comparison), _sides(comparison), strict=True)
        if side
    )


def _print(item: PrintValue, unit: str) -> str:
    value = with_unit(format_number(item.value), unit) if item.value is not None else "–"
    return f"{item.run} {value}".strip()
