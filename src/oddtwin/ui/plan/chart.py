"""The chart of the timetable, on which a run can be taken and moved."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.language import dated, tr
from oddtwin.core.picture import DayChart
from oddtwin.ui.theme import Theme, px, zoom
from oddtwin.ui.widgets import paint, paint_focus
from oddtwin.ui.widgets.roles import Role, speak_as

STEP = timedelta(minutes=15)


class DayChartView(QWidget):
    """Shows a timetable; ``moved`` is emitted with a run's id and its new start."""

    moved = Signal(int, object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        speak_as(self, Role.Graphic)
        self._theme = theme
        self._chart: DayChart | None = None
        self._chosen: int | None = None
        self._grip = 0.0
        self._dragged = 0.0
        self._dragging = False
        self.setObjectName("dayChart")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        theme.changed.connect(self.update)

    @property
    def chart(self) -> DayChart | None:
        """Return the chart as it is laid out now."""
        return replace(self._chart, width=self.width() / zoom()) if self._chart else None

    def show_chart(self, chart: DayChart) -> None:
        """Show a timetable."""
        self._chart = chart
        self.setAccessibleName(chart.drawing().description)
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(px(600), px(self._chart.height if self._chart else 40))

    def paintEvent(self, _: QPaintEvent) -> None:
        chart = self.chart
        if chart is None:
            return
        painter = QPainter(self)
        painter.save()
        painter.scale(zoom(), zoom())
        paint(painter, chart.drawing(self._chosen), self._theme)
        if self._dragging and self._chosen is not None:
            item = next(item for item in chart.placed if item.key == self._chosen)
            left, top, width, height = chart.box(item)
            painter.setPen(self._theme.colour("change"))
            painter.drawRect(round(left + self._dragged), round(top), round(width), round(height))
            at = chart.at(left + self._dragged)
            painter.drawText(round(left + self._dragged), round(top) - 3, dated(at, "%a %H:%M"))
        painter.restore()
        paint_focus(painter, self, self._theme)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        chart = self.chart
        place = event.position() / zoom()
        item = chart.item_at(place.x(), place.y()) if chart else None
        self._chosen = item.key if item else None
        self._grip, self._dragged, self._dragging = place.x(), 0.0, False
        self.setFocus()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not event.buttons():
            self._tell((event.position() / zoom()).x(), (event.position() / zoom()).y())
        elif self._chosen is not None:
            self._dragged = (event.position() / zoom()).x() - self._grip
            self._dragging = self._dragging or abs(self._dragged) > 4
            self.update()

    def _tell(self, x: float, y: float) -> None:
        """Say in a tip which run lies under the mouse."""
        chart = self.chart
        item = chart.item_at(x, y) if chart else None
        self.setToolTip(
            tr(
                "Run {code}: {start:%a %H:%M} to {end:%a %H:%M}",
                code=chart.codes.get(item.key, ""),
                start=item.start,
                end=item.end,
            )
            if chart and item
            else ""
        )

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        chart = self.chart
        if self._dragging and chart is not None and self._chosen is not None:
            item = next(item for item in chart.placed if item.key == self._chosen)
            self.moved.emit(item.key, chart.at(chart.box(item)[0] + self._dragged))
        self._dragging = False
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if self._chart is None or step is None:
            super().keyPressEvent(event)
            return
        placed = self._chart.placed
        place = next((n for n, item in enumerate(placed) if item.key == self._chosen), None)
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            if place is not None:
                self.moved.emit(placed[place].key, placed[place].start + step * STEP)
        else:
            self._chosen = placed[0 if place is None else (place + step) % len(placed)].key
        self.update()
