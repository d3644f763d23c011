"""Going on from a study: the same again, on the next machine, or between two levels."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.study import FollowUp, Study
from oddtwin.ui.widgets import Card, button, heading, label, row
from oddtwin.ui.workbench import Workbench

_SAID = {
    FollowUp.AGAIN: tr("Ask it again"),
    FollowUp.NEXT_MACHINE: tr("On the next machine"),
    FollowUp.MIDDLE: tr("The middle levels"),
}


class GoOnCard(Card):
    """One key for each way; ``begun`` gives the id of the new study."""

    begun = Signal(int)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._study: Study | None = None
        keys = [
            button(text, partial(self._on_clicked, kind), name=f"goOn-{kind.name.lower()}")
            for kind, text in _SAID.items()
        ]
        self.add(
            heading(tr("Go on from here")),
            label(
                tr(
                    "Question, arms, responses and what is held the same are copied into a new "
                    "study; the noise floor of this one is known to it."
                ),
                "quiet",
            ),
            row(*keys, None),
        )

    def show_study(self, study: Study) -> None:
        """Show the ways on from a study."""
        self._study = study
        self.setEnabled(self._workbench.can_edit)

    def _on_clicked(self, kind: FollowUp) -> None:
        if self._study is not None:
            record = self._workbench.do(operations.go_on, study_id=self._study.id, kind=kind)
            if record is not None:
                self.begun.emit(record.new_id("study"))
