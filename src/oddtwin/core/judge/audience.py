"""An audience that judges by a ballot: its votes as trials and answers of a session, and votes of a forum."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Final, NamedTuple

from oddtwin.core.judge.answers import TrialAnswer
from oddtwin.core.judge.ballot import Answer, Cast, Trial
from oddtwin.core.judge.session import AUDIENCE, SessionTrial
from oddtwin.core.judge.votes import LEFT, RIGHT, side_of
from oddtwin.core.language import tr
from oddtwin.core.readings import BLANK, TableError, need_columns, plain_names, table_rows, unguarded

NEEDED: Final = ("trial", "answer")
MOST_ROWS: Final = 50_000


class Taken(NamedTuple):
    """What votes add to a session: the trials as each voter saw them, and the answers."""

    trials: tuple[SessionTrial, ...]
    answers: tuple[TrialAnswer, ...]


@dataclass(frozen=True, slots=True)
class ForumVotes:
    """Votes out of a table: one a name, and how many rows say no vote."""

    casts: tuple[Cast, ...]
    unread: int


def ballot_trials(trials: Sequence[SessionTrial]) -> tuple[Trial, ...]:
    """Return what a ballot of a session asks.

    Parameters
    ----------
    trials : sequence of SessionTrial
        Of the session; those of the audience count.
    """
    return tuple(
        Trial(f"t{one.number}", (one.letters[0], one.letters[1]), one.catch)
        for one in trials
        if one.judge == AUDIENCE
    )


def voter_name(voter: str) -> str:
    """Return what a voter is called in a session: always the same, and nothing that they chose themselves."""
    return tr(
        "voter {hexdigest}", hexdigest=hashlib.sha256(voter.encode("utf-8", "replace")).hexdigest()[:12]
    )


def taken_votes(trials: Sequence[SessionTrial], rows: Sequence[tuple[str, ...]]) -> Taken:
    """Bring collected votes to trials and answers.

    Parameters
    ----------
    trials : sequence of SessionTrial
        Of the session.
    rows : sequence of tuple of str
        As ``collect`` gives them: voter, trial, left, right, answer, catch.
    """
    asked = {f"t{one.number}": one for one in trials if one.judge == AUDIENCE}
    seen, answers = [], []
    for voter, name, left, right, answer, _ in rows:
        trial, judge = asked[name], voter_name(voter)
        turned = left != trial.letters[0]
        # Each voter saw other sides: what was right lies on the other one for half of them.
        odd = {LEFT: RIGHT, RIGHT: LEFT}.get(trial.odd, trial.odd) if turned else trial.odd
        seen.append(replace(trial, judge=judge, letters=(left, right), odd=odd))
        answers.append(TrialAnswer(judge, trial.number, answer))
    return Taken(tuple(seen), tuple(answers))


def read_forum(text: str, trials: Sequence[Trial], ballot: str, at: datetime) -> ForumVotes:
    """Read votes that were written down under pictures of the pairs, as left, right or same.

    Parameters
    ----------
    text : str
        CSV with the columns ``trial`` (its number) and ``answer``, and maybe ``judge``; without one every row
        is a voter of its own.
    trials : sequence of Trial
        Of the ballot: its letters lie left and right as on the pictures.
    ballot : str
        Commitment of its key.
    at : datetime
        When they are read.

    Raises
    ------
    TableError
        Its header lacks a column, or it is too long.
    """
    rows = table_rows(text)
    line, header = next(rows, (1, []))
    names = plain_names(header)
    need_columns(NEEDED, names, line)
    letters = {trial.name: trial.letters for trial in trials}
    by_voter: dict[str, list[Answer]] = {}
    unread = 0
    for line, cells in rows:
        if line > MOST_ROWS:
            raise TableError(
                tr("there are more than {MOST_ROWS} rows; give a part of them", MOST_ROWS=MOST_ROWS), line
            )
        row = {name: unguarded(cell.strip(BLANK)) for name, cell in zip(names, cells, strict=False)}
        if not any(row.values()):
            continue
        # People write 3, T3 or t3 under a picture.
        name = f"t{row.get('trial', '').casefold().removeprefix('t')}"
        shown = letters.get(name)
        try:
            answer = side_of(row.get("answer", ""), *(shown or ("", "")), empty=False)
        except ValueError:
            answer = ""
        if shown is None or not answer:
            unread += 1
            continue
        voter = row.get("judge") or tr("row {line}", line=line)
        by_voter.setdefault(voter, []).append(Answer(name, *shown, answer))
    return ForumVotes(
        tuple(Cast(ballot, voter, at, tuple(answers)) for voter, answers in by_voter.items()), unread
    )
