"""Judging by eye: sessions drawn and sealed, judged on the screen or in the hand, and opened."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.core.study import BlindSession
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.look.new_session import NewSessionCard
from oddtwin.ui.look.session_card import SessionCard
from oddtwin.ui.look.trial import TrialView
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, heading, label


class JudgingPanel(QWidget):
    """The sessions of the study, or the trial that a judge is at."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._theme = theme
        self._cards: dict[int, SessionCard] = {}
        self._new = NewSessionCard(desk)
        self._list = QVBoxLayout()
        self._list.setSpacing(12)
        self._first = Card(
            heading(tr("Can these eyes tell them apart?")),
            label(
                tr(
                    "A session shows prints under letters, in an order and on sides that are drawn. "
                    "Twins are mixed in: whoever sees a difference there sees too much. The key is "
                    "sealed before the first answer, and opened when judging is closed."
                )
            ),
        )
        self._over = QWidget()
        layout = QVBoxLayout(self._over)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(self._first)
        layout.addLayout(self._list)
        layout.addWidget(self._new)
        self._trial = TrialView(desk, theme)
        self._trial.left.connect(self._on_left)
        self._trial.hide()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        # Not a stack, which is as tall as the taller of both.
        whole.addWidget(self._over)
        whole.addWidget(self._trial)
        whole.addStretch(1)
        self.first = self._new.first

    def refresh(self) -> None:
        """Show the sessions of the study in hand."""
        sessions = self._desk.study.sessions
        for gone in set(self._cards) - {one.id for one in sessions}:
            card = self._cards.pop(gone)
            self._list.removeWidget(card)
            card.hide()
            card.deleteLater()
        for place, session in enumerate(sessions):
            if session.id not in self._cards:
                card = self._cards[session.id] = SessionCard(self._desk, self._theme)
                card.judged.connect(self._on_judged)
                self._list.insertWidget(place, card)
            self._cards[session.id].show_session(session)
        self._first.setVisible(not sessions)
        self._new.refresh()
        self._trial.refresh()

    def _on_judged(self, session: BlindSession, judge: str) -> None:
        self._show_trial(True)
        self._trial.begin(session.id, judge)

    def _on_left(self) -> None:
        self._show_trial(False)

    def _show_trial(self, shown: bool) -> None:
        self._over.setVisible(not shown)
        self._trial.setVisible(shown)
        self._desk.judging.emit(shown)
