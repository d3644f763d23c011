"""The change log of the machines: what was altered, what did not fit, and what was checked again since."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_minutes, format_reading, now, with_unit
from oddtwin.core.runlist import disturbed_by
from oddtwin.core.study import Machine, MachineChange
from oddtwin.ui.widgets import (
    Card,
    LineField,
    QuantityField,
    button,
    choose,
    clear,
    fill_table,
    heading,
    label,
    plain_caption,
    plain_table,
    row,
    typed_moment,
)
from oddtwin.ui.workbench import Workbench

HEAD = (
    tr("When"),
    tr("Machine"),
    tr("Kind"),
    tr("What"),
    tr("From"),
    tr("To"),
    tr("To check"),
    tr("Work"),
    tr("Cost"),
    tr("Mass"),
    tr("Way back"),
    tr("Fitting"),
    tr("Note"),
)


class LogCard(Card):
    """Fields for a new line, with the checks that it owes; the lines; and what is done with one of them."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._machine, self._kind = QComboBox(), QComboBox()
        self._machine.setObjectName("logMachine")
        self._machine.setAccessibleName(tr("Machine that was changed"))
        self._kind.setObjectName("logKind")
        self._kind.setAccessibleName(tr("Kind of change"))
        choose(self._kind, [(kind, kind) for kind in customs.LOGGED], customs.LOGGED[0])
        self._what = LineField("logWhat", tr("What was changed"))
        self._before = LineField("logBefore", tr("From"), 130)
        self._after = LineField("logAfter", tr("To"), 130)
        self._log = button(tr("Log the change"), self._on_log_clicked, name="logChange")
        self._more = {
            "minutes": QuantityField("logMinutes", "min", tr("Minutes"), 90),
            "cost": QuantityField("logCost", "", tr("Cost"), 90),
            "mass_g": QuantityField("logMass", "g", tr("Mass, g"), 90),
        }
        self._axis = LineField("logAxis", tr("axis"), 60)
        self._axis.edit.setAccessibleName(tr("Axis that the mass moves with"))
        self._axis.setToolTip(tr("That the mass moves with, such as x; less mass is below zero"))
        self._way_back = LineField("logWayBack", tr("Way back, such as the old part in a bag"))
        self._when = LineField("logWhen", tr("When, such as 2026-03-14; now"), 190)
        self._fitting = LineField("logFitting", tr("What did not fit, and what was bent or bought"))
        self._new_checks = ChecksRow(tr("Checked again already"))
        self._old_checks = ChecksRow(tr("Checked again since"))
        self._old_checks.changed.connect(self._on_checked)
        self._put_back = button(tr("Put it back"), self._on_put_back_clicked, name="putBack")
        self._changes: list[MachineChange] = []
        self._table = plain_table("changes", HEAD)
        self._empty = label(
            tr("No change is logged yet. What is adopted in a study is written here."), "quiet"
        )
        self._warranty = label(customs.WARRANTY, "quiet")
        self._lay_out()
        for field in (self._what, self._more["mass_g"]):
            field.edit.textChanged.connect(self._show_new_checks)
        self._kind.currentIndexChanged.connect(self._show_new_checks)
        self._table.itemSelectionChanged.connect(self._show_chosen)

    def _lay_out(self) -> None:
        first = row(self._machine, self._kind, self._what, self._before, self._after)
        first.setStretch(2, 1)
        second = row(*self._more.values(), self._axis, self._way_back, self._when)
        second.setStretch(4, 1)
        third = row(self._fitting, self._log)
        third.setStretch(0, 1)
        self._entry = QWidget()
        all_rows = QVBoxLayout(self._entry)
        all_rows.setContentsMargins(0, 0, 0, 0)
        for line in (first, second, third):
            all_rows.addLayout(line)
        all_rows.addWidget(self._new_checks)
        all_rows.addWidget(self._warranty)
        self._back = QWidget()
        self._chosen = label("", "quiet")
        back = QVBoxLayout(self._back)
        back.setContentsMargins(0, 0, 0, 0)
        head = row(self._put_back, self._chosen)
        head.setStretch(1, 1)
        back.addLayout(head)
        back.addWidget(self._old_checks)
        self.add(heading(tr("Change log")), self._entry, self._empty, self._table, self._back)

    def show_log(self, machines: Sequence[Machine], changes: Sequence[MachineChange], can_edit: bool) -> None:
        """Show the lines of all machines, newest first."""
        choose(self._machine, [(item.name, item.id) for item in machines], self._machine.currentData())
        self._changes = list(changes)
        names = {item.id: item.name for item in machines}
        fill_table(self._table, [_cells(item, names) for item in changes], fit_height=True)
        self._table.setVisible(bool(changes))
        self._back.setVisible(bool(changes))
        self._back.setEnabled(can_edit)
        self._empty.setVisible(not changes)
        self._entry.setEnabled(can_edit and bool(machines))
        self._show_new_checks()
        self._show_chosen()

    def _typed_change(self) -> MachineChange:
        # Any mass asks for the same checks; while it is typed it may be no number yet.
        mass = self._more["mass_g"].edit.text().strip()
        return MachineChange(
            0,
            0,
            now(),
            str(self._kind.currentData()),
            self._what.text(),
            "",
            "",
            "",
            mass_g=1.0 if mass else 0.0,
        )

    def _show_new_checks(self, *_: object) -> None:
        due = disturbed_by(self._typed_change())
        self._new_checks.show_checks(due, [text for text in self._new_checks.ticked() if text in due])
        self._warranty.setVisible(str(self._kind.currentData()) == customs.ChangeKind.PART)

    def _line(self) -> MachineChange | None:
        line = self._table.currentRow()
        return self._changes[line] if 0 <= line < len(self._changes) else None

    def _show_chosen(self) -> None:
        change = self._line()
        due = disturbed_by(change) if change is not None else ()
        self._chosen.setText(tr("Choose a line to put it back, or to say what was checked again since."))
        self._chosen.setVisible(change is None)
        self._old_checks.show_checks(due, change.checked if change is not None else ())

    def _on_checked(self) -> None:
        change = self._line()
        if change is not None:
            self._workbench.do(
                operations.check_change, change_id=change.id, checked=self._old_checks.ticked()
            )

    def _on_put_back_clicked(self) -> None:
        change = self._line()
        if change is None:
            self._workbench.failed.emit(tr("Choose a line of the log first."))
            return
        self._workbench.do(operations.put_back, change_id=change.id)

    def _on_log_clicked(self) -> None:
        try:
            at = typed_moment(self._when.text())
            # A day is meant as a whole, and today is not over yet.
            at = now() if at is not None and at.date() == now().date() and at > now() else at
            minutes, cost, mass_g = (field.value(0.0) for field in self._more.values())
        except ValueError as error:
            self._workbench.failed.emit(f"{capitalized(str(error))}.")
            return
        done = self._workbench.do(
            operations.log_machine_change,
            machine_id=self._machine.currentData(),
            kind=str(self._kind.currentData()),
            what=self._what.text(),
            before=self._before.text(),
            after=self._after.text(),
            axis=self._axis.text(),
            way_back=self._way_back.text(),
            fitting=self._fitting.text(),
            checked=self._new_checks.ticked(),
            minutes=minutes,
            cost=cost,
            mass_g=mass_g,
            at=at,
        )
        if done:
            texts = (
                self._when,
                self._what,
                self._before,
                self._after,
                self._axis,
                self._way_back,
                self._fitting,
            )
            for field in (*texts, *self._more.values()):
                field.clear()


