"""The screen of the stage Match."""

from __future__ import annotations

from typing import Final

from PySide6.QtWidgets import QComboBox, QWidget

from oddtwin.core.language import mark, tr
from oddtwin.ui.match.shelf import Shelf
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import TabbedPage, choose, column_label, row
from oddtwin.ui.workbench import Workbench

TABS: Final = (
    mark("Files"),
    mark("Settings"),
    mark("Layers"),
    mark("By layer"),
    mark("Purge"),
    mark("Predicted and measured"),
)


class MatchView(TabbedPage):
    """Tabs around the sliced files of one piece: proof before printing, agreement after it."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__(TABS, "match", theme)
        self._workbench = workbench
        self._shelf = Shelf(workbench)
        self._piece = QComboBox()
        self._piece.setObjectName("matchPiece")
        self._piece.currentIndexChanged.connect(self._on_piece_chosen)
        self._pieces = QWidget()
        line = row(column_label(tr("Piece")), self._piece, None)
        line.setContentsMargins(0, 0, 0, 0)
        self._pieces.setLayout(line)
        self.body.insertWidget(1, self._pieces)

    def refresh(self) -> None:
        """Show the study in hand."""
        study = self._workbench.study
        if study is None:
            return
        asked = [(study.pieces[key].name, key) for key in study.plan.piece_ids] if study.plan else []
        choose(self._piece, asked, self._piece.currentData())
        self._pieces.setVisible(len(asked) > 1)
        self._shelf.take(study, self._piece.currentData())
        self.begin(study.id)
        super().refresh()

    def make_tab(self, name: str) -> QWidget:
        """Make a tab; its modules are loaded only now."""
        if name == TABS[1]:
            from oddtwin.ui.match.settings import SettingsPanel

            return SettingsPanel(self._shelf)
        if name == TABS[2]:
            from oddtwin.ui.match.layers import LayersPanel

            return LayersPanel(self._shelf, self._theme)
        if name == TABS[3]:
            from oddtwin.ui.match.charts import ChartsPanel

            return ChartsPanel(self._workbench, self._shelf, self._theme)
        if name == TABS[4]:
            from oddtwin.ui.match.purge import PurgePanel

            return PurgePanel(self._shelf)
        if name == TABS[5]:
            from oddtwin.ui.match.predicted import PredictedPanel

            return PredictedPanel(self._workbench, self._theme)
        from oddtwin.ui.match.files import FilesPanel

        return FilesPanel(self._workbench, self._shelf, self._theme)

    def _on_piece_chosen(self) -> None:
        self.refresh()
