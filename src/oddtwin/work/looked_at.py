"""The photographs that a report shows: of each view a print of the baseline and one of the change."""

from __future__ import annotations

from contextlib import suppress

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.study import Photograph, Run, Study, View, standing_photographs
from oddtwin.store import LabBook
from oddtwin.store.exchange import Looked
from oddtwin.work.derived import shrunk
from oddtwin.work.photos import PhotoError, encoded
from oddtwin.work.shots import kept_pixels

WIDEST_PX = 900


def looked_at(book: LabBook, study: Study, job: Job = UNWATCHED) -> list[Looked]:
    """Return the views of a study with two photographs each, encoded anew.

    Parameters
    ----------
    book : LabBook
        That keeps the photographs.
    study : Study
        Whole.
    job : Job
        Stops the work between photographs.

    Raises
    ------
    CancelledError
        Nobody wants the report any more.
    """
    found = []
    for view, shots in shown_prints(study):
        pictures = []
        for run, shot in shots:
            job.check()
            # What is gone from the book is not in the report either; the screen tells why.
            with suppress(PhotoError):
                picture = encoded(shrunk(kept_pixels(book, shot.sha256), WIDEST_PX))
                pictures.append((f"{run.code} – {study.arm_of(run).name}", picture))
        if pictures:
            piece = study.pieces[view.piece_id].name
            found.append(Looked(f"{piece}: {view.name}", tuple(pictures)))
    return found


def shown_prints(study: Study) -> list[tuple[View, list[tuple[Run, Photograph]]]]:
    """Return of each photographed view a print of the baseline and one of the change, where there are.

    Parameters
    ----------
    study : Study
        Whole.
    """
    found = [(view, _shown(study, view)) for view in study.index.views.values()]
    return [(view, shots) for view, shots in found if shots]


def _shown(study: Study, view: View) -> list[tuple[Run, Photograph]]:
    """Return those of the first block with both arms; else the first of the baseline and of the others."""
    shots = standing_photographs(study, view.id)
    baseline = study.baseline.id
    old = [item for item in shots if item[0].arm_id == baseline]
    new = [item for item in shots if item[0].arm_id != baseline]
    # Of one block, so that nothing but the change differs between the two that are shown.
    for one in old:
        other = next((item for item in new if item[0].block_id == one[0].block_id), None)
        if other is not None:
            return [one, other]
    return [*old[:1], *new[:1]]
