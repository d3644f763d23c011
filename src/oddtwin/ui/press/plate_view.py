"""The plate of the run in hand from above: where each piece lies, and how it is marked."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent

from oddtwin.core.language import tr
from oddtwin.core.picture import Drawing, Placed, plate_picture, plate_squares
from oddtwin.core.study import Run, facing
from oddtwin.ui.theme import Theme, zoom
from oddtwin.ui.widgets import DrawingView

SIZE = QSize(200, 158)


class PlateView(DrawingView):
    """A picture of the plate; ``chosen`` is emitted with the id of the run whose piece is clicked."""

    chosen = Signal(int)

    def __init__(self, theme: Theme) -> None:
        self._runs: Sequence[Run] = ()
        self._pieces: Sequence[Placed] = ()
        super().__init__(theme, self._drawn, SIZE)
        self.setObjectName("plateView")

    def show_plate(self, runs: Sequence[Run], current: Run) -> None:
        """Show all pieces of a plate, the one in hand marked."""
        pieces = [
            Placed(run.code, run.place, facing(run.turn_deg), run.id == current.id, bool(run.set_aside))
            for run in runs
        ]
        self._runs = runs
        if pieces != self._pieces:
            self._pieces = pieces
            self.setCursor(Qt.CursorShape.PointingHandCursor if len(runs) > 1 else Qt.CursorShape.ArrowCursor)
            self.show_anew()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        # Keys choose a piece in the list of runs; the picture is for a hand with a glove on.
        at = event.position() / zoom()
        squares = plate_squares(self._pieces, SIZE.width(), SIZE.height()) if self._pieces else []
        for run, square in zip(self._runs, squares, strict=True):
            inside = square.x <= at.x() <= square.x + square.width
            if inside and square.y <= at.y() <= square.y + square.height:
                self.chosen.emit(run.id)

    def _drawn(self, _: float) -> Drawing:
        if not self._pieces:
            return Drawing(SIZE.width(), SIZE.height(), (), tr("Nothing lies on the plate"))
        return plate_picture(self._pieces, SIZE.width(), SIZE.height())
