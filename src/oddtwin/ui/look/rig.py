"""How photographs are taken in this workshop: the mat, the rig, and the workshop's own faults."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QComboBox, QGridLayout

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.picture import mat_page
from oddtwin.core.quantities import format_reading
from oddtwin.core.study import WorkshopFault
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    QuantityField,
    button,
    choose,
    column_label,
    heading,
    label,
    row,
    write_typed,
)
from oddtwin.ui.widgets.paper import pdf_of
from oddtwin.ui.widgets.rows import FieldRow, Rows

_FIELDS = (
    ("check_x_mm", tr("Bar across, measured"), "mm"),
    ("check_y_mm", tr("Bar along, measured"), "mm"),
    ("camera_mm", tr("Camera above the mat"), "mm"),
    ("exposure_s", tr("Exposure"), "s"),
)


class RigCard(Card):
    """The photo mat and the rig; a photograph that departs from it is pointed out."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._page = QComboBox()
        self._page.setObjectName("matPage")
        self._page.setAccessibleName(tr("Size of the mat"))
        choose(self._page, [("A4", "a4"), ("Letter", "letter")], "a4")
        self._page.currentIndexChanged.connect(lambda: self._edit(page=self._page.currentData()))
        self._path = LineField("matPath", width=380)
        self._path.show_text(str(Path.home() / "photo-mat.pdf"))
        self._written = label("", "quiet")
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        self._figures: dict[str, QuantityField] = {}
        for column, (name, text, unit) in enumerate(_FIELDS):
            field = QuantityField(f"rig-{name}", unit, unit, 130)
            field.quantity_committed.connect(partial(self._on_figure_committed, name))
            self._figures[name] = field
            grid.addWidget(column_label(text), 0, column)
            grid.addWidget(field, 1, column)
        self._lamps = LineField("rigLamps", tr("lamp left at 30°, 400 mm away; room dark"), width=460)
        self._lamps.committed.connect(lambda text: self._edit(lamps=text))
        grid.setColumnStretch(len(_FIELDS), 1)
        self.add(
            heading(tr("Rig")),
            label(
                tr(
                    "Print the mat at 100 %, measure its two bars once, and leave camera, lamps "
                    "and exposure as they are: no automatic exposure, no HDR. A photograph that "
                    "departs is pointed out."
                ),
                "quiet",
            ),
            grid,
            row(column_label(tr("Lamps")), self._lamps, None),
            row(
                column_label(tr("Mat")),
                self._page,
                self._path,
                button(tr("Write the mat"), self._on_mat_clicked, name="writeMat"),
                None,
            ),
            self._written,
        )
        self._written.hide()

    def refresh(self) -> None:
        """Show how photographs are taken."""
        rig = self._desk.study.rig
        choose(self._page, [("A4", "a4"), ("Letter", "letter")], rig.page)
        for name, field in self._figures.items():
            value = getattr(rig, name)
            field.show_text("" if value is None else format_reading(value))
        self._lamps.show_text(rig.lamps)
        self.setEnabled(self._desk.workbench.can_edit)

    def _edit(self, **values: Any) -> None:
        self._desk.workbench.do(operations.edit_rig, **values)

    def _on_figure_committed(self, name: str, values: list[float]) -> None:
        self._edit(**{name: values[0] if values else None})

    def _on_mat_clicked(self) -> None:
        page = mat_page(self._page.currentData())
        path = write_typed(self._path, ".pdf", pdf_of([page], tr("Odd Twin photo mat")))
        self._written.setText(
            tr("Written: {path}; print it at 100 %, then measure its bars.", path=path) if path else ""
        )
        self._written.setVisible(path is not None)


class FaultsCard(Card):
    """What the workshop calls its faults, by which code, and which light shows them."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._theme = theme
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._grid.setColumnStretch(3, 1)
        self._rows: Rows[WorkshopFault] = Rows(self._grid, self._make_row, first=0)
        self._name = LineField("faultName", tr("fault, as you call it"), width=200)
        self._code = LineField("faultCode", tr("code"), width=80)
        self._light = LineField("faultLight", tr("light that shows it"), width=220)
        add = button(tr("Add the fault"), self._on_add_clicked, name="addFault")
        for field in (self._name, self._code, self._light):
            field.entered.connect(self._on_add_clicked)
        self.add(
            heading(tr("Faults of this workshop")),
            self._grid,
            row(self._name, self._code, self._light, add, None),
        )

    def refresh(self) -> None:
        """Show the workshop's faults."""
        self._rows.refresh(self._desk.study.faults)
        self.setEnabled(self._desk.workbench.can_edit)

    def _make_row(self, fault: WorkshopFault) -> FieldRow[WorkshopFault]:
        name, code, light = (label("", wrap=False) for _ in range(3))
        take_out: Callable[[], Any] = lambda: self._desk.workbench.do(  # noqa: E731
            operations.remove_fault, fault_id=fault.id, name=fault.name
        )
        remove = IconButton(
            self._theme, "remove", tr("Take {fault} out of the list", fault=fault.name), take_out
        )

        def show(now: WorkshopFault) -> None:
            name.setText(now.name)
            code.setText(now.code)
            light.setText(now.light)

        return FieldRow((name, code, light, remove), show)

    def _on_add_clicked(self) -> None:
        record = self._desk.workbench.do(
            operations.add_fault,
            name=self._name.text(),
            code=self._code.text(),
            light=self._light.text(),
        )
        if record is not None:
            for field in (self._name, self._code, self._light):
                field.clear()
            self._name.setFocus()
