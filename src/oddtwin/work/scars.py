"""Where a sliced file foretells a scar on a top, laid over the photograph of that face."""

from __future__ import annotations

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.photo import align, by_points, moved
from oddtwin.core.study import Run, Study, View
from oddtwin.core.toolpath.gcode import WALLS, GcodeError, Toolpath
from oddtwin.core.toolpath.match import breaks_of
from oddtwin.core.toolpath.sliced import analyse
from oddtwin.store import LabBook, StoreError
from oddtwin.work.photos import PhotoError
from oddtwin.work.shots import kept_pixels
from oddtwin.work.sliced_files import kept_toolpath


class ScarsError(ValueError):
    """Nothing can be foretold; one sentence for the user."""


def face_corners(book: LabBook, study: Study, run: Run, job: Job = UNWATCHED) -> Floats:
    """Return front left, front right and back left of what a run prints, on the plate.

    Parameters
    ----------
    book : LabBook
        That keeps the sliced files.
    study : Study
        With the files of its arms.
    run : Run
        Whose file.
    job : Job
        Stops the reading.

    Returns
    -------
    array of shape (3, 2)
        mm, as the file has it.

    Raises
    ------
    ScarsError
        Its sliced file is not there, or lays no walls.
    """
    path = _path(book, study, run, job)
    # Walls alone: brims, supports and towers stand beside the piece.
    walls = path.lays(features=WALLS)
    if not walls.any():
        raise ScarsError("Its sliced file names no walls, so that the corners of the piece are not known.")
    x, y = path.x[walls], path.y[walls]
    return np.array([[x.min(), y.min()], [x.max(), y.min()], [x.min(), y.max()]])


def scars_of(book: LabBook, study: Study, run: Run, job: Job = UNWATCHED) -> Floats:
    """Return where a line of a top is laid beside one that was laid long before.

    Parameters
    ----------
    book : LabBook
        That keeps the sliced files.
    study : Study
        With the files of its arms.
    run : Run
        Whose file.
    job : Job
        Stops the reading.

    Returns
    -------
    array of shape (places, 2)
        mm on the plate.

    Raises
    ------
    ScarsError
        Its sliced file is not there.
    """
    found = [one.places for one in breaks_of(analyse(_path(book, study, run, job)), job)]
    return np.concatenate(found) if found else np.zeros((0, 2))


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
        mm on the plate.

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
    on_plate = np.array([(one.model_x_mm, one.model_y_mm) for one in view.ties])
    matrix = by_points(on_plate, np.array([(one.x, one.y) for one in view.ties]) * size)
    # First onto the photograph that was tied, in its pixels; then with that onto the one that is shown.
    found = moved(places, matrix)
    if sha256 == view.tied_on:
        return found / size
    shown = kept_pixels(book, sha256)
    laid = align(shown, tied)
    if not laid.accepted:
        raise PhotoError(f"it cannot be laid on the photograph that was tied to the model: {laid.sentence}")
    return moved(found, laid.matrix) / np.array([shown.shape[1], shown.shape[0]], np.float64)


def _path(book: LabBook, study: Study, run: Run, job: Job) -> Toolpath:
    file = study.file_for(study.index.runs[run.id])
    if file is None:
        raise ScarsError("No sliced file was chosen for this print, under Match.")
    try:
        return kept_toolpath(book, file.sha256, job)
    except (StoreError, GcodeError) as error:
        raise ScarsError(f"Its sliced file cannot be read: {error}") from None
