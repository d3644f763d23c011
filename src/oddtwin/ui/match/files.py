"""Which sliced file each arm has, and what the check of them found."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core import predicted
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_minutes, format_number, with_unit
from oddtwin.core.standing import Stage
from oddtwin.core.study import Arm, ArmFile
from oddtwin.ui.going import go_button
from oddtwin.ui.match.shelf import Shelf
from oddtwin.ui.match.waiting import Waiting
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    button,
    clear,
    column_label,
    heading,
    label,
    named_path,
    plain_tip,
    row,
    short,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.core.toolpath.motion import Calibration
    from oddtwin.store import LabBook

KINDS = tr("Sliced files (*.gcode *.gco *.g *.nc *.gz *.zip *.3mf);;All files (*)")


class FilesPanel(QWidget):
    """One row for each arm's file; below it the findings, the gravest first."""

    def __init__(self, workbench: Workbench, shelf: Shelf, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._shelf = shelf
        self._theme = theme
        self._asked: LineField | None = None
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for column, text in enumerate((tr("Arm"), tr("Sliced file"), "", tr("What it says"))):
            grid.addWidget(column_label(text), 0, column)
        grid.setColumnStretch(1, 2)
        grid.setColumnStretch(3, 3)
        self._rows: Rows[Arm] = Rows(grid, self._make_row)
        self._again = button(tr("Check again"), shelf.check_now, name="checkAgain")
        self._take = button(
            tr("Take minutes and grams into the plan"), self._on_take_clicked, name="takeEstimates"
        )
        self._hint = label("", "quiet")
        self._hint.setObjectName("matchHint")
        self._go = go_button(workbench, Stage.PLAN)
        self._choose = Card(
            heading(tr("Files")),
            self._hint,
            row(self._go, None),
            grid,
            row(Waiting(shelf), None, self._take, self._again),
        )
        self._lead = label("", "lead")
        self._lead.setObjectName("matchLead")
        self._sentences = QVBoxLayout()
        self._sentences.setSpacing(6)
        self._calibrated = label("", "quiet")
        self._calibrated.setObjectName("calibratedTimes")
        self._choose.add(self._calibrated)
        self._findings = Card(heading(tr("Findings")), self._lead, self._sentences)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(self._choose)
        layout.addWidget(self._findings)
        shelf.refused.connect(self._on_refused)

    def refresh(self) -> None:
        """Show files and findings as they are now."""
        study = self._shelf.study
        if study is None:
            return
        planned = bool(study.plan and study.runs)
        self._rows.refresh(self._shelf.arms if planned else [])
        can_edit = self._workbench.can_edit_study
        self._choose.setEnabled(can_edit)
        self._again.setVisible(self._shelf.complete)
        self._take.setVisible(self._shelf.complete)
        self._hint.setText(_hint(planned, self._shelf.complete))
        self._go.setVisible(not planned)
        self._calibrated.hide()
        if self._shelf.complete:
            book = self._workbench.book
            self._workbench.figure(self, lambda _: _calibrations(book), self._on_calibrated)
        check = self._shelf.check
        self._findings.setVisible(check is not None)
        clear(self._sentences)
        if check is not None:
            sentences = list(check.result.get("sentences", ()))
            self._lead.setText(sentences[0] if sentences else "")
            grave = {threat["sentence"] for threat in check.result.get("threats", ())}
            for sentence in sentences[1:]:
                self._sentences.addWidget(label(sentence, "error" if sentence in grave else ""))
            for note in check.result.get("told", ()):
                self._sentences.addWidget(label(note, "quiet"))
            # What is proven here is that files are alike, not that prints are.
            self._sentences.addWidget(label(tr("Checked {at:%Y-%m-%d %H:%M}.", at=check.at), "quiet"))

    def _on_calibrated(self, found: dict[int, Calibration]) -> None:
        """Say what the machine's own prints make of the predicted times."""
        study, machine = self._shelf.study, self._shelf.machine
        calibration = found.get(machine.id) if machine else None
        if study is None or machine is None or calibration is None:
            return
        parts, far = [], False
        for arm in self._shelf.arms:
            file = study.file_of(arm.id, self._shelf.piece_id)
            raw = file.minutes_on(machine) if file else None
            if raw is not None:
                value, half = calibration.predict(raw)
                far |= not calibration.covers(raw)
                parts.append(f"{arm.name} {format_minutes(value)}" + (f" ± {half:.0f} min" if half else ""))
        noun = trn("print", "prints", calibration.n)
        if far:
            sentence = tr(
                "No logged print of {machine} is about as long as this, so nothing corrects the time yet.",
                machine=machine.name,
            )
        else:
            sentence = tr(
                "By {n} logged {noun} of {machine}: {parts}.",
                n=calibration.n,
                noun=noun,
                machine=machine.name,
                parts=", ".join(parts),
            )
        self._calibrated.setText(sentence)
        self._calibrated.setVisible(bool(parts))

    def _make_row(self, arm: Arm) -> FieldRow[Arm]:
        field = LineField(f"file-{arm.id}", tr("Path of the sliced file"))
        field.committed.connect(partial(self._on_path_committed, arm, field))
        pick = button(
            tr("Choose…"), partial(self._on_choose_clicked, arm, field), name=f"chooseFile-{arm.id}"
        )
        said = label("", "quiet")
        said.setObjectName(f"fileSays-{arm.id}")
        remove = IconButton(
            self._theme,
            "remove",
            tr("Take this file out"),
            partial(self._on_remove_clicked, arm),
            f"removeFile-{arm.id}",
        )

        name = label("", wrap=False)

        def show(value: Arm) -> None:
            name.setText(short(value.name, 28))
            name.setToolTip(plain_tip(value.name))
            study = self._shelf.study
            file = study.file_of(value.id, self._shelf.piece_id) if study else None
            if field is not self._asked or file is not None:
                field.show_text(file.name if file else "")
            said.setText(self._says(file) if file else tr("no file yet"))
            said.setToolTip(f"SHA-256 {file.sha256}" if file else "")
            remove.setVisible(file is not None)

        return FieldRow([name, field, pick, said, remove], show)

    def _says(self, file: ArmFile) -> str:
        study, machine = self._shelf.study, self._shelf.machine
        parts = [_size(file.size), tr("{layers} layers", layers=file.layers)]
        raw = file.minutes_on(machine) if machine else None
        if machine is not None and raw is not None:
            parts.append(tr("{raw} on {machine}", raw=format_minutes(raw), machine=machine.name))
        if study is not None:
            grams = predicted.plan_spool(study).grams(file.filament_mm, file.volume_mm3, file.mass_g)
            parts.append(with_unit(format_number(grams, 1), "g"))
        return " · ".join([*parts, file.sha256[:8]])

    def _on_choose_clicked(self, arm: Arm, field: LineField) -> None:
        path, _ = QFileDialog.getOpenFileName(self, tr("Sliced file of {arm}", arm=arm.name), "", KINDS)
        if path:
            field.edit.setText(path)
            self._on_path_committed(arm, field, path)

    def _on_path_committed(self, arm: Arm, field: LineField, text: str) -> None:
        if not text.strip():
            self._on_remove_clicked(arm)
            return
        self._asked = field
        path = named_path(field)
        if path is not None:
            self._shelf.choose(arm, path)

    def _on_take_clicked(self) -> None:
        study, piece_id = self._shelf.study, self._shelf.piece_id
        if study is not None and piece_id is not None:
            self._workbench.do(
                operations.take_estimates,
                study_id=study.id,
                piece_id=piece_id,
                name=study.pieces[piece_id].name,
            )

    def _on_refused(self, sentence: str) -> None:
        if self._asked is not None and self.isVisible():
            self._asked.show_error(sentence)
        else:
            self._workbench.failed.emit(sentence)

    def _on_remove_clicked(self, arm: Arm) -> None:
        study, piece_id = self._shelf.study, self._shelf.piece_id
        file = study.file_of(arm.id, piece_id) if study else None
        if file is not None:
            self._workbench.do(operations.remove_file, arm_id=arm.id, piece_id=piece_id, name=file.name)


def _calibrations(book: LabBook) -> dict[int, Calibration]:
    from oddtwin.core.predicted import calibrations
    from oddtwin.store import load_predictions

    with book.reading() as connection:
        return calibrations(load_predictions(connection))


def _hint(planned: bool, complete: bool) -> str:
    if not planned:
        return tr("Draw the order under Plan first; then every arm gets its sliced file here.")
    if not complete:
        return tr(
            "Slice the piece once for every arm and choose the files. They are kept in the lab book, and "
            "every run carries the mark of the file it was printed from."
        )
    return tr("Every arm has its file. A run that is started from now on carries its mark.")


def _size(size: int) -> str:
    if size < 1 << 20:
        return with_unit(str(max(1, round(size / 1024))), "KB")
    return with_unit(format_number(size / (1 << 20), 1), "MB")
