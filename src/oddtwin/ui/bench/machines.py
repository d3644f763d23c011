"""The machines of the workshop and their change logs."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.quantities import capitalized, format_minutes, format_reading, now, with_unit
from oddtwin.core.study import Machine, MachineChange, make_up
from oddtwin.store import load_machine_changes, load_machines
from oddtwin.ui.bench.make_up import MakeUpCard, typed_moment
from oddtwin.ui.bench.motion import MotionCard
from oddtwin.ui.widgets import (
    Card,
    LineField,
    QuantityField,
    button,
    choose,
    column_label,
    fill_table,
    heading,
    label,
    plain_table,
    row,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench


class MachinesPanel(QWidget):
    """Adds machines, logs changes, and shows what every machine is made of and since when."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._name = LineField("newMachine", "Name of a new machine")
        self._add = button("Add the machine", self._on_add_clicked, name="addMachine")
        self._name.entered.connect(self._on_add_clicked)
        self._machine, self._kind = QComboBox(), QComboBox()
        self._machine.setObjectName("logMachine")
        self._kind.addItems([kind.value for kind in customs.ChangeKind])
        self._what = LineField("logWhat", "What was changed")
        self._before = LineField("logBefore", "From", 130)
        self._after = LineField("logAfter", "To", 130)
        self._log = button("Log the change", self._on_log_clicked, name="logChange")
        self._more = {
            "minutes": QuantityField("logMinutes", "min", "Minutes", 90),
            "cost": QuantityField("logCost", "", "Cost", 90),
            "mass_g": QuantityField("logMass", "g", "Mass, g", 90),
        }
        self._way_back = LineField("logWayBack", "Way back, such as the old part in a bag")
        self._when = LineField("logWhen", "When, such as 2026-03-14; now", 190)
        self._put_back = button("Put it back", self._on_put_back_clicked, name="putBack")
        self._changes: list[MachineChange] = []
        self._table = plain_table(
            "changes",
            ("When", "Machine", "Kind", "What", "From", "To", "Work", "Cost", "Mass", "Way back", "Note"),
        )
        self._figures = QGridLayout()
        self._figures.setHorizontalSpacing(10)
        for column, text in enumerate(
            ("Machine", "Heat, home, level, min", "Cost for 1 h", "Power, W", "Made of now")
        ):
            self._figures.addWidget(column_label(text), 0, column)
        self._figures.setColumnStretch(4, 1)
        self._rows: Rows[Machine] = Rows(self._figures, self._make_row)
        self._made_of: dict[int, str] = {}
        self._empty = label("No change is logged yet. What is adopted in a study is written here.", "quiet")
        self._motion = MotionCard(workbench)
        self._compare = MakeUpCard()
        self._lay_out()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        top = row(self._name, self._add)
        top.setStretch(0, 1)
        layout.addLayout(top)
        entry = row(self._machine, self._kind, self._what, self._before, self._after)
        entry.setStretch(2, 1)
        second = row(*self._more.values(), self._way_back, self._when, self._log)
        second.setStretch(3, 1)
        self._entry = QWidget()
        both = QVBoxLayout(self._entry)
        both.setContentsMargins(0, 0, 0, 0)
        both.addLayout(entry)
        both.addLayout(second)
        self._machines_card = Card(heading("Machines"), self._figures)
        layout.addWidget(self._machines_card)
        layout.addWidget(self._motion)
        self._back = QWidget()
        back = row(label("Choose a line to put it back.", "quiet", wrap=False), self._put_back, None)
        back.setContentsMargins(0, 0, 0, 0)
        self._back.setLayout(back)
        layout.addWidget(Card(heading("Change log"), self._entry, self._empty, self._table, self._back))
        layout.addWidget(self._compare)
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show machines and changes as they are now."""
        with self._workbench.book.reading() as connection:
            machines = load_machines(connection)
            changes = load_machine_changes(connection)
        choose(self._machine, [(item.name, item.id) for item in machines], self._machine.currentData())
        self._made_of = {
            machine.id: "; ".join(f"{item.what} {item.value}" for item in make_up(changes, machine.id))
            for machine in machines
        }
        self._changes = changes
        self._compare.show_log(machines, changes)
        self._rows.refresh(machines)
        self._motion.refresh(machines)
        self._motion.setVisible(bool(machines))
        self._motion.setEnabled(self._workbench.can_edit)
        self._machines_card.setVisible(bool(machines))
        self._machines_card.setEnabled(self._workbench.can_edit)
        names = {item.id: item.name for item in machines}
        rows = [
            (
                item.at.strftime("%Y-%m-%d %H:%M"),
                names[item.machine_id],
                item.kind,
                item.what,
                item.before,
                item.after,
                format_minutes(item.minutes) if item.minutes else "",
                format_reading(item.cost) if item.cost else "",
                with_unit(format_reading(item.mass_g), "g") if item.mass_g else "",
                item.way_back,
                item.note,
            )
            for item in changes
        ]
        fill_table(self._table, rows, fit_height=True)
        self._table.setVisible(bool(rows))
        self._back.setVisible(bool(rows))
        self._put_back.setEnabled(self._workbench.can_edit)
        self._empty.setVisible(not rows)
        can_edit = self._workbench.can_edit
        self._name.setEnabled(can_edit)
        self._add.setEnabled(can_edit)
        self._entry.setEnabled(can_edit and bool(machines))

    def _on_add_clicked(self) -> None:
        if self._workbench.do(operations.add_machine, name=self._name.text()):
            self._name.clear()

    def _make_row(self, machine: Machine) -> FieldRow[Machine]:
        def edit(name: str, values: list[float]) -> None:
            self._workbench.do(
                operations.edit_machine,
                machine_id=machine.id,
                name=machine.name,
                **{name: values[0] if values else 0.0},
            )

        fields = {}
        for name, unit in (("overhead_min", "min"), ("cost_per_h", ""), ("power_w", "W")):
            fields[name] = QuantityField(f"{name}-{machine.id}", unit, "0", 110)
            fields[name].quantity_committed.connect(partial(edit, name))
        made_of = label("", "quiet")
        made_of.setObjectName(f"madeOf-{machine.id}")

        def show(value: Machine) -> None:
            for name, field in fields.items():
                stored = getattr(value, name)
                field.show_values([stored] if stored else [])
            made_of.setText(self._made_of[value.id] or "as bought: no change is logged")

        return FieldRow([label(machine.name, wrap=False), *fields.values(), made_of], show)

    def _on_put_back_clicked(self) -> None:
        line = self._table.currentRow()
        if not 0 <= line < len(self._changes):
            self._workbench.failed.emit("Choose a line of the log first.")
            return
        self._workbench.do(operations.put_back, change_id=self._changes[line].id)

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
            kind=self._kind.currentText(),
            what=self._what.text(),
            before=self._before.text(),
            after=self._after.text(),
            way_back=self._way_back.text(),
            minutes=minutes,
            cost=cost,
            mass_g=mass_g,
            at=at,
        )
        if done:
            for field in (
                self._when,
                self._what,
                self._before,
                self._after,
                self._way_back,
                *self._more.values(),
            ):
                field.clear()
