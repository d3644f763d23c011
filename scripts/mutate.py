#!/usr/bin/env python3
"""Change one thing of the code at a time, and see whether a test notices.

``scripts/mutate.py [-n 100] [-s SEED] [-j 2] [-k FOLDER] [-r REVISION] [PATH …]``: a comparison, an
operator or a constant in the files below the paths (src/oddtwin/core by default), or only in their lines
that differ from a revision (``-r``), is changed in a process of its own, and those tests without Qt that run
its line are run until one fails. What passes all of them is listed: a test is missing, or the change makes
no difference that anybody could see. Which tests run which lines, and how long they take, is kept in a
folder (``-k``), and worked out again for test modules and rooms that have changed since.
"""

from __future__ import annotations

import argparse
import ast
import faulthandler
import json
import os
import random
import re
import subprocess
import sys
import tempfile
import unittest
import warnings
import zlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache
from importlib.machinery import ModuleSpec, SourceFileLoader
from importlib.util import spec_from_file_location
from multiprocessing import get_context
from pathlib import Path
from types import CodeType, ModuleType

from coverage import Coverage, CoverageData

ROOT = Path(__file__).parents[1]
LEAST_S, TIMES_AS_LONG = 20, 6
"""So long a test may take with a change, and so many times what it takes as the code is."""
READY = (
    "numpy", "scipy.stats", "scipy.optimize", "scipy.ndimage", "scipy.signal", "scipy.spatial", "cv2",
    "PIL.Image", "PIL.ImageDraw", "ortools.sat.python.cp_model",
)  # fmt: skip
"""What every process needs and no change touches is imported once."""
KEPT = Path(tempfile.gettempdir()) / "executed-by-tests"

WITHOUT_QT = (
    "tests/core/test_*.py", "tests/store/test_*.py", "tests/operations/test_*.py", "tests/test_cli*.py",
)  # fmt: skip

COMPARED = {
    ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">", ast.Eq: "!=", ast.NotEq: "==",
    ast.Is: "is not", ast.IsNot: "is", ast.In: "not in", ast.NotIn: "in",
}  # fmt: skip
COUNTED = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*", ast.FloorDiv: "*", ast.Mod: "*"}


# Tells coverage which test is running: what is made ready for a whole class or module belongs to none.
MEASURED = """
import json, sys, time, unittest
from coverage import Coverage

file, module = sys.argv[1:]
whole, took = Coverage(file, source=["src/oddtwin"], context=module), {}

class Told(unittest.TextTestResult):
    def startTest(self, test):
        whole.switch_context(test.id())
        self.began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test):
        super().stopTest(test)
        took[test.id()] = time.monotonic() - self.began
        whole.switch_context("")

whole.start()
suite = unittest.defaultTestLoader.loadTestsFromName(module)
passed = unittest.TextTestRunner(resultclass=Told).run(suite).wasSuccessful()
whole.stop()
whole.save()
with open(file + ".json", "w") as kept:
    json.dump(took, kept)
sys.exit(not passed)
"""


@dataclass(frozen=True)
class Mutant:
    """One change: which file, between which places, and what stands there instead."""

    file: Path
    start: int
    end: int
    text: str
    line: int

    def __str__(self) -> str:
        return f"{self.file.relative_to(ROOT)}:{self.line}: {self.text}"


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("paths", nargs="*", type=Path, default=[ROOT / "src/oddtwin/core"])
    parser.add_argument("-n", type=int, default=100, help="mutants")
    parser.add_argument("-s", type=int, default=1, help="seed")
    parser.add_argument("-j", type=int, default=os.cpu_count() or 1, help="at a time")
    parser.add_argument("-k", type=Path, default=KEPT, help="folder for which tests run which lines")
    parser.add_argument("-r", help="only lines that differ from this revision")
    options = parser.parse_args(arguments)
    files = sorted(file for path in options.paths for file in _files(path.resolve()))
    every = [mutant for file in files for mutant in mutants(file)]
    if options.r:
        changed = {file: _changed_lines(file, options.r) for file in files}
        every = [mutant for mutant in every if mutant.line in changed[mutant.file]]
    chosen = random.Random(options.s).sample(every, min(options.n, len(every)))
    known = executed(options.k, options.j)
    get_context("forkserver").set_forkserver_preload(list(READY))
    alive = []
    with ThreadPoolExecutor(options.j) as pool:
        outcomes = pool.map(lambda one: (one, survives(one, known)), chosen)
        for number, (mutant, passed) in enumerate(outcomes, 1):
            print(f"{number:4}  {'PASSES' if passed else 'caught'}  {mutant}", flush=True)
            alive += [mutant] if passed else []
    print(f"{len(alive)} of {len(chosen)} pass all tests")
    return 1 if alive else 0


