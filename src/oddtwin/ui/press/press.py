"""The screen of the stage Print and measure."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import chain

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from oddtwin.core.language import shown, tr
from oddtwin.core.standing import Stage, missing_readings, next_run
from oddtwin.core.study import Run, RunState, Study, plate_of
from oddtwin.ui.going import go_button
from oddtwin.ui.instruments import InstrumentsCard
from oddtwin.ui.press.aftermath import AftermathCard
from oddtwin.ui.press.listening import PrinterStamps
from oddtwin.ui.press.measuring import MeasureCard
from oddtwin.ui.press.rechecks import RechecksCard
from oddtwin.ui.press.run_card import RunCard
from oddtwin.ui.press.take import TakeCard
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import UNSAVED, Card, Page, fix, heading, label, plain_tip, row
from oddtwin.ui.workbench import Workbench

_SIGNS = {
    RunState.PLANNED: "○",
    RunState.PRINTING: "◐",
    RunState.PRINTED: "●",
    RunState.SET_ASIDE: "✕",
}


class PressView(QWidget):
    """The run list at the side, the run in hand in the middle."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("press")
        self._workbench = workbench
        self._study_id: int | None = None
        self._run_id: int | None = None
        self._runs = RunList()
        self._runs.chosen.connect(self._on_run_chosen)
        self._card = RunCard(workbench, theme)
        self._rechecks = RechecksCard(workbench)
        self._measure = MeasureCard(workbench, theme)
        self._take = TakeCard(workbench)
        self._aftermath = AftermathCard(workbench)
        self._instruments = InstrumentsCard(workbench)
        self._stamps = PrinterStamps(workbench, self._in_hand, self)
        self._card.events.height_of = self._stamps.height_of
        self._card.stamped.connect(self.take_focus)
        self._card.chosen.connect(self._on_run_chosen)
        self._measure.finished.connect(self.show_next)
        self._plan = go_button(workbench, Stage.PLAN)
        self._none = Card(
            heading(tr("Nothing to print yet")),
            label(tr("Draw the order under Plan first; the runs then wait here, one after another.")),
            row(self._plan, None),
        )
        page = Page()
        for part in (
            self._none,
            self._card,
            self._rechecks,
            self._measure,
            self._take,
            self._aftermath,
            self._instruments,
        ):
            page.body.addWidget(part)
        page.body.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._runs)
        layout.addWidget(page, 1)
        self._page = page

    def refresh(self) -> None:
        """Show the study in hand; the run in hand stays the same until another is chosen."""
        study = self._workbench.seen
        if study is None:
            return
        if study.id != self._study_id or self._run(study) is None:
            self._study_id = study.id
            self._run_id = _waiting(study)
            self._instruments.refresh_ports()
        self._show(study)

    def dressed_apart(self) -> Iterator[QWidget]:
        """Yield what is to be dressed by itself, for not all of it is seen at once."""
        return chain((self._runs,), self._page.dressed_apart())

    def show_next(self) -> None:
        """Go on to the next run that waits."""
        study = self._workbench.seen
        if study is not None and not self._held_back():
            self._run_id = _waiting(study)
            self._show(study)
            self._page.verticalScrollBar().setValue(0)
            self.take_focus()

    def take_focus(self) -> None:
        """Put the keys where the next step of the run is, or where there is none to what makes one."""
        if self._none.isVisible():
            self._plan.setFocus()
        elif self._card.wants_keys():
            self._card.take_focus()
        else:
            self._measure.take_focus()

    def _show(self, study: Study) -> None:
        run = self._run(study)
        # What is lacking tells no arm, and was worked out for the frame already.
        self._runs.show_runs(study, missing_readings(self._workbench.study or study), run)
        self._none.setVisible(run is None)
        for part in (self._card, self._rechecks, self._measure, self._take, self._aftermath):
            part.setVisible(run is not None)
        if run is None:
            return
        self._card.show_run(study, run)
        self._rechecks.show_run(study, run)
        self._measure.show_run(study, run)
        self._take.show_run(study, run)
        self._aftermath.show_run(study, run)
        self._measure.setVisible(run.finished is not None and not run.set_aside)
        for part in (self._card, self._rechecks, self._measure, self._take, self._aftermath):
            part.setEnabled(self._workbench.can_edit_study)

    def _in_hand(self) -> Run | None:
        study = self._workbench.study
        return self._run(study) if study is not None and self.isVisible() else None

    def _run(self, study: Study) -> Run | None:
        return next((run for run in study.runs if run.id == self._run_id), None)

    def _on_run_chosen(self, run_id: int) -> None:
        study = self._workbench.seen
        if study is None or run_id == self._run_id:
            return
        if self._held_back():
            self._show(study)
            return
        self._run_id = run_id
        self._show(study)
        self.take_focus()

    def _held_back(self) -> bool:
        """Stay with a reading of this run that could not be stored."""
        waiting = [field for field in UNSAVED.within(self.window()) if self.isAncestorOf(field)]
        for field in waiting[:1]:
            field.setFocus()
        return bool(waiting)


