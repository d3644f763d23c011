"""Readings as points, and figures of one kind over the times they were taken."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

from oddtwin.core.language import tr
from oddtwin.core.picture.scale import axis_of, nice_ticks
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Shape, Text, clipped
from oddtwin.core.quantities import format_number

PLOT: Final = 210.0
STRIP: Final = 120.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 64.0, 16.0, 24.0, 34.0
_NAME: Final = 130.0
ROLES: Final = ("baseline", "change", "ink", "muted")


class Point(NamedTuple):
    """One reading: along, up, and which group it is of."""

    x: float
    y: float
    group: str = ""


class Past(NamedTuple):
    """One figure of the past: when it was taken in words, its value, and its interval."""

    when: str
    value: float
    low: float | None
    high: float | None


def readings_plot(points: Sequence[Point], labels: tuple[str, str], width: float) -> Drawing:
    """Draw readings as points, a sign for each group.

    Parameters
    ----------
    points : sequence of Point
        One at least.
    labels : tuple of str
        Of both axes, with their units.
    width : float
        In pixels.
    """
    x = axis_of([one.x for one in points], _LEFT, width - _RIGHT)
    y = axis_of([one.y for one in points], PLOT - _BOTTOM, _TOP)
    shapes: list[Shape] = [Line(_LEFT, PLOT - _BOTTOM, width - _RIGHT, PLOT - _BOTTOM, "line")]
    for value in nice_ticks(y.low, y.high, 4):
        shapes += [
            Line(_LEFT, y.at(value), width - _RIGHT, y.at(value), "line", 1.0, 0.5),
            Text(_LEFT - 6, y.at(value) + 4, format_number(value), "muted", "end", 11),
        ]
    for value in nice_ticks(x.low, x.high, 6):
        shapes.append(Text(x.at(value), PLOT - _BOTTOM + 15, format_number(value), "muted", "middle", 11))
    shapes += [
        Text(_LEFT - 6, 14, labels[1], "muted", "start", 11),
        Text(width - _RIGHT, PLOT - 4, labels[0], "muted", "end", 11),
    ]
    groups = list(dict.fromkeys(one.group for one in points))
    for one in points:
        place = groups.index(one.group)
        # The first group is a ring and the others discs, as the mark of the product is.
        shapes.append(
            Circle(x.at(one.x), y.at(one.y), 4.5, ROLES[place % len(ROLES)], 2.0 if not place else 0.0)
        )
    shapes += _legend(groups, width)
    count = tr("1 reading") if len(points) == 1 else tr("{points} readings", points=len(points))
    return Drawing(
        width,
        PLOT,
        tuple(shapes),
        tr("{count}: {labels} over {labels2}", count=count, labels=labels[1], labels2=labels[0]),
    )


def _legend(groups: Sequence[str], width: float) -> list[Shape]:
    """Return the signs of several groups with their names, as many as there is room for."""
    if len(groups) < 2:
        return []
    shapes: list[Shape] = []
    at = _LEFT + 120.0
    for place, name in enumerate(groups[: len(ROLES)]):
        if at + _NAME > width:
            break
        shapes += [
            Circle(at, 10, 4.5, ROLES[place], 2.0 if not place else 0.0),
            Text(at + 10, 14, clipped(name, _NAME - 20), "ink", "start", 11),
        ]
        at += _NAME
    return shapes


def history_strip(past: Sequence[Past], unit: str, width: float) -> Drawing:
    """Draw figures of the past beside one another, each with its interval.

    Parameters
    ----------
    past : sequence of Past
        Oldest first, one at least.
    unit : str
        Of the values.
    width : float
        In pixels.
    """
    ends = [end for one in past for end in (one.value, one.low, one.high) if end is not None]
    y = axis_of(ends, STRIP - _BOTTOM, 16)
    shapes: list[Shape] = []
    for value in nice_ticks(y.low, y.high, 3):
        shapes += [
            Line(_LEFT, y.at(value), width - _RIGHT, y.at(value), "line", 1.0, 0.5),
            Text(_LEFT - 6, y.at(value) + 4, format_number(value), "muted", "end", 11),
        ]
    apart = (width - _LEFT - _RIGHT) / len(past)
    for place, one in enumerate(past):
        x = _LEFT + (place + 0.5) * apart
        # The newest is the change, those before it what it is held against.
        newest = place == len(past) - 1
        role = "change" if newest else "baseline"
        if one.low is not None and one.high is not None:
            shapes.append(Line(x, y.at(one.low), x, y.at(one.high), role, 2.0))
        shapes.append(Circle(x, y.at(one.value), 5.0, role, 0.0 if newest else 2.0))
        if apart > 76 or newest or not place:
            shapes.append(Text(x, STRIP - _BOTTOM + 18, one.when, "muted", "middle", 11))
    newest_value = f"{format_number(past[-1].value)} {unit}".strip()
    return Drawing(
        width,
        STRIP,
        tuple(shapes),
        tr("{past} figures so far, the newest {newest_value}", past=len(past), newest_value=newest_value),
    )
