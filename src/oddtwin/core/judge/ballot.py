"""A ballot for an audience: letters for pictures, trials, a sealed key; and the votes that come back."""

from __future__ import annotations

import base64
import binascii
import json
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final, NamedTuple

import numpy as np

from oddtwin.core.judge.key import Lettered, SealedKey
from oddtwin.core.language import tr

LETTERS: Final = "ABCDEFGHJKLMNPQRSTUVWXYZ"
"""Without I and O, which are read as digits."""
MARK: Final = "oddtwin-vote:"
"""What a vote begins with as a line of text."""
MOST_PICTURES: Final = 200
LONGEST_VOTE: Final = 200_000


class Shown(NamedTuple):
    """A picture that is shown: where it comes from, and of which arm and print it is."""

    picture: str
    arm: str
    print: str = ""


class Pair(NamedTuple):
    """Two pictures side by side; ``control`` where the difference is known to be there."""

    one: Shown
    other: Shown
    control: bool = False


class Trial(NamedTuple):
    """One trial: its number, the letters of both pictures, and whether it is a catch or a control."""

    name: str
    letters: tuple[str, str]
    catch: str = ""


@dataclass(frozen=True, slots=True)
class Ballot:
    """What is shown, and what stays at home.

    Parameters
    ----------
    pictures : mapping of str to str
        Picture of every letter.
    trials : tuple of Trial
        In the order of the list; each voter draws another one.
    key : SealedKey
    """

    pictures: Mapping[str, str]
    trials: tuple[Trial, ...]
    key: SealedKey


def make_ballot(pairs: Sequence[Pair], rng: np.random.Generator) -> Ballot:
    """Draw letters for pictures.

    Parameters
    ----------
    pairs : sequence of Pair
        What is compared; pairs of one arm are catches.
    rng : numpy.random.Generator
        Of letters and nonce.

    Raises
    ------
    ValueError
        There is no pair, a pair shows one picture twice, a picture is of two arms, or there are too many.
    """
    shown: dict[str, Shown] = {}
    for one in (item for pair in pairs for item in pair[:2]):
        if shown.setdefault(one.picture, one) != one:
            raise ValueError(tr("“{picture}” is named as of two arms or prints", picture=one.picture))
    if not pairs:
        raise ValueError(tr("there is nothing to compare"))
    if any(pair.one.picture == pair.other.picture for pair in pairs):
        raise ValueError(tr("a pair shows the same picture twice; twins are two prints of one arm"))
    if len(shown) > MOST_PICTURES:
        raise ValueError(tr("a ballot shows at most {MOST_PICTURES} pictures", MOST_PICTURES=MOST_PICTURES))
    # The letters say nothing of the order in which pictures were listed.
    drawn = rng.permutation(len(shown)).tolist()
    letters = {name: letter_at(place) for name, place in zip(shown, drawn, strict=True)}
    key = SealedKey(
        {letters[name]: Lettered(one.arm, one.print) for name, one in shown.items()}, rng.bytes(16).hex()
    )
    trials = [
        Trial(
            f"t{number}",
            (letters[pair.one.picture], letters[pair.other.picture]),
            "control" if pair.control else "yes" if pair.one.arm == pair.other.arm else "",
        )
        for number, pair in enumerate(pairs, 1)
    ]
    return Ballot({letters[name]: name for name in shown}, tuple(trials), key)


def letter_at(place: int) -> str:
    """Return the name of a place: A to Z, then AA, AB and so on."""
    first, last = divmod(place, len(LETTERS))
    return (LETTERS[first - 1] if first else "") + LETTERS[last]


class Answer(NamedTuple):
    """One answer of a voter: trial, what lay left and right, and the side that was chosen."""

    trial: str
    left: str
    right: str
    answer: str


@dataclass(frozen=True, slots=True)
class Cast:
    """What one voter sent."""

    ballot: str
    voter: str
    at: datetime
    answers: tuple[Answer, ...]


def read_casts(text: str) -> list[Cast]:
    """Read votes from a file that voters saved, or from text with lines that they pasted.

    Parameters
    ----------
    text : str
        JSON of one vote, or any text with lines that begin with ``oddtwin-vote:``.

    Raises
    ------
    ValueError
        There is no vote in it, or one cannot be read.
    """
    lines = re.findall(re.escape(MARK) + r"([A-Za-z0-9_=-]+)", text)
    if lines:
        return [_cast(_decoded(line)) for line in lines]
    return [_cast(text)]


