"""What the change of arm disturbed: to be checked, or waived with a reason, before the print counts."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QCheckBox, QGridLayout

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.language import shown, tr
from oddtwin.core.runlist import arm_checks, checks_by_run, owed_by_run
from oddtwin.core.study import HIDDEN, Recheck, Run, Study
from oddtwin.ui.widgets import Card, LineField, heading, label, set_quietly
from oddtwin.ui.workbench import Workbench


class RechecksCard(Card):
    """A box to tick for each check that a run asks for, and a field for the reason to waive it."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._run: Run | None = None
        self._texts: tuple[str, ...] = ()
        self._answers: dict[str, Recheck] = {}
        self._boxes: dict[str, QCheckBox] = {}
        self._reasons: dict[str, LineField] = {}
        self._caution = label("", "quiet")
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setColumnStretch(1, 1)
        self._title = heading("")
        self.add(
            self._title,
            label(tr("Tick what was done, or type why it is waived."), "quiet"),
            self._grid,
            self._caution,
        )

    def show_run(self, study: Study, run: Run) -> None:
        """Show the checks of a run; hidden where there are none."""
        # What was to be checked again would tell the arm of a print that is judged by its code.
        texts = () if run.arm_id == HIDDEN else self._due(run.id)
        self._title.setText(tr("Check again: {why}", why=self._why(run.id)) if texts else "")
        if texts != self._texts or self._run is None or run.id != self._run.id:
            self._build(texts)
        self._run, self._texts = run, texts
        self._answers = {item.text: item for item in study.index.rechecks[run.id]}
        for text, box in self._boxes.items():
            answer = self._answers.get(text)
            set_quietly(box, box.setChecked, answer is not None and not answer.waived)
            self._reasons[text].show_text(answer.waived if answer else "")
        touched = {factor.disturbs for factor in study.factors}
        cautions = [shown(caution) for line, caution in customs.CAUTIONS.items() if line in touched]
        self._caution.setText(" ".join((*cautions, tr("The maker’s instructions come first."))))
        self.setVisible(bool(texts) and not run.set_aside)

    def _due(self, run_id: int) -> tuple[str, ...]:
        study = self._workbench.study
        return checks_by_run(study)[run_id] if study else ()

    def _why(self, run_id: int) -> str:
        """Say what asks for the checks: another arm, or what the log of the machine tells."""
        study = self._workbench.study
        if study is None:
            return ""
        told = [tr("another arm is set up")] if arm_checks(study)[run_id] else []
        changes = {
            tr("{what} was changed on {at:%Y-%m-%d}", what=one.what, at=one.at)
            for one in owed_by_run(study).get(run_id, ())
        }
        return "; ".join([*told, *sorted(changes)])

    def _build(self, texts: tuple[str, ...]) -> None:
        for widget in (*self._boxes.values(), *self._reasons.values()):
            self._grid.removeWidget(widget)
            widget.hide()
            widget.deleteLater()
        self._boxes, self._reasons = {}, {}
        for line, text in enumerate(texts):
            # Kept in English, as what a change disturbs is looked up by it.
            box = QCheckBox(tr(text))
            box.setObjectName(f"check-{text}")
            box.toggled.connect(partial(self._on_ticked, text))
            reason = LineField(f"waive-{text}", tr("waived, because…"))
            reason.committed.connect(partial(self._on_waived, text))
            self._boxes[text], self._reasons[text] = box, reason
            self._grid.addWidget(box, line, 0)
            self._grid.addWidget(reason, line, 1)

    def _on_ticked(self, text: str, on: bool) -> None:
        if on:
            self._answer(text, "")
        else:
            self._open(text)

    def _on_waived(self, text: str, reason: str) -> None:
        if reason.strip():
            self._answer(text, reason)
        else:
            self._open(text)

    def _answer(self, text: str, waived: str) -> None:
        if self._run is not None:
            self._workbench.do(
                operations.answer_recheck, run_id=self._run.id, code=self._run.code, text=text, waived=waived
            )

    def _open(self, text: str) -> None:
        if self._run is not None and text in self._answers:
            self._workbench.do(
                operations.open_recheck, recheck_id=self._answers[text].id, code=self._run.code
            )
