"""One trial after another: pictures or letters, a question, and an answer by one key."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.judge import ASKING, Choice, SessionDesign, SessionTrial
from oddtwin.core.language import tr
from oddtwin.core.photo import Shown
from oddtwin.core.study import BlindSession
from oddtwin.ui.look.canvas import PhotoCanvas, Way
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import at_least, button, clear, fix, heading, label, plain_caption, row
from oddtwin.ui.widgets.roles import Role, speak_as
from oddtwin.work.photos import PhotoError
from oddtwin.work.trials import trial_pictures


class TrialView(QWidget):
    """Nothing but pictures with letters; ``left`` is emitted when the judge pauses or is done."""

    left = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("trialView")
        speak_as(self, Role.Grouping)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Trial: answer with the number keys"))
        self._desk = desk
        self._session_id: int | None = None
        self._judge = ""
        self._shown: tuple[int, int] | None = None
        self._place = self._rested = 0
        self._question, self._count = heading(""), label("", "quiet", wrap=False)
        self._count.setObjectName("trialCount")
        self._letters = label("", "lead")
        self._letters.setObjectName("trialLetters")
        self._told = label("", "quiet")
        self._told.setObjectName("trialTold")
        self._canvases = [PhotoCanvas(theme, f"trialCanvas{place}") for place in range(3)]
        pictures = QHBoxLayout()
        pictures.setSpacing(6)
        for canvas in self._canvases:
            # The keys of the answers belong to the trial, wherever was clicked.
            canvas.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            fix(canvas, height=430)
            pictures.addWidget(canvas)
        self._typed = QLineEdit()
        self._typed.setObjectName("trialTyped")
        self._typed.setAccessibleName(tr("Place of this print"))
        fix(self._typed, width=120)
        self._typed.returnPressed.connect(lambda: self._answer(self._typed.text()))
        self._answers = QHBoxLayout()
        self._answers.setSpacing(8)
        self._buttons: dict[str, QPushButton] = {}
        self._back = button(tr("Back one"), self._on_back, shortcut="Backspace", name="trialBack")
        self._pause = button(tr("Pause"), self.left.emit, shortcut="Escape", name="trialPause")
        self._go_on = button(tr("Go on after the break"), self._on_rested, main=True, name="trialGoOn")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addLayout(row(self._question, None, self._count, self._back, self._pause))
        layout.addWidget(self._letters)
        layout.addLayout(pictures)
        layout.addLayout(self._answers)
        layout.addWidget(self._typed)
        layout.addWidget(self._told)
        layout.addWidget(self._go_on)
        layout.addStretch(1)

    def begin(self, session_id: int, judge: str) -> None:
        """Begin where a judge left off."""
        self._session_id, self._judge = session_id, judge
        self._shown = None
        self._place = self._first_open()
        self._rested = self._place
        self._show()
        self.setFocus()

    def refresh(self) -> None:
        """Leave a session that is gone, or closed."""
        session = self._session()
        if self._session_id is not None and (session is None or session.closed is not None):
            self._session_id = None
            self.left.emit()

    def _session(self) -> BlindSession | None:
        return next((one for one in self._desk.study.sessions if one.id == self._session_id), None)

    def _trials(self) -> list[SessionTrial]:
        session = self._session()
        return [one for one in session.trials if one.judge == self._judge] if session else []

    def _answered(self) -> dict[int, str]:
        return {
            one.number: one.answer
            for one in self._desk.study.answers
            if one.session_id == self._session_id and one.judge == self._judge
        }

    def _first_open(self) -> int:
        answered = self._answered()
        trials = self._trials()
        return next((place for place, one in enumerate(trials) if one.number not in answered), len(trials))

    def _show(self) -> None:
        session, trials = self._session(), self._trials()
        if session is None:
            return
        done = self._place >= len(trials)
        resting = bool(
            session.break_after
            and self._place
            and self._place % session.break_after == 0
            and self._rested != self._place
            and not done
        )
        self._go_on.setVisible(resting)
        self._question.setText(session.asked)
        self._count.setText(
            tr("{place} of {trials}", place=min(self._place + 1, len(trials)), trials=len(trials))
        )
        self._back.setEnabled(self._place > 0)
        for canvas in self._canvases:
            canvas.hide()
        self._letters.setText("")
        self._typed.hide()
        clear(self._answers)
        self._buttons = {}
        self._shown = None
        if done:
            self._count.setText(tr("{trials} of {trials}", trials=len(trials)))
            self._told.setText(tr("All trials are answered. Thank you; press Escape to leave."))
            return
        if resting:
            self._told.setText(tr("Time for a break: look at something far away for a minute."))
            self._go_on.setFocus()
            return
        self._show_trial(session, trials[self._place])

    def _show_trial(self, session: BlindSession, trial: SessionTrial) -> None:
        self._told.setText("")
        where = ("left", "middle", "right") if len(trial.letters) == 3 else ("left", "right")
        if len(trial.letters) == 1:
            self._letters.setText(tr("Print {letters}", letters=trial.letters[0]))
        elif session.in_hand:
            self._letters.setText(
                "    ".join(f"{trial.letters[at]} {where[at]}" for at in range(len(trial.letters)))
            )
        self._show_choices(session)
        if session.in_hand:
            return
        book, study = self._desk.workbench.book, self._desk.study
        key = (session.id, trial.number)
        self._shown = key
        self._desk.workbench.figure(
            self,
            lambda _: trial_pictures(book, study, session, trial.letters),
            partial(self._on_pictures, key, trial),
            self._on_refused,
        )

    def _on_pictures(self, key: tuple[int, int], trial: SessionTrial, pictures: list[Shown]) -> None:
        if key != self._shown:
            return
        if len(pictures) == 2:
            canvas = self._canvases[0]
            canvas.set_way(Way.SIDE)
            canvas.show_pair(pictures[0], pictures[1], self._names(trial))
            canvas.show()
            return
        for canvas, picture, letter in zip(self._canvases, pictures, trial.letters, strict=False):
            canvas.set_way(Way.FLICK)
            canvas.show_pair(picture, None, (letter, letter))
            canvas.show()

    def _names(self, trial: SessionTrial) -> tuple[str, str]:
        """Letters; what lies there where the session is open, and nobody pretends not to know."""
        session = self._session()
        if session is None or session.blind:
            return trial.letters[0], trial.letters[1]
        known = {one.letter: f"{one.print} – {one.arm}" for one in session.letters}
        return known[trial.letters[0]], known[trial.letters[1]]

    def _on_refused(self, error: BaseException) -> bool:
        self._told.setText(tr("This trial cannot be shown: {error}. Pause, and put that right.", error=error))
        return isinstance(error, PhotoError)

    def _show_choices(self, session: BlindSession) -> None:
        choices = ASKING[session.design].choices
        if session.design is SessionDesign.SORT:
            arms = [arm.name for arm in self._desk.study.arms]
            choices = tuple(Choice(str(number), arm, arm) for number, arm in enumerate(arms, 1))
        if session.design is SessionDesign.RANK:
            self._typed.clear()
            self._typed.show()
            self._typed.setFocus()
            return
        trials = self._trials()
        given = self._answered().get(trials[self._place].number)
        for choice in choices:
            made = button(
                plain_caption(f"{choice.key}  {choice.words}"),
                partial(self._answer, choice.value),
                name=f"answer{choice.key}",
            )
            made.setCheckable(True)
            speak_as(made, Role.RadioButton)
            made.setChecked(choice.value == given)
            at_least(made, height=44)
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self._buttons[choice.key] = made
            self._answers.addWidget(made)
        self._answers.addStretch(1)
        self.setFocus()

    def _answer(self, text: str) -> None:
        trials = self._trials()
        if self._session_id is None or self._place >= len(trials):
            return
        number = trials[self._place].number
        # Kept at once: a judge who leaves, or a power cut, costs no answer.
        record = self._desk.workbench.do(
            operations.answer_trial,
            session_id=self._session_id,
            judge=self._judge,
            number=number,
            text=text,
        )
        if record is None and number not in self._answered():
            return
        self._place += 1
        self._show()

    def _on_back(self) -> None:
        if self._place > 0:
            self._place -= 1
            self._rested = self._place
            self._show()

    def _on_rested(self) -> None:
        self._rested = self._place
        self._show()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        made = self._buttons.get(event.text())
        if made is not None and made.isVisible():
            made.click()
        else:
            super().keyPressEvent(event)
