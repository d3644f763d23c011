"""The write-ahead log beside a lab book: what it holds, and whether it belongs to the book.

SQLite applies a log to whatever database lies beside it. A copy put back over a book that was not
closed would so be mixed with pages of another time. Every edit therefore writes a *stamp* (SQLite's
``user_version``) along, and every checkpoint first changes it: a log whose images of page 1 carry
another stamp than the database was written for another file.

Layout of the two files: "Database File Format" and "WAL-mode File Format", sqlite.org (from memory;
a test reads logs that SQLite wrote).
"""

from __future__ import annotations

import secrets
import shutil
import sqlite3
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, Final

HEADER: Final = 100
"""Bytes of a database file that say what it is."""

_STAMP: Final = slice(60, 64)
_WAL_HEADER: Final = 32
_FRAME_HEADER: Final = 24
_PENDING: Final = 0x40000000
"""SQLite never uses the page with this byte."""


@dataclass(frozen=True, slots=True)
class WalState:
    """What a write-ahead log holds up to its last commit.

    Parameters
    ----------
    pages : frozenset of int
        Numbers of the pages with an image.
    size : int
        Pages of the database after the last commit.
    stamps : frozenset of int
        Stamps in the images of page 1.
    """

    pages: frozenset[int]
    size: int
    stamps: frozenset[int]


def wal_of(database: Path) -> Path:
    """Return where the log of a database lies."""
    return database.with_name(f"{database.name}-wal")


def read_wal(database: Path) -> WalState | None:
    """Read the log beside a database; None where there is none, or nothing was committed in it."""
    try:
        with wal_of(database).open("rb") as file:
            return _read(file)
    except OSError:
        return None


def stamp_of(header: bytes) -> int:
    """Return the stamp in the first bytes of a database."""
    return int.from_bytes(header[_STAMP])


def new_stamp() -> int:
    """Draw a stamp; never zero, which books of older versions have."""
    return secrets.randbelow(2**31 - 1) + 1


def belongs(database: Path, header: bytes, wal: WalState) -> bool:
    """Return whether a log was written for the database beside it.

    Parameters
    ----------
    database : Path
        With its log; nobody has it open.
    header : bytes
        The first bytes of the database.
    wal : WalState
        What the log holds.
    """
    stamp = stamp_of(header)
    if stamp and wal.stamps:
        return stamp in wal.stamps
    return _fits(database)


def lacks_pages(size: int, header: bytes, wal: WalState | None) -> bool:
    """Return whether pages of a database are neither in its file nor in its log.

    Parameters
    ----------
    size : int
        Of the file, in bytes.
    header : bytes
        Its first bytes.
    wal : WalState or None
        Its log.
    """
    page = int.from_bytes(header[16:18])
    page = 65536 if page == 1 else page or 4096
    wanted = wal.size if wal else int.from_bytes(header[28:32])
    logged = wal.pages if wal else frozenset()
    return any(
        number not in logged and number != _PENDING // page + 1
        for number in range(size // page + 1, wanted + 1)
    )


def set_aside(database: Path, name: str) -> Path:
    """Put a log that belongs to another database out of SQLite's sight; returns where it lies now."""
    aside = database.with_name(name)
    wal_of(database).rename(aside)
    database.with_name(f"{database.name}-shm").unlink(missing_ok=True)
    return aside


def checkpoint(connection: sqlite3.Connection) -> int:
    """Write the log into the database under a new stamp, and empty it; returns the stamp.

    Where readers hold pages of it, the log stays, and belongs to both stamps.
    """
    stamp = new_stamp()
    connection.execute(f"PRAGMA user_version = {stamp}")
    # The new stamp goes through the log with everything else, so that it comes to the file in the same
    # step.
    connection.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()
    return stamp


def _read(file: BinaryIO) -> WalState | None:
    head = file.read(_WAL_HEADER)
    if len(head) < _WAL_HEADER or int.from_bytes(head[:4]) & ~1 != 0x377F0682:
        return None
    # SQLite writes a log over from its start and draws new salts: frames with other salts are left over
    # from before.
    page, salts = int.from_bytes(head[8:12]), head[16:24]
    if not 512 <= page <= 65536:
        return None
    pages: set[int] = set()
    stamps: set[int] = set()
    pending_pages: set[int] = set()
    pending_stamps: set[int] = set()
    size = 0
    while len(frame := file.read(_FRAME_HEADER)) == _FRAME_HEADER and frame[8:16] == salts:
        image = file.read(page)
        if len(image) < page:
            break
        number, committed = int.from_bytes(frame[:4]), int.from_bytes(frame[4:8])
        # Frames count only once a commit follows; what was cut off after the last one was never an edit.
        pending_pages.add(number)
        if number == 1:
            pending_stamps.add(stamp_of(image))
        if committed:
            size = committed
            pages |= pending_pages
            stamps |= pending_stamps
            pending_pages, pending_stamps = set(), set()
    return WalState(frozenset(pages), size, frozenset(stamps)) if size else None


def _fits(database: Path) -> bool:
    """Try a log without stamps on a copy: one of another time leaves a database with faults."""
    with tempfile.TemporaryDirectory(prefix="odd-twin-") as folder:
        copy = Path(folder) / database.name
        try:
            shutil.copyfile(database, copy)
            shutil.copyfile(wal_of(database), wal_of(copy))
            connection = sqlite3.connect(copy)
            try:
                # On a copy, because opening a database with a log beside it applies the log for good.
                sound = connection.execute("PRAGMA quick_check(1)").fetchone()[0] == "ok"
                return sound and connection.execute("PRAGMA foreign_key_check").fetchone() is None
            finally:
                connection.close()
        except (OSError, sqlite3.Error, ValueError):
            return False
