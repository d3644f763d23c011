"""Edits of blind judging: a session is drawn and committed to, answered, closed, and opened."""

from __future__ import annotations

import json
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace

import numpy as np

from oddtwin.core.judge import (
    Lettered,
    Sample,
    SealedKey,
    SessionDesign,
    TrialAnswer,
    Wish,
    draw_letters,
    draw_trials,
    read_answer,
    session_votes,
)
from oddtwin.core.quantities import now, write_moment
from oddtwin.core.readings import Source, Spot, Typed
from oddtwin.core.study import BlindSession, KeyLetter, LookAt, RunState, Study, advised_look
from oddtwin.operations.looking import login
from oddtwin.operations.runs import put_readings
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, Kind, LabBook, Record, StoreError, load_study
from oddtwin.store.codec import row_of
from oddtwin.store.schema import ANSWER, LOOK, SESSION
from oddtwin.work.sealing import PassphraseError, locked, unlocked


@dataclass(frozen=True, slots=True)
class NewSession:
    """What a session is to be like.

    Parameters
    ----------
    design : SessionDesign
        What is asked.
    run_ids : tuple of int
        Prints that are shown.
    judges : tuple of str
        Who judges.
    view_id : int or None
        Whose photographs are shown; None where the prints are in the hand.
    response_id : int or None
        Of grades: what they are readings of.
    zone : str
        Of grades: which zone.
    repeats : int
        How often each question is put.
    twins : bool
        Whether twins are mixed in.
    controls : tuple of str
        Rendered faults of known size, each as kind and settings; a sound face is shown beside it.
    question : str
        As it is put; empty for the design's own.
    break_after : int
        Trials after which a break is proposed; 0 for none.
    seed : int or None
        Of order and sides; drawn where it is None.
    mixed_by : str
        Who knows the key.
    passphrase : str
        Of a second person, who alone can open the key then; only for prints in the hand.
    """

    design: SessionDesign
    run_ids: tuple[int, ...]
    judges: tuple[str, ...]
    view_id: int | None = None
    response_id: int | None = None
    zone: str = ""
    repeats: int = 1
    twins: bool = True
    controls: tuple[str, ...] = ()
    question: str = ""
    break_after: int = 0
    seed: int | None = None
    mixed_by: str = ""
    passphrase: str = ""


def begin_session(book: LabBook, *, study_id: int, session: NewSession) -> Record | None:
    """Draw a session, and commit to its key before the first answer.

    Raises
    ------
    StoreError
        It cannot be as it was wished for; the sentence says why.
    """
    _refuse(session)

    def change(edit: Edit) -> None:
        study = load_study(edit.connection, study_id)
        try:
            drawn = _drawn(study, session)
        except (ValueError, PassphraseError) as error:
            raise StoreError(str(error)) from None
        edit.insert(SESSION, study_id=study_id, **row_of(drawn))

    return edit_open(book, f"begin a blind session: {session.design.value}", change)


def _refuse(session: NewSession) -> None:
    if not 1 <= session.repeats <= 10:
        raise StoreError("Put each question 1 to 10 times.")
    if session.design is SessionDesign.GRADE and session.response_id is None:
        raise StoreError("Choose the fault that is graded.")
    if session.passphrase and session.view_id is not None:
        raise StoreError(
            "On the screen the lab book itself has to know which photograph is which; a passphrase locks the "
            "key of prints in the hand only."
        )
    if session.controls and session.view_id is None:
        raise StoreError("Rendered controls are shown on the screen; in the hand, take prints for them.")


def _drawn(study: Study, wish: NewSession) -> BlindSession:
    _refuse_unmade(study, wish)
    judges = tuple(" ".join(name.split()) for name in wish.judges)
    samples = [
        Sample(run.code, study.arm_of(run).name, study.block_of(run).label)
        for run in study.runs
        if run.id in wish.run_ids
    ]
    if wish.view_id is not None:
        _refuse_unseen(study, wish)
    controls = [f"control {number}{side}" for number in range(1, len(wish.controls) + 1) for side in "ab"]
    # Two sources: the seed of the order is told, and must not tell the letters.
    secret = np.random.default_rng(secrets.randbits(128))
    seed = secrets.randbits(31) if wish.seed is None else wish.seed
    letters = draw_letters([*(one.code for one in samples), *controls], secret)
    trials = draw_trials(
        samples,
        study.baseline.name,
        Wish(wish.design, judges, wish.repeats, wish.twins, len(wish.controls)),
        letters,
        np.random.default_rng(seed),
    )
    key = _letters(study, wish, letters)
    sealed = _sealed(key, secrets.token_hex(16))
    return BlindSession(
        id=0,
        design=wish.design,
        view_id=wish.view_id,
        response_id=wish.response_id,
        zone=wish.zone,
        judges=judges,
        seed=seed,
        question=wish.question.strip(),
        break_after=wish.break_after,
        trials=trials,
        letters=() if wish.passphrase else key,
        nonce="" if wish.passphrase else sealed.nonce,
        commitment=sealed.commitment,
        locked=_locked(key, sealed, wish.passphrase) if wish.passphrase else "",
        mixed_by=wish.mixed_by.strip() or login(),
        created=now(),
    )


def _refuse_unmade(study: Study, wish: NewSession) -> None:
    """Refuse prints that are not there to be judged, and grades of nothing that is graded."""
    runs = study.index.runs
    if any(key not in runs for key in wish.run_ids):
        raise ValueError("One of the prints is not of this study.")
    unmade = [runs[key].code for key in wish.run_ids if runs[key].state is not RunState.PRINTED]
    if unmade:
        raise ValueError(f"Not printed, or set aside: {', '.join(unmade)}; leave them out.")
    if wish.design is not SessionDesign.GRADE:
        return
    response = study.index.responses.get(wish.response_id or 0)
    if response is None or not response.kind.graded:
        raise ValueError("Only a fault that is graded from 0 to 4 can be graded blind.")
    zones = {spot.zone for key in wish.run_ids for spot in study.spots_of(response, runs[key])}
    if wish.zone not in zones:
        listed = ", ".join(sorted(zone for zone in zones if zone)) or "the whole print"
        raise ValueError(f"Say which zone is graded: {listed}.")


