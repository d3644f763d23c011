"""A forest of rulers: the effect of each study with its interval, and what they say together below."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

from oddtwin.core.arrays import Interval
from oddtwin.core.language import tr
from oddtwin.core.picture.scale import nice_ticks
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text, clipped
from oddtwin.core.quantities import format_number

ROW: Final = 24.0
NAMES: Final = 250.0
FOOT: Final = 30.0
PAD: Final = 14.0


class Branch(NamedTuple):
    """One study: its name, effect, and 95 % interval."""

    name: str
    value: float
    ci95: Interval


def forest(
    branches: Sequence[Branch], together: Branch | None, prediction: Interval | None, unit: str, width: float
) -> Drawing:
    """Draw effects below one another along one ruler, zero marked.

    Parameters
    ----------
    branches : sequence of Branch
        One at least.
    together : Branch or None
        What they say pooled; None of a single one.
    prediction : tuple of float or None
        Where the next study would lie.
    unit : str
        Of the effects.
    width : float
        Of the picture, in pixels.
    """
    rows = [*branches, *([together] if together else [])]
    ends = [end for row in rows for end in (*row.ci95, row.value)] + [0.0, *(prediction or ())]
    low, high = float(min(ends)), float(max(ends))
    span: float = (high - low) or 1.0
    begin: float = NAMES
    end = width - PAD

    def at(value: float) -> float:
        return begin + (value - low + 0.04 * span) / (1.08 * span) * (end - begin)

    height = ROW * len(rows) + FOOT
    foot = height - FOOT
    shapes: list[Shape] = [Line(at(0.0), 0, at(0.0), foot, "muted", 1.0, dashed=True)]
    for number, row in enumerate(rows):
        y = ROW * number + ROW / 2
        pooled = row is together
        shapes.append(Text(0, y + 4, clipped(row.name, NAMES - 12), "ink", size=12, bold=pooled))
        if pooled and prediction is not None:
            left, right = (at(one) for one in prediction)
            shapes.append(Rect(left, y + 6, right - left, 4, "noise"))
        shapes.append(Line(at(row.ci95[0]), y, at(row.ci95[1]), y, "accent" if pooled else "change", 2.0))
        shapes.append(Circle(at(row.value), y, 5.0, "accent" if pooled else "change"))
    shapes.append(Line(begin, foot, end, foot, "line", 1.0))
    for value in nice_ticks(low, high, 6):
        shapes.append(Text(at(value), foot + 16, format_number(value), "muted", "middle", 11))
    shapes.append(Text(begin - 8, foot + 16, unit, "muted", "end", 11))
    told = "; ".join(f"{row.name} {format_number(row.value)}" for row in rows)
    return Drawing(
        width, height, tuple(shapes), tr("Effects in {unit}: {told}", unit=unit or "grades", told=told)
    )
