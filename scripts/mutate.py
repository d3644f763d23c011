#!/usr/bin/env python3
"""Change one thing of the code at a time, and see whether a test notices.

``scripts/mutate.py [-n 100] [-s SEED] [-j 2] [PATH …]``: a comparison, an operator or a constant in the
files below the paths (src/oddtwin/core by default) is changed in a copy of the project, and the tests
that need no Qt are run until one fails. What passes all of them is listed: a test is missing, or the
change makes no difference that anybody could see.
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
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]
SLOWEST_S = 600

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
    options = parser.parse_args(arguments)
    files = sorted(file for path in options.paths for file in _files(path.resolve()))
    every = [mutant for file in files for mutant in mutants(file)]
    chosen = random.Random(options.s).sample(every, min(options.n, len(every)))
    alive = []
    with ThreadPoolExecutor(options.j) as pool:
        for number, (mutant, passed) in enumerate(pool.map(lambda one: (one, survives(one)), chosen), 1):
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


def survives(mutant: Mutant) -> bool:
    """Return whether all tests pass with a change."""
    with tempfile.TemporaryDirectory(prefix="mutant-") as folder:
        copy = Path(folder)
        for name in ("src", "tests", "bench", "docs"):
            shutil.copytree(ROOT / name, copy / name, ignore=shutil.ignore_patterns("__pycache__", "*.png"))
        file = copy / mutant.file.relative_to(ROOT)
        source = file.read_text(encoding="utf-8")
        file.write_text(source[: mutant.start] + mutant.text + source[mutant.end :], encoding="utf-8")
        environment = {**os.environ, "PYTHONPATH": str(copy / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
        near = sorted(copy.glob("tests/core/test_*.py"), key=lambda test: not _speaks_of(test, mutant.file))
        modules = [".".join(test.relative_to(copy).with_suffix("").parts) for test in near]
        # Those that speak of the room come first, and what they catch needs no others.
        for names in (modules, ["tests.operations", "tests.test_cli"]):
            try:
                made = subprocess.run(
                    [sys.executable, "-m", "unittest", "-q", "-f", *_found(copy, names)],
                    cwd=copy,
                    env=environment,
                    capture_output=True,
                    timeout=SLOWEST_S,
                    check=False,
                )
            except subprocess.TimeoutExpired:
                return False
            if made.returncode:
                return False
    return True


def _found(copy: Path, names: Sequence[str]) -> Iterator[str]:
    """Yield test modules, those of a folder one by one."""
    for name in names:
        folder = copy / name.replace(".", "/")
        yield from [f"{name}.{test.stem}" for test in folder.glob("test_*.py")] if folder.is_dir() else [name]


def _speaks_of(test: Path, file: Path) -> bool:
    """Whether a test imports the room that a file stands in."""
    room = ".".join(file.relative_to(ROOT / "src").parent.parts)
    return f"from {room} import" in test.read_text(encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
