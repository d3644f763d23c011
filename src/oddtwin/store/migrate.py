"""Bringing an older lab book up to date."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, create_engine, event

from oddtwin.core.language import tr
from oddtwin.core.quantities import now
from oddtwin.store.access import file_uri
from oddtwin.store.copies import copy_database
from oddtwin.store.errors import StoreError
from oddtwin.store.glance import read_head
from oddtwin.store.noise import keep_all_noise
from oddtwin.store.revisions import REVISIONS
from oddtwin.store.wal import HEADER


def migrate(database: Path, revision: str) -> Path:
    """Copy the database aside, then run the migrations it lacks.

    Parameters
    ----------
    database : Path
        The SQLite file, locked by the caller.
    revision : str
        Schema revision that it has.

    Returns
    -------
    Path
        The backup copy, beside the database.

    Raises
    ------
    StoreError
        The copy cannot be made or a migration fails; the lab book is then unchanged, and
        no copy of it is left over.
    """
    backup, fresh = _backed_up(database, revision)
    try:
        _upgrade_file(database)
        # A migration that ran on another file, or on none, must not pass for one.
        reached = read_head(database, file_uri(database, "ro")).revision
    except Exception as error:
        if fresh:
            backup.unlink(missing_ok=True)
        raise StoreError(
            tr(
                "{database} could not be brought up to date: {reason}. It is unchanged.",
                database=database,
                reason=_reason(error),
            )
        ) from error
    if reached != REVISIONS[-1]:
        raise StoreError(
            tr("{database} could not be brought up to date. It is unchanged.", database=database)
        )
    return backup


def upgrade(connection: Connection) -> None:
    """Run all migrations that a database lacks, in the caller's transaction."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations").replace("%", "%%"))
    config.attributes["connection"] = connection
    command.upgrade(config, "head")


def _backed_up(database: Path, revision: str) -> tuple[Path, bool]:
    """Return a backup copy, and whether it is new: an earlier try may have left the same."""
    earlier = sorted(database.parent.glob(f"{database.stem}-before-{revision}-*.sqlite"))
    backup = database.with_name(f"{database.stem}-before-{revision}-{now():%Y%m%d-%H%M%S}.sqlite")
    copy_database(database, backup)
    for copy in earlier:
        if copy != backup and _alike(copy, backup):
            backup.unlink()
            return copy, False
    return backup, True


def _alike(one: Path, other: Path) -> bool:
    """Return whether two copies hold the same; their headers carry each a stamp of its own."""
    first, second = one.read_bytes(), other.read_bytes()
    return first[HEADER:] == second[HEADER:]


def _upgrade_file(database: Path) -> None:
    address = file_uri(database, "rw")
    engine = create_engine("sqlite://", creator=lambda: sqlite3.connect(address, uri=True))

    # Python's driver would run schema changes outside the transaction.
    @event.listens_for(engine, "connect")
    def _by_hand(raw: sqlite3.Connection, _: object) -> None:
        raw.isolation_level = None

    @event.listens_for(engine, "begin")
    def _begin(connection: Connection) -> None:
        connection.exec_driver_sql("BEGIN IMMEDIATE")

    try:
        with engine.begin() as connection:
            upgrade(connection)
            # The stored noise follows from readings that older versions wrote; it is filled once, in the
            # same transaction.
            keep_all_noise(connection)
    finally:
        engine.dispose()


def _reason(error: Exception) -> str:
    """Return what went wrong without the statement that it went wrong in."""
    return str(getattr(error, "orig", None) or error).splitlines()[0].rstrip(".")
