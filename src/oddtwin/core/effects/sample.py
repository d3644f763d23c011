"""Machines, or pieces, as a sample: what they say together, and of the next one."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from oddtwin.core.arrays import Floats, Interval


@dataclass(frozen=True, slots=True)
class Across:
    """Effects of several machines taken together.

    Parameters
    ----------
    mean : float
        Effect of the machines on average, in the response's unit.
    ci95 : tuple of float
        Its 95 % interval.
    between : float
        Variance of the machines' own effects, in the unit squared.
    next95 : tuple of float
        Where the effect on the next machine lies, with 95 % chance.
    """

    mean: float
    ci95: Interval
    between: float
    next95: Interval


def across(estimates: Sequence[float], errors: Sequence[float]) -> Across | None:
    """Take the effects of several machines for a sample of all machines.

    Parameters
    ----------
    estimates : sequence of float
        Effect on each, in the response's unit.
    errors : sequence of float
        Their standard errors, in the same unit; those that are not known are left out.

    Returns
    -------
    Across or None
        None with fewer than two. The variance between machines by restricted maximum likelihood, the
        interval by Knapp and Hartung (2003; from memory) with machines − 1 degrees of freedom.
    """
    from scipy.special import stdtrit

    known = [(one, error) for one, error in zip(estimates, errors, strict=True) if 0 < error < math.inf]
    if len(known) < 2:
        return None
    values, variances = (
        np.array(column) for column in zip(*((one, error**2) for one, error in known), strict=True)
    )
    # The plain likelihood takes the mean for known, and makes few machines more alike than they are.
    between = _restricted(values, variances)
    weights = 1 / (variances + between)
    mean = float(np.sum(weights * values) / weights.sum())
    df = len(values) - 1
    # By how the machines really scatter about the mean: the usual error takes the variance between them for
    # known, and is far too small for three.
    error2 = float(np.sum(weights * (values - mean) ** 2) / (df * weights.sum()))
    edge = float(stdtrit(df, 0.975))
    half, ahead = edge * math.sqrt(error2), edge * math.sqrt(error2 + between)
    return Across(mean, (mean - half, mean + half), between, (mean - ahead, mean + ahead))


def _restricted(values: Floats, variances: Floats) -> float:
    """Variance between the machines that is likeliest once their mean is taken out; zero at least."""
    between = max(0.0, float(values.var(ddof=1) - variances.mean()))
    for _ in range(200):
        weights = 1 / (variances + between)
        total = weights.sum()
        mean = np.sum(weights * values) / total
        # Fisher's scoring on the restricted likelihood.
        score = np.sum(weights**2 * (values - mean) ** 2) - weights.sum() + np.sum(weights**2) / total
        information = np.sum(weights**2) - 2 * np.sum(weights**3) / total + (np.sum(weights**2) / total) ** 2
        moved = max(0.0, between + float(score / information))
        if abs(moved - between) <= 1e-12 * (1e-300 + between):
            return moved
        between = moved
    return between
