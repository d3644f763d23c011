"""The bench: all studies with where they stand, machines, pieces, workshop, and the history."""

from __future__ import annotations

from functools import partial
from typing import Final, Protocol

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QWidget

from oddtwin.ui.bench.studies import StudiesPanel
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Page, button
from oddtwin.ui.workbench import Workbench

TABS: Final = ("Studies", "Machines", "Pieces", "Workshop", "History")


class Panel(Protocol):
    """What the bench asks of a tab."""

    def refresh(self) -> None:
        """Show the lab book as it is now."""


class BenchView(Page):
    """Tabs, each made when it is first shown; ``study_chosen`` is emitted with an id."""

    study_chosen = Signal(int)

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._stack = QStackedWidget()
        self._panels: dict[str, QWidget] = {}
        self._buttons: dict[str, QPushButton] = {}
        tabs = QHBoxLayout()
        for name in TABS:
            tab = button(name, partial(self.show_tab, name), name=f"tab{name}")
            tab.setProperty("tab", True)
            tab.setCheckable(True)
            self._buttons[name] = tab
            tabs.addWidget(tab)
        tabs.addStretch(1)
        self.body.addLayout(tabs)
        self.body.addWidget(self._stack, 1)
        self._shown = TABS[0]

    def refresh(self) -> None:
        """Show the lab book as it is now."""
        self.show_tab(self._shown)

    def show_tab(self, name: str) -> None:
        """Show one of the tabs, up to date."""
        self._shown = name
        if name not in self._panels:
            self._panels[name] = self._make(name)
            self._stack.addWidget(self._panels[name])
        panel: Panel = self._panels[name]  # type: ignore[assignment]
        panel.refresh()
        self._stack.setCurrentWidget(self._panels[name])
        for other, tab in self._buttons.items():
            tab.setChecked(other == name)

    def _make(self, name: str) -> QWidget:
        if name == "Machines":
            from oddtwin.ui.bench.machines import MachinesPanel

            return MachinesPanel(self._workbench)
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
