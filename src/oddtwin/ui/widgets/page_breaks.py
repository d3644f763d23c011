"""Where the pages of a text begin: what belongs together is not parted."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QRectF, QSizeF
from PySide6.QtGui import (
    QAbstractTextDocumentLayout,
    QTextBlock,
    QTextBlockFormat,
    QTextCursor,
    QTextDocument,
    QTextFormat,
    QTextTable,
)

_LESS: Final = 4.5
"""Points that a filled page keeps: less than any line is tall."""


def keep_together(document: QTextDocument) -> None:
    """Let nothing stand alone at the foot of a page: no heading, no head of a table, no lines of a row.

    Parameters
    ----------
    document : QTextDocument
        With the size of its pages.
    """
    rows = _rows_unparted(document)
    # In the order of the text: a page that begins earlier moves all that follows.
    block, above = document.begin(), None
    while block.isValid():
        table, moved = QTextCursor(block).currentTable(), False
        if table is None and _leads(block):
            moved = _keep_with_next(document, block)
        elif above is not None and table is None and block.text():
            moved = _keep_line_whole(document, above, block)
        elif table is not None and block.position() == table.firstPosition():
            moved = _keep_rows_whole(document, table, rows[table.firstPosition()])
        if moved:
            # Qt lays out anew what has changed only, and loses what stands between.
            document.markContentsDirty(0, document.characterCount())
        # Qt sets an empty block below a table, as high as nothing.
        above = above if table is None and not block.text() else table
        block = block.next()


def _leads(block: QTextBlock) -> bool:
    """Whether a block stands with the next one: a heading, or a picture of which the next is a part."""
    if block.blockFormat().headingLevel() > 0:
        return block.next().isValid()
    return _is_picture(block) and _is_picture(block.next())


def _is_picture(block: QTextBlock) -> bool:
    blank = block.isValid() and not block.text().strip(" \N{OBJECT REPLACEMENT CHARACTER}")
    return blank and QTextCursor(block).currentTable() is None


def _keep_with_next(document: QTextDocument, block: QTextBlock) -> bool:
    """Begin a page with a block that would be parted from what it leads to; whether it did."""
    layout, height = document.documentLayout(), document.pageSize().height()
    last = block
    while QTextCursor(last).currentTable() is None and _leads(last):
        last = last.next()
    top, foot = layout.blockBoundingRect(block).top(), layout.blockBoundingRect(last).bottom() - 1
    if max(0.0, top) // height == foot // height:
        return False
    _begin_page(block)
    return True


def _keep_line_whole(document: QTextDocument, table: QTextTable, block: QTextBlock) -> bool:
    """Move on the last row of a table where the line below it would be cut; whether it was."""
    layout, height = document.documentLayout(), document.pageSize().height()
    text = block.layout()
    line = text.lineAt(0).rect().translated(text.position()) if text.lineCount() else QRectF()
    # The cells of a table end before the page does, by their margin; below it Qt goes on as if that did.
    if line.isEmpty() or line.top() // height == (line.bottom() - 1) // height:
        return False
    row = table.rows() - 1
    cursor = QTextCursor(document)
    cursor.beginEditBlock()
    _move_on(table, row, height - _top(layout, table, row) % height)
    cursor.endEditBlock()
    return True


def _rows_unparted(document: QTextDocument) -> dict[int, list[float]]:
    """Return where the rows of each table begin, and where its last one ends, on a page without an end."""
    size, layout = document.pageSize(), document.documentLayout()
    document.setPageSize(QSizeF(size.width(), -1))
    found = {}
    for table in document.rootFrame().childFrames():
        if isinstance(table, QTextTable):
            lasts = [
                table.cellAt(table.rows() - 1, column).lastCursorPosition().block()
                for column in range(table.columns())
            ]
            found[table.firstPosition()] = [
                *(_top(layout, table, row) for row in range(table.rows())),
                max(layout.blockBoundingRect(block).bottom() for block in lasts),
            ]
    document.setPageSize(size)
    return found


def _top(layout: QAbstractTextDocumentLayout, table: QTextTable, row: int) -> float:
    return layout.blockBoundingRect(table.cellAt(row, 0).firstCursorPosition().block()).top()


def _begin_page(block: QTextBlock) -> None:
    shape = QTextBlockFormat()
    shape.setPageBreakPolicy(QTextFormat.PageBreakFlag.PageBreak_AlwaysBefore)
    QTextCursor(block).mergeBlockFormat(shape)


def _keep_rows_whole(document: QTextDocument, table: QTextTable, tops: list[float]) -> bool:
    """Move on each row that would be parted, with the head where it is the first; whether there was one."""
    height = document.pageSize().height()
    heads = min(table.format().headerRowCount(), table.rows() - 1)
    repeated = tops[heads] - tops[0]
    place = _top(document.documentLayout(), table, 0) % height + repeated
    cursor, moved = QTextCursor(document), False
    # At once for the whole table: every change by itself would lay out all of it anew.
    cursor.beginEditBlock()
    for row in range(heads, table.rows()):
        tall = tops[row + 1] - tops[row]
        if place + tall <= height:
            place += tall
        elif tall > height / 2:
            place = (place + tall) % height + repeated
        else:
            _move_on(table, row, height - place)
            place, moved = repeated + tall, True
    cursor.endEditBlock()
    return moved


def _move_on(table: QTextTable, row: int, left: float) -> None:
    """Begin a page with a row below the repeated head, or with all of the table where it is the first."""
    above = table.firstCursorPosition().block().previous()
    if row > table.format().headerRowCount():
        _fill_page(table, row - 1, left)
    elif _leads(above):
        _begin_page(_leading(above))
    else:
        shape = table.format()
        shape.setPageBreakPolicy(QTextFormat.PageBreakFlag.PageBreak_AlwaysBefore)
        table.setFormat(shape)


def _leading(block: QTextBlock) -> QTextBlock:
    """Return the first of the headings that stand above one another."""
    while _leads(block.previous()):
        block = block.previous()
    return block


def _fill_page(table: QTextTable, row: int, left: float) -> None:
    """Let a row take what is left of its page: the next one finds no room for a line, and Qt moves it on."""
    for column in range(table.columns()):
        cell = table.cellAt(row, column)
        if cell.column() == column:
            shape = cell.format().toTableCellFormat()
            shape.setBottomPadding(shape.bottomPadding() + max(0.0, left - _LESS))
            cell.setFormat(shape)
