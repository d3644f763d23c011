"""Edits of blind judging: a session is drawn and committed to, answered, closed, and opened."""

from __future__ import annotations

import json
from dataclasses import replace

from oddtwin.core.judge import (
    SessionDesign,
    TrialAnswer,
    read_answer,
    session_votes,
)
from oddtwin.core.language import tr
from oddtwin.core.quantities import now, write_moment
from oddtwin.core.readings import Source, Spot, Typed
from oddtwin.core.study import BlindSession, KeyLetter, LookAt, Study, advised_look, sealed_key
from oddtwin.operations.looking import login
from oddtwin.operations.runs import put_readings
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, Kind, LabBook, Record, StoreError, load_study
from oddtwin.store.codec import row_of
from oddtwin.store.schema import ANSWER, LOOK, SESSION
from oddtwin.work.sealing import PassphraseError, unlocked


def answer_trial(book: LabBook, *, session_id: int, judge: str, number: int, text: str) -> Record | None:
    """Keep what a judge answers to a trial, in place of an earlier answer.

    Raises
    ------
    StoreError
        Judging is closed, there is no such trial, or it is no answer.
    """

    def change(edit: Edit) -> None:
        study, session = session_of(edit, session_id)
        if session.closed is not None:
            raise StoreError(tr("Judging is closed; an answer now would not be blind, and is not kept."))
        if not judge or not any((one.judge, one.number) == (judge, number) for one in session.trials):
            raise StoreError(tr("{judge} has no trial {number} in this session.", judge=judge, number=number))
        # Ranks go up to the number of prints that this judge was shown.
        prints = len(session.trials) // max(1, len(session.judges))
        try:
            answer = read_answer(session.design, text, [arm.name for arm in study.arms], prints)
        except ValueError as error:
            raise StoreError(str(error)) from None
        # Once more the same trial: the judge went back, and the last answer counts.
        there = [
            row
            for row in edit.rows(ANSWER, "session_id", session_id)
            if (row["judge"], row["number"]) == (judge, number)
        ]
        values = {"answer": answer, "at": write_moment(now())}
        if there:
            edit.update(ANSWER, there[0]["id"], **values)
        else:
            edit.insert(ANSWER, session_id=session_id, judge=judge, number=number, **values)

    return edit_open(book, tr("answer trial {number} of {judge}", number=number, judge=judge), change)


def close_session(book: LabBook, *, session_id: int) -> Record | None:
    """Close judging: no answer is taken after it, and the key may be opened.

    Raises
    ------
    StoreError
        It is closed already, or nothing was answered.
    """

    def change(edit: Edit) -> None:
        session = session_of(edit, session_id)[1]
        if session.closed is not None:
            raise StoreError(tr("Judging is closed already."))
        if not edit.ids(ANSWER, "session_id", session_id):
            raise StoreError(tr("Nothing was answered yet, so there is nothing to close."))
        edit.update(SESSION, session_id, closed=write_moment(now()))

    return edit_open(book, tr("close a blind session"), change)


def open_key(book: LabBook, *, session_id: int, who: str = "", passphrase: str = "") -> Record | None:
    """Open the key of a session whose judging is closed; who did it, and when, is kept.

    A mark, not an edit: what was seen cannot be unseen, so it cannot be undone.

    Raises
    ------
    StoreError
        Judging goes on, the key is open already, or the passphrase is wrong.
    """

    def change(edit: Edit) -> None:
        study, session = session_of(edit, session_id)
        if session.closed is None:
            raise StoreError(tr("Close judging first: an answer after the key is open would not be blind."))
        if session.opened is not None:
            raise StoreError(tr("The key is open already."))
        opened = _unlocked(session, passphrase) if session.locked else session
        at, by = write_moment(now()), who.strip() or login()
        values = row_of(replace(opened, opened_by=by))
        kept = {name: values[name] for name in ("letters", "nonce", "locked", "opened_by")}
        edit.update(SESSION, session_id, opened=at, **kept)
        # Whoever sees the key sees the arms of these prints.
        edit.insert(
            LOOK,
            study_id=study.id,
            at=at,
            who=by,
            what=LookAt.SESSION.value,
            advised=advised_look(study),
        )

    return book.edit(tr("open the key of a blind session"), change, Kind.MARK)


def _unlocked(session: BlindSession, passphrase: str) -> BlindSession:
    try:
        told = json.loads(unlocked(session.locked, passphrase))
    except PassphraseError as error:
        raise StoreError(str(error)) from None
    letters = tuple(KeyLetter(**one) for one in told["letters"])
    return replace(session, letters=letters, nonce=told["nonce"], locked="")


def letters_of(session: BlindSession, passphrase: str = "") -> tuple[KeyLetter, ...]:
    """Return which print is which letter, for who mixes the tray; the key stays as it is.

    Parameters
    ----------
    session : BlindSession
        Judged in the hand.
    passphrase : str
        Where the key is locked.

    Raises
    ------
    StoreError
        It is another passphrase.
    """
    return _unlocked(session, passphrase).letters if session.locked else session.letters


def enter_grades(book: LabBook, *, session_id: int) -> Record | None:
    """Enter the grades of an opened session as readings: each judge is a look at a print, and no print more.

    Raises
    ------
    StoreError
        The key is closed, or the session is no grading.
    """

    def change(edit: Edit) -> None:
        study, session = session_of(edit, session_id)
        if session.opened is None:
            raise StoreError(tr("Open the key first: until then nobody knows which print was graded."))
        if session.design is not SessionDesign.GRADE or session.response_id is None:
            raise StoreError(
                tr("Only grades of single prints are readings; this session asked something else.")
            )
        answers = [item for item in study.answers if item.session_id == session_id]
        asked = [TrialAnswer(item.judge, item.number, item.answer) for item in answers]
        # Votes know letters; which run that is only the opened key tells.
        run_of = {one.letter: one.run_id for one in session.letters}
        grades: dict[int, list[tuple[str, float]]] = {}
        for vote in session_votes(session.design, session.trials, asked):
            grades.setdefault(run_of[vote.left], []).append((vote.judge, vote.number))
        for run_id, some in grades.items():
            put_readings(
                edit,
                run_id,
                session.response_id,
                Spot(session.zone),
                [Typed(grade) for _, grade in some],
                source=Source.SESSION,
                by=[judge for judge, _ in some],
            )

    return edit_open(book, tr("enter the grades of a blind session"), change)


def remove_session(book: LabBook, *, session_id: int) -> Record | None:
    """Take out a session whose key was never opened; undo brings it back.

    Raises
    ------
    StoreError
        The key was opened: what was judged stays.
    """

    def change(edit: Edit) -> None:
        if session_of(edit, session_id)[1].opened is not None:
            raise StoreError(
                tr("Its key was opened, so the session stays: leaving it out would be a choice.")
            )
        edit.delete(SESSION, session_id)

    return edit_open(book, tr("remove a blind session"), change)


def session_of(edit: Edit, session_id: int) -> tuple[Study, BlindSession]:
    """Return a session with its study, inside an edit."""
    study = load_study(edit.connection, edit.get(SESSION, session_id)["study_id"])
    return study, next(one for one in study.sessions if one.id == session_id)


def key_kept(session: BlindSession) -> bool:
    """Return whether the opened key of a session is the one that was committed to.

    Parameters
    ----------
    session : BlindSession
        Opened.
    """
    return sealed_key(session.letters, session.nonce).commitment == session.commitment
