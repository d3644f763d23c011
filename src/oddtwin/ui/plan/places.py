"""Where to print: machines and pieces to tick, and new ones to add."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.study import Machine, Piece
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
    plain_caption,
    plain_tip,
    row,
    set_quietly,
    short,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Operation, Workbench


class TickCard(Card):
    """A box to tick for each thing, and a field to add one; ``chosen`` tells that ticks changed."""

    chosen = Signal()

    def __init__(
        self, workbench: Workbench, theme: Theme, noun: str, add: Operation, remove: Operation
    ) -> None:
        super().__init__()
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(8)
        self._workbench = workbench
        self._theme = theme
        self._noun = noun
        self._add = add
        self._remove = remove
        self._boxes: dict[int, QCheckBox] = {}
        self._ticked: set[int] = set()
        self._order: list[int] = []
        self._name = LineField(f"plan{noun.title()}", tr("Name of a {noun}", noun=tr(noun)))
        self._name.entered.connect(self._on_add_clicked)

    def ticked(self) -> list[int]:
        """Ids of what is ticked, in the order shown."""
        return [key for key in self._order if self._boxes[key].isChecked()]

    def show_things(self, rows: Rows[Any], things: Sequence[Any], ticked: Sequence[int] | None) -> None:
        """Show things in their rows; with ``ticked`` None the ticks stay as they are."""
        self._ticked = set(self.ticked() if ticked is None else ticked)
        self._order = [thing.id for thing in things]
        rows.refresh(things)

    def finish(self) -> None:
        """Put the grid and the field for a new thing below what was added so far."""
        adding = button(tr("Add"), self._on_add_clicked, name=f"planAdd{self._noun.title()}")
        self.add(self.grid, row(self._name, adding))
        self.body.addStretch(1)

    def box(self, thing: Any) -> QCheckBox:
        """Make the box of a thing."""
        box = QCheckBox(plain_caption(short(thing.name, 17)))
        box.setToolTip(plain_tip(thing.name))
        box.setObjectName(f"{self._noun}-{thing.name}")
        box.toggled.connect(self.chosen)
        self._boxes[thing.id] = box
        return box

    def remover(self, thing: Any) -> IconButton:
        """Make the button that takes a thing out of the workshop."""
        arguments = {f"{self._noun}_id": thing.id, "name": thing.name}
        act = partial(self._workbench.do, self._remove, **arguments)
        return IconButton(
            self._theme, "remove", tr("Take {thing} out of the workshop", thing=thing.name), act
        )

    def show_tick(self, thing: Any) -> None:
        """Show in the box of a thing whether it is ticked."""
        box = self._boxes[thing.id]
        set_quietly(box, box.setChecked, thing.id in self._ticked)

    def _on_add_clicked(self) -> None:
        record = self._workbench.do(self._add, name=self._name.text())
        if record is not None:
            self._name.clear()
            self._boxes[record.new_id(self._noun)].setChecked(True)


class MachinesCard(TickCard):
    """The machines of the workshop."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__(workbench, theme, "machine", operations.add_machine, operations.remove_machine)
        self._rows: Rows[Machine] = Rows(self.grid, self._make_row, first=0)
        self.grid.setColumnStretch(0, 1)
        self.add(heading(tr("Machines")))
        self.finish()

    def refresh(self, machines: Sequence[Machine], ticked: Sequence[int] | None) -> None:
        """Show machines; with ``ticked`` None the ticks stay as they are."""
        self.show_things(self._rows, machines, ticked)

    def _make_row(self, machine: Machine) -> FieldRow[Machine]:
        return FieldRow([self.box(machine), self.remover(machine)], self.show_tick)


class PiecesCard(TickCard):
    """The pieces of the workshop, with their zones and what one print takes."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__(workbench, theme, "piece", operations.add_piece, operations.remove_piece)
        for column, text in enumerate(
            (tr("Piece"), tr("Zones to grade"), tr("Time, min"), tr("Part, g"), tr("Waste, g"))
        ):
            self.grid.addWidget(column_label(text), 0, column)
        self.grid.setColumnStretch(0, 2)
        self.grid.setColumnStretch(1, 3)
        self._rows: Rows[Piece] = Rows(self.grid, self._make_row)
        self.add(heading(tr("Pieces, and what one print takes")))
        self.add(label(tr("A piece must show the fault that the change could move."), "quiet"))
        self.finish()

    def refresh(self, pieces: Sequence[Piece], ticked: Sequence[int] | None) -> None:
        """Show pieces; with ``ticked`` None the ticks stay as they are."""
        self.show_things(self._rows, pieces, ticked)

    def _make_row(self, piece: Piece) -> FieldRow[Piece]:
        def edit(**values: Any) -> None:
            self._workbench.do(operations.edit_piece, piece_id=piece.id, name=piece.name, **values)

        zones = LineField(f"zones-{piece.name}", tr("lid; hinge; base"))
        zones.committed.connect(
            lambda text: edit(zones=list(dict.fromkeys(z.strip() for z in text.split(";") if z.strip())))
        )
        numbers = {
            "minutes": QuantityField(f"minutes-{piece.name}", "min", "1h25", 84),
            "part_g": QuantityField(f"part-{piece.name}", "g", "g", 72),
            "waste_g": QuantityField(f"waste-{piece.name}", "g", "g", 72),
        }
        for field, widget in numbers.items():
            widget.quantity_committed.connect(
                lambda values, field=field: edit(**{field: values[0] if values else 0.0})
            )

        def show(value: Piece) -> None:
            self.show_tick(value)
            zones.show_text("; ".join(value.zones))
            for field, widget in numbers.items():
                stored = getattr(value, field)
                widget.show_values([stored] if stored else [])

        return FieldRow([self.box(piece), zones, *numbers.values(), self.remover(piece)], show)


class SpoolsRow(QWidget):
    """A box to tick for each spool; the blocks take the ticked ones in turn."""

    chosen = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._boxes: dict[str, QCheckBox] = {}
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(14)
        self._layout.addWidget(column_label(tr("Spools, in turn")))
        self._layout.addStretch(1)

    def ticked(self) -> list[str]:
        """Names of the ticked spools, in the order shown."""
        return [name for name, box in self._boxes.items() if box.isChecked()]

    def refresh(self, names: Sequence[str], ticked: Sequence[str] | None) -> None:
        """Show spools; with ``ticked`` None the ticks stay as they are."""
        chosen = set(self.ticked() if ticked is None else ticked)
        if list(self._boxes) != list(names):
            for box in self._boxes.values():
                self._layout.removeWidget(box)
                box.hide()
                box.deleteLater()
            self._boxes = {}
            for place, name in enumerate(names, 1):
                box = QCheckBox(plain_caption(short(name, 24)))
                box.setObjectName(f"spool-{name}")
                box.setToolTip(plain_tip(name))
                box.toggled.connect(self.chosen)
                self._boxes[name] = box
                self._layout.insertWidget(place, box)
        for name, box in self._boxes.items():
            set_quietly(box, box.setChecked, name in chosen)
        self.setVisible(bool(names))
