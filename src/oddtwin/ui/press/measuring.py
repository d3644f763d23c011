"""Entering what a run weighed, took and looks like, from the keyboard alone."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_reading, minutes_between
from oddtwin.core.readings import ResponseKind, Source, Spot, Subject, Typed, read_typed, write_typed
from oddtwin.core.study import Response, Role, Run, RunReading, Study, plate_of, slip_words
from oddtwin.ui.instruments import instruments_of, show_text, typed_text
from oddtwin.ui.press.stopwatch import StopwatchButton
from oddtwin.ui.press.tare import TareChoice, TooLightError
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    UNSAVED,
    Card,
    ReadingField,
    StepField,
    at_most,
    button,
    clear,
    column_label,
    heading,
    label,
    row,
)
from oddtwin.ui.widgets.place import as_typed_here
from oddtwin.ui.workbench import Workbench

Key = tuple[int, Spot]
Field = ReadingField | StepField


class MeasureCard(Card):
    """A field for each response and zone of the run; Enter goes on, the last one to the next run.

    ``finished`` is emitted when the user is done with the run.
    """

    finished = Signal()

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._instruments = instruments_of(workbench)
        self._taken: tuple[int, Spot, str] | None = None
        self._run: Run | None = None
        self._shape: tuple[object, ...] = ()
        self._fields: dict[Key, Field] = {}
        self._grid_holder = QVBoxLayout()
        self._done = button(tr("Next run  ⏎"), self._on_done_clicked, main=True, name="nextRun")
        self._live = label("", wrap=False)
        self._live.setObjectName("instrumentsNow")
        self._instruments.heard.connect(self._show_live)
        self._instruments.changed.connect(self._show_live)
        self._tare = TareChoice(workbench)
        self._stopwatch = StopwatchButton(workbench)
        self.add(row(heading(tr("Measure")), None, self._live, 12, self._stopwatch, self._tare))
        self.add(
            label(
                tr(
                    "Type with or without a unit: 1h25, 85 min, 12,5 g, 3 oz, >40 N, 40..60; repeated "
                    "readings apart by “;”. Keys 0 to 4 grade a fault, y and n answer. Enter goes on."
                ),
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
        self._tare.refresh(study.responses)
        self._stopwatch.refresh(study.responses)
        shape = tuple(
            (item, study.spots_of(item, run), self._of_plate(study, item, run)) for item in study.responses
        )
        # Built anew only where other fields are needed: the cursor stays, and a change of run costs no
        # widgets.
        if shape != self._shape:
            self._shape = shape
            self._build(study, run)
        read: dict[Key, list[RunReading]] = defaultdict(list)
        for response in study.responses:
            # What is read once for a plate is shown with every print on it.
            together = plate_of(study, run) if response.subject is Subject.PLATE else (run,)
            for one in together:
                for item in study.index.readings[one.id]:
                    if item.response_id == response.id:
                        read[response.id, item.spot].append(item)
        for key, field in self._fields.items():
            if isinstance(field, ReadingField):
                field.show_readings(read[key])
            else:
                field.show_step(_step(study.index.responses[key[0]], read[key]))
        self._show_heap(study)
        self._suggest_time(study, run)

    def _show_live(self) -> None:
        """What is taken with Enter is seen where it is taken."""
        show_text(self._live, "   ".join(one.words for one in self._instruments.connected))

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
            spots = study.spots_of(response, run)
            if spots:
                self._add(grid, response, spots, self._of_plate(study, response, run))
        self._grid_holder.addWidget(holder)

    def _of_plate(self, study: Study, response: Response, run: Run) -> str:
        """Say that a reading is of more than this print."""
        if response.subject is Subject.PLATE and len(plate_of(study, run)) > 1:
            return tr(", of the whole plate")
        return tr(", of the machine") if response.subject is Subject.MACHINE else ""

    def _add(self, grid: QGridLayout, response: Response, spots: tuple[Spot, ...], of: str) -> None:
        line = grid.rowCount()
        unit = f", {response.unit}" if response.unit else ""
        grid.addWidget(label(f"{response.name}{unit}{of}"), line, 0)
        if response.role is Role.WASTE:
            grid.addWidget(self._waste(response, spots), line, 1, 1, 2)
            return
        for offset, spot in enumerate(spots):
            place = line + offset
            field = self._field(response, spot)
            nominal = "" if spot.nominal is None else f" ({format_reading(spot.nominal)})"
            if spot.zone:
                grid.addWidget(column_label(f"{spot.zone}{nominal}", most=18), place, 1)
                grid.addWidget(field, place, 2)
            else:
                grid.addWidget(field, place, 1, 1, 2)

    def _waste(self, response: Response, spots: tuple[Spot, ...]) -> QWidget:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(1)
        for column, spot in enumerate(spots):
            grid.addWidget(column_label(spot.waste or tr("in one heap")), 0, column)
            grid.addWidget(self._field(response, spot), 1, column)
        return holder

    def _show_heap(self, study: Study) -> None:
        """Waste is weighed in one heap or by its kind, never both: it would count twice."""
        for response in study.responses:
            if response.role is Role.WASTE and (response.id, Spot()) in self._fields:
                mine = [(spot, field) for (key, spot), field in self._fields.items() if key == response.id]
                kinds = [field for spot, field in mine if spot.waste]
                heap = self._fields[response.id, Spot()]
                # What holds something stays open, so that it can be taken out again.
                heap.setEnabled(_is_empty(heap) is False or all(map(_is_empty, kinds)))
                for field in kinds:
                    field.setEnabled(_is_empty(heap) or not _is_empty(field))

    def _field(self, response: Response, spot: Spot) -> Field:
        name = f"reading-{response.name}" + (f"-{spot.name}" if spot.name else "")
        field: Field
        if response.kind.graded:
            field = StepField(name, self._theme)
            field.chosen.connect(
                lambda grade: self._enter(response, spot, [] if grade is None else [Typed(float(grade))])
            )
        elif response.kind is ResponseKind.WORD and 0 < len(response.words) < 10:
            field = StepField(name, self._theme, response.words, first=1)
            field.chosen.connect(
                lambda step: self._enter(
                    response, spot, [] if step is None else [Typed(0.0, word=response.words[step - 1])]
                )
            )
        else:
            field = ReadingField(name, response.kind, response.unit, response.words)
            if response.role is not Role.WASTE:
                at_most(field, 320)
            field.readings_committed.connect(lambda read: self._enter(response, spot, read))
            if response.kind in (ResponseKind.QUANTITY, ResponseKind.SIZE, ResponseKind.DEVIATION):
                field.suggestion = partial(self._shown_by, response, spot)
            field.doubt = partial(self._doubted, response, spot)
        field.entered.connect(self._mover(field))
        self._fields[response.id, spot] = field
        return field

    def _shown_by(self, response: Response, spot: Spot) -> str | None:
        """Return what an instrument of a unit shows, as if it had been typed."""
        sample = self._instruments.take(response.unit)
        self._stopwatch.show_now()
        if sample is None:
            return None
        self._taken = (
            response.id,
            spot,
            write_typed(read_typed(typed_text(sample), response.kind, response.unit)),
        )
        return as_typed_here(typed_text(sample))

    def _doubted(self, response: Response, spot: Spot, typed: list[Typed]) -> str:
        """Return why readings look like a slip; of what may be seen, so that the question tells no arm."""
        study = self._workbench.seen
        if study is None or self._run is None:
            return ""
        try:
            net = self._tare.off(response, typed)
        except TooLightError:
            # It is refused as such when it is stored.
            return ""
        return slip_words(study, response, self._run, net, spot.nominal)

    def _mover(self, field: QWidget) -> Callable[[], None]:
        def move() -> None:
            fields = list(self._fields.values())
            place = next(index for index, item in enumerate(fields) if item is field) + 1
            # A heap that was weighed leaves nothing to type by kind.
            onward = next((item for item in fields[place:] if item.isEnabled()), self._done)
            onward.setFocus()

        return move

    def _enter(self, response: Response, spot: Spot, values: list[Typed]) -> None:
        if self._run is not None:
            what = f"{response.name} {spot.name}".strip()
            # Typed over, what an instrument showed is a person's reading again.
            written = "; ".join(write_typed(one) for one in values)
            taken, self._taken = self._taken, None
            of_device = taken is not None and taken == (response.id, spot, written)
            try:
                values = self._tare.off(response, values)
            except TooLightError as error:
                UNSAVED.refuse(f"{error}")
                return
            self._workbench.do(
                operations.enter_readings,
                run_id=self._run.id,
                response_id=response.id,
                spot=spot,
                values=values,
                title=tr("{what} of run {run_code}", what=what, run_code=self._run.code),
                source=Source.DEVICE if of_device else Source.TYPED,
            )

    def _suggest_time(self, study: Study, run: Run) -> None:
        """Offer the minutes between the stamps, taken with Enter; the print may have waited."""
        timing = next((item for item in study.responses if item.role is Role.TIME), None)
        field = self._fields.get((timing.id, Spot())) if timing else None
        if timing is None or not isinstance(field, ReadingField):
            return
        minutes = None
        passed = minutes_between(run.started, run.finished) if run.started and run.finished else 0.0
        if passed > 0:
            # What is asked of each print is its share of the plate's minutes.
            shared = len(plate_of(study, run)) if timing.subject is Subject.PIECE else 1
            minutes = float(round(passed / shared))
        field.edit.setPlaceholderText(
            tr("{minutes:.0f} by the stamps: Enter takes it", minutes=minutes) if minutes else ""
        )
        field.suggestion = lambda: format_reading(minutes) if minutes else None

    def _on_done_clicked(self) -> None:
        self.finished.emit()


def _is_empty(field: Field) -> bool:
    return field.step is None if isinstance(field, StepField) else not field.text().strip()


def _step(response: Response, read: Sequence[RunReading]) -> float | None:
    """Return the step that a stored reading stands on."""
    if not read:
        return None
    if response.kind is ResponseKind.WORD:
        word = read[0].word
        return response.words.index(word) + 1.0 if word in response.words else None
    return read[0].value
