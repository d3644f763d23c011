"""Before anything is printed: the chance to find the margin, and to establish a twin."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from oddtwin.core.effects.noise import SMALLEST
from oddtwin.core.effects.power import chance_inside, over_scatter

MOST_PAIRS: Final = 100_000


@dataclass(frozen=True, slots=True)
class Chances:
    """What a number of pairs can find.

    Parameters
    ----------
    pairs : int
        Pairs, or prints of each arm where they are not paired.
    p_find_margin : float or None
        Power of the two-sided 5 % test when the true difference is the margin; None
        where so few prints allow no test.
    p_establish_twin : float or None
        Power of the two one-sided 5 % tests when the true difference is zero.
    """

    pairs: int
    p_find_margin: float | None
    p_establish_twin: float | None


@dataclass(frozen=True, slots=True)
class Scatter:
    """How prints scatter, and how they will be judged.

    Parameters
    ----------
    sd : float
        Standard deviation of one print, in the response's unit, above zero.
    df : float, optional
        Degrees of freedom of a noise floor that carries the interval; None where the
        planned prints carry it by their own scatter.
    paired : bool
        Whether prints are compared in pairs; a pair's difference has √2·``sd``.
    """

    sd: float
    df: float | None = None
    paired: bool = True

    def __post_init__(self) -> None:
        """Refuse scatter that means nothing."""
        if not (math.isfinite(self.sd) and self.sd > SMALLEST):
            raise ValueError("the standard deviation must be a number above zero")
        if self.df is not None and not (math.isfinite(self.df) and self.df > 0):
            raise ValueError("the degrees of freedom must be above zero")

    def degrees(self, pairs: int) -> float:
        """Return the degrees of freedom of the test with so many pairs; 0 where there is none."""
        if self.df is not None:
            return self.df
        return pairs - 1 if self.paired else 2 * (pairs - 1)


def chances_of(scatter: Scatter, margin: float, pairs: Iterable[int]) -> list[Chances]:
    """Work out the power of a plan for each number of pairs.

    Parameters
    ----------
    scatter : Scatter
        Of prints.
    margin : float
        Smallest difference that matters, in the response's unit, above zero.
    pairs : iterable of int
        One or more each.

    Returns
    -------
    list of Chances
        From the noncentral t distribution, both tails counted (R's ``power.t.test`` with
        ``strict``), and the exact power of two one-sided tests.

    Raises
    ------
    ValueError
        A margin or a number of pairs that is not above zero.
    """
    if not (math.isfinite(margin) and margin > SMALLEST):
        raise ValueError("the margin must be a number above zero")
    found = []
    for count in pairs:
        if not 1 <= count <= MOST_PAIRS:
            raise ValueError(f"give a number of pairs from 1 to {MOST_PAIRS}")
        df, standard_error = scatter.degrees(count), scatter.sd * math.sqrt(2 / count)
        if df <= 0:
            found.append(Chances(count, None, None))
            continue
        found.append(
            Chances(
                count,
                chance_different(margin, standard_error, df),
                chance_inside(0.0, margin, standard_error, df),
            )
        )
    return found


def chance_different(difference: float, standard_error: float, df: float) -> float:
    """Chance that the two-sided 5 % t test finds a difference (both tails).

    Parameters
    ----------
    difference, standard_error : float
        True difference and its standard error, in the response's unit.
    df : float
        Degrees of freedom of the standard error.
    """
    from scipy.special import nctdtr, ndtr, stdtrit

    critical, shift = float(stdtrit(df, 0.975)), difference / standard_error
    if not math.isfinite(critical):
        return 0.0
    # Far out the noncentral t loses its footing; there the answer is one to all digits.
    if shift > 1e3 * max(1.0, critical):
        return 1.0
    found = float(1 - nctdtr(df, shift, critical) + nctdtr(df, shift, -critical))
    if not math.isfinite(found):
        found = over_scatter(
            lambda ratio: ndtr(shift - critical * ratio) + ndtr(-shift - critical * ratio), df
        )
    return min(1.0, max(0.0, found))


def pairs_needed(scatter: Scatter, margin: float, chance: float, twin: bool = False) -> int | None:
    """Return the fewest pairs with a given chance to find the margin, or to establish a twin.

    Parameters
    ----------
    scatter : Scatter
        Of prints.
    margin : float
        In the response's unit, above zero.
    chance : float
        Such as 0.8.
    twin : bool
        Whether the chance is that of establishing a twin.

    Returns
    -------
    int or None
        None where 1 000 pairs would not do.
    """
    reached = 0
    high = 1
    while not _reaches(scatter, margin, high, chance, twin):
        reached, high = high, high * 2
        if reached >= 1000:
            return None
    while high - reached > 1:
        middle = (high + reached) // 2
        if _reaches(scatter, margin, middle, chance, twin):
            high = middle
        else:
            reached = middle
    return high


def _reaches(scatter: Scatter, margin: float, pairs: int, chance: float, twin: bool) -> bool:
    found = chances_of(scatter, margin, [pairs])[0]
    value = found.p_establish_twin if twin else found.p_find_margin
    return value is not None and value >= chance
