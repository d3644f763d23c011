"""The hold on a lab book's file: who has it, whether it is the same still, what lies beside it."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import ClassVar
from urllib.parse import quote_from_bytes

from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import now
from oddtwin.store.errors import NotALabBookError, StoreError
from oddtwin.store.revisions import APPLICATION_ID
from oddtwin.store.wal import (
    HEADER,
    WalState,
    belongs,
    lacks_pages,
    read_wal,
    set_aside,
    stamp_of,
    wal_of,
)

IN_ANOTHER_WINDOW = mark("this lab book is open in another window, so here it can only be read.")
NOT_WRITABLE = mark("this lab book lies where it cannot be written, so it can only be read.")


@dataclass
class Access:
    """The hold on one database file, from opening to closing.

    The lock is taken on the database itself, so that neither a deleted lock file nor a second
    name of the file lets another writer in. Its descriptor must stay open as long as SQLite has
    the file: closing any descriptor of a file drops all locks that the process holds on it. So
    what this process opened twice is closed when nobody uses it any more.

    Attributes
    ----------
    database : Path
        The file.
    descriptor : int
        Open on it.
    reason : str
        Why it can only be read; empty where it can be written.
    notice : str
        What was found on opening, as a sentence; empty for nothing.
    address : str
        SQLite's address for reading.
    closed : bool
        Whether it was let go of.
    """

    database: Path
    descriptor: int
    reason: str = ""
    notice: str = ""
    address: str = ""
    closed: bool = False
    _own: tuple[int, int] | None = None
    _copy: tempfile.TemporaryDirectory[str] | None = field(default=None, repr=False)

    _open: ClassVar[dict[tuple[int, int] | None, list[Access]]] = {}
    """Everything that this process has open of a database, by device and inode."""

    @classmethod
    def take(cls, database: Path) -> Access:
        """Look at a database before anything of SQLite does, and lock it where it can be written.

        Raises
        ------
        NotALabBookError
            It is no lab book, or a part of it is missing; nothing was changed.
        """
        if not database.is_file():
            raise NotALabBookError(
                tr(
                    "{parent} is not a lab book: it has no {database}.",
                    parent=database.parent,
                    database=database.name,
                )
            )
        try:
            descriptor, reason = _descriptor(database)
        except OSError as error:
            raise NotALabBookError(
                tr("{database} cannot be read: {reason}.", database=database, reason=error.strerror)
            ) from None
        access = cls(database, descriptor, reason, _own=identity(descriptor))
        cls._open.setdefault(access._own, []).append(access)
        try:
            access._look()
        except BaseException:
            access.close()
            raise
        return access

    @property
    def writable(self) -> bool:
        """Whether this process alone may write it."""
        return not self.reason

    @property
    def stamp(self) -> int:
        """The stamp in the database file itself."""
        return stamp_of(os.pread(self.descriptor, HEADER, 0))

    def replaced(self, stamp: int | None = None) -> bool:
        """Return whether another file lies there now, or other content, by its stamp."""
        if identity(self.database) != self._own:
            return True
        # A copy laid over the file in place has the same inode; the stamp in its header tells it apart.
        return stamp is not None and self.stamp != stamp

    def close(self) -> None:
        """Let go of the file; SQLite must be done with it."""
        if not self.closed:
            self.closed = True
            if self.writable:
                fcntl.flock(self.descriptor, fcntl.LOCK_UN)
            # Closing any descriptor of a file drops all locks that SQLite holds on it in this process
            # (POSIX record locks), so descriptors stay open until the last one is done.
            if all(other.closed for other in self._open[self._own]):
                for other in self._open.pop(self._own):
                    os.close(other.descriptor)
        if self._copy is not None:
            self._copy.cleanup()
            self._copy = None

    def _look(self) -> None:
        # Through the descriptor that is locked: the path may name another file a moment later.
        header, size = os.pread(self.descriptor, HEADER, 0), os.fstat(self.descriptor).st_size
        wal = read_wal(self.database)
        if self.reason == IN_ANOTHER_WINDOW:
            self._check(header, size, wal)
            self.address = file_uri(self.database, "ro")
            return
        if wal is not None and not belongs(self.database, header, wal):
            wal = None
            # Only beside a database that is whole without it; otherwise nothing is touched.
            self._check(header, size, wal)
            self._leave_out()
        self._check(header, size, wal)
        if not self.reason:
            self.address = file_uri(self.database, "ro")
        elif wal is not None:
            self.address = self._copied()
        else:
            # Nothing can be made beside it, so SQLite is told that nobody changes it.
            self.address = f"{file_uri(self.database, 'ro')}&immutable=1"

    def _check(self, header: bytes, size: int, wal: WalState | None) -> None:
        known = header[:16] == b"SQLite format 3\0" and int.from_bytes(header[68:72]) == APPLICATION_ID
        # A book of an older version that was killed when new has its first page in the log alone.
        if not known and not (wal is not None and 1 in wal.pages and size == 0):
            raise NotALabBookError(
                tr("{database} is not a lab book. Nothing was changed.", database=self.database)
            )
        if lacks_pages(size, header, wal):
            raise NotALabBookError(
                tr(
                    "{database} is a damaged lab book: a part of it is missing. Nothing was "
                    "changed; go back to a copy.",
                    database=self.database,
                )
            )

    def _leave_out(self) -> None:
        """Tell of edits that were logged for another file than the one that lies there."""
        told = tr(
            "Beside {database} lay edits that were made in another file than this one", database=self.database
        )
        if self.writable:
            aside = set_aside(self.database, f"{self.database.stem}-wal-set-aside-{now():%Y%m%d-%H%M%S}")
            self.notice = tr(
                "{told}; they were not applied, and lie in {aside}.", told=told, aside=aside.name
            )
        else:
            self.notice = tr("{told}; they are not shown.", told=told)

    def _copied(self) -> str:
        """Read a book with logged edits, where nothing can be written, from a copy of both files."""
        # SQLite cannot read a log without making its shared-memory file beside it, which is not possible
        # here.
        self._copy = tempfile.TemporaryDirectory(prefix="odd-twin-")
        copy = Path(self._copy.name) / self.database.name
        try:
            shutil.copyfile(self.database, copy)
            shutil.copyfile(wal_of(self.database), wal_of(copy))
        except OSError as error:
            raise StoreError(
                tr(
                    "{database} cannot be read from here: {reason}.",
                    database=self.database,
                    reason=error.strerror,
                )
            ) from None
        return file_uri(copy, "rw")


def file_uri(database: Path, mode: str) -> str:
    """Return SQLite's address of a file: the one way to make it.

    Parameters
    ----------
    database : Path
        Any path, also with signs that stand for something in an address.
    mode : str
        ``ro`` to read, ``rw`` to write, ``rwc`` to make it too.
    """
    return f"file:{quote_from_bytes(os.fsencode(database.absolute()))}?mode={mode}"


def _descriptor(database: Path) -> tuple[int, str]:
    """Open a database, locked for writing where that is possible; else with the reason why not."""
    try:
        # Never created here: a book that is missing must be told, not replaced by an empty one.
        descriptor = os.open(database, os.O_RDWR | os.O_CLOEXEC)
    except OSError:
        return os.open(database, os.O_RDONLY | os.O_CLOEXEC), NOT_WRITABLE
    # SQLite makes its log beside the database; a file that can be written in a folder that cannot is of no
    # use to it.
    if not os.access(database.parent, os.W_OK):
        return descriptor, NOT_WRITABLE
    try:
        # On the database's own inode: a lock file beside it would not be seen through a link, and would
        # outlive a kill.
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return descriptor, IN_ANOTHER_WINDOW
    except OSError:
        return descriptor, NOT_WRITABLE
    return descriptor, ""


def identity(file: Path | int) -> tuple[int, int] | None:
    """Return device and inode of a path or descriptor; None where nothing is."""
    try:
        there = os.stat(file)
    except OSError:
        return None
    return there.st_dev, there.st_ino
