"""Where a sliced file foretells a scar on a face, laid over the photograph of that face."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final, NamedTuple

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import mark, tr
from oddtwin.core.photo import align, by_points, moved
from oddtwin.core.quantities import format_reading
from oddtwin.core.study import Run, Study, Tie, View, tied_axes, tied_places
from oddtwin.core.toolpath.gcode import WALLS, GcodeError, Toolpath
from oddtwin.core.toolpath.match import breaks_of
from oddtwin.core.toolpath.sliced import STEEP_DEG, analyse, hanging_of
from oddtwin.store import LabBook, StoreError
from oddtwin.work.photos import PhotoError
from oddtwin.work.shots import kept_pixels
from oddtwin.work.sliced_files import kept_toolpath


class ScarsError(ValueError):
    """Nothing can be foretold; one sentence for the user."""


class Face(StrEnum):
    """A face of a piece as it lay on the plate."""

    TOP = mark("top")
    UNDERSIDE = mark("underside")
    FRONT = mark("front")
    BACK = mark("back")
    LEFT = mark("left side")
    RIGHT = mark("right side")


class _Look(NamedTuple):
    """How a face lies: its axis and whether that is at its upper end, and its corners with their places.

    A corner is 0 at the lower end of an axis and 1 at the upper end.
    """

    axis: int
    upper: int
    names: tuple[str, str, str]
    corners: tuple[tuple[int, int, int], ...]


_FLAT: Final = (mark("front left, as it lay on the plate"), mark("front right"), mark("back left"))
_SIDE: Final = (mark("bottom left, as you see it"), mark("bottom right"), mark("top left"))
_LOOKS: Final = {
    Face.TOP: _Look(2, 1, _FLAT, ((0, 0, 1), (1, 0, 1), (0, 1, 1))),
    Face.UNDERSIDE: _Look(2, 0, _FLAT, ((0, 0, 0), (1, 0, 0), (0, 1, 0))),
    Face.FRONT: _Look(1, 0, _SIDE, ((0, 0, 0), (1, 0, 0), (0, 0, 1))),
    Face.BACK: _Look(1, 1, _SIDE, ((1, 1, 0), (0, 1, 0), (1, 1, 1))),
    Face.LEFT: _Look(0, 0, _SIDE, ((0, 1, 0), (0, 0, 0), (0, 1, 1))),
    Face.RIGHT: _Look(0, 1, _SIDE, ((1, 0, 0), (1, 1, 0), (1, 0, 1))),
}
APART_MM: Final = 2.0
DEEP_MM: Final = 2.0
"""So far behind a face at the side what hangs is still seen on it."""


def corner_names(face: Face) -> tuple[str, str, str]:
    """Return the three corners by which a face is tied, in their order."""
    return _LOOKS[face].names


@dataclass(frozen=True, slots=True)
class Scars:
    """What is foretold of a face.

    Parameters
    ----------
    places : array of shape (places, 2)
        mm along the two axes of the face; one of every 2 mm, so that what they mark is still seen.
    lengths_mm : mapping of str to float
        Of the lines that it is foretold of, by kind.
    """

    places: Floats
    lengths_mm: Mapping[str, float]


def face_corners(
    book: LabBook, study: Study, run: Run, face: Face = Face.TOP, job: Job = UNWATCHED
) -> Floats:
    """Return the three corners by which a face of what a run prints is tied, on the plate.

    Parameters
    ----------
    book : LabBook
        That keeps the sliced files.
    study : Study
        With the files of its arms.
    run : Run
        Whose file.
    face : Face
        Which.
    job : Job
        Stops the reading.

    Returns
    -------
    array of shape (3, 3)
        x, y and z of each, mm, as the file has them.

    Raises
    ------
    ScarsError
        Its sliced file is not there, or lays no walls.
    """
    low, high = _ends(_path(book, study, run, job))
    return np.where(np.array(_LOOKS[face].corners) > 0, high, low)


def _ends(path: Toolpath) -> tuple[Floats, Floats]:
    """Return the two ends of what is printed along x, y and z; the plate is at 0."""
    # Walls alone: brims, supports and towers stand beside the piece.
    walls = path.lays(features=WALLS)
    if not walls.any():
        raise ScarsError(
            tr("Its sliced file names no walls, so that the corners of the piece are not known.")
        )
    x, y, z = path.x[walls], path.y[walls], path.z[walls]
    return np.array([x.min(), y.min(), 0.0]), np.array([x.max(), y.max(), z.max()])


def scars_of(book: LabBook, study: Study, run: Run, ties: Sequence[Tie], job: Job = UNWATCHED) -> Scars:
    """Return where a file foretells a scar on a face that is tied to the model.

    On a top: lines that are laid beside one that had cooled. On an underside and on the sides: bridges, and
    walls that lean by more than 45°.

    Parameters
    ----------
    book : LabBook
        That keeps the sliced files.
    study : Study
        With the files of its arms.
    run : Run
        Whose file.
    ties : sequence of Tie
        Of the view: they tell which face it is.
    job : Job
        Told the share that is done; stops the reading.

    Raises
    ------
    ScarsError
        Its sliced file is not there.
    """
    path = _path(book, study, run, job)
    axes = tied_axes(ties)
    (third,) = {0, 1, 2} - {*axes}
    low, high = _ends(path)
    depth = ties[0].model_mm[third]
    upper = depth > (low[third] + high[third]) / 2
    if third == _LOOKS[Face.TOP].axis and upper:
        breaks = breaks_of(analyse(path), job)
        places = np.concatenate([one.places for one in breaks] or [np.zeros((0, 2))])
        return Scars(
            _thinned(places), {"beside a line that had cooled": sum(one.length_mm for one in breaks)}
        )
    # Seen from below or from a side there are no tops.
    hanging = hanging_of(analyse(path), job)
    kinds = {
        "on bridges": hanging.bridges,
        tr("on overhangs beyond {STEEP_DEG}°", STEEP_DEG=format_reading(STEEP_DEG)): hanging.overhangs,
    }
    if third != _LOOKS[Face.TOP].axis:
        # Of another print the side may lie a little elsewhere: its own end counts, not the tied one's.
        end = high[third] if upper else low[third]
        kinds = {kind: some[np.abs(some[:, third] - end) <= DEEP_MM] for kind, some in kinds.items()}
    return Scars(
        _thinned(np.concatenate([some[:, axes] for some in kinds.values()])),
        {kind: float(some[:, 3].sum()) for kind, some in kinds.items()},
    )


def _thinned(places: Floats) -> Floats:
    """Return one place of every square of 2 mm."""
    squares = np.unique((places / APART_MM).round().astype(np.int64), axis=0, return_index=True)[1]
    return places[np.sort(squares)]


def laid_over(book: LabBook, view: View, sha256: str, places: Floats) -> Floats:
    """Bring places on the plate onto a photograph of a tied view.

    Parameters
    ----------
    book : LabBook
        That keeps the photographs.
    view : View
        Tied to the model.
    sha256 : str
        Of the photograph that is shown.
    places : array of shape (places, 2)
        mm along the two axes of the face.

    Returns
    -------
    array of shape (places, 2)
        Shares of the photograph's width and height.

    Raises
    ------
    PhotoError
        A photograph is gone, or is not the same view.
    """
    tied = kept_pixels(book, view.tied_on)
    size = np.array([tied.shape[1], tied.shape[0]], np.float64)
    on_plate = tied_places(view.ties)
    matrix = by_points(on_plate, np.array([(one.x, one.y) for one in view.ties]) * size)
    # First onto the photograph that was tied, in its pixels; then with that onto the one that is shown.
    found = moved(places, matrix)
    if sha256 == view.tied_on:
        return found / size
    shown = kept_pixels(book, sha256)
    laid = align(shown, tied)
    if not laid.accepted:
        raise PhotoError(
            tr(
                "it cannot be laid on the photograph that was tied to the model: {sentence}",
                sentence=laid.sentence,
            )
        )
    return moved(found, laid.matrix) / np.array([shown.shape[1], shown.shape[0]], np.float64)


def _path(book: LabBook, study: Study, run: Run, job: Job) -> Toolpath:
    file = study.file_for(study.index.runs[run.id])
    if file is None:
        raise ScarsError(tr("No sliced file was chosen for this print, under Match."))
    try:
        return kept_toolpath(book, file.sha256, job)
    except (StoreError, GcodeError) as error:
        raise ScarsError(tr("Its sliced file cannot be read: {error}", error=error)) from None
