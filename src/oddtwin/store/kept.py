"""Files that a lab book keeps under the hash of their content."""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path
from typing import Final

from oddtwin.store.errors import StoreError

CHUNK: Final = 1 << 20


def keep(source: Path, folder: Path) -> str:
    """Copy a file into a folder under its SHA-256, whole or not at all; returns the hash.

    Raises
    ------
    StoreError
        The file cannot be read, or the folder not be written.
    """
    digest = hashlib.sha256()
    part: Path | None = None
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with source.open("rb") as file, tempfile.NamedTemporaryFile(dir=folder, delete=False) as copy:
            part = Path(copy.name)
            while chunk := file.read(CHUNK):
                digest.update(chunk)
                copy.write(chunk)
            copy.flush()
            os.fsync(copy.fileno())
            os.fchmod(copy.fileno(), 0o644)
        name = digest.hexdigest()
        part.replace(folder / name)
    except OSError as error:
        if part is not None:
            part.unlink(missing_ok=True)
        raise StoreError(f"{source} could not be kept in the lab book: {error.strerror}.") from None
    return name
