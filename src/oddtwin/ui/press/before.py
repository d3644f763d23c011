"""What is looked at before a plate is started, and how the room was."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.quantities import now
from oddtwin.core.standing import Mark, ReadyLine, ready_lines, spools_of
from oddtwin.core.study import Run, RunState, Study
from oddtwin.store import left_on, load_machine_changes
from oddtwin.ui.widgets import QuantityField, clear, column_label, label, row, set_quietly
from oddtwin.ui.workbench import Workbench

_SIGNS = {Mark.FINE: "✓", Mark.LOOK: "?", Mark.WRONG: "!"}


class BeforeRows(QWidget):
    """A line for make-up, file, spool and overdue checks while the run waits; a box for the bed."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._run: Run | None = None
        self._listed: list[ReadyLine] | None = None
        self._lines = QGridLayout()
        self._lines.setHorizontalSpacing(10)
        self._lines.setVerticalSpacing(2)
        self._lines.setColumnStretch(2, 1)
        self._bed = QCheckBox(tr("The bed is cleaned, the same way as always"))
        self._bed.setObjectName("bedCleaned")
        self._bed.clicked.connect(lambda on: self._edit(bed_cleaned=on))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(self._lines)
        layout.addWidget(self._bed)

    def show_run(self, study: Study, run: Run) -> None:
        """Show what is known before a run is started; hidden afterwards."""
        self._run = run
        waits = run.state is RunState.PLANNED
        self.setVisible(waits)
        if not waits:
            return
        lines = self._known(study, run)
        if lines != self._listed:
            self._listed = lines
            self._build(lines)
        set_quietly(self._bed, self._bed.setChecked, run.plate.bed_cleaned)

    def _known(self, study: Study, run: Run) -> list[ReadyLine]:
        # Read anew for every run: another study may have printed from the spool meanwhile.
        with self._workbench.book.reading() as connection:
            changes = load_machine_changes(connection)
            left = {spool.name: left_on(connection, spool) for spool in spools_of(study, run)}
        return ready_lines(study, run, changes, left, now())

    def _build(self, lines: list[ReadyLine]) -> None:
        clear(self._lines)
        for number, line in enumerate(lines):
            sign = label(_SIGNS[line.mark], "error" if line.mark is Mark.WRONG else "quiet", wrap=False)
            words = label(line.words, "error" if line.mark is Mark.WRONG else "")
            words.setObjectName(f"ready-{line.what}-{number}")
            for column, part in enumerate((sign, column_label(line.what), words)):
                self._lines.addWidget(part, number, column)

    def _edit(self, **values: Any) -> None:
        if self._run is not None:
            self._workbench.do(operations.edit_plate, run_id=self._run.id, code=self._run.code, **values)


class RoomRow(QWidget):
    """Temperature and humidity of the room as the plate was started; typed, or as an instrument told them."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._run: Run | None = None
        self._temperature = QuantityField("roomTemperature", "°C", "°C", 62)
        self._humidity = QuantityField("roomHumidity", "%", "%", 56)
        self._temperature.edit.setAccessibleName(tr("Temperature of the room, °C"))
        self._humidity.edit.setAccessibleName(tr("Relative humidity of the room, %"))
        self._temperature.quantity_committed.connect(
            lambda values: self._edit(temperature_c=values[0] if values else None)
        )
        self._humidity.quantity_committed.connect(
            lambda values: self._edit(humidity_pct=values[0] if values else None)
        )
        line = row(column_label(tr("Room, °C and %")), self._temperature, self._humidity)
        line.setContentsMargins(0, 0, 0, 0)
        self.setLayout(line)

    def show_run(self, run: Run) -> None:
        """Show how the room was."""
        self._run = run
        plate = run.plate
        self._temperature.show_values([] if plate.temperature_c is None else [plate.temperature_c])
        self._humidity.show_values([] if plate.humidity_pct is None else [plate.humidity_pct])

    def _edit(self, **values: Any) -> None:
        if self._run is not None:
            self._workbench.do(operations.edit_plate, run_id=self._run.id, code=self._run.code, **values)
