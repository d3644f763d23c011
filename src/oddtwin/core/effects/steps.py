"""Simulated prints of the kinds that come in steps, and chances where no formula gives them."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.by_t import StudentT
from oddtwin.core.effects.method import Measure, Method, Power, Shape, Studies, Truth
from oddtwin.core.readings import ResponseKind

SIMULATED: Final = 3000
"""Studies behind a chance that no formula gives."""

MOST_SIMULATED: Final = 16
"""Prints of a side up to which studies are simulated; beyond, t finds as much but for a few percent."""

WIDEST: Final = 4.0
"""Grades of 0 to 4 cannot differ by more."""

GRADE_MIDDLE: Final = 1.5
"""Where the baseline is taken to lie on the scale of grades."""


def in_steps(values: Floats, kind: ResponseKind, sd: float) -> Floats:
    """Bring simulated values about zero to what prints of a kind can be.

    Parameters
    ----------
    values : array
        About zero for the baseline.
    kind : ResponseKind
        Grades are whole from 0 to 4; yes where the value is above zero; counts are whole, and the
        baseline's mean is what Poisson's distribution with such a scatter has.
    sd : float
        Standard deviation of one value.
    """
    if kind is ResponseKind.GRADE:
        return np.clip(np.round(values + GRADE_MIDDLE), 0, WIDEST)
    if kind is ResponseKind.YES_NO:
        return (values > 0).astype(np.float64)
    return np.maximum(np.round(values + sd**2), 0.0) if kind is ResponseKind.COUNT else values


@lru_cache(maxsize=1024)
def simulated_power(method: Method, shape: Shape, truth: Truth) -> Power:
    """Return the chances of a shape from simulated studies; of many prints those of t.

    Parameters
    ----------
    method : Method
        That judges them.
    shape : Shape
        Of their prints.
    truth : Truth
        What is taken for true.
    """
    if max(shape.pairs, shape.fewest) > MOST_SIMULATED:
        return StudentT().chances(replace(shape, kind=ResponseKind.QUANTITY), truth)
    # A seed of the shape alone: the same plan always promises the same, whatever was asked before it.
    rng = np.random.default_rng(shape.pairs + 100 * shape.n_baseline + 10_000 * shape.n_change)
    counts = [shape.pairs] * 2 if shape.pairs else [shape.n_baseline, shape.n_change]
    base, change = (
        in_steps(rng.normal(shift, truth.sd, (SIMULATED, count)), shape.kind, truth.sd)
        for count, shift in zip(counts, (0.0, abs(truth.difference)), strict=True)
    )
    pairs = change - base if shape.pairs else np.empty((SIMULATED, 0))
    nothing = np.zeros(SIMULATED)
    measure = Measure("", "", level=shape.level)
    ends = method.infer_many(Studies(shape, nothing, pairs, base, change, nothing), measure)
    if ends is None:
        return Power(0.0, 0.0, 0.0)
    differs = float(np.mean((ends.low95 > 0) | (ends.high95 < 0)))
    margin = truth.margin
    if margin is None:
        return Power(differs, differs, 0.0)
    inside = np.mean((ends.low90 > -margin) & (ends.high90 < margin))
    return Power(differs, float(np.mean(ends.low95 >= margin)), float(inside))