def _decoded(line: str) -> str:
    try:
        return base64.urlsafe_b64decode(line + "=" * (-len(line) % 4)).decode()
    except (binascii.Error, ValueError):
        raise ValueError(tr("a line of it was cut off while it was pasted")) from None


def _cast(text: str) -> Cast:
    if len(text) > LONGEST_VOTE:
        raise ValueError(tr("it is too long for a vote"))
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        raise ValueError(tr("there is no vote in it")) from None
    try:
        answers = tuple(Answer(*(str(row[name]) for name in Answer._fields)) for row in found["answers"])
        at = datetime.fromisoformat(str(found["at"]))
        return Cast(str(found["ballot"]), str(found["voter"]), at.astimezone(), answers)
    except (KeyError, TypeError, AttributeError, ValueError, OverflowError):
        raise ValueError(tr("there is no whole vote in it")) from None


@dataclass(frozen=True, slots=True)
class Collected:
    """Votes that count as rows for ``judge``, and how many were set apart, by why."""

    rows: tuple[tuple[str, ...], ...]
    voters: int
    apart: Mapping[str, int]


HEAD: Final = ("judge", "trial", "left", "right", "answer", "twin")


def collect(
    casts: Iterable[Cast],
    commitment: str,
    trials: Sequence[Trial],
    closed: datetime | None = None,
    voted: Callable[[str], bool] = lambda _: False,
) -> Collected:
    """Bring votes to rows: the first of each voter, before the close, of this very ballot.

    Parameters
    ----------
    casts : iterable of Cast
        In any order.
    commitment : str
        Of the ballot's key.
    trials : sequence of Trial
        Of the ballot.
    closed : datetime, optional
        When judging was closed: later votes are late.
    voted : callable
        Whether a voter was counted before.
    """
    known = {trial.name: trial for trial in trials}
    rows: list[tuple[str, ...]] = []
    apart: dict[str, int] = {}
    voters: set[str] = set()

    def set_apart(why: str) -> None:
        apart[why] = apart.get(why, 0) + 1

    # By the clock and not as the lines came: of two votes of one voter the first counts, however they
    # arrived.
    for cast in sorted(casts, key=lambda one: one.at):
        if cast.ballot != commitment:
            set_apart(tr("of another ballot"))
        elif closed is not None and cast.at > closed:
            set_apart(tr("after the close"))
        elif cast.voter in voters or voted(cast.voter):
            set_apart(tr("a voter for the second time"))
        else:
            voters.add(cast.voter)
            once: set[str] = set()
            for answer in cast.answers:
                # The letters stand for prints: a pair that was never shown would vote for another print.
                trial = known.get(answer.trial)
                fits = trial is not None and {answer.left, answer.right} == set(trial.letters)
                if trial is None or not fits or answer.answer not in ("left", "right", "none"):
                    set_apart(tr("an answer that the ballot does not ask for"))
                    continue
                if answer.trial in once:
                    set_apart(tr("a second answer to one pair"))
                    continue
                once.add(answer.trial)
                rows.append((cast.voter, answer.trial, answer.left, answer.right, answer.answer, trial.catch))
    return Collected(tuple(rows), len(voters), apart)


def ballot_json(ballot: Ballot) -> dict[str, Any]:
    """Return what stays at home as plain values: trials and the key."""
    return {
        "trials": [
            {"trial": one.name, "letters": list(one.letters), "catch": one.catch} for one in ballot.trials
        ],
        "letters": {letter: one._asdict() for letter, one in sorted(ballot.key.letters.items())},
        "nonce": ballot.key.nonce,
        "commitment": ballot.key.commitment,
    }


def trials_of(text: str) -> tuple[Trial, ...]:
    """Read the trials back from what stayed at home.

    Parameters
    ----------
    text : str
        As ``ballot_json`` gives it.

    Raises
    ------
    ValueError
        It is no such file.
    """
    try:
        return tuple(
            Trial(str(one["trial"]), (str(one["letters"][0]), str(one["letters"][1])), str(one["catch"]))
            for one in json.loads(text)["trials"]
        )
    except (KeyError, TypeError, IndexError, ValueError):
        raise ValueError(
            tr("this is no key of a ballot; take the key.json that was written with it")
        ) from None
