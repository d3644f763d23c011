"""A grid that readings are typed into: Enter goes on, and there is always an empty line below."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemDelegate,
    QAbstractItemView,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from oddtwin.ui.widgets.fields import NothingToTakeError

ROW = 30
SHOWN = 7


class ReadingsGrid(QTableWidget):
    """``typed`` is emitted when a cell was changed by a person.

    Enter in an empty cell takes what ``suggestion`` returns for its column; where that raises
    ``NothingToTakeError``, ``refused`` is emitted with why.
    """

    typed = Signal()
    refused = Signal(str)

    def __init__(self, name: str) -> None:
        super().__init__(0, 0)
        self.setObjectName(name)
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.AnyKeyPressed
            | QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(ROW)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.setFixedHeight(ROW * (SHOWN + 1) + 6)
        self.suggestion: Callable[[int], str | None] = lambda _: None
        self._showing = False
        self.itemChanged.connect(self._on_changed)

    def show_rows(self, head: Sequence[str], tips: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
        """Show rows of text under a header, and an empty row below."""
        if head == self._head() and [list(row) for row in rows] == self.rows():
            return
        self._showing = True
        self.setColumnCount(len(head))
        for column, tip in enumerate(tips):
            item = QTableWidgetItem(head[column])
            item.setToolTip(tip)
            self.setHorizontalHeaderItem(column, item)
        self.setRowCount(len(rows) + 1)
        for line, cells in enumerate((*rows, [""] * len(head))):
            for column in range(len(head)):
                text = cells[column] if column < len(cells) else ""
                self.setItem(line, column, QTableWidgetItem(text))
        self._showing = False

    def _head(self) -> list[str]:
        items = [self.horizontalHeaderItem(column) for column in range(self.columnCount())]
        return [item.text() if item is not None else "" for item in items]

    def rows(self) -> list[list[str]]:
        """Return what is typed, without rows that are empty."""
        every = [
            [
                item.text().strip() if (item := self.item(line, column)) else ""
                for column in range(self.columnCount())
            ]
            for line in range(self.rowCount())
        ]
        return [cells for cells in every if any(cells)]

    def _take_or_go_on(self) -> None:
        """Take what is suggested for an empty cell, as if it had been typed, and go on to the next."""
        item = self.item(max(self.currentRow(), 0), max(self.currentColumn(), 0))
        # What is typed already is a person's, and Enter only goes on from it.
        if item is not None and not item.text():
            try:
                text = self.suggestion(item.column())
            except NothingToTakeError as error:
                self.refused.emit(str(error))
                return
            if text is not None:
                item.setText(text)
        self._go_on()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # From an editor it comes here before that is closed, which goes on by itself.
            if self.state() is not QAbstractItemView.State.EditingState:
                self._take_or_go_on()
            return
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            item = self.currentItem()
            if item is not None and item.text():
                item.setText("")
                return
        super().keyPressEvent(event)

    def closeEditor(self, editor: QWidget, hint: QAbstractItemDelegate.EndEditHint) -> None:
        super().closeEditor(editor, QAbstractItemDelegate.EndEditHint.NoHint)
        if hint == QAbstractItemDelegate.EndEditHint.SubmitModelCache:
            self._go_on()

    def _go_on(self) -> None:
        """Go to the next cell; at the end of a row to the first one of the next."""
        line, column = self.currentRow(), self.currentColumn() + 1
        if column >= self.columnCount():
            line, column = min(line + 1, self.rowCount() - 1), 0
        self.setCurrentCell(line, column)

    def _on_changed(self, item: QTableWidgetItem) -> None:
        if self._showing:
            return
        if item.row() == self.rowCount() - 1 and item.text().strip():
            self._showing = True
            self.insertRow(self.rowCount())
            for column in range(self.columnCount()):
                self.setItem(self.rowCount() - 1, column, QTableWidgetItem(""))
            self._showing = False
        self.typed.emit()
