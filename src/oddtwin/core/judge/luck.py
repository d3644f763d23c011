"""The chance to be right by pure guessing, for the usual blind tests."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from functools import lru_cache
from typing import Final

from oddtwin.core.language import mark, tr

LEVEL: Final = 0.05
"""Luck is ruled out below this chance."""

MOST_TRIALS: Final = 100_000
MOST_MATCHED: Final = 500


class BlindTest(StrEnum):
    """The blind tests: the odd one of three, which of two, which is like the sample, sort back."""

    TRIANGLE = mark("triangle")
    PAIR = mark("pair")
    DUO_TRIO = mark("duo-trio")
    MATCHING = mark("matching")


GUESSING: Final[Mapping[BlindTest, Fraction]] = {
    BlindTest.TRIANGLE: Fraction(1, 3),
    BlindTest.PAIR: Fraction(1, 2),
    BlindTest.DUO_TRIO: Fraction(1, 2),
}
"""Chance of one right answer by guessing (ISO 4120, ISO 5495, ISO 10399; from memory)."""


@dataclass(frozen=True, slots=True)
class Luck:
    """What guessing would do.

    Parameters
    ----------
    test : BlindTest
        Which test.
    trials, correct : int
        Answers given (prints sorted back, for matching) and how many were right.
    chance : float
        Probability of so many or more right by pure guessing.
    fewest_correct : int or None
        Fewest right answers that can be and that guessing reaches at most one time in
        twenty; None where even all right happens more often.
    sentence : str
        The finding in words.
    """

    test: BlindTest
    trials: int
    correct: int
    chance: float
    fewest_correct: int | None
    sentence: str


def uneven(one: int, of: int) -> float:
    """Return how often luck parts some answers as unevenly between two sides, whichever is the larger.

    Parameters
    ----------
    one, of : int
        Answers for one side, and for both; 1 where there are none.
    """
    from scipy.special import bdtr

    return min(1.0, 2 * float(bdtr(min(one, of - one), of, 0.5))) if of else 1.0


def luck(test: BlindTest, trials: int, correct: int) -> Luck:
    """Work out the chance of so many right answers by pure guessing.

    Parameters
    ----------
    test : BlindTest
        Which test was made.
    trials : int
        Answers given, one or more; for matching, prints sorted back to their arms, each
        with a place of its own.
    correct : int
        How many were right, from zero to ``trials``.

    Raises
    ------
    ValueError
        Numbers that no such test can give.

    Notes
    -----
    Binomial upper tail; for matching the rencontres numbers: of the N! ways to sort
    back N prints, C(N, k)·D(N−k) have k right, D the derangements.
    """
    if trials < 1:
        raise ValueError(tr("give at least one trial"))
    most = MOST_MATCHED if test is BlindTest.MATCHING else MOST_TRIALS
    if trials > most:
        raise ValueError(tr("give at most {most} trials", most=most))
    if not 0 <= correct <= trials:
        raise ValueError(tr("the number of right answers lies between 0 and the number of trials"))
    tails = _tails(test, trials)
    fewest = next((k for k in range(trials + 1) if _possible(test, trials, k) and tails[k] <= LEVEL), None)
    chance = float(tails[correct])
    return Luck(test, trials, correct, chance, fewest, _sentence(test, trials, correct, chance, fewest))


def matching_chances(prints: int) -> list[Fraction]:
    """Return the chance of exactly 0, 1, … N right when N prints are sorted back by luck.

    Parameters
    ----------
    prints : int
        N, one or more.
    """
    arrangements = math.factorial(prints)
    return [
        Fraction(math.comb(prints, k) * _derangements(prints - k), arrangements) for k in range(prints + 1)
    ]


@lru_cache(maxsize=16)
def _tails(test: BlindTest, trials: int) -> list[float]:
    """Chance of k or more right, for k from 0 to the number of trials."""
    if test is BlindTest.MATCHING:
        exact = matching_chances(trials)
        return [float(sum(exact[k:], Fraction(0))) for k in range(trials + 1)]
    from scipy.special import bdtrc

    p = float(GUESSING[test])
    return [1.0, *(float(bdtrc(k - 1, trials, p)) for k in range(1, trials + 1))]


def _possible(test: BlindTest, trials: int, correct: int) -> bool:
    return test is not BlindTest.MATCHING or correct != trials - 1


def _derangements(count: int) -> int:
    """D(0) = 1, D(n) = n·D(n − 1) + (−1)^n."""
    value = 1
    for n in range(1, count + 1):
        value = n * value + (-1) ** n
    return value


def _sentence(test: BlindTest, trials: int, correct: int, chance: float, fewest: int | None) -> str:
    times = once_in(chance)
    if not _possible(test, trials, correct):
        return tr(
            "{correct} of {trials} cannot be: the last print then has only its own place "
            "left. Luck sorts all {trials} back right {times}.",
            correct=correct,
            trials=trials,
            times=times,
        )
    done = (
        tr("{correct} of {trials} prints sorted back right", correct=correct, trials=trials)
        if test is BlindTest.MATCHING
        else tr(
            "{correct} of {trials} right in the {test} test", correct=correct, trials=trials, test=test.value
        )
    )
    if fewest is None:
        return tr(
            "{done}: pure luck does that {times}; so few trials cannot rule luck out, "
            "even with all of them right.",
            done=done,
            times=times,
        )
    if chance <= LEVEL:
        return tr("{done}: pure luck does that {times}, so luck is unlikely.", done=done, times=times)
    return tr(
        "{done}: pure luck does that {times}, so nobody has shown to see a "
        "difference; it takes {fewest} right.",
        done=done,
        times=times,
        fewest=fewest,
    )


def once_in(chance: float) -> str:
    """Say how often luck does something, by its chance from 0 to 1."""
    if chance >= 0.995:
        return tr("always, or nearly so")
    if chance > 0.1:
        return tr("{chance:.0f} times in a hundred", chance=100 * chance)
    # Of a thousand voters who all agree the chance is no number above zero any more.
    if chance < 1e-6:
        return tr("less than once in a million")
    return tr("once in {chance:,}", chance=round(1 / chance)).replace(",", " ")
