"""Photographs that come into the lab book: read, kept as they came, and placed by their label or in turn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr
from oddtwin.core.photo import Picture, label_in
from oddtwin.core.study import Study, place_shot
from oddtwin.store import KeptKind, LabBook, StoreError, verified_file
from oddtwin.work.photos import PhotoError, read_photo


@dataclass(frozen=True, slots=True)
class Shot:
    """A photograph that the lab book keeps already, and what its file told.

    Parameters
    ----------
    sha256, name : str
        Hash of the content, and what the file was called.
    taken : datetime or None
        With an offset from UTC.
    exposure_s : float or None
        In seconds.
    width, height : int
        In pixels, upright.
    hdr : bool
        Whether the camera mixed several exposures.
    """

    sha256: str
    name: str
    taken: datetime | None = None
    exposure_s: float | None = None
    width: int = 0
    height: int = 0
    hdr: bool = False


class Filed(NamedTuple):
    """Where a photograph belongs: print and view."""

    run_id: int
    view_id: int
    shot: Shot


@dataclass(frozen=True, slots=True)
class Arrived:
    """What came of files: those that have a place, and a sentence for each that has none."""

    filed: tuple[Filed, ...]
    apart: tuple[str, ...]


def keep_shots(
    book: LabBook,
    study: Study,
    paths: Sequence[Path],
    *,
    to: tuple[int, int] | None = None,
    job: Job = UNWATCHED,
) -> Arrived:
    """Read photographs, keep them in the lab book as they came, and say where each belongs.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study : Study
        Whose shot list is filled.
    paths : sequence of Path
        In the order in which they were taken.
    to : tuple of (int, int), optional
        Run and view that all of them show; by default their label tells, or the shot list in turn.
    job : Job
        Told the share that is read.

    Raises
    ------
    CancelledError
        The job was cancelled; what was kept and is filed nowhere is cleared away later.
    """
    filed: list[Filed] = []
    apart: list[str] = []
    for number, path in enumerate(paths):
        job.check()
        job.tell(number / len(paths))
        try:
            shot, pixels = _kept(book, path)
        except (PhotoError, StoreError) as error:
            apart.append(f"{path.name}: {error}")
            continue
        if to is not None:
            filed.append(Filed(*to, shot))
            continue
        label = label_in(pixels)
        if label is not None and not study.name.startswith(label.study):
            apart.append(
                tr("{path}: its label names a run of the study “{study}”.", path=path.name, study=label.study)
            )
            continue
        taken = [(one.run_id, one.view_id) for one in filed]
        place, why = place_shot(study, label.code if label else "", taken)
        if place is None:
            apart.append(f"{path.name}: {why}")
        else:
            filed.append(Filed(place.run.id, place.view.id, shot))
    return Arrived(tuple(filed), tuple(apart))


def _kept(book: LabBook, path: Path) -> tuple[Shot, Picture]:
    photo = read_photo(path)
    # Kept after it was read: what is no picture never comes into the book.
    sha256 = book.keep(KeptKind.PHOTOGRAPH, path)
    if sha256 != photo.sha256:
        raise PhotoError(tr("it was still being written; give it once more"))
    height, width = photo.pixels.shape[:2]
    # A camera's clock has no zone; it is taken for that of this computer.
    taken = photo.taken.astimezone() if photo.taken else None
    return Shot(sha256, path.name, taken, photo.exposure_s, width, height, photo.hdr), photo.pixels


def kept_pixels(book: LabBook, sha256: str) -> Picture:
    """Read a photograph that the lab book keeps, after its content was checked against its hash.

    Parameters
    ----------
    book : LabBook
        Open.
    sha256 : str
        Of the photograph.

    Raises
    ------
    PhotoError
        It is gone, was changed since, or cannot be read any more.
    """
    path = book.kept(KeptKind.PHOTOGRAPH, sha256)
    try:
        return read_photo(verified_file(path)).pixels
    except StoreError:
        raise PhotoError(
            tr("the photograph is not in this lab book any more, or was changed since it was filed")
        ) from None
