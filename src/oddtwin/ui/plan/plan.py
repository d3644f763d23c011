"""The screen of the stage Plan."""

from __future__ import annotations

from functools import partial
from typing import Final, Protocol

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Page, button
from oddtwin.ui.workbench import Workbench

TABS: Final = ("Design", "Can it answer?", "Timetable", "Paper")


class Panel(Protocol):
    """What the screen asks of a tab."""

    def refresh(self) -> None:
        """Show the study in hand."""


class PlanView(Page):
    """Four tabs, each made when it is first shown: the design, its power, its days, its paper."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._panels: dict[str, QWidget] = {}
        self._buttons: dict[str, QPushButton] = {}
        tabs = QHBoxLayout()
        for name in TABS:
            tab = button(name, partial(self.show_tab, name), name=f"plan{name.split()[0]}")
            tab.setProperty("tab", True)
            tab.setCheckable(True)
            self._buttons[name] = tab
            tabs.addWidget(tab)
        tabs.addStretch(1)
        self.body.addLayout(tabs)
        self.body.addStretch(1)
        self._shown = TABS[0]
        self.show_tab(self._shown)

    def refresh(self) -> None:
        """Show the study in hand."""
        if self._workbench.study is None:
            return
        panel: Panel = self._panels[self._shown]  # type: ignore[assignment]
        panel.refresh()
        self.content.setEnabled(self._workbench.can_edit)

    def show_tab(self, name: str) -> None:
        """Show one of the tabs, up to date."""
        self._shown = name
        # The panel with the focus may be about to hide; the focus would fly to the header.
        if self.isVisible():
            self._buttons[name].setFocus()
        if name not in self._panels:
            self._panels[name] = self._make(name)
            self.body.insertWidget(self.body.count() - 1, self._panels[name])
        for other, panel in self._panels.items():
            panel.setVisible(other == name)
        for other, tab in self._buttons.items():
            tab.setChecked(other == name)
        self.setFocusProxy(self._panels[name])
        self.verticalScrollBar().setValue(0)
        self.refresh()

    def _make(self, name: str) -> QWidget:
        """Make a tab; its modules are loaded only now."""
        if name == TABS[1]:
            from oddtwin.ui.plan.answer import AnswerPanel

            return AnswerPanel(self._workbench, self._theme)
        if name == TABS[2]:
            from oddtwin.ui.plan.days import DaysPanel

            return DaysPanel(self._workbench, self._theme)
        if name == TABS[3]:
            from oddtwin.ui.plan.paper import PaperPanel

            return PaperPanel(self._workbench)
        from oddtwin.ui.plan.design import DesignPanel

        return DesignPanel(self._workbench, self._theme)
