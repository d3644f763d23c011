"""Speed, as ratios in one run; these are goals to look at, not timed tests.

Usage: QT_QPA_PLATFORM=offscreen .venv/bin/python bench/run.py
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
sys.path.insert(0, str(ROOT / "src"))

from bench.ahead import (  # noqa: E402
    confounding_seconds,
    one_at_a_time_seconds,
    rehearsal_seconds,
    timetable_figures,
)
from bench.books import big_book, wide_study  # noqa: E402
from bench.sliced import sliced_figures  # noqa: E402

BARE = """
import time; start = time.perf_counter()
from PySide6.QtWidgets import QApplication, QMainWindow
application = QApplication([]); window = QMainWindow(); window.show(); application.processEvents()
print(time.perf_counter() - start)
"""
OPEN = """
import sys, time; start = time.perf_counter()
from pathlib import Path
from oddtwin.ui.app import make_application, make_window, open_demo
application = make_application(); window = make_window(application)
window.workbench.open_book(Path(sys.argv[1]), remember=False) if sys.argv[1:] else open_demo(window.workbench)
window.show(); application.processEvents()
print(time.perf_counter() - start)
late = [name for name in ("scipy.stats", "statsmodels", "pandas", "matplotlib") if name in sys.modules]
assert not late, late
import os; os._exit(0)
"""
ROUNDS = 7


def child(code: str, *arguments: str) -> float:
    """Best seconds of some rounds in fresh interpreters."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(ROOT / "src")}
    # A user's second start finds the modules compiled.
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    times = []
    for _ in range(ROUNDS):
        run = subprocess.run(
            [sys.executable, "-c", code, *arguments],
            env=environment,
            capture_output=True,
            text=True,
            check=True,
        )
        times.append(float(run.stdout.split()[0]))
    return min(times)


def verdict_seconds() -> float:
    """Median seconds of work for 10 responses over 200 runs, as on the verdict screen."""
    from oddtwin.core.judgement import analyse

    study = wide_study(responses=10, pairs=100)
    analyse(study)
    times = []
    for _ in range(ROUNDS):
        start = time.process_time()
        analyse(study)
        times.append(time.process_time() - start)
    return statistics.median(times)


def main() -> None:
    bare = child(BARE)
    demo = child(OPEN)
    with tempfile.TemporaryDirectory() as folder:
        book = big_book(Path(folder) / "big", studies=100, runs=2000)
        big = child(OPEN, str(book))
    verdict = verdict_seconds()
    print(f"bare window                    {bare:6.2f} s")
    print(f"first screen of the demo       {demo:6.2f} s = {demo / bare:4.2f} x bare     (goal: at most 3)")
    print(f"book of 100 studies x 2000     {big:6.2f} s = {big / demo:4.2f} x the demo (goal: at most 1.5)")
    print(f"verdict of 10 x 200            {verdict * 1000:6.0f} ms of work          (goal: under 200)")
    many, alone = rehearsal_seconds(), one_at_a_time_seconds()
    print(f"1000 rehearsals of 16 x 3      {many:6.2f} s = {alone / many:4.0f} x one by one (goal: 20)")
    seconds, columns = confounding_seconds()
    print(f"confounding of 200 x {columns}        {seconds * 1000:6.1f} ms of work          (goal: under 50)")
    print("\n".join(sliced_figures()))
    clock, gap = timetable_figures()
    print(f"timetable of 60 runs on 4      {clock:6.2f} s, gap {100 * gap:.0f} %          (goal: within 5 s)")


if __name__ == "__main__":
    main()
