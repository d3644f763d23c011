"""The map of a finding, whose cells can be chosen, and what the chosen one shows."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.decide import Finding, cell_sentence
from oddtwin.core.language import tr
from oddtwin.core.picture import CellMap
from oddtwin.ui.theme import Theme, px, zoom
from oddtwin.ui.widgets import paint, paint_focus
from oddtwin.ui.widgets.roles import Role, speak_as

_STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class CellMapView(QWidget):
    """A map of cells; a click, or an arrow key, chooses one, and once more lets it go.

    Signals ``chosen`` with the number of the cell, or −1 for all of them together.
    """

    chosen = Signal(int)

    def __init__(self, finding: Finding, theme: Theme) -> None:
        super().__init__()
        speak_as(self, Role.Graphic)
        self._map = CellMap(finding)
        self._theme = theme
        self._chosen: int | None = None
        self.setObjectName(f"map-{finding.comparison.response}")
        self.setAccessibleName(tr("Cells of {response}", response=finding.comparison.response))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip(
            tr("Click a cell, or go there with the arrow keys, to see its own figures; Esc shows all")
        )
        self._describe()
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(px(600), px(self._map.drawing(600.0).height))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        place = event.position() / zoom()
        at = self._map.at(place.x(), place.y(), self.width() / zoom())
        self._choose(None if at == self._chosen else at)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = _STEPS.get(Qt.Key(event.key()))
        if step is not None:
            self._choose(self._map.beside(self._chosen, *step))
        elif event.key() == Qt.Key.Key_Escape and self._chosen is not None:
            self._choose(None)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.save()
        painter.scale(zoom(), zoom())
        paint(painter, self._map.drawing(self.width() / zoom(), self._chosen), self._theme)
        painter.restore()
        paint_focus(painter, self, self._theme)
        painter.end()

    def _choose(self, number: int | None) -> None:
        if number != self._chosen:
            self._chosen = number
            self._describe()
            self.update()
            self.chosen.emit(-1 if number is None else number)

    def _describe(self) -> None:
        finding = self._map.finding
        if self._chosen is None:
            self.setAccessibleDescription(self._map.drawing(600.0).description)
        else:
            self.setAccessibleDescription(cell_sentence(self._map.cells[self._chosen], finding.comparison))
