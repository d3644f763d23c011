"""Along ordered levels: a step curve that never turns back, and whether there is a trend at all."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Sequence
from itertools import permutations
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats

MOST_IN_BLOCK: Final = 7
"""Prints of a block whose orders are counted out one by one."""

MOST_BLOCKS: Final = 20
"""Blocks whose orders are put together exactly; beyond either, the normal distribution stands in."""

MOST_STATES: Final = 20_000
"""Ways to fill the groups that an exact count goes through; beyond it the normal distribution stands in."""


def isotonic(means: Floats, weights: Floats, rising: bool | None = None) -> Floats:
    """Return the nearest values that only rise, or only fall, along the levels.

    Parameters
    ----------
    means : array of shape (levels,)
        In the response's unit.
    weights : array of shape (levels,)
        Prints behind each.
    rising : bool, optional
        In which direction; without it the one that lies nearer.

    Returns
    -------
    array of shape (levels,)
        Weighted least squares (pool adjacent violators).
    """
    from scipy.optimize import isotonic_regression

    if rising is not None:
        found: Floats = isotonic_regression(means, weights=weights, increasing=rising).x
        return found
    both = [isotonic(means, weights, way) for way in (True, False)]
    return min(both, key=lambda fitted: float(np.sum(weights * (means - fitted) ** 2)))


def page(blocks: Sequence[Sequence[tuple[int, float]]]) -> tuple[float, float]:
    """Test for a trend along levels inside blocks.

    Parameters
    ----------
    blocks : sequence of sequences of (int, float)
        Level, from 0, and value of each print of a block.

    Returns
    -------
    tuple of float
        Page's L, the sum of level (from 1) times rank, and its chance to be as large without a trend
        (one-sided): exact over all orders inside the blocks, with mid-ranks for ties; of large or many
        blocks by the normal distribution with the exact variance (Page 1963, from memory).
    """
    levels = [np.array([level + 1 for level, _ in block]) for block in blocks]
    # Twice the ranks are whole numbers, so that sums of them can be told apart without rounding.
    ranks = [
        np.round(2 * _mid_ranks(np.array([value for _, value in block]))).astype(np.int64) for block in blocks
    ]
    total = int(sum(own @ ranked for own, ranked in zip(levels, ranks, strict=True)))
    if len(blocks) > MOST_BLOCKS or max(map(len, blocks)) > MOST_IN_BLOCK:
        return total / 2, _normal(levels, ranks, total)
    spread = Counter({0: 1.0})
    for own, ranked in zip(levels, ranks, strict=True):
        sums = np.array(list(permutations(ranked.tolist()))) @ own
        steps, counts = np.unique(sums, return_counts=True)
        added: Counter[int] = Counter()
        for value, share in spread.items():
            for more, count in zip(steps, counts, strict=True):
                added[value + int(more)] += share * count / len(sums)
        spread = added
    return total / 2, min(1.0, sum(share for value, share in spread.items() if value >= total - 0.5))


def _normal(levels: Sequence[NDArray[np.int64]], ranks: Sequence[NDArray[np.int64]], total: int) -> float:
    from scipy.special import ndtr

    mean, variance = 0.0, 0.0
    for own, ranked in zip(levels, ranks, strict=True):
        mean += len(own) * float(own.mean()) * float(ranked.mean())
        if len(own) > 1:
            variance += float(np.var(own) * np.var(ranked)) * len(own) ** 2 / (len(own) - 1)
    return float(ndtr(-(total - mean) / math.sqrt(variance))) if variance > 0 else 1.0


def jonckheere(groups: Sequence[Sequence[float]]) -> tuple[float, float]:
    """Test for a trend along groups that stand in no blocks.

    Parameters
    ----------
    groups : sequence of sequences of float
        Values of each level, from the first to the last.

    Returns
    -------
    tuple of float
        Jonckheere's J, and its chance to be as large without a trend (one-sided): exact over all
        allocations of the values, ties counted half; by the normal distribution, its variance
        corrected for ties, where there are too many (Hollander and Wolfe, from memory).
    """
    sizes = [len(group) for group in groups]
    twice = sum(
        2 * (above > below) + (above == below)
        for place, lower in enumerate(groups)
        for upper in groups[place + 1 :]
        for below in lower
        for above in upper
    )
    tied = [count for _, count in sorted(Counter(value for group in groups for value in group).items())]
    if math.prod(size + 1 for size in sizes) <= MOST_STATES:
        return twice / 2, _allocated(sizes, tied, twice)
    from scipy.special import ndtr

    mean, variance = _moments(sizes, tied)
    return twice / 2, float(ndtr(-(twice / 2 - mean) / math.sqrt(variance)))


def _allocated(sizes: Sequence[int], tied: Sequence[int], least: int) -> float:
    """Share of all allocations of tied values to groups whose doubled J is at least so large."""
    # Values are given out from the smallest up; what matters of those before is how many each group has.
    ways: dict[tuple[int, ...], Counter[int]] = {(0,) * len(sizes): Counter({0: 1})}
    for count in tied:
        grown: dict[tuple[int, ...], Counter[int]] = defaultdict(Counter)
        for filled, spread in ways.items():
            for split in _splits(count, [size - have for size, have in zip(sizes, filled, strict=True)]):
                before = np.concatenate([[0], np.cumsum(filled)[:-1]])
                gain = 2 * int(np.dot(split, before))
                gain += sum(one * other for place, one in enumerate(split) for other in split[place + 1 :])
                many = math.factorial(count)
                for one in split:
                    many //= math.factorial(one)
                there = grown[tuple(have + one for have, one in zip(filled, split, strict=True))]
                for value, number in spread.items():
                    there[value + gain] += number * many
        ways = grown
    (spread,) = ways.values()
    return sum(number for value, number in spread.items() if value >= least) / sum(spread.values())


def _splits(count: int, room: Sequence[int]) -> list[tuple[int, ...]]:
    """All ways to give so many to groups with so much room."""
    if len(room) == 1:
        return [(count,)] if count <= room[0] else []
    return [
        (first, *rest)
        for first in range(min(count, room[0]) + 1)
        for rest in _splits(count - first, room[1:])
    ]


def _moments(sizes: Sequence[int], tied: Sequence[int]) -> tuple[float, float]:
    """Mean and variance of J without a trend, corrected for ties."""
    number = sum(sizes)

    def cubes(counts: Sequence[int]) -> float:
        return sum(one * (one - 1) * (2 * one + 5) for one in counts)

    def triples(counts: Sequence[int]) -> float:
        return sum(one * (one - 1) * (one - 2) for one in counts)

    def doubles(counts: Sequence[int]) -> float:
        return sum(one * (one - 1) for one in counts)

    mean = (number**2 - sum(size**2 for size in sizes)) / 4
    variance = (cubes([number]) - cubes(sizes) - cubes(tied)) / 72
    if number > 2:
        variance += triples(sizes) * triples(tied) / (36 * number * (number - 1) * (number - 2))
    variance += doubles(sizes) * doubles(tied) / (8 * number * (number - 1))
    return mean, variance


def _mid_ranks(values: Floats) -> Floats:
    below = (values[None, :] < values[:, None]).sum(axis=1)
    same = (values[None, :] == values[:, None]).sum(axis=1)
    found: Floats = below + (same + 1) / 2
    return found
