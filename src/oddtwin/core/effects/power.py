"""Chances of t tests and intervals, from the noncentral t distribution.

Where an edge is asked for several values at once, the chance is returned for each of them.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

import numpy as np

from oddtwin.core.arrays import Floats


def chance_different(
    difference: float, standard_error: float, df: float, edges: Floats | None = None
) -> Floats:
    """Chance that the two-sided 5 % t test finds a difference (both tails).

    Parameters
    ----------
    difference, standard_error : float
        True difference and its standard error, in the response's unit.
    df : float
        Degrees of freedom of the standard error.
    edges : array (any shape), optional
        Sizes from which on the t statistic tells a difference; t(0.975, df) by default.
    """
    edges = _t(0.975, df) if edges is None else edges
    shift = difference / standard_error
    return _chance(_tail(shift, edges, df) + _tail(-shift, edges, df))


def chance_beyond(distance: float, standard_error: float, df: float, edges: Floats | None = None) -> Floats:
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
    edges : array (any shape), optional
        Half widths of the interval, in standard errors; t(0.975, df) by default.

    Returns
    -------
    array
        1 − F(edge; df, distance/standard_error), F the noncentral t.
    """
    return _chance(_tail(distance / standard_error, _t(0.975, df) if edges is None else edges, df))


def chance_inside(
    difference: float, margin: float, standard_error: float, df: float, edges: Floats | None = None
) -> Floats:
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
    edges : array (any shape), optional
        Half widths of the interval, in standard errors; t(0.95, df) by default.

    Returns
    -------
    array
        Exact power: the normal probability given the sample standard deviation,
        integrated over that deviation's chi distribution (the integral that Owen's Q
        functions express; Phillips 1990, from memory).
    """
    from scipy.special import ndtr

    half_widths = _t(0.95, df) if edges is None else edges
    # Ratio of sample to true standard deviation; wider ratios leave no room inside.
    widest = margin / (half_widths * standard_error)

    def room(ratio: Floats) -> Floats:
        half = half_widths[..., np.newaxis] * ratio
        between = ndtr((margin - difference) / standard_error - half) - ndtr(
            (-margin - difference) / standard_error + half
        )
        return np.maximum(between, 0)

    return over_scatter(room, df, np.where(np.isfinite(half_widths), widest, 0.0))


def _t(level: float, df: float) -> Floats:
    from scipy.special import stdtrit

    return np.asarray(stdtrit(df, level))


def _chance(values: Floats) -> Floats:
    return np.clip(values, 0.0, 1.0)


def _tail(shift: float, edges: Floats, df: float) -> Floats:
    """Chance that a noncentral t with a shift lies above each edge."""
    from scipy.special import nctdtr, ndtr

    with np.errstate(invalid="ignore"):
        # For a negative shift the tail is the small difference of numbers near one; it is integrated instead.
        found = 1 - nctdtr(df, shift, edges) if shift >= 0 else np.full(edges.shape, math.nan)
    unknown = ~np.isfinite(found)
    if unknown.any():
        half = np.where(np.isfinite(edges), edges, 0.0)[..., np.newaxis]
        found = np.where(unknown, over_scatter(lambda ratio: ndtr(shift - half * ratio), df), found)
    # Far out the noncentral t of the library loses its footing; there the answer is one to all digits.
    found = np.where(shift > 1e3 * np.maximum(1.0, edges), 1.0, found)
    return np.where(np.isfinite(edges), found, 0.0)


def over_scatter(chance: Callable[[Floats], Floats], df: float, widest: float | Floats = math.inf) -> Floats:
    """Average a chance over the sample standard deviation that a study may happen to have.

    Parameters
    ----------
    chance : callable
        Takes ratios of sample to true standard deviation, of shape (…, nodes); returns the chance
        given each.
    df : float
        Degrees of freedom of the sample standard deviation.
    widest : float or array (…)
        Beyond this ratio the chance is zero.

    Returns
    -------
    array (…)
        Integral over the chi distribution (Gauss and Legendre, 120 nodes), from 0 to 1.
    """
    from scipy.special import chdtri, gammaln

    # The integral stops where what is left out cannot be seen in any figure that is shown.
    low, most = np.sqrt(chdtri(df, [1 - 1e-13, 1e-13]) / df)
    width = np.asarray(np.maximum(np.minimum(most, widest) - low, 0.0))
    nodes, weights = gauss_legendre()
    ratio = low + width[..., np.newaxis] * (nodes + 1) / 2
    # By its logarithm: at large degrees of freedom the factors overflow, though the density does not.
    log_density = (
        math.log(2) + df / 2 * math.log(df / 2) - float(gammaln(df / 2))
        + (df - 1) * np.log(ratio) - df * ratio**2 / 2
    )  # fmt: skip
    return _chance(np.sum(weights * np.exp(log_density) * chance(ratio), axis=-1) * width / 2)


@lru_cache(maxsize=2)
def gauss_legendre(count: int = 120) -> tuple[Floats, Floats]:
    """Return so many nodes between −1 and 1, and their weights."""
    return np.polynomial.legendre.leggauss(count)
