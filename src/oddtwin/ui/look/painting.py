"""What is painted over photographs: names, marks and regions."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPen

from oddtwin.ui.theme import FAMILY, px


def paint_name(painter: QPainter, pane: QRect, text: str, mark: bool | None) -> None:
    """Paint the name of a photograph into the corner of its pane.

    ``mark`` puts the ring of the first (False) or the disc of the second (True) beside it; None puts neither.
    """
    if not text:
        return
    font = QFont(FAMILY)
    font.setPixelSize(px(14))
    font.setBold(True)
    painter.setFont(font)
    shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, pane.width() - 60)
    indent = 10 if mark is None else 30
    wide = painter.fontMetrics().horizontalAdvance(shown) + indent + 10
    box = QRectF(pane.left() + 10, 10, wide, 28)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(20, 20, 20, 210))
    painter.drawRoundedRect(box, 4, 4)
    # The mark of the product: the first is a ring, the second a disc.
    if mark is not None:
        painter.setPen(QPen(QColor("#f4f4f4"), 2))
        painter.setBrush(QColor("#f4f4f4") if mark else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(box.left() + 16, box.center().y()), 6, 6)
    painter.setPen(QColor("#f4f4f4"))
    painter.drawText(box.adjusted(indent, 0, -6, 0), Qt.AlignmentFlag.AlignVCenter, shown)


def paint_ring(painter: QPainter, at: QPointF, text: str) -> None:
    """Paint a mark: white on black, to be seen on any photograph."""
    font = QFont(FAMILY)
    font.setPixelSize(px(12))
    font.setBold(True)
    painter.setFont(font)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((QColor(20, 20, 20), 5), (QColor("#ffffff"), 2)):
        painter.setPen(QPen(colour, width))
        painter.drawEllipse(at, 13, 13)
    painter.drawText(QRectF(at.x() - 13, at.y() - 13, 26, 26), Qt.AlignmentFlag.AlignCenter, text)


def paint_box(painter: QPainter, box: QRectF) -> None:
    """Paint a region, to be seen on any photograph."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((QColor(20, 20, 20), 4), (QColor("#ffffff"), 2)):
        painter.setPen(QPen(colour, width))
        painter.drawRect(box)


def tinted(places: NDArray[np.bool_], colour: QColor) -> QImage:
    """Return an image that is clear but where something was found; shape (height, width)."""
    pixels = np.zeros((*places.shape, 4), np.uint8)
    # Blue first: so a pixel of 32 bits lies in memory.
    pixels[places] = (colour.blue(), colour.green(), colour.red(), 190)
    height, width = places.shape
    return QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32).copy()


def paint_places(painter: QPainter, places: Sequence[QPointF]) -> None:
    """Paint many small places, to be seen on any photograph."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(20, 20, 20), 1))
    painter.setBrush(QColor("#ffd23f"))
    for place in places:
        painter.drawEllipse(place, 3, 3)
