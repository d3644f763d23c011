"""Make the screenshots in docs/screenshots from the demo, in a window of 1280x800.

Usage: QT_QPA_PLATFORM=offscreen .venv/bin/python scripts/screenshots.py [FOLDER]
"""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT / "src"))

from PySide6.QtCore import QStandardPaths  # noqa: E402
from PySide6.QtTest import QTest  # noqa: E402

from oddtwin.core.study import Stage  # noqa: E402
from oddtwin.ui.app import make_application, make_window, open_demo  # noqa: E402
from oddtwin.ui.window import MainWindow  # noqa: E402

# Name of the picture, study by its place in the demo (from 1, None for the bench), stage, dark.
PICTURES = (
    ("bench", None, None, False),
    ("ask", 3, Stage.ASK, False),
    ("plan", 3, Stage.PLAN, False),
    ("print", 3, Stage.PRINT, False),
    ("verdict-odd", 1, Stage.VERDICT, False),
    ("verdict-twin", 2, Stage.VERDICT, False),
    ("settle", 1, Stage.SETTLE, False),
    ("verdict-dark", 3, Stage.VERDICT, True),
)


def main(folder: Path, size: tuple[int, int] = (1280, 800)) -> None:
    QStandardPaths.setTestModeEnabled(True)
    application = make_application()
    window = make_window(application)
    window.resize(*size)
    window.show()
    folder.mkdir(parents=True, exist_ok=True)
    take(window, folder / "welcome.png")
    open_demo(window.workbench)
    listed = reversed(window.workbench.book.summaries())
    studies = {number: item.id for number, item in enumerate(listed, 1)}
    for name, study, stage, dark in PICTURES:
        if study is not None and stage is not None:
            window.open_study(studies[study])
            window.show_stage(stage)
        window.theme.set_dark(dark)
        take(window, folder / f"{name}.png")
    window.theme.set_dark(False)
    window.close()


def take(window: MainWindow, path: Path) -> None:
    while window.workbench.tasks.busy:
        QTest.qWait(20)
    QTest.qWait(50)
    window.grab().save(str(path))


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "docs" / "screenshots"
    width, height = (int(part) for part in (sys.argv[2] if len(sys.argv) > 2 else "1280x800").split("x"))
    main(target, (width, height))
