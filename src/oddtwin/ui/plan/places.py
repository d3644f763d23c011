"""Where to print: machines and pieces to tick, and new ones to add."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QVBoxLayout

from oddtwin import operations
from oddtwin.core.study import Machine, Piece
from oddtwin.ui.widgets import (
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


class MachinesCard(QFrame):
    """A box to tick for each machine; ``chosen`` is emitted when the ticks change."""

    chosen = Signal()

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self.setProperty("card", True)
        self._workbench = workbench
        self._boxes: dict[int, QCheckBox] = {}
        grid = QGridLayout()
        self._rows: Rows[Machine] = Rows(grid, self._make_row, first=0)
        self._ticked: set[int] = set()
        self._name = LineField("planMachine", "Name of a machine")
        self._name.entered.connect(self._on_add_clicked)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 16)
        layout.setSpacing(10)
        layout.addWidget(heading("Machines"))
        layout.addLayout(grid)
        layout.addLayout(row(self._name, button("Add", self._on_add_clicked, name="planAddMachine")))
        layout.addStretch(1)

    def ticked(self) -> list[int]:
        """Ids of the ticked machines, in the order shown."""
        return [key for key, box in self._boxes.items() if box.isChecked()]

    def refresh(self, machines: Sequence[Machine], ticked: Sequence[int] | None) -> None:
        """Show machines; with ``ticked`` None the ticks stay as they are."""
        if ticked is not None:
            self._ticked = set(ticked)
        else:
            self._ticked = set(self.ticked())
        self._boxes = {key: box for key, box in self._boxes.items() if key in {m.id for m in machines}}
        self._rows.refresh(machines)

    def _make_row(self, machine: Machine) -> FieldRow[Machine]:
        box = QCheckBox()
        box.setObjectName(f"machine-{machine.name}")
        box.toggled.connect(self.chosen)
        self._boxes[machine.id] = box

        def show(value: Machine) -> None:
            box.setText(value.name)
            set_quietly(box, box.setChecked, value.id in self._ticked)

        return FieldRow([box], show)

    def _on_add_clicked(self) -> None:
        record = self._workbench.do(operations.add_machine, name=self._name.text())
        if record is not None:
            self._name.clear()
            self._boxes[record.new_id("machine")].setChecked(True)


class PiecesCard(QFrame):
    """A box to tick for each piece, with its zones and what one print takes."""

    chosen = Signal()

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self.setProperty("card", True)
        self._workbench = workbench
        self._boxes: dict[int, QCheckBox] = {}
        self._ticked: set[int] = set()
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for column, text in enumerate(("Piece", "Zones to grade", "Time, min", "Part, g", "Waste, g")):
            grid.addWidget(column_label(text), 0, column)
        grid.setColumnStretch(0, 2)
        grid.setColumnStretch(1, 3)
        self._rows: Rows[Piece] = Rows(grid, self._make_row)
        self._name = LineField("planPiece", "Name of a piece")
        self._name.entered.connect(self._on_add_clicked)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 16)
        layout.setSpacing(10)
        layout.addWidget(heading("Pieces, and what one print takes"))
        layout.addWidget(label("A piece must show the fault that the change could move.", "quiet"))
        layout.addLayout(grid)
        layout.addLayout(row(self._name, button("Add", self._on_add_clicked, name="planAddPiece"), None))
        layout.addStretch(1)

    def ticked(self) -> list[int]:
        """Ids of the ticked pieces, in the order shown."""
        return [key for key, box in self._boxes.items() if box.isChecked()]

    def refresh(self, pieces: Sequence[Piece], ticked: Sequence[int] | None) -> None:
        """Show pieces; with ``ticked`` None the ticks stay as they are."""
        if ticked is not None:
            self._ticked = set(ticked)
        else:
            self._ticked = set(self.ticked())
        self._boxes = {key: box for key, box in self._boxes.items() if key in {p.id for p in pieces}}
        self._rows.refresh(pieces)

    def _make_row(self, piece: Piece) -> FieldRow[Piece]:
        def edit(**values: Any) -> None:
            self._workbench.do(operations.edit_piece, self, piece_id=piece.id, name=piece.name, **values)

        box = QCheckBox(piece.name)
        box.setObjectName(f"piece-{piece.name}")
        box.toggled.connect(self.chosen)
        self._boxes[piece.id] = box
        zones = LineField(f"zones-{piece.name}", "lid; hinge; base")
        zones.committed.connect(
            lambda text: edit(zones=list(dict.fromkeys(z.strip() for z in text.split(";") if z.strip())))
        )
        numbers = {
            "minutes": QuantityField(f"minutes-{piece.name}", "min", "1h37", 84),
            "part_g": QuantityField(f"part-{piece.name}", "g", "g", 72),
            "waste_g": QuantityField(f"waste-{piece.name}", "g", "g", 72),
        }
        for field, widget in numbers.items():
            widget.quantity_committed.connect(
                lambda values, field=field: edit(**{field: values[0] if values else 0.0})
            )

        def show(value: Piece) -> None:
            set_quietly(box, box.setChecked, value.id in self._ticked)
            zones.show_text("; ".join(value.zones))
            for field, widget in numbers.items():
                stored = getattr(value, field)
                widget.show_values([stored] if stored else [])

        return FieldRow([box, zones, *numbers.values()], show)

    def _on_add_clicked(self) -> None:
        record = self._workbench.do(operations.add_piece, name=self._name.text())
        if record is not None:
            self._name.clear()
            self._boxes[record.new_id("piece")].setChecked(True)
