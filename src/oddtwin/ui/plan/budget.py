"""The budget of the plan, item by item."""

from __future__ import annotations

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
        self._table = plain_table("budget", ("", "Takes", "Note"))
        self.add(heading("Budget"), self._sentence, self._table)

    def refresh(self, study: Study) -> None:
        """Show what the runs of a study take."""
        budget = budget_of(study)
        self._sentence.setText(budget_sentence(budget, study.rates.currency))
        fill_table(self._table, [*_hours(budget), *_grams(budget), *_money(budget, study)], fit_height=True)


def _hours(budget: Budget) -> list[tuple[str, str, str]]:
    unknown = (
        f"no estimate for {', '.join(budget.unknown)}" if budget.unknown else "by the estimates of the pieces"
    )
    return [
        ("Printing", format_minutes(budget.printing_min), unknown),
        ("Heating, homing, levelling", format_minutes(budget.overhead_min), "by machine, under Machines"),
        (
            "Switching between arms",
            format_minutes(budget.switching_min),
            "by the minutes of the levels, under Ask",
        ),
        ("Recalibration checks", format_minutes(budget.checking_min), "each time an arm is entered"),
        ("Hands", format_minutes(budget.hands_min), "to take prints off and start the next"),
    ]


def _grams(budget: Budget) -> list[tuple[str, str, str]]:
    lines = [
        ("Plastic in the parts", with_unit(format_number(budget.part_g, 0), "g"), ""),
        ("Plastic wasted", with_unit(format_number(budget.waste_g, 0), "g"), ""),
    ]
    for use in budget.spools:
        left = "not weighed" if use.left_g is None else f"{format_number(use.left_g, 0)} g left"
        short = f": {format_number(use.short_g, 0)} g too few" if use.short_g else ""
        name = f"from {use.name}" if use.name else "from spools that are not named yet"
        lines.append(
            (name, with_unit(format_number(use.grams, 0), "g"), f"{left}{short}" if use.name else "")
        )
    return lines


def _money(budget: Budget, study: Study) -> list[tuple[str, str, str]]:
    items = (
        ("Filament", budget.filament, "by the price of the spools"),
        ("Energy", budget.energy, "by the power of the machines"),
        ("Machine hours", budget.machine, ""),
        ("Labour", budget.labour, "switching, checks and hands"),
        ("What the levels cost", budget.fittings, "each once, under Ask"),
    )
    return [
        (name, f"{format_number(value, 2)} {study.rates.currency}", note)
        for name, value, note in items
        if value
    ]
