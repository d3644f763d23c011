"""The machines of the workshop and their change logs."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.study import Machine, MachineChange, make_up, make_up_words, nozzle_fitted, nozzle_use
from oddtwin.store import LabBook, load_machine_changes, load_machines, load_spent, load_spools
from oddtwin.ui.bench.lived import LivedCard
from oddtwin.ui.bench.machine_log import LogCard
from oddtwin.ui.bench.make_up import MakeUpCard
from oddtwin.ui.bench.motion import MotionCard
from oddtwin.ui.bench.tuning import TuningCard
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, LineField, QuantityField, button, column_label, heading, label, row
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench


class MachinesPanel(QWidget):
    """Adds machines, logs changes, and shows what every machine is made of and since when."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._name = LineField("newMachine", tr("Name of a new machine"))
        self._add = button(tr("Add the machine"), self._on_add_clicked, name="addMachine")
        self._name.entered.connect(self._on_add_clicked)
        self._figures = QGridLayout()
        self._figures.setHorizontalSpacing(10)
        for column, text in enumerate(
            (
                tr("Machine"),
                tr("Heat, home, level, min"),
                tr("Cost for 1 h"),
                tr("Power, W"),
                tr("Made of now"),
            )
        ):
            self._figures.addWidget(column_label(text), 0, column)
        self._figures.setColumnStretch(4, 1)
        self._rows: Rows[Machine] = Rows(self._figures, self._make_row)
        self._made_of: dict[int, str] = {}
        self._through: dict[int, str] = {}
        self._machines: list[Machine] = []
        self._motion = MotionCard(workbench)
        self._lived = LivedCard(workbench, theme)
        self._log = LogCard(workbench)
        self._tuning = TuningCard(workbench)
        self._compare = MakeUpCard()
        self._lay_out()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        top = row(self._name, self._add)
        top.setStretch(0, 1)
        layout.addLayout(top)
        self._machines_card = Card(heading(tr("Machines")), self._figures)
        layout.addWidget(self._machines_card)
        layout.addWidget(self._motion)
        layout.addWidget(self._lived)
        layout.addWidget(self._log)
        layout.addWidget(self._tuning)
        layout.addWidget(self._compare)
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show machines and changes as they are now."""
        with self._workbench.book.reading() as connection:
            machines = load_machines(connection)
            changes = load_machine_changes(connection)
        self._made_of = {machine.id: make_up_words(make_up(changes, machine.id)) for machine in machines}
        self._log.show_log(machines, changes, self._workbench.can_edit)
        self._tuning.show_log(machines, changes, self._workbench.can_edit)
        self._compare.show_log(machines, changes)
        self._lived.show_machines(machines)
        self._machines = machines
        self._rows.refresh(machines)
        # Ten years of prints are summed beside the window.
        book = self._workbench.book
        self._workbench.figure(
            self,
            lambda _: {one.id: _through_nozzle(book, one.id, changes) for one in machines},
            self._show_through,
        )
        self._motion.refresh(machines)
        self._motion.setVisible(bool(machines))
        self._motion.setEnabled(self._workbench.can_edit)
        self._machines_card.setVisible(bool(machines))
        self._machines_card.setEnabled(self._workbench.can_edit)
        can_edit = self._workbench.can_edit
        self._name.setEnabled(can_edit)
        self._add.setEnabled(can_edit)

    def _show_through(self, through: dict[int, str]) -> None:
        self._through = through
        self._rows.refresh([one for one in self._machines if one.id in through])

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
        for figure, unit in (("overhead_min", "min"), ("cost_per_h", ""), ("power_w", "W")):
            fields[figure] = QuantityField(f"{figure}-{machine.id}", unit, "0", 110)
            fields[figure].quantity_committed.connect(partial(edit, figure))
        made_of = label("", "quiet")
        made_of.setObjectName(f"madeOf-{machine.id}")

        def show(value: Machine) -> None:
            name.show_text(value.name)
            for figure, field in fields.items():
                stored = getattr(value, figure)
                field.show_values([stored] if stored else [])
            made = self._made_of[value.id] or tr("as bought: no change is logged")
            through = self._through.get(value.id, "")
            made_of.setText(f"{made}.\n{through}." if through else made)

        name = LineField(f"machineName-{machine.id}", tr("Name of the machine"), 150)
        name.edit.setAccessibleName(tr("Name of the machine"))
        name.committed.connect(
            lambda text: self._workbench.do(operations.rename_machine, machine_id=machine.id, name=text)
        )
        return FieldRow([name, *fields.values(), made_of], show)


def _through_nozzle(book: LabBook, machine_id: int, changes: Sequence[MachineChange]) -> str:
    """Say what went through the nozzle of a machine since it was fitted."""
    fitted = nozzle_fitted(changes, machine_id)
    with book.reading() as connection:
        spent = load_spent(connection, since=fitted.at if fitted else None, machine_id=machine_id)
        return nozzle_use(fitted, load_spools(connection), spent).sentence
