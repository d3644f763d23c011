"""Calibration of predicted times by a machine's own logged prints."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr

FEWEST: Final = 3
SPREAD: Final = 1.3
"""The longest print must be so many times the shortest before a scale can be told from an offset."""


@dataclass(frozen=True, slots=True)
class Calibration:
    """Measured = scale × predicted + offset, in one unit of time.

    Parameters
    ----------
    scale, offset : float
        1 and 0 before anything was logged.
    scale_se, offset_se : float or None
        Their standard errors; None where they were not estimated.
    residual_sd : float or None
        Scatter of one print about the line.
    n : int
        Prints that it comes from.
    mean, spread : float
        Mean of the predicted times, and sum of their squared distances from it.
    shortest, longest : float
        Predicted times of the shortest and the longest print.
    """

    scale: float = 1.0
    offset: float = 0.0
    scale_se: float | None = None
    offset_se: float | None = None
    residual_sd: float | None = None
    n: int = 0
    mean: float = 0.0
    spread: float = 0.0
    shortest: float = 0.0
    longest: float = 0.0

    def covers(self, predicted: float) -> bool:
        """Return whether a predicted time is about as long as the logged prints, and so can be corrected."""
        return self.n > 0 and self.shortest / SPREAD <= predicted <= self.longest * SPREAD

    def predict(self, predicted: float) -> tuple[float, float | None]:
        """Return the corrected time of one print, and half its 95 % prediction interval.

        Parameters
        ----------
        predicted : float
            From the moves and waits of the file.
        """
        from scipy.special import stdtrit

        value = self.scale * predicted + self.offset
        estimated = 1 if self.scale_se is None else 2
        if self.residual_sd is None or self.n <= estimated:
            return value, None
        leverage = 1 / self.n
        if estimated == 2:
            # Far from the logged prints the slope's own uncertainty counts, and the interval opens like a
            # fan.
            leverage += (predicted - self.mean) ** 2 / self.spread
        t = float(stdtrit(self.n - estimated, 0.975))
        return value, t * self.residual_sd * math.sqrt(1 + leverage)


def calibrate(predicted: Sequence[float], measured: Sequence[float]) -> Calibration:
    """Fit scale and offset by least squares.

    Parameters
    ----------
    predicted, measured : sequence of float, shape (n,)
        Times of the same prints on one machine, in one unit.

    Returns
    -------
    Calibration
        With fewer than three prints, or prints of nearly one length, only the offset is
        estimated and the scale stays 1. A slope that is not above zero is not believed either.

    Raises
    ------
    ValueError
        The lengths differ.

    Notes
    -----
    Simple linear regression, any textbook of statistics.
    """
    if len(predicted) != len(measured):
        raise ValueError(tr("give one measured time for every predicted one"))
    x, y = np.asarray(predicted, np.float64), np.asarray(measured, np.float64)
    n = len(x)
    if not n:
        return Calibration()
    # Of prints of one length any scale fits with some offset, and the pair would be absurd for a longer
    # print.
    wide = n >= FEWEST and x.min() > 0 and x.max() >= SPREAD * x.min()
    line = _line(x, y) if wide else None
    # A line that falls is chance or a slip; then only the offset is taken from the prints.
    return line if line is not None and line.scale > 0 else _shift(x, y)


def _line(x: Floats, y: Floats) -> Calibration:
    """Fit scale and offset to three prints or more."""
    n, mean = len(x), float(x.mean())
    spread = float(((x - mean) ** 2).sum())
    scale = float(((x - mean) * (y - y.mean())).sum() / spread)
    offset = float(y.mean()) - scale * mean
    residual = math.sqrt(float(((y - scale * x - offset) ** 2).sum()) / (n - 2))
    of_scale, of_offset = residual / math.sqrt(spread), residual * math.sqrt(1 / n + mean**2 / spread)
    ends = float(x.min()), float(x.max())
    return Calibration(scale, offset, of_scale, of_offset, residual, n, mean, spread, *ends)


def _shift(x: Floats, y: Floats) -> Calibration:
    """Take the mean difference as offset, and leave the scale at 1."""
    n, mean, difference = len(x), float(x.mean()), y - x
    sd = float(difference.std(ddof=1)) if n > 1 else None
    of_offset = None if sd is None else sd / math.sqrt(n)
    spread, ends = float(((x - mean) ** 2).sum()), (float(x.min()), float(x.max()))
    return Calibration(1.0, float(difference.mean()), None, of_offset, sd, n, mean, spread, *ends)
