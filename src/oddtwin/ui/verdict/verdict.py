"""The screen of the stage Verdict."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout

from oddtwin.core.decide import TABLE_FIRST, TABLE_HEAD, Finding, aside_words, table_row, voiding
from oddtwin.core.judgement import Overall, compared_words, contrasts, look_words
from oddtwin.core.language import tr
from oddtwin.core.picture import Picture, below, overview
from oddtwin.core.standing import Stage
from oddtwin.core.study import LookAt, RunState, Study, advised_look, revealed
from oddtwin.ui.going import go_button
from oddtwin.ui.theme import Theme
from oddtwin.ui.verdict.finding import FindingCard
from oddtwin.ui.verdict.prints import PrintsCard
from oddtwin.ui.widgets import (
    Card,
    DrawingView,
    Page,
    button,
    clear,
    fill_table,
    heading,
    label,
    plain_table,
    row,
)
from oddtwin.ui.workbench import Workbench


class VerdictView(Page):
    """A row for each response, the deciding one first and open, and a table of all figures."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._shown: tuple[Finding, ...] | None = None
        self._waiting = label("", "lead")
        self._early = label()
        look = button(tr("Look at it now"), self._on_look_clicked, name="lookNow")
        self._gate = Card(heading(tr("Not all prints are made")), self._early, row(look, None))
        self._compared = label("", "lead")
        self._compared.setObjectName("compared")
        # What a person has opened or folded stays so while the study is looked at.
        self._folds: dict[str, bool] = {}
        self._overview, self._cards, self._course = (QVBoxLayout() for _ in range(3))
        for part in (self._overview, self._cards, self._course):
            part.setSpacing(8)
        self._table = plain_table("figures", TABLE_HEAD)
        self._all = button("", self._on_all_clicked, name="allFigures")
        self._figures = Card(row(heading(tr("Figures")), None, self._all), self._table)
        self._show_columns(False)
        self.body.addWidget(self._waiting)
        self._go = go_button(workbench, Stage.PRINT)
        self.body.addLayout(row(self._go, None))
        self.body.addWidget(self._gate)
        self._prints = PrintsCard(workbench)
        self.body.addWidget(self._compared)
        self.body.addLayout(self._overview)
        self.body.addLayout(self._cards)
        self.body.addWidget(self._prints)
        self.body.addLayout(self._course)
        self.body.addWidget(self._figures)
        self.body.addStretch(1)

    def refresh(self) -> None:
        """Show the analysis of the study in hand."""
        study, analysis = self._workbench.study, self._workbench.analysis
        if study is None:
            return
        findings = analysis.findings if analysis else ()
        self._waiting.setText(
            tr("No print is measured yet. The verdict appears here as soon as both arms have readings.")
            if analysis
            else tr("Working out the figures…")
        )
        sealed = bool(findings) and not revealed(study) and self._workbench.can_edit
        self._gate.setVisible(sealed)
        self._early.setText(_early(study))
        findings = () if sealed else findings
        self._figures.setVisible(bool(findings))
        self._prints.show_study(study if findings else None)
        self._waiting.setVisible(not findings and not sealed)
        self._go.setVisible(not findings and not sealed and analysis is not None)
        self._compared.setText(compared_words(study))
        self._compared.setVisible(bool(findings) and len(contrasts(study)) == 1)
        # The same analysis again has the same findings; comparing them figure by figure takes long.
        if findings is not self._shown:
            self._shown = findings
            for part in (self._overview, self._cards, self._course):
                clear(part)
            overall = analysis.overall if analysis and findings else Overall()
            for part, pictures in (
                (self._overview, overview(overall, findings)),
                (self._course, below(overall, findings)),
            ):
                for picture in pictures:
                    part.addWidget(_picture_card(picture, self._theme))
            threats = analysis.threats if analysis else ()
            deciding = next((one.name for one in study.responses if one.primary), "")
            for place, finding in enumerate(findings):
                void = voiding(finding.comparison.response, threats)
                decides = finding.comparison.response == deciding
                once = place and aside_words(finding.comparison) == aside_words(findings[0].comparison)
                card = FindingCard(finding, self._theme, void, decides, bool(once))
                card.set_open(self._folds.get(card.objectName(), not place))
                card.folded.connect(partial(self._folds.__setitem__, card.objectName()))
                self._cards.addWidget(card)
            fill_table(self._table, [table_row(finding) for finding in findings], fit_height=True)

    def _on_all_clicked(self) -> None:
        self._show_columns(not self._every)

    def _show_columns(self, every: bool) -> None:
        """Show what fits a small window, or every figure there is."""
        self._every = every
        for place, name in enumerate(TABLE_HEAD):
            self._table.setColumnHidden(place, not every and name not in TABLE_FIRST)
        self._all.setText(tr("Fewer figures") if every else tr("All figures"))

    def look(self) -> None:
        """Write the look down where it is the next step: all that was planned is made."""
        study, analysis = self._workbench.study, self._workbench.analysis
        if study and analysis and analysis.findings and not revealed(study) and advised_look(study):
            self._workbench.reveal(LookAt.VERDICT)

    def _on_look_clicked(self) -> None:
        self._workbench.reveal(LookAt.VERDICT)


def _early(study: Study) -> str:
    counting = [run for run in study.runs if run.state is not RunState.SET_ASIDE]
    made = sum(run.state is RunState.PRINTED for run in counting)
    parts = [
        tr("{made} of {counting} prints are made.", made=made, counting=len(counting)),
        look_words(study),
        tr(
            "Who stops when it looks good finds chance, and who knows the arms judges the rest by them. "
            "A look now is written down with its moment, and told in the report."
        ),
    ]
    return " ".join(part for part in parts if part)


def _picture_card(picture: Picture, theme: Theme) -> Card:
    """A picture of the whole study with what it says."""
    said = [label(line) for line in picture.said]
    for line in said:
        line.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    card = Card(heading(picture.title), DrawingView(theme, picture.drawing), *said)
    card.setObjectName(f"picture-{picture.title}")
    return card
