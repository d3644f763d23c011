"""Differences judged with Student's t: paired, unpaired, or by the noise floor."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.effects.noise import SMALLEST, NoiseFloor

NO_SCATTER: Final = 1e-9
"""Scatter smaller than this share of the values is rounding, not scatter."""


@dataclass(frozen=True, slots=True)
class StudentEstimate:
    """A difference with its standard error and degrees of freedom.

    Parameters
    ----------
    difference : float
        Change minus baseline, in the response's unit.
    standard_error : float
        Of the difference, in the same unit, above zero.
    df : float
        Degrees of freedom of the standard error, above zero.
    method : str
        Name of the method, as shown to the user.
    """

    difference: float
    standard_error: float
    df: float
    method: str

    def interval(self, confidence: float) -> Interval:
        """Return the two-sided confidence interval.

        Parameters
        ----------
        confidence : float
            For example 0.95.
        """
        low, high = t_interval(self.difference, self.standard_error, self.df, confidence)
        return float(low), float(high)

    def p_difference(self) -> float:
        """Return the two-sided p value for no difference at all."""
        return 2 * self._upper_tail(abs(self.difference) / self.standard_error)

    def p_equivalence(self, margin: float) -> float:
        """Return the p value of the two one-sided tests against ±margin.

        Parameters
        ----------
        margin : float
            Smallest difference that matters, in the response's unit, above zero.

        Notes
        -----
        Schuirmann (1987), J. Pharmacokinet. Biopharm. 15:657; from memory. Below
        0.05 exactly when the 90 % interval lies inside ±margin.
        """
        return self._upper_tail((margin - abs(self.difference)) / self.standard_error)

    def _upper_tail(self, t: float) -> float:
        from scipy.special import stdtr

        return float(stdtr(self.df, -t))


def paired_t(differences: Floats) -> StudentEstimate | None:
    """Estimate a mean difference from pairs (Student's paired t).

    Parameters
    ----------
    differences : array of shape (pairs,)
        Change minus baseline for each pair, in the response's unit.

    Returns
    -------
    StudentEstimate or None
        None with fewer than two pairs or without scatter between them.
    """
    n = len(differences)
    if n < 2 or not scatters(differences):
        return None
    difference, standard_error = paired_moments(differences)
    return StudentEstimate(float(difference), float(standard_error), n - 1, "paired t")


def paired_moments(differences: Floats) -> tuple[Floats, Floats]:
    """Return the mean difference and its standard error, of one study or of many at once.

    Parameters
    ----------
    differences : array of shape (..., pairs)
        Change minus baseline for each pair, two or more, in the response's unit.

    Returns
    -------
    tuple of arrays of shape (...)
    """
    n = differences.shape[-1]
    return differences.mean(axis=-1), differences.std(axis=-1, ddof=1) / math.sqrt(n)


def welch_moments(mean: Floats, variance: Floats, count: Floats) -> tuple[Floats, Floats, Floats]:
    """Return difference, standard error and degrees of freedom by Welch, of one study or many.

    Parameters
    ----------
    mean, variance, count : arrays of shape (2, ...)
        Of the prints of the baseline and of the change; variances with n − 1.

    Returns
    -------
    tuple of arrays of shape (...)
    """
    parts = variance / count
    total = parts.sum(axis=0)
    df = total**2 / (parts**2 / (count - 1)).sum(axis=0)
    return mean[1] - mean[0], np.sqrt(total), df


def noise_error(sd: float | Floats, n_baseline: int | Floats, n_change: int | Floats) -> Floats:
    """Return the standard error of a difference of means from the noise floor of one print."""
    error: Floats = sd * np.sqrt(1 / np.asarray(n_baseline) + 1 / np.asarray(n_change))
    return error


def t_interval(
    difference: float | Floats, standard_error: float | Floats, df: float | Floats, confidence: float
) -> tuple[Floats, Floats]:
    """Return the ends of Student's two-sided interval, of one study or of many at once.

    Parameters
    ----------
    difference, standard_error, df : float or arrays of one shape
        In the response's unit; degrees of freedom above zero.
    confidence : float
        For example 0.95.
    """
    from scipy.special import stdtrit

    half: Floats = np.asarray(stdtrit(df, 0.5 + confidence / 2), dtype=np.float64) * standard_error
    return difference - half, difference + half


def welch_t(baseline: Floats, change: Floats) -> StudentEstimate | None:
    """Estimate a difference of means of unpaired prints (Welch's t).

    Parameters
    ----------
    baseline, change : array of shape (prints,)
        Values of the prints of each arm, in the response's unit.

    Returns
    -------
    StudentEstimate or None
        None with fewer than two prints in an arm or without scatter in both.

    Notes
    -----
    Degrees of freedom after Welch (1947) and Satterthwaite (1946); from memory.
    """
    if min(len(baseline), len(change)) < 2 or not (scatters(baseline) or scatters(change)):
        return None
    arms = (baseline, change)
    difference, standard_error, df = welch_moments(
        np.array([np.mean(arm) for arm in arms]),
        np.array([np.var(arm, ddof=1) for arm in arms]),
        np.array([len(arm) for arm in arms]),
    )
    return StudentEstimate(float(difference), float(standard_error), float(df), "Welch t")


def noise_floor_t(difference: float, n_baseline: int, n_change: int, noise: NoiseFloor) -> StudentEstimate:
    """Judge a difference by a known noise floor, for want of repeated pairs.

    Parameters
    ----------
    difference : float
        Change minus baseline, in the response's unit.
    n_baseline, n_change : int
        Prints averaged in each arm, one or more.
    noise : NoiseFloor
        Standard deviation between twins of the same response, machine and piece.
    """
    standard_error = float(noise_error(noise.sd, n_baseline, n_change))
    return StudentEstimate(difference, standard_error, noise.df, "noise floor")


def scatters(values: Floats) -> bool:
    """Whether values differ by more than rounding; without that there is no t.

    Parameters
    ----------
    values : array of shape (prints or pairs,)
        At least one, in the response's unit.
    """
    # Relative to the values: 0.1 + 0.2 and 0.3 differ in the last bit, and would give a t of any size.
    size = float(np.max(np.abs(values)))
    return float(np.ptp(values)) > max(NO_SCATTER * size, SMALLEST)