def _refuse_unseen(study: Study, wish: NewSession) -> None:
    """Refuse prints without a photograph of the view: what was never taken cannot be shown."""
    seen = {item.run_id for item in study.photographs if item.view_id == wish.view_id}
    missing = [run.code for run in study.runs if run.id in wish.run_ids and run.id not in seen]
    if missing:
        raise ValueError(f"There is no photograph of this view of {', '.join(missing)}; take it first.")


def _letters(study: Study, wish: NewSession, letters: Mapping[str, str]) -> tuple[KeyLetter, ...]:
    found = [
        KeyLetter(letters[run.code], run.id, study.arm_of(run).name, run.code)
        for run in study.runs
        if run.id in wish.run_ids
    ]
    for number, rendered in enumerate(wish.controls, 1):
        for side, arm, shown in (("a", "fault", rendered), ("b", "sound", f"sound {rendered}")):
            code = f"control {number}{side}"
            found.append(KeyLetter(letters[code], 0, arm, code, shown))
    return tuple(sorted(found, key=lambda one: (len(one.letter), one.letter)))


def _sealed(letters: Sequence[KeyLetter], nonce: str) -> SealedKey:
    return SealedKey({one.letter: Lettered(one.arm, one.print) for one in letters}, nonce)


def _locked(letters: Sequence[KeyLetter], key: SealedKey, passphrase: str) -> str:
    told = {"letters": [asdict(one) for one in letters], "nonce": key.nonce}
    return locked(json.dumps(told, ensure_ascii=False), passphrase)


def answer_trial(book: LabBook, *, session_id: int, judge: str, number: int, text: str) -> Record | None:
    """Keep what a judge answers to a trial, in place of an earlier answer.

    Raises
    ------
    StoreError
        Judging is closed, there is no such trial, or it is no answer.
    """

    def change(edit: Edit) -> None:
        study, session = _session(edit, session_id)
        if session.closed is not None:
            raise StoreError("Judging is closed; an answer now would not be blind, and is not kept.")
        if not any((one.judge, one.number) == (judge, number) for one in session.trials):
            raise StoreError(f"{judge} has no trial {number} in this session.")
        prints = len(session.trials) // max(1, len(session.judges))
        try:
            answer = read_answer(session.design, text, [arm.name for arm in study.arms], prints)
        except ValueError as error:
            raise StoreError(str(error)) from None
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

    return edit_open(book, f"answer trial {number} of {judge}", change)


def close_session(book: LabBook, *, session_id: int) -> Record | None:
    """Close judging: no answer is taken after it, and the key may be opened.

    Raises
    ------
    StoreError
        It is closed already, or nothing was answered.
    """

    def change(edit: Edit) -> None:
        session = _session(edit, session_id)[1]
        if session.closed is not None:
            raise StoreError("Judging is closed already.")
        if not edit.ids(ANSWER, "session_id", session_id):
            raise StoreError("Nothing was answered yet, so there is nothing to close.")
        edit.update(SESSION, session_id, closed=write_moment(now()))

    return edit_open(book, "close a blind session", change)


def open_key(book: LabBook, *, session_id: int, who: str = "", passphrase: str = "") -> Record | None:
    """Open the key of a session whose judging is closed; who did it, and when, is kept.

    A mark, not an edit: what was seen cannot be unseen, so it cannot be undone.

    Raises
    ------
    StoreError
        Judging goes on, the key is open already, or the passphrase is wrong.
    """

    def change(edit: Edit) -> None:
        study, session = _session(edit, session_id)
        if session.closed is None:
            raise StoreError("Close judging first: an answer after the key is open would not be blind.")
        if session.opened is not None:
            raise StoreError("The key is open already.")
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

    return book.edit("open the key of a blind session", change, Kind.MARK)


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
        study, session = _session(edit, session_id)
        if session.opened is None:
            raise StoreError("Open the key first: until then nobody knows which print was graded.")
        if session.design is not SessionDesign.GRADE or session.response_id is None:
            raise StoreError("Only grades of single prints are readings; this session asked something else.")
        answers = [item for item in study.answers if item.session_id == session_id]
        asked = [TrialAnswer(item.judge, item.number, item.answer) for item in answers]
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

    return edit_open(book, "enter the grades of a blind session", change)


def remove_session(book: LabBook, *, session_id: int) -> Record | None:
    """Take out a session whose key was never opened; undo brings it back.

    Raises
    ------
    StoreError
        The key was opened: what was judged stays.
    """

    def change(edit: Edit) -> None:
        if _session(edit, session_id)[1].opened is not None:
            raise StoreError("Its key was opened, so the session stays: leaving it out would be a choice.")
        edit.delete(SESSION, session_id)

    return edit_open(book, "remove a blind session", change)


def _session(edit: Edit, session_id: int) -> tuple[Study, BlindSession]:
    study = load_study(edit.connection, edit.get(SESSION, session_id)["study_id"])
    return study, next(one for one in study.sessions if one.id == session_id)


def key_kept(session: BlindSession) -> bool:
    """Return whether the opened key of a session is the one that was committed to.

    Parameters
    ----------
    session : BlindSession
        Opened.
    """
    return _sealed(session.letters, session.nonce).commitment == session.commitment
