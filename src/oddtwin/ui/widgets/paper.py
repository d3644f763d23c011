"""Drawings on paper: in the colours of paper, as PDF, and as a small picture of a page."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QBuffer, QMarginsF, QSize, QSizeF
from PySide6.QtGui import QColor, QImage, QPageLayout, QPageSize, QPainter, QPaintEvent, QPdfWriter
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.language import shown
from oddtwin.core.picture import LIGHT, POINTS_PER_MM, Drawing
from oddtwin.ui.widgets.drawing import paint
from oddtwin.ui.widgets.roles import Role, speak_as


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


class PageView(QWidget):
    """A small picture of a page."""

    def __init__(self, name: str) -> None:
        super().__init__()
        speak_as(self, Role.Graphic)
        self._page: Drawing | None = None
        self.setObjectName(name)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def show_page(self, page: Drawing) -> None:
        self._page = page
        self.setAccessibleName(shown(page.description))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(280, round(280 * self._page.height / self._page.width) if self._page else 424)

    def paintEvent(self, _: QPaintEvent) -> None:
        if self._page is None:
            return
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(LIGHT.surface))
        painter.setPen(QColor(LIGHT.line))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        share = self.width() / self._page.width
        painter.scale(share, share)
        paint(painter, self._page, OnPaper())
        painter.end()
