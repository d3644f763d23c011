"""The screen of the stage Ask."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtWidgets import QGridLayout

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.ui.ask.factors import FactorsCard
from oddtwin.ui.ask.held import HeldCard
from oddtwin.ui.ask.known import KnownCard
from oddtwin.ui.ask.responses import ResponsesCard
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, LineField, Page, TextField, column_label, heading
from oddtwin.ui.workbench import Workbench


class AskView(Page):
    """The question in words and its parts, each edited in place."""

    UNTOUCHED: ClassVar = frozenset({"reading", "deviation", "recheck", "slot", "look"})
    """Tables of which it shows nothing."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._name = LineField("studyName")
        self._question = TextField(
            "question",
            tr("For example: does drying the spool overnight leave fewer strings, at no cost in time?"),
        )
        self._name.committed.connect(lambda text: self._edit(name=text))
        self._question.committed.connect(lambda text: self._edit(question=text))
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.addWidget(column_label(tr("Name")), 0, 0)
        grid.addWidget(self._name, 0, 1)
        grid.addWidget(column_label(tr("In words")), 1, 0)
        grid.addWidget(self._question, 1, 1)
        self._parts = (
            FactorsCard(workbench, theme),
            # Beside what differs, as it is typed: an answer that stands already is worth more than a plan.
            KnownCard(workbench, theme),
            ResponsesCard(workbench, theme),
            HeldCard(workbench, theme),
        )
        self.body.addWidget(Card(heading(tr("The question")), grid))
        for part in self._parts:
            self.body.addWidget(part)
        self.body.addStretch(1)
        self.first = self._question

    def refresh(self) -> None:
        """Show the study in hand."""
        study = self._workbench.study
        if study is None:
            return
        self._name.show_text(study.name)
        self._question.show_text(study.question)
        for part in self._parts:
            part.refresh(study)
        self.content.setEnabled(self._workbench.can_edit_study)

    def _edit(self, **values: str) -> None:
        study = self._workbench.study
        if study is not None:
            self._workbench.do(operations.edit_study, study_id=study.id, **values)
