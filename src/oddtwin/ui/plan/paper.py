"""Paper: a sheet of labels, and a run sheet for each machine, as PDF."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import pairwise
from typing import Final

from PySide6.QtGui import QImage
from PySide6.QtWidgets import QComboBox, QLayout, QVBoxLayout, QWidget

from oddtwin.core.job import Job
from oddtwin.core.language import tr, trn
from oddtwin.core.outlook import labels_of, sheet_rows
from oddtwin.core.picture import GRIDS, Drawing, label_sheets, run_sheet
from oddtwin.core.study import Study
from oddtwin.ui.widgets import (
    Card,
    LineField,
    button,
    choose,
    column_label,
    heading,
    label,
    proposed_path,
    row,
    spin_box,
    write_typed,
)
from oddtwin.ui.widgets.paper import PageView, pdf_of, picture_of
from oddtwin.ui.workbench import Workbench

_PAGES: Final = (("A4", (210.0, 297.0)), ("Letter", (215.9, 279.4)))


class PaperPanel(QWidget):
    """Labels and run sheets, each with a small picture of its first page."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._study_id: int | None = None
        self._grid, self._page = QComboBox(), QComboBox()
        self._grid.setObjectName("labelGrid")
        self._page.setObjectName("sheetPage")
        choose(self._grid, [(grid.name, place) for place, grid in enumerate(GRIDS)], 0)
        choose(self._page, [(name, place) for place, (name, _) in enumerate(_PAGES)], 0)
        self._first = spin_box("firstLabel", 1, 40)
        self._grid.currentIndexChanged.connect(self._show)
        self._page.currentIndexChanged.connect(self._show)
        self._first.valueChanged.connect(self._show)
        self._labels, self._sheets = PageView("labelPreview"), PageView("sheetPreview")
        self._label_path, self._sheet_path = LineField("labelsPath"), LineField("sheetsPath")
        self._written = label("", "quiet")
        self._written.setObjectName("paperWritten")
        self._none = Card(
            heading(tr("Nothing to print yet")),
            label(tr("Draw the order under Design first; the runs then have their codes.")),
        )
        self._cards = (self._labels_card(), self._sheets_card())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(14)
        for part in (self._none, *self._cards, self._written):
            layout.addWidget(part)

    def refresh(self) -> None:
        """Show the study in hand."""
        study = self._workbench.study
        if study is None:
            return
        if study.id != self._study_id:
            self._study_id = study.id
            self._label_path.show_text(proposed_path(study.name, "-labels.pdf"))
            self._sheet_path.show_text(proposed_path(study.name, "-run-sheets.pdf"))
            self._written.setText("")
        self._none.setVisible(not study.runs)
        for card in self._cards:
            card.setVisible(bool(study.runs))
        self._show()

    def _labels_card(self) -> Card:
        return _paper_card(
            tr("Labels"),
            self._labels,
            label(
                tr(
                    "A label for each run, with its code, piece and place, a QR code, and a mark "
                    "for the front. Nothing on it tells the arm. Stick it under the print, with "
                    "the arrow to the front of the machine."
                ),
                "quiet",
            ),
            row(column_label(tr("Sheet")), self._grid, None),
            row(column_label(tr("First label at place")), self._first, None),
            row(
                self._label_path,
                button(tr("Write the labels"), self._on_labels_clicked, main=True, name="writeLabels"),
            ),
        )

    def _sheets_card(self) -> Card:
        return _paper_card(
            tr("Run sheets"),
            self._sheets,
            label(
                tr(
                    "A page for each machine, to hang at the printer: the runs in their order with what "
                    "to set up and to check, and room to write down start, end and grams."
                ),
                "quiet",
            ),
            row(column_label(tr("Page")), self._page, None),
            row(
                self._sheet_path,
                button(tr("Write the run sheets"), self._on_sheets_clicked, main=True, name="writeSheets"),
            ),
        )

    def _show(self) -> None:
        study = self._workbench.study
        if study is not None and study.runs:
            # Even one page of QR codes takes a while.
            pages = [self._label_pages(study), self._sheet_pages(study)]
            self._workbench.figure(self, lambda _: _pictures(pages), self._show_pages)

    def _show_pages(self, drawn: list[tuple[QImage, str]]) -> None:
        for view, page in zip((self._labels, self._sheets), drawn, strict=True):
            view.show_page(*page)

    def _label_pages(self, study: Study) -> Iterator[Drawing]:
        """Return the pages of labels, drawn one by one: each holds as many QR codes as it has places."""
        grid = GRIDS[self._grid.currentData()]
        labels, first = labels_of(study), min(self._first.value(), grid.each)
        ends = [0, *range(grid.each - first + 1, len(labels), grid.each), len(labels)]
        return (
            page
            for begin, end in pairwise(ends)
            for page in label_sheets(labels[begin:end], grid, first if begin == 0 else 1)
        )

    def _sheet_pages(self, study: Study) -> Iterator[Drawing]:
        size = _PAGES[self._page.currentData()][1]
        return (
            run_sheet(machine, tr("{study} · {rows} runs", study=study.name, rows=len(rows)), rows, size)
            for machine, rows in sheet_rows(study).items()
        )

    def _on_labels_clicked(self) -> None:
        self._make(self._label_path, self._label_pages)

    def _on_sheets_clicked(self) -> None:
        self._make(self._sheet_path, self._sheet_pages)

    def _make(self, field: LineField, pages: Callable[[Study], Iterator[Drawing]]) -> None:
        """Draw the pages beside the window, which goes on; then write them."""
        study = self._workbench.study
        if study is None:
            return
        total, drawing = len(study.runs), pages(study)

        def work(job: Job) -> list[Drawing]:
            found = []
            for page in drawing:
                job.check()
                found.append(page)
                job.tell(len(found) * 21 / max(total, 1))
            return found

        def done(found: list[Drawing]) -> None:
            if found and self._workbench.study is study:
                self._write(field, found)

        self._written.setText(tr("Drawing the pages…"))
        self._workbench.figure(self, work, done)

    def _write(self, field: LineField, pages: Sequence[Drawing]) -> None:
        path = write_typed(field, ".pdf", pdf_of(pages, field.text()))
        count = f"{len(pages)} {trn('page', 'pages', len(pages))}"
        self._written.setText(tr("Written: {path}, {count}", path=path, count=count) if path else "")


def _pictures(pages: Sequence[Iterator[Drawing]]) -> list[tuple[QImage, str]]:
    """Draw the first page of each, with what it shows in words."""
    first = [next(page) for page in pages]
    return [(picture_of(page), page.description) for page in first]


def _paper_card(title: str, preview: QWidget, *parts: QWidget | QLayout) -> Card:
    """Lay the picture of a page beside what is said of it."""
    side = QVBoxLayout()
    for part in parts:
        if isinstance(part, QLayout):
            side.addLayout(part)
        else:
            side.addWidget(part)
    side.addStretch(1)
    body = row(preview, spacing=18)
    body.addLayout(side, 1)
    return Card(heading(title), body)
