"""A lab book on disk: create, open, edit, undo, close."""

from __future__ import annotations

import fcntl
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import IO, Any, Final

from sqlalchemy import Connection, Engine, create_engine, event, insert, select
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError

from oddtwin.store.edits import Edit, Kind, Record, move, next_redo, next_undo, write_log
from oddtwin.store.errors import NewerLabBookError, NotALabBookError, ReadOnlyError, StoreError
from oddtwin.store.schema import APPLICATION_ID, BOOK, REVISIONS, metadata

DATABASE: Final = "labbook.sqlite"
LOCK: Final = "labbook.lock"
FOLDERS: Final = ("photos", "gcode")


class LabBook:
    """An open lab book; made by ``LabBook.create`` and ``LabBook.open``.

    Attributes
    ----------
    folder : Path
        Where it lies.
    read_only : bool
        Whether it cannot be edited.
    reason : str
        Why not, as a sentence; empty otherwise.
    backup : Path or None
        Copy that was made before an older lab book was brought up to date.
    """

    def __init__(self, folder: Path, engine: Engine, lock: IO[str] | None, reason: str = "") -> None:
        self.folder = folder
        self.read_only = lock is None
        self.reason = reason
        self.backup: Path | None = None
        self._engine = engine
        self._lock = lock

    @classmethod
    def create(cls, folder: Path, name: str) -> LabBook:
        """Make a new, empty lab book.

        Parameters
        ----------
        folder : Path
            A folder that is empty or does not exist yet.
        name : str
            Name of the workshop.

        Raises
        ------
        StoreError
            The folder holds something, or cannot be written.
        """
        try:
            if folder.exists() and any(folder.iterdir()):
                raise StoreError(f"{folder} is not empty; choose a new folder for the lab book.")
            for part in (folder, *(folder / name for name in FOLDERS)):
                part.mkdir(parents=True, exist_ok=True)
            lock = _take_lock(folder)
        except OSError as error:
            raise StoreError(f"{folder} cannot be made into a lab book: {error.strerror}.") from None
        engine = _engine(folder / DATABASE, read_only=False)
        with _sentences(folder), engine.begin() as connection:
            metadata.create_all(connection)
            connection.exec_driver_sql(
                "CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)"
            )
            connection.exec_driver_sql("INSERT INTO alembic_version VALUES (?)", (REVISIONS[-1],))
            connection.exec_driver_sql(f"PRAGMA application_id = {APPLICATION_ID}")
            created = datetime.now().isoformat(timespec="seconds")
            connection.execute(insert(BOOK).values(id=1, name=name, created=created))
        return cls(folder, engine, lock)

    @classmethod
    def open(cls, folder: Path) -> LabBook:
        """Open a lab book, bringing an older one up to date after a backup copy.

        Parameters
        ----------
        folder : Path
            The lab book's folder, or the database file inside it.

        Raises
        ------
        NotALabBookError
            It is no lab book, or is damaged; nothing was changed.
        NewerLabBookError
            A newer Odd Twin wrote it; nothing was changed.
        """
        folder = folder.parent if folder.name == DATABASE else folder
        database = folder / DATABASE
        revision = _revision(database)
        if revision not in REVISIONS:
            raise NewerLabBookError(
                f"{folder} was written by a newer version of Odd Twin (schema {revision}). "
                "Update Odd Twin to open it; nothing was changed."
            )
        lock, reason = _lock_or_reason(folder)
        backup = None
        if revision != REVISIONS[-1]:
            if lock is None:
                raise StoreError(f"{folder} is older and must be brought up to date, but {reason}")
            from oddtwin.store.migrate import migrate

            backup = migrate(database, revision)
        book = cls(folder, _engine(database, read_only=lock is None), lock, reason)
        book.backup = backup
        return book

    @property
    def name(self) -> str:
        """Name of the workshop."""
        with self.reading() as connection:
            return str(connection.execute(select(BOOK.c.name)).scalar_one())

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """Give a connection for reading; any thread may ask for one."""
        with _sentences(self.folder), self._engine.connect() as connection:
            yield connection

    def edit(self, title: str, change: Callable[[Edit], None], kind: Kind = Kind.EDIT) -> Record | None:
        """Make an edit in one transaction and log it.

        Parameters
        ----------
        title : str
            Readable name, shown with undo.
        change : callable
            Makes the row changes; when it raises, nothing is kept.
        kind : Kind
            ``Kind.MARK`` for what is not to be undone.

        Returns
        -------
        Record or None
            None when nothing changed.

        Raises
        ------
        StoreError
            The lab book is read-only, the disk is full, or the database failed.
        """
        with self._writing() as connection:
            edit = Edit(connection)
            change(edit)
            return write_log(connection, kind, title, edit.changes) if edit.changes else None

    def undo(self) -> Record | None:
        """Take back the last edit; None when there is none."""
        with self._writing() as connection:
            entry = next_undo(connection)
            return move(connection, entry, Kind.UNDO) if entry else None

    def redo(self) -> Record | None:
        """Make the last undone edit again; None when there is none."""
        with self._writing() as connection:
            entry = next_redo(connection)
            return move(connection, entry, Kind.REDO) if entry else None

    def undo_title(self) -> str | None:
        """Name of the edit that undo would take back."""
        return self._title(next_undo)

    def redo_title(self) -> str | None:
        """Name of the edit that redo would make again."""
        return self._title(next_redo)

    def check(self) -> str | None:
        """Check the whole database for damage; returns a sentence when some is found."""
        try:
            with self._engine.connect() as connection:
                answer = str(connection.exec_driver_sql("PRAGMA quick_check(1)").scalar())
        except DatabaseError as error:
            answer = str(error.orig)
        if answer == "ok":
            return None
        return f"The lab book in {self.folder} is damaged ({answer}). Copy the folder before going on."

    def close(self) -> None:
        """Close the database and let go of the lock."""
        self._engine.dispose()
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        if self.read_only:
            raise ReadOnlyError(f"Nothing was changed: {self.reason}")
        with _sentences(self.folder), self._engine.begin() as connection:
            yield connection

    def _title(self, which: Callable[[Connection], Any]) -> str | None:
        if self.read_only:
            return None
        with self.reading() as connection:
            entry = which(connection)
            return str(entry["title"]) if entry else None


