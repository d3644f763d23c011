"""The photo mat as a page: markers, scale bars, patches, and the place for the piece."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from oddtwin.core.language import tr
from oddtwin.core.photo.mat import BARS_MM, MARKER_MM, PAGES, marker_bits, mat_centres
from oddtwin.core.picture.labels import POINTS_PER_MM
from oddtwin.core.picture.shapes import Drawing, Line, Rect, Shape, Text
from oddtwin.core.quantities import format_reading

STRIP_MM = 12.0
PATCHES = ("ink", "muted", "line", "sunken", "surface")


def mat_page(page: str) -> Drawing:
    """Return the mat as a drawing in points.

    Parameters
    ----------
    page : str
        ``a4`` or ``letter``.
    """
    width, height = PAGES[page]
    shapes: list[Shape] = []
    for number, centre in mat_centres(page).items():
        shapes += _marker(number, centre)
    across, along = BARS_MM
    left, top = (width - across) / 2, 34.0
    shapes += _bar(
        (left, top),
        (left + across, top),
        tr("{across} mm: measure it, and type what you find", across=format_reading(across)),
    )
    right, below = width - 33.0, (height - along) / 2
    shapes += _bar((right, below), (right, below + along), f"{format_reading(along)} mm")
    for place, role in enumerate(PATCHES):
        shapes.append(_rect(width / 2 - 30 + 12 * place, height - 40, 12, 8, role))
        shapes += _frame(width / 2 - 30 + 12 * place, height - 40, 12, 8)
    inner = (40.0, 46.0, width - 80.0, height - 106.0)
    shapes += [*_frame(*inner), *_frame(width / 2 - 3, height - 49, 6, 6)]
    for x in (inner[0] - STRIP_MM / 2, inner[0] + inner[2] + STRIP_MM / 2):
        shapes.append(_line(x, inner[1], x, inner[1] + inner[3], "line", 0.4))
    shapes += [
        _text(
            width / 2,
            inner[1] + 8,
            tr("Place for the piece. Nothing else on the sheet; both white strips free."),
            "middle",
        ),
        _text(width / 2, height - 51, tr("Peg: its shadow tells the lamp"), "middle"),
        _text(
            width / 2,
            height - 26,
            tr(
                "Odd Twin photo mat, {page}: print it at 100 %, lay it flat",
                page=page.capitalize(),
            ),
            "middle",
        ),
    ]
    return Drawing(
        width * POINTS_PER_MM, height * POINTS_PER_MM, tuple(shapes), tr("Photo mat with 16 markers")
    )


def _marker(number: int, centre: tuple[float, float]) -> list[Shape]:
    """The black squares of a marker, row by row: neighbours are one, so that no seam shows between them."""
    cell = MARKER_MM / 8
    left, top = centre[0] - MARKER_MM / 2, centre[1] - MARKER_MM / 2
    found: list[Shape] = []
    for row, bits in enumerate(marker_bits(number)):
        edges = np.flatnonzero(np.diff(np.concatenate(([0], bits.astype(int), [0]))))
        for begin, end in edges.reshape(-1, 2).tolist():
            # A hair more than a row, for the same reason.
            found.append(
                _rect(left + begin * cell, top + row * cell, (end - begin) * cell, cell * 1.002, "ink")
            )
    return found


def _bar(one: tuple[float, float], two: tuple[float, float], text: str) -> list[Shape]:
    level = one[1] == two[1]
    ticks = [
        _line(x, y - 3 * level, x, y + 3 * level, "ink", 0.25)
        if level
        else _line(x - 3, y, x + 3, y, "ink", 0.25)
        for x, y in (one, two)
    ]
    middle = (one[0] + two[0]) / 2, (one[1] + two[1]) / 2
    words = (
        _text(middle[0], middle[1] - 2, text, "middle")
        if level
        else _text(middle[0] + 2, middle[1], text, "start")
    )
    return [_line(*one, *two, "ink", 0.25), *ticks, words]


def _frame(x: float, y: float, width: float, height: float) -> list[Shape]:
    """The outline of a box."""
    corners = [(x, y), (x + width, y), (x + width, y + height), (x, y + height), (x, y)]
    return [_line(*one, *two, "line", 0.2) for one, two in pairwise(corners)]


def _rect(x: float, y: float, width: float, height: float, role: str) -> Rect:
    scale = POINTS_PER_MM
    return Rect(x * scale, y * scale, width * scale, height * scale, role)


def _line(x1: float, y1: float, x2: float, y2: float, role: str, wide: float) -> Line:
    scale = POINTS_PER_MM
    return Line(x1 * scale, y1 * scale, x2 * scale, y2 * scale, role, wide * scale)


def _text(x: float, y: float, text: str, anchor: str) -> Text:
    return Text(x * POINTS_PER_MM, y * POINTS_PER_MM, text, "ink", anchor, 8.0)
