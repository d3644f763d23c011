"""The chances of the plan: the noise floor it rests on, the power curve, and what a pair adds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PySide6.QtWidgets import QComboBox, QGridLayout, QWidget

from oddtwin import operations
from oddtwin.core.judgement import contrasts
from oddtwin.core.language import tr
from oddtwin.core.outlook import (
    EarlierNoise,
    KnownScatter,
    ResponsePower,
    certainty,
    known_scatter,
    one_of,
    power_of,
    power_sentence,
    unit_of,
)
from oddtwin.core.picture import Drawing, power_curve
from oddtwin.core.quantities import format_minutes, format_number, format_signed, with_unit
from oddtwin.core.study import Response, Study
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    DrawingView,
    QuantityField,
    choose,
    column_label,
    explained,
    fill_table,
    heading,
    label,
    plain_table,
    row,
)
from oddtwin.ui.workbench import Workbench

_HEAD = (
    tr("Blocks"),
    tr("Runs"),
    tr("Machine time"),
    tr("Hands"),
    tr("Plastic"),
    tr("Money"),
    tr("Chance to find the margin"),
    tr("Each block adds"),
)
_SCATTER = tr("Standard deviation of one print: what twins scatter by about their mean")
_PAIRS = tr("Degrees of freedom of that scatter: one for each pair of twins that told it")
WORKING = tr("Working out the chances …")


@dataclass(frozen=True, slots=True)
class _Told:
    """What is said of one response in one comparison."""

    known: KnownScatter | None
    power: ResponsePower | None
    sentence: str
    unit: str


class PowerCard(Card):
    """One response at a time; its noise floor is known, earlier, or typed here."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._power: ResponsePower | None = None
        self._asked = 0
        self._unit = "pairs"
        self._about: tuple[int, int] | None = None
        self._response = QComboBox()
        self._response.setObjectName("powerResponse")
        self._response.currentIndexChanged.connect(self._on_response_chosen)
        self._comparison = QComboBox()
        self._comparison.setObjectName("powerComparison")
        self._comparison.currentIndexChanged.connect(self._on_response_chosen)
        for box in (self._response, self._comparison):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self._sd = QuantityField("noiseSd", "", tr("not known"), 110)
        self._scatter = column_label(tr("Scatter of one print"), tip=_SCATTER)
        self._df = QuantityField("noiseDf", "", tr("own scatter"), 110)
        self._sd.quantity_committed.connect(lambda values: self._edit("noise_sd", values))
        self._df.quantity_committed.connect(lambda values: self._edit("noise_df", values))
        self._sentence = label("", "lead")
        self._sentence.setObjectName("powerSentence")
        self._needs = label("")
        self._needs.setObjectName("powerNeeds")
        self._curve = DrawingView(theme, self._draw)
        self._how = label(
            tr(
                "Prints are judged by their scatter and the noise floor together, one pair "
                "by the floor alone."
            ),
            "quiet",
        )
        self._table = plain_table("certainty", _HEAD)
        self._lay_out()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.addWidget(column_label(tr("Response")), 0, 0)
        grid.addWidget(self._response, 0, 1)
        grid.addWidget(self._scatter, 0, 2)
        grid.addWidget(self._sd, 0, 3)
        grid.addWidget(column_label(tr("from so many pairs of twins"), tip=_PAIRS), 0, 4)
        grid.addWidget(self._df, 0, 5)
        grid.setColumnStretch(6, 1)
        self._comparisons = QWidget()
        comparison = row(column_label(tr("Comparison")), self._comparison, None)
        comparison.setContentsMargins(0, 0, 0, 0)
        self._comparisons.setLayout(comparison)
        self.add(
            row(heading(tr("Chances")), None, explained(self._theme, "noise floor")),
            grid,
            self._comparisons,
            self._sentence,
            self._needs,
            self._curve,
            self._how,
            self._table,
        )

    def refresh(self, study: Study) -> None:
        """Show the deciding response first, or the one that was chosen."""
        asked = [(item.name, item.id) for item in study.judged]
        primary = next((item.id for item in study.judged if item.primary), None)
        there = self._response.currentData()
        choose(self._response, asked, there if there in dict(asked).values() else primary)
        several = [(item.about, place) for place, item in enumerate(contrasts(study))]
        choose(self._comparison, several, self._comparison.currentData() or 0)
        self._comparisons.setVisible(len(several) > 1)
        self._show(study)

    def _show(self, study: Study) -> None:
        response = next((item for item in study.judged if item.id == self._response.currentData()), None)
        if response is None:
            return
        self._sd.set_unit(response.margin_unit)
        unit = f", {response.margin_unit}" if response.margin_unit else ""
        self._scatter.setText(tr("Scatter of one print{unit}", unit=unit))
        self._sd.show_values([response.noise_sd] if response.noise_sd else [])
        self._df.show_values([response.noise_df] if response.noise_df else [])
        earlier = self._workbench.earlier_noise().get(response.id)
        chosen = self._chosen()
        if (response.id, chosen) != self._about:
            # What stands there is of another response; what is worked out for this one comes at once or soon.
            self._about, self._power = (response.id, chosen), None
            self._sentence.setText(WORKING)
            self._show_power(None)
        self._asked += 1
        asked = self._asked

        def show(found: _Told) -> None:
            # What was asked in the meantime is on its way.
            if asked == self._asked:
                self._tell(study, response, found)

        # Ranks are simulated and what is asked together is integrated: that takes longer than a key press.
        self._workbench.figure(self, lambda _: _told(study, response, earlier, chosen), show)

    def _tell(self, study: Study, response: Response, found: _Told) -> None:
        self._power, self._unit = found.power, found.unit
        self._sentence.setText(found.sentence)
        plots = contrasts(study)[self._chosen()].plots
        more = tr(" More prints between two switches do not help here; more switches do.") if plots else ""
        self._needs.setText(_needed(found.power, found.unit) + (more if found.power else ""))
        self._show_power(found.known)
        if found.power is None or found.known is None:
            return
        asked, chosen, scatter = self._asked, self._chosen(), found.known

        def show(rows: list[tuple[str, ...]]) -> None:
            if asked == self._asked:
                fill_table(self._table, rows, fit_height=True)

        # Drawing a plan of many runs several times over takes a while.
        self._workbench.figure(self, lambda _: _steps(study, response, scatter, chosen), show)

    def _show_power(self, known: KnownScatter | None) -> None:
        for part in (self._needs, self._curve, self._table):
            part.setVisible(self._power is not None)
        self._how.setVisible(self._power is not None and known is not None and known.noise is not None)
        self._curve.updateGeometry()
        self._curve.update()

    def _chosen(self) -> int:
        return self._comparison.currentData() or 0

    def _draw(self, width: float) -> Drawing:
        if self._power is None:
            return Drawing(width, 1.0, ())
        return power_curve(self._power.table, self._power.planned.pairs, self._unit, width)

    def _on_response_chosen(self) -> None:
        if self._workbench.study is not None:
            self._show(self._workbench.study)

    def _edit(self, field: str, values: list[float]) -> None:
        study = self._workbench.study
        response = next(
            (item for item in (study.judged if study else ()) if item.id == self._response.currentData()),
            None,
        )
        if response is not None:
            changed: dict[str, Any] = {field: values[0] if values else None}
            self._workbench.do(
                operations.edit_response, response_id=response.id, name=response.name, **changed
            )


