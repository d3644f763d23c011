"""The machines of the workshop and their change logs."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.study import trade
from oddtwin.store import load_machine_changes, load_machines
from oddtwin.ui.widgets import (
    Card,
    LineField,
    button,
    choose,
    fill_table,
    heading,
    label,
    plain_table,
    row,
)
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
        self._kind.addItems(list(trade.CHANGE_KINDS))
        self._what = LineField("logWhat", "What was changed")
        self._before = LineField("logBefore", "From", 130)
        self._after = LineField("logAfter", "To", 130)
        self._log = button("Log the change", self._on_log_clicked, name="logChange")
        self._table = plain_table("changes", ("When", "Machine", "Kind", "What", "From", "To", "Note"))
        self._empty = label("No change is logged yet. What is adopted in a study is written here.", "quiet")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        top = row(self._name, self._add)
        top.setStretch(0, 1)
        layout.addLayout(top)
        entry = row(self._machine, self._kind, self._what, self._before, self._after, self._log)
        entry.setStretch(2, 1)
        self._entry = QWidget()
        self._entry.setLayout(entry)
        entry.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(Card(heading("Change log"), self._entry, self._empty, self._table))
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show machines and changes as they are now."""
        with self._workbench.book.reading() as connection:
            machines = load_machines(connection)
            changes = load_machine_changes(connection)
        choose(self._machine, [(item.name, item.id) for item in machines], self._machine.currentData())
        names = {item.id: item.name for item in machines}
        rows = [
            (
                item.at.strftime("%Y-%m-%d %H:%M"),
                names[item.machine_id],
                item.kind,
                item.what,
                item.before,
                item.after,
                item.note,
            )
            for item in changes
        ]
        fill_table(self._table, rows, fit_height=True)
        self._table.setVisible(bool(rows))
        self._empty.setVisible(not rows)
        can_edit = self._workbench.can_edit
        self._name.setEnabled(can_edit)
        self._add.setEnabled(can_edit)
        self._entry.setEnabled(can_edit and bool(machines))

    def _on_add_clicked(self) -> None:
        if self._workbench.do(operations.add_machine, name=self._name.text()):
            self._name.clear()

    def _on_log_clicked(self) -> None:
        done = self._workbench.do(
            operations.log_machine_change,
            machine_id=self._machine.currentData(),
            kind=self._kind.currentText(),
            what=self._what.text(),
            before=self._before.text(),
            after=self._after.text(),
        )
        if done:
            for field in (self._what, self._before, self._after):
                field.clear()
