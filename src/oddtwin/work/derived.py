"""What follows from photographs and can be thrown away: small copies in the cache, pairs made ready."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import numpy as np
from platformdirs import user_cache_path

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr
from oddtwin.core.photo import Aligned, Picture, Shown, align, brought
from oddtwin.store import KeptKind, LabBook
from oddtwin.work.photos import PhotoError, read_photo, write_png
from oddtwin.work.shots import kept_pixels

SMALL_PX: Final = 420


@dataclass(frozen=True, slots=True)
class ReadyPair:
    """Two photographs of one view, ready to flick between.

    Parameters
    ----------
    first, second : Shown
        The second lies on the first, where it could be laid on.
    matrix : array of shape (2, 3)
        Pixels of the second photograph to those of the first.
    aligned : Aligned or None
        How; None where it was done by hand, or the first is shown alone.
    sentence : str
        How well they lie on one another, or why they do not.
    """

    first: Shown
    second: Shown
    matrix: Floats
    aligned: Aligned | None
    sentence: str


def small_copy(book: LabBook, sha256: str) -> Picture:
    """Return a small copy of a photograph, made once and kept in the cache.

    Parameters
    ----------
    book : LabBook
        That keeps the photograph.
    sha256 : str
        Of the photograph.

    Raises
    ------
    PhotoError
        It is gone, or cannot be read.
    """
    kept = user_cache_path("odd-twin") / "photos" / f"{sha256}-{SMALL_PX}.png"
    # A copy of what is lost would look as if it were there still; it is told when it is asked for.
    there = book.kept(KeptKind.PHOTOGRAPH, sha256).is_file()
    with suppress(PhotoError):
        if there and kept.exists():
            return read_photo(kept).pixels
    made = shrunk(kept_pixels(book, sha256), SMALL_PX)
    _keep(kept, made)
    return made


def _keep(path: Path, picture: Picture) -> None:
    # Under another name until it is whole: two windows may make the same copy at once.
    part = path.with_suffix(".part")
    # A cache that cannot be written costs time and nothing else.
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        write_png(part, picture)
        part.replace(path)


def shrunk(picture: Picture, most_px: int) -> Picture:
    """Return a picture whose longer side has at most so many pixels.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        sRGB.
    most_px : int
        Of the longer side.
    """
    import cv2

    share = most_px / max(picture.shape[:2])
    if share >= 1:
        return picture
    size = (max(1, round(picture.shape[1] * share)), max(1, round(picture.shape[0] * share)))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)


def ready_pair(
    book: LabBook, first: str, second: str, *, matrix: Floats | None = None, job: Job = UNWATCHED
) -> ReadyPair:
    """Make two photographs ready to be compared in place.

    Parameters
    ----------
    book : LabBook
        That keeps both.
    first, second : str
        Their hashes.
    matrix : array of shape (2, 3), optional
        Pixels of the second to those of the first, where it was laid on by hand.
    job : Job
        Told how far it is.

    Raises
    ------
    PhotoError
        One of them cannot be read.
    CancelledError
        Nobody wants them any more.
    """
    base = kept_pixels(book, first)
    job.check()
    job.tell(0.2)
    if second == first:
        shown = Shown(base)
        return ReadyPair(shown, shown, np.eye(2, 3), None, "")
    other = kept_pixels(book, second)
    job.check()
    job.tell(0.4)
    size = (base.shape[1], base.shape[0])
    if matrix is not None:
        return ReadyPair(
            Shown(base), Shown(brought(other, matrix, size)), matrix, None, tr("Laid on by hand.")
        )
    found = align(base, other)
    job.check()
    job.tell(0.8)
    # What was refused is shown as it came: a wrong fit would be taken for a change.
    way = found.matrix if found.accepted or found.doubtful else _whole(other, size)
    return ReadyPair(Shown(base), Shown(brought(other, way, size)), way, found, found.sentence)


def _whole(picture: Picture, size: tuple[int, int]) -> Floats:
    """Return the move that brings a picture as a whole to a size."""
    scale = min(size[0] / picture.shape[1], size[1] / picture.shape[0])
    return np.array([[scale, 0.0, 0.0], [0.0, scale, 0.0]])
