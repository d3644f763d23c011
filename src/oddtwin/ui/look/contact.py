"""The contact sheet of a view: all prints beside one another, the baseline's first."""

from __future__ import annotations

from PySide6.QtCore import QBuffer
from PySide6.QtWidgets import QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.core.study import Photograph, Run
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.theme import Theme
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
from oddtwin.ui.widgets.sheet import SheetView
from oddtwin.work.contact import Cell, contact_page, small_cells


class ContactPanel(QWidget):
    """All photographs of the view in hand, and how they leave as one file."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        del theme
        self._desk = desk
        self._key: object = None
        self._nothing = Card(
            heading(tr("No photographs of this view yet")),
            label(tr("File them under Photographs; all prints then lie here beside one another.")),
        )
        self._sheet = SheetView()
        self._told = label("", "quiet")
        self._progress = ProgressRow("contactProgress", lambda: desk.workbench.lanes.cancel(self))
        self._png, self._html = LineField("contactPng", width=420), LineField("contactHtml", width=420)
        self._png.edit.setAccessibleName(tr("Where to write the picture"))
        self._html.edit.setAccessibleName(tr("Where to write the page"))
        self._written = label("", "quiet")
        self._leaving = Card(
            row(self._png, button(tr("Write as PNG"), self._on_png_clicked, name="writeContactPng"), None),
            row(
                self._html, button(tr("Write as HTML"), self._on_html_clicked, name="writeContactHtml"), None
            ),
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
        labels = tuple(self._label(run, shot) for run, shot in shots)
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
        self._told.setText(tr("Reading {shots} photographs …", shots=len(shots)))
        book = self._desk.workbench.book
        asked = list(zip(labels, key[1], strict=True))
        running = self._desk.workbench.figure(
            self, lambda job: small_cells(book, asked, job), lambda cells: self._on_ready(key, cells)
        )
        self._progress.follow(running)

    def _label(self, run: Run, shot: Photograph) -> str:
        take = tr(", take {retake}", retake=shot.retake + 1) if shot.retake else ""
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
        self._written.setText(tr("Written: {path}", path=path) if path else "")

    def _on_html_clicked(self) -> None:
        view = self._desk.view
        title = f"{self._desk.study.name}: {view.name if view else ''}"
        path = write_typed(self._html, ".html", contact_page(title, self._sheet.cells))
        self._written.setText(tr("Written: {path}", path=path) if path else "")
