#!/usr/bin/env python3
"""Change one thing of the code at a time, and see whether a test notices.

``scripts/mutate.py [-n 100] [-s SEED] [-j 2] [-k FOLDER] [PATH …]``: a comparison, an operator or a
constant in the files below the paths (src/oddtwin/core by default) is changed in a copy of the project, and
those tests without Qt that run its line are run until one fails. What passes all of them is listed: a test
is missing, or the change makes no difference that anybody could see. Which tests run which lines is kept in
a folder (``-k``), and worked out again once that is thrown away.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from coverage import Coverage, CoverageData

ROOT = Path(__file__).parents[1]
SLOWEST_S = 600
KEPT = Path(tempfile.gettempdir()) / "executed-by-tests"

WITHOUT_QT = (
    "tests/core/test_*.py", "tests/store/test_*.py", "tests/operations/test_*.py", "tests/test_cli*.py",
)  # fmt: skip

COMPARED = {
    ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">", ast.Eq: "!=", ast.NotEq: "==",
    ast.Is: "is not", ast.IsNot: "is", ast.In: "not in", ast.NotIn: "in",
}  # fmt: skip
COUNTED = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*", ast.FloorDiv: "*", ast.Mod: "*"}


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
    options = parser.parse_args(arguments)
    files = sorted(file for path in options.paths for file in _files(path.resolve()))
    every = [mutant for file in files for mutant in mutants(file)]
    chosen = random.Random(options.s).sample(every, min(options.n, len(every)))
    known = executed(options.k, options.j).get_data()
    alive = []
    with ThreadPoolExecutor(options.j) as pool:
        outcomes = pool.map(lambda one: (one, survives(one, known)), chosen)
        for number, (mutant, passed) in enumerate(outcomes, 1):
            print(f"{number:4}  {'PASSES' if passed else 'caught'}  {mutant}", flush=True)
            alive += [mutant] if passed else []
    print(f"{len(alive)} of {len(chosen)} pass all tests")
    return 1 if alive else 0


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


def executed(folder: Path, processes: int) -> Coverage:
    """Return which test modules run which lines, as kept in a folder; what is not there is run once."""
    folder.mkdir(parents=True, exist_ok=True)
    modules = [
        ".".join(test.relative_to(ROOT).with_suffix("").parts)
        for place in WITHOUT_QT
        for test in sorted(ROOT.glob(place))
    ]
    with ThreadPoolExecutor(processes) as pool:
        files = list(pool.map(lambda module: _measured(folder / module, module), modules))
    whole = Coverage(folder / "whole")
    whole.erase()
    whole.combine([str(file) for file in files if file is not None], keep=True)
    return whole


def _measured(file: Path, module: str) -> Path | None:
    """Return what a test module runs; none where it fails as it is, and so could catch nothing."""
    if not file.exists():
        tool = [sys.executable, "-m", "coverage", "run", f"--data-file={file}", f"--context={module}"]
        command = [*tool, "--source=src/oddtwin", "-m", "unittest", "-q", module]
        made = subprocess.run(command, cwd=ROOT, env=_environment(ROOT), capture_output=True, check=False)
        if made.returncode:
            print(f"left out, for it fails unchanged: {module}", flush=True)
            file.unlink(missing_ok=True)
            return None
    return file


def survives(mutant: Mutant, known: CoverageData) -> bool:
    """Return whether all tests that run the line pass with a change."""
    modules = sorted(_running(mutant, known), key=lambda module: not _speaks_of(module, mutant.file))
    with tempfile.TemporaryDirectory(prefix="mutant-") as folder:
        copy = Path(folder)
        for name in ("src", "tests", "bench", "docs"):
            shutil.copytree(ROOT / name, copy / name, ignore=shutil.ignore_patterns("__pycache__", "*.png"))
        file = copy / mutant.file.relative_to(ROOT)
        source = file.read_text(encoding="utf-8")
        file.write_text(source[: mutant.start] + mutant.text + source[mutant.end :], encoding="utf-8")
        # Module by module: what one of them catches needs no others.
        return all(_passes(copy, module) for module in modules)


def _passes(copy: Path, module: str) -> bool:
    command = [sys.executable, "-m", "unittest", "-q", "-f", module]
    try:
        made = subprocess.run(
            command, cwd=copy, env=_environment(copy), capture_output=True, timeout=SLOWEST_S, check=False
        )
    except subprocess.TimeoutExpired:
        # A change that lets the work go on for ever is noticed.
        return False
    return made.returncode == 0


def _environment(place: Path) -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(place / "src"), "PYTHONDONTWRITEBYTECODE": "1"}


def _running(mutant: Mutant, known: CoverageData) -> set[str]:
    """Return the test modules that run the statement; for what an import runs, those that call its file."""
    tree = ast.parse(mutant.file.read_text(encoding="utf-8"))
    inside = [node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef)]
    statements = [node for part in inside for node in ast.walk(part) if isinstance(node, ast.stmt)]
    around = [
        node
        for node in statements
        if not isinstance(node, ast.FunctionDef) and node.lineno <= mutant.line <= (node.end_lineno or 0)
    ]
    # The innermost statement begins last.
    meant = [max(around, key=lambda node: node.lineno)] if around else statements
    lines = {line for node in meant for line in range(node.lineno, (node.end_lineno or 0) + 1)}
    contexts = known.contexts_by_lineno(str(mutant.file))
    return {module for line in lines for module in contexts.get(line, ()) if module}


def _speaks_of(module: str, file: Path) -> bool:
    """Whether a test imports the room that a file stands in."""
    room = ".".join(file.relative_to(ROOT / "src").parent.parts)
    test = ROOT / Path(*module.split(".")).with_suffix(".py")
    return f"from {room} import" in test.read_text(encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
