"""Make the screenshots in docs/screenshots from the demo, in a window of 1280x800.

Usage: QT_QPA_PLATFORM=offscreen .venv/bin/python scripts/screenshots.py [FOLDER]
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Sequence
from datetime import datetime, timedelta
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT / "src"))

from PySide6.QtCore import QSettings  # noqa: E402
from PySide6.QtTest import QTest  # noqa: E402
from PySide6.QtWidgets import QApplication, QScrollArea, QWidget  # noqa: E402

from oddtwin import operations  # noqa: E402
from oddtwin.core.standing import Stage, next_run  # noqa: E402
from oddtwin.core.study import EventKind  # noqa: E402
from oddtwin.demo import fresh_demo  # noqa: E402
from oddtwin.ui.app import make_application, make_window, open_demo  # noqa: E402
from oddtwin.ui.window import MainWindow  # noqa: E402

# Name of the picture, study by its place in the demo (from 1, None for the bench), stage, dark.
PICTURES = (
    ("bench", None, None, False),
    ("ask", 5, Stage.ASK, False),
    ("plan", 5, Stage.PLAN, False),
    ("answer", 5, Stage.PLAN, False),
    ("timetable", 5, Stage.PLAN, False),
    ("match", 6, Stage.MATCH, False),
    ("match-layers", 3, Stage.MATCH, False),
    ("print", 3, Stage.PRINT, False),
    ("look", 2, Stage.LOOK, False),
    ("look-compare", 2, Stage.LOOK, False),
    ("look-blind", 2, Stage.LOOK, False),
    ("look-measure", 3, Stage.LOOK, True),
    ("verdict-odd", 1, Stage.VERDICT, False),
    ("verdict-twin", 2, Stage.VERDICT, False),
    ("settle", 8, Stage.SETTLE, False),
    ("measure", 3, Stage.PRINT, False),
    ("verdict-ladder", 7, Stage.VERDICT, True),
)

# Buttons to press before a picture is taken.
PRESSED = {
    "answer": ("planCan",),
    "timetable": ("planTimetable", "2026-12-01", "makeTimetable"),
    "match": ("matchFiles",),
    "match-layers": ("matchLayers",),
    "look": ("lookPhotographs",),
    "look-compare": ("lookCompare", "waySide"),
    "look-blind": ("lookJudge",),
    "look-measure": ("lookMeasure", "measureAll"),
}


def main(folder: Path, size: tuple[int, int] = (1280, 800)) -> None:
    with tempfile.TemporaryDirectory() as settings:
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, settings)
        os.environ["XDG_STATE_HOME"] = settings
        take_all(folder, size)


def take_all(folder: Path, size: tuple[int, int]) -> None:
    application = make_application()
    window = make_window(application)
    window.resize(*size)
    window.show()
    folder.mkdir(parents=True, exist_ok=True)
    take(window, folder / "welcome.png")
    fresh_demo()
    open_demo(window.workbench)
    listed = reversed(window.workbench.book.summaries())
    studies = {number: item.id for number, item in enumerate(listed, 1)}
    for name, study, stage, dark in PICTURES:
        if study is not None and stage is not None:
            window.open_study(studies[study])
            window.show_stage(stage)
        window.theme.set_dark(dark)
        if name in PRESSED:
            press(window, PRESSED[name])
        if name == "look":
            visible(window, "shotTable").setCurrentCell(2, 1)  # type: ignore[attr-defined]
        if name == "look-measure":
            scroll_to(window, "fitView")
        if name == "measure":
            print_next(window)
            window.show_stage(Stage.PRINT)
        take(window, folder / f"{name}.png")
    window.theme.set_dark(False)
    take_bench(window, folder)
    window.close()


def take_bench(window: MainWindow, folder: Path) -> None:
    """The tabs of the bench."""
    press(window, ("home", "tabCalibrate"))
    visible(window, "calibrateMachine").setCurrentIndex(0)  # type: ignore[attr-defined]
    visible(window, "calibrateJobs").setCurrentRow(1)  # type: ignore[attr-defined]
    settle(window)
    take(window, folder / "calibrate.png")


def press(window: MainWindow, buttons: Sequence[str]) -> None:
    """Click buttons by name, one after another; a date stands for the first day of the timetable."""
    settle(window)
    for name in buttons:
        if name[:1].isdigit():
            visible(window, "firstDay").setText(name)  # type: ignore[attr-defined]
        else:
            visible(window, name).click()  # type: ignore[attr-defined]
        settle(window)


def scroll_to(window: MainWindow, name: str) -> None:
    """Bring a part of the screen into sight."""
    settle(window)
    part = visible(window, name)
    above = part.parentWidget()
    while not isinstance(above, QScrollArea):
        above = above.parentWidget()
    above.ensureWidgetVisible(part, 0, 20)


def visible(window: MainWindow, name: str) -> QWidget:
    return next(widget for widget in window.findChildren(QWidget, name) if widget.isVisible())


def settle(window: MainWindow) -> None:
    while window.workbench.lanes.busy:
        # Not qWait: it keeps the interpreter's lock, and the worker would starve.
        time.sleep(0.01)
        QApplication.processEvents()
    QTest.qWait(100)


def print_next(window: MainWindow) -> None:
    """Stamp the next run, so that the fields to measure it show."""
    study = window.workbench.study
    run = next_run(study) if study else None
    if run is not None:
        start = datetime(2026, 3, 13, 13, 30)
        for operation, at in (
            (operations.start_run, start),
            (operations.finish_run, start + timedelta(minutes=95)),
        ):
            window.workbench.do(operation, run_id=run.id, code=run.code, at=at)
        noted = start + timedelta(minutes=50)
        window.workbench.do(
            operations.note_event, run_id=run.id, code=run.code, kind=EventKind.BLOB, z_mm=7.4, at=noted
        )


def take(window: MainWindow, path: Path) -> None:
    settle(window)
    QTest.qWait(300)
    window.grab().save(str(path))


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "docs" / "screenshots"
    width, height = (int(part) for part in (sys.argv[2] if len(sys.argv) > 2 else "1280x800").split("x"))
    main(target, (width, height))
