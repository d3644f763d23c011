"""The figures of a finding as text, for the table and the lines below the ruler."""

from __future__ import annotations

from typing import Final

from oddtwin.core.decide.finding import Finding, worst_by_arm
from oddtwin.core.decide.wording import decimals_of, measure_unit
from oddtwin.core.effects import Comparison
from oddtwin.core.quantities import decimals_for, format_number, format_p, format_signed, with_unit
from oddtwin.core.readings import GRADES, PrintValue, ResponseKind

TABLE_HEAD: Final = (
    "Response", "n baseline / change", "Pairs", "Estimate", "%", "95 % interval",
    "90 % interval", "p difference", "p permutation", "p equivalence", "Method",
)  # fmt: skip


TABLE_FIRST: Final = ("Response", "n baseline / change", "Estimate", "%", "95 % interval", "p difference")
"""What is shown first: as much as a small window holds beside the threats."""


def table_row(finding: Finding) -> tuple[str, ...]:
    """Return the figures of a finding as text, in the order of ``TABLE_HEAD``."""
    comparison, inference = finding.comparison, finding.comparison.inference
    decimals = decimals_of(comparison)
    permutation = comparison.permutation

    def ends(interval: tuple[float, float] | None) -> str:
        if interval is None:
            return "–"
        return " to ".join(format_signed(end, decimals) for end in interval)

    return (
        ", ".join(part for part in (comparison.response, measure_unit(comparison), finding.about) if part),
        f"{comparison.n_baseline} / {comparison.n_change}",
        "–" if comparison.n_pairs is None else str(comparison.n_pairs),
        "–" if comparison.estimate is None else format_signed(comparison.estimate, decimals),
        "–" if comparison.percent is None else format_signed(comparison.percent, 1),
        ends(inference.ci95),
        ends(inference.ci90),
        format_p(inference.p_difference),
        format_p(permutation.p) + ("" if permutation.exact else " (drawn)") if permutation else "–",
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
        lines.append(
            f"Noise floor: standard deviation between twins {sd} {unit} with {comparison.noise.df:g} "
            f"degree{'s' * (comparison.noise.df != 1)} of freedom (95 % interval {low} to {high}); "
            f"repeatability limit {limit} {unit}."
        )
    if comparison.cliff is not None:
        ends = comparison.cliff.ci95
        interval = (
            f" (95 % interval {format_signed(ends[0], 2)} to {format_signed(ends[1], 2)})" if ends else ""
        )
        lines.append(f"Cliff’s delta {format_signed(comparison.cliff.delta, 2)}{interval}.")
    worst = worst_by_arm(comparison)
    if comparison.kind is ResponseKind.GRADE and worst:
        lines.append(f"Worst zone: baseline {GRADES[round(worst[0])]}, change {GRADES[round(worst[1])]}.")
    return lines


def prints_line(comparison: Comparison) -> str:
    """List the prints behind a comparison with their values, the baseline's first.

    Parameters
    ----------
    comparison : Comparison
        Of any response.
    """
    sides = (comparison.prints.baseline, comparison.prints.change)
    names = (comparison.measure.baseline, comparison.measure.change)
    unit = measure_unit(comparison) if comparison.kind is not ResponseKind.GRADE else ""
    return " ".join(
        f"{name}: {', '.join(_print(item, unit) for item in side)}."
        for name, side in zip(names, sides, strict=True)
        if side
    )


def _print(item: PrintValue, unit: str) -> str:
    value = with_unit(format_number(item.value), unit) if item.value is not None else "–"
    return f"{item.run} {value}".strip()
