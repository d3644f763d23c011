"""Bringing an older lab book up to date."""

from __future__ import annotations

import sqlite3
from datetime import datetime
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, create_engine, event

from oddtwin.store.errors import StoreError


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
        The copy cannot be made or a migration fails; the lab book is then unchanged.
    """
    stamp = datetime.now().strftime("%Y%m%d-%H%M%S")
    backup = database.with_name(f"{database.stem}-before-{revision}-{stamp}.sqlite")
    try:
        source, target = sqlite3.connect(database), sqlite3.connect(backup)
        source.backup(target)
        target.close()
        source.close()
    except sqlite3.Error as error:
        raise StoreError(
            f"No backup copy of {database} could be made ({error}); it was not opened."
        ) from None
    engine = create_engine(f"sqlite:///{database.absolute()}")

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
    except Exception as error:
        raise StoreError(
            f"{database} could not be brought up to date ({error}). It is unchanged; a copy is in {backup}."
        ) from error
    finally:
        engine.dispose()
    return backup


def upgrade(connection: Connection) -> None:
    """Run all migrations that a database lacks, in the caller's transaction."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["connection"] = connection
    command.upgrade(config, "head")
