"""The scatter of prints that were made once each, told by the effects themselves: most of them are nothing.

Lenth 1989, Quick and easy analysis of unreplicated factorials (formulas from memory): s₀ is 1.5 times the
median size of all effects, the pseudo standard error 1.5 times the median of those below 2.5 s₀; a third of
their number are its degrees of freedom.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from functools import lru_cache
from itertools import combinations
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats

FEWEST: Final = 7
"""Effects below which there are too few to tell which are nothing."""
MOST_FACTORS: Final = 11
SIMULATED: Final = 20_000


def pseudo_error(effects: Floats) -> Floats:
    """Return Lenth's pseudo standard error of an effect.

    Parameters
    ----------
    effects : array of shape (studies, effects)
        Every effect of a saturated design, in the response's unit.

    Returns
    -------
    array of shape (studies,)
        In the same unit; zero where more than half of the effects are zero.
    """
    sizes = np.abs(effects)
    first = 1.5 * np.median(sizes, axis=1, keepdims=True)
    # What is plainly an effect tells nothing of the scatter.
    small = np.where((sizes < 2.5 * first) | (first == 0), sizes, np.nan)
    found: Floats = 1.5 * np.nanmedian(small, axis=1)
    return found


def pseudo_df(effects: int) -> float:
    """Return the degrees of freedom of the pseudo standard error of so many effects."""
    return effects / 3


def every_effect(levels: Mapping[str, Sequence[int]]) -> dict[str, tuple[float, ...]] | None:
    """Return the sign of every arm in every effect of a two-level design.

    Parameters
    ----------
    levels : mapping of str to sequence of int
        0 or 1 for each factor, by arm.

    Returns
    -------
    dict of str to tuple of float, or None
        As many effects as arms less one, main effects first; what a fraction mixes is one effect. None
        where the arms are no regular two-level design, or have fewer than seven effects.
    """
    arms = list(levels)
    count, factors = len(arms), len(levels[arms[0]]) if arms else 0
    if count & (count - 1) or count - 1 < FEWEST or not 1 <= factors <= MOST_FACTORS:
        return None
    signs = np.array([[2.0 * level - 1 for level in levels[arm]] for arm in arms])
    found: dict[tuple[float, ...], None] = {}
    for size in range(1, factors + 1):
        for some in combinations(range(factors), size):
            column = signs[:, some].prod(axis=1)
            # A word and its alias have one column, up to the sign.
            key = tuple((column * column[0]).tolist())
            if abs(sum(key)) < count:
                found.setdefault(key)
        if len(found) >= count - 1:
            break
    columns = np.array(list(found))
    if len(columns) != count - 1 or np.abs(columns @ columns.T - count * np.eye(count - 1)).max() > 0:
        return None
    return {arm: tuple(columns[:, place].tolist()) for place, arm in enumerate(arms)}


@lru_cache(maxsize=256)
def chances_by_effects(
    effects: int, size: float, edge: float, inner: float, margin: float
) -> tuple[float, float, float]:
    """Return the chances that one of several effects is shown by the others.

    Parameters
    ----------
    effects : int
        How many there are; all others are nothing.
    size : float
        Of the one, in true standard errors of an effect, zero or more.
    edge, inner : float
        How many pseudo standard errors the two intervals reach.
    margin : float
        In true standard errors of an effect; infinite without one.

    Returns
    -------
    tuple of float
        That it differs, lies beyond the margin, and lies inside it; from 20 000 simulated designs, for the
        pseudo standard error has no distribution that is known.
    """
    # A seed of the design alone: the same plan always promises the same.
    drawn = np.random.default_rng(effects).normal(0.0, 1.0, (SIMULATED, effects))
    drawn[:, 0] += size
    error = pseudo_error(drawn)
    own = drawn[:, 0]
    differs = np.mean(np.abs(own) > edge * error)
    beyond = np.mean(own - edge * error >= margin) if math.isfinite(margin) else differs
    inside = np.mean(np.abs(own) + inner * error < margin) if math.isfinite(margin) else 0.0
    return float(differs), float(beyond), float(inside)
