"""Starting the window."""

from __future__ import annotations

import os
import signal
import sys
import traceback
from datetime import datetime
from pathlib import Path
from types import TracebackType
from typing import Final

from platformdirs import user_log_path
from PySide6.QtCore import QCoreApplication
from PySide6.QtGui import QGuiApplication, QIcon
from PySide6.QtWidgets import QApplication

from oddtwin import __version__
from oddtwin.core.language import tr
from oddtwin.store import recent_books
from oddtwin.ui.demo_book import open_demo
from oddtwin.ui.theme import ASSETS, Theme, load_fonts
from oddtwin.ui.widgets.place import translate_dialogs, write_as_here
from oddtwin.ui.widgets.roles import install_roles
from oddtwin.ui.window import MainWindow
from oddtwin.ui.workbench import Workbench

SWITCH_S: Final = 0.0005
"""How long a thread that figures keeps the interpreter when the interface asks for it."""


def run(book: Path | None, demo: bool) -> int:
    """Open the window and stay until it is closed.

    Parameters
    ----------
    book : Path, optional
        Lab book to open; by default the one opened last.
    demo : bool
        Open a fresh copy of the demo lab book instead.

    Returns
    -------
    int
        Exit status.
    """
    _choose_platform()
    application = make_application()
    window = make_window(application)
    workbench = window.workbench
    window.work_ahead()
    window.show()
    try:
        if demo:
            open_demo(workbench)
        else:
            folder = book or next(iter(recent_books()), None)
            if folder is not None:
                workbench.open_book(folder)
    except Exception:  # noqa: BLE001 - the border: whatever a book holds, the window is there
        sys.excepthook(*sys.exc_info())
    return application.exec()


def _choose_platform() -> None:
    """Run unseen where there is no display, instead of ending in Qt's plugin loader."""
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
        print(
            "No display was found, so Odd Twin runs without a visible window. Ctrl+C ends it.",
            file=sys.stderr,
        )
    # Qt's loop runs no Python while it waits, so that Ctrl+C would only be heard at the next event.
    signal.signal(signal.SIGINT, signal.SIG_DFL)


def make_application() -> QApplication:
    """Return the application, named for its settings and its desktop entry."""
    # Every look into the database lets another thread in; one that figures would keep the
    # interpreter for 5 ms each time, and an edit looks some twenty times.
    sys.setswitchinterval(SWITCH_S)
    existing = QApplication.instance()
    application = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    QCoreApplication.setOrganizationName("odd-twin")
    QCoreApplication.setApplicationName("odd-twin")
    QCoreApplication.setApplicationVersion(__version__)
    QGuiApplication.setDesktopFileName("odd-twin")
    if not isinstance(existing, QApplication):
        load_fonts()
        translate_dialogs(application)
        install_roles()
        write_as_here()
    application.setWindowIcon(QIcon(str(ASSETS / "icons" / "odd-twin.svg")))
    return application


def make_window(application: QApplication) -> MainWindow:
    """Return the main window on a workbench without a lab book; errors go to its message bar."""
    window = MainWindow(Workbench(application), Theme(application))

    def on_error(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            application.quit()
            return
        where = _write_error("".join(traceback.format_exception(kind, error, trace)))
        window.show_message(
            tr(
                "Something went wrong inside Odd Twin ({error}). What was saved is safe. {where}",
                error=error,
                where=where,
            )
        )

    # What nobody expected ends in a sentence and a log; the window, and what is typed in it, stays.
    sys.excepthook = on_error
    return window


def _write_error(details: str) -> str:
    """Keep what happened for a report; returns a sentence that says where."""
    log = user_log_path("odd-twin") / "errors.log"
    try:
        log.parent.mkdir(parents=True, exist_ok=True)
        with log.open("a", encoding="utf-8") as out:
            out.write(f"{datetime.now().isoformat(timespec='seconds')}\n{details}\n")
    except OSError:
        return tr("Please report it.")
    return tr("Please report it, with {log}.", log=log)
