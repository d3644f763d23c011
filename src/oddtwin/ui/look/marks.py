"""Faults flagged at their place: the form of a new one, and those that there are."""

from __future__ import annotations

from typing import Final, NamedTuple

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import shown, tr
from oddtwin.core.readings import GRADES
from oddtwin.core.study import Mark, Photograph, Run
from oddtwin.operations import Flag
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    StepField,
    choose,
    column_label,
    heading,
    label,
    row,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows

HINT: Final = tr(
    "Click a place on the photograph to mark a fault there; its grade becomes the reading of its zone."
)


class Pending(NamedTuple):
    """A place that waits for its fault: shares of its own photograph, and whether that is the second."""

    x: float
    y: float
    second: bool


class MarksCard(Card):
    """``wanted`` is emitted with a flag, and whether it lies on the second photograph."""

    wanted = Signal(object, bool)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._theme = theme
        self.pending: Pending | None = None
        self._hint = label(HINT, "quiet")
        self._fault, self._zone = QComboBox(), QComboBox()
        for box, name in ((self._fault, tr("Fault")), (self._zone, tr("Zone"))):
            box.setObjectName(f"mark{name}")
            box.setAccessibleName(tr("{name} of the mark", name=name))
        self._fault.setEditable(True)
        self._note = LineField("markNote", tr("what else there is to say"), width=220)
        self._by = LineField("markBy", tr("who says it"), width=130)
        self._grade = StepField("markGrade", theme)
        self._grade.chosen.connect(self._on_grade_chosen)
        self._form = QWidget()
        form = row(
            column_label(tr("Fault")),
            self._fault,
            column_label(tr("Zone")),
            self._zone,
            self._note,
            self._by,
            None,
        )
        form.setContentsMargins(0, 0, 0, 0)
        self._form.setLayout(form)
        self._grid = QGridLayout()
        self._grid.setColumnStretch(3, 1)
        self._rows: Rows[Mark] = Rows(self._grid, self._make_row, first=0)
        self.add(heading(tr("Marks")), self._hint, self._form, self._grade, self._grid)
        self._pair: tuple[tuple[Run, Photograph], ...] = ()
        self.drop()

    def begin(self, x: float, y: float, second: bool) -> None:
        """Begin a mark at a place."""
        self.pending = Pending(x, y, second)
        run = self._pair[second][0]
        piece = self._desk.piece
        zones = list(piece.zones) if piece else []
        usual = self._desk.view.zone if self._desk.view else ""
        choose(self._zone, [(zone, zone) for zone in zones], self._zone.currentData() or usual)
        self._zone.setVisible(bool(zones))
        choose(self._fault, [(name, name) for name in self._faults()], self._fault.currentText())
        self._form.show()
        self._grade.show()
        self._grade.show_step(None)
        self._hint.setText(tr("Grade it with 0 to 4: the mark lies on {label}.", label=self._desk.label(run)))
        self._grade.setFocus()

    def drop(self) -> None:
        """Begin no mark."""
        self.pending = None
        self._form.hide()
        self._grade.hide()
        self._note.clear()
        self._hint.setText(HINT)

    def show_pair(self, pair: tuple[tuple[Run, Photograph], tuple[Run, Photograph]]) -> None:
        """Show the marks on two photographs."""
        self._pair = pair
        there = {shot.id for _, shot in pair}
        study = self._desk.study
        marks = [mark for run, _ in pair for mark in study.index.marks[run.id]]
        self._rows.refresh([mark for mark in marks if mark.photograph_id in there])

    def _faults(self) -> list[str]:
        """What can be marked: what the study grades, the workshop's own list, and what the piece can show."""
        study, piece = self._desk.study, self._desk.piece
        # What the study asks for comes first: that is what a mark becomes a reading of.
        graded = [item.name for item in study.judged if item.kind.graded]
        listed = [fault.name for fault in study.faults]
        return list(dict.fromkeys([*graded, *listed, *(piece.faults if piece else ())]))

    def _on_grade_chosen(self, grade: int | None) -> None:
        if grade is None or self.pending is None:
            return
        x, y, second = self.pending
        flag = Flag(
            min(1.0, max(0.0, x)),
            min(1.0, max(0.0, y)),
            self._fault.currentText(),
            grade,
            self._zone.currentData() or "",
            self._note.text(),
            self._by.text(),
        )
        self.wanted.emit(flag, second)

    def _make_row(self, mark: Mark) -> FieldRow[Mark]:
        code = self._desk.study.index.runs[mark.run_id].code
        told = label("", wrap=False)
        where, said = label("", "quiet", wrap=False), label("", "quiet", wrap=False)
        remove = IconButton(
            self._theme,
            "remove",
            tr("Take back the mark of {fault} on {code}", fault=mark.fault, code=code),
            lambda: self._desk.workbench.do(operations.remove_mark, mark_id=mark.id, code=code),
        )

        def show(now: Mark) -> None:
            told.setText(f"{code}  {now.grade} {shown(GRADES[now.grade])}: {now.fault}")
            where.setText(now.zone)
            said.setText(" – ".join(part for part in (now.note, now.by) if part))
            remove.setEnabled(self._desk.can_edit)

        return FieldRow((told, where, said, remove), show)
