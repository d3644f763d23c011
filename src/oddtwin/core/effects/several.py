"""Several arms at once: all against one, and which of them may be the best."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval

POINTS: Final = 20_000
"""Most points of the integral over several arms; more change the fourth digit at most."""


def chance_all_within(limit: float, correlation: Floats, df: float, one_sided: bool = False) -> float:
    """Return the chance that several t statistics with one error all stay within a limit.

    Parameters
    ----------
    limit : float
        Of each, zero or more.
    correlation : array of shape (comparisons, comparisons)
        Of the estimates.
    df : float
        Degrees of freedom of the common error.
    one_sided : bool
        Whether only values above the limit are outside.

    Returns
    -------
    float
        Multivariate t (Dunnett 1955), by the library's integral with fixed draws: the same figures
        always.
    """
    # Responses of one study have one design, so that its integrals are worked out once.
    shape = tuple(map(tuple, correlation.round(7).tolist()))
    return _within(float(limit), shape, df, one_sided)


@lru_cache(maxsize=4096)
def _within(limit: float, correlation: tuple[tuple[float, ...], ...], df: float, one_sided: bool) -> float:
    from scipy.special import stdtr
    from scipy.stats import multivariate_t

    count = len(correlation)
    if not math.isfinite(limit):
        return 1.0
    if count == 1:
        upper = float(stdtr(df, limit))
        return upper if one_sided else 2 * upper - 1
    found = multivariate_t.cdf(
        np.full(count, limit),
        shape=np.array(correlation),
        df=max(1, int(df)),
        allow_singular=True,
        lower_limit=None if one_sided else np.full(count, -limit),
        maxpts=POINTS,
        random_state=np.random.default_rng(1),
    )
    return float(min(1.0, max(0.0, found)))


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
    found, least = [0.0] * len(order), 0.0
    for place, one in enumerate(order):
        left = order[place:]
        within = chance_all_within(abs(statistics[one]), correlation[np.ix_(left, left)], df)
        least = max(least, 1 - within)
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
    from scipy.optimize import brentq
    from scipy.special import stdtrit

    tail = 1 - level if one_sided else (1 - level) / 2
    # Between one comparison alone and as many that know nothing of each other (Bonferroni).
    low, high = float(stdtrit(df, 1 - tail)), float(stdtrit(df, 1 - tail / len(correlation)))
    if len(correlation) == 1:
        return low

    def missing(limit: float) -> float:
        return chance_all_within(limit, correlation, df, one_sided) - level

    # The integral is known to four digits: at the ends it may lie on the wrong side by as much.
    return float(brentq(missing, 0.98 * low, 1.02 * high, xtol=1e-4))


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
