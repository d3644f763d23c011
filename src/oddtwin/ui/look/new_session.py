"""The form of a new blind session."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QListWidget, QListWidgetItem, QWidget

from oddtwin import operations
from oddtwin.core.judge import ASKING, BY_BALLOT, SessionDesign
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_digits, format_reading
from oddtwin.core.render import FAULTS, control_text
from oddtwin.core.study import RunState
from oddtwin.operations import NewSession
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.widgets import (
    Card,
    LineField,
    QuantityField,
    button,
    choose,
    column_label,
    fix,
    heading,
    label,
    row,
    spin_box,
)

IN_HAND: Final = 0
"""In place of a view: the prints themselves are judged."""
WORDS: Final = {
    SessionDesign.BETTER: tr("Which is better: left, right, or cannot tell"),
    SessionDesign.CHANGE: tr("Which is the change: left, right, or cannot tell"),
    SessionDesign.COMPARE: tr("How much better: −2 to +2"),
    SessionDesign.SAME: tr("Same or different"),
    SessionDesign.TRIANGLE: tr("The odd one of three"),
    SessionDesign.DUO_TRIO: tr("Which is unlike the first"),
    SessionDesign.GRADE: tr("Grade each by itself, 0 to 4"),
    SessionDesign.SORT: tr("Sort the prints back to their arms"),
    SessionDesign.RANK: tr("Rank the prints"),
    SessionDesign.OPEN: tr("Open, side by side (kept as not blind)"),
}


class NewSessionCard(Card):
    """What is asked, of whom, of which prints; then the session is drawn and its key sealed."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._design, self._view = QComboBox(), QComboBox()
        self._response, self._zone, self._fault = QComboBox(), QComboBox(), QComboBox()
        for box, name, said in (
            (self._design, "sessionDesign", tr("What is asked")),
            (self._view, "sessionView", tr("What is judged")),
            (self._response, "sessionResponse", tr("Fault that is graded")),
            (self._zone, "sessionZone", tr("Zone that is graded")),
            (self._fault, "controlFault", tr("Fault of the controls")),
        ):
            box.setObjectName(name)
            box.setAccessibleName(said)
        choose(self._design, [(WORDS[one], one) for one in SessionDesign], SessionDesign.BETTER)
        choose(self._fault, [(fault.name, place) for place, fault in enumerate(FAULTS)], 0)
        self._design.currentIndexChanged.connect(self._show_parts)
        self._view.currentIndexChanged.connect(self._show_prints)
        self._fault.currentIndexChanged.connect(self._show_unit)
        self._judges = LineField("sessionJudges", tr("names, apart by commas"), width=260)
        self._question = LineField(
            "sessionQuestion", tr("as it is put; empty for the usual words"), width=420
        )
        self._mixed = LineField("sessionMixed", tr("who knows which is which"), width=180)
        self._repeats = spin_box("sessionRepeats", 1, 10)
        self._break = spin_box("sessionBreak", 0, 200)
        self._break.setSpecialValueText(tr("none"))
        self._break.setValue(20)
        self._twins = QCheckBox(tr("Mix twins in"))
        self._twins.setObjectName("sessionTwins")
        self._twins.setChecked(True)
        self._audience = QCheckBox(tr("an audience, by a ballot that is sent out"))
        self._audience.setObjectName("sessionAudience")
        self._audience.toggled.connect(self._show_parts)
        self._controls = spin_box("sessionControls", 0, 10)
        self._size = QuantityField("controlSize", "", tr("size"), 90)
        self._unit = column_label("")
        self._passphrase = QLineEdit()
        self._passphrase.setObjectName("sessionPassphrase")
        self._passphrase.setAccessibleName(tr("Passphrase of a second person"))
        self._passphrase.setPlaceholderText(tr("a second person’s passphrase; may stay empty"))
        self._passphrase.setEchoMode(QLineEdit.EchoMode.Password)
        fix(self._passphrase, width=330)
        self._prints = _print_list()
        self._pacing = (column_label(tr("a break after")), self._break, column_label(tr("trials")))
        self._grades, self._control_row, self._locks = QWidget(), QWidget(), QWidget()
        self._begin = button(tr("Draw and seal"), self._on_begin_clicked, main=True, name="beginSession")
        self._told = label("", "error")
        self._told.setObjectName("sessionTold")
        self._told.hide()
        self.first = self._design
        self._lay_out()

    def _lay_out(self) -> None:
        for widget, parts in (
            (self._grades, (column_label(tr("Grades of")), self._response, self._zone, None)),
            (
                self._control_row,
                (
                    column_label(tr("Rendered faults of known size, mixed in")),
                    self._controls,
                    self._fault,
                    self._size,
                    self._unit,
                    None,
                ),
            ),
            (self._locks, (column_label(tr("Key locked with")), self._passphrase, None)),
        ):
            line = row(*parts)
            line.setContentsMargins(0, 0, 0, 0)
            widget.setLayout(line)
        self.add(
            heading(tr("A new session")),
            row(column_label(tr("Asked")), self._design, column_label(tr("of")), self._view, None),
            self._grades,
            row(column_label(tr("Judges")), self._judges, self._audience, self._twins, None),
            row(
                column_label(tr("Each question")),
                self._repeats,
                column_label(tr("times")),
                *self._pacing,
                None,
            ),
            self._control_row,
            row(column_label(tr("Question")), self._question, None),
            row(column_label(tr("Mixed by")), self._mixed, None),
            self._locks,
            column_label(tr("Prints")),
            self._prints,
            row(self._begin, None),
            self._told,
        )

    def refresh(self) -> None:
        """Show what can be judged in the study in hand."""
        study = self._desk.study
        photographed = {item.view_id for item in study.photographs}
        views = [
            (tr("photographs: {view}", view=view.name), view.id)
            for view in study.index.views.values()
            if view.id in photographed
        ]
        choose(self._view, [*views, (tr("the prints in the hand"), IN_HAND)], self._view.currentData())
        graded = [(item.name, item.id) for item in study.judged if item.kind.graded]
        choose(self._response, graded, self._response.currentData())
        self.setEnabled(self._desk.can_edit)
        self._show_parts()
        self._show_prints()

    def _show_parts(self) -> None:
        design = SessionDesign(self._design.currentData())
        in_hand = self._view.currentData() == IN_HAND
        two = ASKING[design].shown == 2
        self._grades.setVisible(design is SessionDesign.GRADE)
        self._control_row.setVisible(two and not in_hand)
        self._twins.setVisible(two and design is not SessionDesign.SAME)
        self._locks.setVisible(in_hand)
        self._audience.setVisible(design in BY_BALLOT and not in_hand)
        by_ballot = self._by_ballot
        self._judges.setVisible(not by_ballot)
        for part in self._pacing:
            part.setVisible(not by_ballot)
        once = design in (SessionDesign.SORT, SessionDesign.RANK)
        self._repeats.setEnabled(not once)
        if once:
            self._repeats.setValue(1)
        self._show_unit()
        piece = self._desk.piece if self._desk.workbench.study is not None else None
        zones = piece.zones if piece else ()
        choose(self._zone, [(zone, zone) for zone in zones], self._zone.currentData())
        self._zone.setVisible(bool(zones))

    def _show_unit(self) -> None:
        fault = FAULTS[self._fault.currentData() or 0]
        self._unit.setText(fault.unit)
        known = [one for one in self._desk.study.thresholds if one.fault == fault.name] if self._ready else []
        # The control that tells most is one that these eyes just see.
        if known:
            self._size.edit.setPlaceholderText(format_digits(1.5 * max(one.value for one in known), 2))
        else:
            self._size.edit.setPlaceholderText(format_reading(fault.start / 4))

    @property
    def _by_ballot(self) -> bool:
        return self._audience.isChecked() and not self._audience.isHidden()

    @property
    def _ready(self) -> bool:
        return self._desk.workbench.study is not None

    def _show_prints(self) -> None:
        study, view = self._desk.study, self._view.currentData()
        in_hand = view == IN_HAND
        self._show_parts()
        seen = {item.run_id for item in study.photographs if item.view_id == view}
        runs = [run for run in study.runs if run.state is RunState.PRINTED and (in_hand or run.id in seen)]
        # Filled anew only where the prints are others: ticks that were set stay.
        key = [run.id for run in runs]
        there = [self._prints.item(place) for place in range(self._prints.count())]
        if key == [item.data(Qt.ItemDataRole.UserRole) for item in there]:
            return
        self._prints.clear()
        for run in runs:
            item = QListWidgetItem(run.code)
            item.setData(Qt.ItemDataRole.UserRole, run.id)
            item.setCheckState(Qt.CheckState.Checked)
            self._prints.addItem(item)

    def _chosen(self) -> tuple[int, ...]:
        items = [self._prints.item(place) for place in range(self._prints.count())]
        return tuple(
            int(item.data(Qt.ItemDataRole.UserRole))
            for item in items
            if item.checkState() is Qt.CheckState.Checked
        )

    def _on_begin_clicked(self) -> None:
        study = self._desk.workbench.study
        if study is None:
            return
        design = SessionDesign(self._design.currentData())
        view = self._view.currentData() or None
        judges = tuple(name.strip() for name in self._judges.text().split(",") if name.strip())
        try:
            controls = self._wanted_controls() if not self._control_row.isHidden() else ()
        except ValueError:
            return
        grading = design is SessionDesign.GRADE
        session = NewSession(
            design=design,
            run_ids=self._chosen(),
            judges=() if self._by_ballot else judges,
            view_id=view,
            response_id=self._response.currentData() if grading else None,
            zone=self._zone.currentData() or "" if grading else "",
            repeats=self._repeats.value(),
            twins=self._twins.isChecked(),
            controls=controls,
            question=self._question.text(),
            # A ballot goes on at the voter's own pace.
            break_after=0 if self._by_ballot else self._break.value(),
            audience=self._by_ballot,
            mixed_by=self._mixed.text(),
            passphrase=self._passphrase.text() if view is None else "",
        )
        record = self._desk.workbench.do(operations.begin_session, study_id=study.id, session=session)
        if record is not None:
            self._judges.clear()
            self._question.clear()
            self._passphrase.clear()

    def _wanted_controls(self) -> tuple[str, ...]:
        fault = FAULTS[self._fault.currentData()]
        usual = float(self._size.edit.placeholderText())
        size = self._size.value(usual)
        if not fault.least <= size <= fault.most:
            self._size.show_error(
                tr(
                    "{least} to {most} {unit}",
                    least=format_reading(fault.least),
                    most=format_reading(fault.most),
                    unit=fault.unit,
                )
            )
            raise ValueError
        return tuple(control_text(fault, size, 100 + 7 * number) for number in range(self._controls.value()))


def _print_list() -> QListWidget:
    prints = QListWidget()
    prints.setObjectName("sessionPrints")
    prints.setAccessibleName(tr("Prints that are shown"))
    prints.setFlow(QListWidget.Flow.LeftToRight)
    prints.setWrapping(True)
    prints.setResizeMode(QListWidget.ResizeMode.Adjust)
    fix(prints, height=84)
    return prints
