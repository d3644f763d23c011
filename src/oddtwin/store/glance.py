"""What the first screen shows, read with the standard library alone.

SQLAlchemy takes longer to load than the window does; the list of studies and the checks
on opening need none of it.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from urllib.parse import quote

from oddtwin.core.quantities import read_moment
from oddtwin.store.errors import NotALabBookError
from oddtwin.store.revisions import APPLICATION_ID


@dataclass(frozen=True, slots=True)
class StudySummary:
    """What the list of studies shows of one study."""

    id: int
    name: str
    question: str
    created: datetime
    decision: str
    runs: int
    finished: int
    set_aside: int


@dataclass(frozen=True, slots=True)
class BookHead:
    """Name and schema revision of a lab book."""

    name: str
    revision: str


def read_head(database: Path) -> BookHead:
    """Check that a file is a lab book, and read what it says of itself.

    Raises
    ------
    NotALabBookError
        It is none, or is damaged; nothing was changed.
    """
    if not database.is_file():
        raise NotALabBookError(f"{database.parent} is not a lab book: it has no {database.name}.")
    if not database.with_name(f"{database.name}-wal").exists():
        _check_header(database)
    with _reading(database) as connection:
        if connection.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
            raise NotALabBookError(f"{database} is not a lab book. Nothing was changed.")
        revision = connection.execute("SELECT version_num FROM alembic_version").fetchone()
        name = connection.execute("SELECT name FROM book").fetchone()
        connection.execute("SELECT 1 FROM study").fetchone()
    if revision is None or name is None:
        raise NotALabBookError(f"{database} is a damaged lab book: parts are missing. Nothing was changed.")
    return BookHead(str(name[0]), str(revision[0]))


def _check_header(database: Path) -> None:
    """Look at the first 100 bytes of a closed book (SQLite's file header) before anything is opened."""
    try:
        with database.open("rb") as file:
            header = file.read(100)
        size = database.stat().st_size
    except OSError as error:
        raise NotALabBookError(f"{database} cannot be read: {error.strerror}.") from None
    if header[:16] != b"SQLite format 3\0" or int.from_bytes(header[68:72]) != APPLICATION_ID:
        raise NotALabBookError(f"{database} is not a lab book. Nothing was changed.")
    page, pages = int.from_bytes(header[16:18]), int.from_bytes(header[28:32])
    if size < (65536 if page == 1 else page) * pages:
        raise NotALabBookError(
            f"{database} is a damaged lab book: its end is missing. Nothing was changed; go back to a copy."
        )


def read_summaries(database: Path, before: int | None, most: int) -> list[StudySummary]:
    """Read a page of the list of studies, newest first, with their runs counted.

    Parameters
    ----------
    database : Path
        The SQLite file.
    before : int or None
        Only studies older than the one with this id; None for the first page.
    most : int
        How many at most.
    """
    page = "SELECT id FROM study WHERE :before IS NULL OR id < :before ORDER BY id DESC LIMIT :most"
    with _reading(database) as connection:
        rows = connection.execute(
            f"""
            SELECT study.id, name, question, created, decision,
                   coalesce(runs, 0), coalesce(done, 0), coalesce(aside, 0)
            FROM study LEFT JOIN (
                SELECT study_id, count(*) AS runs, sum(finished <> '' AND set_aside = '') AS done,
                       sum(set_aside <> '') AS aside
                FROM run WHERE study_id IN ({page}) GROUP BY study_id
            ) ON study_id = study.id
            WHERE study.id IN ({page})
            ORDER BY study.id DESC
            """,
            {"before": before, "most": most},
        ).fetchall()
    return [
        StudySummary(id_, name, question, read_moment(created), decision, *counts)
        for id_, name, question, created, decision, *counts in rows
    ]


def file_uri(database: Path, mode: str) -> str:
    """Return SQLite's address of a file; what lies where nothing can be written is taken as still."""
    still = "&immutable=1" if mode == "ro" and not os.access(database.parent, os.W_OK) else ""
    return f"file:{quote(str(database.absolute()))}?mode={mode}{still}"


@contextmanager
def _reading(database: Path) -> Iterator[sqlite3.Connection]:
    try:
        connection = sqlite3.connect(file_uri(database, "ro"), uri=True, timeout=10)
        try:
            yield connection
        finally:
            connection.close()
    except sqlite3.Error as error:
        raise NotALabBookError(
            f"{database} cannot be read as a lab book ({error}). Nothing was changed; "
            "if it was one, go back to a copy."
        ) from None
