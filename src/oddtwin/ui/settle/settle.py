"""The screen of the stage Settle."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_reading, now
from oddtwin.core.standing import Stage
from oddtwin.core.study import Decision, DecisionKind, LookAt, Study, revealed
from oddtwin.core.threat import Weight
from oddtwin.ui.going import go_button
from oddtwin.ui.settle.go_on import GoOnCard
from oddtwin.ui.settle.since import SinceCard
from oddtwin.ui.settle.sizes import SizesCard
from oddtwin.ui.settle.tell import TellCard
from oddtwin.ui.settle.weigh import WeighCard
from oddtwin.ui.settle.where import WhereRow
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    LineField,
    Page,
    TextField,
    button,
    choose,
    clear,
    column_label,
    heading,
    label,
    plain_caption,
    row,
    short,
    spin_box,
)
from oddtwin.ui.workbench import Workbench

_CHOICES = (
    (
        DecisionKind.ADOPT,
        tr("Adopt the change"),
        tr("What is done to a machine is written into its change log."),
    ),
    (DecisionKind.KEEP, tr("Keep the baseline"), tr("The change is put back; the study stays as a record.")),
    (
        DecisionKind.UNDECIDED,
        tr("Close it as undecided"),
        tr("It could not be told; say in the reason what would open it again."),
    ),
    (DecisionKind.MORE, tr("More prints"), tr("Pairs are added to the run list, and the study stays open.")),
)


class SettleView(Page):
    """What was found once more, the decision with its reason, and the files to hand on.

    ``study_chosen`` gives the id of a study that goes on from this one.
    """

    study_chosen = Signal(int)

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._ticks: list[tuple[int, QCheckBox]] = []
        self._machines = QHBoxLayout()
        self._log = label("", "quiet")
        self._log.setObjectName("adoptLog")
        self._found = QVBoxLayout()
        self._found.setSpacing(6)
        self._settled = label("", "lead")
        self._settled.setObjectName("settled")
        self._reopen = button(tr("Reopen the study"), self._on_reopen_clicked, name="reopen")
        self._done = Card(self._settled, row(self._reopen, None))
        self._look = button(tr("Show what was found"), self._on_look_clicked, name="showFound")
        self.body.addWidget(Card(heading(tr("What was found")), self._found, row(self._look, None)))
        self._weigh = WeighCard(workbench, theme)
        self._sizes = SizesCard(workbench)
        self._go_on = GoOnCard(workbench)
        self._go_on.begun.connect(self.study_chosen)
        self._since = SinceCard(workbench)
        self.body.addWidget(self._since)
        self.body.addWidget(self._weigh)
        self.body.addWidget(self._sizes)
        self.body.addWidget(self._done)
        self._decide = self._decision_card()
        self.body.addWidget(self._decide)
        self.body.addWidget(self._go_on)
        self._tags = LineField("tags", tr("Tags, apart by commas, such as drying, shelf"))
        self._tags.edit.setAccessibleName(tr("Tags, apart by commas"))
        self._tags.committed.connect(self._on_tags_committed)
        self.body.addWidget(Card(heading(tr("File it under")), self._tags))
        self._tell = TellCard(workbench)
        self.body.addWidget(self._tell)
        self.body.addStretch(1)
        self.first = self._buttons[DecisionKind.ADOPT]

    def refresh(self) -> None:
        """Show the study in hand."""
        study, analysis = self._workbench.study, self._workbench.analysis
        if study is None:
            return
        clear(self._found)
        findings = analysis.findings if analysis else ()
        # Also while the figures are still being worked out: nothing below may tell what is sealed.
        sealed = not revealed(study) and self._workbench.can_edit
        self._look.setVisible(sealed and bool(findings))
        if sealed and findings:
            self._found.addWidget(
                label(tr("The verdict was not looked at yet; a look is written down."), "quiet")
            )
        for finding in () if sealed else findings:
            self._found.addWidget(label(finding.sentence))
        if not findings:
            self._found.addWidget(label(tr("Nothing yet: no print is measured."), "quiet"))
            self._found.addWidget(go_button(self._workbench, Stage.PRINT), 0, Qt.AlignmentFlag.AlignLeft)
        self._since.show_study(study, sealed)
        self._weigh.show_study(study, sealed)
        self._sizes.show_study(study, sealed)
        self._go_on.show_study(study)
        grave = [one for one in (analysis.threats if analysis else ()) if one.weight is Weight.VOIDS]
        told = " ".join(one.sentence for one in grave)
        self._void.setText(
            tr("The verdict cannot stand: {told} Say why it is settled all the same.", told=told)
        )
        self._void.setVisible(bool(grave) and not sealed)
        arms = [(arm.name, arm.id) for arm in study.changed_arms]
        choose(self._arm, arms, self._arm.currentData())
        self._arm_row.setVisible(len(arms) > 1)
        self._show_machines(study)
        self._where.show_study(study)
        self._tags.show_text(", ".join(study.tags))
        self._tags.setEnabled(self._workbench.can_edit)
        decision = study.decision
        settled = decision is not None and decision.kind.settles
        self._done.setVisible(settled)
        self._decide.setVisible(not settled)
        if decision is not None:
            self._settled.setText(_settled_words(decision))
        for part in (self._decide, self._done):
            part.setEnabled(self._workbench.can_edit)
        self._tell.show_study(study)

    def _show_machines(self, study: Study) -> None:
        """Offer the machines whose change log an adoption is written into."""
        done = [factor.name for factor in study.factors if not factor.kind.chosen]
        keys = study.plan.machine_ids if study.plan and done else ()
        if [key for key, _ in self._ticks] != list(keys):
            clear(self._machines)
            self._ticks = [
                (key, QCheckBox(plain_caption(short(study.machines[key].name, 40)))) for key in keys
            ]
            for key, box in self._ticks:
                box.setObjectName(f"adoptOn-{key}")
                box.setChecked(True)
                self._machines.addWidget(box)
        self._log.setText(
            tr("Written into the change log of the machines ticked: {done}.", done=", ".join(done))
            if done
            else tr("Nothing is done to a machine here, so no change log is written.")
        )

    def _decision_card(self) -> QWidget:
        self._buttons: dict[DecisionKind, QRadioButton] = {}
        group = QButtonGroup(self)
        choices = QVBoxLayout()
        self._more = spin_box("settlePairs", 1, 50, tr(" more pairs"))
        for kind, text, hint in _CHOICES:
            choice = QRadioButton(text)
            choice.setObjectName(f"decide-{kind.name.lower()}")
            choice.toggled.connect(self._on_choice_changed)
            group.addButton(choice)
            self._buttons[kind] = choice
            parts: list[QWidget | None] = [choice, label(hint, "quiet", wrap=False), None]
            if kind is DecisionKind.MORE:
                parts.insert(1, self._more)
            choices.addLayout(row(*parts, spacing=14))
        self._arm = QComboBox()
        self._arm.setObjectName("adoptArm")
        self._arm_row = QWidget()
        arms = row(column_label(tr("Adopt which arm?")), self._arm, None)
        arms.setContentsMargins(0, 0, 0, 0)
        self._arm_row.setLayout(arms)
        self._reason = TextField(
            "decisionReason", tr("Why? Quality against minutes against grams, noise and trouble.")
        )
        self._where = WhereRow()
        self._void = label("", "warning")
        self._void.setObjectName("voided")
        self._settle = button(tr("Settle"), self._on_settle_clicked, main=True, name="settle")
        self._more.setEnabled(False)
        return Card(
            heading(tr("Decide")),
            choices,
            self._arm_row,
            self._log,
            self._machines,
            self._where,
            self._verify_row(),
            self._reason,
            self._void,
            row(self._settle, None),
        )

    def _verify_row(self) -> QHBoxLayout:
        self._verify = spin_box("verifyWeeks", 0, 104, tr(" weeks"))
        self._verify.setSpecialValueText(tr("never"))
        self._verify.setAccessibleName(tr("Weeks until the baseline is printed again"))
        self._hours = spin_box("verifyHours", 0, 9999, tr(" h of printing"))
        self._hours.setSpecialValueText(tr("never"))
        self._hours.setAccessibleName(tr("Hours of printing until the baseline is printed again"))
        return row(
            column_label(tr("Print the baseline again after")),
            self._verify,
            column_label(tr("or")),
            self._hours,
            None,
        )

    def _on_choice_changed(self) -> None:
        self._more.setEnabled(self._buttons[DecisionKind.MORE].isChecked())

    def _on_settle_clicked(self) -> None:
        study = self._workbench.study
        kind = next((kind for kind, choice in self._buttons.items() if choice.isChecked()), None)
        if study is None:
            return
        if kind is None:
            self._workbench.failed.emit(
                tr("Please choose what to do first: adopt, keep, close, or more prints.")
            )
            return
        reason = self._reason.toPlainText()
        try:
            condition = self._where.condition()
        except ValueError as error:
            self._workbench.failed.emit(str(error))
            return
        done = self._workbench.do(
            operations.settle,
            study_id=study.id,
            kind=kind,
            reason=reason,
            arm_id=self._arm.currentData(),
            machine_ids=[key for key, box in self._ticks if box.isChecked()],
            condition=condition,
            verify_weeks=self._verify.value(),
            verify_hours=self._hours.value(),
            analysis=self._workbench.analysis,
        )
        if done and kind is DecisionKind.MORE:
            self._workbench.do(operations.add_repeats, study_id=study.id, repeats=self._more.value())

    def _on_reopen_clicked(self) -> None:
        study = self._workbench.study
        if study is not None:
            self._workbench.do(operations.reopen, study_id=study.id)

    def _on_tags_committed(self, text: str) -> None:
        study = self._workbench.study
        if study is not None:
            self._workbench.do(operations.tag_study, study_id=study.id, text=text)

    def _on_look_clicked(self) -> None:
        self._workbench.reveal(LookAt.VERDICT)


def _settled_words(decision: Decision) -> str:
    told = tr("Settled on {at:%Y-%m-%d}: {kind}", at=decision.at, kind=decision.kind)
    told += f", {decision.condition}" if decision.condition else ""
    due = decision.verify_at
    hours = (
        tr(" after {verify_hours} h of printing", verify_hours=format_reading(decision.verify_hours))
        if decision.verify_hours
        else ""
    )
    when = "" if due is None else tr(" The baseline is to be printed again by {due:%Y-%m-%d}.", due=due)
    if due is not None and due <= now():
        when = tr(
            " The baseline was to be printed again by {due:%Y-%m-%d}: ask it again, and compare.", due=due
        )
    if hours:
        when += tr(" The baseline is to be printed again{hours}.", hours=hours)
    return f"{told}. {decision.reason}{when}"