def _changed_lines(file: Path, revision: str) -> set[int]:
    """Return the lines of a file as it is that a revision did not have."""
    command = ["git", "diff", "-U0", revision, "--", str(file)]
    told = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=True).stdout
    parts = re.findall(r"^@@ -\S+ \+(\d+)(?:,(\d+))? @@", told, re.MULTILINE)
    return {int(first) + place for first, count in parts for place in range(int(count or 1))}


def _files(path: Path) -> Iterator[Path]:
    yield from [path] if path.is_file() else path.rglob("*.py")


def mutants(file: Path) -> Iterator[Mutant]:
    """Yield every change that can be made in a file."""
    source = file.read_text(encoding="utf-8")
    begins = [0]
    for line in source.splitlines(keepends=True):
        begins.append(begins[-1] + len(line))

    def at(line: int, column: int) -> int:
        # The parser counts bytes of a line.
        whole = source[begins[line - 1] : begins[line]].encode()
        return begins[line - 1] + len(whole[:column].decode())

    def between(left: ast.expr, right: ast.expr, text: str) -> Mutant:
        start = at(left.end_lineno or 0, left.end_col_offset or 0)
        end = at(right.lineno, right.col_offset)
        # Parentheses around the operands stay.
        gap = source[start:end]
        closing, opening = len(gap) - len(gap.lstrip(") \n")), len(gap) - len(gap.rstrip("( \n"))
        return Mutant(file, start + closing, end - opening, text, left.lineno)

    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Compare) and len(node.ops) == 1:
            yield between(node.left, node.comparators[0], COMPARED[type(node.ops[0])])
        elif isinstance(node, ast.BinOp) and type(node.op) in COUNTED:
            yield between(node.left, node.right, COUNTED[type(node.op)])
        elif isinstance(node, ast.BoolOp):
            other = "or" if isinstance(node.op, ast.And) else "and"
            yield between(node.values[0], node.values[1], other)
        elif isinstance(node, ast.Constant) and type(node.value) in (int, float):
            place = at(node.lineno, node.col_offset), at(node.end_lineno or 0, node.end_col_offset or 0)
            more = node.value + 1 if isinstance(node.value, int) else node.value * 1.5 + 0.1
            yield Mutant(file, *place, repr(more), node.lineno)


@dataclass(frozen=True)
class Executed:
    """Which tests run which lines, and how many seconds each takes; the tests of a module under its name."""

    lines: CoverageData
    took: Mapping[str, Mapping[str, float]]

    def tests(self, mutant: Mutant) -> dict[str, float]:
        """Return the tests that run a changed statement, with their seconds.

        For what an import runs, those that call its file, and those of modules that import from its room;
        where it is run to make a whole module ready, all of that module.
        """
        contexts = self.lines.contexts_by_lineno(str(mutant.file))
        statement = _statement(mutant)
        running = {
            one for line in statement or _in_functions(mutant.file) for one in contexts.get(line, ()) if one
        }
        told: dict[str, float] = {}
        for module in () if statement else self.took:
            if _speaks_of(module, mutant.file):
                told |= self.took[module]
        for module, _, test in (one.partition("|") for one in running):
            told |= {test: self.took[module].get(test, 0.0)} if test else self.took[module]

        def nearest_first(one: tuple[str, float]) -> tuple[bool, float]:
            return not _speaks_of(one[0].rsplit(".", 2)[0], mutant.file), one[1]

        return dict(sorted(told.items(), key=nearest_first))


def executed(folder: Path, processes: int) -> Executed:
    """Return which tests run which lines, as kept in a folder; what is not there is run once."""
    folder.mkdir(parents=True, exist_ok=True)
    modules = [
        ".".join(test.relative_to(ROOT).with_suffix("").parts)
        for place in WITHOUT_QT
        for test in sorted(ROOT.glob(place))
    ]
    with ThreadPoolExecutor(processes) as pool:
        files = dict(zip(modules, pool.map(lambda one: _measured(folder / one, one), modules), strict=True))
    found = {module: file for module, file in files.items() if file is not None}
    whole = Coverage(folder / "whole")
    whole.erase()
    whole.combine([str(file) for file in found.values()], keep=True)
    took = {module: json.loads(_times(file).read_text("utf-8")) for module, file in found.items()}
    return Executed(whole.get_data(), took)


def _measured(file: Path, module: str) -> Path | None:
    """Return what a test module runs; none where it fails as it is, and so could catch nothing."""
    if not _stands(file, module):
        command = [sys.executable, "-c", MEASURED, str(file), module]
        made = subprocess.run(command, cwd=ROOT, env=_environment(), capture_output=True, check=False)
        if made.returncode:
            print(f"left out, for it fails unchanged: {module}", flush=True)
            _times(file).unlink(missing_ok=True)
            return None
        seen = CoverageData(str(file))
        seen.read()
        _state(file).write_text(json.dumps(_checksums(module, seen.measured_files())), encoding="utf-8")
    return file


