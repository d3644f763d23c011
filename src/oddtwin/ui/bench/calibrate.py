"""The calibration bench: a job at a time, its readings, what they come to, and what they came to before."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.calibrate import (
    JOBS,
    CalibrationError,
    CalibrationJob,
    Result,
    calibration,
    drawn_points,
    read_rows,
)
from oddtwin.core.language import shown, tr
from oddtwin.core.picture import Drawing, Past, Point, history_strip, readings_plot
from oddtwin.core.readings import TableError, guarded, plain_names, table_rows, table_text, unguarded
from oddtwin.core.study import KeptCalibration, Machine
from oddtwin.store import load_calibrations, load_instrument_names, load_machines
from oddtwin.ui.bench.after import FlowShareCard, StudyRow
from oddtwin.ui.bench.options import OptionFields
from oddtwin.ui.instruments import instruments_of, typed_text
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    DrawingView,
    at_least,
    button,
    choose,
    column_label,
    fix,
    heading,
    label,
    plain_caption,
    row,
    short,
)
from oddtwin.ui.widgets.grid import ReadingsGrid
from oddtwin.ui.workbench import Workbench

NONE = 0
"""In place of a machine: a calibration of none, such as a spool or an instrument."""


class CalibratePanel(QWidget):
    """Jobs at the left; the one in hand beside them; ``study_written`` gives the id of a new study."""

    study_written = Signal(int)

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._kept: tuple[KeptCalibration, ...] = ()
        self._points: list[Point] = []
        self._labels = ("", "")
        self._result: Result | None = None
        self._machines: dict[int, Machine] = {}
        self._named: list[str] = []
        self._instruments = instruments_of(workbench)
        self._jobs = QListWidget()
        self._jobs.setObjectName("calibrateJobs")
        self._jobs.setAccessibleName(tr("Calibrations"))
        self._jobs.addItems([shown(job.title) for job in JOBS])
        fix(self._jobs, width=max(190, self._jobs.sizeHintForColumn(0) + 20))
        self._machine = QComboBox()
        self._machine.setObjectName("calibrateMachine")
        self._machine.setAccessibleName(tr("Machine"))
        self._instrument = QComboBox()
        self._instrument.setObjectName("calibrateInstrument")
        self._instrument.setAccessibleName(tr("Instrument"))
        self._instrument.setEditable(True)
        at_least(self._instrument, width=220)
        typing = self._instrument.lineEdit()
        if typing is not None:
            typing.setPlaceholderText(tr("which scale, calliper, gauge"))
        self._of = column_label(tr("of"))
        self._flow_share, self._study = FlowShareCard(workbench), StudyRow(workbench)
        self._study.written.connect(self.study_written)
        self._title, self._do = heading(""), label("")
        self._cautions = label("", "quiet")
        self._options = OptionFields()
        self._options.changed.connect(self._on_typed)
        self._grid = ReadingsGrid("calibrateReadings")
        self._grid.setAccessibleName(tr("Readings"))
        self._grid.typed.connect(self._on_typed)
        self._sentence = label("", "lead")
        self._sentence.setObjectName("calibrateSentence")
        self._advice = label("")
        self._advice.setObjectName("calibrateAdvice")
        self._warnings = label("", "warning")
        self._plot = DrawingView(theme, self._draw)
        self._strip = DrawingView(theme, self._draw_strip)
        self._past = label("", "quiet")
        self._past.setObjectName("calibratePast")
        self._keep = button(tr("Keep it"), self._on_keep_clicked, name="keepCalibration")
        self._log = button(
            tr("Keep it, and log it on the machine"), self._on_log_clicked, main=True, name="logCalibration"
        )
        self._lay_out()
        self._connect()

    def _connect(self) -> None:
        # Chosen before anything listens: the first job is shown once, by the first refresh.
        self._jobs.setCurrentRow(0)
        self._jobs.currentRowChanged.connect(self._on_job_chosen)
        self._machine.currentIndexChanged.connect(self._on_job_chosen)
        self._instrument.currentTextChanged.connect(self._on_job_chosen)
        self._grid.suggestion = self._shown_by_instrument
        self._grid.refused.connect(self._workbench.failed)
        self.first = self._jobs

    def _lay_out(self) -> None:
        steps = QWidget()
        line = row(self._log, self._keep, None)
        line.setContentsMargins(0, 0, 0, 0)
        steps.setLayout(line)
        beside = QHBoxLayout()
        beside.setSpacing(14)
        beside.addWidget(self._grid, 1)
        beside.addWidget(self._plot, 1)
        work = Card(
            row(self._title, None, self._of, self._machine, self._instrument),
            self._do,
            self._options,
            beside,
            self._sentence,
            self._advice,
            self._warnings,
            steps,
            self._study,
            self._cautions,
        )
        self._history = Card(heading(tr("Before")), self._past, self._strip)
        right = QVBoxLayout()
        right.setSpacing(12)
        right.addWidget(work)
        for card in (self._flow_share, self._history):
            right.addWidget(card)
        right.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(14)
        layout.addWidget(self._jobs)
        layout.addLayout(right, 1)

    @property
    def _job(self) -> CalibrationJob:
        return JOBS[max(0, self._jobs.currentRow())]

    @property
    def _machine_id(self) -> int | None:
        return None if self._job.of_instrument else self._machine.currentData() or None

    @property
    def _instrument_name(self) -> str:
        return " ".join(self._instrument.currentText().split()) if self._job.of_instrument else ""

    def refresh(self) -> None:
        """Show the job in hand as the lab book has it."""
        with self._workbench.book.reading() as connection:
            machines = load_machines(connection)
            self._kept = load_calibrations(connection)
            self._named = load_instrument_names(connection)
        known = [(machine.name, machine.id) for machine in machines]
        # Filling the box must not count as choosing a machine.
        self._machine.blockSignals(True)
        choose(self._machine, [*known, (tr("no machine"), NONE)], self._machine.currentData())
        self._machine.blockSignals(False)
        self._machines = {machine.id: machine for machine in machines}
        self._show_instruments()
        self._show_job()

    def _show_instruments(self) -> None:
        """Offer the instruments that were checked, and those that responses name."""
        checked = [one.instrument for one in self._kept if one.instrument]
        known = dict.fromkeys((*checked, *self._named))
        typed = self._instrument.currentText()
        self._instrument.blockSignals(True)
        self._instrument.clear()
        self._instrument.addItems(list(known))
        self._instrument.setEditText(typed or next(iter(known), ""))
        self._instrument.blockSignals(False)

    def _of_job(self) -> list[KeptCalibration]:
        here = self._job.name, self._machine_id, self._instrument_name.casefold()
        return [one for one in self._kept if (one.job, one.machine_id, one.instrument.casefold()) == here]

    def _show_job(self) -> None:
        job, can_edit = self._job, self._workbench.can_edit
        there = next((one for one in self._of_job() if one.at is None), None)
        past = [one for one in self._of_job() if one.at is not None]
        self._title.setText(job.title)
        self._machine.setVisible(not job.of_instrument)
        self._instrument.setVisible(job.of_instrument)
        self._do.setText(job.do)
        self._cautions.setText(" ".join(map(shown, job.cautions)))
        self._cautions.setVisible(bool(job.cautions))
        # What must be known mostly stays the same from one evening to the next; what was set anew does not.
        lasting = {one.name for one in job.options if one.lasts}
        before = {name: value for name, value in past[-1].options.items() if name in lasting} if past else {}
        known = dict(there.options) if there else before
        self._options.show_options(job.options, known)
        head = [one.label for one in job.columns]
        tips = [one.says for one in job.columns]
        self._grid.show_rows(head, tips, _cells(job, there.readings) if there else [])
        self._grid.setEnabled(can_edit)
        self._options.setEnabled(can_edit)
        self._show_past(past)
        self._reckon(there)

    def _show_past(self, past: Sequence[KeptCalibration]) -> None:
        told = [one for one in past if one.value is not None]
        self._history.setVisible(bool(past))
        self._strip.setVisible(bool(told))
        if past:
            last = past[-1]
            at = f"{last.at:%Y-%m-%d}" if last.at else ""
            self._past.setText(f"{at}: {last.sentence}")
        if told:
            self._strip.show_anew()

    # ------------------------------------------------------------ typing

    def _on_job_chosen(self) -> None:
        self._show_job()

    def _on_typed(self) -> None:
        options = self._options.values()
        if options is None:
            return
        names = [one.name for one in self._job.columns]
        rows = [[guarded(cell) for cell in cells] for cells in self._grid.rows()]
        self._workbench.do(
            operations.type_calibration,
            job=self._job.name,
            machine_id=self._machine_id,
            readings=table_text([names, *rows]),
            options=options,
            instrument=self._instrument_name,
        )

    def _reckon(self, there: KeptCalibration | None) -> None:
        """Reckon beside the window: simulated intervals take a moment."""
        job = self._job
        if there is None or not self._grid.rows():
            self._show_result(None, tr("Type readings; Enter goes on to the next cell."))
            return
        self._workbench.figure(
            self,
            lambda _: calibration(job, there.readings, there.options),
            partial(self._on_reckoned, there),
            self._on_refused,
        )
        self._show_points(job, there.readings)

    def _show_points(self, job: CalibrationJob, readings: str) -> None:
        try:
            self._points, self._labels = drawn_points(job, read_rows(readings, job.columns))
        except (CalibrationError, TableError):
            return
        self._plot.setVisible(bool(self._points))
        self._plot.show_anew()

    def _on_reckoned(self, there: KeptCalibration, result: Result) -> None:
        if there in self._kept:
            self._show_result(result, "")

    def _on_refused(self, error: BaseException) -> bool:
        if not isinstance(error, ValueError):
            return False
        self._show_result(None, f"{error}")
        return True

    def _show_result(self, result: Result | None, told: str) -> None:
        self._result = result
        if result is None and not self._grid.rows():
            self._points = []
        self._plot.setVisible(bool(self._points))
        self._sentence.setText(result.sentence if result else told)
        self._advice.setText(tr("Do: {advice}.", advice=result.advice) if result and result.advice else "")
        self._advice.setVisible(bool(result and result.advice))
        self._warnings.setText("\n".join(result.warnings) if result else "")
        self._warnings.setVisible(bool(result and result.warnings))
        there = next((one for one in self._of_job() if one.at is None), None)
        self._flow_share.show_result(self._job, result, self._machines.get(self._machine_id or 0))
        self._study.show_result(self._job, result, there.readings if there else "")
        can = self._workbench.can_edit and result is not None
        self._keep.setEnabled(can)
        machine = self._machine.currentText()
        self._log.setText(plain_caption(tr("Keep it, and log it on {short}", short=short(machine, 30))))
        self._log.setVisible(bool(self._machine_id and self._job.logs))
        self._log.setEnabled(bool(can and result and result.value is not None))

    def _shown_by_instrument(self, column: int) -> str | None:
        """Return what an instrument shows of the unit of a column; None where none is of it."""
        asked = self._job.columns[column]
        sample = self._instruments.take(asked.unit) if asked.unit else None
        return None if sample is None else typed_text(sample)

    # ------------------------------------------------------------ keeping

    def _on_keep_clicked(self) -> None:
        self._finish(log=False)

    def _on_log_clicked(self) -> None:
        self._finish(log=True)

    def _finish(self, *, log: bool) -> None:
        self._workbench.do(
            operations.finish_calibration,
            job=self._job.name,
            machine_id=self._machine_id,
            log=log,
            instrument=self._instrument_name,
        )

    # ------------------------------------------------------------ pictures

    def _draw(self, width: float) -> Drawing:
        if not self._points:
            return Drawing(width, 1.0, (), tr("No reading yet"))
        return readings_plot(self._points, self._labels, width)

    def _draw_strip(self, width: float) -> Drawing:
        past = [
            Past(f"{one.at:%Y-%m-%d}", one.value, one.low, one.high)
            for one in self._of_job()
            if one.at is not None and one.value is not None
        ]
        if not past:
            return Drawing(width, 1.0, (), tr("Nothing was kept yet"))
        unit = next((one.unit for one in reversed(self._of_job()) if one.unit), "")
        return history_strip(past[-24:], unit, width)


def _cells(job: CalibrationJob, readings: str) -> list[list[str]]:
    """Return kept readings as the cells of the grid, in the order of the job's columns."""
    rows = table_rows(readings)
    _, header = next(rows, (1, []))
    names = plain_names(header)
    places = [names.index(one.name) if one.name in names else -1 for one in job.columns]
    return [[unguarded(cells[at]) if 0 <= at < len(cells) else "" for at in places] for _, cells in rows]
