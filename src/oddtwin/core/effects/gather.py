"""From the prints of two arms to what a method asks for: their shape and their figures."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from itertools import chain

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.by_t import IN_STEPS, judged_as
from oddtwin.core.effects.method import Data, Measure, Shape
from oddtwin.core.effects.noise import NoiseFloor
from oddtwin.core.effects.strata import adjusted
from oddtwin.core.readings import Prints, PrintValue, ResponseKind


def gathered(kind: ResponseKind, prints: Prints, measure: Measure, noise: NoiseFloor | None) -> Data | None:
    """Gather what a method asks for of the prints of two arms.

    Parameters
    ----------
    kind : ResponseKind
        Of the response.
    prints : Prints
        Each reduced to its value, none of them only known by a limit.
    measure : Measure
        What was asked.
    noise : NoiseFloor or None
        Of other prints than these.

    Returns
    -------
    Data or None
        None where an arm has no print with a value.
    """
    kind = judged_as(kind, measure.of_effects)
    used = entering(prints)
    baseline, change = (values_of(side) for side in used)
    if not len(baseline) or not len(change):
        return None
    differences = pair_differences(kind, prints)
    counts = (len(baseline), len(change))
    df = noise.df if noise is not None and noise.judges else 0.0
    step = step_of(np.concatenate([baseline, change]))
    tries = (_tries(used[0]), _tries(used[1]))
    if len(differences):
        sizes = [(len(block.baseline), len(block.change)) for block in prints.pairs]
        # A pair whose baseline was printed twice is known better: its difference scatters by less than √2
        # times one print, and all pairs together by the mean of their variances.
        spread = math.sqrt(sum(1 / base + 1 / other for base, other in sizes) / len(sizes) / 2)
        shape = Shape(kind, len(differences), *counts, df, spread=spread)
    elif kind in IN_STEPS:
        shape = Shape(kind, 0, *counts, df)
    else:
        baseline, change, shape = _by_place(Shape(kind, 0, *counts, df), used, baseline, change)
    return Data(
        replace(shape, level=measure.level),
        measure,
        _estimate(kind, differences, baseline, change, tries),
        differences,
        baseline,
        change,
        noise,
        step,
        tries,
    )


def _by_place(
    shape: Shape, used: tuple[Sequence[PrintValue], Sequence[PrintValue]], baseline: Floats, change: Floats
) -> tuple[Floats, Floats, Shape]:
    """Take out what machines and pieces differ by, of prints that are not in pairs."""
    every = list(chain(*used))
    named = {
        place: number for number, place in enumerate(sorted({(one.machine, one.piece) for one in every}))
    }
    places = np.array([named[one.machine, one.piece] for one in every])
    sides = np.repeat([False, True], [len(baseline), len(change)])
    fitted = adjusted(np.concatenate([baseline, change])[None, :], sides, places)
    old, new = np.split(fitted.values[0], [len(baseline)])
    return old, new, replace(shape, strata=int(fitted.strata[0]), spread=float(fitted.spread[0]))


def pair_differences(kind: ResponseKind, prints: Prints) -> Floats:
    """Return change minus baseline of each complete pair, in the response's unit, of shape (pairs,).

    Parameters
    ----------
    kind : ResponseKind
        Grades are compared print by print in each block, numbers mean by mean.
    prints : Prints
        Of two arms.
    """
    return np.array(
        [
            value
            for block in prints.pairs
            if block.measured
            for value in (block.matched if kind is ResponseKind.GRADE else [block.difference])
        ]
    )


def step_of(values: Floats) -> float:
    """Return the last decimal place that some values were written with; 0 beyond six places.

    Parameters
    ----------
    values : array of shape (prints,)
        In the response's unit.
    """
    for places in range(7):
        scaled = values * 10.0**places
        if np.all(np.abs(scaled - np.round(scaled)) < 1e-6 * np.maximum(1.0, np.abs(scaled) * 1e-6)):
            return float(10.0**-places)
    return 0.0


def entering(prints: Prints) -> tuple[Sequence[PrintValue], Sequence[PrintValue]]:
    """Return the prints that enter: those of complete pairs, or all where none is complete.

    Parameters
    ----------
    prints : Prints
        Of two arms; the baseline's come first in what is returned.
    """
    # A print whose partner is missing would bring its machine and day in without the counterweight.
    if prints.pairs:
        return (
            [item for block in prints.pairs for item in block.baseline],
            [item for block in prints.pairs for item in block.change],
        )
    return prints.baseline, prints.change


def values_of(items: Sequence[PrintValue]) -> Floats:
    """Return the values of prints that have one, of shape (prints,)."""
    return np.array([item.value for item in items if item.value is not None], dtype=np.float64)


def _tries(items: Sequence[PrintValue]) -> Floats:
    return np.array([item.tries for item in items], dtype=np.float64)


def _estimate(
    kind: ResponseKind, differences: Floats, baseline: Floats, change: Floats, tries: tuple[Floats, Floats]
) -> float:
    # Of grades, the typical pair: a mean of grades says nothing that anybody could see on a print.
    typical = np.median if kind is ResponseKind.GRADE else np.mean
    if kind is ResponseKind.YES_NO:
        # Tries are added, not shares, and so they are judged.
        old, new = (
            float(np.average(side, weights=each))
            for side, each in zip((baseline, change), tries, strict=True)
        )
        return new - old
    if len(differences):
        return float(typical(differences))
    if kind is ResponseKind.GRADE:
        return float(np.median(np.subtract.outer(change, baseline)))
    return float(change.mean() - baseline.mean())
