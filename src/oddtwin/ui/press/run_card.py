"""The run in hand: what to print, and its stamps."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import DesignKind
from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_clock, format_minutes, minutes_between, now
from oddtwin.core.runlist import arm_checks
from oddtwin.core.study import HIDDEN, Run, RunState, Study, place_words, plate_of
from oddtwin.ui.instruments import instruments_of
from oddtwin.ui.press.before import BeforeRows, RoomRow
from oddtwin.ui.press.events import EventsRow
from oddtwin.ui.press.plate_view import PlateView
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, LineField, button, column_label, label, plain_tip, row, short
from oddtwin.ui.workbench import Workbench


class RunCard(Card):
    """The code in large letters, the set-up in words, and one big key: start, then finish.

    ``stamped`` is emitted after either, ``chosen`` with the id of another run whose piece was clicked.
    """

    stamped = Signal()
    chosen = Signal(int)

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._run: Run | None = None
        self._code = label("", "code", wrap=False)
        self._code.setObjectName("runCode")
        self._chips = [label("", "chip", wrap=False) for _ in range(3)]
        self._setup = label("", "lead")
        self._setup.setObjectName("setup")
        self._clock = label("", "clock", wrap=False)
        self._state = label("", "quiet", wrap=False)
        self._go = button("", self._on_go_clicked, main=True, name="go")
        self._go.setProperty("big", True)
        self._back = button(
            tr("Clear the stamps"),
            self._on_back_clicked,
            name="clearStamps",
            tip=tr("Start, finish and what was noted meanwhile; undo brings them back"),
        )
        self._spool = LineField("spool")
        self._spool.committed.connect(self._on_spool_committed)
        self._operator = LineField("operator", tr("who prints"), 120)
        self._operator.committed.connect(self._on_operator_committed)
        self._file = label("", "quiet")
        self._file.setObjectName("runFile")
        self._caution = label(customs.PRINTING_CAUTION, "quiet")
        self.events = EventsRow(workbench)
        self._before, self._room = BeforeRows(workbench), RoomRow(workbench)
        self._plate = PlateView(theme)
        self._plate.chosen.connect(self.chosen)
        self._marking = label("")
        self._marking.setObjectName("marking")
        self._timer = QTimer(self)
        self._timer.setInterval(1000)
        self._timer.timeout.connect(self._show_clock)
        self._lay_out()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self._code)
        head.addSpacing(18)
        chips = QVBoxLayout()
        chips.addLayout(row(*self._chips, None))
        chips.addWidget(self._setup)
        head.addLayout(chips, 1)
        spool = row(column_label(tr("Spool")), self._spool)
        who = row(column_label(tr("Operator")), self._operator, 8, self._room, None)
        left = QVBoxLayout()
        left.setSpacing(10)
        for part in (self.events, self._before, self._marking):
            left.addWidget(part)
        left.addStretch(1)
        left.addLayout(spool)
        left.addLayout(who)
        beside = QHBoxLayout()
        beside.setSpacing(18)
        beside.addLayout(left, 1)
        beside.addWidget(self._plate, 0, Qt.AlignmentFlag.AlignTop)
        self.add(head, row(self._go, 12, self._clock, self._state, None, self._back), beside)
        self.add(self._file, self._caution)

    def show_run(self, study: Study, run: Run) -> None:
        """Show a run; a printed one hides its arm, so that it is measured by its code alone."""
        self._run = run
        machine, piece = study.machine_of(run), study.piece_of(run)
        pair = study.block_of(run).label
        self._code.setText(run.code)
        for chip, text in zip(
            self._chips,
            (
                machine.name if machine else "",
                ", ".join(part for part in (piece.name if piece else "", place_words(run)) if part),
                f"{_block_noun(study)} {pair}" if pair else "",
            ),
            strict=True,
        ):
            chip.setText(short(text, 30))
            chip.setToolTip(plain_tip(text))
            chip.setVisible(bool(text))
        self._setup.setText(_setup(study, run, self._workbench.study))
        self._file.setText(_file(study, run))
        self._file.setVisible(bool(self._file.text()))
        self._go.setVisible(run.state in (RunState.PLANNED, RunState.PRINTING))
        together = plate_of(study, run)
        plate = tr(" the plate") if len(together) > 1 else ""
        self._go.setText(f"{(tr('Start') if run.state is RunState.PLANNED else tr('Finish'))}{plate}  ⏎")
        self._plate.show_plate(together, run)
        self._marking.setText(_marking(run, len(together)))
        self._marking.setVisible(bool(self._marking.text()))
        self._back.setVisible(bool(run.started) and not run.set_aside)
        self._caution.setVisible(run.state in (RunState.PLANNED, RunState.PRINTING))
        self._clock.setVisible(run.state is RunState.PRINTING)
        self._state.setText(_stamps(run))
        self.events.show_run(run)
        self._before.show_run(self._workbench.study or study, run)
        self._room.show_run(run)
        self._spool.show_text(run.spool)
        self._operator.show_text(run.operator)
        told = run.arm_id == HIDDEN and any(factor.kind is ChangeKind.FILAMENT for factor in study.factors)
        self._spool.setEnabled(not told)
        spools = [item.spool for item in study.runs if item.spool and item.started]
        usual = tr("{spools}, as before", spools=spools[-1]) if spools else tr("Which spool")
        self._spool.edit.setPlaceholderText(tr("Hidden: it would tell the arm") if told else usual)
        if run.state is RunState.PRINTING:
            self._show_clock()
            self._timer.start()
        else:
            self._timer.stop()

    def wants_keys(self) -> bool:
        """Whether the next step is a stamp."""
        return self._run is not None and self._run.state in (RunState.PLANNED, RunState.PRINTING)

    def take_focus(self) -> None:
        self._go.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.events.take_key(event):
            super().keyPressEvent(event)

    def _show_clock(self) -> None:
        if self._run is not None and self._run.started is not None:
            self._clock.setText(format_clock(60 * minutes_between(self._run.started, now())))

    def _on_go_clicked(self) -> None:
        run = self._run
        if run is None:
            return
        if run.state is RunState.PLANNED:
            # Stamped with the start, for nobody types it then.
            room = instruments_of(self._workbench).room()
            self._workbench.do(operations.start_run, run_id=run.id, code=run.code, room=room)
        else:
            self._workbench.do(operations.finish_run, run_id=run.id, code=run.code)
        self.stamped.emit()

    def _on_back_clicked(self) -> None:
        if self._run is not None:
            self._workbench.do(operations.clear_stamps, run_id=self._run.id, code=self._run.code)

    def _on_spool_committed(self, text: str) -> None:
        if self._run is not None:
            self._workbench.do(
                operations.edit_run, run_id=self._run.id, code=self._run.code, spool=text.strip()
            )

    def _on_operator_committed(self, text: str) -> None:
        if self._run is not None:
            self._workbench.do(
                operations.edit_run, run_id=self._run.id, code=self._run.code, operator=text.strip()
            )


def _block_noun(study: Study) -> str:
    pairs = study.plan is None or study.plan.design.kind is DesignKind.PAIRS
    return tr("pair") if pairs else tr("block")


def _setup(study: Study, run: Run, whole: Study | None) -> str:
    if run.arm_id == HIDDEN:
        return tr("Arm hidden: measure and grade it by its code.")
    arm = study.arm_of(run)
    if run.finished or run.set_aside:
        return tr("Arm: {set_up}.", set_up=study.set_up(arm))
    # Of a piece that was set aside the arm is told no more.
    together = [one for one in plate_of(study, run) if one.arm_id != HIDDEN]
    if len({one.arm_id for one in together}) > 1:
        told = [
            tr("place {place} {set_up}", place=one.place, set_up=study.set_up(study.arm_of(one)))
            for one in together
        ]
        return tr("Set up: {told}.", told="; ".join(told))
    entered = whole is not None and bool(arm_checks(whole)[run.id])
    how = [level.how for _, level in study.levels_of(arm) if level.how and entered]
    text = tr("Set up {set_up}", set_up=study.set_up(arm))
    return f"{text}. {capitalized('; '.join(how))}." if how else text


def _marking(run: Run, together: int) -> str:
    """Say what to write on the piece, once it can be written on."""
    if run.set_aside or (together < 2 and not run.finished):
        return ""
    if run.finished:
        return tr("Mark it before it leaves the plate: {run_code}, arrow to the front.", run_code=run.code)
    return tr(
        "{together} pieces: start and finish, file and events are those of the plate.", together=together
    )


def _file(study: Study, run: Run) -> str:
    """Name the sliced file of a run while it prints; afterwards it would tell the arm."""
    if run.arm_id == HIDDEN or run.state is RunState.PLANNED:
        return ""
    file = study.file_for(run)
    if file is None:
        return ""
    mark = run.sha256 or file.sha256
    return tr("Sliced file: {file}, mark {mark}", file=file.name, mark=mark[:8])


def _stamps(run: Run) -> str:
    if run.set_aside:
        return tr("Set aside: {set_aside}", set_aside=run.set_aside)
    if run.failed:
        return tr("Failed by the change: {failed}", failed=run.failed)
    if run.started and run.finished:
        minutes = minutes_between(run.started, run.finished)
        if minutes < 0:
            return tr(
                "Finished {minutes:.0f} min before it started by the stamps: the clock was set back",
                minutes=-minutes,
            )
        return tr(
            "Printed {started:%Y-%m-%d %H:%M}, {minutes} by the stamps",
            started=run.started,
            minutes=format_minutes(minutes),
        )
    if run.started:
        return tr("since {started:%H:%M}", started=run.started)
    return tr("Printed; no start was stamped") if run.finished else ""
