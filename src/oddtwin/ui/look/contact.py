"""The contact sheet of a view: all prints beside one another, the baseline's first."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QBuffer, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from oddtwin.core.job import Job
from oddtwin.core.photo import NEUTRAL
from oddtwin.store import LabBook
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.look.painting import picture_image
from oddtwin.ui.theme import FAMILY, Theme
from oddtwin.ui.widgets import (
    Card,
    LineField,
    ProgressRow,
    button,
    heading,
    label,
    proposed_path,
    row,
    write_typed,
)
from oddtwin.work.contact import Cell, contact_page
from oddtwin.work.derived import small_copy
from oddtwin.work.photos import PhotoError

ACROSS: Final = 4
GAP, CAPTION = 12, 26


class ContactPanel(QWidget):
    """All photographs of the view in hand, and how they leave as one file."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        del theme
        self._desk = desk
        self._key: object = None
        self._nothing = Card(
            heading("No photographs of this view yet"),
            label("File them under Photographs; all prints then lie here beside one another."),
        )
        self._sheet = SheetView()
        self._told = label("", "quiet")
        self._progress = ProgressRow("contactProgress", lambda: desk.workbench.lanes.cancel(self))
        self._png, self._html = LineField("contactPng", width=420), LineField("contactHtml", width=420)
        self._written = label("", "quiet")
        self._leaving = Card(
            row(self._png, button("Write as PNG", self._on_png_clicked, name="writeContactPng"), None),
            row(self._html, button("Write as HTML", self._on_html_clicked, name="writeContactHtml"), None),
            self._written,
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        for part in (self._nothing, self._told, self._progress, self._sheet, self._leaving):
            layout.addWidget(part)
        self.first = self._png

    def refresh(self) -> None:
        """Show the view in hand."""
        shots = self._desk.shots()
        for part in (self._sheet, self._leaving, self._told):
            part.setVisible(bool(shots))
        self._nothing.setVisible(not shots)
        labels = tuple(self._label(place) for place in range(len(shots)))
        # Read again only where another picture, or another name, is to be shown.
        key = (labels, tuple(shot.sha256 for _, shot in shots))
        if key == self._key:
            return
        self._key = key
        self._sheet.show_cells([])
        if not shots:
            return
        view = self._desk.view
        name = f"{self._desk.study.name} {view.name if view else ''}"
        self._png.show_text(proposed_path(name, "-contact.png"))
        self._html.show_text(proposed_path(name, "-contact.html"))
        self._written.setText("")
        self._told.setText(f"Reading {len(shots)} photographs …")
        book = self._desk.workbench.book
        asked = list(zip(labels, key[1], strict=True))
        running = self._desk.workbench.figure(
            self, lambda job: _cells(book, asked, job), lambda cells: self._on_ready(key, cells)
        )
        self._progress.follow(running)

    def _label(self, place: int) -> str:
        run, shot = self._desk.shots()[place]
        take = f", take {shot.retake + 1}" if shot.retake else ""
        return f"{self._desk.label(run)}{take}"

    def _on_ready(self, key: object, found: tuple[list[Cell], list[str]]) -> None:
        if key != self._key:
            return
        cells, missing = found
        self._sheet.show_cells(cells)
        self._told.setText(" ".join(missing))
        self._told.setVisible(bool(missing))

    def _on_png_clicked(self) -> None:
        image = self._sheet.image()
        buffer = QBuffer()
        buffer.open(QBuffer.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")  # type: ignore[call-overload]
        path = write_typed(self._png, ".png", bytes(buffer.data().data()))
        self._written.setText(f"Written: {path}" if path else "")

    def _on_html_clicked(self) -> None:
        view = self._desk.view
        title = f"{self._desk.study.name}: {view.name if view else ''}"
        path = write_typed(self._html, ".html", contact_page(title, self._sheet.cells))
        self._written.setText(f"Written: {path}" if path else "")


def _cells(book: LabBook, asked: list[tuple[str, str]], job: Job) -> tuple[list[Cell], list[str]]:
    cells, missing = [], []
    for number, (text, sha256) in enumerate(asked):
        job.check()
        job.tell(number / len(asked))
        try:
            cells.append(Cell(text, small_copy(book, sha256)))
        except PhotoError as error:
            missing.append(f"{text}: {error}.")
    return cells, missing


class SheetView(QWidget):
    """Photographs in rows on a neutral grey."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("contactSheet")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.cells: list[Cell] = []
        self._images: list[QImage] = []

    def show_cells(self, cells: list[Cell]) -> None:
        """Show photographs with their labels."""
        self.cells = cells
        self._images = [picture_image(cell.picture) for cell in cells]
        self.setAccessibleName("Contact sheet: " + "; ".join(cell.label for cell in cells))
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
