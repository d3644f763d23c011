"""The first screen: make or open a lab book."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from oddtwin.core.decide import Verdict
from oddtwin.core.language import tr
from oddtwin.core.picture import annotated_verdict, twin_mark
from oddtwin.store import recent_books
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, DrawingView, LineField, Page, button, clear, fix, heading, label, row
from oddtwin.ui.workbench import Workbench


class WelcomeView(Page):
    """Says what a lab book is, and offers to make one, open one, or look at the demo."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._name = LineField("newBookName", tr("Name of your workshop"))
        self._folder = LineField("newBookFolder", tr("Folder for the new lab book"))
        self._folder.show_text(str(Path.home() / "Odd Twin" / tr("lab book")))
        self._open_folder = LineField("openBookFolder", tr("Folder of a lab book"))
        self._recent = QVBoxLayout()
        column = QVBoxLayout()
        column.setSpacing(14)
        mark = DrawingView(theme, lambda _: twin_mark(Verdict.ODD_BETTER, 64), QSize(128, 64))
        column.addWidget(mark, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(label(tr("Is this print the odd twin?"), "title"))
        column.addWidget(
            label(
                tr(
                    "Print the baseline twice and see how much two prints differ anyway. Change one "
                    "thing, print again, and learn what it did to quality, time and waste. Everything is "
                    "kept in a lab book: a folder on this computer that you can copy and keep."
                ),
                "lead",
            )
        )
        column.addWidget(DrawingView(theme, annotated_verdict))
        finished = button(tr("See a finished study"), self._on_finished_clicked, name="seeFinished")
        guided = button(
            tr("Try one: a first study in five minutes"), self._on_guided_clicked, name="guideFirst"
        )
        column.addLayout(row(finished, guided, None))
        column.addWidget(self._new_card())
        column.addWidget(self._open_card())
        holder = QWidget()
        holder.setLayout(column)
        fix(holder, width=720)
        self.body.addLayout(row(None, holder, None))
        self.body.addStretch(1)

    def refresh(self) -> None:
        """Show the lab books opened lately."""
        clear(self._recent)
        for folder in recent_books():
            made = button(str(folder), partial(self._workbench.open_book, folder), name="recent")
            made.setProperty("flat", True)
            self._recent.addWidget(made, 0, Qt.AlignmentFlag.AlignLeft)
        self._name.setFocus()

    def _new_card(self) -> QWidget:
        browse = button(tr("Choose…"), lambda: self._choose(self._folder))
        make = button(tr("Make the lab book"), self._on_make_clicked, main=True, name="makeBook")
        self._folder.entered.connect(self._on_make_clicked)
        self._name.entered.connect(self._folder.setFocus)
        return Card(heading(tr("Begin a lab book")), self._name, row(self._folder, browse), row(make, None))

    def _open_card(self) -> QWidget:
        browse = button(tr("Choose…"), lambda: self._choose(self._open_folder))
        opening = button(tr("Open"), self._on_open_clicked, name="openBook")
        demo = button(tr("Look at the demo"), self._on_demo_clicked, name="openDemo")
        self._open_folder.entered.connect(self._on_open_clicked)
        return Card(
            heading(tr("Open a lab book")),
            row(self._open_folder, browse, opening),
            self._recent,
            row(demo, None),
        )

    def _choose(self, field: LineField) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Folder of the lab book"), field.text())
        if folder:
            field.edit.setText(folder)

    def _on_make_clicked(self) -> None:
        if not self._folder.text().strip():
            self._folder.show_error(tr("Please type a folder."))
            return
        folder = Path(self._folder.text().strip()).expanduser()
        self._workbench.create_book(folder, self._name.text().strip() or folder.name)

    def _on_open_clicked(self) -> None:
        if self._open_folder.text().strip():
            self._workbench.open_book(Path(self._open_folder.text().strip()).expanduser())
        else:
            self._open_folder.show_error(tr("Please type or choose a folder."))

    def _on_finished_clicked(self) -> None:
        from oddtwin.ui.demo_book import show_finished

        show_finished(self._workbench)

    def _on_guided_clicked(self) -> None:
        from oddtwin.ui.demo_book import guide_first

        guide_first(self._workbench)

    def _on_demo_clicked(self) -> None:
        from oddtwin.ui.demo_book import open_demo

        open_demo(self._workbench)
