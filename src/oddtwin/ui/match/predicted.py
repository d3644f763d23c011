"""Predicted against measured, over all logged runs of the lab book."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from oddtwin.core.language import tr, trn
from oddtwin.core.picture import Drawing
from oddtwin.core.quantities import capitalized, format_list, format_number, format_signed, with_unit
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, DrawingView, choose, fill_table, heading, label, plain_table, row
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.core.job import Job
    from oddtwin.core.predicted import PredictedRun, RunAgreement
    from oddtwin.core.toolpath.motion import Calibration

HEAD = (tr("Run"), tr("Study"), tr("Machine"), tr("Spool"), tr("Predicted"), tr("Measured"), tr("Difference"))
CHANCE = 0.05
WORDS = {"min": tr("minutes"), "g": tr("grams")}


class PredictedPanel(QWidget):
    """Bias and limits of agreement with the plot; runs outside are named; machines are calibrated."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._runs: list[PredictedRun] = []
        self._groups: list[RunAgreement] = []
        self._which = QComboBox()
        self._which.setObjectName("agreementGroup")
        self._which.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self._which.currentIndexChanged.connect(self._show)
        self._sentence, self._outside, self._few = label("", "lead"), label(""), label("", "quiet")
        self._limits = label("", "quiet")
        self._limits.setObjectName("agreementLimits")
        self._sentence.setObjectName("agreementSentence")
        self._outside.setObjectName("agreementOutside")
        self._plot = DrawingView(theme, self._draw)
        self._table = plain_table("predictedRuns", HEAD)
        self._machines = QVBoxLayout()
        self._machines.setSpacing(6)
        self._calibrated = label("")
        self._calibrated.setObjectName("calibration")
        self._agreement = Card(heading(tr("Predicted and measured")), row(self._which, None))
        self._agreement.add(self._sentence, self._outside, self._plot, self._limits, self._few)
        self._log = Card(heading(tr("Runs")), self._table)
        self._scale = Card(heading(tr("What the machines’ own prints say")), self._calibrated)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        for card in (self._agreement, self._scale, self._log):
            layout.addWidget(card)

    def refresh(self) -> None:
        """Read the runs of all studies anew."""
        from oddtwin.core.predicted import agreements, calibrations
        from oddtwin.store import load_predictions

        book = self._workbench.book

        def work(_: Job) -> tuple[list[PredictedRun], list[RunAgreement], dict[int, Calibration]]:
            with book.reading() as connection:
                runs = load_predictions(connection)
            return runs, agreements(runs), calibrations(runs)

        self._workbench.figure(self, work, self._on_figured)

    def _on_figured(
        self, found: tuple[list[PredictedRun], list[RunAgreement], dict[int, Calibration]]
    ) -> None:
        self._runs, self._groups, calibrated = found
        names = {run.machine_id: run.machine for run in self._runs}
        asked = [
            (f"{capitalized(WORDS[item.unit])}, {item.about}", place)
            for place, item in enumerate(self._groups)
        ]
        choose(self._which, asked, self._which.currentData() or 0)
        self._calibrated.setText(
            "\n".join(
                [calibration_words(names[key], item) for key, item in calibrated.items()]
                + [tr("± is one standard error.")]
            )
        )
        self._scale.setVisible(bool(calibrated))
        self._log.setVisible(bool(self._runs))
        self._show()

    def _show(self) -> None:
        group = self._group
        self._which.setVisible(group is not None)
        self._plot.setVisible(group is not None)
        self._outside.setVisible(group is not None)
        self._limits.setVisible(group is not None)
        self._few.hide()
        self._plot.updateGeometry()
        self._plot.update()
        if group is None:
            self._sentence.setText(
                tr(
                    "Nothing to compare yet. It takes two measured runs that were started after "
                    "their sliced file was chosen."
                )
            )
            return
        self._sentence.setText(agreement_words(group))
        self._limits.setText(limit_words(group))
        self._few.setText(
            tr(
                "Runs of one file repeat its error: with few files the average is less "
                "certain than its interval says."
            )
        )
        self._few.setVisible(2 * group.files < len(group.runs))
        codes = [run.code for run in group.outside]
        self._outside.setText(
            tr(
                "Outside: {codes}. One run in twenty lies there by chance; else look for a "
                "jam, a wrong spool or a wrong file.",
                codes=format_list(codes),
            )
            if codes
            else tr("No run lies outside of the limits.")
        )
        rows = []
        for run, predicted, measured in zip(group.runs, group.predicted, group.measured, strict=True):
            figures = [with_unit(format_number(value, 1), group.unit) for value in (predicted, measured)]
            if run.sealed:
                figures = [tr("blind until the verdict")] * 2
            difference = with_unit(format_signed(measured - predicted, 1), group.unit)
            mark = tr(" (outside)") if run in group.outside else ""
            rows.append((run.code + mark, run.study, run.machine, run.spool, *figures, difference))
        fill_table(self._table, rows, fit_height=True)

    @property
    def _group(self) -> RunAgreement | None:
        place = self._which.currentData()
        return self._groups[place] if place is not None and place < len(self._groups) else None

    def _draw(self, width: float) -> Drawing:
        from oddtwin.core.picture import agreement_plot

        group = self._group
        if group is None:
            return Drawing(width, 1.0, ())
        return agreement_plot(group.predicted, group.measured, group.agreement, group.unit, width)


