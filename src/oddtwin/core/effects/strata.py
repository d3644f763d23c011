"""Two groups on several machines and pieces: what these differ by is taken out first."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats


class Adjusted(NamedTuple):
    """Values without what their machine and piece differ by.

    Parameters
    ----------
    values : array of shape (studies, prints)
        Their means differ by what the arms differ by within the same machine and piece.
    strata : array of shape (studies,)
        How many machines and pieces were taken out, one where nothing was.
    spread : array of shape (studies,)
        Standard error of the difference in that of as many prints on one.
    """

    values: Floats
    strata: NDArray[np.int64]
    spread: Floats


def adjusted(values: Floats, is_change: NDArray[np.bool_], places: NDArray[np.int64]) -> Adjusted:
    """Fit an effect of the arm and one of each place by least squares, and take the places out.

    Parameters
    ----------
    values : array of shape (studies, prints)
        NaN where a print was lost.
    is_change : array of shape (prints,)
        On which side each stands.
    places : array of shape (prints,)
        Number of the machine and piece of each.

    Returns
    -------
    Adjusted
        As they came where no place holds both arms: then place and arm cannot be told apart.
    """
    there = np.isfinite(values)
    filled = np.where(there, values, 0.0)
    one_hot = (places[:, None] == np.unique(places)).astype(np.float64)
    counts = [(there & side) @ one_hot for side in (~is_change, is_change)]
    sums = [(filled * side) @ one_hot for side in (~is_change, is_change)]
    both = counts[0] + counts[1]
    weights = counts[0] * counts[1] / np.maximum(both, 1)
    total = weights.sum(axis=1)
    means = [part / np.maximum(count, 1) for part, count in zip(sums, counts, strict=True)]
    fits = total > 0
    effect = (weights * (means[1] - means[0])).sum(axis=1) / np.where(fits, total, 1.0)
    place = (sums[0] + sums[1] - effect[:, None] * counts[1]) / np.maximum(both, 1)
    number = (both > 0).sum(axis=1)
    fits &= number > 1
    # About the mean of all places, so that figures stay of the size that they are.
    off = (place @ one_hot.T) - (place * both).sum(axis=1, keepdims=True) / np.maximum(
        both.sum(axis=1, keepdims=True), 1
    )
    plain = 1 / np.maximum(counts[0].sum(axis=1), 1) + 1 / np.maximum(counts[1].sum(axis=1), 1)
    return Adjusted(
        np.where(fits[:, None], values - off, values),
        np.where(fits, number, 1),
        np.where(fits, np.sqrt(1 / np.where(fits, total, 1.0) / plain), 1.0),
    )
