"""Photographs in rows on a neutral grey, each with what stands below it."""

from __future__ import annotations

from typing import Final

import numpy as np
from PySide6.QtCore import QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.language import tr
from oddtwin.core.photo import NEUTRAL, Picture
from oddtwin.ui.theme import FAMILY
from oddtwin.ui.widgets.roles import Role, speak_as
from oddtwin.work.contact import Cell

ACROSS: Final = 4
GAP, CAPTION = 12, 26


def picture_image(pixels: Picture) -> QImage:
    """Return a picture as an image of its own.

    Parameters
    ----------
    pixels : array of shape (height, width, 3)
        sRGB.
    """
    whole = np.ascontiguousarray(pixels)
    height, width = whole.shape[:2]
    return QImage(whole.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


class SheetView(QWidget):
    """Photographs in rows on a neutral grey."""

    def __init__(self) -> None:
        super().__init__()
        speak_as(self, Role.Graphic)
        self.setObjectName("contactSheet")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.cells: list[Cell] = []
        self._images: list[QImage] = []

    def show_cells(self, cells: list[Cell]) -> None:
        """Show photographs with their labels."""
        self.cells = cells
        self._images = [picture_image(cell.picture) for cell in cells]
        self.setAccessibleName(tr("Contact sheet: ") + "; ".join(cell.label for cell in cells))
        self.updateGeometry()
        self.setFixedHeight(self._height(max(self.width(), 600)))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(800, self._height(800))

    def image(self) -> QImage:
        """Return the sheet as one picture."""
        wide = 1600
        image = QImage(wide, self._height(wide), QImage.Format.Format_RGB888)
        painter = QPainter(image)
        self._paint(painter, image.rect())
        painter.end()
        return image

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        self._paint(painter, self.rect())
        painter.end()

    def _each(self, width: int) -> tuple[float, float]:
        across = min(ACROSS, max(1, len(self._images)))
        wide = (width - GAP * (across + 1)) / across
        shape = max((image.height() / image.width() for image in self._images), default=0.75)
        return wide, min(wide * shape, 420.0)

    def _height(self, width: int) -> int:
        if not self._images:
            return 120
        across = min(ACROSS, len(self._images))
        lines = -(-len(self._images) // across)
        return round(lines * (self._each(width)[1] + CAPTION + GAP) + GAP)

    def _paint(self, painter: QPainter, room: QRect) -> None:
        painter.fillRect(room, QColor(NEUTRAL, NEUTRAL, NEUTRAL))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        font = QFont(FAMILY)
        font.setPixelSize(13)
        painter.setFont(font)
        painter.setPen(QColor("#ffffff"))
        wide, high = self._each(room.width())
        across = min(ACROSS, max(1, len(self._images)))
        for place, (cell, image) in enumerate(zip(self.cells, self._images, strict=True)):
            left = GAP + (place % across) * (wide + GAP)
            top = GAP + (place // across) * (high + CAPTION + GAP)
            scale = min(wide / image.width(), high / image.height())
            size = (image.width() * scale, image.height() * scale)
            painter.drawImage(QRectF(left, top + high - size[1], *size), image)
            shown = painter.fontMetrics().elidedText(cell.label, Qt.TextElideMode.ElideRight, round(wide))
            painter.drawText(
                QRectF(left, top + high + 2, wide, CAPTION), Qt.AlignmentFlag.AlignVCenter, shown
            )
