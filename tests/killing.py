"""Kills a child at a random moment, and looks at what is left: ``python -m tests.killing N SEED``."""

from __future__ import annotations

import os
import random
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from oddtwin import operations
from oddtwin.store import KeptKind, LabBook, StoreError, load_study, verified_file
from oddtwin.store.labbook import DATABASE
from oddtwin.store.revisions import REVISIONS

BOOKS = Path(__file__).parent / "store" / "books"


def main(count: int, seed: int) -> int:
    """Kill that often, in turn at each kind of work; returns how many kills lost or broke something."""
    rng = random.Random(seed)
    kinds = (typing, migrating, keeping, making)
    broken = 0
    for number in range(count):
        kind = kinds[number % len(kinds)]
        with tempfile.TemporaryDirectory() as folder:
            try:
                kind(Path(folder) / "book", rng)
            except (AssertionError, StoreError, OSError) as error:
                broken += 1
                print(f"kill {number} while {kind.__name__}: {error}", flush=True)
    print(f"{count} kills, {broken} broke something")
    return broken


def typing(folder: Path, rng: random.Random) -> None:
    """Every keystroke that was told to be stored is there, and nothing else is hurt."""
    LabBook.create(folder, "Shed").close()

    def work(tell: Callable[[], None]) -> None:
        book = LabBook.open(folder)
        operations.add_study(book, name="Trial")
        tell()
        for number in range(1, 100_000):
            operations.edit_study(book, study_id=1, question=f"{number} " + "x" * rng.choice((5, 5000)))
            tell()

    told = killed(work, rng.uniform(0.01, 0.3))
    book = opened(folder)
    try:
        if told:
            with book.reading() as connection:
                question = load_study(connection, 1).question
            stored = int(question.split()[0]) + 1 if question else 1
            assert stored >= told, f"{told} edits were told to be stored, {stored} are"
            assert stored <= told + 1, f"{stored} edits of {told} told"
    finally:
        book.close()


def migrating(folder: Path, rng: random.Random) -> None:
    """The book is in the old schema or the new one, and opens."""
    folder.mkdir()
    old = rng.choice(sorted(BOOKS.glob("*.sqlite")))
    shutil.copy(old, folder / DATABASE)

    def work(tell: Callable[[], None]) -> None:
        LabBook.open(folder)
        tell()

    killed(work, rng.uniform(0.0, 0.35))
    book = opened(folder)
    try:
        with book.reading() as connection:
            assert load_study(connection, 1).runs
            reached = connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar()
        assert reached == REVISIONS[-1]
    finally:
        book.close()


def keeping(folder: Path, rng: random.Random) -> None:
    """A kept file is whole under its hash or not there; parts of it are cleared."""
    LabBook.create(folder, "Shed").close()
    source = folder.parent / "part.gcode"
    source.write_bytes(rng.randbytes(3_000_000))

    def work(tell: Callable[[], None]) -> None:
        book = LabBook.open(folder)
        for _ in range(1000):
            book.keep(KeptKind.SLICED, source)
            tell()

    told = killed(work, rng.uniform(0.0, 0.08))
    book = opened(folder)
    try:
        kept = [path for path in (folder / KeptKind.SLICED.value).iterdir() if len(path.name) == 64]
        assert len(kept) >= min(told, 1), "a file that was told to be kept is gone"
        for path in kept:
            assert verified_file(book.kept(KeptKind.SLICED, path.name)).read_bytes() == source.read_bytes()
        book.clear_orphans()
        assert not list((folder / KeptKind.SLICED.value).iterdir()), "parts of a copy were left over"
    finally:
        book.close()


def making(folder: Path, rng: random.Random) -> None:
    """A book half made is none, and a whole one opens."""

    def work(tell: Callable[[], None]) -> None:
        LabBook.create(folder, "Shed")
        tell()

    told = killed(work, rng.uniform(0.0, 0.08))
    if told or (folder / DATABASE).exists():
        opened(folder).close()


def opened(folder: Path) -> LabBook:
    """Open a book after a kill, and check it."""
    book = LabBook.open(folder)
    assert not book.read_only, book.reason
    assert not book.notice, book.notice
    damage = book.check()
    assert damage is None, damage
    return book


def killed(work: Callable[[Callable[[], None]], None], after_s: float) -> int:
    """Run work in a child that is killed after some time; returns how often it told of something done."""
    reading, writing = os.pipe()
    child = os.fork()
    if not child:
        # The child: whatever happens in it, it must never come back into the tests.
        with suppress(BaseException):
            work(lambda: os.write(writing, b"."))
        os._exit(0)
    os.close(writing)
    time.sleep(after_s)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    told = 0
    while chunk := os.read(reading, 65536):
        told += len(chunk)
    os.close(reading)
    return told


if __name__ == "__main__":
    # Loaded before the forks, so that every child is at its work at once.
    import sqlalchemy.dialects.sqlite  # noqa: F401

    sys.exit(main(int(sys.argv[1]), int(sys.argv[2])))
