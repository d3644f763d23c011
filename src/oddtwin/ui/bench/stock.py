"""What lies in the workshop: spools with what is left on them, and containers with what they weigh empty."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtWidgets import QCheckBox, QGridLayout

from oddtwin import operations
from oddtwin.core.language import tr, trn
from oddtwin.core.predicted import said_of_spool
from oddtwin.core.quantities import format_number, format_reading, now, with_unit
from oddtwin.core.study import Container, Spool, days_between
from oddtwin.store import left_on, load_containers, load_spools
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
    plain_tip,
    row,
    set_quietly,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench

HEAD = (
    tr("Spool"),
    tr("Price for 1 kg"),
    tr("Weighed, g"),
    tr("Left now, g"),
    tr("Material"),
    tr("Diameter, mm"),
    tr("Density, g/cm³"),
    tr("Abrasive"),
    tr("Dried"),
    "",
)


class SpoolsCard(Card):
    """The spools: prices, what is left after the prints since they were weighed, and when they were dried."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._left: dict[int, float | None] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for column, text in enumerate(HEAD):
            grid.addWidget(column_label(text), 0, column)
        grid.setColumnStretch(len(HEAD) + 1, 1)
        self._rows: Rows[Spool] = Rows(grid, self._make_row)
        self._name = LineField("newSpool", tr("Name of a spool, with its lot"), 320)
        self._name.entered.connect(self._on_add_clicked)
        self.add(
            heading(tr("Spools")),
            label(
                tr(
                    "What prints take is taken off what was weighed; weighed again, it begins "
                    "anew. A plan says whether what is left is enough, and a timetable never "
                    "uses one twice at once."
                ),
                "quiet",
            ),
            grid,
            row(self._name, button(tr("Add the spool"), self._on_add_clicked, name="addSpool"), None),
        )

    def refresh(self) -> None:
        """Show the spools as they are now."""
        with self._workbench.book.reading() as connection:
            spools = load_spools(connection)
            self._left = {spool.id: left_on(connection, spool) for spool in spools}
        self._rows.refresh(spools)

    def _make_row(self, spool: Spool) -> FieldRow[Spool]:
        def edit(**values: Any) -> None:
            self._workbench.do(operations.edit_spool, spool_id=spool.id, name=spool.name, **values)

        def number(field: str, unit: str, hint: str, empty: float | None) -> QuantityField:
            made = QuantityField(f"{field.split('_')[0]}-{spool.id}", unit, hint, 80)
            made.quantity_committed.connect(lambda values: edit(**{field: values[0] if values else empty}))
            return made

        price = number("price_per_kg", "", "0", 0.0)
        weighed = number("left_g", "g", tr("not yet"), None)
        diameter = number("diameter_mm", "mm", "1.75", None)
        density = number("density_g_cm3", "", "1.24", None)
        material = LineField(f"material-{spool.id}", tr("such as PLA"), 96)
        material.committed.connect(lambda text: edit(material=text.strip()))
        left = label("", wrap=False)
        left.setObjectName(f"leftNow-{spool.id}")
        abrasive = QCheckBox()
        abrasive.setObjectName(f"abrasive-{spool.id}")
        abrasive.setAccessibleName(tr("{spool} is abrasive", spool=spool.name))
        abrasive.clicked.connect(lambda on: edit(abrasive=on))
        dried = button("", lambda: edit(dried=now()), name=f"dried-{spool.id}")
        dried.setToolTip(plain_tip(tr("{spool} was dried just now", spool=spool.name)))
        remove = IconButton(
            self._theme,
            "remove",
            tr("Take {spool} out of the workshop", spool=spool.name),
            partial(self._workbench.do, operations.remove_spool, spool_id=spool.id, name=spool.name),
        )

        def show(value: Spool) -> None:
            name.show_text(value.name)
            name.setToolTip(plain_tip(value.name))
            price.show_values([value.price_per_kg] if value.price_per_kg else [])
            material.show_text(value.material)
            density.edit.setPlaceholderText(format_reading(said_of_spool(value).usual.density_g_cm3))
            for field, stored in (
                (weighed, value.left_g),
                (diameter, value.diameter_mm),
                (density, value.density_g_cm3),
            ):
                field.show_values([] if stored is None else [stored])
            weighed.setToolTip(
                tr("weighed {weighed:%Y-%m-%d %H:%M}", weighed=value.weighed) if value.weighed else ""
            )
            there = self._left[value.id]
            left.setText("" if there is None else format_number(there, 0))
            set_quietly(abrasive, abrasive.setChecked, value.abrasive)
            dried.setText(_dried_words(value))

        name = LineField(f"spoolName-{spool.id}", tr("Name of the spool"), 170)
        name.edit.setAccessibleName(tr("Name of the spool"))
        name.committed.connect(
            lambda text: self._workbench.do(operations.rename_spool, spool_id=spool.id, name=text)
        )
        return FieldRow(
            [name, price, weighed, left, material, diameter, density, abrasive, dried, remove], show
        )

    def _on_add_clicked(self) -> None:
        if self._workbench.do(operations.add_spool, name=self._name.text()):
            self._name.clear()


def _dried_words(spool: Spool) -> str:
    if spool.dried is None:
        return tr("Dried now")
    days = days_between(spool.dried, now())
    return (
        tr("Dried today")
        if not days
        else tr("Dried {days} {part} ago", days=days, part=trn("day", "days", days))
    )


class ContainersCard(Card):
    """What prints are weighed in: a bowl or a bag, whose own weight is taken off."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setColumnStretch(3, 1)
        self._rows: Rows[Container] = Rows(grid, self._make_row, first=0)
        self._name = LineField("newContainer", tr("A bowl, a bag, a tray"), 240)
        self._tare = QuantityField("newTare", "g", tr("empty, g"), 110)
        add = button(tr("Remember it"), self._on_add_clicked, name="addContainer")
        self.add(
            heading(tr("Containers")),
            label(
                tr("What is weighed in one has its weight taken off: choose it beside the readings, once."),
                "quiet",
            ),
            grid,
            row(self._name, self._tare, add, None),
        )

    def refresh(self) -> None:
        """Show the containers as they are now."""
        with self._workbench.book.reading() as connection:
            self._rows.refresh(load_containers(connection))

    def _make_row(self, container: Container) -> FieldRow[Container]:
        weight = label("", wrap=False)
        remove = IconButton(
            self._theme,
            "remove",
            tr("Forget {container}", container=container.name),
            partial(
                self._workbench.do,
                operations.remove_container,
                container_id=container.id,
                name=container.name,
            ),
        )

        def show(value: Container) -> None:
            weight.setText(with_unit(format_number(value.tare_g), "g"))

        return FieldRow([label(container.name, wrap=False), weight, remove], show)

    def _on_add_clicked(self) -> None:
        try:
            tare = self._tare.value(0.0)
        except ValueError as error:
            self._tare.show_error(f"{error}")
            return
        if tare <= 0:
            self._tare.show_error(tr("Weigh it empty, and type what it weighs."))
            return
        if self._workbench.do(operations.put_container, name=self._name.text(), tare_g=tare):
            self._name.clear()
            self._tare.clear()
