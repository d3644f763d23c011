"""The answers of a session as votes, in letters that mean the same for every judge."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from oddtwin.core.judge.asking import SessionDesign, is_answer
from oddtwin.core.judge.session import SessionTrial
from oddtwin.core.judge.votes import LEFT, RIGHT, Catch, Vote


@dataclass(frozen=True, slots=True)
class TrialAnswer:
    """What a judge answered to one trial."""

    judge: str
    number: int
    answer: str


def session_votes(
    design: SessionDesign, trials: Sequence[SessionTrial], answers: Sequence[TrialAnswer]
) -> list[Vote]:
    """Return the answers of a session as votes.

    Parameters
    ----------
    design : SessionDesign
        What was asked.
    trials : sequence of SessionTrial
        Of all judges.
    answers : sequence of TrialAnswer
        One a trial at most; of trials that there are not, and what is no answer, is passed over.
    """
    known = {(trial.judge, trial.number): trial for trial in trials}
    return [
        _vote(design, trial, one.answer)
        for one in answers
        if (trial := known.get((one.judge, one.number))) is not None and is_answer(design, one.answer)
    ]


def _vote(design: SessionDesign, trial: SessionTrial, answer: str) -> Vote:
    left = right = ""
    odd = "" if design is SessionDesign.SAME else trial.odd
    if len(trial.letters) == 3:
        # Judges see three prints in different places: only the letters mean the same for all of them.
        odd, answer = (_letter_there(design, trial, place) for place in (odd, answer))
        # The odd one and a twin of the rest: that is the pair of prints which the look compared.
        left, right = odd, next(letter for letter in trial.letters if letter != odd)
    else:
        left, right = trial.letters[0], trial.letters[1] if len(trial.letters) > 1 else ""
    return Vote(
        trial.number,
        trial.judge,
        "1" if design in (SessionDesign.SORT, SessionDesign.RANK) else "+".join(sorted(trial.letters)),
        left,
        right,
        odd,
        answer,
        Catch(trial.catch),
        trial.repeat,
    )


def _letter_there(design: SessionDesign, trial: SessionTrial, place: str) -> str:
    first = 1 if design is SessionDesign.DUO_TRIO else 0
    places = (LEFT, RIGHT) if first else (LEFT, "middle", RIGHT)
    return trial.letters[first + places.index(place)] if place in places else place
