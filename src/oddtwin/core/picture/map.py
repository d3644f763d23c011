"""The map of a comparison: every machine, piece and zone with its own ring and disc."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from oddtwin.core.decide import Cellwise, Finding, JudgedCell, cell_decimals, cell_sentence, measure_unit
from oddtwin.core.effects import Place
from oddtwin.core.language import tr
from oddtwin.core.picture.mark import twin_mark
from oddtwin.core.picture.shapes import Drawing, Line, Rect, Shape, Text, clipped, moved
from oddtwin.core.quantities import format_signed

HIGH: Final = 58.0
_HEAD: Final = 22.0
_LABEL: Final = 128.0
_WIDEST: Final = 150.0
_MARK: Final = 24.0
MOST_COLUMNS: Final = 12
"""More than this many would leave no room for a figure; they are then listed downwards."""


@dataclass(frozen=True, slots=True)
class CellMap:
    """A table of cells as it is painted.

    Parameters
    ----------
    finding : Finding
        Judged cell by cell.
    """

    finding: Finding

    @property
    def cells(self) -> tuple[JudgedCell, ...]:
        """All cells, in the order in which they are gone through."""
        return self._cellwise.cells

    @property
    def columns(self) -> list[str]:
        """What stands above the columns."""
        return list(dict.fromkeys(self._split(one)[1] for one in self.cells))

    @property
    def rows(self) -> list[str]:
        """What stands before the rows."""
        return list(dict.fromkeys(self._split(one)[0] for one in self.cells))

    def drawing(self, width: float, chosen: int | None = None) -> Drawing:
        """Draw the map.

        Parameters
        ----------
        width : float
            In pixels.
        chosen : int, optional
            Number of the cell whose figures are shown below.
        """
        rows, columns = self.rows, self.columns
        wide = self._wide(width)
        high = _HEAD + HIGH * len(rows)
        shapes: list[Shape] = [
            Text(self._label + (place + 0.5) * wide, 14, clipped(name, wide), "muted", "middle", 11)
            for place, name in enumerate(columns)
        ]
        for place, name in enumerate(rows):
            shapes.append(Text(6, _HEAD + (place + 0.55) * HIGH, clipped(name, _LABEL), "ink", "start", 11))
            for column in range(len(columns)):
                # Where nothing can be seen, nothing is left white as if it had been looked at.
                box = self._box(place, column, wide)
                shapes.append(Rect(*box, "sunken", 0.7))
        for number, one in enumerate(self.cells):
            shapes += self._cell(one, self._box(*self._at(one), wide), number == chosen)
        told = "; ".join(cell_sentence(one, self.finding.comparison).rstrip(".") for one in self.cells)
        return Drawing(
            width,
            high,
            tuple(shapes),
            tr("{response} cell by cell: {told}.", response=self.finding.comparison.response, told=told),
        )

    def at(self, x: float, y: float, width: float) -> int | None:
        """Return the number of the cell at a point of the drawing; None beside them."""
        wide = self._wide(width)
        for number, one in enumerate(self.cells):
            left, top, across, down = self._box(*self._at(one), wide)
            if left <= x <= left + across and top <= y <= top + down:
                return number
        return None

    def beside(self, chosen: int | None, right: int, down: int) -> int:
        """Return the cell that lies next to another in a direction; itself where none does."""
        if chosen is None:
            return 0
        row, column = self._at(self.cells[chosen])
        places = {self._at(one): number for number, one in enumerate(self.cells)}
        row, column = row + down, column + right
        while 0 <= row < len(self.rows) and 0 <= column < len(self.columns):
            if (row, column) in places:
                return places[row, column]
            row, column = row + down, column + right
        return chosen

    @property
    def _cellwise(self) -> Cellwise:
        if self.finding.cellwise is None:
            raise ValueError(tr("a finding without cells has no map"))
        return self.finding.cellwise

    def _split(self, one: JudgedCell) -> tuple[str, str]:
        """Return what names the row and the column of a cell: zones go across, where there are any."""
        varied = [
            name for name in Place._fields if len({getattr(o.cell.place, name) for o in self.cells}) > 1
        ]
        across = varied[-1]
        if len({getattr(o.cell.place, across) for o in self.cells}) > MOST_COLUMNS:
            across = varied[0] if len(varied) > 1 else ""
        place = one.cell.place
        down = Place(**{name: getattr(place, name) for name in varied if name != across})
        return down.name, getattr(place, across) if across else measure_unit(self.finding.comparison)

    def _at(self, one: JudgedCell) -> tuple[int, int]:
        row, column = self._split(one)
        return self.rows.index(row), self.columns.index(column)

    def _wide(self, width: float) -> float:
        return min(_WIDEST, (width - self._label) / max(1, len(self.columns)))

    @property
    def _label(self) -> float:
        """Room for what names the rows."""
        return _LABEL if any(self.rows) else 0.0

    def _box(self, row: int, column: int, wide: float) -> tuple[float, float, float, float]:
        return self._label + column * wide + 2, _HEAD + row * HIGH + 2, wide - 4, HIGH - 4

    def _cell(self, one: JudgedCell, box: tuple[float, float, float, float], chosen: bool) -> list[Shape]:
        left, top, wide, high = box
        side = one.verdict.value.partition("-")[2]
        role = side if one.verdict.odd and side else "change" if one.verdict.odd else "surface"
        shapes: list[Shape] = [Rect(*box, "line"), Rect(left + 1, top + 1, wide - 2, high - 2, "surface")]
        if one.verdict.odd:
            shapes.append(Rect(*box, role, 0.16))
        if chosen:
            for x1, y1, x2, y2 in (
                (left, top, left + wide, top),
                (left, top + high, left + wide, top + high),
                (left, top, left, top + high),
                (left + wide, top, left + wide, top + high),
            ):
                shapes.append(Line(x1, y1, x2, y2, "accent", 2))
        mark = twin_mark(one.verdict, _MARK)
        shapes += moved(mark.shapes, left + wide / 2 - mark.width / 2, top + 3)
        figure = format_signed(one.cell.estimate, cell_decimals(one, self.finding.comparison))
        shapes.append(Text(left + wide / 2, top + 39, figure, "ink", "middle", 12, True))
        if one.verdict.odd and side:
            shapes.append(Text(left + wide / 2, top + 50, tr(side), side, "middle", 10))
        return shapes
