"""Two paths of one layer, drawn over one another."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QTransform, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.language import tr
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import at_least, paint_focus
from oddtwin.ui.widgets.roles import Role, speak_as

Floats = NDArray[np.float64]

MARGIN: Final = 28.0
CLUSTER_PX: Final = 26.0
MOST_MARKS: Final = 40


class LayerCanvas(QWidget):
    """Draws a layer: baseline wide in the ring's colour, change narrow over it in the disc's.

    ``stepped`` is emitted with +1 or -1 when the next layer up or down is asked for. The wheel
    zooms at the pointer, dragging moves, a double click shows the whole layer again.
    """

    stepped = Signal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        speak_as(self, Role.Canvas)
        self.setObjectName("layerCanvas")
        self.setAccessibleName(tr("Paths of both files in one layer"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        at_least(self, height=300)
        self._theme = theme
        self._parted: Floats = np.zeros((0, 2))
        self._breaks: Floats = np.zeros((0, 2))
        self._baseline: list[QLineF] = []
        self._change: list[QLineF] = []
        self._view = QRectF(0, 0, 100, 100)
        self._zoom = 1.0
        self._shift = QPointF(0, 0)
        self._dragged: QPointF | None = None
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(700, 380)

    def show_lines(self, baseline: Floats, change: Floats, whole: QRectF) -> None:
        """Show the lines of a layer, rows of (x1, y1, x2, y2), without marks.

        ``whole`` is the part of the plate that all layers take; all in mm.
        """
        self._view = whole
        # Made once for a layer: painting is asked for at every move of the mouse.
        self._baseline = [QLineF(*line) for line in baseline.tolist()]
        self._change = [QLineF(*line) for line in change.tolist()]
        self.show_parted(np.zeros((0, 2)))
        self.show_breaks(np.zeros((0, 2)))

    def show_parted(self, places: Floats) -> None:
        """Mark the places where the paths part, rows of (x, y) in mm."""
        self._parted = places
        self.update()

    def show_breaks(self, places: Floats) -> None:
        """Mark the places where a line was laid beside an old one, rows of (x, y) in mm."""
        self._breaks = places
        self.update()

    def show_whole(self) -> None:
        """Fit the whole layer into the view."""
        self._zoom, self._shift = 1.0, QPointF(0, 0)
        self.update()

    def transform(self) -> QTransform:
        """Return the way from millimetres to pixels; the plate's back is up."""
        wide, high = max(self._view.width(), 1e-6), max(self._view.height(), 1e-6)
        fit = min((self.width() - 2 * MARGIN) / wide, (self.height() - 2 * MARGIN) / high)
        scale = max(fit, 1e-6) * self._zoom
        found = QTransform()
        found.translate(self.width() / 2 + self._shift.x(), self.height() / 2 + self._shift.y())
        # Millimetres count upwards from the front edge, pixels downwards.
        found.scale(scale, -scale)
        found.translate(-self._view.center().x(), -self._view.center().y())
        return found

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._theme.colour("sunken"))
        way = self.transform()
        # Smooth edges of very many lines take long and are not seen.
        few = len(self._baseline) + len(self._change) < 30_000
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, few)
        painter.setTransform(way)
        for lines, role, width in ((self._baseline, "baseline", 4.0), (self._change, "change", 1.6)):
            pen = QPen(self._theme.colour(role), width)
            # Lines keep their width on the screen at every zoom: widths tell the two files apart, not
            # millimetres.
            pen.setCosmetic(True)
            painter.setPen(pen)
            painter.drawLines(lines)
        painter.resetTransform()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self._theme.colour("worse"), 2))
        for mark in _marks(self._parted, way):
            painter.drawEllipse(mark, 11, 11)
        painter.setPen(QPen(self._theme.colour("ink"), 2))
        for mark in _marks(self._breaks, way):
            painter.drawRect(QRectF(mark.x() - 5, mark.y() - 5, 10, 10))
        self._paint_scale(painter, way.m11())
        paint_focus(painter, self, self._theme)
        painter.end()

    def _paint_scale(self, painter: QPainter, scale: float) -> None:
        """Draw a bar that tells how long millimetres are."""
        length = next((size for size in (1, 2, 5, 10, 20, 50, 100) if size * scale > 60), 100)
        left, bottom = 16.0, self.height() - 14.0
        painter.setPen(QPen(self._theme.colour("ink"), 2))
        painter.drawLine(QPointF(left, bottom), QPointF(left + length * scale, bottom))
        painter.drawText(QPointF(left, bottom - 6), f"{length} mm")

    def wheelEvent(self, event: QWheelEvent) -> None:
        factor = 1.2 ** (event.angleDelta().y() / 120)
        zoom = min(400.0, max(0.5, self._zoom * factor))
        middle = QPointF(self.width() / 2, self.height() / 2)
        away = event.position() - middle - self._shift
        # What lies under the pointer stays there.
        self._shift -= away * (zoom / self._zoom - 1)
        self._zoom = zoom
        self.update()
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._dragged = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged is not None:
            self._shift += event.position() - self._dragged
            self._dragged = event.position()
            self.update()

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._dragged = None

    def mouseDoubleClickEvent(self, _: QMouseEvent) -> None:
        self.show_whole()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_PageUp: 10, Qt.Key.Key_Down: -1, Qt.Key.Key_PageDown: -10}
        step = steps.get(Qt.Key(event.key()))
        if step:
            self.stepped.emit(step)
        elif event.key() == Qt.Key.Key_0:
            self.show_whole()
        else:
            super().keyPressEvent(event)


def _marks(places: Floats, way: QTransform) -> list[QPointF]:
    """Return where to mark some places, in pixels: one mark for places close together."""
    if not len(places):
        return []
    x = places[:, 0] * way.m11() + way.dx()
    y = places[:, 1] * way.m22() + way.dy()
    # Clustered in pixels and not in millimetres, so that marks come apart as one zooms in.
    cells = np.unique(np.stack([x // CLUSTER_PX, y // CLUSTER_PX]).astype(np.int64), axis=1).T
    if len(cells) > MOST_MARKS:
        cells = cells[np.linspace(0, len(cells) - 1, MOST_MARKS).astype(int)]
    return [QPointF((a + 0.5) * CLUSTER_PX, (b + 0.5) * CLUSTER_PX) for a, b in cells.tolist()]
