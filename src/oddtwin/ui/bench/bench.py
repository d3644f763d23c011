"""The bench: all studies with where they stand, machines, pieces, workshop, and the history."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from oddtwin.core.language import mark
from oddtwin.ui.bench.studies import StudiesPanel
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import TabbedPage
from oddtwin.ui.workbench import Workbench

TABS: Final = (
    mark("Studies"),
    mark("Machines"),
    mark("Calibrate"),
    mark("Pieces"),
    mark("Workshop"),
    mark("History"),
)


class BenchView(TabbedPage):
    """The tabs of the workshop; ``study_chosen`` is emitted with an id."""

    study_chosen = Signal(int)

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__(TABS, "tab", theme)
        self._workbench = workbench

    def make_tab(self, name: str) -> QWidget:
        """Make a tab; all but the first load their modules only now."""
        if name == "Machines":
            from oddtwin.ui.bench.machines import MachinesPanel

            return MachinesPanel(self._workbench, self._theme)
        if name == "Calibrate":
            from oddtwin.ui.bench.calibrate import CalibratePanel

            calibrate = CalibratePanel(self._workbench, self._theme)
            calibrate.study_written.connect(self.study_chosen)
            return calibrate
        if name == "Pieces":
            from oddtwin.ui.bench.pieces import PiecesPanel

            return PiecesPanel(self._workbench, self._theme)
        if name == "Workshop":
            from oddtwin.ui.bench.workshop import WorkshopPanel

            return WorkshopPanel(self._workbench, self._theme)
        if name == "History":
            from oddtwin.ui.bench.history import HistoryPanel

            return HistoryPanel(self._workbench)
        studies = StudiesPanel(self._workbench, self._theme)
        studies.chosen.connect(self.study_chosen)
        return studies
