"""Comparative grades of two prints side by side, from −2 (left much better) to +2 (right much better).

A cumulative logit with thresholds that are the same on both sides (Agresti, Analysis of Ordinal Categorical
Data; from memory): P(answer ≤ k) = logit⁻¹(θₖ − (a_right − a_left) − β), θ₋ₖ = −θₖ, and β what the right
side is favoured by.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Final, NamedTuple

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.language import tr


class Grade(NamedTuple):
    """One comparative grade: item on the left, item on the right, and −2 to +2."""

    left: int
    right: int
    value: int


@dataclass(frozen=True, slots=True)
class Comparative:
    """What comparative grades say of two items.

    Parameters
    ----------
    better : float
        Log-odds by which the second is better than the first; infinite where all say so, NaN where the
        grades say nothing of it.
    ci95 : tuple of float
        By the likelihood's profile.
    p : float
        Of no difference (likelihood ratio).
    mean : float
        Of the grades, turned so that plus is for the second.
    side : float or None
        Log-odds by which the right side is favoured; infinite where all say so; None where every pair lay
        the same way round, and where nothing bounds how much better one is.
    """

    better: float
    ci95: Interval
    p: float
    mean: float
    side: float | None


FAR: Final = 15.0
"""Log-odds that stand for no bound."""
FLAT: Final = 1e-3
"""Log-likelihood: where no more is lost out there, the top has no bound, and a search stops anywhere."""
OUTWARDS: Final = np.array([-1.0, -1.0, 1.0, 1.0])
"""Which way the edges between the five answers go as the thresholds grow."""


def comparative(grades: Sequence[Grade]) -> Comparative:
    """Fit the ordinal model to grades of two items, 0 and 1.

    Parameters
    ----------
    grades : sequence of Grade
        All answers; “cannot tell” is 0.

    Raises
    ------
    ValueError
        There is no grade, or one beyond ±2.
    """
    from scipy.optimize import brentq
    from scipy.special import chdtrc, chdtri

    if not grades or any(abs(grade.value) > 2 or {grade.left, grade.right} != {0, 1} for grade in grades):
        raise ValueError(tr("give grades from −2 to +2 of two items side by side"))
    # How often each answer was given of each way round is all that the likelihood hangs on.
    counts = np.zeros((2, 5))
    for grade in grades:
        counts[grade.left, grade.value + 2] += 1
    sides = bool(counts.sum(axis=1).all())
    whole, top = _fitted(counts, sides)
    best = float(top[0])
    drop = float(chdtri(1, 0.05)) / 2

    @cache
    def lost(at: float, place: int = 0) -> float:
        return whole - _fitted(counts, sides, at, top, place)[0]

    def bounded(place: int) -> float:
        ways = [way * math.inf for way in (-1, 1) if lost(way * FAR, place) < FLAT]
        return sum(ways) if ways else float(top[place])

    # An end of the profile that lies beyond all that can be told apart is no end.
    low, high = (
        float(brentq(lambda at: lost(at) - drop, min(best, end), max(best, end), xtol=1e-6))
        if lost(end) > drop
        else math.copysign(math.inf, end)
        for end in (-FAR, FAR)
    )
    best = bounded(0)
    side = bounded(1) if sides and not math.isinf(best) else math.nan
    return Comparative(
        best,
        (low, high),
        float(chdtrc(1, max(0.0, 2 * lost(0.0)))),
        float(np.arange(-2, 3) @ (counts[0] - counts[1])) / len(grades),
        None if math.isnan(side) else side,
    )


def _fitted(
    counts: Floats, sides: bool, held: float | None = None, near: Floats | None = None, place: int = 0
) -> tuple[float, Floats]:
    """Return the greatest log-likelihood and its (better, side, inner threshold, step to the outer).

    ``held`` fixes that of the place, 0 or 1; ``near`` is where to begin.
    """
    from scipy.optimize import minimize
    from scipy.special import expit

    free = np.array([True, sides, True, True])
    values = np.array([0.0, 0.0, 0.6, 1.0]) if near is None else near.copy()
    if held is not None:
        free[place], values[place] = False, held
    turned = np.array([[1.0], [-1.0]])

    def loss(some: Floats) -> tuple[float, Floats]:
        values[free] = some
        better, side, inner, step = values.tolist()
        outer = inner + step
        edges = np.array([-np.inf, -outer, -inner, inner, outer, np.inf])
        reached = expit(edges - (better * turned + side))
        chances = np.maximum(np.diff(reached, axis=1), 1e-300)
        # How the loss moves with each inner edge: it parts two answers, and what one gains the other loses.
        share = counts / chances
        moved = (np.diff(share, axis=1) * reached[:, 1:-1] * (1 - reached[:, 1:-1])).T
        slope = np.array(
            [
                -float((moved @ turned).sum()),
                -float(moved.sum()),
                float((OUTWARDS @ moved).sum()),
                float((moved[3] - moved[0]).sum()),
            ]
        )
        return -float((counts * np.log(chances)).sum()), slope[free]

    # What goes along with a worth that has no bound must not be what stops it.
    far = 4 * FAR
    bounds = np.array([(-FAR, FAR), (-far, far), (0.0, far), (0.0, far)])[free]
    found = minimize(
        loss, values[free], jac=True, method="L-BFGS-B", bounds=bounds, options={"ftol": 1e-15, "gtol": 1e-9}
    )
    values[free] = found.x
    return -float(found.fun), values.copy()
