"""Can it answer? What cannot be told apart, the chances, a rehearsal, and luck in blind judging."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.ui.plan.budget import BudgetCard
from oddtwin.ui.plan.luck import LuckCard
from oddtwin.ui.plan.mixed import MixedCard
from oddtwin.ui.plan.power import PowerCard
from oddtwin.ui.plan.rehearsal import RehearsalCard
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, heading, label
from oddtwin.ui.workbench import Workbench


class AnswerPanel(QWidget):
    """A card for each way to ask whether the plan can answer the question at all."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._none = Card(
            heading(tr("Nothing to check yet")),
            label(tr("Draw the order under Design first; then this page says what it can find.")),
        )
        self._cards = (
            MixedCard(),
            PowerCard(workbench, theme),
            BudgetCard(),
            RehearsalCard(workbench, theme),
            LuckCard(),
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(14)
        for part in (self._none, *self._cards):
            layout.addWidget(part)

    def refresh(self) -> None:
        """Show the study in hand."""
        study = self._workbench.study
        if study is None:
            return
        self._none.setVisible(not study.runs)
        for card in self._cards:
            card.setVisible(bool(study.runs))
            if study.runs:
                card.refresh(study)
