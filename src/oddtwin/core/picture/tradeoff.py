"""Arms weighed by two things: discs with crosses of intervals, the baseline a ring, the front a line."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Final, NamedTuple

from oddtwin.core.arrays import Interval
from oddtwin.core.language import tr
from oddtwin.core.picture.scale import Axis, axis_of, nice_ticks
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Shape, Text, clipped
from oddtwin.core.quantities import format_number

LEFT: Final = 64.0
LOW: Final = 44.0
TOP: Final = 24.0
RIGHT: Final = 120.0
RADIUS: Final = 6.0


class WeighedArm(NamedTuple):
    """One arm on the picture; a figure with its 95 % interval on each axis."""

    name: str
    x: float
    y: float
    x_ci95: Interval | None
    y_ci95: Interval | None
    baseline: bool
    beaten: bool


def tradeoff_picture(
    arms: Sequence[WeighedArm],
    labels: tuple[str, str],
    better: tuple[int, int],
    width: float,
    height: float,
    path: Sequence[str] = (),
    holds: str = "",
) -> Drawing:
    """Draw arms by two axes, each turned so that better lies to the left and below.

    Parameters
    ----------
    arms : sequence of WeighedArm
        One at least.
    labels : tuple of str
        Of the axis along and the axis up, with their units.
    better : tuple of int
        1 where less is better, −1 where more is.
    width, height : float
        Of the picture, in pixels.
    path : sequence of str
        Names of the levels of a ladder in their order; a thin line goes along them.
    holds : str
        The last of them that holds; empty where none is known.
    """
    across = _axis([(arm.x, arm.x_ci95) for arm in arms], better[0], LEFT, width - RIGHT)
    up = _axis([(arm.y, arm.y_ci95) for arm in arms], better[1], height - LOW, TOP)
    shapes: list[Shape] = [
        Line(LEFT, height - LOW, width - RIGHT, height - LOW, "line", 1),
        Line(LEFT, TOP, LEFT, height - LOW, "line", 1),
    ]
    for value in nice_ticks(across.low, across.high, 5):
        shapes.append(Text(across.at(value), height - LOW + 16, format_number(value), "muted", "middle", 11))
    for value in nice_ticks(up.low, up.high, 4):
        shapes.append(Text(LEFT - 8, up.at(value) + 4, format_number(value), "muted", "end", 11))
    shapes.append(Text((LEFT + width - RIGHT) / 2, height - 8, labels[0], "muted", "middle", 12))
    shapes.append(Text(LEFT, TOP - 6, labels[1], "muted", "start", 12))
    shapes.append(Text(LEFT + 6, height - LOW - 6, tr("better ↙"), "muted", "start", 11))
    front = sorted((arm for arm in arms if not arm.beaten), key=lambda arm: across.at(arm.x))
    for one, other in pairwise(front):
        ends = (across.at(one.x), up.at(one.y), across.at(other.x), up.at(other.y))
        shapes.append(Line(*ends, "accent", 1.5, dashed=True))
    placed = {arm.name: (across.at(arm.x), up.at(arm.y)) for arm in arms}
    for before, after in pairwise([name for name in path if name in placed]):
        shapes.append(Line(*placed[before], *placed[after], "neutral", 1.2, 0.6))
    for arm in arms:
        shapes += _arm(arm, across, up, width)
    if holds in placed:
        x, y = placed[holds]
        shapes.append(Circle(x, y, RADIUS + 5, "better", 1.6))
        # On the side where the other levels are not: better lies to the left.
        room = x - LEFT > 120
        side, anchor = (-1, "end") if room else (1, "start")
        shapes.append(Text(x + side * (RADIUS + 9), y + 16, tr("the last that holds"), "better", anchor, 11))
    told = "; ".join(
        tr("{arm} {x} and {y}", arm=arm.name, x=format_number(arm.x), y=format_number(arm.y)) for arm in arms
    )
    said = tr("{labels} against {labels2}: {told}", labels=labels[0], labels2=labels[1], told=told)
    return Drawing(width, height, tuple(shapes), said)


def _axis(found: Sequence[tuple[float, Interval | None]], better: int, begin: float, end: float) -> Axis:
    """Return an axis with the better end first."""
    values = [one for value, ends in found for one in (value, *(ends or ()))]
    return axis_of(values, end, begin) if better < 0 else axis_of(values, begin, end)


def _arm(arm: WeighedArm, across: Axis, up: Axis, width: float) -> list[Shape]:
    x, y = across.at(arm.x), up.at(arm.y)
    role = "baseline" if arm.baseline else "change"
    faint = 0.45 if arm.beaten else 1.0
    shapes: list[Shape] = []
    if arm.x_ci95:
        ends = sorted(across.at(end) for end in arm.x_ci95)
        shapes.append(Line(ends[0], y, ends[1], y, role, 1.2, faint))
    if arm.y_ci95:
        ends = sorted(up.at(end) for end in arm.y_ci95)
        shapes.append(Line(x, ends[0], x, ends[1], role, 1.2, faint))
    shapes.append(Circle(x, y, RADIUS, role, 2.0 if arm.baseline else 0.0, faint))
    # The name stands where there is room for it.
    name = clipped(arm.name, width - x - RADIUS - 6)
    shapes.append(Text(x + RADIUS + 4, y - 5, name, "muted" if arm.beaten else "ink", "start", 12))
    return shapes
