"""At another size, or with more pieces on the plate: what a piece of each arm then takes."""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QFileDialog

from oddtwin.core.language import tr
from oddtwin.core.quantities import decimals_for, format_number
from oddtwin.core.study import Study
from oddtwin.core.toolpath.sliced import SlicedSize
from oddtwin.core.tradeoff import AtSize, Figure, at_size
from oddtwin.store import StoreError
from oddtwin.ui.widgets import (
    Card,
    QuantityField,
    button,
    choose,
    column_label,
    fill_table,
    heading,
    label,
    plain_table,
    row,
    spin_box,
)
from oddtwin.ui.workbench import Workbench

PRINTED = "100"


class SizesCard(Card):
    """A size, a number of pieces, and a line for each arm."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._study: Study | None = None
        self._sizes: dict[str, list[SlicedSize]] | None = None
        self._others: dict[str, list[Path]] = defaultdict(list)
        self._percent = QuantityField("otherSize", "", PRINTED, 90)
        self._percent.edit.setAccessibleName(tr("Size, percent of the printed one"))
        self._percent.quantity_committed.connect(lambda _: self._reckon())
        self._pieces = spin_box("otherPieces", 1, 100)
        self._pieces.setAccessibleName(tr("Pieces on a plate"))
        self._pieces.editingFinished.connect(self._reckon)
        self._arm = QComboBox()
        self._arm.setObjectName("otherSizeArm")
        self._arm.setAccessibleName(tr("Arm that a file of another size is of"))
        self._table = plain_table("atSize", (tr("Arm"),))
        self._table.setAccessibleName(tr("What a piece of each arm takes at that size"))
        self._told = label("")
        self._told.setObjectName("atSizeTold")
        self.add(
            heading(tr("At another size")),
            row(
                column_label(tr("A piece at")),
                self._percent,
                column_label(tr("% of its size, with")),
                self._pieces,
                column_label(tr("on a plate")),
                button(tr("Reckon"), self._reckon, name="reckonSize"),
                None,
            ),
            row(
                column_label(tr("Told better by a file of that size, of")),
                self._arm,
                button(tr("Choose…"), self._on_file_clicked, name="otherSizeFile"),
                None,
            ),
            self._table,
            self._told,
        )

    def show_study(self, study: Study, sealed: bool) -> None:
        """Show the card of a study; what was reckoned of another is taken away."""
        self.setVisible(not sealed and any(run.finished for run in study.runs))
        if study is self._study:
            return
        if self._study is None or study.id != self._study.id:
            self._others.clear()
        self._study, self._sizes = study, None
        choose(self._arm, [(arm.name, arm.name) for arm in study.arms], self._arm.currentData())
        self._table.hide()
        self._told.hide()

    def _on_file_clicked(self) -> None:
        name = self._arm.currentData()
        path, _ = QFileDialog.getOpenFileName(
            self, tr("A file of {name} at another size", name=name), "", tr("Sliced files (*)")
        )
        if path and name is not None:
            self._others[name].append(Path(path))
            self._sizes = None
            self._reckon()

    def _reckon(self) -> None:
        study, sizes = self._study, self._sizes
        if study is None:
            return
        try:
            percent = self._percent.value(float(PRINTED))
        except ValueError:
            return
        pieces, book = self._pieces.value(), self._workbench.book
        others = {name: list(some) for name, some in self._others.items()}
        self._say(tr("Reckoning …"))

        def work(job: object) -> tuple[dict[str, list[SlicedSize]], AtSize]:
            from oddtwin.work import load_sizes

            read = sizes if sizes is not None else load_sizes(book, study, others)
            return read, at_size(study, percent / 100, pieces, read)

        self._workbench.figure(self, work, lambda found: self._show(study, *found), self._on_refused)

    def _on_refused(self, error: BaseException) -> bool:
        if not isinstance(error, (ValueError, StoreError)):
            return False
        # A file that cannot be read is let go, so that the next size is not refused for it.
        self._others.clear()
        self._table.hide()
        self._say(str(error))
        return True

    def _say(self, text: str) -> None:
        self._told.setText(text)
        self._told.show()

    def _show(self, study: Study, sizes: dict[str, list[SlicedSize]], found: AtSize) -> None:
        if study is not self._study:
            return
        self._sizes = sizes
        priced = any(one.money is not None for one in found.arms)
        units = ["min", "g", *([found.currency] if priced else [])]
        head = [tr("Arm"), *(tr("A piece, {unit}", unit=unit) for unit in units)]
        self._table.setColumnCount(len(head))
        self._table.setHorizontalHeaderLabels(head)
        rows = []
        for one in found.arms:
            figures = [one.minutes, one.grams, *([one.money] if one.money is not None else [])]
            rows.append((one.name, *(_between(figure) for figure in figures)))
        fill_table(self._table, rows, fit_height=True)
        self._table.show()
        self._say("\n".join(found.sentences))


def _between(figure: Figure) -> str:
    if figure.ci95 is None or figure.ci95[0] == figure.ci95[1]:
        # Prints that read alike to the last digit tell no scatter.
        return format_number(figure.value, 2)
    low, high = figure.ci95
    places = min(decimals_for((high - low) / 2), 3)
    value, least, most = (format_number(one, places) for one in (figure.value, low, high))
    return tr("{value}  ({least} to {most})", value=value, least=least, most=most)
