"""The library of pieces: faults they can show, zones, nominal sizes, and what a print takes by machine."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.language import tr
from oddtwin.core.quantities import QuantityError, format_reading
from oddtwin.core.study import Machine, NominalSize, Piece
from oddtwin.store import load_machines, load_pieces
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    QuantityField,
    button,
    column_label,
    label,
    plain_caption,
    row,
    set_quietly,
)
from oddtwin.ui.widgets.place import typed_quantity
from oddtwin.ui.workbench import Workbench

_FAULT_COLUMNS = 4
_TAKES = (
    ("minutes", "min", tr("Time, min")),
    ("part_g", "g", tr("Part, g")),
    ("waste_g", "g", tr("Waste, g")),
)


class PiecesPanel(QWidget):
    """A card for each piece, and a field for a new one."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._cards: dict[int, PieceCard] = {}
        self._name = LineField("newPiece", tr("Name of a new piece"))
        self._add = button(tr("Add the piece"), self._on_add_clicked, name="addPiece")
        self._name.entered.connect(self._on_add_clicked)
        self._list = QVBoxLayout()
        self._list.setSpacing(12)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        top = row(self._name, self._add)
        top.setStretch(0, 1)
        layout.addLayout(top)
        layout.addWidget(
            label(
                tr(
                    "A piece must show the fault that a change could move. Tick what each one "
                    "can show; a study then says which watched fault no chosen piece can show."
                ),
                "quiet",
            )
        )
        layout.addLayout(self._list)
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show the pieces as they are now."""
        with self._workbench.book.reading() as connection:
            machines, pieces = load_machines(connection), load_pieces(connection)
        known = [machine.id for machine in machines]
        for gone in set(self._cards) - {piece.id for piece in pieces}:
            self._drop(gone)
        for place, piece in enumerate(pieces):
            card = self._cards.get(piece.id)
            if card is not None and card.machine_ids != known:
                self._drop(piece.id)
                card = None
            if card is None:
                card = self._cards[piece.id] = PieceCard(piece, machines, self._workbench, self._theme)
                self._list.insertWidget(place, card)
            card.refresh(piece)
            card.setEnabled(self._workbench.can_edit)
        for part in (self._name, self._add):
            part.setEnabled(self._workbench.can_edit)

    def _drop(self, piece_id: int) -> None:
        card = self._cards.pop(piece_id)
        self._list.removeWidget(card)
        card.hide()
        card.deleteLater()

    def _on_add_clicked(self) -> None:
        if self._workbench.do(operations.add_piece, name=self._name.text()):
            self._name.clear()


class PieceCard(Card):
    """One piece."""

    def __init__(self, piece: Piece, machines: list[Machine], workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._piece = piece
        self.machine_ids = [machine.id for machine in machines]
        removing = IconButton(
            theme, "remove", tr("Take {piece} out of the workshop", piece=piece.name), self._on_remove_clicked
        )
        self._zones = LineField(f"zones-{piece.id}", tr("lid; hinge; base"))
        self._sizes = LineField(f"sizes-{piece.id}", tr("width 40; slot 3.2 (in mm)"))
        self._zones.committed.connect(self._on_zones_committed)
        self._sizes.committed.connect(self._on_sizes_committed)
        parts = QGridLayout()
        parts.setHorizontalSpacing(10)
        for line, (text, field) in enumerate(
            ((tr("Zones to grade"), self._zones), (tr("Nominal sizes"), self._sizes))
        ):
            parts.addWidget(column_label(text), line, 0)
            parts.addWidget(field, line, 1)
        self._boxes: dict[str, QCheckBox] = {}
        faults = QGridLayout()
        faults.setVerticalSpacing(2)
        for place, fault in enumerate(customs.FAULTS):
            box = QCheckBox(plain_caption(fault))
            box.setObjectName(f"fault-{piece.id}-{fault}")
            box.toggled.connect(self._on_fault_toggled)
            self._boxes[fault] = box
            faults.addWidget(box, place // _FAULT_COLUMNS, place % _FAULT_COLUMNS)
        self._takes: dict[tuple[int, str], QuantityField] = {}
        takes = QGridLayout()
        takes.setHorizontalSpacing(8)
        for column, (_, _, text) in enumerate(_TAKES, 1):
            takes.addWidget(column_label(text), 0, column)
        for line, machine in enumerate([None, *machines], 1):
            takes.addWidget(
                column_label(tr("on {machine}", machine=machine.name) if machine else tr("usually")), line, 0
            )
            for column, (name, unit, _) in enumerate(_TAKES, 1):
                key = machine.id if machine else 0
                field = QuantityField(f"{name}-{piece.id}-{key}", unit, "", 90)
                field.quantity_committed.connect(partial(self._on_takes_committed, key, name))
                self._takes[key, name] = field
                takes.addWidget(field, line, column)
        takes.setColumnStretch(4, 1)
        self._name = LineField(f"pieceName-{piece.id}", tr("Name of the piece"), 320)
        self._name.edit.setAccessibleName(tr("Name of the piece"))
        self._name.committed.connect(
            lambda text: workbench.do(operations.rename_piece, piece_id=piece.id, name=text)
        )
        self.add(row(self._name, None, removing), parts)
        self.add(column_label(tr("Faults it can show")), faults)
        self.add(label(tr("What one print takes; empty for as usually"), "column", wrap=False), takes)

    def refresh(self, piece: Piece) -> None:
        """Show the piece as it is now."""
        self._name.show_text(piece.name)
        self._piece = piece
        self._zones.show_text("; ".join(piece.zones))
        self._sizes.show_text("; ".join(f"{size.name} {format_reading(size.mm)}" for size in piece.sizes))
        for fault, box in self._boxes.items():
            set_quietly(box, box.setChecked, fault in piece.faults)
        for (machine, name), field in self._takes.items():
            takes = piece.on_machines.get(machine) if machine else piece
            stored = getattr(takes, name) if takes else 0.0
            field.show_values([stored] if stored else [])
            if machine:
                field.edit.setPlaceholderText(format_reading(getattr(piece, name)))

    def _edit(self, **values: Any) -> None:
        self._workbench.do(operations.edit_piece, piece_id=self._piece.id, name=self._piece.name, **values)

    def _on_zones_committed(self, text: str) -> None:
        self._edit(zones=list(dict.fromkeys(part.strip() for part in text.split(";") if part.strip())))

    def _on_sizes_committed(self, text: str) -> None:
        try:
            sizes = [_size(part) for part in text.split(";") if part.strip()]
        except QuantityError as error:
            self._sizes.show_error(str(error))
            return
        self._edit(sizes=[{"name": size.name, "mm": size.mm} for size in sizes])

    def _on_fault_toggled(self) -> None:
        kept = [fault for fault in self._piece.faults if fault not in self._boxes]
        self._edit(faults=[fault for fault, box in self._boxes.items() if box.isChecked()] + kept)

    def _on_takes_committed(self, machine: int, name: str, values: list[float]) -> None:
        value = values[0] if values else 0.0
        if not machine:
            self._edit(**{name: value})
            return
        usual = getattr(self._piece, name)
        self._workbench.do(
            operations.set_estimate,
            piece_id=self._piece.id,
            machine_id=machine,
            name=self._piece.name,
            **{name: value if values else usual},
        )

    def _on_remove_clicked(self) -> None:
        self._workbench.do(operations.remove_piece, piece_id=self._piece.id, name=self._piece.name)


def _size(text: str) -> NominalSize:
    """Read a size such as "slot 3.2" or "width 40 mm"."""
    words = text.split()
    for split in range(len(words) - 1, 0, -1):
        try:
            size = typed_quantity(" ".join(words[split:]), "mm")
            return NominalSize(" ".join(words[:split]), size)
        except QuantityError:
            continue
    raise QuantityError(tr("“{text}”: type a name and a size in mm, such as “slot 3.2”.", text=text.strip()))
