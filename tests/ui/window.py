"""A window to drive by key and mouse, and proof that nothing of it is left afterwards."""

from __future__ import annotations

import os
import shutil
import threading
import time
from pathlib import Path
from typing import Any
from unittest import mock

from platformdirs import user_cache_path
from PySide6.QtCore import QEvent, QPoint, QSettings, Qt, QThread
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QLineEdit, QPlainTextEdit, QSpinBox, QWidget

from oddtwin import operations
from oddtwin.core.standing import Stage
from oddtwin.demo import fresh_demo
from oddtwin.ui.app import make_application, make_window
from tests.cases import Fill, InFolder, filled, nothing


def _with_study(do, name: str, fill: Fill, *told: Any):
    do(operations.add_study, name=name)
    fill(do, *told)


KEPT = user_cache_path("odd-twin")
"""Where the demo that is built once for all tests is kept, whatever home a test has."""


class InWindow(InFolder):
    """A test with a window that has no lab book open; ``self.folder`` is also the home."""

    def setUp(self):
        super().setUp()
        home = {
            "HOME": str(self.folder / "home"),
            "XDG_STATE_HOME": str(self.folder / "state"),
            "XDG_CACHE_HOME": str(self.folder / "cache"),
        }
        self.enterContext(mock.patch.dict(os.environ, home))
        (self.folder / "home").mkdir()
        QSettings.setPath(
            QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(self.folder / "config")
        )
        self.application = make_application()
        self.errors = []
        self.window = make_window(self.application)
        self.enterContext(mock.patch("sys.excepthook", lambda *error: self.errors.append(error)))
        self.window.show()
        self.window.activateWindow()
        # Qt's own waiting looks every fiftieth of a second, which is most of what a small test takes.
        limit = time.monotonic() + 5
        while not self.window.isActiveWindow():
            self.assertLess(time.monotonic(), limit, "the window is not active")
            self.application.processEvents()
        self.bench = self.window.workbench
        self.addCleanup(self._close)

    def _close(self):
        self.window.close()
        if self.window.isVisible():
            # An edit that cannot be stored is asked for once.
            self.window.close()
        self.settle()
        self.window.deleteLater()
        self.bench.deleteLater()
        self.window.theme.deleteLater()
        self.application.processEvents()
        # Outside of Qt's own loop nothing else deletes them, and each change of the application's letters or
        # colours would go through every window that a test ever had.
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        self.assertEqual(self.errors, [])
        self.assertEqual([widget for widget in QApplication.topLevelWidgets() if widget.isVisible()], [])
        self.assertIs(QThread.currentThread(), self.application.thread())
        limit = time.monotonic() + 5
        while [thread for thread in threading.enumerate() if thread.name == "worker"]:
            self.assertLess(time.monotonic(), limit, "a worker is left")
            time.sleep(0.002)

    # ------------------------------------------------------------ waiting

    def settle(self):
        """Wait until no work and no event is under way."""
        limit = time.monotonic() + 30
        self.application.processEvents()
        while self.bench.lanes.busy:
            self.assertLess(time.monotonic(), limit, "work did not end")
            # Not qWait: it keeps the interpreter's lock, and the worker would starve.
            time.sleep(0.002)
            self.application.processEvents()
        self.application.processEvents()

    # ------------------------------------------------------------ finding

    def find(self, name: str) -> QWidget:
        """The visible widget of that name."""
        found = [widget for widget in self.window.findChildren(QWidget, name) if widget.isVisible()]
        self.assertEqual(len(found), 1, f"{name}: {len(found)} visible")
        return found[0]

    def is_shown(self, name: str) -> bool:
        return any(widget.isVisible() for widget in self.window.findChildren(QWidget, name))

    def texts(self) -> str:
        """All words that can be read in the window."""
        return "\n".join(item.text() for item in self.window.findChildren(QLabel) if item.isVisible())

    def sentence(self, response: str) -> str:
        card = self.find(f"finding-{response}")
        return card.findChild(QLabel, "sentence").text().replace("\u202f", " ")

    @property
    def message(self) -> str:
        return self.find("message").text() if self.is_shown("message") else ""

    @property
    def focused(self) -> str:
        widget = self.window.focusWidget()
        return widget.objectName() if widget else ""

    # ------------------------------------------------------------ acting

    def click(self, name: str):
        widget = self.find(name)
        # Boxes and buttons with a label react to their left end at any width.
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(12, widget.height() // 2))
        self.application.processEvents()

    def type_into(self, name: str, text: str, enter: bool = True):
        """Click into a field, replace what is there, and press Enter."""
        widget = self.find(name)
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
        if isinstance(widget, QLineEdit | QPlainTextEdit | QSpinBox):
            widget.selectAll()
        self.press(text)
        if enter:
            self.keys(Qt.Key.Key_Return)

    def press(self, text: str):
        """Type into whatever has the focus."""
        QTest.keyClicks(self.window.focusWidget(), text)

    def keys(self, *keys: Qt.Key, control=False, shift=False, alt=False):
        modifiers = Qt.KeyboardModifier.NoModifier
        for wanted, modifier in (
            (control, Qt.KeyboardModifier.ControlModifier),
            (shift, Qt.KeyboardModifier.ShiftModifier),
            (alt, Qt.KeyboardModifier.AltModifier),
        ):
            if wanted:
                modifiers |= modifier
        for key in keys:
            QTest.keyClick(self.window.focusWidget() or self.window, key, modifiers)
            self.application.processEvents()

    def enter(self, times: int = 1):
        self.keys(*[Qt.Key.Key_Return] * times)

    def undo(self):
        self.keys(Qt.Key.Key_Z, control=True)

    def redo(self):
        self.keys(Qt.Key.Key_Z, control=True, shift=True)

    def stage(self, number: int):
        self.keys(Qt.Key(Qt.Key.Key_0.value + number), alt=True)
        self.settle()

    # ------------------------------------------------------------ beginnings

    def with_demo(self):
        """Let the demo be there as on every start but the first."""
        own = user_cache_path("odd-twin")
        with mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(KEPT.parent)}):
            fresh_demo()
        shutil.copytree(KEPT, own, ignore=lambda at, names: [n for n in names if "being-built" in n])

    def type_new_book(self) -> Path:
        """Make a lab book as a user does."""
        folder = self.folder / "shed"
        self.type_into("newBookName", "Shed")
        self.type_into("newBookFolder", str(folder))
        self.settle()
        return folder

    def new_book(self, fill: Fill = nothing, *told: Any) -> Path:
        """Open a copy of a lab book that was filled by operations, once for all tests.

        ``fill`` is called with what carries an operation out, and with what else it is told.
        """
        folder = self.folder / "shed"
        shutil.copytree(filled(fill, *told), folder)
        self.assertTrue(self.bench.open_book(folder))
        self.settle()
        return folder

    def new_study(self, name: str = "Trial", fill: Fill = nothing, *told: Any):
        """Open a copy of a book with a study, at its question."""
        self.new_book(_with_study, name, fill, *told)
        self.bench.open_study(1)
        self.window.show_stage(Stage.ASK)
        self.settle()
