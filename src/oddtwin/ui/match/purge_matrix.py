"""A table of figures by pair of colours that can be typed over."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QTableWidget, QTableWidgetItem

from oddtwin.core.language import tr
from oddtwin.ui.widgets import set_quietly

MOST_COLOURS = 8
NOTHING = "–"


class PurgeMatrix(QTableWidget):
    """One cell for each change, from the tool of the row to that of the column."""

    typed = Signal(tuple, str)
    """Colours before and after, and what was typed."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setAccessibleName(tr("mm³ of every change, from the tool of the row to that of the column"))
        self._colours: list[int] = []
        self._texts: Mapping[tuple[int, int], str] = {}
        self.itemChanged.connect(self._on_item_changed)

    def show_texts(self, texts: Mapping[tuple[int, int], str]) -> None:
        """Show a text for every change that occurs; the others have no field.

        Parameters
        ----------
        texts : mapping
            By colours before and after.
        """
        self._colours = sorted({colour for pair in texts for colour in pair})
        self._texts = texts
        self.setVisible(len(self._colours) <= MOST_COLOURS)
        set_quietly(self, self._fill, None)
        # No scroll inside the scroll of the page: the table is as high as its rows.
        self.resizeColumnsToContents()
        height = self.horizontalHeader().sizeHint().height() + 4
        self.setFixedHeight(height + sum(self.rowHeight(k) for k in range(self.rowCount())))

    def show_again(self) -> None:
        """Show what was shown before something was typed that cannot be."""
        set_quietly(self, self._fill, None)

    def _fill(self, _: object) -> None:
        count = len(self._colours)
        self.setRowCount(count)
        self.setColumnCount(count)
        self.setVerticalHeaderLabels([tr("From tool {colour}", colour=colour) for colour in self._colours])
        self.setHorizontalHeaderLabels([tr("To tool {colour}", colour=colour) for colour in self._colours])
        for row, before in enumerate(self._colours):
            for column, after in enumerate(self._colours):
                text = self._texts.get((before, after))
                item = QTableWidgetItem(NOTHING if text is None else text)
                if text is None:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                self.setItem(row, column, item)

    def _on_item_changed(self, item: QTableWidgetItem) -> None:
        self.typed.emit((self._colours[item.row()], self._colours[item.column()]), item.text())
