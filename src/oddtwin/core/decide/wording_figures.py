"""Figures in the words of a verdict: estimate, interval, unit, and how many decimals they have."""

from __future__ import annotations

import math
from typing import Final

from oddtwin.core.decide.cellwise import JudgedCell
from oddtwin.core.decide.verdict import Verdict
from oddtwin.core.effects import Comparison
from oddtwin.core.language import mark, shown, tr
from oddtwin.core.quantities import (
    decimals_for,
    format_signed,
    with_unit,
)
from oddtwin.core.readings import Better, ResponseKind

SIDE = {"better": mark("for the better"), "worse": mark("for the worse")}


_UNITS: Final = {ResponseKind.GRADE: mark("grade steps"), ResponseKind.YES_NO: mark("of prints")}


def measure_unit(comparison: Comparison) -> str:
    """Return the unit that differences of this response are written in."""
    return shown(_UNITS.get(comparison.kind, comparison.unit))


def measured_words(comparison: Comparison, number: str) -> str:
    """Write a figure with the unit of the comparison."""
    unit = measure_unit(comparison)
    one = comparison.kind is ResponseKind.GRADE and number.lstrip("+−") == "1"
    return with_unit(number, unit.removesuffix("s") if one else unit)


def decimals_of(comparison: Comparison) -> int:
    """Return how many decimals the figures of a comparison are worth."""
    interval, values = comparison.inference.ci95, comparison.prints
    if comparison.kind is ResponseKind.GRADE:
        # Typical grades are whole, or half way between two.
        return int((comparison.estimate or 0.0) % 1 != 0)
    sizes = [abs(item.value or 0.0) for item in (*values.baseline, *values.change)]
    # Equal readings differ by the rounding of their sums alone, which is worth no digit.
    rounding = 1e-9 * max(sizes, default=0.0)
    half = (interval[1] - interval[0]) / 2 if interval else math.nan
    if math.isfinite(half) and half > rounding:
        return decimals_for(half)
    estimate = abs(comparison.estimate or 0.0)
    return decimals_for(estimate / 10 if estimate > rounding else 0.0)


def figure_words(comparison: Comparison, verdict: Verdict) -> str:
    """Write an estimate with its share and its interval."""
    if comparison.estimate is None:
        return ""
    decimals = decimals_of(comparison)
    change = format_signed(comparison.estimate, decimals)
    away = tr(" from the target") if comparison.measure.better is Better.TARGET else ""
    text = measured_words(comparison, change) + away
    inside = interval_words(comparison, verdict, decimals)
    if comparison.logs is None and comparison.pieces > 1 and comparison.inference.ratio_ci95 is not None:
        inside = [*piece_by_piece(comparison), *inside]
    elif comparison.percent is not None:
        inside = [with_unit(format_signed(comparison.percent, percent_decimals(comparison)), "%"), *inside]
    return f"{text} ({'; '.join(inside)})" if inside else text


def piece_by_piece(comparison: Comparison) -> list[str]:
    """Say the ratio: what large and small pieces may have in common."""
    ratio, ends = comparison.inference.ratio, comparison.inference.ratio_ci95
    if ratio is None or ends is None or not math.isfinite(ends[1]):
        return []
    low, middle, high = (100 * (value - 1) for value in (ends[0], ratio, ends[1]))
    decimals = decimals_for((high - low) / 2)
    figures = [format_signed(value, min(2, decimals)) for value in (middle, low, high)]
    return [
        tr(
            "{figures} of each piece, {figures2} to {figures3}",
            figures=with_unit(figures[0], "%"), figures2=figures[1],
            figures3=with_unit(figures[2], "%"),
        )
    ]  # fmt: skip


def interval_words(comparison: Comparison, verdict: Verdict, decimals: int) -> list[str]:
    """Write the interval that the verdict rests on."""
    twin = verdict is Verdict.TWIN
    interval = comparison.inference.ci90 if twin else comparison.inference.ci95
    if interval is None:
        return []
    if math.isinf(interval[0]) and math.isinf(interval[1]):
        return [tr("no interval from so few prints without scatter")]
    low, high = (format_signed(end, decimals) for end in interval)
    ends = tr("{low} to {high}", low=low, high=high)
    if math.isinf(interval[1]):
        ends = tr("at least {low}", low=low)
    elif math.isinf(interval[0]):
        ends = tr("at most {high}", high=high)
    return [tr("{part}\u202f% interval {ends}", part=90 if twin else 95, ends=ends)]


def percent_decimals(comparison: Comparison) -> int:
    """Percent to the digits that the interval supports."""
    interval = comparison.inference.ci95
    if not interval or not comparison.estimate or not math.isfinite(interval[0] + interval[1]):
        return 1
    share = abs(comparison.percent or 0) / abs(comparison.estimate)
    return min(2, decimals_for(share * (interval[1] - interval[0]) / 2))


def cell_decimals(one: JudgedCell, comparison: Comparison) -> int:
    """Return how many decimals the figure of a cell is worth."""
    if comparison.kind is ResponseKind.GRADE:
        return int(one.cell.estimate % 1 != 0)
    low, high = one.cell.inference.ci95 or (math.nan, math.nan)
    half = (high - low) / 2
    return decimals_for(half if math.isfinite(half) else abs(one.cell.estimate) / 10)
