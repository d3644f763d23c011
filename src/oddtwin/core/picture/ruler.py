"""The difference ruler: the difference itself against zero, margin and noise floor."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Final

from oddtwin.core.decide import Finding, decimals_of, measure_unit
from oddtwin.core.language import tr
from oddtwin.core.picture.scale import nice_ticks
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text
from oddtwin.core.quantities import decimals_for, format_number, format_signed, with_unit
from oddtwin.core.readings import Better, ResponseKind

HEIGHT: Final = 132.0
_SIDE: Final = 26.0
_LETTER: Final = 5.8
_LEGEND: Final = 18.0
_PAIRS, _ESTIMATE, _AXIS = 30.0, 58.0, 92.0

Scale = Callable[[float], float]


def difference_ruler(finding: Finding, width: float) -> Drawing:
    """Draw what was found in one response.

    Parameters
    ----------
    finding : Finding
        With an estimate; without one the ruler holds only margin and noise. Words have no ruler.
    width : float
        In pixels; the height is ``HEIGHT``.

    Returns
    -------
    Drawing
        Zero with the baseline's ring, the margin as a band, the repeatability limit
        of twins as a strip on the axis, the pairs as faint marks, the estimate as a
        disc on its 95 % (thin) and 90 % (thick) interval.
    """
    low, high = _range(finding)

    def x(value: float) -> float:
        return _SIDE + (value - low) / (high - low) * (width - 2 * _SIDE)

    shapes: list[Shape] = [
        *_margin(finding, x),
        *_noise(finding, x),
        *_axis(finding, x, low, high),
        *_pairs(finding, x),
        *_estimate(finding, x, low, high),
        *_ends(finding, width),
    ]
    return Drawing(width, HEIGHT, tuple(shapes), finding.sentence)


def ruler_legend(finding: Finding, width: float) -> Drawing:
    """Draw what the marks of a ruler mean, in one line, or in two where it is narrow.

    Parameters
    ----------
    finding : Finding
        Whose ruler it is: only what that one holds is explained.
    width : float
        In pixels.
    """
    comparison = finding.comparison
    said: list[tuple[str, str]] = [("ring", tr("baseline")), ("disc", tr("change, less the baseline"))]
    if comparison.differences:
        said.append(("stroke", tr("one pair each")))
    if comparison.inference.ci95 is not None:
        said.append(("bar", tr("90 % thick, 95 % thin")))
    if comparison.measure.margin is not None:
        said.append(("band", tr("margin: too small to matter")))
    if comparison.noise is not None and comparison.noise.judges:
        said.append(("strip", tr("noise floor: what twins differ")))
    shapes: list[Shape] = []
    x, y = 4.0, 10.0
    for mark, words in said:
        wide = 26 + _LETTER * len(words)
        if x + wide > width and x > 4.0:
            x, y = 4.0, y + _LEGEND
        shapes += _legend_mark(mark, x + 8, y)
        shapes.append(Text(x + 22, y + 4, words, "muted", "start", 11))
        x += wide
    return Drawing(width, y + 10, tuple(shapes), "; ".join(words for _, words in said))


def _legend_mark(mark: str, x: float, y: float) -> list[Shape]:
    if mark == "ring":
        return [Circle(x, y, 5, "baseline", 2)]
    if mark == "disc":
        return [Circle(x, y, 5, "change")]
    if mark == "stroke":
        return [Line(x, y - 6, x, y + 6, "change", 2)]
    if mark == "bar":
        return [Line(x - 8, y, x + 8, y, "change", 2), Line(x - 4, y, x + 4, y, "change", 6)]
    if mark == "band":
        return [Rect(x - 8, y - 6, 16, 12, "margin")]
    return [Rect(x - 8, y, 16, 5, "noise")]


def has_ruler(finding: Finding) -> bool:
    """Return whether a finding has a scale: words are counted, and lie on none."""
    return finding.comparison.kind is not ResponseKind.WORD


def _range(finding: Finding) -> tuple[float, float]:
    comparison = finding.comparison
    values = [0.0, *comparison.differences]
    if comparison.estimate is not None:
        values.append(comparison.estimate)
    for interval in (comparison.inference.ci95, comparison.inference.ci90):
        values += [end for end in interval or () if math.isfinite(end)]
    if comparison.measure.margin is not None:
        values += [-1.15 * comparison.measure.margin, 1.15 * comparison.measure.margin]
    if comparison.noise is not None:
        values += [-comparison.noise.limit, comparison.noise.limit]
    low, high = min(values), max(values)
    room = (high - low) * 0.06 or 1.0
    return low - room, high + room


def _margin(finding: Finding, x: Scale) -> list[Shape]:
    margin = finding.comparison.measure.margin
    if margin is None:
        return []
    left, right = x(-margin), x(margin)
    limit = with_unit(format_number(margin), measure_unit(finding.comparison))
    return [
        Rect(left, 18, right - left, _AXIS - 18, "margin"),
        Line(left, 18, left, _AXIS, "neutral", 1, 0.6, dashed=True),
        Line(right, 18, right, _AXIS, "neutral", 1, 0.6, dashed=True),
        Text(
            (left + right) / 2,
            12,
            tr("too small to matter: within ±{limit}", limit=limit),
            "muted",
            "middle",
            11,
        ),
    ]


def _noise(finding: Finding, x: Scale) -> list[Shape]:
    noise = finding.comparison.noise
    if noise is None or not noise.judges:
        return []
    left, right = x(-noise.limit), x(noise.limit)
    decimals = decimals_for(noise.limit)
    limit = with_unit(format_number(noise.limit, decimals), measure_unit(finding.comparison))
    return [
        Rect(left, _AXIS - 5, right - left, 5, "noise"),
        Text(
            (left + right) / 2,
            _AXIS + 36,
            tr("noise floor: twins differ by up to ±{limit}", limit=limit),
            "muted",
            "middle",
            11,
        ),
    ]


def _axis(finding: Finding, x: Scale, low: float, high: float) -> list[Shape]:
    shapes: list[Shape] = [Line(x(low), _AXIS, x(high), _AXIS, "ink", 1.2)]
    ticks = nice_ticks(low, high)
    decimals = max(0, -math.floor(math.log10(ticks[1] - ticks[0]) + 1e-9)) if len(ticks) > 1 else 2
    for tick in ticks:
        shapes.append(Line(x(tick), _AXIS, x(tick), _AXIS + 5, "ink"))
        shapes.append(Text(x(tick), _AXIS + 18, format_signed(tick, decimals), "ink", "middle", 11))
    shapes.append(Line(x(0), 18, x(0), _AXIS + 5, "baseline", 1.6))
    return shapes


def _pairs(finding: Finding, x: Scale) -> list[Shape]:
    faint = max(0.25, min(0.8, 6 / max(1, len(finding.comparison.differences))))
    return [
        Line(x(value), _PAIRS - 7, x(value), _PAIRS + 7, "change", 2, faint)
        for value in finding.comparison.differences
    ]


def _estimate(finding: Finding, x: Scale, low: float, high: float) -> list[Shape]:
    comparison = finding.comparison
    shapes: list[Shape] = []
    for interval, line in ((comparison.inference.ci95, 2.0), (comparison.inference.ci90, 6.0)):
        if interval is not None:
            left, right = max(interval[0], low), min(interval[1], high)
            shapes.append(Line(x(left), _ESTIMATE, x(right), _ESTIMATE, "change", line))
            shapes += [
                Line(x(end), _ESTIMATE - 6, x(end), _ESTIMATE + 6, "change", 2)
                for end in interval
                if line == 2.0 and math.isfinite(end)
            ]
    shapes.append(Circle(x(0), _ESTIMATE, 9, "baseline", 3))
    if comparison.estimate is not None:
        shapes.append(Circle(x(comparison.estimate), _ESTIMATE, 7.5, "change"))
        text = format_signed(comparison.estimate, decimals_of(comparison))
        # Beside the disc's foot, clear of the line at zero.
        at, near = x(comparison.estimate), abs(x(comparison.estimate) - x(0)) < 30
        place = (at + 14 if at >= x(0) else at - 14) if near else at
        anchor = ("start" if at >= x(0) else "end") if near else "middle"
        shapes.append(Text(place, _ESTIMATE + 24, text, "change", anchor, 12, True))
    return shapes


def _ends(finding: Finding, width: float) -> list[Shape]:
    better = finding.comparison.measure.better
    unit = measure_unit(finding.comparison)
    shapes: list[Shape] = [Text(width - 4, _AXIS - 6, unit, "ink", "end", 11)]
    if better is None:
        return shapes
    names = ("better", "worse") if better is not Better.HIGHER else ("worse", "better")
    shapes.append(Text(4, 12, f"◂ {tr(names[0])}", names[0], "start", 11, True))
    shapes.append(Text(width - 4, 12, f"{tr(names[1])} ▸", names[1], "end", 11, True))
    return shapes
