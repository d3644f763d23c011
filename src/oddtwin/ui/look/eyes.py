"""Eyes that are tested: rendered faces with a fault of known size, and the smallest that each judge sees."""

from __future__ import annotations

import secrets
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QGridLayout, QProgressBar, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.judge import ENOUGH_LOOKS, SizedLook, next_size, seeing
from oddtwin.core.language import tr
from oddtwin.core.photo import Shown
from oddtwin.core.quantities import format_number, with_unit
from oddtwin.core.render import FAULTS, TrainedFault, fault_pair
from oddtwin.core.study import Threshold
from oddtwin.ui.look.canvas import PhotoCanvas, Way
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    at_least,
    button,
    choose,
    column_label,
    fix,
    heading,
    label,
    row,
)
from oddtwin.ui.widgets.roles import Role, speak_as
from oddtwin.ui.widgets.rows import FieldRow, Rows


class EyesPanel(QWidget):
    """Which side has the fault? Sixty looks tell from which size on these eyes see it."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._theme = theme
        self._looks: list[SizedLook] = []
        self._size, self._right = 0.0, False
        self._going = False
        # Which side has the fault must not follow from anything that is shown.
        self._rng = np.random.default_rng(secrets.randbits(64))
        self._fault = QComboBox()
        self._fault.setObjectName("eyesFault")
        self._fault.setAccessibleName(tr("Fault"))
        choose(self._fault, [(fault.name, place) for place, fault in enumerate(FAULTS)], 0)
        self._judge = LineField("eyesJudge", tr("whose eyes"), width=160)
        self._screen = LineField("eyesScreen", tr("screen and distance, such as 27 inch at 60 cm"), width=330)
        self._start = button(tr("Begin"), self._on_start_clicked, main=True, name="eyesBegin")
        self._stop = button(tr("Stop"), self._on_stop_clicked, shortcut="Escape", name="eyesStop")
        self._told = label("", "quiet")
        self._told.setObjectName("eyesTold")
        self._canvas = PhotoCanvas(theme, "eyesCanvas")
        self._canvas.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._canvas.set_way(Way.SIDE)
        fix(self._canvas, height=360)
        self._bar = QProgressBar()
        self._bar.setRange(0, ENOUGH_LOOKS)
        self._bar.setTextVisible(False)
        self._left = button(tr("1  left"), partial(self._on_answered, False), name="eyesLeft")
        self._right_side = button(tr("2  right"), partial(self._on_answered, True), name="eyesRight")
        for made in (self._left, self._right_side):
            at_least(made, height=44)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setColumnStretch(4, 1)
        self._rows: Rows[Threshold] = Rows(self._grid, self._make_row, first=0)
        self._none = label(tr("Nobody’s eyes were tested yet."), "quiet")
        test = Card(
            heading(tr("From which size on do these eyes see it?")),
            label(
                tr("Two rendered faces, one with the fault: say on which side it is, and guess "
"where nothing is seen. It gets smaller until it is missed. Sit as you sit "
"when you judge."),
                "quiet",
            ),
            row(
                column_label(tr("Fault")), self._fault, column_label(tr("Judge")), self._judge, self._screen,
                self._start, self._stop, None,
            ),
            self._bar,
            self._canvas,
            row(self._left, self._right_side, None),
            self._told,
        )  # fmt: skip
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(test)
        layout.addWidget(Card(heading(tr("What is seen")), self._none, self._grid))
        speak_as(self, Role.Grouping)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Test of eyes: 1 for the left face, 2 for the right"))
        self.first = self._start
        self._show_going(False)

    def refresh(self) -> None:
        """Show what was found of all judges."""
        thresholds = self._desk.study.thresholds
        self._rows.refresh(thresholds)
        self._none.setVisible(not thresholds)
        self._start.setEnabled(self._desk.workbench.can_edit)

    def _kind(self) -> TrainedFault:
        return FAULTS[self._fault.currentData() or 0]

    def _show_going(self, going: bool) -> None:
        self._going = going
        for part in (self._canvas, self._bar, self._left, self._right_side, self._stop):
            part.setVisible(going)
        for asked in (self._fault, self._judge, self._screen):
            asked.setEnabled(not going)
        self._start.setVisible(not going)

    def _on_start_clicked(self) -> None:
        if not self._judge.text().strip():
            self._judge.show_error(tr("Please say whose eyes they are."))
            return
        self._judge.show_error("")
        self._looks = []
        self._show_going(True)
        self._told.setText("")
        self._next()

    def _next(self) -> None:
        fault = self._kind()
        self._size = next_size(self._looks, fault.start, fault.least, fault.most)
        self._right = bool(self._rng.integers(2))
        self._bar.setValue(len(self._looks))
        # No answer before the faces are there: it would be an answer to the last ones.
        for made in (self._left, self._right_side):
            made.setEnabled(False)
        rng = np.random.default_rng(int(self._rng.integers(2**63)))
        size, right = self._size, self._right

        def work(_: object) -> tuple[Shown, Shown]:
            faulty, sound = (Shown(picture) for picture in fault_pair(fault, size, rng))
            return (sound, faulty) if right else (faulty, sound)

        self._desk.workbench.figure(self, work, self._on_rendered)

    def _on_rendered(self, pair: tuple[Shown, Shown]) -> None:
        if not self._going:
            return
        self._canvas.show_pair(*pair, ("1", "2"))
        for made in (self._left, self._right_side):
            made.setEnabled(True)
        self.setFocus()

    def _on_answered(self, right: bool) -> None:
        if not self._going or not self._left.isEnabled():
            return
        self._looks.append(SizedLook(self._size, right == self._right))
        if len(self._looks) >= ENOUGH_LOOKS:
            self._finish()
        else:
            self._next()

    def _on_stop_clicked(self) -> None:
        if self._going:
            self._finish()

    def _finish(self) -> None:
        self._show_going(False)
        fault = self._kind()
        try:
            found = seeing(self._looks)
        except ValueError as error:
            self._told.setText(tr("{error} Nothing was kept.", error=error))
            return
        record = self._desk.workbench.do(
            operations.keep_threshold,
            judge=self._judge.text().strip(),
            fault=fault.name,
            unit=fault.unit,
            value=found.threshold,
            low=found.low,
            high=found.high,
            lapse=found.lapse,
            trials=found.looks,
            screen=self._screen.text().strip(),
        )
        if record is not None:
            size = with_unit(format_number(found.threshold, 2), fault.unit)
            self._told.setText(
                tr(
                    "{text} sees {fault} from {size} on.",
                    text=self._judge.text().strip(),
                    fault=fault.name.lower(),
                    size=size,
                )
            )

    def _make_row(self, threshold: Threshold) -> FieldRow[Threshold]:
        judge, fault, size, screen = (label("", wrap=False) for _ in range(4))
        remove = IconButton(
            self._theme,
            "remove",
            tr("Forget what {judge} sees of {fault}", judge=threshold.judge, fault=threshold.fault),
            lambda: self._desk.workbench.do(
                operations.remove_threshold, threshold_id=threshold.id, judge=threshold.judge
            ),
        )

        def show(now: Threshold) -> None:
            judge.setText(now.judge)
            fault.setText(now.fault)
            size.setText(_seen_words(now))
            screen.setText(
                " · ".join(part for part in (now.screen, tr("{trials} looks", trials=now.trials)) if part)
            )

        return FieldRow((judge, fault, size, screen, remove), show)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._going and event.text() in ("1", "2"):
            self._on_answered(event.text() == "2")
        else:
            super().keyPressEvent(event)


def _seen_words(threshold: Threshold) -> str:
    size = with_unit(format_number(threshold.value, 2), threshold.unit)
    low, high = (None if end is None else format_number(end, 2) for end in (threshold.low, threshold.high))
    if low is None or high is None:
        return tr("from {size} on (more looks would tell how sure)", size=size)
    return tr(
        "from {size} on (95 % interval {low} to {high})",
        size=size,
        low=low,
        high=with_unit(high, threshold.unit),
    )