def agreement_words(group: RunAgreement) -> str:
    """Say bias and limits of one group."""
    found, unit = group.agreement, group.unit
    bias = with_unit(format_signed(found.bias, 1), unit)
    if found.lower is None or found.upper is None or found.bias_ci95 is None:
        return tr("{n} run: measured − predicted is {bias}.", n=found.n, bias=bias)
    low, high = (format_signed(value, 1) for value in found.bias_ci95)
    limits = tr(
        "{lower} to {upper}",
        lower=format_signed(found.lower, 1),
        upper=with_unit(format_signed(found.upper, 1), unit),
    )
    of = tr(
        "{n} runs of {files} {part}", n=found.n, files=group.files, part=trn("file", "files", group.files)
    )
    return tr(
        "Over {of} the measured {WORDS} are {bias} off the predicted ones on average (95 % interval "
        "{low} to {high}); 19 runs in 20 lie within {limits} of theirs.",
        of=of,
        WORDS=WORDS[unit],
        bias=bias,
        low=low,
        high=with_unit(high, unit),
        limits=limits,
    )


def limit_words(group: RunAgreement) -> str:
    """Say how certain the limits are, and whether the difference grows with the size."""
    found, unit = group.agreement, group.unit
    if found.lower_ci95 is None or found.upper_ci95 is None:
        return ""
    parts = []
    for name, (low, high) in (("lower", found.lower_ci95), ("upper", found.upper_ci95)):
        parts.append(
            tr(
                "{name} limit {low} to {high}",
                name=name,
                low=format_signed(low, 1),
                high=with_unit(format_signed(high, 1), unit),
            )
        )
    words = tr("95 % intervals of the limits: {parts}.", parts=", ".join(parts))
    if found.trend is not None and found.trend_p is not None and found.trend_p < CHANCE:
        grows = tr("grows") if found.trend > 0 else tr("falls")
        words += tr(
            " The difference {grows} with the size (r = {trend}), so one pair of limits "
            "fits none of them well; the scale below says more.",
            grows=grows,
            trend=format_number(found.trend, 2),
        )
    return words


def calibration_words(machine: str, found: Calibration) -> str:
    """Say how the predicted times of a machine are to be corrected."""
    uncertain = f" ± {format_number(found.offset_se, 1)}" if found.offset_se is not None else ""
    offset = with_unit(
        f"{'−' if found.offset < 0 else '+'} {format_number(abs(found.offset), 1)}{uncertain}", "min"
    )
    if found.scale_se is None:
        return tr(
            "{machine}: measured = predicted {offset} ({n} prints of nearly one length; "
            "a longer or shorter one would tell the scale too).",
            machine=machine,
            offset=offset,
            n=found.n,
        )
    scale = f"{format_number(found.scale, 3)} ± {format_number(found.scale_se, 3)}"
    return tr(
        "{machine}: measured = {scale} × predicted {offset} ({n} prints).",
        machine=machine,
        scale=scale,
        offset=offset,
        n=found.n,
    )