def _told(study: Study, response: Response, earlier: EarlierNoise | None, comparison: int) -> _Told:
    """Work out what a plan can find in a response, and say it."""
    known, unit = known_scatter(response, earlier), unit_of(study, comparison)
    if response.margin is None:
        return _Told(
            known, None, tr("{response} has no margin yet; set it under Ask.", response=response.name), unit
        )
    power = power_of(study, known.aim(response), comparison) if known is not None else None
    return _Told(known, power, power_sentence(study, response, earlier, comparison), unit)


def _needed(power: ResponsePower | None, unit: str) -> str:
    if power is None:
        return ""
    parts = [
        (
            tr("1 {one_of} gives {share} %", one_of=one_of(unit), share=share)
            if count == 1
            else tr("{count} {unit} give {share} %", count=count, unit=unit, share=share)
        )
        if count
        else tr("{share} % is out of reach", share=share)
        for count, share in ((power.for_80, 80), (power.for_90, 90))
    ]
    twin = (
        tr(
            "{twin_80} {one_of} for 80 % to establish a twin",
            twin_80=power.twin_80,
            one_of=one_of(unit) if power.twin_80 == 1 else unit,
        )
        if power.twin_80
        else (tr("a twin cannot be established with 80 %"))
    )
    return tr("To find the margin, {parts}; {twin}.", parts=tr(" and ").join(parts), twin=twin)


def _steps(study: Study, response: Response, known: KnownScatter, comparison: int) -> list[tuple[str, ...]]:
    """Rows around the planned number of blocks: what each takes, and what the last one adds."""
    planned = study.plan.repeats if study.plan else 1
    plots = contrasts(study)[comparison].plots
    if study.plan and plots:
        planned = study.plan.design.whole_plots
    noun = tr(" whole plots") if plots else ""
    counts = range(max(3 if plots else 1, planned - 3), planned + 3)
    rows: list[tuple[str, ...]] = []
    before: float | None = None
    for step in certainty(study, known.aim(response), counts, comparison):
        budget, chance = step.budget, step.chance
        adds = "–" if before is None or chance is None else f"{format_signed(100 * (chance - before), 0)} %"
        rows.append(
            (
                f"{step.repeats}{noun}{(tr(' (planned)') if step.repeats == planned else '')}",
                str(budget.runs),
                format_minutes(budget.machine_min),
                format_minutes(budget.work_min),
                with_unit(format_number(budget.grams, 0), "g"),
                f"{format_number(budget.money, 2)} {study.rates.currency}" if budget.money else "–",
                tr("too few") if chance is None else f"{100 * chance:.0f} %",
                adds,
            )
        )
        before = chance
    return rows