def _engine(database: Path, read_only: bool) -> Engine:
    mode = "ro" if read_only else "rw" if database.exists() else "rwc"
    # A place that cannot be written cannot hold the write-ahead index either.
    still = "&immutable=1" if read_only and not _writable(database.parent) else ""
    url = f"sqlite:///file:{_quoted(database)}?mode={mode}{still}&uri=true"
    engine = create_engine(url, connect_args={"timeout": 10})

    @event.listens_for(engine, "connect")
    def _prepare(connection: sqlite3.Connection, _: object) -> None:
        connection.execute("PRAGMA foreign_keys = ON")
        if not read_only:
            connection.execute("PRAGMA journal_mode = WAL")
            connection.execute("PRAGMA synchronous = FULL")

    return engine


def _quoted(path: Path) -> str:
    from urllib.parse import quote

    return quote(str(path.absolute()))


def _writable(folder: Path) -> bool:
    import os

    return os.access(folder, os.W_OK)


def _revision(database: Path) -> str:
    """Read the schema revision with nothing but the file itself."""
    folder = database.parent
    if not database.is_file():
        raise NotALabBookError(f"{folder} is not a lab book: it has no {DATABASE}.")
    still = "" if _writable(folder) else "&immutable=1"
    connection = None
    try:
        connection = sqlite3.connect(f"file:{_quoted(database)}?mode=ro{still}", uri=True, timeout=10)
        if connection.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
            raise NotALabBookError(f"{database} is not a lab book. Nothing was changed.")
        tables = {row[0] for row in connection.execute("SELECT name FROM sqlite_master")}
        row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    except sqlite3.Error as error:
        raise NotALabBookError(
            f"{database} cannot be read as a lab book ({error}). Nothing was changed; "
            "if it was one, go back to a copy."
        ) from None
    finally:
        if connection is not None:
            connection.close()
    if row is None or "study" not in tables:
        raise NotALabBookError(f"{database} is a damaged lab book: parts are missing. Nothing was changed.")
    return str(row[0])


def _lock_or_reason(folder: Path) -> tuple[IO[str] | None, str]:
    try:
        return _take_lock(folder), ""
    except BlockingIOError:
        return None, "this lab book is open in another window, so here it can only be read."
    except OSError:
        return None, "this lab book lies where it cannot be written, so it can only be read."


def _take_lock(folder: Path) -> IO[str]:
    lock = (folder / LOCK).open("a", encoding="utf-8")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.close()
        raise
    return lock


@contextmanager
def _sentences(folder: Path) -> Iterator[None]:
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
