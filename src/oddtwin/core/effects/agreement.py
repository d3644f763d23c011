"""Agreement of two ways to get one figure: predicted and measured minutes or grams.

Bland and Altman, Statistical methods for assessing agreement between two methods of
clinical measurement, Lancet 1986;i:307-310 (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.language import tr

Z: Final = 1.96
LEVEL: Final = 0.05
"""Share of sets without an odd pair in which one is named all the same."""

FEWEST: Final = 4
"""Runs from which on one can be called outside of the others."""


@dataclass(frozen=True, slots=True)
class Agreement:
    """Bias and limits of agreement of differences (measured − predicted), all in their unit.

    Parameters
    ----------
    n : int
        Pairs.
    bias : float
        Mean difference.
    sd : float or None
        Standard deviation of the differences; None of a single one.
    lower, upper : float or None
        Limits of agreement, bias ± 1.96 sd.
    bias_ci95, lower_ci95, upper_ci95 : (float, float) or None
        95 % intervals of these three.
    trend, trend_p : float or None
        Correlation of the differences with the means, and its p value: where it is not chance,
        one pair of limits does not fit small and large alike. None with fewer than three pairs, or
        where nothing varies.
    outside : tuple of int
        Places of the pairs that lie outside of what all others let expect.
    """

    n: int
    bias: float
    sd: float | None
    lower: float | None
    upper: float | None
    bias_ci95: tuple[float, float] | None
    lower_ci95: tuple[float, float] | None
    upper_ci95: tuple[float, float] | None
    trend: float | None
    trend_p: float | None
    outside: tuple[int, ...]


def limits_of_agreement(predicted: Sequence[float], measured: Sequence[float]) -> Agreement:
    """Return bias and limits of agreement.

    Parameters
    ----------
    predicted, measured : sequence of float, shape (n,)
        The same figure of the same runs, in one unit.

    Returns
    -------
    Agreement
        The standard error of a limit is s·√(1/n + 1.96²/(2(n − 1))). One in twenty healthy pairs
        lies outside of the limits; named is only a pair whose externally studentised residual
        exceeds t at .05/n, so that of all sets without an odd pair one in twenty has one named
        (Cook and Weisberg 1982, Residuals and Influence in Regression, 2.2.2; from memory).

    Raises
    ------
    ValueError
        There is no pair, or the lengths differ, or a figure is not finite.
    """
    from scipy.special import stdtrit

    if len(predicted) != len(measured) or not len(predicted):
        raise ValueError(tr("give one measured figure for every predicted one, and at least one of them"))
    difference = np.asarray(measured, np.float64) - np.asarray(predicted, np.float64)
    if not np.isfinite(difference).all():
        raise ValueError(tr("every figure must be a finite number"))
    n = len(difference)
    bias = float(difference.mean())
    if n == 1:
        return Agreement(1, bias, None, None, None, None, None, None, None, None, ())
    sd = float(difference.std(ddof=1))
    t = float(stdtrit(n - 1, 0.975))
    of_bias = t * sd / math.sqrt(n)
    # A limit is less sure than the bias: the standard deviation behind it is estimated too (Bland and Altman
    # 1986, the exact form of their approximation, from memory).
    of_limit = t * sd * math.sqrt(1 / n + Z**2 / (2 * (n - 1)))
    lower, upper = bias - Z * sd, bias + Z * sd
    return Agreement(
        n,
        bias,
        sd,
        lower,
        upper,
        (bias - of_bias, bias + of_bias),
        (lower - of_limit, lower + of_limit),
        (upper - of_limit, upper + of_limit),
        *_trend((np.asarray(predicted) + np.asarray(measured)) / 2, difference),
        tuple(k for k in range(n) if n >= FEWEST and _is_outside(difference, k)),
    )


def _trend(mean: np.ndarray, difference: np.ndarray) -> tuple[float | None, float | None]:
    """Return Pearson's correlation and its two-sided p value, by Student's t."""
    from scipy.special import stdtr

    n = len(mean)
    spread = float(mean.std()) * float(difference.std())
    if n < 3 or spread <= 1e-12 * max(1.0, float(np.abs(mean).max())):
        return None, None
    r = float(np.clip(((mean - mean.mean()) * (difference - difference.mean())).mean() / spread, -1, 1))
    if abs(r) == 1:
        return r, 0.0
    t = abs(r) * math.sqrt((n - 2) / (1 - r * r))
    return r, float(2 * stdtr(n - 2, -t))


def _is_outside(difference: np.ndarray, place: int) -> bool:
    from scipy.special import stdtrit

    # Against the others without it: one wild run widens limits that it is part of, and would hide behind
    # them.
    others = np.delete(difference, place)
    n = len(difference)
    # Asked of every pair: the level is shared among them (Bonferroni).
    t = float(stdtrit(n - 2, 1 - LEVEL / (2 * n)))
    reach = t * others.std(ddof=1) * math.sqrt(1 + 1 / (n - 1))
    # Readings are rounded: what differs by less is not outside.
    smallest = 1e-6 * max(1.0, float(np.abs(difference).max()))
    return bool(abs(difference[place] - others.mean()) > max(reach, smallest))
