"""Copies of a lab book, and going back to one."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from oddtwin.core.language import tr
from oddtwin.core.quantities import now
from oddtwin.store.access import IN_ANOTHER_WINDOW, Access, file_uri
from oddtwin.store.atomic import flush_folder
from oddtwin.store.errors import NewerLabBookError, NotALabBookError, StoreError
from oddtwin.store.glance import read_head
from oddtwin.store.revisions import REVISIONS
from oddtwin.store.wal import new_stamp, wal_of


def copy_database(source: Path, target: Path) -> None:
    """Copy a database with what its log holds, whole or not at all.

    The copy has a stamp of its own, so that no log of another file is ever applied to it.

    Raises
    ------
    StoreError
        It cannot be read, or the copy not be written; no part of it is left.
    """
    part = target.with_name(f"{target.name}.part")
    try:
        part.unlink(missing_ok=True)
        reading = sqlite3.connect(file_uri(source, "ro"), uri=True)
        writing = sqlite3.connect(file_uri(part, "rwc"), uri=True)
        try:
            # SQLite's own copy holds the pages of the log too, and is right even while somebody writes.
            reading.backup(writing)
            # A copy travels as one file; in the other mode it would want a log beside it.
            writing.execute("PRAGMA journal_mode = DELETE")
            # With a stamp of its own, no log of the original is ever taken for one of the copy.
            writing.execute(f"PRAGMA user_version = {new_stamp()}")
        finally:
            writing.close()
            reading.close()
        flush_folder(part)
        part.replace(target)
        flush_folder(target.parent)
    except (sqlite3.Error, OSError, ValueError) as error:
        part.unlink(missing_ok=True)
        raise StoreError(
            tr(
                "No copy of {source} could be made ({error}); nothing was changed.",
                source=source,
                error=error,
            )
        ) from None


def go_back(database: Path, copy: Path) -> Path:
    """Put a copy in the place of a lab book's database; what was there stays beside it.

    Parameters
    ----------
    database : Path
        The lab book's database; it may be damaged or gone.
    copy : Path
        A lab book's database, such as one that was kept before a migration.

    Returns
    -------
    Path
        Where the database that was there lies now, with the edits of its log; the copy
        itself where there was none.

    Raises
    ------
    StoreError
        The copy is no lab book, the lab book is open somewhere, or nothing can be written;
        nothing was changed.
    """
    if copy.exists() and database.exists() and copy.samefile(database):
        raise StoreError(tr("{copy} is the lab book itself; choose a copy of it.", copy=copy))
    held = Access.take(copy)
    try:
        head = read_head(copy, held.address)
    finally:
        held.close()
    if head.revision not in REVISIONS:
        raise NewerLabBookError(
            tr(
                "{copy} was written by a newer version of Odd Twin (schema {revision}); update it first.",
                copy=copy,
                revision=head.revision,
            )
        )
    aside = database.with_name(f"{database.stem}-before-going-back-{now():%Y%m%d-%H%M%S}.sqlite")
    if not database.exists():
        copy_database(copy, database)
        return copy
    _keep(database, aside)
    copy_database(copy, database)
    for beside in (wal_of(database), database.with_name(f"{database.name}-shm")):
        beside.unlink(missing_ok=True)
    return aside


def _keep(database: Path, aside: Path) -> None:
    """Keep what a database holds now: as a sound copy, or the files as they are where it is damaged."""
    try:
        held = Access.take(database)
    except NotALabBookError:
        _move(database, aside)
        return
    try:
        if held.reason:
            word = tr("is open") if held.reason == IN_ANOTHER_WINDOW else tr("cannot be written")
            raise StoreError(
                tr("{parent} {word}; close it everywhere, then go back.", parent=database.parent, word=word)
            )
        try:
            copy_database(database, aside)
        except StoreError:
            _move(database, aside)
    finally:
        held.close()


def _move(database: Path, aside: Path) -> None:
    try:
        if wal_of(database).exists():
            wal_of(database).rename(wal_of(aside))
        database.rename(aside)
    except OSError as error:
        raise StoreError(
            tr(
                "{database} cannot be set aside: {reason}; nothing was changed.",
                database=database,
                reason=error.strerror,
            )
        ) from None
