"""The database behind a lab book, and what it says when something fails."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Engine, QueuePool, create_engine, event, insert
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError

from oddtwin.core.quantities import now, write_moment
from oddtwin.store.errors import StoreError
from oddtwin.store.glance import file_uri
from oddtwin.store.revisions import APPLICATION_ID, REVISIONS
from oddtwin.store.schema import BOOK, metadata


def make_engine(database: Path, mode: str) -> Engine:
    """Return an engine that writes through to the disk at every commit.

    Parameters
    ----------
    database : Path
        The SQLite file.
    mode : str
        ``ro`` to read, ``rw`` to write, ``rwc`` to make it too.
    """
    address = file_uri(database, mode)

    def connect() -> sqlite3.Connection:
        return sqlite3.connect(address, uri=True, timeout=10, check_same_thread=False)

    engine = create_engine("sqlite://", creator=connect, poolclass=QueuePool)

    @event.listens_for(engine, "connect")
    def _prepare(connection: sqlite3.Connection, _: object) -> None:
        connection.execute("PRAGMA foreign_keys = ON")
        if mode != "ro":
            connection.execute("PRAGMA journal_mode = WAL")
            connection.execute("PRAGMA synchronous = FULL")

    return engine


def make_tables(engine: Engine, name: str) -> None:
    """Lay out an empty lab book in the current schema."""
    with engine.begin() as connection:
        metadata.create_all(connection)
        connection.exec_driver_sql(
            "CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)"
        )
        connection.exec_driver_sql("INSERT INTO alembic_version VALUES (?)", (REVISIONS[-1],))
        connection.exec_driver_sql(f"PRAGMA application_id = {APPLICATION_ID}")
        created = write_moment(now())
        connection.execute(insert(BOOK).values(id=1, name=name, created=created))


def check_engine(engine: Engine, folder: Path) -> str | None:
    """Check the whole database for damage; returns a sentence when some is found."""
    try:
        with engine.connect() as connection:
            answer = str(connection.exec_driver_sql("PRAGMA quick_check(1)").scalar())
    except DatabaseError as error:
        answer = str(error.orig)
    if answer == "ok":
        return None
    return f"The lab book in {folder} is damaged ({answer}). Copy the folder before going on."


@contextmanager
def sentences(folder: Path) -> Iterator[None]:
    """Turn what the database says into sentences for the user."""
    try:
        yield
    except IntegrityError as error:
        raise StoreError(
            f"That would not fit with what is already in the lab book ({error.orig})."
        ) from error
    except OperationalError as error:
        raise StoreError(_operational(folder, str(error.orig))) from error
    except DatabaseError as error:
        raise StoreError(f"The lab book in {folder} is damaged ({error.orig}).") from error


def _operational(folder: Path, reason: str) -> str:
    if "full" in reason:
        return f"The disk that holds {folder} is full. The last edit was not kept; make room and try again."
    if "locked" in reason:
        return f"Another program holds {folder} right now. The last edit was not kept; try again."
    return f"The lab book in {folder} could not be written ({reason}). The last edit was not kept."
