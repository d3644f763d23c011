"""Timetable: the runs on real days, drawn by machine, moved by hand, and handed on as iCalendar."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, time, timedelta
from importlib import import_module
from typing import Unpack

from PySide6.QtWidgets import QCheckBox, QGridLayout, QProgressBar, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import dated, tr, trn
from oddtwin.core.outlook import placed_of, slots_of, workload_of
from oddtwin.core.picture import DayChart
from oddtwin.core.quantities import QuantityError, capitalized, format_minutes, now
from oddtwin.core.schedule import Presence, Timetable, as_icalendar, make_timetable
from oddtwin.core.study import Study
from oddtwin.ui.jobs import Lane
from oddtwin.ui.plan.chart import DayChartView
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    LineField,
    button,
    column_label,
    fill_table,
    fix,
    heading,
    label,
    plain_table,
    proposed_path,
    row,
    set_quietly,
    typed_day,
    write_typed,
)
from oddtwin.ui.workbench import Workbench

_HEAD = (tr("Hands from"), tr("Print starts"), tr("Done"), tr("Run"), tr("Machine"), tr("Switch and checks"))
OVERNIGHT_CAUTION = tr(
    "Unattended printing can start a fire: only with a smoke alarm, where the "
    "maker’s instructions and your local rules allow it."
)


class DaysPanel(QWidget):
    """When somebody is there, the chart of the answer, and its files."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._study_id: int | None = None
        self._answer: Timetable | None = None
        self._chart = DayChartView(theme)
        self._chart.moved.connect(self._on_run_moved)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(14)
        layout.addWidget(self._when())
        layout.addWidget(self._result())
        # Loaded while the hours are being read, so that the first answer comes as fast as any other.
        workbench.lanes.run(
            Lane.FIGURES, lambda _: import_module("ortools.sat.python.cp_model"), lambda _: None, owner=self
        )
        self.first = self._go

    def refresh(self) -> None:
        """Show the study in hand."""
        study = self._workbench.study
        if study is None:
            return
        if study.id != self._study_id:
            self._study_id = study.id
            self._answer = None
            self._path.show_text(proposed_path(study.name, ".ics"))
            self._written.setText("")
            self._start.show_text((now().date() + timedelta(days=1)).isoformat())
        self._weekdays.show_text(study.rates.weekdays)
        self._weekend.show_text(study.rates.weekend)
        set_quietly(self._overnight, self._overnight.setChecked, study.rates.overnight)
        self._caution.setVisible(study.rates.overnight)
        self._go.setEnabled(bool(study.runs))
        self._show_chart(study)

    # ------------------------------------------------------------ building

    def _when(self) -> Card:
        self._start = LineField("firstDay", "2026-12-01", 130)
        self._weekdays, self._weekend = LineField("weekdays"), LineField("weekend")
        self._weekdays.committed.connect(lambda text: self._edit_rates(weekdays=text))
        self._weekend.committed.connect(lambda text: self._edit_rates(weekend=text))
        self._overnight = QCheckBox(tr("Prints may run through the night"))
        self._overnight.setObjectName("overnight")
        self._overnight.toggled.connect(lambda on: self._edit_rates(overnight=on))
        self._keep = QCheckBox(tr("Keep the drawn order on each machine"))
        self._keep.setObjectName("keepOrder")
        self._keep.setChecked(True)
        self._caution = label(OVERNIGHT_CAUTION, "error")
        self._go = button(tr("Make the timetable"), self._on_go_clicked, main=True, name="makeTimetable")
        self._stop = button(tr("Cancel"), lambda: self._workbench.lanes.cancel(self), name="cancelTimetable")
        self._free = button(tr("Free the moved runs"), self._on_free_clicked, name="freeRuns")
        self._bar = QProgressBar()
        self._bar.setRange(0, 0)
        fix(self._bar, 260, 10)
        self._bar.setTextVisible(False)
        for part in (self._stop, self._bar):
            part.setVisible(False)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        for line, (text, field, hint) in enumerate(
            (
                (tr("First day"), self._start, tr("nothing begins before it")),
                (
                    tr("Monday to Friday"),
                    self._weekdays,
                    tr("plates are changed only while somebody is there"),
                ),
                (tr("Saturday, Sunday"), self._weekend, tr("several spans apart by commas")),
            )
        ):
            grid.addWidget(column_label(text), line, 0)
            grid.addWidget(field, line, 1)
            grid.addWidget(label(hint, "quiet", wrap=False), line, 2)
        grid.setColumnMinimumWidth(1, 280)
        grid.setColumnStretch(2, 1)
        return Card(
            heading(tr("When somebody is there")),
            grid,
            self._overnight,
            self._caution,
            self._keep,
            row(self._go, self._stop, self._bar, self._free, None),
        )

    def _result(self) -> Card:
        self._sentence = label("", "lead")
        self._sentence.setObjectName("timetableSentence")
        self._notes = label("", "error")
        self._hint = label(
            tr(
                "Drag a run to another time, or choose it with the arrow keys and move it "
                "with Alt and the arrows; the rest is put around it."
            ),
            "quiet",
        )
        self._table = plain_table("slots", _HEAD)
        self._path = LineField("calendarPath", tr("Where to write the calendar"))
        self._path.entered.connect(self._on_calendar_clicked)
        self._written = label("", "quiet")
        self._written.setObjectName("calendarWritten")
        self._files = QWidget()
        files = row(
            self._path, button(tr("Write as iCalendar"), self._on_calendar_clicked, name="writeCalendar")
        )
        files.setContentsMargins(0, 0, 0, 0)
        self._files.setLayout(files)
        return Card(
            heading(tr("Timetable")),
            self._sentence,
            self._notes,
            self._chart,
            self._hint,
            self._table,
            self._files,
            self._written,
        )

    # ------------------------------------------------------------ showing

    def _show_chart(self, study: Study) -> None:
        placed = placed_of(study)
        pinned = frozenset(run.id for run in study.runs if run.slot and run.slot.pinned)
        codes = {run.id: run.code for run in study.runs}
        there = {item.machine for item in placed}
        machines = {key: machine.name for key, machine in study.machines.items() if key in there}
        for part in (self._chart, self._hint, self._table, self._files):
            part.setVisible(bool(placed))
        self._free.setVisible(bool(pinned))
        self._notes.setText(" ".join(self._answer.notes) if self._answer else "")
        self._notes.setVisible(bool(self._notes.text()))
        if not placed:
            self._sentence.setText(
                tr("No times yet: make the timetable.")
                if study.runs
                else tr("Draw the order under Design first.")
            )
            return
        if self._answer is not None:
            self._sentence.setText(_sentence(self._answer))
        else:
            last = max(item.end for item in placed)
            self._sentence.setText(tr("The last print is done on {last:%A, %Y-%m-%d at %H:%M}.", last=last))
        try:
            presence = Presence.parsed(study.rates.weekdays, study.rates.weekend)
        except ValueError:
            presence = Presence(((0, 1440),), ((0, 1440),))
        self._chart.show_chart(
            DayChart(placed, machines, codes, pinned, presence, float(max(400, self._chart.width())))
        )
        rows = [
            (
                dated(item.prepare, "%a %Y-%m-%d %H:%M"),
                f"{item.start:%H:%M}",
                dated(item.end, "%a %H:%M"),
                codes[item.key],
                machines.get(item.machine, "–"),
                format_minutes(item.switch_min) if item.switch_min else "–",
            )
            for item in placed
        ]
        fill_table(self._table, rows, fit_height=True)

    # ------------------------------------------------------------ events

    def _edit_rates(self, **values: Unpack[operations.RatesDetails]) -> None:
        self._workbench.do(operations.edit_rates, **values)

    def _on_go_clicked(self) -> None:
        self._solve({})

    def _on_run_moved(self, run_id: int, at: datetime) -> None:
        self._solve({run_id: at})

    def _on_free_clicked(self) -> None:
        self._solve({}, free=True)

    def _solve(self, moved: Mapping[int, datetime], free: bool = False) -> None:
        study = self._workbench.study
        if study is None:
            return
        try:
            start = datetime.combine(typed_day(self._start.text()), time())
        except QuantityError as error:
            self._start.show_error(f"{capitalized(str(error))}.")
            return
        pinned = {} if free else {r.id: r.slot.start for r in study.runs if r.slot and r.slot.pinned}
        pinned |= moved
        try:
            work = workload_of(study, start, self._keep.isChecked(), pinned)
        except ValueError as error:
            self._workbench.failed.emit(capitalized(str(error)))
            return
        study_id, keys = study.id, set(pinned)

        def done(answer: Timetable) -> None:
            if self._workbench.study is None or self._workbench.study.id != study_id:
                return
            self._answer = answer
            self._workbench.do(operations.give_times, study_id=study_id, slots=slots_of(study, answer, keys))

        self._show_running(True)
        running = self._workbench.figure(self, lambda job: make_timetable(work, job=job), done)
        running.ended.connect(self._on_ended)

    def _on_ended(self) -> None:
        self._show_running(False)
        self.refresh()

    def _show_running(self, running: bool) -> None:
        self._go.setEnabled(not running)
        self._stop.setVisible(running)
        self._bar.setVisible(running)

    def _on_calendar_clicked(self) -> None:
        study = self._workbench.study
        placed = placed_of(study) if study else ()
        if study is None or not placed:
            return
        made = Timetable(placed, 0, 0, 0, False)
        titles = {run.id: tr("run {run_code}", run_code=run.code) for run in study.runs}
        machines = {key: machine.name for key, machine in study.machines.items()}
        path = write_typed(self._path, ".ics", as_icalendar(made, titles, machines, study.name, now()))
        self._written.setText(tr("Written: {path}", path=path) if path else "")


def _sentence(answer: Timetable) -> str:
    best = (
        tr("no shorter one exists")
        if answer.proven
        else tr("at most {gap:.0f} % longer than the best", gap=100 * answer.gap)
    )
    last = max(item.end for item in answer.placed)
    switches = f"{answer.switches} {trn('switch', 'switches', answer.switches)}"
    return tr(
        "Done on {last:%A, %Y-%m-%d at %H:%M}, with {switches}; {best}.",
        last=last,
        switches=switches,
        best=best,
    )
