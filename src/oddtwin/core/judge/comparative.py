"""Comparative grades of two prints side by side, from −2 (left much better) to +2 (right much better).

A cumulative logit with thresholds that are the same on both sides (Agresti, Analysis of Ordinal Categorical
Data; from memory): P(answer ≤ k) = logit⁻¹(θₖ − (a_right − a_left) − β), θ₋ₖ = −θₖ, and β what the right
side is favoured by.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

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
        Log-odds by which the second is better than the first; infinite where all say so.
    ci95 : tuple of float
        By the likelihood's profile.
    p : float
        Of no difference (likelihood ratio).
    mean : float
        Of the grades, turned so that plus is for the second.
    side : float or None
        Log-odds by which the right side is favoured; None where every pair lay the same way round.
    """

    better: float
    ci95: Interval
    p: float
    mean: float
    side: float | None


FAR = 15.0
OUTWARDS = np.array([-1.0, -1.0, 1.0, 1.0])
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

    def below(at: float) -> float:
        return whole - _fitted(counts, sides, at, top)[0] - drop

    # An end of the profile that lies beyond all that can be told apart is no end.
    none = _fitted(counts, sides, 0.0, top)[0]
    low = brentq(below, -FAR, best, xtol=1e-4) if best > -FAR + 3 and below(-FAR) > 0 else -math.inf
    high = brentq(below, best, FAR, xtol=1e-4) if best < FAR - 3 and below(FAR) > 0 else math.inf
    if abs(best) > FAR - 3:
        best = math.copysign(math.inf, best)
    return Comparative(
        best,
        (float(low), float(high)),
        float(chdtrc(1, max(0.0, 2 * (whole - none)))),
        float(np.arange(-2, 3) @ (counts[0] - counts[1])) / len(grades),
        float(top[1]) if sides else None,
    )


def _fitted(
    counts: Floats, sides: bool, held: float | None = None, near: Floats | None = None
) -> tuple[float, Floats]:
    """Return the greatest log-likelihood and its (better, side, inner threshold, step to the outer).

    ``held`` fixes how much better, ``near`` is where to begin; thresholds are logarithms.
    """
    from scipy.optimize import minimize
    from scipy.special import expit

    free = np.array([held is None, sides, True, True])
    values = np.array([0.0, 0.0, -0.5, 0.0]) if near is None else near.copy()
    values[0] = values[0] if held is None else held
    turned = np.array([[1.0], [-1.0]])

    def loss(some: Floats) -> tuple[float, Floats]:
        values[free] = some
        better, side, inner, step = values[0], values[1], math.exp(values[2]), math.exp(values[3])
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
                float((OUTWARDS @ moved).sum()) * inner,
                float((moved[3] - moved[0]).sum()) * step,
            ]
        )
        return -float((counts * np.log(chances)).sum()), slope[free]

    bounds = np.array([(-FAR, FAR), (-FAR, FAR), (-8.0, 3.0), (-8.0, 3.0)])[free]
    found = minimize(loss, values[free], jac=True, method="L-BFGS-B", bounds=bounds, options={"ftol": 1e-12})
    values[free] = found.x
    return -float(found.fun), values.copy()
