"""Making an evidence pack of a study, and taking one into a lab book."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from enum import StrEnum
from pathlib import Path

from oddtwin.core.effects import NoiseFloor
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.judgement import analyse
from oddtwin.core.language import plainly, tr
from oddtwin.core.quantities import now
from oddtwin.core.study import Study
from oddtwin.store import KeptKind, LabBook, StoreError, known_noise
from oddtwin.store.atomic import write_with
from oddtwin.store.exchange import Background, load_background, read_study, report_html
from oddtwin.store.exchange.archive import extract, file_hash, opened, write_archive
from oddtwin.store.exchange.pack import STUDY, package_members
from oddtwin.store.study_log import load_study_log
from oddtwin.work.derived import shrunk
from oddtwin.work.looked_at import looked_at
from oddtwin.work.photos import PhotoError, jpeg
from oddtwin.work.shots import kept_pixels

REDUCED_PX = 1600


class Content(StrEnum):
    """What of sliced files and photographs goes along."""

    ALL = "all"
    HASHES = "hashes"
    REDUCED = "reduced"


def pack_study(
    path: Path, study: Study, book: LabBook | None, content: Content = Content.ALL, job: Job = UNWATCHED
) -> str:
    """Write a study with all that its verdict rests on as a pack; returns what to tell of it.

    Parameters
    ----------
    path : Path
        Of the archive; what lies there is replaced, whole or not at all.
    study : Study
        Whole.
    book : LabBook or None
        That keeps its files; None where the study came from a file.
    content : Content
        Whether files go along whole, by their hashes alone, or photographs made smaller.
    job : Job
        Told the share that is done; stops the work between files.

    Raises
    ------
    StoreError
        A file that the study names is gone, or the pack cannot be written.
    CancelledError
        Nobody wants it any more; nothing is written.
    """
    noise: dict[str, NoiseFloor] = {}
    log: list[tuple[str, str, str]] = []
    known = Background()
    if book is not None:
        with book.reading() as connection:
            lent = known_noise(connection, study)
            log = load_study_log(connection, study)
            known = load_background(connection, study)
        noise = {one.name: lent[one.id] for one in study.responses if one.id in lent}
    by_id = {one.id: noise[one.name] for one in study.responses if one.name in noise}
    analysis = analyse(study, by_id.get)
    looked = looked_at(book, study, job.part(0.0, 0.2)) if book is not None else []
    report = report_html(study, analysis, now(), looked, known=known)
    with tempfile.TemporaryDirectory(prefix="odd-twin-pack-") as folder:
        kept = _kept(study, book, content, Path(folder), job.part(0.2, 0.5)) if book is not None else {}
        # What is checked again elsewhere is written the same everywhere; only the report is for people here.
        with plainly():
            plain = analyse(study, by_id.get)
            members = package_members(study, plain, noise=noise, report=report, log=log, kept=kept)
        try:
            write_with(path, lambda file: write_archive(file, members, job.part(0.5, 1.0)))
        except OSError as error:
            raise StoreError(
                tr("{path} could not be written: {reason}.", path=path, reason=error.strerror or error)
            ) from None
    return tr(
        "Written: {path}, {st_size:.1f} MB, SHA-256 {file_hash}",
        path=path, st_size=path.stat().st_size / 1e6, file_hash=file_hash(path),
    )  # fmt: skip


def _kept(study: Study, book: LabBook, content: Content, folder: Path, job: Job) -> dict[str, Path]:
    """Return the files that go along by their name in the pack."""
    if content is Content.HASHES:
        return {}
    found: dict[str, Path] = {}
    sliced = {file.sha256 for file in study.files} | {run.sha256 for run in study.runs if run.sha256}
    for sha256 in sorted(sliced):
        found[f"gcode/{sha256}"] = _there(book, KeptKind.SLICED, sha256)
    photographs = sorted({one.sha256 for one in study.photographs})
    for number, sha256 in enumerate(photographs):
        job.check()
        job.tell(number / len(photographs))
        if content is Content.ALL:
            found[f"photos/{sha256}"] = _there(book, KeptKind.PHOTOGRAPH, sha256)
            continue
        try:
            pixels = shrunk(kept_pixels(book, sha256), REDUCED_PX)
        except PhotoError as error:
            raise StoreError(str(error)) from None
        # Smaller, it is another file: it goes by the hash of its original, with an ending that says so.
        small = folder / f"{sha256}.jpg"
        small.write_bytes(jpeg(pixels))
        found[f"photos/{sha256}.jpg"] = small
    return found


def _there(book: LabBook, kind: KeptKind, sha256: str) -> Path:
    path = book.kept(kind, sha256)
    if not path.is_file():
        raise StoreError(
            tr(
                "The file {sha256} is gone from the lab book; pack the hashes alone, or put it back first.",
                sha256=sha256[:8],
            )
        )
    return path


def unpack_study(path: Path, keep: Callable[[KeptKind, Path], str], job: Job = UNWATCHED) -> Study:
    """Return the study of a pack, its files kept.

    Parameters
    ----------
    path : Path
        Of a pack; check it with `verify_pack` first.
    keep : callable
        Takes a kind and a file, and keeps it; such as `LabBook.keep`.
    job : Job
        Told the share that is done; stops the work between files.

    Raises
    ------
    StoreError
        It is no pack, or holds another file than it says.
    """
    with opened(path) as archive, tempfile.TemporaryDirectory(prefix="odd-twin-unpack-") as folder:
        try:
            text = archive.read(STUDY).decode()
        except (KeyError, UnicodeDecodeError):
            raise StoreError(
                tr("{path} is no evidence pack: it has no {STUDY}.", path=path, STUDY=STUDY)
            ) from None
        study = read_study(text, f"{path.name}, {STUDY}")
        names = [name for name in archive.namelist() if name.startswith(("gcode/", "photos/"))]
        for number, name in enumerate(names):
            job.check()
            job.tell(number / len(names))
            room, _, sha256 = name.partition("/")
            # What was made smaller is no original, and is not kept as one.
            if "." in sha256:
                continue
            copy = Path(folder) / "one"
            extract(archive, name, copy)
            kind = KeptKind.SLICED if room == "gcode" else KeptKind.PHOTOGRAPH
            if keep(kind, copy) != sha256:
                raise StoreError(
                    tr("{path}: {name} is another file than its name says.", path=path, name=name)
                )
    return study
