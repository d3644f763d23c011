"""Differences by layer: time, grams, retractions and flow on one axis of height."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.core.picture import Drawing
from oddtwin.core.quantities import format_number
from oddtwin.ui.match.reach import ReachCard
from oddtwin.ui.match.shelf import Shelf
from oddtwin.ui.match.waiting import Waiting
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, DrawingView, choose, fill_table, heading, label, plain_table
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.core.toolpath.match import LayerDifference, MatchFile

HEAD = (
    tr("Feature"),
    tr("Baseline, mm"),
    tr("Change, mm"),
    tr("Baseline, g"),
    tr("Change, g"),
    tr("Baseline, min"),
    tr("Change, min"),
)


class ChartsPanel(QWidget):
    """Four charts below one another, and the figures of every feature in both files."""

    def __init__(self, workbench: Workbench, shelf: Shelf, theme: Theme) -> None:
        super().__init__()
        self._shelf = shelf
        self._files: list[MatchFile] = []
        self._differences: list[LayerDifference] = []
        self._other = QComboBox()
        self._other.setObjectName("chartOther")
        self._other.currentIndexChanged.connect(self._on_other_chosen)
        self._chart = DrawingView(theme, self._draw)
        self._chart.setObjectName("layerChart")
        self._table = plain_table("featureTable", HEAD)
        self._empty = label(tr("Choose the files of all arms under Files first."), "quiet")
        self._features = Card(heading(tr("By feature")), self._table)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(Card(heading(tr("By layer")), Waiting(shelf), self._empty, self._other, self._chart))
        self._reach = ReachCard(workbench, shelf)
        layout.addWidget(self._features)
        layout.addWidget(self._reach)
        shelf.loaded.connect(self.refresh)

    def refresh(self) -> None:
        """Show the files that are read; those that are not are read now."""
        if self.isHidden():
            return
        files = self._shelf.pair()
        self._empty.setVisible(not files and not self._shelf.complete)
        self._chart.setVisible(bool(files))
        self._features.setVisible(bool(files))
        self._reach.setVisible(bool(files))
        self._other.setVisible(len(files) > 2)
        if files is not self._files and (files or self._files):
            self._files = files
            choose(self._other, [(file.name, place) for place, file in enumerate(files[1:], 1)], 1)
            self._take()
            self._reach.show_files(files)

    def _take(self) -> None:
        from oddtwin.core.toolpath.match import layer_differences

        if not self._files:
            self._differences = []
            return
        ours, theirs = self._files[0].sliced, self._files[self._other.currentData() or 1].sliced
        self._differences = layer_differences(ours, theirs)
        mine, other = ours.by_feature(), theirs.by_feature()
        rows = []
        for feature in dict.fromkeys([*mine, *other]):
            pair = [tallies.get(feature) for tallies in (mine, other)]
            cells = [f"{tally.path_mm:.0f}" if tally else "–" for tally in pair]
            cells += [format_number(tally.mass_g, 2) if tally else "–" for tally in pair]
            cells += [format_number(tally.time_s / 60, 1) if tally else "–" for tally in pair]
            rows.append((feature, *cells))
        fill_table(self._table, rows, fit_height=True)
        self._chart.updateGeometry()
        self._chart.update()

    def _draw(self, width: float) -> Drawing:
        from oddtwin.core.picture import layer_chart

        return layer_chart(self._differences, width) if self._differences else Drawing(width, 1.0, ())

    def _on_other_chosen(self) -> None:
        if self._files:
            self._take()
