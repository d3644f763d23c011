"""Whether eyes can tell two prints apart: share of right answers, of looks that see it, and d′.

A look that sees the difference is right, any other guesses: share right = g + (1 − g)·share seeing,
with the guessing chance g (ISO 4120, 5495, 10399; formulas from memory). d′ is the difference in standard
deviations of what is seen (Thurstone); its psychometric functions are those of Ennis 1993 and ASTM E2262
(formulas).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Interval
from oddtwin.core.effects import clopper_pearson
from oddtwin.core.judge.luck import GUESSING, BlindTest, luck
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number

FARTHEST: Final = 20.0
"""d′ beyond which every answer is right to all digits."""

FOUND: Final = 0.8
"""Chance with which trials should have shown what is called findable."""


@dataclass(frozen=True, slots=True)
class Discrimination:
    """What the right answers of one blind test say.

    Parameters
    ----------
    test : BlindTest
        Which test.
    trials, correct : int
        Answers, and how many were right.
    chance : float
        Of so many or more right by pure guessing.
    fewest_correct : int or None
        Fewest right that guessing reaches at most once in twenty.
    right, right_ci95 : float and tuple of float
        Share of right answers, 0 to 1, with Clopper and Pearson's 95 % interval.
    seeing, seeing_ci95 : float and tuple of float
        Share of looks that see the difference.
    seeing_at_least, seeing_at_most : float
        One-sided 95 % bounds of it.
    d_prime, d_prime_ci95 : float and tuple of float
        In standard deviations; infinite where all are right.
    findable : float or None
        Smallest share of looks seeing it that so many trials would have shown with 80 % chance; None
        where none would.
    """

    test: BlindTest
    trials: int
    correct: int
    chance: float
    fewest_correct: int | None
    right: float
    right_ci95: Interval
    seeing: float
    seeing_ci95: Interval
    seeing_at_least: float
    seeing_at_most: float
    d_prime: float
    d_prime_ci95: Interval
    findable: float | None


def discrimination(test: BlindTest, trials: int, correct: int) -> Discrimination:
    """Work out what the right answers of a triangle, pair or duo-trio test say.

    Parameters
    ----------
    test : BlindTest
        Not the sorting back, which has no two answers.
    trials, correct : int
        Answers, one or more, and how many were right.

    Raises
    ------
    ValueError
        Numbers that no such test can give.
    """
    if test not in GUESSING:
        raise ValueError(tr("prints that are sorted back have no share of right answers by guessing"))
    guess = luck(test, trials, correct)
    g = float(GUESSING[test])
    right = correct / trials
    ends = exact_share(correct, trials, 0.95)
    # The ends of the 90 % interval are bounds of 95 % to one side: how many see it at least, and at most.
    lower, upper = exact_share(correct, trials, 0.90)

    def seeing(share: float) -> float:
        return min(1.0, max(0.0, (share - g) / (1 - g)))

    return Discrimination(
        test,
        trials,
        correct,
        guess.chance,
        guess.fewest_correct,
        right,
        ends,
        seeing(right),
        (seeing(ends[0]), seeing(ends[1])),
        seeing(lower),
        seeing(upper),
        d_prime_of(test, right),
        (d_prime_of(test, ends[0]), d_prime_of(test, ends[1])),
        _findable(g, trials, guess.fewest_correct),
    )


def exact_share(count: int, trials: int, level: float) -> Interval:
    """Return the exact interval of a share (Clopper and Pearson 1934).

    Parameters
    ----------
    count, trials : int
        How many of how many.
    level : float
        Such as 0.95; 0.90 for the two one-sided bounds at 95 %.
    """
    low, high = clopper_pearson(np.array([float(count)]), trials, level)
    return float(low[0]), float(high[0])


def _findable(g: float, trials: int, fewest: int | None) -> float | None:
    from scipy.special import betaincinv

    if fewest is None:
        return None
    # The share right at which so many or more come up with 80 % chance: a beta quantile.
    share = float(betaincinv(fewest, trials - fewest + 1, FOUND))
    return max(0.0, (share - g) / (1 - g))


def share_right(test: BlindTest, d_prime: float) -> float:
    """Return the share of right answers that a difference of ``d_prime`` standard deviations gives."""
    return PSYCHOMETRIC[test](d_prime)


def d_prime_of(test: BlindTest, right: float) -> float:
    """Return the d′ that gives a share of right answers: 0 at or below guessing, infinite for all right.

    Parameters
    ----------
    test : BlindTest
        Triangle, pair or duo-trio.
    right : float
        0 to 1.
    """
    from scipy.optimize import brentq

    if right <= float(GUESSING[test]):
        return 0.0
    # Beyond, the curve is one to all digits, and has no way back.
    if right >= share_right(test, FARTHEST):
        return math.inf
    return float(brentq(lambda d: share_right(test, d) - right, 0.0, FARTHEST, xtol=1e-10))


def _pair(d: float) -> float:
    return _phi(d / math.sqrt(2))


def _triangle(d: float) -> float:
    far = d * math.sqrt(2 / 3)
    return 2 * _over_normal(lambda z: _phi(far - z * math.sqrt(3)) + _phi(-far - z * math.sqrt(3)))


def _duo_trio(d: float) -> float:
    one, two = _phi(d / math.sqrt(2)), _phi(d / math.sqrt(6))
    return 1 - one - two + 2 * one * two


PSYCHOMETRIC: Final[Mapping[BlindTest, Callable[[float], float]]] = {
    BlindTest.PAIR: _pair,
    BlindTest.TRIANGLE: _triangle,
    BlindTest.DUO_TRIO: _duo_trio,
}


def _phi(z: float) -> float:
    return 0.5 * math.erfc(-z / math.sqrt(2))


def _over_normal(of: Callable[[float], float]) -> float:
    """Integrate over the upper half of a standard normal distribution."""
    from scipy.integrate import quad

    density = 1 / math.sqrt(2 * math.pi)
    found, _ = quad(lambda z: density * math.exp(-z * z / 2) * of(z), 0, 12, epsabs=1e-12, limit=200)
    return float(found)


def seen_words(found: Discrimination) -> str:
    """Say in one sentence whether these eyes can tell the prints apart."""
    share = f"{100 * found.seeing_at_most:.0f} %"
    right = tr("{correct} of {trials} right", correct=found.correct, trials=found.trials)
    if found.fewest_correct is not None and found.correct >= found.fewest_correct:
        least = f"{100 * found.seeing_at_least:.0f} %"
        return tr(
            "These eyes can tell them apart: {right}, and at least {least} of such looks see it (95 % sure).",
            right=right,
            least=least,
        )
    said = tr(
        "Nobody has shown to tell them apart: {right}; at most {share} of such looks see it (95 % sure)",
        right=right,
        share=share,
    )
    if found.findable is None:
        return tr("{said}, and so few trials could show nothing.", said=said)
    return tr(
        "{said}; these trials would have shown it with 80 % chance if {findable:.0f} % did.",
        said=said,
        findable=100 * found.findable,
    )


def d_prime_words(found: Discrimination) -> str:
    """Write d′ with its interval."""
    low, high = (format_number(end, 2) if math.isfinite(end) else "∞" for end in found.d_prime_ci95)
    own = format_number(found.d_prime, 2) if math.isfinite(found.d_prime) else "∞"
    return tr("d′ {own} (95 % interval {low} to {high})", own=own, low=low, high=high)
