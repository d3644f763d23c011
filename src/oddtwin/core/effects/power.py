"""How many further pairs would settle it, from the noncentral t distribution."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

SETTLING_CHANCE: Final = 0.8
"""Chance of a settled verdict that the number of further pairs is chosen for."""

CERTAIN: Final = 1e6
"""A distance of more standard errors than this is never missed, whatever the degrees of freedom."""

MOST_FURTHER_PAIRS: Final = 1000
"""Beyond this many the answer is that more prints are not the way."""


def chance_beyond(distance: float, standard_error: float, df: float) -> float:
    """Chance that a 95 % interval lies wholly on the far side of a limit.

    Parameters
    ----------
    distance : float
        From the limit to the true difference, in the response's unit, zero or more.
    standard_error : float
        Of the difference, in the same unit, above zero.
    df : float
        Its degrees of freedom.

    Returns
    -------
    float
        1 − F(t(0.975, df); df, distance/standard_error), F the noncentral t.
    """
    from scipy.special import nctdtr, stdtrit

    if distance > CERTAIN * standard_error:
        return 1.0
    critical = float(stdtrit(df, 0.975))
    return 1.0 - float(nctdtr(df, distance / standard_error, critical))


def chance_inside(difference: float, margin: float, standard_error: float, df: float) -> float:
    """Chance that the 90 % interval lies inside ±margin (power of the two one-sided tests).

    Parameters
    ----------
    difference : float
        True difference, in the response's unit.
    margin : float
        In the same unit, above zero.
    standard_error : float
        Of the difference, in the same unit, above zero.
    df : float
        Its degrees of freedom.

    Returns
    -------
    float
        Exact power: the normal probability given the sample standard deviation,
        integrated over that deviation's chi distribution (the integral that Owen's Q
        functions express; Phillips 1990, from memory).
    """
    from scipy.special import ndtr, stdtrit

    critical = float(stdtrit(df, 0.95))
    if not math.isfinite(critical):
        return 0.0
    # Ratio of sample to true standard deviation; wider ratios leave no room inside.
    widest = margin / (critical * standard_error)

    def room(ratio: NDArray[np.float64]) -> NDArray[np.float64]:
        between = ndtr((margin - difference) / standard_error - critical * ratio) - ndtr(
            (-margin - difference) / standard_error + critical * ratio
        )
        return np.maximum(between, 0)

    return over_scatter(room, df, widest)


def over_scatter(
    chance: Callable[[NDArray[np.float64]], NDArray[np.float64]], df: float, widest: float = math.inf
) -> float:
    """Average a chance over the sample standard deviation that a study may happen to have.

    Parameters
    ----------
    chance : callable
        Takes ratios of sample to true standard deviation, of shape (nodes,); returns the chance
        given each.
    df : float
        Degrees of freedom of the sample standard deviation.
    widest : float
        Beyond this ratio the chance is zero.

    Returns
    -------
    float
        Integral over the chi distribution (Gauss and Legendre, 120 nodes), from 0 to 1.
    """
    from scipy.special import chdtri, gammaln

    ends = [math.sqrt(float(chdtri(df, tail)) / df) for tail in (1 - 1e-13, 1e-13)]
    low, high = ends[0], min(ends[1], widest)
    if not high > low:
        return 0.0
    nodes, weights = _gauss_legendre()
    ratio = low + (high - low) * (nodes + 1) / 2
    log_density = (
        math.log(2) + df / 2 * math.log(df / 2) - float(gammaln(df / 2))
        + (df - 1) * np.log(ratio) - df * ratio**2 / 2
    )  # fmt: skip
    total = float(np.sum(weights * np.exp(log_density) * chance(ratio)) * (high - low) / 2)
    return min(1.0, max(0.0, total))


@lru_cache(maxsize=1)
def _gauss_legendre() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    return np.polynomial.legendre.leggauss(120)


def further_pairs(
    estimate: float,
    margin: float | None,
    differs: bool,
    design: Callable[[int], tuple[float, float] | None],
) -> int | None:
    """Number of further pairs that would take the verdict on with 80 % chance.

    Parameters
    ----------
    estimate : float
        Difference seen so far, taken as the true one, in the response's unit.
    margin : float or None
        Smallest difference that matters, in the same unit.
    differs : bool
        Whether it is settled already that there is a difference.
    design : callable
        Takes a number of further pairs; returns the standard error of the difference
        and its degrees of freedom with them, the scatter staying as it is; None where
        that many are still too few to judge.

    Returns
    -------
    int or None
        Smallest number with at least 80 % chance: where a difference is settled, that
        the 95 % interval lies beyond the margin (an estimate outside it) or the 90 %
        interval inside (an estimate inside it); where it is not, that the 95 % interval
        excludes zero or the 90 % interval lies inside the margin, whichever comes
        first. None where 1 000 further pairs would not do.
    """
    size = abs(estimate)

    def chance(extra: int) -> float:
        planned = design(extra)
        if planned is None:
            return 0.0
        standard_error, df = planned
        inside = chance_inside(size, margin, standard_error, df) if margin and size < margin else 0.0
        if margin and differs:
            return chance_beyond(size - margin, standard_error, df) if size > margin else inside
        return max(inside, chance_beyond(size, standard_error, df))

    enough = 1
    while chance(enough) < SETTLING_CHANCE:
        enough *= 2
        if enough > MOST_FURTHER_PAIRS:
            return None
    short = enough // 2
    while enough - short > 1:
        middle = (enough + short) // 2
        short, enough = (short, middle) if chance(middle) >= SETTLING_CHANCE else (middle, enough)
    return enough
