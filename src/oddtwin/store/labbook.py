"""A lab book on disk: create, open, edit, undo, close."""

from __future__ import annotations

import ctypes
import os
import re
import shutil
import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from oddtwin.core.language import tr
from oddtwin.store.access import Access, file_uri, identity
from oddtwin.store.atomic import PART, flush_folder
from oddtwin.store.errors import ReadOnlyError, StoreError, reason_of
from oddtwin.store.glance import StudyFilter, StudySummary, read_head, read_summaries, read_tags
from oddtwin.store.half_made import DATABASE, FOLDERS, clear_half_made, half_made, refuse_newer
from oddtwin.store.kept import KeptKind
from oddtwin.store.record import Kind, Record
from oddtwin.store.revisions import REVISIONS
from oddtwin.store.wal import checkpoint, read_wal, wal_of

if TYPE_CHECKING:
    from sqlalchemy import Connection, Engine

    from oddtwin.store.edits import Edit

LONG_LOG: Final = 4 << 20
"""Bytes from which on the log is written into the database."""


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
    notice : str
        What was found and done on opening, as a sentence; empty for nothing.
    backup : Path or None
        Copy that was made before an older lab book was brought up to date.
    """

    def __init__(self, folder: Path, name: str, access: Access) -> None:
        self.folder = folder
        self.name = name
        self.read_only = not access.writable
        self.reason = access.reason
        self.notice = access.notice
        self.backup: Path | None = None
        self._access = access
        self._stamp = access.stamp
        self._log: tuple[int, int] | None = None
        self._made: Engine | None = None
        self._making = threading.Lock()
        self._connections: list[sqlite3.Connection] = []

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
            The folder holds something, or cannot be written; nothing half made is left.
        """
        from oddtwin.store.engine import make_tables, sentences

        new = not folder.exists()
        part = folder / f"{PART}{DATABASE}"
        with suppress(OSError, ValueError):
            if not new and any(not half_made(path) for path in folder.iterdir()):
                raise StoreError(
                    tr("{folder} is not empty; choose a new folder for the lab book.", folder=folder)
                )
        try:
            for one in (folder, *(folder / one for one in FOLDERS)):
                one.mkdir(parents=True, exist_ok=True)
            with sentences(folder, writing=True):
                for left in folder.glob(f"{PART}*"):
                    left.unlink()
                make_tables(file_uri(part, "rwc"), name)
            # Made under another name and renamed when whole: a book that was cut off while made is never
            # taken for one.
            part.replace(folder / DATABASE)
            flush_folder(folder)
        except (OSError, ValueError) as error:
            clear_half_made(folder, part, new)
            raise StoreError(tr(
                "{folder} cannot be made into a lab book: {reason_of}.",
                folder=folder, reason_of=reason_of(error),
            )) from None  # fmt: skip
        except StoreError:
            clear_half_made(folder, part, new)
            raise
        return cls.open(folder)

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
        access = Access.take(folder / DATABASE)
        try:
            # With the standard library alone: the list of studies is shown before the larger parts are
            # loaded.
            head = read_head(access.database, access.address)
            refuse_newer(folder, head.revision)
            book = cls(folder, head.name, access)
            if head.revision != REVISIONS[-1]:
                book._bring_up_to_date(head.revision)
            if access.writable:
                book._settle_log()
        except BaseException:
            access.close()
            raise
        return book

    def summaries(
        self, before: int | None = None, most: int = 10_000, kept: StudyFilter | None = None
    ) -> list[StudySummary]:
        """Read studies, newest first; with ``before`` only those older than that id."""
        return read_summaries(self._access.database, self._access.address, before, most, kept)

    def tags(self) -> list[str]:
        """Read the tags that studies are filed under."""
        return read_tags(self._access.database, self._access.address)

    @property
    def warm(self) -> bool:
        """Whether SQLAlchemy is loaded and connected, so that reading costs little."""
        return self._made is not None

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """Give a connection for reading; any thread may ask for one."""
        from oddtwin.store.engine import sentences

        # Of a book that another window writes, the stamp changes and the file does not.
        if self._access.replaced(None if self.read_only else self._stamp):
            raise StoreError(
                tr("{replaced}. Nothing was read; open the lab book again.", replaced=self._replaced())
            )
        with sentences(self.folder, writing=False), self._engine().connect() as connection:
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

    def titles(self) -> tuple[str | None, str | None]:
        """Names of the edits that undo and redo would touch; None where there is none."""
        from oddtwin.store.edits import next_redo, next_undo, title_of

        if self.read_only:
            return None, None
        with self.reading() as connection:
            undo, redo = next_undo(connection), next_redo(connection)
            return (
                None if undo is None else title_of(connection, undo),
                None if redo is None else title_of(connection, redo),
            )

    def check(self) -> str | None:
        """Check the whole database for damage; returns a sentence when some is found."""
        from oddtwin.store.engine import check_engine

        return check_engine(self._engine(), self.folder)

    def keep(self, kind: KeptKind, source: Path) -> str:
        """Keep a copy of a file under the hash of its content; returns the hash.

        Raises
        ------
        StoreError
            It cannot be read, or the lab book not be written.
        """
        from oddtwin.store.kept import keep

        if self.read_only:
            raise ReadOnlyError(tr("Nothing was changed: {reason}", reason=self.reason))
        return keep(source, self.folder / kind.value)

    def clear_orphans(self, spare_s: float = 0.0) -> int:
        """Delete kept files that neither a study nor an edit that can be undone names; returns how many.

        What was kept in the last ``spare_s`` seconds stays: it may be about to be named.
        """
        from sqlalchemy import text

        from oddtwin.store.kept import NAMING, clear_orphans

        if self.read_only:
            return 0
        with self.reading() as connection:
            told = "\n".join(connection.execute(text(NAMING)).scalars())
        wanted = frozenset(re.findall(r"[0-9a-f]{64}", told))
        return sum(clear_orphans(self.folder / kind.value, wanted, spare_s) for kind in KeptKind)

    def kept(self, kind: KeptKind, sha256: str) -> Path:
        """Return where a kept file lies; ``verified_file`` reads it, for it may be gone or changed."""
        return self.folder / kind.value / sha256

    def close(self) -> None:
        """Write the log into the database, close it, and let go of the lock."""
        if self._access.closed:
            return
        replaced = self._access.replaced(None if self.read_only else self._stamp)
        if replaced:
            self._leave_replaced()
        elif not self.read_only:
            # Before SQLite's own last checkpoint, which would leave the stamp as it is. What cannot
            # be written stays in the log, and belongs to the stamp that it was written with.
            with suppress(StoreError):
                self._settle_log()
        if self._made is not None and not replaced:
            self._made.dispose()
        self._made = None
        self._access.close()

    def _engine(self) -> Engine:
        from oddtwin.store.engine import make_engine

        # Two threads may be the first to ask; a second engine would hold connections that nobody closes.
        with self._making:
            if self._made is None:
                address = self._access.address if self.read_only else file_uri(self._access.database, "rw")
                self._made = make_engine(address, self._connections.append)
            return self._made

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        from oddtwin.store.engine import sentences

        if self.read_only:
            raise ReadOnlyError(tr("Nothing was changed: {reason}", reason=self.reason))
        # An open file can still be written after it was deleted or replaced, and would be lost.
        if self._access.replaced(self._stamp):
            raise StoreError(tr(
                "{replaced}. The last edit was not kept; open the lab book again.",
                replaced=self._replaced(),
            ))  # fmt: skip
        with sentences(self.folder, writing=True), self._engine().begin() as connection:
            yield connection
            raw: Any = connection.connection.driver_connection
            if raw.in_transaction:
                connection.exec_driver_sql(f"PRAGMA user_version = {self._stamp}")
        # Remembered, because only the log that this book wrote may be emptied when the database was
        # replaced.
        self._log = identity(wal_of(self._access.database))
        self._shorten_log()

    def _shorten_log(self) -> None:
        """Write a log that has grown long into the database, so that opening stays quick."""
        with suppress(OSError):
            if wal_of(self._access.database).stat().st_size > LONG_LOG:
                with self._engine().connect() as connection, suppress(sqlite3.Error):
                    raw: Any = connection.connection.driver_connection
                    self._stamp = checkpoint(raw)

    def _settle_log(self) -> None:
        """Bring a log that was left by a kill into the database, under a stamp of its own."""
        if self._stamp and read_wal(self._access.database) is None:
            return
        try:
            connection = sqlite3.connect(file_uri(self._access.database, "rw"), uri=True, timeout=1)
            try:
                connection.execute("PRAGMA synchronous = FULL")
                self._stamp = checkpoint(connection)
            finally:
                connection.close()
        except sqlite3.Error as error:
            raise StoreError(
                tr("{folder} could not be opened for writing ({error}).", folder=self.folder, error=error)
            ) from None

    def _bring_up_to_date(self, revision: str) -> None:
        from oddtwin.store.migrate import migrate

        if self.read_only:
            raise StoreError(tr(
                "{folder} is older and must be brought up to date, but {reason}",
                folder=self.folder, reason=self.reason,
            ))  # fmt: skip
        self.backup = migrate(self._access.database, revision)
        self._stamp = self._access.stamp

    def _replaced(self) -> str:
        there = self._access.database.exists()
        return (
            f"{self.folder} {(tr('was replaced by another file') if there else tr('is not there any more'))}"
        )

    def _leave_replaced(self) -> None:
        """Close the connections to a file that was replaced, so that nothing of its log reaches the new one.

        When the last connection is closed, SQLite writes the log into the database; from an
        emptied log it can write nothing. A log that is another program's by now is not touched:
        then the connections stay open for good.
        """
        log = wal_of(self._access.database)
        if self._made is None:
            return
        if self.read_only or self._log is None or identity(log) != self._log:
            for raw in self._connections:
                # Closing a connection writes its log into whatever file lies there now. One that is never
                # let go of closes with the process, which SQLite takes for a kill.
                ctypes.pythonapi.Py_IncRef(ctypes.py_object(raw))
            return
        with suppress(OSError):
            shutil.copyfile(log, log.with_name(f"{self._access.database.stem}-wal-of-replaced"))
        # Emptied before the connections close, whose last checkpoint then finds nothing to write into the
        # new file.
        os.truncate(log, 0)
        self._made.dispose()
        log.unlink(missing_ok=True)
        log.with_name(f"{self._access.database.name}-shm").unlink(missing_ok=True)
