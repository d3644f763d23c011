"""The workshop: spools, prices, and when somebody is there."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.predicted import said_of_spool
from oddtwin.core.study import Rates, Spool
from oddtwin.store import load_rates, load_spools
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    QuantityField,
    button,
    column_label,
    heading,
    label,
    row,
    set_quietly,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench

_MONEY = (
    ("energy_per_kwh", "", "Energy, for one kWh"),
    ("labour_per_h", "", "Hands, for one hour"),
    ("hands_min", "min", "Hands for one print, minutes"),
    ("check_min", "min", "One recalibration check, minutes"),
)


class WorkshopPanel(QWidget):
    """Spools with their price and what is left; what the workshop pays; its hours."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._cards = (self._spools_card(), self._rates_card())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        for card in self._cards:
            layout.addWidget(card)
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show spools and figures as they are now."""
        with self._workbench.book.reading() as connection:
            spools, rates = load_spools(connection), load_rates(connection)
        self._rows.refresh(spools)
        self._show_rates(rates)
        for card in self._cards:
            card.setEnabled(self._workbench.can_edit)

    def _spools_card(self) -> Card:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for column, text in enumerate(
            ("Spool", "Price for 1 kg", "Left on it, g", "Material", "Diameter, mm", "Density, g/cm³")
        ):
            grid.addWidget(column_label(text), 0, column)
        grid.setColumnStretch(7, 1)
        self._rows: Rows[Spool] = Rows(grid, self._make_row)
        self._name = LineField("newSpool", "Name of a spool, with its lot", 320)
        self._name.entered.connect(self._on_add_clicked)
        return Card(
            heading("Spools"),
            label(
                "A plan says whether what is left is enough, and a timetable never uses one twice at once.",
                "quiet",
            ),
            grid,
            row(self._name, button("Add the spool", self._on_add_clicked, name="addSpool"), None),
        )

    def _make_row(self, spool: Spool) -> FieldRow[Spool]:
        def edit(field: str, empty: float | None, values: list[float]) -> None:
            changed: dict[str, Any] = {field: values[0] if values else empty}
            self._workbench.do(operations.edit_spool, spool_id=spool.id, name=spool.name, **changed)

        price = QuantityField(f"price-{spool.id}", "", "0", 110)
        left = QuantityField(f"left-{spool.id}", "g", "not weighed", 110)
        price.quantity_committed.connect(partial(edit, "price_per_kg", 0.0))
        left.quantity_committed.connect(partial(edit, "left_g", None))
        diameter = QuantityField(f"diameter-{spool.id}", "mm", "1.75", 110)
        material = LineField(f"material-{spool.id}", "such as PLA", 130)
        material.committed.connect(
            lambda text: self._workbench.do(
                operations.edit_spool, spool_id=spool.id, name=spool.name, material=text.strip()
            )
        )
        density = QuantityField(f"density-{spool.id}", "", "1.24", 110)
        diameter.quantity_committed.connect(partial(edit, "diameter_mm", None))
        density.quantity_committed.connect(partial(edit, "density_g_cm3", None))
        remove = IconButton(
            self._theme,
            "remove",
            f"Take {spool.name} out of the workshop",
            partial(self._workbench.do, operations.remove_spool, spool_id=spool.id, name=spool.name),
        )

        def show(value: Spool) -> None:
            price.show_values([value.price_per_kg] if value.price_per_kg else [])
            material.show_text(value.material)
            density.edit.setPlaceholderText(f"{said_of_spool(value).usual.density_g_cm3:g}")
            for field, stored in (
                (left, value.left_g),
                (diameter, value.diameter_mm),
                (density, value.density_g_cm3),
            ):
                field.show_values([] if stored is None else [stored])

        name = label(spool.name, wrap=False)
        name.setMinimumWidth(240)
        return FieldRow([name, price, left, material, diameter, density, remove], show)

    def _rates_card(self) -> Card:
        self._currency = LineField("currency", "€", 110)
        self._currency.committed.connect(lambda text: self._edit(currency=text.strip()))
        self._numbers = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.addWidget(column_label("Currency"), 0, 0)
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
            (("weekdays", "Somebody is there, Monday to Friday"), ("weekend", "Saturday and Sunday"))
        ):
            self._hours[name].committed.connect(lambda hours, name=name: self._edit(**{name: hours}))
            grid.addWidget(column_label(text), line, 3)
            grid.addWidget(self._hours[name], line, 4)
        self._overnight = QCheckBox("Prints may run through the night")
        self._overnight.toggled.connect(lambda on: self._edit(overnight=on))
        grid.addWidget(self._overnight, 2, 4)
        grid.addWidget(
            label(
                "Only with a smoke alarm, where the maker’s instructions and your local rules allow "
                "unattended printing.",
                "quiet",
            ),
            3,
            4,
        )
        grid.setColumnMinimumWidth(2, 24)
        grid.setColumnStretch(4, 1)
        return Card(heading("What it costs, and when somebody is there"), grid)

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

    def _on_add_clicked(self) -> None:
        if self._workbench.do(operations.add_spool, name=self._name.text()):
            self._name.clear()
