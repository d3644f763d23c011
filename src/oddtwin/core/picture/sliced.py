"""Pictures of sliced files: differences by layer, and predicted against measured."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.effects import Agreement
from oddtwin.core.language import tr
from oddtwin.core.picture.scale import nice_ticks
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text
from oddtwin.core.quantities import format_number, format_signed, with_unit
from oddtwin.core.toolpath.match import LayerDifference

PANEL: Final = 122.0
PLOT: Final = 250.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 78.0, 16.0, 26.0, 34.0
_CHART: Final = 76.0


def layer_chart(differences: Sequence[LayerDifference], width: float) -> Drawing:
    """Draw change − baseline by layer, one panel for each figure, all on one axis of height.

    Parameters
    ----------
    differences : sequence of LayerDifference
        Of the same layers.
    width : float
        In pixels.
    """
    high = max(float(differences[0].z.max()), 1e-9)
    room = width - _LEFT - _RIGHT
    edges = _LEFT + np.concatenate(([0.0], np.maximum.accumulate(differences[0].z))) / high * room
    shapes: list[Shape] = []
    for place, item in enumerate(differences):
        shapes += _panel(item, _TOP + place * PANEL, edges, width)
    bottom = _TOP + (len(differences) - 1) * PANEL + _CHART
    for height in nice_ticks(0.0, high):
        level = _LEFT + height / high * room
        shapes += [
            Line(level, bottom, level, bottom + 4, "muted"),
            Text(level, bottom + 16, format_number(height), "muted", "middle", 11),
        ]
    shapes.append(Text(width - _RIGHT, bottom + 32, tr("height, mm"), "muted", "end", 11))
    words = ", ".join(_title(item) for item in differences)
    return Drawing(width, bottom + 40, tuple(shapes), tr("By height: {words}", words=words))


def _title(item: LayerDifference) -> str:
    total = float(item.difference.sum())
    if float(np.abs(item.difference).max()) <= 1e-6:
        return tr("{item}, change − baseline: no difference", item=item.name)
    decimals = 0 if abs(total) >= 100 or not item.unit else 2
    whole = (
        tr(" ({total} in all)", total=with_unit(format_signed(total, decimals), item.unit))
        if item.adds_up
        else ""
    )
    return tr("{item}, change − baseline{whole}", item=item.name, whole=whole)


def _panel(item: LayerDifference, top: float, edges: NDArray[np.float64], width: float) -> list[Shape]:
    """Draw one figure: bars up where the change has more, down where it has less."""
    most = float(np.abs(item.difference).max())
    middle, half = top + _CHART / 2, _CHART / 2
    shapes: list[Shape] = [
        Text(_LEFT, top - 8, _title(item), "ink", bold=True),
        Line(_LEFT, middle, width - _RIGHT, middle, "line"),
        Text(_LEFT - 8, middle + 4, "0", "muted", "end", 11),
    ]
    if most <= 1e-6:
        return shapes
    peak = with_unit(format_number(most, 2 if most < 10 else 0), item.unit)
    shapes += [
        Text(_LEFT - 8, top + 8, f"+{peak}", "muted", "end", 11),
        Text(_LEFT - 8, top + _CHART, f"−{peak}", "muted", "end", 11),
    ]
    # Where several layers share a pixel, the greatest of them is drawn.
    count = len(item.difference)
    bins = np.unique(np.linspace(0, count, min(count, max(1, int(edges[-1] - edges[0]))) + 1).astype(int))
    for first, last in pairwise(bins.tolist()):
        part = item.difference[first:last]
        value = float(part[np.argmax(np.abs(part))])
        size = abs(value) / most * half
        if size > 0.2:
            left, right = float(edges[first]), float(edges[last])
            shapes.append(
                Rect(left, middle - size if value > 0 else middle, right - left, size, "change", 0.85)
            )
    return shapes


def agreement_plot(
    predicted: Sequence[float], measured: Sequence[float], found: Agreement, unit: str, width: float
) -> Drawing:
    """Draw differences against means with bias and limits of agreement (Bland and Altman).

    Parameters
    ----------
    predicted, measured : sequence of float, shape (n,)
        In ``unit``.
    found : Agreement
        Of the same figures.
    unit : str
        Of the figures.
    width : float
        In pixels; the height is ``PLOT``.
    """
    mean = [(a + b) / 2 for a, b in zip(predicted, measured, strict=True)]
    difference = [b - a for a, b in zip(predicted, measured, strict=True)]
    levels = [found.bias, *(value for value in (found.lower, found.upper) if value is not None), 0.0]
    low, high = min(difference + levels), max(difference + levels)
    pad = max((high - low) * 0.12, 1e-6)
    low, high = low - pad, high + pad
    left, right = min(mean), max(mean)
    spare = max((right - left) * 0.06, abs(right) * 0.02, 1e-6)
    left, right = left - spare, right + spare
    end = width - 150

    def x(value: float) -> float:
        return _LEFT + (value - left) / (right - left) * (end - _LEFT)

    def y(value: float) -> float:
        return PLOT - _BOTTOM - (value - low) / (high - low) * (PLOT - _BOTTOM - 14)

    shapes: list[Shape] = []
    if found.lower is not None and found.upper is not None:
        shapes.append(Rect(_LEFT, y(found.upper), end - _LEFT, y(found.lower) - y(found.upper), "margin"))
        limits = (found.lower, found.upper)
        shapes += [Line(_LEFT, y(level), end, y(level), "muted", dashed=True) for level in limits]
    shapes += [
        Line(_LEFT, y(0), end, y(0), "line"),
        Line(_LEFT, y(found.bias), end, y(found.bias), "accent", 2),
    ]
    shapes += _named_levels(found, unit, end, y)
    shapes.append(Text(_LEFT - 8, y(0) + 4, "0", "muted", "end", 11))
    for place, (a, b) in enumerate(zip(mean, difference, strict=True)):
        outside = place in found.outside
        shapes.append(
            Circle(x(a), y(b), 6 if outside else 4, "worse" if outside else "change", 2 if outside else 0)
        )
    for value in nice_ticks(left, right):
        shapes.append(Text(x(value), PLOT - 16, format_number(value), "muted", "middle", 11))
    below = tr("mean of predicted and measured, {unit}", unit=unit)
    shapes.append(Text(end, PLOT - 3, below, "muted", "end", 11))
    return Drawing(width, PLOT, tuple(shapes), tr("Measured minus predicted against their mean"))


def _named_levels(found: Agreement, unit: str, end: float, y) -> list[Shape]:  # type: ignore[no-untyped-def]
    """Name bias and limits at the right end of their lines, apart from one another."""
    named = [("bias", found.bias)]
    if found.lower is not None and found.upper is not None:
        named += [(tr("upper limit"), found.upper), (tr("lower limit"), found.lower)]
    named.sort(key=lambda item: -item[1])
    levels = [y(value) + 4 for _, value in named]
    for place, (above, below) in enumerate(pairwise(levels)):
        levels[place + 1] = max(below, above + 15)
    return [
        Text(end + 8, level, f"{name} {with_unit(format_signed(value, 1), unit)}", "ink", size=11)
        for (name, value), level in zip(named, levels, strict=True)
    ]
