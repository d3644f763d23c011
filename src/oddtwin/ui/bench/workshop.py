"""The workshop: what it pays, and when somebody is there; spools and containers stand above."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.study import Rates
from oddtwin.store import load_rates
from oddtwin.ui.bench.floors import FloorsCard
from oddtwin.ui.bench.stock import ContainersCard, SpoolsCard
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    LineField,
    QuantityField,
    column_label,
    heading,
    label,
    set_quietly,
)
from oddtwin.ui.workbench import Workbench

_MONEY = (
    ("energy_per_kwh", "", tr("Energy, for one kWh")),
    ("labour_per_h", "", tr("Hands, for one hour")),
    ("hands_min", "min", tr("Hands for one print, minutes")),
    ("check_min", "min", tr("One recalibration check, minutes")),
)


class WorkshopPanel(QWidget):
    """Spools with their price and what is left; what the workshop pays; its hours."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._spools = SpoolsCard(workbench, theme)
        self._containers = ContainersCard(workbench, theme)
        self._cards = (self._spools, self._containers, self._rates_card())
        self._floors = FloorsCard(workbench)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        for card in self._cards:
            layout.addWidget(card)
        layout.addWidget(self._floors)
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show spools and figures as they are now."""
        with self._workbench.book.reading() as connection:
            rates = load_rates(connection)
        self._spools.refresh()
        self._containers.refresh()
        self._show_rates(rates)
        self._floors.refresh()
        for card in self._cards:
            card.setEnabled(self._workbench.can_edit)

    def _rates_card(self) -> Card:
        self._currency = LineField("currency", "€", 110)
        self._currency.committed.connect(lambda text: self._edit(currency=text.strip()))
        self._numbers = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.addWidget(column_label(tr("Currency")), 0, 0)
        grid.addWidget(self._currency, 0, 1)
        for line, (name, unit, text) in enumerate(_MONEY, 1):
            field = QuantityField(f"rate-{name}", unit, "0", 110)
            field.quantity_committed.connect(
                lambda values, name=name: self._edit(**{name: values[0] if values else 0.0})
            )
            self._numbers[name] = field
            grid.addWidget(column_label(text), line, 0)
            grid.addWidget(field, line, 1)
        self._hours = {"weekdays": LineField("hoursWeekdays"), "weekend": LineField("hoursWeekend")}
        for line, (name, text) in enumerate(
            (("weekdays", tr("Somebody is there, Monday to Friday")), ("weekend", tr("Saturday and Sunday")))
        ):
            self._hours[name].committed.connect(lambda hours, name=name: self._edit(**{name: hours}))
            grid.addWidget(column_label(text), line, 3)
            grid.addWidget(self._hours[name], line, 4)
        self._overnight = QCheckBox(tr("Prints may run through the night"))
        self._overnight.toggled.connect(lambda on: self._edit(overnight=on))
        grid.addWidget(self._overnight, 2, 4)
        grid.addWidget(
            label(
                tr(
                    "Only with a smoke alarm, where the maker’s instructions and your local "
                    "rules allow unattended printing."
                ),
                "quiet",
            ),
            3,
            4,
        )
        grid.setColumnMinimumWidth(2, 24)
        grid.setColumnStretch(4, 1)
        return Card(heading(tr("What it costs, and when somebody is there")), grid)

    def _show_rates(self, rates: Rates) -> None:
        self._currency.show_text(rates.currency)
        for name, number in self._numbers.items():
            stored = getattr(rates, name)
            number.show_values([stored] if stored else [])
        for name, field in self._hours.items():
            field.show_text(getattr(rates, name))
        set_quietly(self._overnight, self._overnight.setChecked, rates.overnight)

    def _edit(self, **values: Any) -> None:
        self._workbench.do(operations.edit_rates, **values)
