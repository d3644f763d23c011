"""The one gate to what gives the arms or the verdict away: every look is written down."""

from __future__ import annotations

import getpass

from oddtwin.core.language import tr
from oddtwin.core.quantities import now, write_moment
from oddtwin.core.study import LookAt, advised_look, is_sealed
from oddtwin.store import Edit, Kind, LabBook, Record, load_study
from oddtwin.store.schema import LOOK


def reveal(book: LabBook, *, study_id: int, what: LookAt, who: str = "") -> Record | None:
    """Write down that somebody looked, when, and at what; None where all of it was seen before.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    what : LookAt
        The verdict, the arms of all runs, a report or an export.
    who : str
        Who looks; by default whoever is logged in.

    Notes
    -----
    A mark, not an edit: it cannot be undone. A look that the program advised, because all that
    was planned is printed, is kept as such, and nobody is blamed for it.
    """

    def change(edit: Edit) -> None:
        study = load_study(edit.connection, study_id)
        arms_known = any(look.of_arms for look in study.looks)
        news = any(is_sealed(study, run) for run in study.runs) or not study.looks
        if not news and (what is not LookAt.ARMS or arms_known):
            return
        edit.insert(
            LOOK,
            study_id=study_id,
            at=write_moment(now()),
            who=who.strip() or login(),
            what=what.value,
            advised=advised_look(study),
        )

    return book.edit(tr("look at the {what}", what=what), change, Kind.MARK)


def login() -> str:
    """Return who is logged in; empty where nobody can tell."""
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return ""
