"""What a panel shows while files are read: how far it is, and a way to stop it."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QProgressBar, QWidget

from oddtwin.core.language import tr
from oddtwin.ui.match.shelf import Shelf
from oddtwin.ui.widgets import button, fix, label, row

SOON_MS = 400


class Waiting(QWidget):
    """A bar that appears when work takes longer than a moment."""

    def __init__(self, shelf: Shelf) -> None:
        super().__init__()
        self._bar = QProgressBar()
        self._bar.setObjectName("matchProgress")
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        fix(self._bar, width=320)
        layout = row(
            label(tr("Reading and planning the files…"), wrap=False),
            self._bar,
            button(tr("Stop"), shelf.stop, name="matchStop"),
            None,
        )
        layout.setContentsMargins(0, 0, 0, 0)
        self.setLayout(layout)
        self.hide()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(self.show)
        shelf.moved.connect(self._on_moved)

    def _on_moved(self, share: float) -> None:
        self._bar.setValue(round(1000 * share))
        if share >= 1:
            self._soon.stop()
            self.hide()
        elif self.isHidden() and not self._soon.isActive():
            self._soon.start()
