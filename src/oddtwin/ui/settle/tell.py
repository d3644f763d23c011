"""Telling others: the report, readings, the study, and the pack that anyone can check."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Final

from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog

from oddtwin.core.job import Job
from oddtwin.core.judgement import Analysis
from oddtwin.core.language import mark, tr
from oddtwin.core.readings import write_table
from oddtwin.core.study import LookAt, Study, tidy_readings
from oddtwin.store import LabBook, StoreError
from oddtwin.store.atomic import write_file
from oddtwin.ui.widgets import (
    Card,
    LineField,
    ProgressRow,
    button,
    choose,
    claimed_path,
    column_label,
    heading,
    label,
    proposed_path,
    row,
    write_typed,
)
from oddtwin.ui.workbench import Workbench
from oddtwin.work.packing import Content, pack_study

_REPORT_SAID: Final = mark(
    "Every sentence, picture, threat and run on one page or on paper; or one picture to post, that "
    "names nobody."
)
_PACK_SAID: Final = mark(
    "A pack holds all that the verdict rests on as plain files. “odd-twin verify” works every verdict "
    "out again and finds one byte that was changed; publish its mark beside it."
)

CONTENTS: Final = (
    (tr("whole"), Content.ALL),
    (tr("photographs made smaller"), Content.REDUCED),
    (tr("by their hashes alone"), Content.HASHES),
)


WAYS: Final = (
    (tr("page that needs no other file"), "html", "A4"),
    (tr("on paper, A4"), "pdf", "A4"),
    (tr("on paper, Letter"), "pdf", "Letter"),
    (tr("card as a picture"), "png", "A4"),
    (tr("card as a drawing"), "svg", "A4"),
    (tr("tables as Markdown"), "md", "A4"),
)
"""In what form the report is written: its words, the end of the file's name, and the paper."""


class TellCard(Card):
    """Where to write, and a key for each way of telling."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._report = LineField("reportPath", tr("Where to write the report"))
        self._report.entered.connect(self._on_report_clicked)
        self._written = label("", "quiet")
        self._written.setObjectName("written")
        self._content = QComboBox()
        self._content.setObjectName("packFiles")
        self._content.setAccessibleName(tr("Sliced files and photographs in the pack"))
        choose(self._content, list(CONTENTS), Content.ALL)
        self._form = QComboBox()
        self._form.setObjectName("reportForm")
        self._form.setAccessibleName(tr("Form of the report"))
        choose(self._form, [(words, (form, paper)) for words, form, paper in WAYS], ("html", "A4"))
        self._names = QCheckBox(tr("name judges and operators"))
        self._names.setObjectName("reportNames")
        self._progress = ProgressRow("packProgress", lambda: workbench.lanes.cancel(self))
        self.add(
            heading(tr("Tell others")),
            label(
                tr(_REPORT_SAID),
                "quiet",
            ),
            row(self._report, button(tr("Choose…"), self._on_choose_clicked)),
            row(
                button(tr("Write the report"), self._on_report_clicked, main=True, name="writeReport"),
                self._form,
                self._names,
                None,
            ),
            row(
                button(tr("Write readings as CSV"), self._on_csv_clicked, name="writeCsv"),
                button(tr("Write the study as JSON"), self._on_json_clicked, name="writeJson"),
                None,
            ),
            label(
                tr(_PACK_SAID),
                "quiet",
            ),
            row(
                button(tr("Write the evidence pack"), self._on_pack_clicked, name="writePack"),
                column_label(tr("sliced files and photographs")),
                self._content,
                None,
            ),
            self._progress,
            self._written,
        )

    def show_study(self, study: Study) -> None:
        """Propose where to write what is told of a study."""
        if self._report.property("study") != study.id:
            self._report.setProperty("study", study.id)
            self._report.show_text(proposed_path(study.name, ".html"))
            self._written.setText("")

    def _on_choose_clicked(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, tr("Report"), self._report.text())
        if path:
            self._report.edit.setText(path)

    def _on_report_clicked(self) -> None:
        study, analysis = self._workbench.study, self._workbench.analysis
        if study is None or analysis is None:
            self._written.setText(tr("The figures are still being worked out; try again in a moment."))
            return
        form, paper = self._form.currentData()
        path = claimed_path(self._report, f".{form}")
        if path is None:
            return
        # What leaves tells the arms, as any file of a study does.
        self._workbench.reveal(LookAt.REPORT)
        told, book = self._workbench.study or study, self._workbench.book
        self._written.setText(tr("Writing …"))
        running = self._workbench.figure(
            self,
            partial(_reported, path, told, analysis, book, (form, paper, self._names.isChecked())),
            self._written.setText,
            self._on_refused,
        )
        self._progress.follow(running)

    def _on_csv_clicked(self) -> None:
        self._workbench.reveal(LookAt.EXPORT)
        if self._workbench.study is not None:
            self._write(".csv", write_table(tidy_readings(self._workbench.study)))

    def _on_json_clicked(self) -> None:
        from oddtwin.store.exchange import write_study

        self._workbench.reveal(LookAt.EXPORT)
        if self._workbench.study is None:
            return
        try:
            text = write_study(self._workbench.study)
        except StoreError as error:
            self._written.setText(str(error))
            return
        self._write(".json", text)

    def _on_pack_clicked(self) -> None:
        path = claimed_path(self._report, ".zip")
        if path is None:
            return
        # What leaves tells the arms, as any file of a study does.
        self._workbench.reveal(LookAt.EXPORT)
        study, book, content = self._workbench.study, self._workbench.book, self._content.currentData()
        if study is not None:
            self._written.setText(tr("Packing …"))
            running = self._workbench.figure(
                self, partial(pack_study, path, study, book, content), self._written.setText, self._on_refused
            )
            self._progress.follow(running)

    def _on_refused(self, error: BaseException) -> bool:
        if not isinstance(error, StoreError):
            return False
        self._report.show_error(str(error))
        self._written.setText("")
        return True

    def _write(self, suffix: str, text: str) -> None:
        path = write_typed(self._report, suffix, text)
        self._written.setText(tr("Written: {path}", path=path) if path else "")


def _reported(
    path: Path, study: Study, analysis: Analysis, book: LabBook, how: tuple[str, str, bool], job: Job
) -> str:
    """Write a report; returns what to tell of it."""
    form, paper, names = how
    from oddtwin.store.exchange import load_background
    from oddtwin.ui.forms import PHOTOGRAPHED, told_in_form
    from oddtwin.work.looked_at import looked_at

    looked = looked_at(book, study, job) if form in PHOTOGRAPHED else []
    with book.reading() as connection:
        known = load_background(connection, study)
    write_file(path, told_in_form(form, study, analysis, looked, paper, names, known))
    return tr("Written: {path}", path=path)