def _stands(file: Path, module: str) -> bool:
    """Whether a test module was measured, and none of the files it runs has changed since."""
    if not (_times(file).exists() and _state(file).exists()):
        return False
    then = json.loads(_state(file).read_text("utf-8"))
    return bool(then == _checksums(module, then))


def _checksums(module: str, files: Iterable[str]) -> dict[str, int]:
    own = ROOT / Path(*module.split(".")).with_suffix(".py")
    # What several test modules share may be run by any of them.
    shared = [one for one in (ROOT / "tests").rglob("*.py") if not one.name.startswith("test_")]
    every = {str(own), *map(str, shared), *files}
    return {one: zlib.crc32(Path(one).read_bytes()) for one in sorted(every) if Path(one).exists()}


def _times(file: Path) -> Path:
    return file.with_name(f"{file.name}.json")


def _state(file: Path) -> Path:
    return file.with_name(f"{file.name}.state")


def survives(mutant: Mutant, known: Executed) -> bool:
    """Return whether all tests that run the line pass with a change."""
    tests = known.tests(mutant)
    if not tests:
        return True
    trial = get_context("forkserver").Process(target=_tried, args=(mutant, tests))
    trial.start()
    trial.join(2 * LEAST_S + TIMES_AS_LONG * sum(tests.values()))
    trial.kill()
    trial.join()
    return trial.exitcode == 0


class Watched(unittest.TestResult):
    """Ends the process where a test takes far longer: a change that lets work go on for ever is noticed."""

    def __init__(self, took: Mapping[str, float]) -> None:
        super().__init__()
        self.failfast = True
        self._took = took

    def startTest(self, test: unittest.TestCase) -> None:
        super().startTest(test)
        limit = LEAST_S + TIMES_AS_LONG * self._took.get(test.id(), 0.0)
        faulthandler.dump_traceback_later(limit, exit=True, file=sys.__stderr__)


def _tried(mutant: Mutant, tests: Mapping[str, float]) -> None:
    """Run tests with a change until one fails; the process ends with 1 then."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    os.dup2(nowhere, 2)
    os.chdir(ROOT)
    sys.path[:0] = [str(ROOT / "src"), str(ROOT)]
    sys.meta_path.insert(0, Changed(mutant))
    warnings.simplefilter("ignore")
    result = Watched(tests)
    unittest.defaultTestLoader.loadTestsFromNames(tests).run(result)
    sys.exit(not result.wasSuccessful())


class Changed(SourceFileLoader):
    """Imports the one changed file as its text is with the change, and leaves all others alone."""

    def __init__(self, mutant: Mutant) -> None:
        parts = mutant.file.relative_to(ROOT / "src").with_suffix("").parts
        super().__init__(".".join(parts).removesuffix(".__init__"), str(mutant.file))
        source = mutant.file.read_text(encoding="utf-8")
        self._text = source[: mutant.start] + mutant.text + source[mutant.end :]

    def find_spec(
        self, fullname: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> ModuleSpec | None:
        return spec_from_file_location(fullname, self.path, loader=self) if fullname == self.name else None

    def get_code(self, fullname: str) -> CodeType:
        return compile(self._text, self.path, "exec", dont_inherit=True)


def _environment() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(ROOT / "src"), "PYTHONDONTWRITEBYTECODE": "1"}


def _statement(mutant: Mutant) -> range:
    """Return the lines of the innermost statement that is changed; none where an import runs it."""
    around = [
        node
        for node in _statements(mutant.file)
        if not isinstance(node, ast.FunctionDef) and node.lineno <= mutant.line <= (node.end_lineno or 0)
    ]
    # The innermost statement begins last.
    meant = max(around, key=lambda node: node.lineno, default=None)
    return range(meant.lineno, (meant.end_lineno or 0) + 1) if meant else range(0)


def _in_functions(file: Path) -> set[int]:
    return {line for node in _statements(file) for line in range(node.lineno, (node.end_lineno or 0) + 1)}


def _statements(file: Path) -> list[ast.stmt]:
    tree = ast.parse(file.read_text(encoding="utf-8"))
    inside = [node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef)]
    return [node for part in inside for node in ast.walk(part) if isinstance(node, ast.stmt)]


@cache
def _speaks_of(module: str, file: Path) -> bool:
    """Whether a test module imports from the room that a file stands in."""
    room = ".".join(file.relative_to(ROOT / "src").parent.parts)
    source = ROOT / Path(*module.split(".")).with_suffix(".py")
    return f"from {room} import" in source.read_text(encoding="utf-8")


if __name__ == "__main__":
    # Threads of the numeric libraries would outlive the process they were forked from.
    os.environ["OPENBLAS_NUM_THREADS"] = "1"
    sys.exit(main(sys.argv[1:]))
