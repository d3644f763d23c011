"""The budget of the plan, item by item."""

from __future__ import annotations

from oddtwin.core.language import tr
from oddtwin.core.outlook import Budget, budget_of, budget_sentence
from oddtwin.core.quantities import format_minutes, format_number, with_unit
from oddtwin.core.study import Study
from oddtwin.ui.widgets import Card, fill_table, heading, label, plain_table


class BudgetCard(Card):
    """Hours, grams by spool against what is left, and money."""

    def __init__(self) -> None:
        super().__init__()
        self._sentence = label("", "lead")
        self._sentence.setObjectName("budgetSentence")
        self._table = plain_table("budget", ("", tr("Takes"), tr("Note")))
        self.add(heading(tr("Budget")), self._sentence, self._table)

    def refresh(self, study: Study) -> None:
        """Show what the runs of a study take."""
        budget = budget_of(study)
        self._sentence.setText(budget_sentence(budget, study.rates.currency))
        fill_table(self._table, [*_hours(budget), *_grams(budget), *_money(budget, study)], fit_height=True)


def _hours(budget: Budget) -> list[tuple[str, str, str]]:
    unknown = (
        tr("no estimate for {unknown}", unknown=", ".join(budget.unknown))
        if budget.unknown
        else tr("by the estimates of the pieces")
    )
    return [
        (tr("Printing"), format_minutes(budget.printing_min), unknown),
        (
            tr("Heating, homing, levelling"),
            format_minutes(budget.overhead_min),
            tr("by machine, under Machines"),
        ),
        (
            tr("Switching between arms"),
            format_minutes(budget.switching_min),
            tr("by the minutes of the levels, under Ask"),
        ),
        (tr("Recalibration checks"), format_minutes(budget.checking_min), tr("each time an arm is entered")),
        (tr("Hands"), format_minutes(budget.hands_min), tr("to take prints off and start the next")),
    ]


def _grams(budget: Budget) -> list[tuple[str, str, str]]:
    lines = [
        (tr("Plastic in the parts"), with_unit(format_number(budget.part_g, 0), "g"), ""),
        (tr("Plastic wasted"), with_unit(format_number(budget.waste_g, 0), "g"), ""),
    ]
    for use in budget.spools:
        left = (
            tr("not weighed")
            if use.left_g is None
            else tr("{left_g} g left", left_g=format_number(use.left_g, 0))
        )
        short = tr(": {short_g} g too few", short_g=format_number(use.short_g, 0)) if use.short_g else ""
        name = tr("from {use}", use=use.name) if use.name else tr("from spools that are not named yet")
        lines.append(
            (name, with_unit(format_number(use.grams, 0), "g"), f"{left}{short}" if use.name else "")
        )
    return lines


def _money(budget: Budget, study: Study) -> list[tuple[str, str, str]]:
    items = (
        (tr("Filament"), budget.filament, tr("by the price of the spools")),
        (tr("Energy"), budget.energy, tr("by the power of the machines")),
        (tr("Machine hours"), budget.machine, ""),
        (tr("Labour"), budget.labour, tr("switching, checks and hands")),
        (tr("What the levels cost"), budget.fittings, tr("each once, under Ask")),
    )
    return [
        (name, f"{format_number(value, 2)} {study.rates.currency}", note)
        for name, value, note in items
        if value
    ]
