"""A blind session is drawn as it was wished for, and its key committed to before the first answer."""

from __future__ import annotations

import json
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass

import numpy as np

from oddtwin.core.judge import (
    AUDIENCE,
    Sample,
    SealedKey,
    SessionDesign,
    Wish,
    draw_letters,
    draw_trials,
)
from oddtwin.core.language import tr
from oddtwin.core.quantities import now
from oddtwin.core.study import BlindSession, KeyLetter, RunState, Study, sealed_key
from oddtwin.operations.looking import login
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError, load_study
from oddtwin.store.codec import row_of
from oddtwin.store.schema import SESSION
from oddtwin.work.sealing import PassphraseError, locked


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
    audience : bool
        Whether an audience judges by a ballot; then nobody is named.
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
    audience: bool = False


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

    return edit_open(book, tr("begin a blind session: {design}", design=session.design), change)


def _refuse(session: NewSession) -> None:
    if not 1 <= session.repeats <= 10:
        raise StoreError(tr("Put each question 1 to 10 times."))
    if session.design is SessionDesign.GRADE and session.response_id is None:
        raise StoreError(tr("Choose the fault that is graded."))
    if session.audience and session.view_id is None:
        raise StoreError(tr("A ballot shows photographs; prints in the hand need a judge who is there."))
    if session.passphrase and session.view_id is not None:
        raise StoreError(
            tr(
                "On the screen the lab book itself has to know which photograph is which; a "
                "passphrase locks the key of prints in the hand only."
            )
        )
    if session.controls and session.view_id is None:
        raise StoreError(tr("Rendered controls are shown on the screen; in the hand, take prints for them."))


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
    # Controls have letters from the same drawing: a run of their own would give them away.
    controls = [
        tr("control {number}{side}", number=number, side=side)
        for number in range(1, len(wish.controls) + 1)
        for side in "ab"
    ]
    # Two sources: the seed of the order is told, and must not tell the letters.
    secret = np.random.default_rng(secrets.randbits(128))
    seed = secrets.randbits(31) if wish.seed is None else wish.seed
    letters = draw_letters([*(one.code for one in samples), *controls], secret)
    asked = (AUDIENCE,) if wish.audience else judges
    trials = draw_trials(
        samples,
        study.baseline.name,
        Wish(wish.design, asked, wish.repeats, wish.twins, len(wish.controls)),
        letters,
        np.random.default_rng(seed),
    )
    key = _letters(study, wish, letters)
    held = sealed_key(key, secrets.token_hex(16))
    return BlindSession(
        id=0,
        design=wish.design,
        view_id=wish.view_id,
        response_id=wish.response_id,
        zone=wish.zone,
        judges=() if wish.audience else judges,
        seed=seed,
        question=wish.question.strip(),
        break_after=wish.break_after,
        trials=trials,
        letters=() if wish.passphrase else key,
        nonce="" if wish.passphrase else held.nonce,
        commitment=held.commitment,
        locked=_locked(key, held, wish.passphrase) if wish.passphrase else "",
        mixed_by=wish.mixed_by.strip() or login(),
        created=now(),
    )


def _refuse_unmade(study: Study, wish: NewSession) -> None:
    """Refuse prints that are not there to be judged, and grades of nothing that is graded."""
    runs = study.index.runs
    if any(key not in runs for key in wish.run_ids):
        raise ValueError(tr("One of the prints is not of this study."))
    unmade = [runs[key].code for key in wish.run_ids if runs[key].state is not RunState.PRINTED]
    if unmade:
        raise ValueError(tr("Not printed, or set aside: {unmade}; leave them out.", unmade=", ".join(unmade)))
    if wish.design is not SessionDesign.GRADE:
        return
    response = study.index.responses.get(wish.response_id or 0)
    if response is None or not response.kind.graded:
        raise ValueError(tr("Only a fault that is graded from 0 to 4 can be graded blind."))
    zones = {spot.zone for key in wish.run_ids for spot in study.spots_of(response, runs[key])}
    if wish.zone not in zones:
        listed = ", ".join(sorted(zone for zone in zones if zone)) or tr("the whole print")
        raise ValueError(tr("Say which zone is graded: {listed}.", listed=listed))


def _refuse_unseen(study: Study, wish: NewSession) -> None:
    """Refuse prints without a photograph of the view: what was never taken cannot be shown."""
    seen = {item.run_id for item in study.photographs if item.view_id == wish.view_id}
    missing = [run.code for run in study.runs if run.id in wish.run_ids and run.id not in seen]
    if missing:
        raise ValueError(
            tr("There is no photograph of this view of {missing}; take it first.", missing=", ".join(missing))
        )


def _letters(study: Study, wish: NewSession, letters: Mapping[str, str]) -> tuple[KeyLetter, ...]:
    found = [
        KeyLetter(letters[run.code], run.id, study.arm_of(run).name, run.code)
        for run in study.runs
        if run.id in wish.run_ids
    ]
    for number, rendered in enumerate(wish.controls, 1):
        for side, arm, shown in (
            ("a", "fault", rendered),
            ("b", "sound", tr("sound {rendered}", rendered=rendered)),
        ):
            code = tr("control {number}{side}", number=number, side=side)
            found.append(KeyLetter(letters[code], 0, arm, code, shown))
    # By letter, and not in the order of the runs, which would tell the arms.
    return tuple(sorted(found, key=lambda one: (len(one.letter), one.letter)))


def _locked(letters: Sequence[KeyLetter], key: SealedKey, passphrase: str) -> str:
    told = {"letters": [asdict(one) for one in letters], "nonce": key.nonce}
    return locked(json.dumps(told, ensure_ascii=False), passphrase)
