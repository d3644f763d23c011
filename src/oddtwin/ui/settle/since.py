"""What became of the arms since the study that this one goes on from."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QVBoxLayout

from oddtwin.core.job import Job
from oddtwin.core.language import tr
from oddtwin.core.study import Study
from oddtwin.store import LabBook, StoreError, load_study
from oddtwin.ui.widgets import Card, clear, heading, label
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.core.judgement import Since


class SinceCard(Card):
    """A sentence for each response of each arm that both studies printed; hidden without any."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._asked: Study | None = None
        self._said = QVBoxLayout()
        self._said.setSpacing(6)
        self._before = label("", "quiet")
        self._before.setObjectName("sinceStudy")
        self.add(heading(tr("Since the study before")), self._before, self._said)
        self.hide()

    def show_study(self, study: Study, sealed: bool) -> None:
        """Compare with the study before, beside the window; not while the verdict is sealed."""
        self._asked = study
        if sealed or study.parent_id is None or not study.readings:
            self.hide()
            return
        book = self._workbench.book
        self._workbench.figure(
            self,
            partial(_found, book, study),
            partial(self._on_found, study),
            # The study before may have been removed; there is nothing to compare with then.
            lambda error: isinstance(error, StoreError),
        )

    def _on_found(self, study: Study, found: tuple[str, Since]) -> None:
        if study is not self._asked:
            return
        name, since = found
        clear(self._said)
        self._before.setText(
            tr(
                "Prints of the same arm in “{name}” and here. They are of other days, and maybe of "
                "another spool: what differs may be the room or the plastic as well as the machine.",
                name=name,
            )
        )
        for finding in since.findings:
            self._said.addWidget(label(finding.sentence))
        for threat in since.threats:
            self._said.addWidget(label(f"{threat.line} {threat.remedy}", "quiet"))
        self.setVisible(bool(since.findings))


def _found(book: LabBook, study: Study, job: Job) -> tuple[str, Since]:
    from oddtwin.core.judgement import since_before

    assert study.parent_id is not None
    with book.reading() as connection:
        before = load_study(connection, study.parent_id)
    job.check()
    return before.name, since_before(before, study)
