"""Many simulated studies judged at once, by the formulas that judge one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.decide import verdict_code
from oddtwin.core.effects import (
    Measure,
    infer,
    noise_error,
    paired_moments,
    t_interval,
    welch_moments,
)
from oddtwin.core.judgement import PlannedPrint

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Layout:
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


def judge_many(values: Floats, layout: Layout, measure: Measure, grade: bool) -> Judged:
    """Judge many simulated studies of one comparison.

    Parameters
    ----------
    values : array of shape (studies, prints)
        NaN where a print was lost.
    layout : Layout
        Which print belongs where.
    measure : Measure
        Margin and known noise.
    grade : bool
        Whether values are grades, which are judged by exact ranks; equal studies once.
    """
    studies = len(values)
    differences = (
        np.stack(
            [_mean(values[:, change]) - _mean(values[:, base]) for base, change in layout.blocks], axis=1
        )
        if layout.blocks
        else np.empty((studies, 0))
    )
    pairs = np.isfinite(differences).sum(axis=1)
    base, change = (values[:, side] for side in layout.sides)
    counts = np.stack([np.isfinite(base).sum(axis=1), np.isfinite(change).sum(axis=1)])
    estimates = np.where(pairs > 0, _mean(differences), _mean(change) - _mean(base))
    codes = np.zeros(studies, dtype=np.int64)
    known = np.isfinite(estimates)
    many_pairs = known & (pairs > 1)
    unpaired = known & (pairs == 0) & (counts.min(axis=0) > 1)
    if grade:
        _by_ranks(codes, many_pairs, unpaired, differences, base, change, estimates, measure)
    else:
        _by_pairs(codes, many_pairs, differences, pairs, measure)
        _by_welch(codes, unpaired, base, change, counts, measure)
    few = known & ~many_pairs & ~unpaired
    if few.any():
        _by_noise(codes, few, values, layout, differences, estimates, counts, measure)
    return Judged(codes, estimates)


def _by_pairs(
    codes: Codes, rows: NDArray[np.bool_], differences: Floats, pairs: Codes, measure: Measure
) -> None:
    for count in np.unique(pairs[rows]):
        here = rows & (pairs == count)
        # Lost pairs sort to the end, so that every study with as many pairs is one row of one block.
        complete = np.sort(differences[here], axis=1)[:, :count]
        difference, error = paired_moments(complete)
        codes[here] = _codes(difference, error, np.full(len(complete), count - 1.0), measure)


def _by_welch(
    codes: Codes, rows: NDArray[np.bool_], base: Floats, change: Floats, counts: Codes, measure: Measure
) -> None:
    if rows.any():
        arms = (base[rows], change[rows])
        mean = np.stack([_mean(arm) for arm in arms])
        variance = np.stack([_variance(arm) for arm in arms])
        codes[rows] = _codes(*welch_moments(mean, variance, counts[:, rows].astype(float)), measure)


def _by_noise(
    codes: Codes,
    rows: NDArray[np.bool_],
    values: Floats,
    layout: Layout,
    differences: Floats,
    estimates: Floats,
    counts: Codes,
    measure: Measure,
) -> None:
    """One print of an arm: the twins and the known noise floor carry the interval."""
    squares, df = np.zeros(len(values)), np.zeros(len(values))
    for group in layout.twins:
        there = values[:, group]
        count = np.isfinite(there).sum(axis=1)
        squares += np.where(count > 1, _variance(there) * (count - 1), 0.0)
        df += np.maximum(count - 1, 0)
    if measure.noise is not None:
        squares += measure.noise.df * measure.noise.sd**2
        df += measure.noise.df
    here = rows & (df > 0) & (squares > 0)
    sizes = counts.astype(float)
    if differences.shape[1]:
        sizes = sizes.copy()
        paired = np.isfinite(differences)
        for side in (0, 1):
            of_block = np.stack(
                [np.isfinite(values[:, block[side]]).sum(axis=1) for block in layout.blocks], axis=1
            )
            entering = np.where(paired, of_block, 0).sum(axis=1)
            sizes[side] = np.where(paired.any(axis=1), entering, sizes[side])
    sd = np.sqrt(squares[here] / df[here])
    error = noise_error(sd, sizes[0, here], sizes[1, here])
    codes[here] = _codes(estimates[here], error, df[here], measure)


def _by_ranks(
    codes: Codes,
    many_pairs: NDArray[np.bool_],
    unpaired: NDArray[np.bool_],
    differences: Floats,
    base: Floats,
    change: Floats,
    estimates: Floats,
    measure: Measure,
) -> None:
    seen: dict[tuple[bytes, ...], int] = {}
    for row in np.flatnonzero(many_pairs | unpaired):
        parts = (differences[row],) if many_pairs[row] else (base[row], change[row])
        kept = [np.sort(part[np.isfinite(part)]) for part in parts]
        key = tuple(part.tobytes() for part in kept)
        if key not in seen:
            none = np.empty(0)
            found = infer(
                float(estimates[row]),
                kept[0] if many_pairs[row] else none,
                none if many_pairs[row] else kept[0],
                none if many_pairs[row] else kept[1],
                None,
                measure,
                True,
            )
            ends = (*(found.ci95 or (-np.inf, np.inf)), *(found.ci90 or (-np.inf, np.inf)))
            seen[key] = int(verdict_code(*ends, measure.margin))
        codes[row] = seen[key]


def _codes(difference: Floats, error: Floats, df: Floats, measure: Measure) -> Codes:
    low95, high95 = t_interval(difference, error, df, 0.95)
    low90, high90 = t_interval(difference, error, df, 0.90)
    codes: Codes = verdict_code(low95, high95, low90, high90, measure.margin)
    return codes


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
