"""A figure looked at: the region it was measured in, with the fit drawn over it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.photo import NEUTRAL
from oddtwin.ui.look.painting import picture_image
from oddtwin.ui.theme import Theme
from oddtwin.work.measured import MeasuredShot

HEIGHT = 190


class FitView(QWidget):
    """The patch of one photograph; below it the profile that was seen, and the wave that was fitted."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("fitView")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._theme = theme
        self._shot: MeasuredShot | None = None
        theme.changed.connect(self.update)
        self.hide()

    def sizeHint(self) -> QSize:
        return QSize(700, HEIGHT)

    def show_shot(self, shot: MeasuredShot | None) -> None:
        """Show where and how a figure was read; nothing where it was refused before it was cut out."""
        self._shot = shot if shot is not None and shot.patch is not None else None
        self.setVisible(self._shot is not None)
        if self._shot is not None:
            self.setAccessibleName(f"The region of {self._shot.run.code}: {self._shot.measured.sentence}")
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(NEUTRAL, NEUTRAL, NEUTRAL))
        shot = self._shot
        if shot is not None and shot.patch is not None:
            image = picture_image(shot.patch.picture)
            room = QRectF(self.rect()).adjusted(6, 6, -6, -6)
            scale = min(room.width() / image.width(), room.height() / image.height())
            target = QRectF(room.left(), room.top(), image.width() * scale, image.height() * scale)
            painter.drawImage(target, image)
            x, y, width, height = shot.patch.region
            box = QRectF(target.left() + x * scale, target.top() + y * scale, width * scale, height * scale)
            painter.setPen(QPen(QColor("#ffffff"), 1.5, Qt.PenStyle.DashLine))
            painter.drawRect(box)
            self._paint_curves(painter, shot, box, scale)
        painter.end()

    def _paint_curves(self, painter: QPainter, shot: MeasuredShot, box: QRectF, scale: float) -> None:
        curves = shot.curves
        if curves is None:
            return
        most = max(float(np.abs(curves.seen).max()), float(np.abs(curves.fitted).max()), 1e-6)
        middle, reach = box.center().y(), box.height() * 0.42
        for values, colour, width in (
            (curves.seen, QColor(20, 20, 20), 3.0),
            (curves.seen, QColor("#ffffff"), 1.4),
            (curves.fitted, self._theme.colour("change"), 2.4),
        ):
            line = QPolygonF(
                [
                    QPointF(box.left() + x * scale, middle - value / most * reach)
                    for x, value in zip(curves.x.tolist(), values.tolist(), strict=True)
                ]
            )
            painter.setPen(QPen(colour, width))
            painter.drawPolyline(line)
