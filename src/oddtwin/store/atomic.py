"""Writing a file whole or not at all: the one way for everything that leaves a lab book."""

from __future__ import annotations

import os
import secrets
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Final

from oddtwin.core.language import tr
from oddtwin.store.errors import StoreError, reason_of

PART: Final = ".odd-twin-"
"""Begins the name of a file that is being written."""

LONGEST_NAME: Final = 255
"""Bytes that a file system takes for one name."""


def write_file(path: Path, content: bytes | str) -> None:
    """Write a file whole or not at all: an earlier one stays until the new one is safe on the disk.

    Parameters
    ----------
    path : Path
        Where it goes.
    content : bytes or str
        Text is written as UTF-8.

    Raises
    ------
    StoreError
        It cannot be written; an earlier file of that name is as it was.
    """
    data = content.encode("utf-8", "replace") if isinstance(content, str) else content
    write_with(path, lambda file: file.write(data))


def write_with(path: Path, fill: Callable[[IO[bytes]], object]) -> None:
    """Write a file as ``write_file`` does, in pieces.

    Raises
    ------
    StoreError
        It cannot be written; an earlier file of that name is as it was.
    """
    try:
        with safe_part(path.parent) as (part, file):
            fill(file)
            # On the disk before it takes its name: after a power cut a renamed file may else be there and
            # empty.
            seal(file)
            part.replace(path)
        flush_folder(path.parent)
    except (OSError, ValueError) as error:
        raise StoreError(
            tr("{path} could not be written: {reason_of}.", path=path, reason_of=reason_of(error))
        ) from None


@contextmanager
def safe_part(folder: Path) -> Iterator[tuple[Path, IO[bytes]]]:
    """Open a new file in a folder to fill and rename; whatever goes wrong, nothing of it stays.

    The rights follow the user's umask, as those of any file that is made.
    """
    # In the folder of the target, because a rename is whole only inside one file system.
    part = folder / f"{PART}{secrets.token_hex(8)}"
    try:
        with part.open("xb") as file:
            yield part, file
    finally:
        part.unlink(missing_ok=True)


def seal(file: IO[bytes]) -> None:
    """Make sure that what was written to a file is on the disk."""
    file.flush()
    os.fsync(file.fileno())


def fitting_name(stem: str, suffix: str) -> str:
    """Return a file's name from words: what no file system takes is left out, what is too long is cut.

    Parameters
    ----------
    stem : str
        In the user's words; dots in it stay.
    suffix : str
        With its dot, such as ``.html``.
    """
    clean = "".join("-" if sign in '/\\:*?"<>|' or ord(sign) < 32 else sign for sign in stem).strip(" .")
    room = LONGEST_NAME - len(suffix.encode())
    cut = clean.encode("utf-8", "replace")[:room].decode("utf-8", "ignore").strip(" .")
    return (cut or "odd-twin") + suffix


def flush_folder(path: Path) -> None:
    """Make sure that what was done to a file or to the names of a folder is on the disk."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)
