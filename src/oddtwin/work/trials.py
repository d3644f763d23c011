"""What a trial of a blind session shows: photographs of the lab book, or rendered controls; letters only."""

from __future__ import annotations

from collections.abc import Sequence

from oddtwin.core.language import tr
from oddtwin.core.photo import Shown
from oddtwin.core.render import rendered_control
from oddtwin.core.study import BlindSession, Study
from oddtwin.store import LabBook
from oddtwin.work.photos import PhotoError
from oddtwin.work.shots import kept_pixels


def trial_pictures(book: LabBook, study: Study, session: BlindSession, letters: Sequence[str]) -> list[Shown]:
    """Return the pictures of a trial, in the order of its letters.

    Parameters
    ----------
    book : LabBook
        That keeps the photographs.
    study : Study
        With the photographs of the session's view.
    session : BlindSession
        Judged on the screen.
    letters : sequence of str
        Of the trial.

    Raises
    ------
    PhotoError
        A photograph is gone, or cannot be read.
    """
    key = {one.letter: one for one in session.letters}
    found = []
    for letter in letters:
        one = key[letter]
        if one.rendered:
            found.append(Shown(rendered_control(one.rendered)))
            continue
        shots = [
            item
            for item in study.index.photographs[one.run_id]
            if item.view_id == session.view_id and not item.retake
        ]
        if not shots:
            raise PhotoError(
                tr("the photograph of {letter} is not filed under this view any more", letter=letter)
            )
        found.append(Shown(kept_pixels(book, shots[0].sha256)))
    return found
