"""Reading text that a user names: the one way, for window and command line."""

from __future__ import annotations

import stat
from pathlib import Path
from typing import Final

from oddtwin.core.language import tr
from oddtwin.store.errors import StoreError, reason_of

LARGEST: Final = 256 << 20
"""Bytes beyond which a file is no table of readings, study or settings."""


def read_text_file(path: Path) -> str:
    """Return the text of a file.

    Raises
    ------
    StoreError
        It cannot be read, is no ordinary file (which might never end), or is not UTF-8.
    """
    refuse_odd_file(path)
    try:
        return path.read_bytes().decode("utf-8")
    except OSError as error:
        raise StoreError(
            tr("{path}: the file cannot be read ({reason})", path=path, reason=error.strerror)
        ) from None
    except UnicodeDecodeError as error:
        line = error.object[: error.start].count(b"\n") + 1
        raise StoreError(
            tr("{path}, line {line}: this is not UTF-8 text; save it as UTF-8", path=path, line=line)
        ) from None


def refuse_odd_file(path: Path) -> None:
    """Refuse what is no ordinary file before it is opened: a pipe would wait for ever.

    Raises
    ------
    StoreError
        Nothing is there, it is something else, or it is far too large for what it should hold.
    """
    try:
        found = path.stat()
    except (OSError, ValueError) as error:
        raise StoreError(
            tr("{path}: the file cannot be read ({reason_of})", path=path, reason_of=reason_of(error))
        ) from None
    if not stat.S_ISREG(found.st_mode):
        raise StoreError(tr("{path}: the file cannot be read (it is no ordinary file)", path=path))
    if found.st_size > LARGEST and path.suffix.lower() in (".csv", ".json", ".ini", ".cfg"):
        raise StoreError(
            tr(
                "{path}: the file cannot be read (it is larger than {LARGEST} MB)",
                path=path,
                LARGEST=LARGEST >> 20,
            )
        )
