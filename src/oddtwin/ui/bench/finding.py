"""Finding something in the lab book: a field, and a line for each place where all words stand."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QComboBox, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.store import StudyFilter
from oddtwin.ui.widgets import choose, label, plain_tip, row, short
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.store import Hit

PAUSE_MS = 200
SHOWN = 8
STATES = (
    (tr("all studies"), ""),
    (tr("open"), "open"),
    (tr("settled"), "settled"),
    (tr("baseline due again"), "due"),
)


class FindPanel(QWidget):
    """``chosen`` gives the id of the study that a line is of, ``kept`` which studies are to be listed."""

    chosen = Signal(int)
    kept = Signal(object)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._words = QLineEdit()
        self._words.setObjectName("findWords")
        self._words.setAccessibleName(tr("Find in studies, changes, notes and faults"))
        self._words.setPlaceholderText(tr("Find in studies, changes, notes and faults"))
        self._words.setClearButtonEnabled(True)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(PAUSE_MS)
        self._pause.timeout.connect(self._look)
        self._words.textChanged.connect(lambda _: self._pause.start())
        self._words.returnPressed.connect(self._on_entered)
        self._hits = QListWidget()
        self._hits.setObjectName("findHits")
        self._hits.setAccessibleName(tr("Where it was found"))
        self._hits.itemActivated.connect(self._on_activated)
        self._hits.itemClicked.connect(self._on_activated)
        self._told = label("", "quiet")
        self._told.setObjectName("findTold")
        self._state, self._tag = QComboBox(), QComboBox()
        for box, name, said in (
            (self._state, "stateFilter", tr("Which studies are listed")),
            (self._tag, "tagFilter", tr("Tag that studies are filed under")),
        ):
            box.setObjectName(name)
            box.setAccessibleName(said)
        choose(self._state, STATES, "")
        choose(self._tag, [(tr("any tag"), "")], "")
        for box in (self._state, self._tag):
            box.currentIndexChanged.connect(lambda _: self.kept.emit(self.filter))
        top = row(self._words, self._state, self._tag)
        top.setStretch(0, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(top)
        for part in (self._hits, self._told):
            layout.addWidget(part)
        self._show("", [])

    @property
    def filter(self) -> StudyFilter:
        """Which studies are to be listed."""
        return StudyFilter(self._state.currentData() or "", self._tag.currentData() or "")

    def show_tags(self, tags: Sequence[str]) -> None:
        """Offer the tags that there are; the field is hidden without any."""
        choose(self._tag, [(tr("any tag"), ""), *((tag, tag) for tag in tags)], self._tag.currentData())
        self._tag.setVisible(bool(tags))

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
        self._told.setText(tr("Nothing holds all of “{short}”.", short=short(words, 60)) if words else "")
        self._told.setVisible(bool(words) and not hits)

    def _on_entered(self) -> None:
        if self._hits.count():
            self._hits.setFocus()
            self._hits.setCurrentRow(0)

    def _on_activated(self, item: QListWidgetItem) -> None:
        study_id = item.data(Qt.ItemDataRole.UserRole)
        if study_id is not None:
            self.chosen.emit(study_id)
