"""Tables that are read, not edited."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QTableWidget, QTableWidgetItem

from oddtwin.core.language import shown


def plain_table(name: str, head: Sequence[str]) -> QTableWidget:
    """Make an empty table that selects whole rows."""
    table = QTableWidget(0, len(head))
    table.setObjectName(name)
    table.setHorizontalHeaderLabels([shown(name) for name in head])
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    table.setAlternatingRowColors(True)
    table.setShowGrid(False)
    table.verticalHeader().hide()
    table.horizontalHeader().setHighlightSections(False)
    table.horizontalHeader().setStretchLastSection(True)
    table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    # Tab leaves the table; the arrows walk inside it. Else every cell would be a stop on the way.
    table.setTabKeyNavigation(False)
    return table


LONG, WIDEST = 40, 360
"""Letters from which on a cell has a tip, and the width that a column has at most, in pixels."""


def fill_table(table: QTableWidget, rows: Sequence[Sequence[str]], fit_height: bool = False) -> None:
    """Show rows of text; with ``fit_height`` the table is as tall as they need."""
    # Measuring the columns takes longer than all else; what stands there already is left alone.
    if table.property("shown") == (standing := repr(rows)):
        return
    table.setProperty("shown", standing)
    if table.rowCount() != len(rows):
        table.setRowCount(len(rows))
    for line, cells in enumerate(rows):
        for column, text in enumerate(map(shown, cells)):
            item = table.item(line, column)
            if item is None:
                item = QTableWidgetItem(text)
                table.setItem(line, column, item)
            elif item.text() != text:
                item.setText(text)
            item.setToolTip(text if len(text) > LONG else "")
    # Once at the end: headers that follow their contents measure every row at every cell.
    table.resizeColumnsToContents()
    for column in range(table.columnCount()):
        # A long name would push the figures out of sight; it stands whole in its tip.
        table.setColumnWidth(column, min(table.columnWidth(column), WIDEST))
    table.horizontalHeader().setStretchLastSection(False)
    table.horizontalHeader().setStretchLastSection(True)
    if fit_height:
        rows_height = sum(table.rowHeight(line) for line in range(len(rows)))
        table.setFixedHeight(table.horizontalHeader().sizeHint().height() + rows_height + 16)
