"""All responses of one change in a row of small rulers, each in its own margin."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from oddtwin.core.decide import Finding, decimals_of, measure_unit
from oddtwin.core.language import tr
from oddtwin.core.picture.mark import twin_mark
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text, clipped, moved
from oddtwin.core.quantities import format_signed, with_unit
from oddtwin.core.readings import Better

_ROW: Final = 34.0
_NAME: Final = 190.0
_FIGURE: Final = 120.0
_MARK: Final = 22.0
_FARTHEST: Final = 3.0
"""Margins that a ruler reaches either way; what lies beyond stands at its end."""


def in_margins(findings: Sequence[Finding]) -> list[Finding]:
    """Return the findings that a row of rulers can hold: with a margin, a direction and an interval."""
    return [
        one
        for one in findings
        if one.comparison.measure.margin
        and one.comparison.estimate is not None
        and one.comparison.inference.ci95 is not None
        and one.comparison.measure.better is not None
    ]


def margin_rows(findings: Sequence[Finding], width: float) -> Drawing:
    """Draw each response in its own margin, better to the left and worse to the right.

    Parameters
    ----------
    findings : sequence of Finding
        As `in_margins` gives them.
    width : float
        In pixels.
    """
    left, right = _NAME + 2 * _MARK + 18, width - _FIGURE
    middle, unit = (left + right) / 2, (right - left) / (2 * _FARTHEST)
    high = 22 + _ROW * len(findings)
    shapes: list[Shape] = [
        Rect(middle - unit, 20, 2 * unit, high - 20, "margin"),
        Line(middle, 20, middle, high, "baseline", 1.6),
        Text(left, 12, tr("◂ better"), "better", "start", 11, True),
        Text(middle, 12, tr("too small to matter"), "muted", "middle", 11),
        Text(right, 12, tr("worse ▸"), "worse", "end", 11, True),
    ]
    for place, finding in enumerate(findings):
        shapes += _ruler(finding, 22 + (place + 0.5) * _ROW, middle, unit, right)
    told = "; ".join(finding.sentence.rstrip(".") for finding in findings)
    return Drawing(
        width, high + 4, tuple(shapes), tr("All responses, each in its margin: {told}.", told=told)
    )


def _ruler(finding: Finding, y: float, middle: float, unit: float, right: float) -> list[Shape]:
    comparison = finding.comparison
    margin, estimate = comparison.measure.margin or 1.0, comparison.estimate or 0.0
    sign = -1 if comparison.measure.better is Better.HIGHER else 1

    def x(value: float) -> float:
        share = max(-_FARTHEST, min(_FARTHEST, sign * value / margin))
        return middle + share * unit

    low, high = comparison.inference.ci95 or (estimate, estimate)
    mark = twin_mark(finding.verdict, _MARK)
    figure = with_unit(format_signed(estimate, decimals_of(comparison)), measure_unit(comparison))
    return [
        Text(6, y + 4, clipped(comparison.response, 0.82 * _NAME), "ink", "start", 13),
        *moved(mark.shapes, _NAME, y - mark.height / 2),
        Line(x(low), y, x(high), y, "change", 3),
        Circle(x(estimate), y, 5, "change"),
        Text(right + 10, y + 4, figure, "ink", "start", 12),
    ]
