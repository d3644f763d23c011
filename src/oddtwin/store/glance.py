"""What the first screen shows, read with the standard library alone.

SQLAlchemy takes longer to load than the window does; the list of studies and the checks
on opening need none of it.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from oddtwin.store.errors import NotALabBookError, StoreError
from oddtwin.store.revisions import APPLICATION_ID


@dataclass(frozen=True, slots=True)
class StudySummary:
    """What the list of studies shows of one study."""

    id: int
    name: str
    question: str
    decision: str
    runs: int
    finished: int
    set_aside: int
    due: bool = False
    """Whether its baseline is to be printed again, and nobody has begun to."""


@dataclass(frozen=True, slots=True)
class BookHead:
    """Name and schema revision of a lab book."""

    name: str
    revision: str


def read_head(database: Path, address: str) -> BookHead:
    """Check that a file is a lab book, and read what it says of itself.

    Parameters
    ----------
    database : Path
        The SQLite file, for the message.
    address : str
        SQLite's address of it, for reading.

    Raises
    ------
    NotALabBookError
        It is none, or is damaged; nothing was changed.
    """
    with _reading(database, address) as connection:
        if connection.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
            raise NotALabBookError(f"{database} is not a lab book. Nothing was changed.")
        revision = connection.execute("SELECT version_num FROM alembic_version").fetchone()
        name = connection.execute("SELECT name FROM book").fetchone()
        connection.execute("SELECT 1 FROM study").fetchone()
    if revision is None or name is None:
        raise NotALabBookError(f"{database} is a damaged lab book: parts are missing. Nothing was changed.")
    return BookHead(str(name[0]), str(revision[0]))


def read_summaries(database: Path, address: str, before: int | None, most: int) -> list[StudySummary]:
    """Read a page of the list of studies, newest first, with their runs counted.

    Parameters
    ----------
    database : Path
        The SQLite file, for the message.
    address : str
        SQLite's address of it, for reading.
    before : int or None
        Only studies older than the one with this id; None for the first page.
    most : int
        How many at most.
    """
    # Only the page's own studies are counted through: a book of ten years is not read to show its first
    # screen.
    page = "SELECT id FROM study WHERE :before IS NULL OR id < :before ORDER BY id DESC LIMIT :most"
    with _reading(database, address) as connection:
        rows = connection.execute(
            f"""
            SELECT study.id, name, question, decision,
                   coalesce(runs, 0), coalesce(done, 0), coalesce(aside, 0),
                   verify_at <> '' AND julianday(verify_at) <= julianday('now') AND NOT EXISTS (
                       SELECT 1 FROM study AS next WHERE next.parent_id = study.id
                       AND julianday(next.created) >= julianday(study.verify_at)
                   )
            FROM study LEFT JOIN (
                SELECT run.study_id, count(*) AS runs, sum(finished <> '' AND set_aside = '') AS done,
                       sum(set_aside <> '') AS aside
                FROM run JOIN plate ON plate.id = run.plate_id
                WHERE run.study_id IN ({page}) GROUP BY run.study_id
            ) ON study_id = study.id
            WHERE study.id IN ({page})
            ORDER BY study.id DESC
            """,
            {"before": before, "most": most},
        ).fetchall()
    return [
        StudySummary(id_, str(name), str(question), str(decision), runs, done, aside, bool(due))
        for id_, name, question, decision, runs, done, aside, due in rows
    ]


@contextmanager
def _reading(database: Path, address: str) -> Iterator[sqlite3.Connection]:
    try:
        connection = sqlite3.connect(address, uri=True, timeout=1)
        try:
            yield connection
        finally:
            connection.close()
    except sqlite3.OperationalError as error:
        if "locked" in str(error):
            raise StoreError(f"Another program holds {database} right now; try again.") from None
        raise _unreadable(database, error) from None
    except (sqlite3.Error, ValueError, TypeError) as error:
        # SQLite's driver fails with plain ValueErrors where names in the schema are no text.
        raise _unreadable(database, error) from None


def _unreadable(database: Path, error: Exception) -> NotALabBookError:
    return NotALabBookError(
        f"{database} cannot be read as a lab book ({error}). Nothing was changed; "
        "if it was one, go back to a copy."
    )
