"""Finding something in the lab book: a field, and a line for each place where all words stand."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from oddtwin.ui.widgets import label, plain_tip, short
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.store import Hit

PAUSE_MS = 200
SHOWN = 8


class FindPanel(QWidget):
    """``chosen`` gives the id of the study that a line is of."""

    chosen = Signal(int)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._words = QLineEdit()
        self._words.setObjectName("findWords")
        self._words.setAccessibleName("Find in studies, changes, notes and faults")
        self._words.setPlaceholderText("Find in studies, changes, notes and faults")
        self._words.setClearButtonEnabled(True)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(PAUSE_MS)
        self._pause.timeout.connect(self._look)
        self._words.textChanged.connect(lambda _: self._pause.start())
        self._words.returnPressed.connect(self._on_entered)
        self._hits = QListWidget()
        self._hits.setObjectName("findHits")
        self._hits.setAccessibleName("Where it was found")
        self._hits.itemActivated.connect(self._on_activated)
        self._hits.itemClicked.connect(self._on_activated)
        self._told = label("", "quiet")
        self._told.setObjectName("findTold")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        for part in (self._words, self._hits, self._told):
            layout.addWidget(part)
        self._show("", [])

    def _look(self) -> None:
        words = self._words.text().strip()
        if not words or not self._workbench.has_book:
            self._show("", [])
            return
        # Ten years of notes are looked through beside the window.
        self._workbench.figure(self, lambda _: self._found(words), partial(self._show, words))

    def _found(self, words: str) -> list[Hit]:
        from oddtwin.store import search

        with self._workbench.book.reading() as connection:
            return search(connection, words)

    def _show(self, words: str, hits: list[Hit]) -> None:
        if words != self._words.text().strip():
            return
        self._hits.clear()
        for hit in hits:
            item = QListWidgetItem(short(f"{hit.kind}   {hit.title}:  {hit.text}", 150))
            item.setData(Qt.ItemDataRole.UserRole, hit.study_id)
            item.setToolTip(plain_tip(hit.text))
            self._hits.addItem(item)
        height = self._hits.sizeHintForRow(0) * min(len(hits), SHOWN) + 8 if hits else 0
        self._hits.setFixedHeight(max(height, 0))
        self._hits.setVisible(bool(hits))
        self._told.setText(f"Nothing holds all of “{short(words, 60)}”." if words else "")
        self._told.setVisible(bool(words) and not hits)

    def _on_entered(self) -> None:
        if self._hits.count():
            self._hits.setFocus()
            self._hits.setCurrentRow(0)

    def _on_activated(self, item: QListWidgetItem) -> None:
        study_id = item.data(Qt.ItemDataRole.UserRole)
        if study_id is not None:
            self.chosen.emit(study_id)
