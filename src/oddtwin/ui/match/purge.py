"""The purge ledger of the files, and what would make it smaller."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_number, with_unit
from oddtwin.core.toolpath.gcode import Feature
from oddtwin.ui.match.purge_matrix import PurgeMatrix
from oddtwin.ui.match.purge_words import LEAST, MOST, PURGED, nothing_typed, order_words, signed_grams
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
from oddtwin.ui.widgets.place import typed_quantity

if TYPE_CHECKING:
    from oddtwin.core.toolpath.match import MatchFile
    from oddtwin.core.toolpath.purge import PurgeLedger, PurgeLimits, PurgePair
    from oddtwin.core.toolpath.sliced import Sliced

MULTIPLIERS = (1.0, 0.8, 0.6, 0.5, 0.4, 0.3, 0.2, 0.1)
COPIES = (1, 2, 3, 4, 6, 8)
FLOOR = tr(" · least")
OWN = tr(" · own")
TABLES = (
    (tr("what a change purges, mm³"), PURGED),
    (tr("the least for a change, mm³"), LEAST),
    (tr("the most for a change, mm³"), MOST),
)
"""What the table of pairs can hold."""


class PurgePanel(QWidget):
    """Purge by pair of colours, at other multipliers, for more pieces, and in the best order."""

    def __init__(self, shelf: Shelf) -> None:
        super().__init__()
        self._shelf = shelf
        self._files: list[MatchFile] = []
        self._useful: dict[int, int] = {}
        self._typed = nothing_typed()
        self._file = QComboBox()
        self._file.setObjectName("purgeFile")
        self._file.currentIndexChanged.connect(self._on_file_chosen)
        self._sentence, self._against = label("", "lead"), label("")
        self._sentence.setObjectName("purgeSentence")
        self._against.setObjectName("purgeAgainst")
        self._pairs = plain_table(
            "purgePairs",
            (tr("From tool"), tr("To tool"), tr("Changes"), tr("mm³ each"), tr("mm³ in all"), tr("g in all")),
        )
        self._least = QuantityField("purgeMinimum", "", "0", 110)
        self._most = QuantityField("purgeMaximum", "", tr("no limit"), 110)
        self._multiplier = QuantityField("purgeMultiplier", "", "1", 110)
        for field in (self._least, self._most, self._multiplier):
            field.quantity_committed.connect(lambda _: self._show())
        self._table = QComboBox()
        self._table.setObjectName("purgeTable")
        choose(self._table, list(TABLES), PURGED)
        self._table.currentIndexChanged.connect(lambda _: self._show())
        self._matrix = PurgeMatrix("purgeMatrix")
        self._matrix.setTabKeyNavigation(False)
        self._matrix.typed.connect(self._on_cell_typed)
        self._multiplied = plain_table(
            "purgeMultiplied", (tr("Multiplier"), "mm³", "g", tr("Changes at the minimum"))
        )
        self._copies = spin_box("purgeCopies", 1, 99)
        self._copies.valueChanged.connect(self._on_useful_changed)
        self._shared = plain_table(
            "purgeShared",
            (tr("Pieces on the plate"), tr("Waste for each, g"), tr("All for each, g"), tr("Hours for each")),
        )
        self._floor, self._order, self._source = label(""), label(""), label("", "quiet")
        self._floor.setObjectName("purgeFloor")
        self._order.setObjectName("purgeOrder")
        self._build()
        shelf.loaded.connect(self.refresh)

    def _build(self) -> None:
        self._ledger = Card(heading(tr("Ledger")), self._pairs, self._order)
        self._less = Card(
            heading(tr("With less")),
            row(
                column_label(tr("Least for a change, mm³")),
                self._least,
                column_label(tr("Most, mm³")),
                self._most,
                column_label(tr("Multiplier shown")),
                self._multiplier,
                None,
            ),
            row(column_label(tr("The table holds")), self._table, None),
            self._source,
            self._matrix,
            self._floor,
            self._multiplied,
        )
        self._plate = Card(
            heading(tr("More pieces on a plate")),
            label(
                tr(
                    "All pieces of a plate share the same changes of colour. A second object that purge "
                    "goes into counts as a piece where it is of use: its plastic is no waste."
                ),
                "quiet",
            ),
            row(column_label(tr("Useful pieces on this plate")), self._copies, None),
            self._shared,
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(
            Card(
                heading(tr("Purge")),
                Waiting(self._shelf),
                row(self._file, None),
                self._sentence,
                self._against,
            )
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
            self._useful, self._typed = {}, nothing_typed()
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
        self._typed = nothing_typed()
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
            self._sentence.setText("" if self._shelf.complete else tr("Choose the files under Files first."))
            return
        if not changes:
            self._sentence.setText(
                tr("There is no change of colour in this file, so nothing is purged for one.")
            )
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
        kept = tr(", {frame} of it however much is purged", frame=frame) if ledger.tower_g else ""
        self._sentence.setText(tr(
            "{changes} changes of colour purge {volume}, {grams}: {share:.0f} % of all "
            "that is printed. The tower takes {inside}{kept}.",
            changes=changes, volume=with_unit(format_number(volume, 0), "mm³"),
            grams=with_unit(format_number(grams, 2), "g"), share=share, inside=inside, kept=kept,
        ))  # fmt: skip
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
        self._order.setText(order_words(pairs, sliced.path.settings))

    def _show_against(self, ledger: PurgeLedger) -> None:
        """Say what the change wastes more or less than the baseline, in all and for each useful piece."""
        from oddtwin.core.toolpath.purge import purge_ledger

        if not self._place:
            return
        baseline = purge_ledger(self._files[0].sliced)
        ours, theirs = self._useful.get(0, 1), self._useful.get(self._place, 1)
        in_all = ledger.mass_g - baseline.mass_g
        each = ledger.mass_g / theirs - baseline.mass_g / ours
        self._against.setText(tr(
            "Against {files}: {signed} of waste in all, {signed2} for each useful piece "
            "({ours} there, {theirs} here).",
            files=self._files[0].name, signed=signed_grams(in_all), signed2=signed_grams(each), ours=ours,
            theirs=theirs,
        ))  # fmt: skip

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
            self._most.show_error(tr("The most is below the least; give a larger one, or none."))
            return None
        try:
            return PurgeLimits(values[0], values[1], self._typed[LEAST], self._typed[MOST])
        except ValueError as error:
            self._floor.setText(f"{capitalized(str(error))}.")
            return None

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
        matrix = matrix_of(pairs, settings) | self._typed[PURGED]
        try:
            shown = self._multiplier.value(now)
        except ValueError as error:
            self._multiplier.show_error(f"{capitalized(str(error))}.")
            return
        self._source.setText(
            tr("The file was sliced at a multiplier of {now}. Volumes at 1 are ", now=format_number(now, 2))
            + (tr("the file’s own matrix") if matrix_said(settings) else tr("what is laid, over that"))
            + tr("; type others into the table, as they are at the multiplier shown.")
            if self._table.currentData() == PURGED
            else tr("Type a figure for a pair that has its own; an emptied cell holds what is typed above.")
        )
        self._matrix.show_texts(self._texts(matrix, shown, limits))
        held = minimum_multiplier(matrix, limits)
        self._floor.setText(
            tr(
                "Below a multiplier of {held} every change is held by the minimum: less does nothing.",
                held=format_number(held, 2),
            )
            if held
            else tr("Type the machine’s minimum to see where a smaller multiplier stops helping.")
        )
        rows = []
        for multiplier in sorted({*MULTIPLIERS, round(now, 3)}, reverse=True):
            found = purge_outlook(pairs, matrix, multiplier, limits)
            rows.append(
                (
                    format_number(multiplier, 2)
                    + (tr(" (this file)") if multiplier == round(now, 3) else ""),
                    format_number(found.volume_mm3, 0),
                    format_number(found.mass_g, 2),
                    str(found.at_minimum),
                )
            )
        fill_table(self._multiplied, rows, fit_height=True)

    def _texts(
        self, matrix: dict[tuple[int, int], float], multiplier: float, limits: PurgeLimits
    ) -> dict[tuple[int, int], str]:
        """Return the cells of the table; what is purged is marked where the least holds it up."""
        held = self._table.currentData()
        if held == PURGED:
            return {
                pair: format_number(limits.held(pair, volume * multiplier), 1)
                + (FLOOR if limits.least(pair) and limits.at_floor(pair, volume * multiplier) else "")
                for pair, volume in matrix.items()
            }
        own = self._typed[held]
        values = {pair: limits.least(pair) if held == LEAST else limits.most(pair) for pair in matrix}
        return {
            pair: (format_number(value, 1) if math.isfinite(value) else tr("no limit")) + OWN * (pair in own)
            for pair, value in values.items()
        }

    def _on_cell_typed(self, pair: tuple[int, int], text: str) -> None:
        """Take a figure that was typed into the table, or say what is wrong with it."""
        held = self._table.currentData()
        own = dict(self._typed[held])
        own.pop(pair, None)
        typed = text.removesuffix(FLOOR).removesuffix(OWN).strip()
        try:
            if typed:
                own[pair] = self._figure(typed)
        except ValueError as error:
            self._floor.setText(
                tr("Tool {pair} to tool {pair2}: {error}.", pair=pair[0], pair2=pair[1], error=error)
            )
            return
        before, self._typed[held] = self._typed[held], own
        if self._limits() is None:
            # Nothing is kept that cannot be: the table shows what was there, and the sentence says why.
            self._typed[held] = before
            self._matrix.show_again()
            return
        self._show()

    def _figure(self, typed: str) -> float:
        """Return what was typed: a volume at multiplier 1, a least or a most as it stands."""
        from oddtwin.core.toolpath.purge import multiplier_said

        value, shown = typed_quantity(typed, ""), 1.0
        if self._table.currentData() == PURGED:
            # A volume that is typed is one at the multiplier shown.
            shown = self._multiplier.value(multiplier_said(self._files[self._place].sliced.path.settings))
        if value < 0 or not shown:
            raise ValueError(tr("give mm³ of zero or more"))
        return value / shown

    def _show_plate(self, sliced: Sliced, ledger: PurgeLedger) -> None:
        from oddtwin.core.toolpath.purge import shares_by_batch

        useful = self._copies.value()
        counts = sorted({*COPIES, useful})
        shares = shares_by_batch(sliced, ledger, useful, counts)
        each_piece = [
            (
                f"{share.copies}" + (tr(" (this plate)") if share.copies == useful else ""),
                format_number(share.waste_g, 2),
                format_number(share.mass_g, 2),
                format_number(share.time_s / 3600, 2),
            )
            for share in shares
        ]
        fill_table(self._shared, each_piece, fit_height=True)
