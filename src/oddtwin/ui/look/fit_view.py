"""A figure looked at: the region it was measured in, with what was found and fitted drawn over it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.language import tr
from oddtwin.core.photo import NEUTRAL, Curves, StepRegion, Trace
from oddtwin.core.quantities import format_number, format_reading, format_signed, with_unit
from oddtwin.ui.look.painting import paint_box, tinted
from oddtwin.ui.theme import FAMILY, Theme, px
from oddtwin.ui.widgets.roles import Role, speak_as
from oddtwin.ui.widgets.sheet import picture_image
from oddtwin.work.measured import MeasuredShot, Patch

HEIGHT = 190
SHADE = QColor(20, 20, 20, 200)


class FitView(QWidget):
    """The patch of one photograph; below it the profile that was seen, and the wave that was fitted."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        speak_as(self, Role.Graphic)
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
            self.setAccessibleName(
                tr(
                    "The region of {run_code}: {sentence}",
                    run_code=self._shot.run.code,
                    sentence=self._shot.measured.sentence,
                )
            )
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(NEUTRAL, NEUTRAL, NEUTRAL))
        shot = self._shot
        if shot is not None and shot.patch is not None:
            room = QRectF(self.rect()).adjusted(8, 8, -8, -8)
            right = self._paint_region(painter, shot, shot.patch, room)
            if shot.curves is not None and room.right() - right > 200:
                self._paint_plot(painter, shot.curves, room.adjusted(right - room.left() + 64, 10, -10, -26))
        painter.end()

    def _paint_region(self, painter: QPainter, shot: MeasuredShot, patch: Patch, room: QRectF) -> float:
        """Paint the patch with its region; returns where it ends at the right."""
        image = picture_image(patch.picture)
        scale = min(room.width() / image.width(), room.height() / image.height())
        target = QRectF(room.left(), room.top(), image.width() * scale, image.height() * scale)
        painter.drawImage(target, image)
        x, y, width, height = patch.region
        box = QRectF(target.left() + x * scale, target.top() + y * scale, width * scale, height * scale)
        self._paint_steps(
            painter, shot.measured.detail.get("steps", ()), patch.steps, target.topLeft(), scale
        )
        paint_box(painter, box)
        self._paint_trace(painter, shot.measured.trace, box, scale)
        if shot.curves is not None:
            self._paint_lines(painter, shot.curves, box, scale)
        return target.right()

    def _paint_steps(
        self,
        painter: QPainter,
        told: Sequence[Mapping[str, Any]],
        steps: Sequence[StepRegion],
        off: QPointF,
        scale: float,
    ) -> None:
        """Paint the steps of an overhang, each with its angle and droop."""
        _small_letters(painter)
        for step, one in zip(steps, told, strict=False):
            x, y, width, height = (scale * number for number in step.region)
            box = QRectF(off.x() + x, off.y() + y, width, height)
            paint_box(painter, box)
            droop = "?" if one["mm"] is None else with_unit(format_number(one["mm"], 2), "mm")
            text = f"{format_reading(step.angle_deg)}°: {droop}"
            under = painter.fontMetrics().boundingRect(text).size()
            painter.fillRect(QRectF(box.left(), box.top(), under.width() + 8, under.height() + 2), SHADE)
            painter.setPen(QPen(QColor("#ffffff"), 1))
            painter.drawText(QPointF(box.left() + 4, box.top() + under.height() - 2), text)

    def _paint_trace(self, painter: QPainter, trace: Trace, box: QRectF, scale: float) -> None:
        """Paint the lines and places that a figure was read from."""
        colour = self._theme.colour("change")
        if trace.places is not None:
            painter.drawImage(box, tinted(trace.places, colour))
        for line in trace.lines:
            points = QPolygonF(
                [QPointF(box.left() + x * scale, box.top() + y * scale) for x, y in line.tolist()]
            )
            for pen in (QPen(QColor(20, 20, 20, 160), 2.4), QPen(colour, 1.2)):
                painter.setPen(pen)
                painter.drawPolyline(points)

    def _paint_plot(self, painter: QPainter, curves: Curves, room: QRectF) -> None:
        """Paint the profile along the wall, in millimetres and % of the local light."""
        _small_letters(painter)
        painter.drawLine(room.bottomLeft(), room.bottomRight())
        most = _most(curves)
        middle = room.center().y()
        for value, level in ((most, room.top()), (0.0, middle), (-most, room.bottom())):
            text = f"{format_signed(value, 1)} %" if value else "0 %"
            where = QRectF(room.left() - 62, level - 9, 56, 18)
            painter.drawText(where, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        first, last = float(curves.x.min()), float(curves.x.max())
        scale = room.width() / max(last - first, 1e-9)
        step = next(size for size in (1, 2, 5, 10, 20, 50) if size * curves.px_per_mm * scale > 50)
        for number in range(1, int((last - first) / curves.px_per_mm / step) + 1):
            at = room.left() + number * step * curves.px_per_mm * scale
            painter.drawLine(QPointF(at, room.bottom()), QPointF(at, room.bottom() + 4))
            where = QRectF(at - 30, room.bottom() + 6, 60, 16)
            painter.drawText(where, Qt.AlignmentFlag.AlignHCenter, f"{number * step} mm")
        self._paint_lines(painter, curves, room.translated(-first * scale, 0), scale, 0.5)

    def _paint_lines(
        self, painter: QPainter, curves: Curves, box: QRectF, scale: float, reach: float = 0.42
    ) -> None:
        """Paint what was seen in white on black, and the fit over it."""
        most, middle = _most(curves), box.center().y()
        for values, colour, width in (
            (curves.seen, QColor(20, 20, 20), 3.0),
            (curves.seen, QColor("#ffffff"), 1.4),
            (curves.fitted, self._theme.colour("change"), 2.4),
        ):
            line = QPolygonF(
                [
                    QPointF(box.left() + x * scale, middle - value / most * reach * box.height())
                    for x, value in zip(curves.x.tolist(), values.tolist(), strict=True)
                ]
            )
            painter.setPen(QPen(colour, width))
            painter.drawPolyline(line)


def _small_letters(painter: QPainter) -> None:
    font = QFont(FAMILY)
    font.setPixelSize(px(12))
    painter.setFont(font)
    painter.setPen(QPen(QColor("#ffffff"), 1))


def _most(curves: Curves) -> float:
    return max(float(np.abs(curves.seen).max()), float(np.abs(curves.fitted).max()), 1e-6)
