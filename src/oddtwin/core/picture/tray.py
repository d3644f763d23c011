"""Paper for judging prints in the hand: a tray sheet for who mixes them, and answer sheets for the judges."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

from oddtwin.core.picture.labels import POINTS_PER_MM
from oddtwin.core.picture.shapes import Drawing, Line, Shape, Text

PAGE_MM: Final = (210.0, 297.0)
MARGIN: Final = 48.0
STEP: Final = 26.0
FIRST: Final = 150.0


class TrayLine(NamedTuple):
    """One line of a sheet: what stands at the left, and at the right."""

    left: str
    right: str


def tray_pages(title: str, under: str, lines: Sequence[TrayLine], foot: str) -> list[Drawing]:
    """Lay lines out on as many pages as they need; lengths in points.

    Parameters
    ----------
    title, under : str
        Above the lines.
    lines : sequence of TrayLine
        In their order.
    foot : str
        Below them on every page: what the key was committed to.
    """
    width, height = (side * POINTS_PER_MM for side in PAGE_MM)
    each = int((height - FIRST - 70) / STEP)
    pages = []
    for begin in range(0, max(1, len(lines)), each):
        part = lines[begin : begin + each]
        shapes: list[Shape] = [
            Text(MARGIN, 70, title, "ink", size=20, bold=True),
            Text(MARGIN, 96, under, "muted", size=11),
        ]
        for number, line in enumerate(part):
            level = FIRST + number * STEP
            shapes += [
                Text(MARGIN, level, line.left, "ink", size=15, bold=True),
                Text(MARGIN + 150, level, line.right, "ink", size=13),
                Line(MARGIN, level + 8, width - MARGIN, level + 8, "line", 0.6),
            ]
        shapes.append(Text(MARGIN, height - 34, foot, "muted", size=8))
        pages.append(Drawing(width, height, tuple(shapes), title))
    return pages
