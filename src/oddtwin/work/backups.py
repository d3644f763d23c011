"""Backups of a whole lab book: archives of plain files, the newest few kept, checked as they are put back."""

from __future__ import annotations

import re
import shutil
import sqlite3
import tempfile
import zipfile
from pathlib import Path
from typing import Final

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr
from oddtwin.core.quantities import now
from oddtwin.store import DATABASE, LabBook, StoreError
from oddtwin.store.atomic import fitting_name, write_with
from oddtwin.store.copies import copy_database
from oddtwin.store.exchange.archive import extract, opened, write_archive
from oddtwin.store.plain import write_tables

FOLDERS: Final = ("gcode", "photos", "streams")
TABLES: Final = "tables"
"""The same as the database says, as CSV: for people, and for programs that know no SQLite."""
_TABLE: Final = re.compile(r"tables/[a-z_]+\.csv")
_STAMP: Final = re.compile(r"-\d{8}-\d{6}\.zip$")
_KEPT: Final = re.compile(r"[0-9a-f]{64}|[a-z-]+-\d{4}-\d{2}-\d{2}\.txt")


def back_up(book: LabBook, folder: Path, keep: int, job: Job = UNWATCHED) -> tuple[Path, list[Path]]:
    """Write a backup of a lab book into a folder, and take away the oldest beyond some.

    Parameters
    ----------
    book : LabBook
        Open; it may be written meanwhile.
    folder : Path
        Of the backups; made where it is not there.
    keep : int
        How many backups of this lab book stay; one at least.
    job : Job
        Told the share that is done; stops the work between files.

    Returns
    -------
    tuple of Path and list of Path
        The backup, and those that were taken away.

    Raises
    ------
    StoreError
        It cannot be read, or the backup not be written; no older one was taken away.
    """
    if keep < 1:
        raise StoreError(tr("Keep one backup at least."))
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix="odd-twin-backup-") as room:
            database = Path(room) / DATABASE
            copy_database(book.folder / DATABASE, database)
            members: dict[str, bytes | Path] = {DATABASE: database}
            members |= _plain(database, Path(room) / TABLES, job)
            for name in FOLDERS:
                for path in sorted((book.folder / name).glob("*")):
                    if path.is_file() and _KEPT.fullmatch(path.name):
                        members[f"{name}/{path.name}"] = path
            target = folder / fitting_name(f"{book.name}-{now():%Y%m%d-%H%M%S}", ".zip")
            write_with(target, lambda file: write_archive(file, members, job))
    except OSError as error:
        raise StoreError(
            tr(
                "No backup could be written into {folder}: {reason}.",
                folder=folder,
                reason=error.strerror or error,
            )
        ) from None
    mine = sorted(path for path in folder.glob("*.zip") if _is_of(path, target))
    gone = mine[:-keep]
    for path in gone:
        path.unlink(missing_ok=True)
    return target, gone


def _is_of(path: Path, target: Path) -> bool:
    """Whether two backups are of one lab book, by their names without the moment."""
    return bool(_STAMP.search(path.name)) and _STAMP.sub("", path.name) == _STAMP.sub("", target.name)


def restore(backup: Path, folder: Path, job: Job = UNWATCHED) -> LabBook:
    """Put a backup into a new folder, and open the lab book that it holds.

    Parameters
    ----------
    backup : Path
        Of `back_up`.
    folder : Path
        That is not there yet, or is empty.
    job : Job
        Told the share that is done; stops the work between files.

    Raises
    ------
    StoreError
        It is no backup, is damaged, or the folder holds something; nothing is left of what was begun.
    """
    if folder.exists() and any(folder.iterdir()):
        raise StoreError(
            tr("{folder} is not empty; name a new folder, so that nothing is written over.", folder=folder)
        )
    with opened(backup) as archive:
        names = archive.namelist()
        if DATABASE not in names:
            raise StoreError(
                tr(
                    "{backup} is no backup of a lab book: it has no {DATABASE}.",
                    backup=backup,
                    DATABASE=DATABASE,
                )
            )
        odd = [name for name in names if name != DATABASE and not _known(name) and not _TABLE.fullmatch(name)]
        if odd:
            raise StoreError(
                tr(
                    "{backup} holds “{odd}”, which no lab book does; nothing was written.",
                    backup=backup,
                    odd=odd[0],
                )
            )
        try:
            _unpack(archive, folder, job)
            return _sound(folder)
        except (StoreError, OSError) as error:
            shutil.rmtree(folder, ignore_errors=True)
            told = str(error) if isinstance(error, StoreError) else f"{error.strerror or error}."
            raise StoreError(tr("The backup could not be put back: {told}", told=told)) from None


def _unpack(archive: zipfile.ZipFile, folder: Path, job: Job) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    names = [name for name in archive.namelist() if not _TABLE.fullmatch(name)]
    for number, name in enumerate(names):
        job.check()
        job.tell(number / len(names))
        path = folder / name
        path.parent.mkdir(exist_ok=True)
        extract(archive, name, path)
    _refuse_unlike(archive, folder / DATABASE, job)


def _plain(database: Path, room: Path, job: Job) -> dict[str, bytes | Path]:
    room.mkdir()
    return {f"{TABLES}/{path.name}": path for path in write_tables(database, room, job)}


def _refuse_unlike(archive: zipfile.ZipFile, database: Path, job: Job) -> None:
    """Refuse tables that say something else than the database: one of the two was altered."""
    said = {name for name in archive.namelist() if _TABLE.fullmatch(name)}
    if not said:
        return
    with tempfile.TemporaryDirectory(prefix="odd-twin-tables-") as room:
        try:
            written = _plain(database, Path(room) / TABLES, job)
        except sqlite3.Error as error:
            raise StoreError(tr("its database cannot be read ({error}).", error=error)) from None
        for name in sorted(said | set(written)):
            path = written.get(name)
            if name not in said or not isinstance(path, Path) or archive.read(name) != path.read_bytes():
                raise StoreError(
                    tr(
                        "{name} says something else than its database; one of them was altered after "
                        "it was written. Take another backup, or take the tables out of this one.",
                        name=name,
                    )
                )


def _sound(folder: Path) -> LabBook:
    """Open a lab book that was put back, whole."""
    book = LabBook.open(folder)
    fault = book.check()
    if fault is None:
        return book
    book.close()
    raise StoreError(tr("it holds a damaged lab book: {fault}", fault=fault))


def _known(name: str) -> bool:
    room, _, kept = name.partition("/")
    return room in FOLDERS and bool(_KEPT.fullmatch(kept))
