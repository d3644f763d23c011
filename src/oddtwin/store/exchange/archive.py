"""Archives of plain files that are written the same every time, and read with suspicion."""

from __future__ import annotations

import hashlib
import re
import shutil
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Final

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr
from oddtwin.store.errors import StoreError

CHUNK: Final = 1 << 20
MOST_FILES: Final = 50_000
MOST_BYTES: Final = 64 << 30
_NAME: Final = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]*(?:/[A-Za-z0-9][A-Za-z0-9._-]*){0,2}")
_WHEN: Final = (1980, 1, 1, 0, 0, 0)
_PLAIN_FILE: Final = 0o100644 << 16


def write_archive(file: IO[bytes], members: Mapping[str, bytes | Path], job: Job = UNWATCHED) -> None:
    """Write files into an archive: sorted, not packed, without moments, so that equal content is equal bytes.

    What is packed could be packed in more than one way, and then two archives of the same files would
    differ; photographs, which are most of it, are packed by themselves.

    Parameters
    ----------
    file : binary file
        Open for writing, and seekable.
    members : mapping of str to bytes or Path
        Content, or where it lies, by name.
    job : Job
        Told the share that is done; stops the work between files.
    """
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for number, name in enumerate(sorted(members)):
            job.check()
            job.tell(number / len(members))
            content = members[name]
            info = zipfile.ZipInfo(name, _WHEN)
            info.create_system, info.external_attr = 3, _PLAIN_FILE
            info.file_size = len(content) if isinstance(content, bytes) else content.stat().st_size
            with archive.open(info, "w") as into:
                for chunk in _chunks(content):
                    into.write(chunk)


def _chunks(content: bytes | Path) -> Iterator[bytes]:
    if isinstance(content, bytes):
        yield content
        return
    with content.open("rb") as source:
        while chunk := source.read(CHUNK):
            yield chunk


@contextmanager
def opened(path: Path) -> Iterator[zipfile.ZipFile]:
    """Open an archive whose every member is a plain file of a plain name, none of them packed.

    Parameters
    ----------
    path : Path
        Of the archive.

    Raises
    ------
    StoreError
        It is no archive, or holds what could be written outside, unpack without end, or hide another.
    """
    try:
        archive = zipfile.ZipFile(path)
    except (OSError, zipfile.BadZipFile, ValueError, NotImplementedError, RecursionError) as error:
        raise StoreError(
            tr("{path} is no archive that can be read ({error}).", path=path, error=error)
        ) from None
    try:
        _refuse_odd(path, archive.infolist())
        yield archive
    except (zipfile.BadZipFile, EOFError, OSError, RuntimeError, NotImplementedError) as error:
        raise StoreError(tr("{path} is damaged ({error}).", path=path, error=error)) from None
    finally:
        archive.close()


def _refuse_odd(path: Path, infos: Sequence[zipfile.ZipInfo]) -> None:
    if len(infos) > MOST_FILES:
        raise StoreError(
            tr(
                "{path} holds {infos} files, and a pack holds {MOST_FILES} at most.",
                path=path,
                infos=len(infos),
                MOST_FILES=MOST_FILES,
            )
        )
    if sum(info.file_size for info in infos) > MOST_BYTES:
        raise StoreError(
            tr(
                "{path} says that it unpacks to more than {MOST_BYTES} GB; nothing was read.",
                path=path,
                MOST_BYTES=MOST_BYTES >> 30,
            )
        )
    seen = set()
    for info in infos:
        name = info.filename[:80]
        if not _NAME.fullmatch(info.filename) or info.filename != info.orig_filename:
            raise StoreError(
                tr(
                    "{path} holds a file called “{name}”, which no pack does; nothing was read.",
                    path=path,
                    name=name,
                )
            )
        if info.filename.casefold() in seen:
            raise StoreError(
                tr("{path} holds “{name}” twice, so that nobody knows which counts.", path=path, name=name)
            )
        seen.add(info.filename.casefold())
        if info.compress_type != zipfile.ZIP_STORED or info.file_size != info.compress_size:
            raise StoreError(
                tr(
                    "{path}: “{name}” is packed, and a pack holds its files plain; nothing was read.",
                    path=path,
                    name=name,
                )
            )
        if info.flag_bits & 1 or (info.external_attr >> 16) not in (0, 0o100644):
            raise StoreError(tr("{path}: “{name}” is no plain file; nothing was read.", path=path, name=name))


def extract(archive: zipfile.ZipFile, name: str, target: Path) -> None:
    """Write a member of an archive into a file, in pieces."""
    with archive.open(name) as source, target.open("wb") as into:
        shutil.copyfileobj(source, into, CHUNK)


def digest(archive: zipfile.ZipFile, name: str) -> str:
    """Return the SHA-256 of a member of an archive."""
    with archive.open(name) as file:
        return hashlib.file_digest(file, "sha256").hexdigest()  # type: ignore[arg-type]


def file_hash(path: Path) -> str:
    """Return the SHA-256 of a file."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
