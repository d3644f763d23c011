"""The cheapest way to separate a factor from a nuisance, checked against everything else that differs."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import combinations, product
from typing import Final

import numpy as np

from oddtwin.core.confounding.columns import Column, ColumnKind
from oddtwin.core.confounding.space import hidden, inflation

_TRIED: Final = 40
"""Swaps or further prints tried for a repair."""

Print = tuple[str, str, int]
"""Level of the factor, value of the nuisance, and the print that it is like in all else."""


def best_swap(factor: Column, other: Column, used: Sequence[Column]) -> tuple[int, int] | None:
    """Return the two prints whose exchange of the nuisance separates it best from the factor.

    Parameters
    ----------
    factor, other : Column
        What is mixed.
    used : sequence of Column
        All columns; after the swap none of them, and not all together, hides the factor.

    Returns
    -------
    tuple of int or None
        Their rows; None where no swap helps.
    """
    rest = [column for column in used if column not in (factor, other)]
    best: tuple[float, tuple[int, int]] | None = None
    for one, two in _candidates(factor, other):
        values = list(other.values)
        values[one], values[two] = values[two], values[one]
        swapped = replace(other, values=tuple(values))
        # Looked at with everything else that differs: a swap that parts the day may tie the change to the
        # machine.
        if not separate(factor, [swapped, *rest]):
            continue
        own = factor.coded()
        times = inflation(own, np.hstack([item.coded() for item in (swapped, *rest)]), len(own))
        score = float("inf") if times is None else times
        if best is None or score < best[0]:
            best = (score, (one, two))
    return best[1] if best else None


def added_prints(factor: Column, other: Column, used: Sequence[Column]) -> list[Print]:
    """Return one further print that separates a factor from a nuisance, or two; empty where none do.

    Parameters
    ----------
    factor, other : Column
        What is mixed.
    used : sequence of Column
        All columns.
    """
    there = set(zip(factor.values, other.values, strict=True))
    missing = [pair for pair in product(factor.levels, other.levels) if pair not in there][:_TRIED]
    rows = range(min(len(factor.values), _TRIED))
    for (level, value), row in product(missing, rows):
        if _helps([(level, value, row)], factor, other, used):
            return [(level, value, row)]
    for first, second in combinations(missing[:8], 2):
        for row in rows:
            wanted = [(*first, row), (*second, row)]
            if _helps(wanted, factor, other, used):
                return wanted
    return []


def separate(factor: Column, others: Sequence[Column]) -> bool:
    """Return whether nothing that is recorded hides a factor, alone or together."""
    known = [column for column in others if column.kind is not ColumnKind.TREND and len(column.levels) > 1]
    if any(factor.separated_by(column) for column in others if column.kind is ColumnKind.TREND):
        return False
    return not known or not hidden(factor.coded(), [column.coded() for column in known])


def _helps(wanted: Sequence[Print], factor: Column, other: Column, used: Sequence[Column]) -> bool:
    longer = []
    own = factor
    for column in used:
        if column is factor:
            more = [level for level, _, _ in wanted]
        elif column is other:
            more = [value for _, value, _ in wanted]
        elif column.kind is ColumnKind.TREND:
            more = [str(len(column.values) + number) for number in range(1, len(wanted) + 1)]
        else:
            more = [column.values[row] for _, _, row in wanted]
        extended = replace(column, values=(*column.values, *more))
        if column is factor:
            own = extended
        else:
            longer.append(extended)
    return separate(own, longer)


def _candidates(factor: Column, other: Column) -> Iterator[tuple[int, int]]:
    """Yield pairs of prints that differ in both, one pair for each kind of pair."""
    kinds: dict[tuple[str, str], int] = {}
    for row, kind in enumerate(zip(factor.values, other.values, strict=True)):
        if all(kind):
            kinds.setdefault(kind, row)
    pairs = [
        (kinds[one], kinds[two])
        for one, two in combinations(kinds, 2)
        if one[0] != two[0] and one[1] != two[1]
    ]
    yield from pairs[:_TRIED]
