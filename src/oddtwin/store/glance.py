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
from typing import Literal

from oddtwin.core.language import tr
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
    tags: str = ""
    verdict: str = ""
    """Of the deciding response, as it was when the study was settled; empty before."""


@dataclass(frozen=True, slots=True)
class StudyFilter:
    """Which studies are listed: open ones or settled ones, or those with a tag; all by default."""

    state: Literal["", "open", "settled", "due"] = ""
    tag: str = ""


_MACHINES = """
    SELECT coalesce(run.machine_id, block.machine_id) FROM run JOIN block ON block.id = run.block_id
    WHERE run.study_id = {}.id
"""
# Where the machine itself is what differs, runs name it and not their block.
_DUE = f"""
    study.decision <> '' AND (
        study.verify_at <> '' AND julianday(study.verify_at) <= julianday('now')
        OR study.verify_hours > 0 AND study.verify_hours <= (
            SELECT coalesce(sum(julianday(finished) - julianday(started)), 0) * 24
            FROM plate WHERE plate.finished <> '' AND plate.started > study.decided AND EXISTS (
                SELECT 1 FROM run AS one JOIN block AS its ON its.id = one.block_id
                WHERE one.plate_id = plate.id
                AND coalesce(one.machine_id, its.machine_id) IN ({_MACHINES.format("study")})
            )
        )
    ) AND NOT EXISTS (
        SELECT 1 FROM study AS later WHERE later.parent_id = study.id
        AND (study.verify_at = '' OR julianday(later.created) >= julianday(study.verify_at))
        AND (NOT EXISTS (SELECT 1 FROM run WHERE run.study_id = later.id) OR EXISTS (
            {_MACHINES.format("later")} AND coalesce(run.machine_id, block.machine_id) IN (
                {_MACHINES.format("study")})
        ))
    )
"""
_VERDICT = """
    SELECT json_extract(one.value, '$.verdict') FROM json_each(study.found) AS one
    JOIN response ON response.study_id = study.id AND response."primary"
    AND response.name = json_extract(one.value, '$.response') LIMIT 1
"""
# What goes on elsewhere verifies nothing here; a study that is not planned yet may still be planned here.
_KEPT = {
    "": "1",
    "open": "decision NOT IN ('adopt', 'keep the baseline', 'undecided')",
    "settled": "decision IN ('adopt', 'keep the baseline', 'undecided')",
    "due": _DUE,
}


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
            raise NotALabBookError(
                tr("{database} is not a lab book. Nothing was changed.", database=database)
            )
        revision = connection.execute("SELECT version_num FROM alembic_version").fetchone()
        name = connection.execute("SELECT name FROM book").fetchone()
        connection.execute("SELECT 1 FROM study").fetchone()
    if revision is None or name is None:
        raise NotALabBookError(
            tr("{database} is a damaged lab book: parts are missing. Nothing was changed.", database=database)
        )
    return BookHead(str(name[0]), str(revision[0]))


def read_summaries(
    database: Path, address: str, before: int | None, most: int, kept: StudyFilter | None = None
) -> list[StudySummary]:
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
    kept : StudyFilter, optional
        Which are listed; all by default.
    """
    kept = kept or StudyFilter()
    # Only the page's own studies are counted through: a book of ten years is not read to show its first
    # screen.
    page = f"""
        SELECT id FROM study WHERE (:before IS NULL OR id < :before) AND ({_KEPT[kept.state]})
        AND (:tag = '' OR instr(', ' || tags || ', ', ', ' || :tag || ', '))
        ORDER BY id DESC LIMIT :most
    """
    with _reading(database, address) as connection:
        rows = connection.execute(
            f"""
            SELECT study.id, name, question, decision,
                   coalesce(runs, 0), coalesce(done, 0), coalesce(aside, 0),
                   {_DUE}, tags, coalesce(({_VERDICT}), '')
            FROM study LEFT JOIN (
                SELECT run.study_id, count(*) AS runs, sum(finished <> '' AND set_aside = '') AS done,
                       sum(set_aside <> '') AS aside
                FROM run JOIN plate ON plate.id = run.plate_id
                WHERE run.study_id IN ({page}) GROUP BY run.study_id
            ) ON study_id = study.id
            WHERE study.id IN ({page})
            ORDER BY study.id DESC
            """,
            {"before": before, "most": most, "tag": kept.tag},
        ).fetchall()
    return [
        StudySummary(
            id=row[0],
            name=str(row[1]),
            question=str(row[2]),
            decision=str(row[3]),
            runs=row[4],
            finished=row[5],
            set_aside=row[6],
            due=bool(row[7]),
            tags=str(row[8]),
            verdict=str(row[9]),
        )
        for row in rows
    ]


def read_tags(database: Path, address: str) -> list[str]:
    """Read the tags that studies are filed under, in the order of the alphabet.

    Parameters
    ----------
    database : Path
        The SQLite file, for the message.
    address : str
        SQLite's address of it, for reading.
    """
    with _reading(database, address) as connection:
        rows = connection.execute("SELECT DISTINCT tags FROM study WHERE tags <> ''").fetchall()
    return sorted({tag for (tags,) in rows for tag in str(tags).split(", ")}, key=str.casefold)


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
            raise StoreError(
                tr("Another program holds {database} right now; try again.", database=database)
            ) from None
        raise _unreadable(database, error) from None
    except (sqlite3.Error, ValueError, TypeError) as error:
        # SQLite's driver fails with plain ValueErrors where names in the schema are no text.
        raise _unreadable(database, error) from None


def _unreadable(database: Path, error: Exception) -> NotALabBookError:
    return NotALabBookError(
        tr(
            "{database} cannot be read as a lab book ({error}). Nothing was changed; if "
            "it was one, go back to a copy.",
            database=database,
            error=error,
        )
    )
