"""The history of the lab book: every edit, undo and redo, newest first."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.store import LabBook, LogLine, load_history
from oddtwin.ui.widgets import at_least, fill_table, label, plain_table
from oddtwin.ui.workbench import Workbench

HEAD = (tr("When"), tr("Study"), tr("What"), tr("Before → after"), tr("Kind"))


class HistoryPanel(QWidget):
    """Lists the newest lines of the append-only log; a field keeps those that hold what is typed."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._lines: list[LogLine] = []
        self._wanted = QLineEdit()
        self._wanted.setObjectName("historyFilter")
        self._wanted.setPlaceholderText(tr("Only lines that hold, such as margin or a study"))
        self._wanted.setAccessibleName(tr("Only lines that hold this"))
        self._wanted.setClearButtonEnabled(True)
        self._wanted.textChanged.connect(self._show)
        self._table = plain_table("history", HEAD)
        self._table.setAccessibleName(tr("History, newest first"))
        self._table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        at_least(self._table, height=480)
        self._told = label("", "quiet")
        self._told.setObjectName("historyTold")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        for part in (self._wanted, self._told):
            layout.addWidget(part)
        layout.addWidget(self._table, 1)

    def refresh(self) -> None:
        """Show the log as it is now; it is read beside the window."""
        book = self._workbench.book
        self._workbench.figure(self, lambda _: _read(book), self._on_read)

    def _on_read(self, lines: list[LogLine]) -> None:
        self._lines = lines
        self._show()

    def _show(self, *_: object) -> None:
        words = self._wanted.text().casefold().split()
        rows = [
            (line.at[:19].replace("T", " "), line.study, line.title, line.change, line.kind)
            for line in self._lines
        ]
        kept = [row for row in rows if all(word in " ".join(row).casefold() for word in words)]
        fill_table(self._table, kept)
        shown = (
            tr("{kept} of the newest {rows} lines. ", kept=len(kept), rows=len(rows))
            if words
            else tr("The newest {rows} lines. ", rows=len(rows))
        )
        self._told.setText(tr("{shown}Nothing is ever taken out of this list.", shown=shown))


def _read(book: LabBook) -> list[LogLine]:
    with book.reading() as connection:
        return load_history(connection)
