"""Many simulated studies judged at once, by the formulas that judge one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.decide import not_worse, verdict_code, worse_side
from oddtwin.core.effects import (
    IN_STEPS,
    LOOKED_AT_ONCE,
    Measure,
    Shape,
    Studies,
    adjusted,
    judged_as,
    method_for,
)
from oddtwin.core.judgement import PlannedPrint
from oddtwin.core.readings import ResponseKind

Codes = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Arrangement:
    """The prints of one comparison, arranged for many studies at once.

    Parameters
    ----------
    prints : sequence of PlannedPrint
        As ``Contrast.prints`` gives them.
    """

    prints: Sequence[PlannedPrint]

    def values(self, runs: Floats) -> Floats:
        """Bring runs to prints: the mean of the runs behind each that were not lost.

        Parameters
        ----------
        runs : array of shape (studies, runs)
            NaN where a run was lost.

        Returns
        -------
        array of shape (studies, prints)
        """
        return np.stack(
            [
                _mean(runs[:, list(item.runs)]) - (_mean(runs[:, list(item.less)]) if item.less else 0.0)
                for item in self.prints
            ],
            axis=1,
        )

    @property
    def blocks(self) -> list[tuple[list[int], list[int]]]:
        """Places of the baseline's and the change's prints in each block; none where unpaired."""
        found: dict[str, tuple[list[int], list[int]]] = {}
        for place, item in enumerate(self.prints):
            if item.block:
                found.setdefault(item.block, ([], []))[item.is_change].append(place)
        return list(found.values())

    @property
    def sides(self) -> tuple[list[int], list[int]]:
        """Places of all prints of the baseline and of the change."""
        both: tuple[list[int], list[int]] = ([], [])
        for place, item in enumerate(self.prints):
            both[item.is_change].append(place)
        return both

    @property
    def is_change(self) -> NDArray[np.bool_]:
        """On which side each print stands."""
        return np.array([item.is_change for item in self.prints])

    @property
    def places(self) -> NDArray[np.int64]:
        """Number of the machine and piece of each print."""
        named: dict[tuple[str, str], int] = {}
        return np.array([named.setdefault((item.machine, item.piece), len(named)) for item in self.prints])

    @property
    def twins(self) -> list[list[int]]:
        """Places of prints that are twins of one another."""
        groups: dict[PlannedPrint, list[int]] = {}
        for place, item in enumerate(self.prints):
            alike = replace(item, unit="", runs=())
            groups.setdefault(alike, []).append(place)
        return [group for group in groups.values() if len(group) > 1]


@dataclass(frozen=True, slots=True)
class Judged:
    """Verdict codes and estimates of many studies, both of shape (studies,); NaN for no estimate."""

    codes: Codes
    estimates: Floats


def judge_many(values: Floats, arrangement: Arrangement, measure: Measure, kind: ResponseKind) -> Judged:
    """Judge many simulated studies of one comparison, by the methods that judge one.

    Parameters
    ----------
    values : array of shape (studies, prints)
        NaN where a print was lost.
    arrangement : Arrangement
        Which print belongs where.
    measure : Measure
        Margin and known noise.
    kind : ResponseKind
        Of the response.
    """
    kind = judged_as(kind, measure.of_effects)
    blocks, sides = arrangement.blocks, arrangement.sides
    noise_sd, noise_df = _noise(values, arrangement, measure)
    values = _entering(values, blocks)
    differences, spreads = _differences(values, blocks, kind)
    pairs = np.isfinite(differences).sum(axis=1)
    counts = np.stack([np.isfinite(values[:, side]).sum(axis=1) for side in sides])
    strata, spread = np.ones(len(values), dtype=np.int64), np.ones(len(values))
    fitted = values
    if not blocks and kind not in IN_STEPS:
        fitted, strata, spread = adjusted(values, arrangement.is_change, arrangement.places)
    base, change = (fitted[:, side] for side in sides)
    alone = (counts > 0).all(axis=0)
    plain = _typical(change, base) if kind is ResponseKind.GRADE else _mean(change) - _mean(base)
    middle = _median(differences) if kind is ResponseKind.GRADE else _mean(differences)
    estimates = np.where(pairs > 0, middle, np.where(alone, plain, np.nan))
    codes = np.zeros(len(values), dtype=np.int64)
    known = np.isfinite(estimates)
    spread = np.where(pairs > 0, spreads, spread)
    keys = np.stack([pairs, *counts, noise_df * (noise_sd > 0), strata, spread], axis=1)
    # Studies that lost prints in the same way are of one shape, and judged together.
    for key in np.unique(keys[known], axis=0):
        rows = known & (keys == key).all(axis=1)
        shape = Shape(kind, int(key[0]), int(key[1]), int(key[2]), float(key[3]), int(key[4]), float(key[5]))
        studies = Studies(
            shape,
            estimates[rows],
            _packed(differences[rows], shape.pairs),
            _packed(base[rows], shape.n_baseline),
            _packed(change[rows], shape.n_change),
            noise_sd[rows],
        )
        codes[rows] = verdict_codes(studies, measure)
    return Judged(codes, estimates)


def verdict_codes(studies: Studies, measure: Measure) -> Codes:
    """Return the verdict of many studies of one shape, as one of all that is asked.

    Parameters
    ----------
    studies : Studies
        Of one shape.
    measure : Measure
        With the level that each comparison is judged at.
    """
    method = method_for(studies.shape)
    ends = method.infer_many(studies, measure)
    if ends is None:
        return np.zeros(len(studies.estimates), dtype=np.int64)
    codes = verdict_code(*ends, measure.margin)
    worse = worse_side(measure.better, measure.guard)
    # That a guard does not get worse is judged by itself, however much else is asked.
    alone = method.infer_many(studies, replace(measure, level=LOOKED_AT_ONCE)) if worse else None
    if alone is not None:
        open_ = ~np.isin(codes, (1, 4, 5))
        codes = np.where(open_ & not_worse(alone.low90, alone.high90, measure.margin, worse), 6, codes)
    return np.asarray(codes)


def _entering(values: Floats, blocks: Sequence[tuple[list[int], list[int]]]) -> Floats:
    """Leave out what has lost its partner, as in one study, unless no pair is complete."""
    enters, some = np.isfinite(values), np.zeros(len(values), dtype=np.bool_)
    for old, new in blocks:
        whole = enters[:, old].any(axis=1) & enters[:, new].any(axis=1)
        enters[np.flatnonzero(~whole)[:, None], [*old, *new]] = False
        some |= whole
    found: Floats = np.where(enters | ~some[:, None], values, np.nan)
    return found


def _differences(
    values: Floats, blocks: Sequence[tuple[list[int], list[int]]], kind: ResponseKind
) -> tuple[Floats, Floats]:
    """Return the differences of the pairs, NaN where one is not complete, and their spread."""
    found, share, complete = [], np.zeros(len(values)), np.zeros(len(values))
    for old, new in blocks:
        counts = [np.isfinite(values[:, side]).sum(axis=1) for side in (old, new)]
        whole = (counts[0] > 0) & (counts[1] > 0)
        share += np.where(whole, 1 / np.maximum(counts[0], 1) + 1 / np.maximum(counts[1], 1), 0.0)
        complete += whole
        if kind is ResponseKind.GRADE:
            # What was lost makes room: the first print that is left goes with the first that is left.
            left = [_in_order(values[:, side]) for side in (old, new)]
            fewest = min(len(old), len(new))
            found += list((left[1][:, :fewest] - left[0][:, :fewest]).T)
        else:
            found.append(_mean(values[:, new]) - _mean(values[:, old]))
    if not found:
        return np.empty((len(values), 0)), np.ones(len(values))
    spread = np.sqrt(share / np.maximum(complete, 1) / 2)
    return np.stack(found, axis=1), np.where(complete > 0, spread.round(9), 1.0)


def _in_order(values: Floats) -> Floats:
    """Bring what was lost behind the rest, which stays in its order."""
    order = np.argsort(~np.isfinite(values), axis=1, kind="stable")
    return np.take_along_axis(values, order, axis=1)


def _typical(change: Floats, base: Floats) -> Floats:
    across = change[:, :, None] - base[:, None, :]
    return _median(across.reshape(len(across), -1))


def _median(values: Floats) -> Floats:
    """Median over the last axis without what was lost; NaN where nothing is left."""
    count = np.isfinite(values).sum(axis=-1)
    if not values.shape[-1]:
        return np.full(len(values), np.nan)
    ordered = np.sort(values, axis=-1)
    rows = np.arange(len(values))
    upper = np.minimum(count // 2, values.shape[-1] - 1)
    middle: Floats = (ordered[rows, np.maximum(count - 1, 0) // 2] + ordered[rows, upper]) / 2
    return np.where(count > 0, middle, np.nan)


def _noise(values: Floats, arrangement: Arrangement, measure: Measure) -> tuple[Floats, Floats]:
    """Return standard deviation and degrees of freedom of the noise floor of each study."""
    squares, df = np.zeros(len(values)), np.zeros(len(values))
    # Prints of one arm that are not in pairs are one another's twins: their scatter is the prints' own.
    for group in arrangement.twins if arrangement.blocks else ():
        there = values[:, group]
        count = np.isfinite(there).sum(axis=1)
        # Sums of squares and degrees of freedom are what can be added up over groups of any size.
        squares += np.where(count > 1, _variance(there) * (count - 1), 0.0)
        df += np.maximum(count - 1, 0)
    if measure.noise is not None:
        squares += measure.noise.df * measure.noise.sd**2
        df += measure.noise.df
    return np.sqrt(squares / np.maximum(df, 1e-9)), df


def _packed(values: Floats, count: int) -> Floats:
    """Return what was not lost; it sorts to the front, so that every study is one row of one block."""
    # Not-a-number sorts to the end, and no method asks in which order the prints of a side stand.
    return np.sort(values, axis=1)[:, :count]


def _mean(values: Floats) -> Floats:
    """Mean over the last axis without what was lost; NaN where nothing is left."""
    there = np.isfinite(values)
    count = there.sum(axis=-1)
    total = np.where(there, values, 0.0).sum(axis=-1)
    return np.where(count > 0, total / np.maximum(count, 1), np.nan)


def _variance(values: Floats) -> Floats:
    """Variance over the last axis with n − 1, without what was lost; zero where fewer than two are left."""
    there = np.isfinite(values)
    count = there.sum(axis=-1)
    off = np.where(there, values - _mean(values)[..., None], 0.0)
    return np.where(count > 1, (off**2).sum(axis=-1) / np.maximum(count - 1, 1), 0.0)
