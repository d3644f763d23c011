"""What else is to say of a run: notes, departures, setting aside, reprinting."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QVBoxLayout

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.language import shown, tr
from oddtwin.core.study import Run, Study
from oddtwin.ui.widgets import (
    Card,
    LineField,
    TextField,
    TypingKeys,
    button,
    clear,
    heading,
    label,
    plain_caption,
    row,
    set_quietly,
)
from oddtwin.ui.workbench import Workbench


class AftermathCard(Card):
    """Two columns: what was not held the same; a note, and setting aside with a reason."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._run: Run | None = None
        self._listed: tuple[object, ...] = ()
        self._boxes: dict[str, QCheckBox] = {}
        self._held = QVBoxLayout()
        self._held.setSpacing(2)
        self._other = LineField("otherDeparture", tr("Something else that was not the same"))
        self._other.committed.connect(self._on_other_committed)
        self._note = TextField("note", tr("Odd noises, anything that came loose…"))
        self._note.committed.connect(self._on_note_committed)
        self._reason = QComboBox()
        self._reason.setObjectName("reason")
        self._reason.setAccessibleName(tr("Reason"))
        self._reason.setEditable(True)
        self._reason.setMinimumContentsLength(12)
        self._reason.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self._reason.addItems(["", *map(shown, customs.SET_ASIDE_REASONS)])
        # The keys of what is typed come to the box itself, which hands them on.
        TypingKeys(self._reason, lambda: False)
        typing = self._reason.lineEdit()
        if typing is not None:
            typing.setPlaceholderText(tr("Why, in a few words"))
        self._aside = button(tr("Set aside"), self._on_aside_clicked, name="setAside")
        self._failed = button(tr("It failed by the change"), self._on_failed_clicked, name="failedByChange")
        self._failed.setToolTip(
            tr("It counts: how often each arm fails is compared, and its minutes and grams stay")
        )
        self._outcome = label("", "quiet")
        self._outcome.setObjectName("failedHow")
        self._not_failed = button(tr("It did not fail"), self._on_not_failed_clicked, name="notFailed")
        self._again = button(tr("Count it again"), self._on_again_clicked, name="countAgain")
        self._reprint = button(tr("Print it again"), self._on_reprint_clicked, main=True, name="reprint")
        columns = QHBoxLayout()
        columns.setSpacing(28)
        columns.addLayout(self._departures(), 1)
        columns.addLayout(self._outcomes(), 1)
        self.add(columns)

    def _departures(self) -> QVBoxLayout:
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(heading(tr("Not the same this time")))
        left.addLayout(self._held)
        left.addWidget(self._other)
        left.addStretch(1)
        return left

    def _outcomes(self) -> QVBoxLayout:
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(heading(tr("Note")))
        right.addWidget(self._note)
        right.addWidget(heading(tr("Spoilt, or failed?")))
        right.addWidget(
            label(
                tr(
                    "What something else spoilt is set aside with its reason, and never deleted. What "
                    "failed because of the change counts: how often each arm fails is compared."
                ),
                "quiet",
            )
        )
        right.addWidget(self._reason)
        right.addLayout(row(self._aside, self._failed, self._again, self._reprint, None))
        right.addLayout(row(self._outcome, self._not_failed, None))
        right.addStretch(1)
        return right

    def show_run(self, study: Study, run: Run) -> None:
        """Show what is noted of a run."""
        self._run = run
        noted = [item.text for item in study.index.deviations[run.id]]
        texts = list(dict.fromkeys([*(item.text for item in study.held), *noted]))
        if (study.id, *texts) != self._listed:
            self._listed = (study.id, *texts)
            self._build(texts)
        for text, box in self._boxes.items():
            set_quietly(box, box.setChecked, text in noted)
        self._note.show_text(run.note)
        for part in (self._aside, self._reason):
            part.setVisible(not run.set_aside)
        self._failed.setVisible(not run.set_aside and not run.failed)
        self._outcome.setText(tr("Failed by the change: {failed}", failed=run.failed) if run.failed else "")
        self._outcome.setVisible(bool(run.failed))
        self._not_failed.setVisible(bool(run.failed))
        self._again.setVisible(bool(run.set_aside))
        reprinted = any(item.reprint_of == run.id for item in study.runs)
        self._reprint.setVisible(bool(run.set_aside) and not reprinted)

    def _build(self, texts: list[str]) -> None:
        clear(self._held)
        self._boxes = {}
        for text in texts:
            box = QCheckBox(plain_caption(text))
            box.setObjectName(f"departure-{text}")
            box.clicked.connect(lambda ticked, text=text: self._on_box_clicked(text, ticked))
            self._boxes[text] = box
            self._held.addWidget(box)

    def _on_box_clicked(self, text: str, ticked: bool) -> None:
        study, run = self._workbench.study, self._run
        if study is None or run is None:
            return
        if ticked:
            self._workbench.do(operations.add_deviation, run_id=run.id, code=run.code, text=text)
            return
        for item in study.deviations:
            if item.run_id == run.id and item.text == text:
                self._workbench.do(operations.remove_deviation, deviation_id=item.id, code=run.code)

    def _on_other_committed(self, text: str) -> None:
        if self._run is not None and text.strip():
            self._workbench.do(operations.add_deviation, run_id=self._run.id, code=self._run.code, text=text)
            self._other.clear()

    def _on_note_committed(self, text: str) -> None:
        if self._run is not None:
            self._workbench.do(
                operations.edit_run, run_id=self._run.id, code=self._run.code, note=text.strip()
            )

    def _on_aside_clicked(self) -> None:
        if self._run is not None:
            reason = self._reason.currentText()
            done = self._workbench.do(
                operations.set_aside, run_id=self._run.id, code=self._run.code, reason=reason
            )
            if done:
                self._reason.setCurrentIndex(0)

    def _on_failed_clicked(self) -> None:
        if self._run is not None:
            how = self._reason.currentText().strip() or tr("it failed")
            done = self._workbench.do(
                operations.note_failure, run_id=self._run.id, code=self._run.code, how=how
            )
            if done:
                self._reason.setCurrentIndex(0)

    def _on_not_failed_clicked(self) -> None:
        if self._run is not None:
            self._workbench.do(operations.note_failure, run_id=self._run.id, code=self._run.code, how="")

    def _on_again_clicked(self) -> None:
        if self._run is not None:
            self._workbench.do(operations.count_again, run_id=self._run.id, code=self._run.code)

    def _on_reprint_clicked(self) -> None:
        if self._run is not None:
            self._workbench.do(operations.reprint, run_id=self._run.id, code=self._run.code)
