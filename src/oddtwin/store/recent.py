"""The list of lab books opened lately, kept in the user's own state folder."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Final

from platformdirs import user_state_path

from oddtwin.store.atomic import write_file
from oddtwin.store.errors import StoreError

MOST: Final = 8


def recent_books() -> list[Path]:
    """Return the lab books opened lately that are still there, newest first."""
    try:
        listed = json.loads(_file().read_text(encoding="utf-8"))
        return [Path(item) for item in listed if Path(item).is_dir()]
    except (OSError, ValueError, TypeError):
        return []


def remember_book(folder: Path) -> None:
    """Put a lab book on top of the list; a list that cannot be written is let be."""
    books = [folder.absolute(), *(book for book in recent_books() if book != folder.absolute())]
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_file(_file(), json.dumps([str(book) for book in books[:MOST]]))
    except (OSError, StoreError):
        return


def _file() -> Path:
    return user_state_path("odd-twin") / "recent.json"
