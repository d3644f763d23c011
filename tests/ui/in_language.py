"""A walk through the window in another language, in a process of its own; prints what is wrong, as JSON.

``python -m tests.ui.in_language brackets`` speaks a language in which every sentence stands in brackets:
what a person reads outside of them was never looked up. ``python -m tests.ui.in_language de`` speaks that
language: nothing may be pushed out of the window by its longer words.
"""

from __future__ import annotations

import gettext
import json
import os
import re
import sqlite3
import sys
import time
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

OPEN, CLOSE = "⟦", "⟧"
UNITS = {
    "min",
    "mm³",
    "cm³",
    "steps",
    "SHA",
    "Odd",
    "Twin",
    "Letter",
    "Alt",
    "Escape",
    "Ctrl",
    "Home",
    "Return",
    "dev",
    "ttyS",
}
"""Outside of sentences everywhere: units, the name of the program, sizes of paper, keys."""


class Brackets(gettext.NullTranslations):
    """Every sentence in brackets."""

    def gettext(self, message: str) -> str:
        return f"{OPEN}{message}{CLOSE}"

    def ngettext(self, one: str, many: str, count: int) -> str:
        return self.gettext(one if count == 1 else many)


def outside(text: str) -> str:
    """Return what of a text stands in no brackets."""
    depth, found = 0, []
    for sign in re.sub(r"<[^>]*>", " ", text):
        depth += (sign == OPEN) - (sign == CLOSE)
        found.append(" " if depth or sign == CLOSE else sign)
    return "".join(found)


def words(text: str) -> set[str]:
    """Return the words of a text that a person would read."""
    # A word that was cut off is none.
    return set(re.findall(r"[^\W\d_]{3,}+(?!…)", text))


def of_book(folder: Path) -> set[str]:
    """Return every word that the lab book holds: names and notes are in no catalogue."""
    found: set[str] = set()
    with closing(sqlite3.connect(folder / "labbook.sqlite")) as connection:
        tables = connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall()
        for (table,) in tables:
            for row in connection.execute(f'SELECT * FROM "{table}"'):
                for value in row:
                    found |= words(value) if isinstance(value, str) else set()
    return found


def of_tables() -> set[str]:
    """Return the names of what is typed into calibrations: columns of a table are called so in files too."""
    from oddtwin.core.calibrate import JOBS

    names = [one.name for job in JOBS for one in (*job.columns, *job.options)]
    return {word for name in names for word in words(name.replace("_", " "))}


def main(language: str) -> None:
    if language == "brackets":
        gettext.translation = lambda *_, **__: Brackets()  # type: ignore[assignment]
    else:
        os.environ["LANGUAGE"] = language
    from oddtwin.ui.spoken import speak_as_here

    speak_as_here()
    from PySide6.QtCore import QSettings

    from oddtwin.ui.app import make_application, make_window, open_demo
    from tests.ui.every_screen import settle

    settings = Path(os.environ["HOME"]) / "config"
    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(settings))
    failures: list[str] = []
    window = make_window(make_application())
    sys.excepthook = lambda *error: failures.append(repr(error[1]))
    window.resize(1024, 700)
    window.show()
    open_demo(window.workbench)
    end = time.monotonic() + 120
    while not window.workbench.has_book and time.monotonic() < end:
        settle(window)
    folder = window.workbench.book.folder
    known = of_book(folder) | words(str(folder)) | of_tables() | UNITS
    wrong: dict[str, list[str]] = {}
    shown = 0
    for screen in _everything(window):
        found = list(_texts(window))
        shown += len(found)
        if language == "brackets":
            told = [text for text in found if words(outside(text)) - known]
        else:
            told = _sideways(window)
        if told:
            wrong[screen] = told
    print(json.dumps({"shown": shown, "wrong": wrong, "failures": failures}))
    sys.stdout.flush()
    # Nothing is left to be told, and threads of Qt may still run.
    os._exit(0)


def _everything(window: object) -> Iterator[str]:
    """Show every screen, the cards of questions and the sheet of keys."""
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest

    from tests.ui.every_screen import every_screen, settle

    yield from every_screen(window)  # type: ignore[arg-type]
    QTest.keyClick(window, Qt.Key.Key_F1)  # type: ignore[call-overload]
    settle(window)  # type: ignore[arg-type]
    yield "help"


def _texts(window: object) -> Iterator[str]:
    """Give every text of the window that a person sees or hears."""
    from PySide6.QtCore import Qt
    from PySide6.QtWidgets import (
        QAbstractButton,
        QComboBox,
        QLabel,
        QLineEdit,
        QListWidget,
        QPlainTextEdit,
        QSpinBox,
        QTableWidget,
        QWidget,
    )

    for one in window.findChildren(QWidget):  # type: ignore[attr-defined]
        if not one.isVisible():
            continue
        yield from (one.toolTip(), one.accessibleName(), one.accessibleDescription())
        if isinstance(one, QLabel | QAbstractButton):
            yield one.text()
        elif isinstance(one, QLineEdit | QPlainTextEdit):
            yield one.placeholderText()
        elif isinstance(one, QComboBox):
            yield from (one.itemText(place) for place in range(one.count()))
        elif isinstance(one, QSpinBox):
            yield from (one.prefix(), one.suffix(), one.specialValueText())
        elif isinstance(one, QListWidget):
            yield from (one.item(place).text() for place in range(one.count()))
        elif isinstance(one, QTableWidget):
            for column in range(one.columnCount()):
                yield str(one.model().headerData(column, Qt.Orientation.Horizontal) or "")
                yield from (
                    str(one.model().index(line, column).data() or "") for line in range(one.rowCount())
                )


def _sideways(window: object) -> list[str]:
    from PySide6.QtWidgets import QScrollArea

    return [
        f"{type(area).__name__} by {area.horizontalScrollBar().maximum()} px"
        for area in window.findChildren(QScrollArea)  # type: ignore[attr-defined]
        if area.isVisible() and area.horizontalScrollBar().maximum() > 0
    ]


if __name__ == "__main__":
    main(sys.argv[1])
