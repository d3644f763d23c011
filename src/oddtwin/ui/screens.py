"""The table of screens, and the stack of those that were made: when asked for, or ahead of that."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from importlib import import_module
from itertools import chain
from typing import Any, Final, Protocol, cast

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QStackedWidget, QWidget

from oddtwin.core.standing import Stage
from oddtwin.ui.theme import Theme
from oddtwin.ui.warming import keep_for_good
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


BETWEEN_STEPS_MS: Final = 20
"""So long the window is left alone between two steps of what is made ahead."""


class Screen(Protocol):
    """What the window asks of a screen; ``take_focus``, ``show_next`` and ``ahead`` where it has them."""

    def refresh(self) -> None:
        """Show the lab book or the study in hand as it is now."""


class ScreenStack(QStackedWidget):
    """The screens that were made so far; one of them is seen.

    ``made`` is emitted with a screen that is new.
    """

    made = Signal(QWidget)

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._screens: dict[str, QWidget] = {}
        self._steps: Iterator[None] = iter(())
        self._kept = False
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(BETWEEN_STEPS_MS)
        self._pause.timeout.connect(self._on_paused)

    def made_so_far(self, name: str) -> QWidget | None:
        """Return a screen of the table; None where nobody asked for it yet."""
        return self._screens.get(name)

    def bring(self, name: str) -> QWidget:
        """Show a screen of the table, up to date.

        Parameters
        ----------
        name : str
            Of a stage, or one of those beside them.
        """
        for _ in self._made_ready(name):
            pass
        screen = self._screens[name]
        self.setCurrentWidget(screen)
        return screen

    def bring_ahead(self, names: Sequence[str]) -> None:
        """Make screens, and fill them, in small steps while nothing else is to be done.

        Whoever asks for one of them afterwards finds it as good as there. What was under way, for a
        lab book or study that may be another one now, is given up.
        """
        self._steps = chain.from_iterable(map(self._made_ahead, names))
        self._pause.start()

    def _on_paused(self) -> None:
        if not self._workbench.has_book:
            return
        # First, so that a step that fails does not keep the other screens from being made.
        self._pause.start()
        # What a screen has figured is not to wait behind what nobody looks at yet.
        if not self._workbench.lanes.busy:
            try:
                next(self._steps)
            except StopIteration:
                self._pause.stop()
                self._on_all_made()

    def _on_all_made(self) -> None:
        # Once: rows that come and go later are garbage one day.
        if not self._kept and len(self._screens) >= len(Stage):
            self._kept = True
            keep_for_good()

    def _made_ahead(self, name: str) -> Iterator[None]:
        if self._screens.get(name) is not self.currentWidget():
            yield from self._made_ready(name)
        tabs = getattr(self._screens[name], "ahead", None)
        if tabs is not None and (name == BENCH or self._workbench.study is not None):
            yield from tabs()

    def _made_ready(self, name: str) -> Iterator[None]:
        """Make, fill and dress a screen; between two steps the window may do something else."""
        if name not in self._screens:
            package, view = SCREENS[name]
            make: Any = getattr(import_module(package), view)
            self._screens[name] = cast(QWidget, make(self._workbench, self._theme))
            self.made.emit(self._screens[name])
            yield
        screen: Any = self._screens[name]
        screen.refresh()
        yield
        if self.indexOf(screen) < 0:
            # Filled first: inside the window every part would be styled and laid out by itself.
            self.addWidget(screen)
        yield from self._theme.dressing(screen)
