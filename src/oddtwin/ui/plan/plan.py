"""The screen of the stage Plan."""

from __future__ import annotations

from typing import Final

from PySide6.QtWidgets import QWidget

from oddtwin.core.language import mark
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import TabbedPage
from oddtwin.ui.workbench import Workbench

TABS: Final = (mark("Design"), mark("Can it answer?"), mark("Timetable"), mark("Paper"))


class PlanView(TabbedPage):
    """Four tabs: the design, its power, its days, its paper."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__(TABS, "plan", theme)
        self._workbench = workbench

    def refresh(self) -> None:
        """Show the study in hand."""
        if self._workbench.study is not None:
            self.begin(self._workbench.study.id)
            super().refresh()
            # What changes nothing, such as chances and paper, can be looked at and written always.
            for name in (TABS[0], TABS[2]):
                if name in self._panels:
                    self._panels[name].setEnabled(self._workbench.can_edit_study)

    def make_tab(self, name: str) -> QWidget:
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
