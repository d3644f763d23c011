"""Lab books that were not made whole, and those of a newer program."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import Final

from oddtwin.core.language import tr
from oddtwin.store.atomic import PART
from oddtwin.store.errors import NewerLabBookError
from oddtwin.store.kept import KeptKind
from oddtwin.store.revisions import REVISIONS

DATABASE: Final = "labbook.sqlite"
FOLDERS: Final = tuple(kind.value for kind in KeptKind)


def refuse_newer(folder: Path, revision: str) -> None:
    """Refuse a lab book that a newer program wrote."""
    if revision not in REVISIONS:
        raise NewerLabBookError(tr(
            "{folder} was written by a newer version of Odd Twin (schema {revision}). "
            "Update Odd Twin to open it; nothing was changed.",
            folder=folder, revision=revision,
        ))  # fmt: skip


def half_made(path: Path) -> bool:
    """Whether something in a folder was left by a book that was cut off while it was made."""
    return path.name.startswith(PART) or (path.name in FOLDERS and path.is_dir() and not any(path.iterdir()))


def clear_half_made(folder: Path, part: Path, new: bool) -> None:
    """Take away what ``create`` made before it failed; what was there before stays."""
    with suppress(OSError, ValueError):
        for suffix in ("", "-journal", "-wal", "-shm"):
            part.with_name(part.name + suffix).unlink(missing_ok=True)
        if part.exists() or (folder / DATABASE).exists():
            return
        for one in FOLDERS:
            (folder / one).rmdir()
        if new:
            folder.rmdir()
