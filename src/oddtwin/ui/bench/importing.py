"""Bringing readings (CSV), a whole study (JSON) or an evidence pack (zip) into the lab book."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QFileDialog

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.quantities import now
from oddtwin.core.readings import Reading, TableError, read_table
from oddtwin.core.study import Study, study_from_readings
from oddtwin.store import Record, StoreError, read_text_file
from oddtwin.store.exchange import read_study
from oddtwin.ui.widgets import Card, LineField, ProgressRow, button, heading, label, row
from oddtwin.ui.workbench import Workbench


class ImportCard(Card):
    """Asks for a file, for readings also which arm is the baseline; ``imported`` gives the study's id."""

    imported = Signal(int)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._readings: list[Reading] = []
        self._file = LineField(
            "importPath", tr("Readings (CSV), a study file (JSON), or an evidence pack (zip)")
        )
        self._file.committed.connect(self._on_file_committed)
        self._arms = QComboBox()
        self._arms.setObjectName("importBaseline")
        self._asking = label(tr("Which arm is the baseline?"), wrap=False)
        self._go = button(tr("Import"), self._on_go_clicked, main=True, name="importGo")
        self.add(heading(tr("Import")))
        self.add(row(self._file, button(tr("Choose…"), self._on_choose_clicked)))
        self._bar = ProgressRow("importProgress", workbench.stop_storing)
        self.add(row(self._asking, self._arms, None, self._go))
        self.add(self._bar)
        self._show_arms([])

    def take_focus(self) -> None:
        """Put the keys into the path."""
        self._file.setFocus()

    def _show_arms(self, arms: list[str]) -> None:
        self._arms.clear()
        self._arms.addItems(arms)
        self._arms.setVisible(bool(arms))
        self._asking.setVisible(bool(arms))

    def _on_choose_clicked(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Import"), "", tr("Readings, study or pack (*.csv *.json *.zip)")
        )
        if path:
            self._file.edit.setText(path)
            self._on_file_committed(path)

    def _on_file_committed(self, text: str) -> None:
        self._readings = []
        self._show_arms([])
        path = Path(text.strip()).expanduser()
        self._go.setEnabled(True)
        if not text.strip() or path.suffix.lower() in (".json", ".zip"):
            return

        def done(found: list[Reading] | str | None) -> None:
            # Another file was chosen while this one was read.
            if self._file.text().strip() != text.strip():
                return
            if isinstance(found, list):
                self._readings = found
                self._show_arms(list(dict.fromkeys(item.arm for item in found)))
            elif found:
                self._file.show_error(found)
            self._go.setEnabled(True)

        self._go.setEnabled(False)
        self._workbench.figure(self, lambda _: _table(path), done)

    def _on_go_clicked(self) -> None:
        def done(record: Record) -> None:
            self._file.show_text("")
            self._show_arms([])
            self.hide()
            self.imported.emit(record.new_id("study"))

        path = Path(self._file.text().strip()).expanduser()
        if path.suffix.lower() == ".zip":
            self._bar.follow(self._workbench.do_long(operations.take_pack, done, path=path))
            return
        try:
            study = self._study()
        except (StoreError, ValueError) as error:
            self._file.show_error(str(error))
            return
        self._bar.follow(self._workbench.do_long(operations.add_whole_study, done, study=study))

    def _study(self) -> Study:
        path = Path(self._file.text().strip()).expanduser()
        if path.suffix.lower() == ".json":
            return read_study(read_text_file(path), path.name)
        if not self._readings:
            raise StoreError(tr("Choose a CSV file of readings or a study file first."))
        return study_from_readings(self._readings, path.stem, self._arms.currentText(), now())


def _table(path: Path) -> list[Reading] | str:
    """Return the readings of a file, or a sentence that says what is wrong with it."""
    try:
        return read_table(read_text_file(path))
    except TableError as error:
        return f"{path.name}, {error}."
    except StoreError as error:
        return f"{error}."
