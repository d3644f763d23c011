"""The table of screens: what is shown at each stage and beside them, loaded when it is first asked for."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from typing import Any, Final, Protocol, cast

from PySide6.QtWidgets import QWidget

from oddtwin.core.standing import Stage
from oddtwin.ui.theme import Theme
from oddtwin.ui.workbench import Workbench

WELCOME, BENCH, HELP = "WELCOME", "BENCH", "HELP"

SCREENS: Final[Mapping[str, tuple[str, str]]] = {
    WELCOME: ("oddtwin.ui.bench", "WelcomeView"),
    BENCH: ("oddtwin.ui.bench", "BenchView"),
    HELP: ("oddtwin.ui.help", "HelpView"),
    Stage.ASK.name: ("oddtwin.ui.ask", "AskView"),
    Stage.PLAN.name: ("oddtwin.ui.plan", "PlanView"),
    Stage.MATCH.name: ("oddtwin.ui.match", "MatchView"),
    Stage.PRINT.name: ("oddtwin.ui.press", "PressView"),
    Stage.LOOK.name: ("oddtwin.ui.look", "LookView"),
    Stage.VERDICT.name: ("oddtwin.ui.verdict", "VerdictView"),
    Stage.SETTLE.name: ("oddtwin.ui.settle", "SettleView"),
}
"""Package and view of each screen; every view is made of the workbench and the theme."""


class Screen(Protocol):
    """What the window asks of a screen; ``take_focus`` and ``show_next`` where it has them."""

    def refresh(self) -> None:
        """Show the lab book or the study in hand as it is now."""


def make_screen(name: str, workbench: Workbench, theme: Theme) -> QWidget:
    """Make a screen of the table.

    Parameters
    ----------
    name : str
        Of a stage, or one of those beside them.
    workbench : Workbench
        What it reads and edits through.
    theme : Theme
        Its colours.
    """
    package, view = SCREENS[name]
    make: Any = getattr(import_module(package), view)
    return cast(QWidget, make(workbench, theme))
