"""Rehearsing the plan a thousand times before any plastic is spent."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np
from PySide6.QtWidgets import QGridLayout, QProgressBar, QVBoxLayout

from oddtwin.core.job import Job
from oddtwin.core.language import tr
from oddtwin.core.outlook import known_scatter
from oddtwin.core.picture import difference_ruler, verdict_shares
from oddtwin.core.quantities import capitalized, format_digits, format_reading
from oddtwin.core.readings import Better, ResponseKind
from oddtwin.core.rehearsal import Assumed, Conditions, Rehearsal, Rehearsed, rehearse_study
from oddtwin.core.study import Response, Study
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    DrawingView,
    QuantityField,
    button,
    clear,
    column_label,
    fix,
    heading,
    label,
    row,
)
from oddtwin.ui.workbench import Workbench

TIMES = 1000
USUAL_GRADE_SD = 0.5


class RehearsalCard(Card):
    """Assumed effects and scatter, a button, progress, and how often each verdict came out."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._study_id: int | None = None
        self._units: list[tuple[int, str]] = []
        self._fields: dict[int, tuple[QuantityField, QuantityField]] = {}
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._lost = QuantityField("lostShare", "%", "5", 76)
        self._drift = QuantityField("drift", "", "0", 76)
        self._go = button(tr("Rehearse 1000 times"), self._on_go_clicked, main=True, name="rehearse")
        self._stop = button(tr("Cancel"), self._on_stop_clicked, name="cancelRehearsal")
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        fix(self._bar, 260, 10)
        self._results = QVBoxLayout()
        self._results.setSpacing(12)
        self._missing = label("", "quiet")
        conditions = row(
            column_label(tr("Prints lost")),
            self._lost,
            12,
            label(tr("Drift over the study, in standard deviations of one print"), "column", wrap=False),
            self._drift,
            None,
        )
        self.add(
            heading(tr("Rehearsal")),
            label(
                tr(
                    "The planned study is simulated a thousand times with the effect and scatter "
                    "below, and judged by the same rules as the real one."
                ),
                "quiet",
            ),
            self._grid,
            self._missing,
            conditions,
            row(self._go, self._stop, self._bar, None),
            self._results,
        )
        self._show_running(False)

    def refresh(self, study: Study) -> None:
        """Offer a row for each response that can be rehearsed."""
        if study.id != self._study_id:
            self._study_id = study.id
            clear(self._results)
        can = [item for item in study.judged if item.margin is not None]
        if self._units != [(item.id, item.margin_unit) for item in can]:
            self._units = [(item.id, item.margin_unit) for item in can]
            self._build(can)
        earlier = self._workbench.earlier_noise()
        for response in can:
            effect, sd = self._fields[response.id]
            known = known_scatter(response, earlier.get(response.id))
            usual_effect = format_reading(_usual_effect(response))
            effect.edit.setPlaceholderText(
                tr("{usual_effect}: the margin, for the better", usual_effect=usual_effect)
            )
            usual = USUAL_GRADE_SD if response.kind is ResponseKind.GRADE else None
            shown = known.sd if known else usual
            sd.edit.setPlaceholderText(format_digits(shown, 3) if shown else tr("not known"))
        without = [item.name for item in study.judged if item.margin is None]
        self._missing.setText(tr("Without a margin, not rehearsed: {without}.", without=", ".join(without)))
        self._missing.setVisible(bool(without))
        self._go.setEnabled(bool(can))

    def _build(self, responses: Sequence[Response]) -> None:
        clear(self._grid)
        self._fields = {}
        for column, text in enumerate(
            (tr("Response"), tr("Assumed effect, change − baseline"), tr("Scatter of one print"))
        ):
            self._grid.addWidget(column_label(text), 0, column)
        for line, response in enumerate(responses, 1):
            unit = response.margin_unit
            effect = QuantityField(f"effect-{response.name}", unit, "", 240)
            sd = QuantityField(f"sd-{response.name}", unit, "", 150)
            self._fields[response.id] = (effect, sd)
            name = f"{response.name}, {unit}" if unit else response.name
            for column, widget in enumerate((label(name, wrap=False), effect, sd)):
                self._grid.addWidget(widget, line, column)
        self._grid.setColumnStretch(3, 1)

    def _on_go_clicked(self) -> None:
        study = self._workbench.study
        if study is None:
            return
        try:
            assumed = self._assumed(study)
            conditions = Conditions(self._lost.value(5.0) / 100, self._drift.value(0.0))
        except ValueError as error:
            self._workbench.failed.emit(f"{capitalized(str(error))}.")
            return
        if not assumed:
            self._workbench.failed.emit(
                tr("Type the standard deviation of one print for at least one response; twins would tell it.")
            )
            return
        seed = study.plan.seed if study.plan else 0

        def work(job: Job) -> Rehearsal:
            rng = np.random.default_rng(seed)
            return rehearse_study(study, assumed, conditions, rng, TIMES, job)

        self._show_running(True)
        running = self._workbench.figure(self, work, self._on_done)
        running.moved.connect(self._on_moved)
        running.ended.connect(lambda: self._show_running(False))

    def _assumed(self, study: Study) -> list[Assumed]:
        earlier = self._workbench.earlier_noise()
        found = []
        for response in study.judged:
            if response.id not in self._fields or response.margin is None:
                continue
            effect, sd = self._fields[response.id]
            known = known_scatter(response, earlier.get(response.id))
            usual = known.sd if known else USUAL_GRADE_SD if response.kind is ResponseKind.GRADE else 0.0
            scatter = sd.value(usual)
            if scatter > 0:
                found.append(
                    Assumed(
                        response.id,
                        effect.value(_usual_effect(response)),
                        scatter,
                        known.noise if known else None,
                    )
                )
        return found

    def _on_stop_clicked(self) -> None:
        self._workbench.lanes.cancel(self)

    def _on_moved(self, share: float) -> None:
        self._bar.setValue(round(1000 * share))

    def _on_done(self, rehearsal: Rehearsal) -> None:
        clear(self._results)
        study = self._workbench.study
        deciding = next((item.name for item in (study.judged if study else ()) if item.primary), "")
        for item in sorted(rehearsal.rehearsed, key=lambda item: item.response != deciding):
            view = RehearsedView(item, self._theme)
            self._results.addWidget(view)
            if self._results.count() == 1 and item.examples:
                view.show_examples()

    def _show_running(self, running: bool) -> None:
        self._go.setEnabled(not running)
        self._stop.setVisible(running)
        self._bar.setVisible(running)
        self._bar.setValue(0)


class RehearsedView(Card):
    """One response: the share of each verdict, and three of the simulated studies."""

    def __init__(self, item: Rehearsed, theme: Theme) -> None:
        super().__init__()
        self.setObjectName(f"rehearsed-{item.response}")
        about = f"{item.response} – {item.about}" if item.about else item.response
        self.add(
            heading(about), DrawingView(theme, lambda width: verdict_shares(item.shares, min(width, 620.0)))
        )
        self._item, self._theme = item, theme
        if item.examples:
            self._show = button(tr("Show three of them"), self.show_examples, name=f"examples-{about}")
            self.add(row(self._show, None))

    def show_examples(self) -> None:
        """Show a low, a middle and a high estimate as the verdict would show them."""
        self._show.hide()
        self.add(label(tr("A low, a middle and a high estimate among the thousand."), "quiet"))
        for finding in self._item.examples:
            drawing = DrawingView(self._theme, partial(difference_ruler, finding))
            self.add(label(finding.sentence, "quiet"), drawing)


def _usual_effect(response: Response) -> float:
    """The margin in the direction that is better: change minus baseline."""
    margin = response.margin or 0.0
    return margin if response.better in (None, Better.HIGHER) else -margin
