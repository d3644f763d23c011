"""Many simulated studies judged at once, by the formulas that judge one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.decide import verdict_code
from oddtwin.core.effects import Measure, Shape, Studies, method_for
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
        return np.stack([_mean(runs[:, list(item.runs)]) for item in self.prints], axis=1)

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
    blocks, sides = arrangement.blocks, arrangement.sides
    differences = np.full((len(values), len(blocks)), np.nan)
    for place, block in enumerate(blocks):
        differences[:, place] = _mean(values[:, block[1]]) - _mean(values[:, block[0]])
    paired = np.isfinite(differences)
    pairs = paired.sum(axis=1)
    entering = _entering(values, arrangement, paired, pairs)
    counts = np.stack([np.isfinite(values[:, side]).sum(axis=1) for side in sides])
    # Where a pair is complete, only what stands in complete pairs enters, as in the verdict on real prints.
    counts = np.where(pairs > 0, entering, counts)
    base, change = (values[:, side] for side in sides)
    estimates = np.where(pairs > 0, _mean(differences), _mean(change) - _mean(base))
    noise_sd, noise_df = _noise(values, arrangement, measure)
    codes = np.zeros(len(values), dtype=np.int64)
    known = np.isfinite(estimates)
    keys = np.stack([pairs, *counts, noise_df * (noise_sd > 0)], axis=1)
    # Studies that lost prints in the same way are of one shape, and judged together.
    for key in np.unique(keys[known], axis=0):
        rows = known & (keys == key).all(axis=1)
        shape = Shape(kind, int(key[0]), int(key[1]), int(key[2]), float(key[3]))
        studies = Studies(
            shape,
            estimates[rows],
            _packed(differences[rows], shape.pairs),
            _packed(base[rows], None if shape.pairs else shape.n_baseline),
            _packed(change[rows], None if shape.pairs else shape.n_change),
            noise_sd[rows],
            noise_df[rows],
        )
        ends = method_for(shape).infer_many(studies, measure)
        if ends is not None:
            codes[rows] = verdict_code(*ends, measure.margin)
    return Judged(codes, estimates)


def _entering(values: Floats, arrangement: Arrangement, paired: NDArray[np.bool_], pairs: Codes) -> Codes:
    """Count the prints of each side that stand in complete pairs."""
    counts = np.zeros((2, len(values)), dtype=np.int64)
    for side in (0, 1):
        for place, block in enumerate(arrangement.blocks):
            counts[side] += np.where(paired[:, place], np.isfinite(values[:, block[side]]).sum(axis=1), 0)
    return counts


def _noise(values: Floats, arrangement: Arrangement, measure: Measure) -> tuple[Floats, Floats]:
    """Return standard deviation and degrees of freedom of the noise floor of each study."""
    squares, df = np.zeros(len(values)), np.zeros(len(values))
    for group in arrangement.twins:
        there = values[:, group]
        count = np.isfinite(there).sum(axis=1)
        # Sums of squares and degrees of freedom are what can be added up over groups of any size.
        squares += np.where(count > 1, _variance(there) * (count - 1), 0.0)
        df += np.maximum(count - 1, 0)
    if measure.noise is not None:
        squares += measure.noise.df * measure.noise.sd**2
        df += measure.noise.df
    return np.sqrt(squares / np.maximum(df, 1e-9)), df


def _packed(values: Floats, count: int | None) -> Floats:
    """Return what was not lost; it sorts to the front, so that every study is one row of one block."""
    # Not-a-number sorts to the end, and no method asks in which order the prints of a side stand.
    return np.sort(values, axis=1)[:, :count] if count is not None else values


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
