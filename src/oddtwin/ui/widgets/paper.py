"""Drawings on paper: in the colours of paper, as PDF, and as a small picture of a page."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PySide6.QtCore import QBuffer, QMarginsF, QSize, QSizeF
from PySide6.QtGui import QColor, QImage, QPageLayout, QPageSize, QPainter, QPaintEvent, QPdfWriter
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.language import shown
from oddtwin.core.picture import LIGHT, POINTS_PER_MM, Drawing
from oddtwin.ui.widgets.drawing import paint
from oddtwin.ui.widgets.roles import Role, speak_as

_PICTURED: Final = 280
"""Width of a small picture of a page in pixels."""
_SHARP: Final = 2
"""So many times as many pixels as are shown, so that it stays sharp at twice the scale."""
_BLANK: Final = 424
"""Height of a page that was not drawn yet, in pixels."""


class OnPaper:
    """The colours of paper, light whatever the screen has."""

    def colour(self, role: str) -> QColor:
        return QColor(LIGHT.of(role))


def pdf_of(pages: Sequence[Drawing], title: str) -> bytes:
    """Return drawings, whose lengths are points, as the pages of a PDF."""
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setTitle(title)
    first = pages[0]
    size = QSizeF(first.width / POINTS_PER_MM, first.height / POINTS_PER_MM)
    layout = QPageLayout(
        QPageSize(size, QPageSize.Unit.Millimeter), QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0)
    )
    writer.setPageLayout(layout)
    writer.setResolution(720)
    painter = QPainter(writer)
    painter.scale(10, 10)
    for number, page in enumerate(pages):
        if number:
            writer.newPage()
        paint(painter, page, OnPaper())
    painter.end()
    return bytes(buffer.data().data())


def png_of(drawing: Drawing) -> bytes:
    """Return a drawing, whose lengths are pixels, as a PNG."""
    image = QImage(round(drawing.width), round(drawing.height), QImage.Format.Format_RGB32)
    image.fill(QColor(LIGHT.surface))
    painter = QPainter(image)
    paint(painter, drawing, OnPaper())
    painter.end()
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())


def picture_of(page: Drawing) -> QImage:
    """Return a small picture of a page, sharp at any scale; a sheet of QR codes takes a tenth of a second.

    May be called on any thread.
    """
    size = QSize(_PICTURED, round(_PICTURED * page.height / page.width)) * _SHARP
    image = QImage(size, QImage.Format.Format_RGB32)
    image.fill(QColor(LIGHT.surface))
    painter = QPainter(image)
    painter.scale(size.width() / page.width, size.width() / page.width)
    paint(painter, page, OnPaper())
    painter.end()
    return image


class PageView(QWidget):
    """A small picture of a page."""

    def __init__(self, name: str) -> None:
        super().__init__()
        speak_as(self, Role.Graphic)
        self._picture = QImage()
        self.setObjectName(name)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def show_page(self, picture: QImage, description: str) -> None:
        """Show the picture of a page; the description is for those who cannot see it."""
        self._picture = picture
        self.setAccessibleName(shown(description))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(_PICTURED, _BLANK) if self._picture.isNull() else self._picture.size() / _SHARP

    def paintEvent(self, _: QPaintEvent) -> None:
        if self._picture.isNull():
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.rect(), self._picture)
        painter.setPen(QColor(LIGHT.line))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()
