"""How far long work is, and a button to stop it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from oddtwin.core.language import tr
from oddtwin.ui.jobs import RunningJob
from oddtwin.ui.widgets.parts import button

SHOWN_AFTER_MS: Final = 500
"""Work that is done sooner needs no bar."""


class ProgressRow(QWidget):
    """A bar with a button; hidden until work has gone on for half a second."""

    def __init__(self, name: str, stop: Callable[[], None]) -> None:
        super().__init__()
        self._bar = QProgressBar()
        self._bar.setObjectName(name)
        self._bar.setRange(0, 100)
        self._bar.setTextVisible(False)
        self._waiting = QTimer(self)
        self._waiting.setSingleShot(True)
        self._waiting.setInterval(SHOWN_AFTER_MS)
        self._waiting.timeout.connect(self.show)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._bar, 1)
        layout.addWidget(button(tr("Stop"), stop, name=f"{name}Stop"))
        self.hide()

    def follow(self, running: RunningJob) -> None:
        """Show how far work is until it ends."""
        self._bar.setValue(0)
        self._waiting.start()
        running.moved.connect(lambda share: self._bar.setValue(round(100 * share)))
        running.ended.connect(self._on_ended)

    def _on_ended(self) -> None:
        self._waiting.stop()
        self.hide()
