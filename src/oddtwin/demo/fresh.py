"""A fresh copy of the demo lab book, built on the first call only."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Final

from platformdirs import user_cache_path

from oddtwin import __version__
from oddtwin.store.revisions import REVISIONS

SEED: Final = 20260309
NAME: Final = "Quay Street workshop"


def fresh_demo() -> Path:
    """Return the folder of a fresh copy of the demo lab book.

    The book is built once for each version and schema and kept in the user's cache; every
    call copies it to a new folder, so that nothing done in a demo stays.
    """
    kept = user_cache_path("odd-twin") / f"demo-{__version__}-{REVISIONS[-1]}-{SEED}"
    target = Path(tempfile.mkdtemp(prefix="odd-twin-demo-")) / NAME
    if not (kept / "ready").exists():
        shutil.rmtree(kept, ignore_errors=True)
        from oddtwin.demo.build import build_demo

        build_demo(kept / "book").close()
        (kept / "ready").touch()
    shutil.copytree(kept / "book", target)
    return target
