"""A figure of an arm with its interval."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Interval

MONEY: Final = "money"


DEAREST: Final = 5.0
"""Filament is looked at up to so many times its price of today."""


@dataclass(frozen=True, slots=True)
class Figure:
    """A mean of the prints of an arm, with its 95 % interval by Student's t; None of a single print."""

    value: float
    ci95: Interval | None
    n: int


def noise_of(read: Sequence[Sequence[float]]) -> float:
    """Return what the means of two like arms differ by in 19 of 20: ties within it are noise."""
    some = [np.asarray(one) for one in read if len(one) > 1]
    df = sum(len(one) - 1 for one in some)
    if not df:
        return 0.0
    from scipy.special import stdtrit

    sd = math.sqrt(sum(float(((one - one.mean()) ** 2).sum()) for one in some) / df)
    n = sum(len(one) for one in some) / len(some)
    return float(stdtrit(df, 0.975)) * sd * math.sqrt(2 / n)


def mean_figure(read: Sequence[float]) -> Figure:
    """Return the mean of some prints with its 95 % interval by Student's t.

    Parameters
    ----------
    read : sequence of float
        One at least, in the unit of the figure.
    """
    values = np.asarray(read)
    mean, n = float(values.mean()), len(values)
    if n < 2:
        return Figure(mean, None, n)
    from scipy.special import stdtrit

    reach = float(stdtrit(n - 1, 0.975)) * float(values.std(ddof=1)) / math.sqrt(n)
    return Figure(mean, (mean - reach, mean + reach), n)
