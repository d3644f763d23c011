"""The database behind a lab book, and what it says when something fails."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from sqlalchemy import Engine, QueuePool, create_engine, event, insert
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError

from oddtwin.core.language import tr
from oddtwin.core.quantities import now, write_moment
from oddtwin.store.errors import StoreError
from oddtwin.store.revisions import APPLICATION_ID, REVISIONS
from oddtwin.store.schema import BOOK, metadata
from oddtwin.store.wal import new_stamp

PATIENCE_S: Final = 0.08
"""How long an edit waits for another program; longer would be seen as a freeze."""


def make_engine(address: str, opened: Callable[[sqlite3.Connection], None] = lambda raw: None) -> Engine:
    """Return an engine that writes through to the disk at every commit.

    Parameters
    ----------
    address : str
        SQLite's address of the file, as ``file_uri`` makes it.
    opened : callable
        Told of every connection.
    """

    def connect() -> sqlite3.Connection:
        # Readers on several lanes take connections from one pool; each is used by one thread at a time.
        return sqlite3.connect(address, uri=True, timeout=PATIENCE_S, check_same_thread=False)

    engine = create_engine("sqlite://", creator=connect, poolclass=QueuePool)

    @event.listens_for(engine, "connect")
    def _prepare(connection: sqlite3.Connection, _: object) -> None:
        opened(connection)
        # Off by default in SQLite, for every connection anew.
        connection.execute("PRAGMA foreign_keys = ON")
        if "mode=ro" not in address:
            connection.execute("PRAGMA synchronous = FULL")
            # The book itself says when: each checkpoint has to change the stamp.
            connection.execute("PRAGMA wal_autocheckpoint = 0")

    return engine


def make_tables(address: str, name: str) -> None:
    """Lay out an empty lab book in the current schema, complete in its file when it returns."""
    engine = make_engine(address)
    try:
        with engine.begin() as connection:
            metadata.create_all(connection)
            connection.exec_driver_sql(
                "CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)"
            )
            connection.exec_driver_sql("INSERT INTO alembic_version VALUES (?)", (REVISIONS[-1],))
            connection.exec_driver_sql(f"PRAGMA application_id = {APPLICATION_ID}")
            connection.exec_driver_sql(f"PRAGMA user_version = {new_stamp()}")
            connection.execute(insert(BOOK).values(id=1, name=name, created=write_moment(now())))
        with engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA journal_mode = WAL")
    finally:
        engine.dispose()


def check_engine(engine: Engine, folder: Path) -> str | None:
    """Check the whole database for damage; returns a sentence when some is found."""
    try:
        with engine.connect() as connection:
            answer = str(connection.exec_driver_sql("PRAGMA quick_check(1)").scalar())
    except DatabaseError as error:
        answer = str(error.orig)
    if answer == "ok":
        return None
    return tr(
        "The lab book in {folder} is damaged ({answer}). Copy the folder before going on.",
        folder=folder,
        answer=answer,
    )


@contextmanager
def sentences(folder: Path, writing: bool) -> Iterator[None]:
    """Turn what the database says into sentences for the user.

    Parameters
    ----------
    folder : Path
        Of the lab book.
    writing : bool
        Whether an edit is lost by it; a failed look at the book loses nothing.
    """
    try:
        yield
    except IntegrityError as error:
        raise StoreError(
            tr("That would not fit with what is already in the lab book ({orig}).", orig=error.orig)
        ) from error
    except OperationalError as error:
        raise StoreError(_operational(folder, str(error.orig), writing)) from error
    except DatabaseError as error:
        raise StoreError(
            tr("The lab book in {folder} is damaged ({orig}).", folder=folder, orig=error.orig)
        ) from error


def _operational(folder: Path, reason: str, writing: bool) -> str:
    end = tr("The last edit was not kept") if writing else tr("Nothing was changed")
    if "full" in reason:
        return tr(
            "The disk that holds {folder} is full. {end}; make room and try again.", folder=folder, end=end
        )
    if "locked" in reason:
        return tr("Another program holds {folder} right now. {end}; try again.", folder=folder, end=end)
    return tr(
        "The lab book in {folder} could not be {part} ({reason}). {end}.",
        folder=folder,
        part=tr("written") if writing else tr("read"),
        reason=reason,
        end=end,
    )
