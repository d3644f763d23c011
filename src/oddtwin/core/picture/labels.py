"""Paper for the printer: sheets of labels that do not tell the arm, and a run sheet for each machine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

from oddtwin.core.language import mark, tr
from oddtwin.core.picture.shapes import Drawing, Line, Rect, Shape, Text
from oddtwin.core.picture.wrapping import fit, wrapped

POINTS_PER_MM: Final = 72 / 25.4


@dataclass(frozen=True, slots=True)
class LabelGrid:
    """A sheet of labels; lengths in millimetres.

    Parameters
    ----------
    name : str
        As shown to the user.
    width_mm, height_mm : float
        Of the sheet.
    columns, rows : int
        Of labels.
    label_width_mm, label_height_mm : float
        Of one label.
    left_mm, top_mm : float
        To the first label.
    gap_mm : float
        Between columns.
    """

    name: str
    width_mm: float
    height_mm: float
    columns: int
    rows: int
    label_width_mm: float
    label_height_mm: float
    left_mm: float
    top_mm: float
    gap_mm: float = 0.0

    @property
    def each(self) -> int:
        """Labels on one sheet."""
        return self.columns * self.rows


GRIDS: Final = (
    LabelGrid(mark("A4, 3 × 8 labels of 70 × 36 mm"), 210, 297, 3, 8, 70, 36, 0, 4.5),
    LabelGrid(mark("A4, 4 × 10 labels of 48.5 × 25.4 mm"), 210, 297, 4, 10, 48.5, 25.4, 8, 21.5),
    LabelGrid(mark("A4, 2 × 7 labels of 99 × 38 mm"), 210, 297, 2, 7, 99, 38, 5, 15, 2),
    LabelGrid(
        mark("Letter, 3 × 10 labels of 66.7 × 25.4 mm"), 215.9, 279.4, 3, 10, 66.7, 25.4, 4.8, 12.7, 3.1
    ),
    LabelGrid(mark("Letter, 2 × 7 labels of 101.6 × 34 mm"), 215.9, 279.4, 2, 7, 101.6, 34, 4, 20, 4.7),
)


@dataclass(frozen=True, slots=True)
class RunLabel:
    """What stands on the label of one run: code, two lines, and the text of its QR code."""

    code: str
    lines: tuple[str, ...]
    link: str


def label_sheets(labels: Sequence[RunLabel], grid: LabelGrid, first: int = 1) -> list[Drawing]:
    """Lay labels out on sheets; lengths in points.

    Parameters
    ----------
    labels : sequence of RunLabel
        In the order of the runs.
    grid : LabelGrid
        Which sheets.
    first : int
        Place of the first label on the first sheet, from 1, for a sheet that is partly used.
    """
    sheets: list[list[Shape]] = []
    for number, label in enumerate(labels, first - 1):
        sheet, place = divmod(number, grid.each)
        while len(sheets) <= sheet:
            sheets.append([])
        row, column = divmod(place, grid.columns)
        x = (grid.left_mm + column * (grid.label_width_mm + grid.gap_mm)) * POINTS_PER_MM
        y = (grid.top_mm + row * grid.label_height_mm) * POINTS_PER_MM
        sheets[sheet] += _label(label, x, y, grid)
    size = (grid.width_mm * POINTS_PER_MM, grid.height_mm * POINTS_PER_MM)
    return [Drawing(*size, tuple(shapes), tr("a sheet of labels")) for shapes in sheets]


@dataclass(frozen=True, slots=True)
class SheetRow:
    """One line of a run sheet."""

    number: str
    code: str
    when: str
    piece: str
    set_up: str
    checks: str


def run_sheet(title: str, under: str, rows: Sequence[SheetRow], size_mm: tuple[float, float]) -> Drawing:
    """Lay the runs of one machine out on one page; lengths in points.

    Parameters
    ----------
    title, under : str
        Name of the machine, and the line below it.
    rows : sequence of SheetRow
        In the order to print; the more there are, the smaller they are written.
    size_mm : tuple of float
        Of the page, in millimetres.
    """
    width, height = (side * POINTS_PER_MM for side in size_mm)
    margin, top = 34.0, 96.0
    step = min(52.0, (height - top - margin - 34) / max(1, len(rows)))
    small = max(3.5, min(9.5, step * 0.2))
    columns = (margin, margin + 20, margin + 64, margin + 146, margin + 226, width - margin - 118)
    heads = ("", tr("Run"), tr("When"), tr("Piece"), tr("Set up, and check before"), tr("To be filled in"))
    shapes: list[Shape] = [
        Text(margin, margin + 16, title, "ink", size=22, bold=True),
        Text(margin, margin + 34, under, "muted", size=10),
        *(Text(x, top - 8, head, "muted", size=9) for x, head in zip(columns, heads, strict=True)),
    ]
    for place, row in enumerate(rows):
        y = top + step * place
        first = y + small * 1.35
        shapes.append(Line(margin, y, width - margin, y, "line", 0.6))
        for x, end, text, bold in (
            (columns[0], columns[1], row.number, False),
            (columns[1], columns[2], row.code, True),
            (columns[2], columns[3], row.when, False),
            (columns[3], columns[4], row.piece, False),
        ):
            shapes.append(Text(x, first, fit(text, end - x - 4, small), "ink", size=small, bold=bold))
        room = columns[5] - columns[4] - 8
        lines = [(line, "ink") for line in wrapped(row.set_up, room, small, 2)]
        lines += [(line, "muted") for line in wrapped(row.checks, room, small, 4 - len(lines))]
        for number, (line, role) in enumerate(lines):
            shapes.append(Text(columns[4], first + number * small * 1.15, line, role, size=small))
        shapes += _tick_box(columns[0], first + small * 0.6, min(small, step / 3))
        for box, word in enumerate((tr("started"), tr("done"), tr("grams"))):
            x, foot = columns[5] + box * 40, y + step - small * 0.9
            shapes.append(Line(x, foot, x + 34, foot, "muted", 0.6))
            shapes.append(Text(x, foot + small * 0.7, word, "muted", size=small * 0.65))
    bottom = height - margin - 6
    shapes += [
        Line(margin, top + step * len(rows), width - margin, top + step * len(rows), "line", 0.6),
        Text(
            margin,
            bottom - 12,
            tr("This sheet names the arms: leave it at the printer, and judge by the codes alone."),
            "muted",
            size=8,
        ),
        Text(
            margin,
            bottom,
            tr(
                "Hot parts and moving axes; follow the maker’s instructions. Stay within "
                "reach, with a smoke alarm."
            ),
            "muted",
            size=8,
        ),
    ]
    return Drawing(width, height, tuple(shapes), tr("run sheet of {title}", title=title))


def _tick_box(x: float, y: float, side: float) -> list[Shape]:
    """A box to be ticked when the print is made."""
    corners = ((x, y), (x + side, y), (x + side, y + side), (x, y + side), (x, y))
    return [Line(*one, *two, "ink", 0.7) for one, two in pairwise(corners)]


def _label(label: RunLabel, x: float, y: float, grid: LabelGrid) -> list[Shape]:
    width, height = grid.label_width_mm * POINTS_PER_MM, grid.label_height_mm * POINTS_PER_MM
    inset = 7.0
    side = min(height - 2 * inset, width * 0.34)
    code = min(height * 0.34, (width - side - 3 * inset) / (0.72 * max(3, len(label.code))))
    room = width - side - 3 * inset - 24
    small = max(5.0, min(8.5, height * 0.11))
    shapes: list[Shape] = [*_qr(label.link, x + width - inset - side, y + (height - side) / 2, side)]
    shapes.append(Text(x + inset, y + inset + code * 0.86, label.code, "ink", size=code, bold=True))
    # A long name of a study, which stands last, goes on below as far as the label has room above its foot.
    *above, study = label.lines or ("",)
    most = int((height - 2 * inset - code * 0.86 - small) / (1.35 * small))
    lines = [*above, *wrapped(study, room + 24, small, max(1, most - len(above)))]
    for number, line in enumerate(lines):
        at = y + inset + code * 0.86 + small * 1.35 * (number + 1) + 2
        shapes.append(Text(x + inset, at, fit(line, room + 24, small), "ink", size=small))
    return [*shapes, *_front(x + inset, y + height - inset, small)]


def _front(x: float, y: float, size: float) -> list[Shape]:
    """The orientation mark: stick the label with the arrow to the front of the machine."""
    half, up = size * 0.6, size * 0.95
    return [
        Line(x, y - up, x + 2 * half, y - up, "ink", 1.2),
        Line(x, y - up, x + half, y, "ink", 1.2),
        Line(x + 2 * half, y - up, x + half, y, "ink", 1.2),
        Text(x + 2 * half + 5, y - 1, tr("front"), "ink", size=size * 0.9),
    ]


def _qr(text: str, x: float, y: float, side: float) -> list[Shape]:
    import segno

    matrix = segno.make(text, error="m", micro=False).matrix
    step = side / len(matrix)
    shapes: list[Shape] = []
    for row, line in enumerate(matrix):
        start = None
        for column, dark in enumerate((*line, 0)):
            if dark and start is None:
                start = column
            elif not dark and start is not None:
                # A hair wider than the module, so that no white line shows between rows.
                shapes.append(
                    Rect(x + start * step, y + row * step, (column - start) * step, step * 1.02, "ink")
                )
                start = None
    return shapes
