"""Edits of votes: an audience that judges by a ballot answers a session."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from oddtwin.core.judge import Cast, taken_votes
from oddtwin.core.language import tr
from oddtwin.core.quantities import now, write_moment
from oddtwin.core.study import gather_votes
from oddtwin.operations.sessions import session_of
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.schema import ANSWER, SESSION

MOST_VOTERS = 2000


def take_votes(book: LabBook, *, session_id: int, casts: Sequence[Cast]) -> Record | None:
    """Take votes into a session: the first of each voter, of this very ballot, cast before it was closed.

    Parameters
    ----------
    book : LabBook
        That keeps the session.
    session_id : int
        Judged by ballot.
    casts : sequence of Cast
        As they came in; what does not count is passed over, as `core.study.gather_votes` tells.

    Raises
    ------
    StoreError
        The key is open, nothing counts, or there are too many voters.
    """

    def change(edit: Edit) -> None:
        study, session = session_of(edit, session_id)
        if not session.by_ballot:
            raise StoreError(tr("This session is judged by those whom it names; a vote has no place in it."))
        if session.opened is not None:
            raise StoreError(
                tr("The key is open: a vote that is taken in now would be chosen with open eyes.")
            )
        found = gather_votes(session, study.answers, casts)
        if not found.rows:
            raise StoreError(tr("There is no vote among them that counts."))
        taken = taken_votes(session.trials, found.rows)
        # In the order in which they came, so that two imports of the same files make the same book.
        voters = dict.fromkeys(one.judge for one in taken.answers)
        if len(session.judges) + len(voters) > MOST_VOTERS:
            raise StoreError(
                tr("A session takes the votes of at most {MOST_VOTERS} voters.", MOST_VOTERS=MOST_VOTERS)
            )
        edit.update(
            SESSION,
            session_id,
            judges=[*session.judges, *voters],
            trials=[asdict(one) for one in (*session.trials, *taken.trials)],
        )
        at = write_moment(now())
        edit.insert_all(
            ANSWER, [{"session_id": session_id, **asdict(one), "at": at} for one in taken.answers]
        )

    return edit_open(book, tr("take in the votes of an audience"), change)
