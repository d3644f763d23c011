"""The options of a design, of which only those of its kind are shown."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Final

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QLabel, QWidget

from oddtwin.core.design import (
    FRACTIONS,
    MOST_LOOKS,
    Design,
    DesignKind,
    DriftGuard,
    Fraction,
    LadderRule,
    switch_plans,
)
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_minutes, format_number
from oddtwin.core.study import Study
from oddtwin.ui.widgets import at_least, choose, column_label, label, spin_box

_REPEATS: Final = {
    DesignKind.PAIRS: (
        tr("Pairs"),
        tr("for each machine and piece: one print of the baseline, one of the change"),
    ),
    DesignKind.SEVERAL: (tr("Blocks"), tr("for each machine and piece: one print of each arm")),
    DesignKind.LADDER: (tr("Ladders"), tr("for each machine and piece: one print of each level")),
    DesignKind.CHAIN: (tr("Prints of each step"), tr("for each machine and piece")),
    DesignKind.FACTORIAL: (tr("Blocks"), tr("for each machine and piece: one print of each combination")),
    DesignKind.FRACTION: (
        tr("Blocks"),
        tr("for each machine and piece: one print of each chosen combination"),
    ),
    DesignKind.CROSSOVER: (tr("Blocks"), tr("for each piece: one print of each combination")),
    DesignKind.SPLIT_PLOT: (tr("Prints inside"), tr("of each easy combination, between two switches")),
}


_SHARING: Final = (
    *(DesignKind.PAIRS, DesignKind.SEVERAL, DesignKind.LADDER),
    *(DesignKind.FACTORIAL, DesignKind.FRACTION),
)
"""Designs whose prints may share a plate."""

_DRIFTING: Final = (
    DesignKind.PAIRS,
    DesignKind.SEVERAL,
    DesignKind.LADDER,
    DesignKind.FACTORIAL,
    DesignKind.FRACTION,
    DesignKind.CROSSOVER,
)
"""Designs whose figures can have a drift taken out; of a chain it always is."""


class DesignOptions(QWidget):
    """A row for each option; ``changed`` is emitted when the user changes one."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[tuple[list[QWidget], tuple[DesignKind, ...]]] = []
        # Fraction, hard factor and switches of a plan, until the study that offers them is shown.
        self._wanted: tuple[int, int, int] | None = (1, 0, 2)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(14)
        self._grid.setColumnStretch(2, 1)
        self.repeats = spin_box("pairs", 1, 200)
        self.twins = spin_box("twins", 0, 200)
        self._centre = spin_box("centrePoints", 0, 20)
        self._copies = spin_box("copies", 1, 36)
        self._block = spin_box("blockSize", 0, 0)
        self._looks = spin_box("plannedLooks", 1, MOST_LOOKS)
        self._kind = DesignKind.PAIRS
        self._drift = QCheckBox(tr("Take out"))
        self._guard, self._rule = QComboBox(), QComboBox()
        self._fraction, self._hard, self._switches = QComboBox(), QComboBox(), QComboBox()
        choose(self._guard, [(item, item) for item in DriftGuard], DriftGuard.RANDOM)
        choose(self._rule, [(item, item) for item in LadderRule], LadderRule.RANDOM)
        every = tuple(DesignKind)
        self._repeats_label = self._add(self.repeats, tr("Pairs"), "", every)
        self._twins_row = (
            self.twins,
            *self._add(
                self.twins,
                tr("Twins"),
                tr("further prints of the baseline in all; they show how much twins differ anyway"),
                every,
            ),
        )
        self._add_of_kinds()

    def _add_of_kinds(self) -> None:
        """Add the options that only some designs have."""
        crossed = (DesignKind.FACTORIAL, DesignKind.FRACTION)
        self._add(
            self._block,
            tr("A block holds"),
            tr("arms; where it cannot hold all, balanced parts of them are printed together (0: all)"),
            (DesignKind.SEVERAL,),
        )
        self._add(self._guard, tr("Against drift"), "", (DesignKind.PAIRS,), "guard")
        self._add(
            self._looks,
            tr("Looks"),
            tr("at the verdict, in equal steps; all of them together err in 5 of 100 studies, each by less"),
            (DesignKind.PAIRS,),
        )
        self._add(
            self._drift,
            tr("Drift"),
            tr("a straight drift along the printed order is taken out of measured figures"),
            _DRIFTING,
            "takeDrift",
        )
        self._add(self._rule, tr("Walk"), "", (DesignKind.LADDER,), "rule")
        self._add(self._fraction, tr("Fraction"), "", (DesignKind.FRACTION,), "fraction")
        self._add(
            self._centre,
            tr("Centre points"),
            tr("prints at the middle of all factors, in each block"),
            crossed,
        )
        self._add(self._hard, tr("Hard to change"), "", (DesignKind.SPLIT_PLOT,), "hardFactor")
        self._add(
            self._switches,
            tr("Switches"),
            tr("each further switch costs its minutes and narrows the interval"),
            (DesignKind.SPLIT_PLOT,),
            "switches",
        )
        self._add(
            self._copies,
            tr("On one plate"),
            tr("prints that share a plate; each comes to every place in turn"),
            _SHARING,
        )
        self._copies.setToolTip(
            tr("Places and turns follow a Latin square: every place holds every copy once")
        )

    def design(self, kind: DesignKind) -> Design:
        """Return the design as it is set."""
        return Design(
            kind=kind,
            # Qt hands an enumeration that is a text back as plain text.
            guard=DriftGuard(self._guard.currentData()),
            rule=LadderRule(self._rule.currentData()),
            fraction_p=self._fraction.currentData() or 1,
            centre_points=self._centre.value() if kind in (DesignKind.FACTORIAL, DesignKind.FRACTION) else 0,
            hard_factor=self._hard.currentData() or 0,
            whole_plots=(self._switches.currentData() or 2) + 1,
            copies=self._copies.value() if kind in _SHARING else 1,
            block_size=self._block.value() if kind is DesignKind.SEVERAL else 0,
            looks=self._looks.value() if kind is DesignKind.PAIRS else 1,
            drift=self._drift.isChecked() and kind in _DRIFTING,
        )

    def show_design(self, design: Design, repeats: int, twins: int) -> None:
        """Show what a plan says, without telling anyone."""
        self.blockSignals(True)
        self.repeats.setValue(repeats)
        self.twins.setValue(twins)
        self._guard.setCurrentIndex(self._guard.findData(design.guard))
        self._rule.setCurrentIndex(self._rule.findData(design.rule))
        self._centre.setValue(design.centre_points)
        self._copies.setValue(design.copies)
        self._block.setValue(design.block_size)
        self._looks.setValue(design.looks)
        self._drift.setChecked(design.drift)
        self._wanted = (design.fraction_p, design.hard_factor, design.whole_plots - 1)
        self.blockSignals(False)

    def show_study(self, study: Study, kind: DesignKind) -> None:
        """Offer what a study's factors allow, and show the options of a kind."""
        self.blockSignals(True)
        p, hard, switches = self._wanted or (
            self._fraction.currentData(),
            self._hard.currentData(),
            self._switches.currentData(),
        )
        self._wanted = None
        factors = len(study.factors)
        choose(self._fraction, _fractions(factors), p)
        names = [(factor.name, place) for place, factor in enumerate(study.factors)]
        if not study.runs and hard == 0:
            hard = next((n for n, factor in enumerate(study.factors) if factor.hard_to_change), hard)
        choose(self._hard, names, hard)
        place = self._hard.currentData() or 0
        if place < factors:
            plans = switch_plans([level.minutes for level in study.factors[place].levels])
            shown = [
                (
                    tr(
                        "{switches}: {minutes}, {error_df} {degrees} of freedom, interval "
                        "±{critical_t} standard errors",
                        switches=plan.switches,
                        minutes=format_minutes(plan.minutes),
                        error_df=plan.error_df,
                        degrees=trn("degree", "degrees", plan.error_df),
                        critical_t=format_number(plan.critical_t, 1),
                    ),
                    plan.switches,
                )
                for plan in plans
            ]
            choose(self._switches, shown, switches)
        text, hint = _REPEATS[kind]
        self._repeats_label[0].setText(text)
        self._repeats_label[1].setText(hint)
        for widgets, kinds in self._rows:
            for widget in widgets:
                widget.setVisible(kind in kinds)
        self._kind = kind
        self._block.setMaximum(max([0, *(len(factor.levels) for factor in study.factors)]))
        self._show_twins()
        self.blockSignals(False)

    def _show_twins(self) -> None:
        """Ask for twins only where the design can print them."""
        levels = self._block.maximum()
        reason = replace(self.design(self._kind), levels=(max(2, levels),)).no_twins
        for widget in self._twins_row:
            widget.setVisible(not reason)

    def _add(
        self, field: QWidget, text: str, hint: str, kinds: tuple[DesignKind, ...], name: str = ""
    ) -> tuple[QLabel, QLabel]:
        line = len(self._rows)
        if name:
            field.setObjectName(name)
        title, tail = column_label(text), label(hint, "quiet", wrap=False)
        self._grid.addWidget(title, line, 0)
        if isinstance(field, QComboBox):
            at_least(field, width=130)
            self._grid.addWidget(field, line, 1, 1, 2)
            field.setToolTip(hint)
            field.currentIndexChanged.connect(self._on_changed)
        else:
            self._grid.addWidget(field, line, 1)
            changing: Any = field
            told = changing.toggled if isinstance(field, QCheckBox) else changing.valueChanged
            told.connect(self._on_changed)
        widgets: list[QWidget] = [title, field]
        if not isinstance(field, QComboBox):
            self._grid.addWidget(tail, line, 2)
            widgets.append(tail)
        self._rows.append((widgets, kinds))
        return title, tail

    def _on_changed(self) -> None:
        self._show_twins()
        self.changed.emit()


def _fractions(factors: int) -> list[tuple[str, int]]:
    """The fractions of so many factors, largest first."""
    roman = {3: "III", 4: "IV", 5: "V", 6: "VI", 7: "VII"}
    return [
        (
            tr(
                "{factors} of {factors2} combinations, resolution {roman}",
                factors=2 ** (factors - p),
                factors2=2**factors,
                roman=roman[Fraction(factors, words).resolution],
            ),
            p,
        )
        for (count, p), words in FRACTIONS.items()
        if count == factors
    ]
