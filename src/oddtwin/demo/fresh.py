"""A fresh copy of the demo lab book, built on the first call only."""

from __future__ import annotations

import atexit
import hashlib
import shutil
import tempfile
from contextlib import suppress
from pathlib import Path
from typing import Final

from platformdirs import user_cache_path

from oddtwin.demo.half_printed import begin_plate
from oddtwin.store.revisions import REVISIONS

NAME: Final = "Quay Street workshop"


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
    shutil.copytree(kept / "book", target)
    begin_plate(target)
    return target


def _build(kept: Path) -> None:
    """Build the demo beside its place and move it there whole.

    A demo that was cut off while it was built is never taken for a whole one, nor does a second program that
    builds it at the same time take it from under the first.
    """
    from oddtwin.demo.build import build_demo

    kept.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="demo-being-built-", dir=kept.parent) as folder:
        made = Path(folder) / "made"
        build_demo(made / "book", NAME).close()
        # Where it cannot be moved, another was quicker: theirs is as good.
        with suppress(OSError):
            made.rename(kept)


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
