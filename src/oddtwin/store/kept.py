"""Files that a lab book keeps under the hash of their content."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Collection
from enum import Enum
from pathlib import Path
from typing import Final

from oddtwin.core.language import tr
from oddtwin.store.atomic import PART, flush_folder, safe_part, seal
from oddtwin.store.errors import StoreError, reason_of
from oddtwin.store.textfile import refuse_odd_file

CHUNK: Final = 1 << 20
NAMING: Final = " UNION ".join(
    (
        "SELECT sha256 FROM arm_file",
        "SELECT sha256 FROM plate",
        "SELECT sha256 FROM photograph",
        # What a region was drawn on, and a view tied by, is needed as long as they are there.
        "SELECT regions FROM view",
        "SELECT tied_on FROM view",
        # What an undo may bring back.
        "SELECT changes FROM log WHERE changes LIKE '%sha256%'",
    )
)
"""Everything in a lab book that names a kept file by its hash."""


class KeptKind(Enum):
    """Kinds of content that a lab book keeps, each in a folder of its own beside the database."""

    SLICED = "gcode"
    PHOTOGRAPH = "photos"


def keep(source: Path, folder: Path) -> str:
    """Copy a file into a folder under its SHA-256, whole or not at all; returns the hash.

    Raises
    ------
    StoreError
        The file cannot be read, or the folder not be written.
    """
    refuse_odd_file(source)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with safe_part(folder) as (part, copy), source.open("rb") as file:
            # Hashed while it is copied: a source that changes in between would else lie under the hash of
            # another content.
            name = _hash(file.read, copy.write)
            seal(copy)
            part.replace(folder / name)
        flush_folder(folder)
    except (OSError, ValueError) as error:
        raise StoreError(
            tr(
                "{source} could not be kept in the lab book: {reason_of}.",
                source=source,
                reason_of=reason_of(error),
            )
        ) from None
    return name


def verified_file(path: Path) -> Path:
    """Return where a kept file lies, after its content was checked against its name.

    Raises
    ------
    StoreError
        It is gone, cannot be read, or is not what was kept.
    """
    try:
        with path.open("rb") as file:
            found = _hash(file.read)
    except OSError as error:
        raise StoreError(
            tr(
                "The kept file {path} cannot be read: {reason}. Choose the file again.",
                path=path,
                reason=error.strerror,
            )
        ) from None
    if found != path.name:
        raise StoreError(
            tr(
                "The kept file {path} was changed since, so it proves nothing. Choose the file again.",
                path=path,
            )
        )
    return path


def clear_orphans(folder: Path, wanted: Collection[str], spare_s: float = 0.0) -> int:
    """Delete kept files that nothing names any more, and parts of copies that were cut off.

    Parameters
    ----------
    folder : Path
        Of the kept files.
    wanted : collection of str
        Hashes that studies, runs or the log still name.
    spare_s : float
        Seconds: what was kept since then may be about to be named, and stays.

    Returns
    -------
    int
        How many were deleted.
    """
    gone = 0
    for path in folder.iterdir() if folder.is_dir() else ():
        # Only what the book itself has put there; a file that somebody left in the folder stays.
        orphan = path.name.startswith(PART) or (len(path.name) == 64 and path.name not in wanted)
        if orphan and not (spare_s and _age_s(path) < spare_s):
            path.unlink(missing_ok=True)
            gone += 1
    return gone


def _age_s(path: Path) -> float:
    """Seconds since a file was written; none where it is gone already, or its clock is ahead."""
    try:
        return time.time() - path.stat().st_mtime
    except OSError:
        return 0.0


def _hash(read: Callable[[int], bytes], write: Callable[[bytes], object] = lambda chunk: None) -> str:
    digest = hashlib.sha256()
    while chunk := read(CHUNK):
        digest.update(chunk)
        write(chunk)
    return digest.hexdigest()