class ChecksRow(QWidget):
    """A box for each check that a change asks for; ``changed`` is emitted when one was ticked by hand."""

    changed = Signal()

    def __init__(self, caption: str) -> None:
        super().__init__()
        self._shown: tuple[str, ...] | None = None
        self._boxes: dict[str, QCheckBox] = {}
        self._lines = QVBoxLayout()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(label(caption, "column", wrap=False))
        layout.addLayout(self._lines, 1)

    def ticked(self) -> list[str]:
        """What is ticked, in the order shown."""
        return [text for text, box in self._boxes.items() if box.isChecked()]

    def show_checks(self, texts: Sequence[str], ticked: Sequence[str]) -> None:
        """Show some checks; hidden where there are none."""
        if tuple(texts) != self._shown:
            self._shown = tuple(texts)
            clear(self._lines)
            self._boxes = {}
            # In lines of four: one long line would push the page wider than the window.
            for start in range(0, len(texts), 4):
                self._lines.addWidget(self._boxes_of(texts[start : start + 4]))
        for text, box in self._boxes.items():
            box.setChecked(text in ticked)
        self.setVisible(bool(texts))

    def _boxes_of(self, texts: Sequence[str]) -> QWidget:
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(16)
        for text in texts:
            box = QCheckBox(plain_caption(text))
            box.setObjectName(f"checked-{text}")
            # Only a hand clicks; what is shown anew only toggles.
            box.clicked.connect(self.changed)
            self._boxes[text] = box
            line.addWidget(box)
        line.addStretch(1)
        return holder


def _cells(item: MachineChange, names: dict[int, str]) -> tuple[str, ...]:
    left = [text for text in disturbed_by(item) if text not in item.checked]
    return (
        item.at.strftime("%Y-%m-%d %H:%M"),
        names[item.machine_id],
        item.round.value if item.round else item.kind,
        item.what,
        item.before,
        item.after,
        tr("{left} of {disturbed_by}", left=len(left), disturbed_by=len(disturbed_by(item))) if left else "",
        format_minutes(item.minutes) if item.minutes else "",
        format_reading(item.cost) if item.cost else "",
        f"{with_unit(format_reading(item.mass_g), 'g')} {item.axis}".strip() if item.mass_g else "",
        item.way_back,
        item.fitting,
        item.note,
    )
