"""What it costs to look at a study before it is finished."""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats

STUDIES: Final = 20_000
"""Simulated studies behind a price; it is known to a third of a percent."""


def price_of_looks(pairs: tuple[int, ...]) -> float:
    """Return the chance that any of several looks shows a difference where there is none.

    Parameters
    ----------
    pairs : tuple of int
        How many pairs were complete at each look; looks at fewer than two show nothing.

    Returns
    -------
    float
        From Student's t at 5 % after each look, of one study of normal numbers.
    """
    shown = tuple(sorted({count for count in pairs if count > 1}))
    return float(np.mean(_smallest_p(shown) <= 0.05)) if shown else 0.0


def level_for_looks(pairs: tuple[int, ...], chance: float = 0.05) -> float:
    """Return the p value that keeps the chance of any false difference where every look uses it.

    Parameters
    ----------
    pairs : tuple of int
        How many pairs are complete at each planned look, two or more each.
    chance : float
        That all looks together may take.
    """
    shown = tuple(sorted({count for count in pairs if count > 1}))
    return float(np.quantile(_smallest_p(shown), chance)) if shown else chance


@lru_cache(maxsize=256)
def _smallest_p(pairs: tuple[int, ...]) -> Floats:
    """The smallest two-sided p value of all looks of each study, of shape (studies,)."""
    from scipy.special import stdtr

    # One seed for all: the price of two plans is compared, and must not differ by luck.
    drawn = np.random.default_rng(17).standard_normal((STUDIES, max(pairs)))
    smallest = np.ones(STUDIES)
    for count in pairs:
        part = drawn[:, :count]
        error = part.std(axis=1, ddof=1) / np.sqrt(count)
        smallest = np.minimum(smallest, 2 * stdtr(count - 1, -np.abs(part.mean(axis=1)) / error))
    return smallest
