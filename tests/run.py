"""Run the tests on all cores and end with one line that counts them.

``tests/run.py [-v] [-jN] [--slowest N] [NAME …]``: names are modules, classes or tests as unittest
knows them; without any, everything is run. ``python -m unittest`` runs the same tests one by one.
"""

from __future__ import annotations

import argparse
import ast
import io
import multiprocessing
import os
import shutil
import sys
import tempfile
import time
import unittest
import warnings
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from importlib.abc import MetaPathFinder
from pathlib import Path
from typing import Any, cast

ROOT = Path(__file__).parent
MEMORY = "/dev/shm"
ROOM_BYTES = 1 << 30

WITHOUT_QT = ("tests.core", "tests.store", "tests.operations", "tests.demo", "tests.test_cli")
"""What is tested where Qt cannot be imported: everything below the window."""


@dataclass(frozen=True)
class Outcome:
    """What came of one share of the tests."""

    name: str
    run: int
    failed: int
    skipped: tuple[str, ...]
    durations: tuple[tuple[float, str], ...]
    told: str


class _Timed(unittest.TextTestResult):
    """Results that know how long each test took."""

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self.durations: list[tuple[float, str]] = []
        self._began = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        self.durations.append((time.monotonic() - self._began, test.id()))
        super().stopTest(test)


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*")
    parser.add_argument("-v", action="store_true", help="tell every test")
    parser.add_argument("-j", type=int, default=os.cpu_count() or 1, help="processes")
    parser.add_argument("--slowest", type=int, default=0, help="list so many of the slowest tests")
    options = parser.parse_args(arguments)
    os.environ.setdefault("PYTHONWARNINGS", "error")
    sys.path.insert(0, str(ROOT.parent))
    outcomes = []
    # The demo is built once for all processes, and never taken from an earlier run.
    kept = tempfile.TemporaryDirectory(prefix="twin-", dir=_in_memory())
    os.environ["XDG_CACHE_HOME"] = os.environ["TMPDIR"] = kept.name
    for outcome in _outcomes(options.names or _classes(), options.j, options.v):
        outcomes.append(outcome)
        if outcome.failed or options.v:
            print(outcome.told, flush=True)
    kept.cleanup()
    _tell_slowest(outcomes, options.slowest)
    for reason in (reason for outcome in outcomes for reason in outcome.skipped):
        print(f"skipped: {reason}")
    run, failed = sum(item.run for item in outcomes), sum(item.failed for item in outcomes)
    skipped = sum(len(item.skipped) for item in outcomes)
    passed = run - failed - skipped
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return 1 if failed or not passed else 0


def _in_memory() -> str | None:
    """Return a folder of memory with room for what tests write; None where the machine has none.

    A lab book waits for the disk after every edit, as it must, and a run of all tests makes thousands.
    """
    try:
        free = shutil.disk_usage(MEMORY).free
    except OSError:
        return None
    return MEMORY if free > ROOM_BYTES and os.access(MEMORY, os.W_OK | os.X_OK) else None


def _classes() -> list[str]:
    """All classes of tests; those that need the window last, for Qt stays where it was loaded.

    The largest come first, so that no core is left with a long one at the end.
    """
    sizes: dict[str, int] = {}
    for file in ROOT.rglob("test_*.py"):
        module = ".".join(file.relative_to(ROOT.parent).with_suffix("").parts)
        for item in ast.parse(file.read_bytes()).body:
            if isinstance(item, ast.ClassDef):
                named = [part.name for part in item.body if isinstance(part, ast.FunctionDef)]
                sizes[f"{module}.{item.name}"] = sum(name.startswith("test") for name in named)
    return sorted(
        (name for name, size in sizes.items() if size), key=lambda name: (_needs_qt(name), -sizes[name])
    )


def _needs_qt(name: str) -> bool:
    return not name.startswith(WITHOUT_QT)


class _NoQt(MetaPathFinder):
    """Makes importing Qt fail, as on a machine that has none."""

    def find_spec(self, fullname: str, path: Any, target: Any = None) -> None:
        if fullname.partition(".")[0] in ("PySide6", "shiboken6"):
            raise ImportError(f"{fullname} is loaded below the window")


def _outcomes(names: list[str], processes: int, verbose: bool) -> Iterator[Outcome]:
    tasks = [(name, verbose) for name in names]
    if processes < 2 or len(tasks) < 2:
        yield from map(_run, tasks)
        return
    # A fresh interpreter for each: a forked one would share threads and Qt with its parent.
    fresh = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(min(processes, len(tasks)), fresh) as pool:
        waiting = {pool.submit(_run, task): task[0] for task in tasks}
        for done in as_completed(list(waiting)):
            try:
                yield done.result()
                del waiting[done]
            except BrokenProcessPool:
                # A process that Qt tore down tells nothing itself: the tests it may have died in are named.
                first = list(waiting.values())[: 2 * processes]
                told = f"A process of tests died; run these one by one: {' '.join(first)}"
                yield Outcome("", 1, 1, (), (), told)
                return


def _run(task: tuple[str, bool]) -> Outcome:
    name, verbose = task
    if str(ROOT.parent) not in sys.path:
        sys.path.insert(0, str(ROOT.parent))
    if _needs_qt(name):
        sys.meta_path[:] = [finder for finder in sys.meta_path if not isinstance(finder, _NoQt)]
    elif "PySide6" not in sys.modules:
        sys.meta_path.insert(0, _NoQt())
    warnings.simplefilter("error")
    told = io.StringIO()
    runner = unittest.TextTestRunner(
        told, verbosity=2 if verbose else 1, warnings="error", resultclass=_Timed
    )
    result = cast(_Timed, runner.run(unittest.TestLoader().loadTestsFromName(name)))
    return Outcome(
        name=name,
        run=result.testsRun or bool(result.errors),
        failed=len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses),
        skipped=tuple(reason for _, reason in result.skipped),
        durations=tuple(result.durations),
        told=told.getvalue(),
    )


def _tell_slowest(outcomes: list[Outcome], count: int) -> None:
    everything = sorted((item for outcome in outcomes for item in outcome.durations), reverse=True)
    for seconds, test in everything[:count]:
        print(f"{seconds:8.2f} s  {test}")


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
