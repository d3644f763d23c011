"""Several arms at once: all against one, and which of them may be the best."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval

POINTS: Final = 14
"""Two to this power points stand for all that the estimates may do; more change the fourth digit at most."""


def chance_all_within(limit: float, correlation: Floats, df: float, one_sided: bool = False) -> float:
    """Return the chance that several t statistics with one error all stay within a limit.

    Parameters
    ----------
    limit : float
        Of each, zero or more.
    correlation : array of shape (comparisons, comparisons)
        Of the estimates; it may be singular, as where one is the sum of others.
    df : float
        Degrees of freedom of the common error.
    one_sided : bool
        Whether only values above the limit are outside.

    Returns
    -------
    float
        Multivariate t (Dunnett 1955): over evenly spread points (Sobol) for the estimates, exactly
        over the error that they are divided by. The same figures always.
    """
    drawn = _drawn(correlation)
    return _within(limit, (drawn if one_sided else np.abs(drawn)).max(axis=1), df)


def _within(limit: float, largest: Floats, df: float) -> float:
    """Chance that the largest of drawn sizes, over a common error, stays within a limit."""
    from scipy.special import chdtrc

    if not limit > 0:
        return float(np.mean(largest <= 0))
    # Within the limit where the error, in its own true size, is at least so large.
    return float(np.mean(chdtrc(df, df * np.square(np.maximum(largest, 0.0) / limit))))


def _drawn(correlation: Floats) -> Floats:
    """Estimates in standard errors, of shape (points, comparisons)."""
    sizes, directions = np.linalg.eigh(correlation)
    # The symmetric root: alike comparisons share one size, whose directions every processor turns otherwise.
    spread = directions * np.sqrt(np.maximum(sizes, 0.0)) @ directions.T
    found: Floats = _spread_out(len(sizes)) @ spread
    return found


@lru_cache(maxsize=8)
def _spread_out(comparisons: int) -> Floats:
    """Normal scores of evenly spread points, of shape (points, comparisons); slow to make."""
    from scipy.special import ndtri
    from scipy.stats import qmc

    points = qmc.Sobol(comparisons, rng=np.random.default_rng(1)).random_base2(POINTS)
    found: Floats = ndtri(np.clip(points, 1e-12, 1 - 1e-12))
    return found


def stepped_down(statistics: Sequence[float], correlation: Floats, df: float) -> list[float]:
    """Return the p value of each of several comparisons, adjusted for all of them.

    Parameters
    ----------
    statistics : sequence of float
        Difference over its standard error, of each.
    correlation : array of shape (comparisons, comparisons)
        Of the differences.
    df : float
        Degrees of freedom of the common error.

    Returns
    -------
    list of float
        Dunnett's, step by step: the largest against all, the next against those that are left; never
        more than Holm's.
    """
    order = sorted(range(len(statistics)), key=lambda one: -abs(statistics[one]))
    sizes = np.abs(_drawn(correlation))[:, order]
    # Of each and all that come after it.
    largest = np.maximum.accumulate(sizes[:, ::-1], axis=1)[:, ::-1]
    found, least = [0.0] * len(order), 0.0
    for place, one in enumerate(order):
        least = max(least, 1 - _within(abs(statistics[one]), largest[:, place], df))
        found[one] = least
    return found


def edge_of_all(correlation: Floats, df: float, level: float = 0.95, one_sided: bool = False) -> float:
    """Return the limit that all of several t statistics stay within, with a given chance.

    Parameters
    ----------
    correlation : array of shape (comparisons, comparisons)
        Of the estimates.
    df : float
        Degrees of freedom of the common error.
    level : float
        That chance, from 0 to 1.
    one_sided : bool
        As in `chance_all_within`.
    """
    return _edge_of_all(tuple(map(tuple, correlation.tolist())), df, level, one_sided)


def level_of_all(correlation: Floats, df: float, level: float) -> float:
    """Return the two-sided p value of each of several comparisons at which all together reach a level.

    Parameters
    ----------
    correlation : array of shape (comparisons, comparisons)
        Of the estimates.
    df : float
        Degrees of freedom of the common error.
    level : float
        Two-sided, of all together, such as 0.05.
    """
    from scipy.special import stdtr

    return 2 * float(stdtr(df, -edge_of_all(correlation, df, 1 - level)))


@lru_cache(maxsize=64)
def _edge_of_all(
    correlation: tuple[tuple[float, ...], ...], df: float, level: float, one_sided: bool
) -> float:
    """`edge_of_all`, found once for all responses of a design and for every edit of their readings."""
    from scipy.optimize import brentq
    from scipy.special import stdtrit

    tail = 1 - level if one_sided else (1 - level) / 2
    # Between one comparison alone and as many that know nothing of each other (Bonferroni).
    low, high = float(stdtrit(df, 1 - tail)), float(stdtrit(df, 1 - tail / len(correlation)))
    if len(correlation) == 1:
        return low
    drawn = _drawn(np.array(correlation))
    largest = (drawn if one_sided else np.abs(drawn)).max(axis=1)

    def missing(limit: float) -> float:
        return _within(limit, largest, df) - level

    # The chance is known to four digits: at the ends it may lie on the wrong side by as much.
    return float(brentq(missing, 0.95 * low, 1.05 * high, xtol=1e-4))


def simultaneous(
    estimates: Sequence[float], errors: Sequence[float], correlation: Floats, df: float
) -> list[Interval]:
    """Return 95 % intervals that hold all together, in the unit of the estimates.

    Parameters
    ----------
    estimates, errors : sequence of float
        Of each comparison, and its standard error, in the response's unit.
    correlation : array of shape (comparisons, comparisons)
        Of the estimates.
    df : float
        Degrees of freedom of the common error.
    """
    edge = edge_of_all(correlation, df)
    return [(one - edge * error, one + edge * error) for one, error in zip(estimates, errors, strict=True)]


def may_be_best(means: Floats, covariance: Floats, df: float, sign: float) -> list[bool]:
    """Say which of several arms may be the best one, with 95 % confidence.

    Parameters
    ----------
    means : array of shape (arms,)
        In the response's unit.
    covariance : array of shape (arms, arms)
        Of the means, in the unit squared.
    df : float
        Degrees of freedom of the error behind it.
    sign : float
        1 where more is better, −1 where less is.

    Returns
    -------
    list of bool
        Multiple comparisons with the best (Hsu 1984, from memory): an arm is left out where some other
        is better by more than all its differences together may show by luck.
    """
    count = len(means)
    found = []
    for arm in range(count):
        others = [other for other in range(count) if other != arm]
        weights = np.zeros((len(others), count))
        weights[np.arange(len(others)), others] = 1.0
        weights[:, arm] = -1.0
        spread = weights @ covariance @ weights.T
        errors = np.sqrt(np.maximum(np.diag(spread), 1e-300))
        behind = float(np.max(sign * (weights @ means) / errors))
        within = chance_all_within(behind, spread / np.outer(errors, errors), df, one_sided=True)
        found.append(within <= 0.95)
    return found
