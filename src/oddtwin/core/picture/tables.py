"""A table of marks: arms or steps against responses, each with its ring, disc and figure."""

from __future__ import annotations

from typing import Final

from oddtwin.core.judgement import Mark, MarkTable
from oddtwin.core.language import tr
from oddtwin.core.picture.mark import twin_mark
from oddtwin.core.picture.shapes import Drawing, Rect, Shape, Text, clipped, moved

_HEAD: Final = 26.0
_ROW: Final = 44.0
_NAME: Final = 250.0
_WIDEST: Final = 220.0
_MARK: Final = 24.0
MOST_COLUMNS: Final = 7
"""Responses that a table shows side by side; the deciding one is the first."""


def mark_table(table: MarkTable, width: float) -> Drawing:
    """Draw a table of marks.

    Parameters
    ----------
    table : MarkTable
        Scorecard or ledger.
    width : float
        In pixels.
    """
    columns = table.columns[:MOST_COLUMNS]
    wide = min(_WIDEST, (width - _NAME) / max(1, len(columns)))
    shapes: list[Shape] = [
        Text(_NAME + (place + 0.5) * wide, 16, clipped(name, wide), "muted", "middle", 11)
        for place, name in enumerate(columns)
    ]
    for number, row in enumerate(table.rows):
        top = _HEAD + number * _ROW
        ink = "muted" if row.greyed else "ink"
        if number % 2:
            shapes.append(Rect(0, top, _NAME + wide * len(columns), _ROW, "sunken", 0.5))
        shapes.append(
            Text(8, top + (18 if row.note else 27), clipped(row.name, 0.82 * _NAME), ink, "start", 13)
        )
        if row.note:
            shapes.append(Text(8, top + 34, clipped(row.note, _NAME), "muted", "start", 10.5))
        for place, mark in enumerate(row.marks[: len(columns)]):
            shapes += _mark(mark, _NAME + place * wide, top, wide, row.greyed)
    told = "; ".join(
        f"{row.name}: "
        + ", ".join(
            f"{name} {(mark.figure if mark else tr('not compared'))}"
            for name, mark in zip(table.columns, row.marks, strict=True)
        )
        for row in table.rows
    )
    return Drawing(width, _HEAD + _ROW * len(table.rows) + 4, tuple(shapes), f"{table.title}. {told}.")


def _mark(mark: Mark | None, left: float, top: float, wide: float, greyed: bool) -> list[Shape]:
    if mark is None:
        return [Text(left + wide / 2, top + 27, "·", "muted", "middle", 13)]
    side = mark.verdict.value.partition("-")[2] if mark.verdict is not None else ""
    shapes: list[Shape] = []
    if mark.verdict is not None and mark.verdict.odd and side and not greyed:
        shapes.append(Rect(left + 2, top + 2, wide - 4, _ROW - 4, side, 0.16))
    middle = left + wide / 2
    if mark.verdict is not None:
        drawn = twin_mark(mark.verdict, _MARK)
        shapes += moved(drawn.shapes, middle - drawn.width - 4, top + (_ROW - drawn.height) / 2)
    ink = "muted" if greyed else "ink"
    shapes.append(Text(middle + 4, top + 27, mark.figure, ink, "start", 13, mark.leads and not greyed))
    return shapes
