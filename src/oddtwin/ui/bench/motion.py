"""What the machines can do: limits by which the time of a sliced file is predicted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any, Final

from PySide6.QtWidgets import QGridLayout

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.study import Machine
from oddtwin.ui.widgets import Card, QuantityField, column_label, heading, label
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench

# Name of the limit, the axes it is set for (empty for none), what it says, and what is usual.
FIELDS: Final = (
    ("acceleration", "", tr("Acceleration, mm/s²"), "1000"),
    ("jerk", "xy", tr("Corner jump, mm/s"), "8"),
    ("junction_deviation", "", tr("or deviation, mm"), tr("by jump")),
    ("max_speed", "xy", tr("Top speed, mm/s"), tr("no limit")),
    ("max_acceleration", "xy", tr("Top accel., mm/s²"), tr("no limit")),
    ("tool_change_s", "", tr("Tool change, s"), "0"),
)


class MotionCard(Card):
    """One row of limits for each machine; an empty field has the usual value."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for column, text in enumerate((tr("Machine"), *(field[2] for field in FIELDS))):
            grid.addWidget(column_label(text), 0, column)
        grid.setColumnStretch(len(FIELDS) + 1, 1)
        self._rows: Rows[Machine] = Rows(grid, self._make_row)
        self.add(
            heading(tr("What the machines can do")),
            label(
                tr(
                    "Times of sliced files are predicted with these limits wherever the file "
                    "itself names none. They describe the machine and do not change it: keep "
                    "within what its maker allows."
                ),
                "quiet",
            ),
            grid,
        )

    def refresh(self, machines: Sequence[Machine]) -> None:
        """Show the limits of all machines."""
        self._rows.refresh(machines)

    def _make_row(self, machine: Machine) -> FieldRow[Machine]:
        fields = {}
        motion: dict[str, Any] = {}

        def edit(name: str, axes: str, values: list[float]) -> None:
            changed = {key: value for key, value in motion.items() if key != name}
            if values:
                changed[name] = (
                    {**_axes(motion.get(name)), **dict.fromkeys(axes, values[0])} if axes else values[0]
                )
            self._workbench.do(
                operations.set_motion, machine_id=machine.id, name=machine.name, motion=changed
            )

        for name, axes, _, usual in FIELDS:
            fields[name] = QuantityField(f"{name}-{machine.id}", "", usual, 112)
            fields[name].quantity_committed.connect(partial(edit, name, axes))

        def show(value: Machine) -> None:
            motion.clear()
            motion.update(value.motion)
            for name, axes, _, _ in FIELDS:
                stored = value.motion.get(name)
                if axes and stored is not None:
                    stored = _axes(stored).get("x")
                fields[name].show_values([] if stored is None else [float(stored)])

        return FieldRow([label(machine.name, wrap=False), *fields.values()], show)


def _axes(stored: Any) -> dict[str, Any]:
    """Return a limit by axis, though it may stand as one number for all."""
    if isinstance(stored, Mapping):
        return dict(stored)
    return {} if stored is None else dict.fromkeys("xyze", stored)
