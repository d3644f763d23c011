"""The purge ledger of the files, and what would make it smaller."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from oddtwin.core.quantities import capitalized, format_number, format_signed, parse_number, with_unit
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
    set_quietly,
    spin_box,
)

if TYPE_CHECKING:
    from oddtwin.core.toolpath.match import MatchFile
    from oddtwin.core.toolpath.purge import PurgeLedger, PurgeLimits, PurgePair
    from oddtwin.core.toolpath.sliced import Sliced

MULTIPLIERS = (1.0, 0.8, 0.6, 0.5, 0.4, 0.3, 0.2, 0.1)
COPIES = (1, 2, 3, 4, 6, 8)
MOST_COLOURS = 8
FLOOR = " · least"


class PurgePanel(QWidget):
    """Purge by pair of colours, at other multipliers, for more pieces, and in the best order."""

    def __init__(self, shelf: Shelf) -> None:
        super().__init__()
        self._shelf = shelf
        self._files: list[MatchFile] = []
        self._useful: dict[int, int] = {}
        self._typed: dict[tuple[int, int], float] = {}
        self._file = QComboBox()
        self._file.setObjectName("purgeFile")
        self._file.currentIndexChanged.connect(self._on_file_chosen)
        self._sentence, self._against = label("", "lead"), label("")
        self._sentence.setObjectName("purgeSentence")
        self._against.setObjectName("purgeAgainst")
        self._pairs = plain_table(
            "purgePairs", ("From tool", "To tool", "Changes", "mm³ each", "mm³ in all", "g in all")
        )
        self._least = QuantityField("purgeMinimum", "", "0", 110)
        self._most = QuantityField("purgeMaximum", "", "no limit", 110)
        self._multiplier = QuantityField("purgeMultiplier", "", "1", 110)
        for field in (self._least, self._most, self._multiplier):
            field.quantity_committed.connect(lambda _: self._show())
        self._matrix = QTableWidget()
        self._matrix.setObjectName("purgeMatrix")
        self._matrix.setAccessibleName("mm³ of every change, from the tool of the row to that of the column")
        self._matrix.itemChanged.connect(self._on_cell_changed)
        self._multiplied = plain_table(
            "purgeMultiplied", ("Multiplier", "mm³", "g", "Changes at the minimum")
        )
        self._copies = spin_box("purgeCopies", 1, 99)
        self._copies.valueChanged.connect(self._on_useful_changed)
        self._shared = plain_table(
            "purgeShared", ("Pieces on the plate", "Waste for each, g", "All for each, g", "Hours for each")
        )
        self._floor, self._order, self._source = label(""), label(""), label("", "quiet")
        self._floor.setObjectName("purgeFloor")
        self._order.setObjectName("purgeOrder")
        self._build()
        shelf.loaded.connect(self.refresh)

    def _build(self) -> None:
        self._ledger = Card(heading("Ledger"), self._pairs, self._order)
        self._less = Card(
            heading("With less"),
            row(
                column_label("Least for a change, mm³"),
                self._least,
                column_label("Most, mm³"),
                self._most,
                column_label("Multiplier shown"),
                self._multiplier,
                None,
            ),
            self._source,
            self._matrix,
            self._floor,
            self._multiplied,
        )
        self._plate = Card(
            heading("More pieces on a plate"),
            label(
                "All pieces of a plate share the same changes of colour. A second object that purge goes "
                "into counts as a piece where it is of use: its plastic is no waste.",
                "quiet",
            ),
            row(column_label("Useful pieces on this plate"), self._copies, None),
            self._shared,
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(
            Card(heading("Purge"), Waiting(self._shelf), row(self._file, None), self._sentence, self._against)
        )
        for card in (self._ledger, self._less, self._plate):
            layout.addWidget(card)

    def refresh(self) -> None:
        """Show the files that are read; those that are not are read now."""
        if self.isHidden():
            return
        files = self._shelf.files()
        self._file.setVisible(bool(files))
        if files is not self._files or not files:
            self._files = files
            self._useful, self._typed = {}, {}
            choose(
                self._file,
                [(file.name, place) for place, file in enumerate(files)],
                self._file.currentData() or 0,
            )
            self._show()

    @property
    def _place(self) -> int:
        return self._file.currentData() or 0

    def _on_file_chosen(self) -> None:
        self._typed = {}
        self._multiplier.show_values([])
        set_quietly(self._copies, self._copies.setValue, self._useful.get(self._place, 1))
        self._show()

    def _on_useful_changed(self, pieces: int) -> None:
        self._useful[self._place] = pieces
        self._show()

    def _show(self) -> None:
        from oddtwin.core.toolpath.purge import purge_ledger

        sliced = self._files[self._place].sliced if self._files else None
        ledger = purge_ledger(sliced) if sliced else None
        changes = bool(ledger and ledger.changes)
        for card in (self._ledger, self._less, self._plate):
            card.setVisible(changes)
        self._against.setVisible(changes and self._place > 0)
        if sliced is None or ledger is None:
            self._sentence.setText("" if self._shelf.complete else "Choose the files under Files first.")
            return
        if not changes:
            self._sentence.setText("There is no change of colour in this file, so nothing is purged for one.")
            return
        self._show_pairs(sliced, ledger)
        self._show_against(ledger)
        self._show_less(sliced, ledger.pairs)
        self._show_plate(sliced, ledger)

    def _show_pairs(self, sliced: Sliced, ledger: PurgeLedger) -> None:
        pairs = ledger.pairs
        volume, grams = (sum(getattr(pair, name) for pair in pairs) for name in ("volume_mm3", "mass_g"))
        changes = sum(pair.changes for pair in pairs)
        share = 100 * grams / max(sliced.mass_g, 1e-9)
        tower = sliced.by_feature().get(Feature.TOWER)
        inside = with_unit(format_number(tower.mass_g if tower else 0.0, 2), "g")
        frame = with_unit(format_number(ledger.tower_g, 2), "g")
        kept = f", {frame} of it however much is purged" if ledger.tower_g else ""
        self._sentence.setText(
            f"{changes} changes of colour purge {with_unit(format_number(volume, 0), 'mm³')}, "
            f"{with_unit(format_number(grams, 2), 'g')}: {share:.0f} % of all that is printed. "
            f"The tower takes {inside}{kept}."
        )
        rows = [
            (
                str(pair.before),
                str(pair.after),
                str(pair.changes),
                format_number(pair.each_mm3, 1),
                format_number(pair.volume_mm3, 0),
                format_number(pair.mass_g, 2),
            )
            for pair in pairs
        ]
        fill_table(self._pairs, rows, fit_height=True)
        self._order.setText(_order(pairs))

    def _show_against(self, ledger: PurgeLedger) -> None:
        """Say what the change wastes more or less than the baseline, in all and for each useful piece."""
        from oddtwin.core.toolpath.purge import purge_ledger

        if not self._place:
            return
        baseline = purge_ledger(self._files[0].sliced)
        ours, theirs = self._useful.get(0, 1), self._useful.get(self._place, 1)
        in_all = ledger.mass_g - baseline.mass_g
        each = ledger.mass_g / theirs - baseline.mass_g / ours
        self._against.setText(
            f"Against {self._files[0].name}: {_signed(in_all)} of waste in all, {_signed(each)} for each "
            f"useful piece ({ours} there, {theirs} here)."
        )

    def _limits(self) -> PurgeLimits | None:
        """Return least and most as typed; None after showing what is wrong with them."""
        from oddtwin.core.toolpath.purge import PurgeLimits

        values = []
        for field, empty in ((self._least, 0.0), (self._most, math.inf)):
            try:
                values.append(max(0.0, field.value(empty)))
            except ValueError as error:
                field.show_error(f"{capitalized(str(error))}.")
                return None
        if values[0] > values[1]:
            self._most.show_error("The most is below the least; give a larger one, or none.")
            return None
        return PurgeLimits(*values)

    def _show_less(self, sliced: Sliced, pairs: list[PurgePair]) -> None:
        from oddtwin.core.toolpath.purge import (
            matrix_of,
            matrix_said,
            minimum_multiplier,
            multiplier_said,
            purge_outlook,
        )

        limits = self._limits()
        if limits is None:
            return
        settings = sliced.path.settings
        now = multiplier_said(settings)
        # Only the cells of changes that occur can be typed over.
        matrix = matrix_of(pairs, settings) | self._typed
        try:
            shown = self._multiplier.value(now)
        except ValueError as error:
            self._multiplier.show_error(f"{capitalized(str(error))}.")
            return
        self._source.setText(
            f"The file was sliced at a multiplier of {format_number(now, 2)}. Volumes at 1 are "
            + ("the file’s own matrix" if matrix_said(settings) else "what is laid, over that")
            + "; type others into the table, as they are at the multiplier shown."
        )
        self._show_matrix(matrix, shown, limits)
        held = minimum_multiplier(matrix, limits.least_mm3)
        self._floor.setText(
            f"Below a multiplier of {format_number(held, 2)} every change is held by the minimum: "
            "less does nothing."
            if limits.least_mm3
            else "Type the machine’s minimum to see where a smaller multiplier stops helping."
        )
        rows = []
        for multiplier in sorted({*MULTIPLIERS, round(now, 3)}, reverse=True):
            found = purge_outlook(pairs, matrix, multiplier, limits)
            rows.append(
                (
                    format_number(multiplier, 2) + (" (this file)" if multiplier == round(now, 3) else ""),
                    format_number(found.volume_mm3, 0),
                    format_number(found.mass_g, 2),
                    str(found.at_minimum),
                )
            )
        fill_table(self._multiplied, rows, fit_height=True)

    def _show_matrix(
        self, matrix: dict[tuple[int, int], float], multiplier: float, limits: PurgeLimits
    ) -> None:
        """Show what each change purges at a multiplier; a cell that the least holds up is marked."""
        colours = sorted({colour for pair in matrix for colour in pair})
        self._matrix.setVisible(len(colours) <= MOST_COLOURS)
        names = [f"Tool {colour}" for colour in colours]
        self._colours = colours

        def fill(_: object) -> None:
            self._matrix.setRowCount(len(colours))
            self._matrix.setColumnCount(len(colours))
            self._matrix.setVerticalHeaderLabels([f"From {name.lower()}" for name in names])
            self._matrix.setHorizontalHeaderLabels([f"To {name.lower()}" for name in names])
            for row_, before in enumerate(colours):
                for column, after in enumerate(colours):
                    volume = matrix.get((before, after))
                    text = "–"
                    if volume is not None:
                        wanted = volume * multiplier
                        mark = FLOOR if limits.least_mm3 and limits.at_floor(wanted) else ""
                        text = format_number(limits.held(wanted), 1) + mark
                    item = QTableWidgetItem(text)
                    if volume is None:
                        item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                    self._matrix.setItem(row_, column, item)

        set_quietly(self._matrix, fill, None)
        self._matrix.resizeColumnsToContents()
        height = self._matrix.horizontalHeader().sizeHint().height() + 4
        self._matrix.setFixedHeight(height + sum(self._matrix.rowHeight(k) for k in range(len(colours))))

    def _on_cell_changed(self, item: QTableWidgetItem) -> None:
        """Take a volume that was typed, as it is at the multiplier shown."""
        from oddtwin.core.toolpath.purge import multiplier_said

        pair = self._colours[item.row()], self._colours[item.column()]
        now = multiplier_said(self._files[self._place].sliced.path.settings)
        try:
            value = parse_number(item.text().removesuffix(FLOOR))
            shown = self._multiplier.value(now)
        except ValueError as error:
            self._floor.setText(f"Tool {pair[0]} to tool {pair[1]}: {error}.")
            return
        if value < 0 or not shown:
            self._floor.setText(f"Tool {pair[0]} to tool {pair[1]}: give mm³ of zero or more.")
            return
        self._typed[pair] = value / shown
        self._show()

    def _show_plate(self, sliced: Sliced, ledger: PurgeLedger) -> None:
        from oddtwin.core.toolpath.purge import shares_by_batch

        useful = self._copies.value()
        counts = sorted({*COPIES, useful})
        shares = shares_by_batch(sliced, ledger, useful, counts)
        each_piece = [
            (
                f"{share.copies}" + (" (this plate)" if share.copies == useful else ""),
                format_number(share.waste_g, 2),
                format_number(share.mass_g, 2),
                format_number(share.time_s / 3600, 2),
            )
            for share in shares
        ]
        fill_table(self._shared, each_piece, fit_height=True)


def _signed(grams: float) -> str:
    return with_unit(format_signed(grams, 2), "g")


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
