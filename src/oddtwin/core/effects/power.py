"""Chances of t tests and intervals, from the noncentral t distribution."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

import numpy as np

from oddtwin.core.arrays import Floats


def chance_different(
    difference: float, standard_error: float, df: float, critical: float | None = None
) -> float:
    """Chance that the two-sided 5 % t test finds a difference (both tails).

    Parameters
    ----------
    difference, standard_error : float
        True difference and its standard error, in the response's unit.
    df : float
        Degrees of freedom of the standard error.
    critical : float, optional
        Size from which on the t statistic tells a difference; t(0.975, df) by default.
    """
    edge = _t(0.975, df) if critical is None else critical
    shift = difference / standard_error
    return _chance(_tail(shift, edge, df) + _tail(-shift, edge, df))


def chance_beyond(distance: float, standard_error: float, df: float, critical: float | None = None) -> float:
    """Chance that a 95 % interval lies wholly on the far side of a limit.

    Parameters
    ----------
    distance : float
        From the limit to the true difference, in the response's unit; below zero where the
        difference does not reach it.
    standard_error : float
        Of the difference, in the same unit, above zero.
    df : float
        Its degrees of freedom.
    critical : float, optional
        Half the interval in standard errors; t(0.975, df) by default.

    Returns
    -------
    float
        1 − F(t(0.975, df); df, distance/standard_error), F the noncentral t.
    """
    edge = _t(0.975, df) if critical is None else critical
    return _chance(_tail(distance / standard_error, edge, df))


def chance_inside(
    difference: float, margin: float, standard_error: float, df: float, critical: float | None = None
) -> float:
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
    critical : float, optional
        Half the interval in standard errors; t(0.95, df) by default.

    Returns
    -------
    float
        Exact power: the normal probability given the sample standard deviation,
        integrated over that deviation's chi distribution (the integral that Owen's Q
        functions express; Phillips 1990, from memory).
    """
    from scipy.special import ndtr

    edge = _t(0.95, df) if critical is None else critical
    if not math.isfinite(edge):
        return 0.0
    # Ratio of sample to true standard deviation; wider ratios leave no room inside.
    widest = margin / (edge * standard_error)

    def room(ratio: Floats) -> Floats:
        between = ndtr((margin - difference) / standard_error - edge * ratio) - ndtr(
            (-margin - difference) / standard_error + edge * ratio
        )
        return np.maximum(between, 0)

    return over_scatter(room, df, widest)


def _t(level: float, df: float) -> float:
    from scipy.special import stdtrit

    return float(stdtrit(df, level))


def _chance(value: float) -> float:
    return min(1.0, max(0.0, value))


def _tail(shift: float, edge: float, df: float) -> float:
    """Chance that a noncentral t with a shift lies above an edge."""
    from scipy.special import nctdtr, ndtr

    if not math.isfinite(edge):
        return 0.0
    # Far out the noncentral t of the library loses its footing; there the answer is one to all digits.
    if shift > 1e3 * max(1.0, edge):
        return 1.0
    # For a negative shift the tail is the small difference of numbers near one; it is integrated instead.
    found = 1 - float(nctdtr(df, shift, edge)) if shift >= 0 else math.nan
    if math.isfinite(found):
        return found
    return over_scatter(lambda ratio: ndtr(shift - edge * ratio), df)


def over_scatter(chance: Callable[[Floats], Floats], df: float, widest: float = math.inf) -> float:
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

    # The integral stops where what is left out cannot be seen in any figure that is shown.
    ends = [math.sqrt(float(chdtri(df, tail)) / df) for tail in (1 - 1e-13, 1e-13)]
    low, high = ends[0], min(ends[1], widest)
    if not high > low:
        return 0.0
    nodes, weights = gauss_legendre()
    ratio = low + (high - low) * (nodes + 1) / 2
    # By its logarithm: at large degrees of freedom the factors overflow, though the density does not.
    log_density = (
        math.log(2) + df / 2 * math.log(df / 2) - float(gammaln(df / 2))
        + (df - 1) * np.log(ratio) - df * ratio**2 / 2
    )  # fmt: skip
    total = float(np.sum(weights * np.exp(log_density) * chance(ratio)) * (high - low) / 2)
    return min(1.0, max(0.0, total))


@lru_cache(maxsize=1)
def gauss_legendre() -> tuple[Floats, Floats]:
    """Return nodes between −1 and 1 and their weights."""
    return np.polynomial.legendre.leggauss(120)
