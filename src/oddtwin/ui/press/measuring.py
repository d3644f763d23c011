"""Entering what a run weighed, took and looks like, from the keyboard alone."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.quantities import minutes_between
from oddtwin.core.readings import ResponseType
from oddtwin.core.study import Response, Role, Run, Study, plate_of
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    GradeField,
    QuantityField,
    button,
    clear,
    column_label,
    heading,
    label,
    row,
)
from oddtwin.ui.workbench import Workbench

Key = tuple[int, str]


class MeasureCard(Card):
    """A field for each response and zone of the run; Enter goes on, the last one to the next run.

    ``finished`` is emitted when the user is done with the run.
    """

    finished = Signal()

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._run: Run | None = None
        self._shape: tuple[object, ...] = ()
        self._fields: dict[Key, QuantityField | GradeField] = {}
        self._grid_holder = QVBoxLayout()
        self._done = button("Next run  ⏎", self._on_done_clicked, main=True, name="nextRun")
        self.add(heading("Measure"))
        self.add(
            label(
                "Type with or without a unit: 1h25, 85 min, 12,5 g, 3 oz; repeated readings apart by “;”. "
                "Keys 0 to 4 grade a fault. Enter goes on.",
                "quiet",
            )
        )
        self.add(self._grid_holder)
        self.add(row(self._done, None))

    def show_run(self, study: Study, run: Run) -> None:
        """Show the readings of a run."""
        if self._run is not None and run.id != self._run.id:
            # What was typed belongs to the run before; its window has asked for it already.
            for field in self._fields.values():
                field.give_up()
        self._run = run
        shape = tuple(
            (item.id, item.name, item.unit, item.type, study.zones_of(item, run)) for item in study.responses
        )
        if shape != self._shape:
            self._shape = shape
            self._build(study, run)
        values: dict[Key, list[float]] = defaultdict(list)
        for reading in study.readings:
            if reading.run_id == run.id:
                values[reading.response_id, reading.zone].append(reading.value)
        for key, field in self._fields.items():
            if isinstance(field, GradeField):
                field.show_grade(values[key][0] if values[key] else None)
            else:
                field.show_values(values[key])
        self._show_heap(study)
        self._suggest_time(study, run)

    def take_focus(self) -> None:
        """Put the keys into the first field that is still empty."""
        for field in self._fields.values():
            if _is_empty(field):
                field.setFocus()
                return
        self._done.setFocus()

    def _build(self, study: Study, run: Run) -> None:
        clear(self._grid_holder)
        self._fields = {}
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(7)
        grid.setColumnStretch(2, 1)
        grid.setColumnMinimumWidth(0, 190)
        for response in study.responses:
            zones = study.zones_of(response, run)
            if zones:
                self._add(grid, response, zones)
        self._grid_holder.addWidget(holder)

    def _add(self, grid: QGridLayout, response: Response, zones: tuple[str, ...]) -> None:
        line = grid.rowCount()
        unit = f", {response.unit}" if response.unit else ""
        grid.addWidget(label(f"{response.name}{unit}"), line, 0)
        if response.role is Role.WASTE:
            grid.addWidget(self._waste(response, zones), line, 1, 1, 2)
            return
        for offset, zone in enumerate(zones):
            place = line + offset
            field = self._field(response, zone)
            if response.type is ResponseType.GRADE:
                grid.addWidget(column_label(zone, most=18), place, 1)
                grid.addWidget(field, place, 2)
            else:
                grid.addWidget(field, place, 1, 1, 2)

    def _waste(self, response: Response, zones: tuple[str, ...]) -> QWidget:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(1)
        for column, zone in enumerate(zones):
            grid.addWidget(column_label(zone or "in one heap"), 0, column)
            grid.addWidget(self._field(response, zone), 1, column)
        return holder

    def _show_heap(self, study: Study) -> None:
        """Waste is weighed in one heap or by its kind, never both: it would count twice."""
        for response in study.responses:
            if response.role is Role.WASTE and (response.id, "") in self._fields:
                kinds = [field for (key, zone), field in self._fields.items() if key == response.id and zone]
                heap = self._fields[response.id, ""]
                heap.setEnabled(_is_empty(heap) is False or all(map(_is_empty, kinds)))
                for field in kinds:
                    field.setEnabled(_is_empty(heap) or not _is_empty(field))

    def _field(self, response: Response, zone: str) -> QuantityField | GradeField:
        name = f"reading-{response.name}" + (f"-{zone}" if zone else "")
        field: QuantityField | GradeField
        if response.type is ResponseType.GRADE:
            field = GradeField(name, self._theme)
            field.graded.connect(
                lambda grade: self._enter(response, zone, [] if grade is None else [float(grade)])
            )
        else:
            field = QuantityField(name, response.unit, many=True)
            if response.role is not Role.WASTE:
                field.setMaximumWidth(320)
            field.quantity_committed.connect(lambda values: self._enter(response, zone, values))
        field.entered.connect(self._mover(field))
        self._fields[response.id, zone] = field
        return field

    def _mover(self, field: QWidget) -> Callable[[], None]:
        def move() -> None:
            fields = list(self._fields.values())
            place = next(index for index, item in enumerate(fields) if item is field) + 1
            # A heap that was weighed leaves nothing to type by kind.
            onward = next((item for item in fields[place:] if item.isEnabled()), self._done)
            onward.setFocus()

        return move

    def _enter(self, response: Response, zone: str, values: list[float]) -> None:
        if self._run is not None:
            what = f"{response.name} {zone}".strip()
            self._workbench.do(
                operations.enter_readings,
                run_id=self._run.id,
                response_id=response.id,
                zone=zone,
                values=values,
                title=f"{what} of run {self._run.code}",
            )

    def _suggest_time(self, study: Study, run: Run) -> None:
        """Offer the minutes between the stamps, taken with Enter; the print may have waited."""
        timing = next((item for item in study.responses if item.role is Role.TIME), None)
        field = self._fields.get((timing.id, "")) if timing else None
        if not isinstance(field, QuantityField):
            return
        minutes = None
        passed = minutes_between(run.started, run.finished) if run.started and run.finished else 0.0
        if passed > 0:
            # The minutes of a plate belong to all that share it.
            minutes = float(round(passed / len(plate_of(study, run))))
        field.edit.setPlaceholderText(f"{minutes:.0f} by the stamps: Enter takes it" if minutes else "")
        field.suggestion = lambda: minutes or None

    def _on_done_clicked(self) -> None:
        self.finished.emit()


def _is_empty(field: QuantityField | GradeField) -> bool:
    return field.grade is None if isinstance(field, GradeField) else not field.text().strip()