class RunList(QFrame):
    """The runs in their order with their state; ``chosen`` is emitted with a run's id."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        fix(self, width=168)
        self._lines: list[tuple[object, ...] | None] = []
        self._list = QListWidget()
        self._list.setObjectName("runList")
        self._list.setAccessibleName(tr("Runs in their order"))
        self._list.setFrameShape(QFrame.Shape.NoFrame)
        self._list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._count = label("", "quiet")
        self._list.currentRowChanged.connect(self._on_row_changed)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 14, 4, 8)
        layout.addWidget(heading(tr("Runs")))
        layout.addWidget(self._count)
        layout.addWidget(self._list, 1)

    def show_runs(self, study: Study, lacking: Mapping[int, Sequence[str]], current: Run | None) -> None:
        """Show all runs of a study, the run in hand marked; only lines that say something new change."""
        self._list.blockSignals(True)
        while self._list.count() > len(study.runs):
            self._list.takeItem(self._list.count() - 1)
            self._lines.pop()
        while self._list.count() < len(study.runs):
            self._list.addItem(QListWidgetItem())
            self._lines.append(None)
        done = 0
        for place, run in enumerate(study.runs):
            open_readings = bool(run.state is RunState.PRINTED and lacking[run.id])
            done += run.state is RunState.PRINTED and not open_readings
            beside = _beside(plate_of(study, run), run)
            line = (run.id, run.code, run.state, run.set_aside, open_readings, beside)
            if line != self._lines[place]:
                self._lines[place] = line
                self._show_line(self._list.item(place), run, open_readings, beside)
            if current is not None and run.id == current.id:
                self._list.setCurrentRow(place)
        counting = sum(run.state is not RunState.SET_ASIDE for run in study.runs)
        self._count.setText(tr("{done} of {counting} done", done=done, counting=counting))
        self._list.blockSignals(False)

    def _show_line(self, item: QListWidgetItem, run: Run, open_readings: bool, beside: str) -> None:
        sign = "◔" if open_readings else _SIGNS[run.state]
        item.setText(f"{beside}{sign} {run.code}" + (tr(" measure") if open_readings else ""))
        item.setData(Qt.ItemDataRole.UserRole, run.id)
        tip = tr("readings are missing") if open_readings else run.set_aside or shown(run.state)
        item.setToolTip(plain_tip(tip))

    def _on_row_changed(self, place: int) -> None:
        if place >= 0:
            self.chosen.emit(self._list.item(place).data(Qt.ItemDataRole.UserRole))


def _beside(together: Sequence[Run], run: Run) -> str:
    """Bracket the lines of the pieces that share a plate."""
    if len(together) < 2:
        return ""
    return "┌" if run is together[0] else "└" if run is together[-1] else "│"


def _waiting(study: Study) -> int | None:
    run = next_run(study) or next(reversed(study.runs), None)
    return run.id if run else None
