"""Curves along ordered levels, and a response in the order of its prints."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from typing import Final

from oddtwin.core.judgement import Course, LevelCurve, LevelPoint
from oddtwin.core.language import tr
from oddtwin.core.picture.scale import nice_ticks
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text, clipped
from oddtwin.core.quantities import decimals_for, format_number

HEIGHT: Final = 232.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 62.0, 18.0, 18.0, 44.0

Scale = Callable[[float], float]


def level_curve(curve: LevelCurve, width: float) -> Drawing:
    """Draw a curve along levels.

    Parameters
    ----------
    curve : LevelCurve
        Of a ladder: every print as a faint mark, the mean as a disc on its interval, the step curve,
        the limit and the edge. Of an effect: the margin as a band about zero.
    width : float
        In pixels; the height is ``HEIGHT``.
    """
    values = [value for point in curve.points for value in _values(point)]
    values += [curve.limit] if curve.limit is not None else []
    values += [-curve.margin, curve.margin, 0.0] if curve.margin is not None else []
    y, low, high = _scale(values)
    apart = (width - _LEFT - _RIGHT) / len(curve.points)

    def x(place: float) -> float:
        return _LEFT + (place + 0.5) * apart

    shapes: list[Shape] = []
    if curve.margin is not None:
        top, bottom = y(curve.margin), y(-curve.margin)
        shapes.append(Rect(_LEFT, top, width - _LEFT - _RIGHT, bottom - top, "margin"))
        shapes.append(Line(_LEFT, y(0.0), width - _RIGHT, y(0.0), "baseline", 1.6))
    shapes += _upright(y, low, high, curve.unit)
    shapes += _edge(curve, x, apart)
    if curve.limit is not None:
        shapes.append(
            Line(_LEFT, y(curve.limit), width - _RIGHT, y(curve.limit), "worse", 1.2, 0.9, dashed=True)
        )
        shapes.append(Text(width - _RIGHT, y(curve.limit) - 5, tr("holds up to here"), "muted", "end", 11))
    shapes += _stairs(curve.points, x, y)
    for place, point in enumerate(curve.points):
        shapes += _point(point, x(place), y, curve.margin is not None)
        name = clipped(point.name, apart)
        shapes.append(Text(x(place), HEIGHT - _BOTTOM + 18, name, "ink", "middle", 11))
    told = "; ".join(
        f"{point.name}: {(tr('not printed') if point.value is None else format_number(point.value, 2))}"
        for point in curve.points
    )
    # Nothing stands below the names of the levels.
    return Drawing(width, HEIGHT - 16, tuple(shapes), f"{curve.title}. {told}. {' '.join(curve.said)}")


def time_course(course: Course, width: float) -> Drawing:
    """Draw a response in printed order.

    Parameters
    ----------
    course : Course
        Baseline as rings, all else as discs, and the drift as a dashed line.
    width : float
        In pixels; the height is ``HEIGHT``.
    """
    y, low, high = _scale([point.value for point in course.points] + list(course.drift or ()))
    first, last = course.points[0].order, course.points[-1].order
    room = width - _LEFT - _RIGHT - 24

    def x(order: float) -> float:
        return _LEFT + 12 + (order - first) / max(1, last - first) * room

    shapes = _upright(y, low, high, course.unit)
    if course.drift is not None:
        start, end = course.drift
        shapes.append(Line(x(first), y(start), x(last), y(end), "accent", 1.4, 0.9, dashed=True))
    for point in course.points:
        across, up = x(point.order), y(point.value)
        shapes.append(
            Circle(across, up, 5, "baseline", 2) if point.is_baseline else Circle(across, up, 5, "change")
        )
    step = max(1, math.ceil((last - first + 1) / 20))
    for order in range(first, last + 1, step):
        shapes.append(Text(x(order), HEIGHT - _BOTTOM + 18, str(order), "ink", "middle", 11))
    shapes.append(
        Text(x((first + last) / 2), HEIGHT - 8, tr("prints in the order made"), "muted", "middle", 11)
    )
    told = ", ".join(f"{point.name} {format_number(point.value)}" for point in course.points)
    return Drawing(
        width,
        HEIGHT,
        tuple(shapes),
        tr(
            "{response} in printed order: {told}. {said}",
            response=course.response,
            told=told,
            said=" ".join(course.said),
        ),
    )


def _values(point: LevelPoint) -> list[float]:
    ends = [end for end in point.ci95 or () if math.isfinite(end)]
    return [*point.prints, *ends, *([point.value] if point.value is not None else [])]


def _scale(values: Sequence[float]) -> tuple[Scale, float, float]:
    low, high = min(values, default=0.0), max(values, default=1.0)
    room = (high - low) * 0.08 or 1.0
    low, high = low - room, high + room

    def y(value: float) -> float:
        # Ends that lie beyond all prints are cut at the frame.
        share = min(1.0, max(0.0, (value - low) / (high - low)))
        return HEIGHT - _BOTTOM - share * (HEIGHT - _BOTTOM - _TOP)

    return y, low, high


def _upright(y: Scale, low: float, high: float, unit: str) -> list[Shape]:
    ticks = [tick for tick in nice_ticks(low, high) if low <= tick <= high]
    decimals = decimals_for((ticks[1] - ticks[0]) if len(ticks) > 1 else 1.0)
    shapes: list[Shape] = [Line(_LEFT, _TOP - 4, _LEFT, HEIGHT - _BOTTOM, "ink", 1.2)]
    for tick in ticks:
        shapes.append(Line(_LEFT - 4, y(tick), _LEFT, y(tick), "ink"))
        shapes.append(
            Text(_LEFT - 8, y(tick) + 4, format_number(tick, max(0, decimals - 1)), "ink", "end", 11)
        )
    shapes.append(Text(_LEFT + 6, 10, unit, "muted", "start", 11))
    return shapes


def _edge(curve: LevelCurve, x: Scale, apart: float) -> list[Shape]:
    """A strip between the last level that held and the first that did not."""
    low, high = curve.edge
    if low is None or high is None:
        return []
    left, right = x(low), x(high)
    return [
        Rect(left, _TOP, right - left, HEIGHT - _BOTTOM - _TOP, "accent", 0.14),
        Text((left + right) / 2, _TOP + 2, tr("edge"), "accent", "middle", 11, True),
    ]


def _stairs(points: Iterable[LevelPoint], x: Scale, y: Scale) -> list[Shape]:
    shapes: list[Shape] = []
    before: tuple[float, float] | None = None
    for place, point in enumerate(points):
        # A level that is not printed yet has no step; the line goes on beyond it.
        if point.step is None:
            continue
        here = (x(place), y(point.step))
        if before is not None:
            middle = (before[0] + here[0]) / 2
            for line in (
                (before[0], before[1], middle, before[1]),
                (middle, before[1], middle, here[1]),
                (middle, here[1], here[0], here[1]),
            ):
                shapes.append(Line(*line, "neutral", 2, 0.8))
        before = here
    return shapes


def _point(point: LevelPoint, across: float, y: Scale, of_effect: bool) -> list[Shape]:
    shapes: list[Shape] = [Circle(across + 9, y(value), 3, "neutral", 1.2) for value in point.prints]
    if point.ci95 is not None:
        low, high = point.ci95
        shapes.append(Line(across, y(low), across, y(high), "change", 2))
        shapes += [
            Line(across - 4, y(end), across + 4, y(end), "change", 2)
            for end in (low, high)
            if math.isfinite(end)
        ]
    if point.value is not None:
        role = "change"
        if of_effect and point.verdict is not None and point.verdict.odd:
            role = point.verdict.value.partition("-")[2] or "change"
        shapes.append(Circle(across, y(point.value), 6, role))
    return shapes
