"""A fresh copy of the demo lab book, built on the first call only."""

from __future__ import annotations

import atexit
import hashlib
import json
import os
import shutil
import sqlite3
import tempfile
import time
from contextlib import closing, suppress
from datetime import datetime, timedelta
from pathlib import Path
from typing import Final

from platformdirs import user_cache_path

from oddtwin.core.language import plainly
from oddtwin.store.revisions import REVISIONS

NAME: Final = "Quay Street workshop"
BEGUN: Final = timedelta(minutes=52)
"""Since when a plate is in the machine."""
OLD_S: Final = 30 * 86_400.0


def fresh_demo() -> Path:
    """Return the folder of a fresh copy of the demo lab book.

    The book is built once for each schema and each wording of the demo, and kept in the
    user's cache; every call copies it to a new folder, so that nothing done in a demo stays.
    """
    kept = _kept()
    folder = tempfile.mkdtemp(prefix="odd-twin-demo-")
    # A demo is not kept: what was done in it goes with the program.
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    target = Path(folder) / NAME
    if not demo_is_built():
        _build(kept)
    os.utime(kept)
    _clear_old(kept)
    shutil.copytree(kept / "book", target)
    _as_of_now(target / "labbook.sqlite")
    return target


def _as_of_now(database: Path) -> None:
    """Let the plate that is in the machine be started a while before now, and not when the demo was built.

    In plain SQL: what a person's operations load would make the first window wait.
    """
    moment = datetime.fromisoformat
    begun = datetime.now().astimezone() - BEGUN
    with closing(sqlite3.connect(database)) as connection, connection:
        rows = connection.execute(
            "SELECT id, started, events FROM plate WHERE started != '' AND finished = ''"
        )
        for key, started, events in rows.fetchall():
            later = begun - moment(started)
            moved = [
                {**event, "at": (moment(event["at"]) + later).isoformat()} for event in json.loads(events)
            ]
            connection.execute(
                "UPDATE plate SET started = ?, events = ? WHERE id = ?",
                (begun.isoformat(), json.dumps(moved), key),
            )


def _build(kept: Path) -> None:
    """Build the demo beside its place and move it there whole.

    A demo that was cut off while it was built is never taken for a whole one, nor does a second program that
    builds it at the same time take it from under the first.
    """
    from oddtwin.demo.build import build_demo

    kept.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="demo-being-built-", dir=kept.parent) as folder:
        made = Path(folder) / "made"
        # One for every language: what it holds is data, and a book of another language may open it.
        with plainly():
            build_demo(made / "book", NAME).close()
        # Where it cannot be moved, another was quicker: theirs is as good.
        with suppress(OSError):
            made.rename(kept)


def _clear_old(kept: Path) -> None:
    """Let go of the demos of versions that nobody started for a long while."""
    for other in kept.parent.glob("demo-*"):
        if other != kept and time.time() - other.stat().st_mtime > OLD_S:
            shutil.rmtree(other, ignore_errors=True)


def demo_is_built() -> bool:
    """Return whether a copy can be made at once; building it takes seconds."""
    return (_kept() / "book").exists()


def _kept() -> Path:
    return user_cache_path("odd-twin") / f"demo-{REVISIONS[-1]}-{_wording()}"


def _wording() -> str:
    """Return a mark of the code and tables of the demo, so that a changed one is built anew."""
    here = Path(__file__).parent
    operations = here.parent / "operations"
    files = [
        *sorted(here.glob("*.py")),
        *sorted(operations.glob("*.py")),
        here.parent / "store" / "schema.py",
    ]
    code = b"".join(path.read_bytes() for path in files)
    return hashlib.sha256(code).hexdigest()[:12]
