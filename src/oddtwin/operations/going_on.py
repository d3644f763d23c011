"""Beginning a study that goes on from another."""

from __future__ import annotations

from oddtwin.core.quantities import now
from oddtwin.core.study import FollowUp, follow_up
from oddtwin.operations.whole_study import add_whole_study
from oddtwin.store import LabBook, Record, StoreError, load_study


def go_on(book: LabBook, *, study_id: int, kind: FollowUp) -> Record | None:
    """Begin a study that goes on from another, with everything copied that was asked.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        What it goes on from.
    kind : FollowUp
        How.

    Raises
    ------
    StoreError
        There is no other machine, or nothing between the levels.
    """
    with book.reading() as connection:
        study = load_study(connection, study_id)
    try:
        fresh = follow_up(study, kind, now())
    except ValueError as error:
        raise StoreError(str(error)) from None
    return add_whole_study(book, study=fresh)
