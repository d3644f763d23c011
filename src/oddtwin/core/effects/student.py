"""A difference with its standard error, judged by Student's t."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval

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

    def p_beyond(self, margin: float) -> float:
        """Return the one-sided p value against a difference no larger than a margin.

        Parameters
        ----------
        margin : float
            In the response's unit, above zero.
        """
        return self._upper_tail((abs(self.difference) - margin) / self.standard_error)

    def _upper_tail(self, t: float) -> float:
        from scipy.special import stdtr

        return float(stdtr(self.df, -t))


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
