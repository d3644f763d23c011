"""What cannot be told apart in the plan, and in what was really printed."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout

from oddtwin.core.judgement import study_confounding
from oddtwin.core.language import tr
from oddtwin.core.study import RunState, Study
from oddtwin.ui.widgets import Card, clear, heading, label


class MixedCard(Card):
    """A sentence with its repair for each thing that is mixed with another."""

    def __init__(self) -> None:
        super().__init__()
        self._lines = QVBoxLayout()
        self._lines.setSpacing(6)
        self.setObjectName("mixed")
        self.add(heading(tr("What cannot be told apart")), self._lines)

    def refresh(self, study: Study) -> None:
        """Check a study’s plan, and its prints once there are some."""
        clear(self._lines)
        printed = [run for run in study.runs if run.state is RunState.PRINTED]
        found = study_confounding(study)
        for item in found:
            self._lines.addWidget(label(item.sentence))
            self._lines.addWidget(label(item.repair, "quiet"))
        if not found:
            self._lines.addWidget(
                label(
                    tr(
                        "As planned, nothing is mixed: machine, piece, spool, place and order can "
                        "all be told apart from what differs."
                    )
                )
            )
        if len(printed) > 3:
            made = [item for item in study_confounding(study, made=True) if item not in found]
            for item in made:
                self._lines.addWidget(label(tr("As printed: {sentence}", sentence=item.sentence)))
                self._lines.addWidget(label(item.repair, "quiet"))
            if not made:
                self._lines.addWidget(
                    label(
                        tr(
                            "The same holds for the {printed} prints that were really made.",
                            printed=len(printed),
                        ),
                        "quiet",
                    )
                )
