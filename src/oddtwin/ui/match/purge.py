"""The purge ledger of the files, and what would make it smaller."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from oddtwin.core.quantities import capitalized, format_number, with_unit
from oddtwin.core.toolpath.gcode import Feature
from oddtwin.ui.match.shelf import Shelf
from oddtwin.ui.match.waiting import Waiting
from oddtwin.ui.widgets import (
    Card,
    QuantityField,
    choose,
    column_label,
    fill_table,
    heading,
    label,
    plain_table,
    row,
    spin_box,
)

if TYPE_CHECKING:
    from oddtwin.core.toolpath.match import MatchFile
    from oddtwin.core.toolpath.purge import PurgePair
    from oddtwin.core.toolpath.sliced import Sliced

MULTIPLIERS = (1.0, 0.8, 0.6, 0.5, 0.4, 0.3, 0.2, 0.1)
COPIES = (1, 2, 3, 4, 6, 8)


class PurgePanel(QWidget):
    """Purge by pair of colours, at other multipliers, for more pieces, and in the best order."""

    def __init__(self, shelf: Shelf) -> None:
        super().__init__()
        self._shelf = shelf
        self._files: list[MatchFile] = []
        self._file = QComboBox()
        self._file.setObjectName("purgeFile")
        self._file.currentIndexChanged.connect(self._show)
        self._sentence = label("", "lead")
        self._sentence.setObjectName("purgeSentence")
        self._pairs = plain_table(
            "purgePairs", ("From tool", "To tool", "Changes", "mm³ each", "mm³ in all", "g in all")
        )
        self._minimum = QuantityField("purgeMinimum", "", "0", 110)
        self._minimum.quantity_committed.connect(lambda _: self._show())
        self._copies = spin_box("purgeCopies", 1, 99)
        self._copies.valueChanged.connect(self._show)
        self._multiplied = plain_table(
            "purgeMultiplied", ("Multiplier", "mm³", "g", "Changes at the minimum")
        )
        self._shared = plain_table("purgeShared", ("Pieces on the plate", "Waste for each, g"))
        self._floor, self._order = label(""), label("")
        self._floor.setObjectName("purgeFloor")
        self._order.setObjectName("purgeOrder")
        self._ledger = Card(heading("Ledger"), self._pairs, self._order)
        self._less = Card(
            heading("With less"),
            row(column_label("Machine’s least purge for a change, mm³"), self._minimum, None),
            self._floor,
            self._multiplied,
        )
        self._plate = Card(
            heading("More pieces on a plate"),
            label("All pieces of a plate share the same changes of colour.", "quiet"),
            row(column_label("Pieces on this plate"), self._copies, None),
            self._shared,
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(Card(heading("Purge"), Waiting(shelf), row(self._file, None), self._sentence))
        for card in (self._ledger, self._less, self._plate):
            layout.addWidget(card)
        shelf.loaded.connect(self.refresh)

    def refresh(self) -> None:
        """Show the files that are read; those that are not are read now."""
        if self.isHidden():
            return
        files = self._shelf.files()
        self._file.setVisible(bool(files))
        if files is not self._files or not files:
            self._files = files
            choose(
                self._file,
                [(file.name, place) for place, file in enumerate(files)],
                self._file.currentData() or 0,
            )
            self._show()

    def _show(self) -> None:
        from oddtwin.core.toolpath.purge import purge_ledger, purge_pairs

        sliced = self._files[self._file.currentData() or 0].sliced if self._files else None
        pairs = purge_pairs(purge_ledger(sliced)) if sliced else []
        for card in (self._ledger, self._less, self._plate):
            card.setVisible(bool(pairs))
        if sliced is None:
            self._sentence.setText("" if self._shelf.complete else "Choose the files under Files first.")
            return
        if not pairs:
            self._sentence.setText("There is no change of colour in this file, so nothing is purged for one.")
            return
        self._show_pairs(sliced, pairs)
        self._show_less(sliced, pairs)

    def _show_pairs(self, sliced: Sliced, pairs: list[PurgePair]) -> None:
        volume = sum(pair.volume_mm3 for pair in pairs)
        changes = sum(pair.changes for pair in pairs)
        grams = sliced.filament.grams(volume)
        share = 100 * grams / max(sliced.mass_g, 1e-9)
        tower = sliced.by_feature().get(Feature.TOWER)
        inside = tower.mass_g if tower else 0.0
        self._sentence.setText(
            f"{changes} changes of colour purge {with_unit(format_number(volume, 0), 'mm³')}, "
            f"{with_unit(format_number(grams, 2), 'g')}: {share:.0f} % of all that is printed. "
            f"The tower takes {with_unit(format_number(inside, 2), 'g')}."
        )
        rows = [
            (
                str(pair.before),
                str(pair.after),
                str(pair.changes),
                format_number(pair.each_mm3, 1),
                format_number(pair.volume_mm3, 0),
                format_number(sliced.filament.grams(pair.volume_mm3), 2),
            )
            for pair in pairs
        ]
        fill_table(self._pairs, rows, fit_height=True)
        self._order.setText(_order(pairs))

    def _show_less(self, sliced: Sliced, pairs: list[PurgePair]) -> None:
        from oddtwin.core.toolpath.purge import minimum_multiplier, purge_outlook, waste_per_piece

        try:
            minimum = max(0.0, self._minimum.value(0.0))
        except ValueError as error:
            self._minimum.show_error(f"{capitalized(str(error))}.")
            return
        held = minimum_multiplier(pairs, minimum)
        self._floor.setText(
            f"Below a multiplier of {format_number(held, 2)} every change is held by the minimum: "
            "less does nothing."
            if minimum
            else "Type the machine’s minimum to see where a smaller multiplier stops helping."
        )
        rows = []
        for multiplier in MULTIPLIERS:
            found = purge_outlook(pairs, multiplier, minimum)
            grams = sliced.filament.grams(found.volume_mm3)
            rows.append(
                (
                    format_number(multiplier, 1),
                    format_number(found.volume_mm3, 0),
                    format_number(grams, 2),
                    str(found.at_minimum),
                )
            )
        fill_table(self._multiplied, rows, fit_height=True)
        volume = sum(pair.volume_mm3 for pair in pairs)
        shared = waste_per_piece(volume, self._copies.value(), COPIES)
        # What one plate purges is the same, however many pieces share it.
        each_piece = [
            (str(number), format_number(sliced.filament.grams(each), 2))
            for number, each in zip(COPIES, shared, strict=True)
        ]
        fill_table(self._shared, each_piece, fit_height=True)


def _order(pairs: list[PurgePair]) -> str:
    """Say in which order the colours purge least, where every pair of them is known."""
    from oddtwin.core.toolpath.purge import best_order

    volume = {(pair.before, pair.after): pair.each_mm3 for pair in pairs}
    colours = sorted({colour for pair in volume for colour in pair})
    try:
        order, least = best_order(colours, volume)
    except ValueError as error:
        return f"The best order of colours cannot be told: {error}."
    names = " → ".join(f"tool {colour}" for colour in order)
    volume_words = with_unit(format_number(least, 0), "mm³")
    return f"In the order {names} one pass through all colours purges least: {volume_words}."
