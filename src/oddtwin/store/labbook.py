"""A lab book on disk: create, open, edit, undo, close."""

from __future__ import annotations

import fcntl
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, TYPE_CHECKING, Final

from oddtwin.store.errors import NewerLabBookError, ReadOnlyError, StoreError
from oddtwin.store.glance import StudySummary, read_head, read_summaries
from oddtwin.store.record import Kind, Record
from oddtwin.store.revisions import REVISIONS

if TYPE_CHECKING:
    from sqlalchemy import Connection, Engine

    from oddtwin.store.edits import Edit

DATABASE: Final = "labbook.sqlite"
LOCK: Final = "labbook.lock"
SLICED: Final = "gcode"
FOLDERS: Final = ("photos", SLICED)


class LabBook:
    """An open lab book; made by ``LabBook.create`` and ``LabBook.open``.

    Opening needs the standard library only; SQLAlchemy is loaded by the first edit or
    the first study that is read, or by ``check``.

    Attributes
    ----------
    folder : Path
        Where it lies.
    name : str
        Name of the workshop.
    read_only : bool
        Whether it cannot be edited.
    reason : str
        Why not, as a sentence; empty otherwise.
    backup : Path or None
        Copy that was made before an older lab book was brought up to date.
    """

    def __init__(self, folder: Path, name: str, lock: IO[str] | None, reason: str = "") -> None:
        self.folder = folder
        self.name = name
        self.read_only = lock is None
        self.reason = reason
        self.backup: Path | None = None
        self._lock = lock
        self._made: Engine | None = None
        self._making = threading.Lock()

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
        from oddtwin.store.engine import make_engine, make_tables, sentences

        try:
            if folder.exists() and any(folder.iterdir()):
                raise StoreError(f"{folder} is not empty; choose a new folder for the lab book.")
            for part in (folder, *(folder / part for part in FOLDERS)):
                part.mkdir(parents=True, exist_ok=True)
            lock = _take_lock(folder)
        except OSError as error:
            raise StoreError(f"{folder} cannot be made into a lab book: {error.strerror}.") from None
        book = cls(folder, name, lock)
        book._made = make_engine(folder / DATABASE, "rwc")
        try:
            with sentences(folder):
                make_tables(book._made, name)
        except StoreError:
            book.close()
            raise
        return book

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
        head = read_head(folder / DATABASE)
        if head.revision not in REVISIONS:
            raise NewerLabBookError(
                f"{folder} was written by a newer version of Odd Twin (schema {head.revision}). "
                "Update Odd Twin to open it; nothing was changed."
            )
        lock, reason = _lock_or_reason(folder)
        book = cls(folder, head.name, lock, reason)
        if head.revision != REVISIONS[-1]:
            if lock is None:
                raise StoreError(f"{folder} is older and must be brought up to date, but {reason}")
            book.backup = _migrated(folder / DATABASE, head.revision, lock)
        return book

    def summaries(self, before: int | None = None, most: int = 10_000) -> list[StudySummary]:
        """Read studies, newest first; with ``before`` only those older than that id."""
        return read_summaries(self.folder / DATABASE, before, most)

    @property
    def warm(self) -> bool:
        """Whether SQLAlchemy is loaded and connected, so that reading costs little."""
        return self._made is not None

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """Give a connection for reading; any thread may ask for one."""
        from oddtwin.store.engine import sentences

        with sentences(self.folder), self._engine().connect() as connection:
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
        from oddtwin.store.edits import Edit, write_log

        with self._writing() as connection:
            edit = Edit(connection)
            change(edit)
            return write_log(connection, kind, title, edit.changes) if edit.changes else None

    def undo(self) -> Record | None:
        """Take back the last edit; None when there is none."""
        from oddtwin.store.edits import move, next_undo

        with self._writing() as connection:
            entry = next_undo(connection)
            return move(connection, entry, Kind.UNDO) if entry is not None else None

    def redo(self) -> Record | None:
        """Make the last undone edit again; None when there is none."""
        from oddtwin.store.edits import move, next_redo

        with self._writing() as connection:
            entry = next_redo(connection)
            return move(connection, entry, Kind.REDO) if entry is not None else None

    def undo_title(self) -> str | None:
        """Name of the edit that undo would take back."""
        from oddtwin.store.edits import next_undo

        return self._title(next_undo)

    def redo_title(self) -> str | None:
        """Name of the edit that redo would make again."""
        from oddtwin.store.edits import next_redo

        return self._title(next_redo)

    def check(self) -> str | None:
        """Check the whole database for damage; returns a sentence when some is found."""
        from oddtwin.store.engine import check_engine

        return check_engine(self._engine(), self.folder)

    def keep_sliced(self, source: Path) -> str:
        """Keep a copy of a sliced file under the hash of its content; returns the hash.

        Raises
        ------
        StoreError
            It cannot be read, or the lab book not be written.
        """
        from oddtwin.store.kept import keep

        if self.read_only:
            raise ReadOnlyError(f"Nothing was changed: {self.reason}")
        return keep(source, self.folder / SLICED)

    def sliced(self, sha256: str) -> Path:
        """Return where a kept sliced file lies; it may be missing where a book was copied in part."""
        return self.folder / SLICED / sha256

    def close(self) -> None:
        """Close the database and let go of the lock."""
        if self._made is not None:
            self._made.dispose()
            self._made = None
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    def _engine(self) -> Engine:
        from oddtwin.store.engine import make_engine

        with self._making:
            if self._made is None:
                self._made = make_engine(self.folder / DATABASE, "ro" if self.read_only else "rw")
            return self._made

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        from oddtwin.store.engine import sentences

        if self.read_only:
            raise ReadOnlyError(f"Nothing was changed: {self.reason}")
        if not (self.folder / DATABASE).exists():
            # An open file can still be written after it was deleted, and would be lost.
            raise StoreError(f"{self.folder} is not there any more. The last edit was not kept.")
        with sentences(self.folder), self._engine().begin() as connection:
            yield connection

    def _title(self, which: Callable[[Connection], int | None]) -> str | None:
        from oddtwin.store.edits import title_of

        if self.read_only:
            return None
        with self.reading() as connection:
            entry = which(connection)
            return title_of(connection, entry) if entry is not None else None


def _migrated(database: Path, revision: str, lock: IO[str]) -> Path:
    from oddtwin.store.migrate import migrate

    try:
        return migrate(database, revision)
    except StoreError:
        lock.close()
        raise


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
