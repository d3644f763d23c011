"""Opening sliced files: plain text, gzip, or any zip container with one sliced file in it."""

from __future__ import annotations

import gzip
import hashlib
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Final

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr
from oddtwin.core.toolpath.gcode import GcodeError, Toolpath, read_gcode
from oddtwin.store.errors import StoreError, reason_of
from oddtwin.store.textfile import refuse_odd_file

CHUNK: Final = 3 << 18
LARGEST: Final = 4 << 30
"""Bytes of text beyond which a file is refused."""
ENDINGS: Final = (".gcode", ".gco", ".gc", ".g", ".nc", ".ngc")
"""Of sliced files inside an archive."""
MOST_NAMED: Final = 4
SUSPECT_RATIO: Final = 60
SUSPECT_FROM: Final = 64 << 20


class SlicedFile:
    """A sliced file on disk.

    Parameters
    ----------
    path : Path
        Its kind is told from its first bytes, not from its name.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.share = 0.0
        """How much of the file has been read, 0 to 1."""

    def sha256(self) -> str:
        """Return the hash of the file as it lies on disk.

        Raises
        ------
        GcodeError
            It cannot be read.
        """
        try:
            with self.path.open("rb") as file:
                return hashlib.file_digest(file, "sha256").hexdigest()
        except OSError as error:
            raise self._unreadable(error) from None

    def read(self, job: Job = UNWATCHED) -> Toolpath:
        """Return the moves.

        Parameters
        ----------
        job : Job
            Told the share that is read; stops the work between blocks.

        Raises
        ------
        CancelledError
            The job was cancelled.
        GcodeError
            The file cannot be read or is no G-code; the message begins with its name.
        """
        try:
            return read_gcode(self.chunks(), job=job, share=lambda: self.share)
        except GcodeError as error:
            message = str(error)
            raise GcodeError(
                message if message.startswith(str(self.path)) else f"{self.path}, {message}"
            ) from None

    def chunks(self) -> Iterator[bytes]:
        """Yield the text in chunks.

        Raises
        ------
        GcodeError
            It cannot be read, is damaged, or unpacks to far more than a sliced file.
        """
        try:
            refuse_odd_file(self.path)
        except StoreError as error:
            raise GcodeError(str(error)) from None
        try:
            with self.path.open("rb") as file:
                size = max(1, self.path.stat().st_size)
                total = 0
                for chunk in self._unpacked(file):
                    total += len(chunk)
                    self._refuse_bomb(total, size)
                    self.share = min(1.0, file.tell() / size)
                    yield chunk
        except OSError as error:
            raise self._unreadable(error) from None
        except (EOFError, zlib.error, zipfile.BadZipFile, NotImplementedError, RuntimeError) as error:
            raise GcodeError(
                tr(
                    "{path}: the packed file is damaged or cut off ({error}); copy it again",
                    path=self.path,
                    error=error,
                )
            ) from None

    def _unpacked(self, file: IO[bytes]) -> Iterator[bytes]:
        # By content and not by name: files are renamed on their way through mail and cards.
        magic = file.read(4)
        file.seek(0)
        if magic[:2] == b"\x1f\x8b":
            with gzip.GzipFile(fileobj=file) as inside:
                yield from iter(lambda: inside.read(CHUNK), b"")
        elif magic == b"PK\x03\x04":
            with zipfile.ZipFile(file) as archive, archive.open(self._packed(archive)) as member:
                yield from iter(lambda: member.read(CHUNK), b"")
        else:
            yield from iter(lambda: file.read(CHUNK), b"")

    def _packed(self, archive: zipfile.ZipFile) -> zipfile.ZipInfo:
        """Return the one sliced file of an archive, whatever else lies beside it."""
        files = [info for info in archive.infolist() if not info.is_dir()]
        sliced = [info for info in files if info.filename.lower().endswith(ENDINGS)]
        if len(files) == 1 or len(sliced) == 1:
            return (sliced or files)[0]
        if not sliced:
            raise GcodeError(
                tr(
                    "{path}: the archive holds {files} files and none of them ends in .gcode; "
                    "slice the piece, and export what was sliced",
                    path=self.path,
                    files=len(files),
                )
            )
        names = ", ".join(info.filename for info in sliced[:MOST_NAMED])
        raise GcodeError(
            tr(
                "{path}: the archive holds {sliced} sliced files ({names}); unpack the one "
                "that is meant, and choose it",
                path=self.path,
                sliced=len(sliced),
                names=names,
            )
        )

    def _refuse_bomb(self, total: int, size: int) -> None:
        # Text packs to a twentieth at best; what unpacks to more was made to fill memory.
        if total > LARGEST or (total > SUSPECT_FROM and total > SUSPECT_RATIO * size):
            raise GcodeError(
                tr(
                    "{path}: it unpacks to more than {total} MB from {part} MB, which no sliced "
                    "file does; unpack it by hand and look at it",
                    path=self.path,
                    total=total >> 20,
                    part=max(1, size >> 20),
                )
            )

    def _unreadable(self, error: OSError) -> GcodeError:
        return GcodeError(
            tr("{path}: the file cannot be read ({reason_of})", path=self.path, reason_of=reason_of(error))
        )
