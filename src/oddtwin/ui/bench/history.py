"""The history of the lab book: every edit, undo and redo, newest first."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from oddtwin.store import load_log
from oddtwin.ui.widgets import fill_table, label, plain_table
from oddtwin.ui.workbench import Workbench


class HistoryPanel(QWidget):
    """Lists the newest lines of the append-only log."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._table = plain_table("history", ("When", "What", "Kind"))
        self._table.setAccessibleName("History, newest first")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(
            label("Nothing is ever taken out of this list. The newest 500 lines are shown.", "quiet")
        )
        layout.addWidget(self._table, 1)

    def refresh(self) -> None:
        """Show the log as it is now."""
        with self._workbench.book.reading() as connection:
            log = load_log(connection)
        fill_table(self._table, [(at.replace("T", " "), title, kind) for at, kind, title in log])
