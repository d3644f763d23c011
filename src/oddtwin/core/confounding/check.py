"""The confounding check: what is mixed with what, in words, and the cheapest repair."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations, product
from typing import Final

import numpy as np

from oddtwin.core.confounding.columns import Column, ColumnKind, Floats, varying
from oddtwin.core.quantities import capitalized, format_list

MOST_INFLATION: Final = 5.0
"""Variance inflation from which two things are called nearly mixed (common rule of 5 to 10)."""

_SAME: Final = 1e-9
_TRIED: Final = 40
"""Swaps tried for a repair."""


@dataclass(frozen=True, slots=True)
class Confounding:
    """Things that cannot, or can hardly, be told apart.

    Parameters
    ----------
    columns : tuple of str
        Names; the factor first.
    sentence : str
        What is mixed, in words.
    repair : str
        The cheapest way out.
    vif : float or None
        Variance inflation factor where they can hardly be told apart; None where not at all.
    """

    columns: tuple[str, ...]
    sentence: str
    repair: str
    vif: float | None


def check_confounding(columns: Sequence[Column], labels: Sequence[str]) -> list[Confounding]:
    """Look for factors that cannot be separated from each other or from a nuisance.

    Parameters
    ----------
    columns : sequence of Column
        Factors and nuisances, each with a value for every print.
    labels : sequence of str
        Name of each print, for the repair.

    Returns
    -------
    list of Confounding
        What is fully mixed first, then what is nearly mixed. Factors are compared with
        everything; nuisances among each other are nobody's question.

    Raises
    ------
    ValueError
        Columns of unequal length.

    Notes
    -----
    A factor is mixed with others where its columns lie in the space of theirs and the
    mean. Near mixing is the generalised variance inflation factor to the power 1/df,
    which for two levels is the usual one (Fox and Monette 1992, JASA 87:178; from memory).
    """
    if any(len(column.values) != len(labels) for column in columns):
        raise ValueError("every column needs a value for every print")
    used = varying(columns)
    coded = _reduced(used)
    found: list[Confounding] = []
    mixed: set[str] = set()
    for factor in (column for column in used if column.kind is ColumnKind.FACTOR):
        others = [column for column in used if column is not factor and column.name not in mixed]
        culprits = _culprits(factor, others, coded)
        if culprits:
            if not any(set(item.columns) == {factor.name, *(c.name for c in culprits)} for item in found):
                found.append(_mixed(factor, culprits, used, labels))
            if culprits[0].kind is ColumnKind.FACTOR:
                mixed.add(factor.name)
    fully = {name for item in found for name in item.columns}
    return found + _nearly([column for column in used if column.name not in fully], coded, len(labels))


def _reduced(used: Sequence[Column]) -> dict[str, Floats]:
    """Code the columns, and turn them all into few rows that keep every angle between them."""
    if not used:
        return {}
    parts = [column.coded() for column in used]
    ends = np.cumsum([part.shape[1] for part in parts])[:-1]
    triangle = np.linalg.qr(np.hstack(parts), mode="r")
    return dict(zip((column.name for column in used), np.split(triangle, ends, axis=1), strict=True))


def _culprits(factor: Column, others: Sequence[Column], coded: dict[str, Floats]) -> list[Column]:
    """Fewest other columns that hide a factor: one, or two together."""
    own = coded[factor.name]
    if not others or not _hidden(own, [coded[other.name] for other in others]):
        return []
    alone = [other for other in others if _hidden(own, [coded[other.name]])]
    if alone:
        return alone[:1]
    for one, two in combinations(others, 2):
        # Two factors hide a third by design only in a fraction; its alias table says so.
        if _hidden(own, [coded[one.name], coded[two.name]]):
            return [one, two]
    return []


def _hidden(own: Floats, others: Sequence[Floats]) -> bool:
    """Whether any contrast of a factor lies in the space of other columns."""
    base = np.hstack(others)
    basis, _ = _orthonormal(base)
    left = own - basis @ (basis.T @ own)
    sizes = np.linalg.svd(left, compute_uv=False)
    return len(sizes) < own.shape[1] or bool(sizes[-1] <= 1e-7 * max(1.0, float(np.linalg.norm(own))))


def _orthonormal(columns: Floats) -> tuple[Floats, int]:
    """Return an orthonormal basis of the columns' space, and its rank."""
    vectors, values, _ = np.linalg.svd(columns, full_matrices=False)
    rank = int(np.sum(values > _SAME * max(1.0, float(values[0]) if len(values) else 1.0) * len(columns)))
    return vectors[:, :rank], rank


def _nearly(used: Sequence[Column], coded: dict[str, Floats], prints: int) -> list[Confounding]:
    found = []
    for factor in (column for column in used if column.kind is ColumnKind.FACTOR):
        others = [column for column in used if column is not factor]
        if not others:
            continue
        inflation = _inflation(coded[factor.name], np.hstack([coded[other.name] for other in others]), prints)
        if inflation is None or inflation < MOST_INFLATION:
            continue
        alone = [_inflation(coded[factor.name], coded[other.name], prints) or 0.0 for other in others]
        worst = others[int(np.argmax(alone))]
        found.append(
            Confounding(
                (factor.name, worst.name),
                f"{capitalized(factor.name)} and {worst.name} can hardly be told apart: the interval of "
                f"{factor.name} is {np.sqrt(inflation):.1f} times as wide as it could be.",
                _spread(factor, worst),
                float(inflation),
            )
        )
    return found


def _inflation(own: Floats, others: Floats, prints: int) -> float | None:
    """Generalised variance inflation to the power 1/df; None where it is not defined."""
    basis, rank = _orthonormal(others)
    # One further dimension goes to the mean.
    if rank + own.shape[1] >= prints - 1:
        return None
    left = own - basis @ (basis.T @ own)
    before, after = np.linalg.svd(own, compute_uv=False), np.linalg.svd(left, compute_uv=False)
    if after[-1] <= _SAME:
        return None
    # det(R11)·det(R22)/det(R) is the ratio of the squared volumes before and after.
    return float(np.exp(2 * np.sum(np.log(before) - np.log(after)) / own.shape[1]))


def _mixed(
    factor: Column, culprits: Sequence[Column], used: Sequence[Column], labels: Sequence[str]
) -> Confounding:
    names = (factor.name, *(column.name for column in culprits))
    if len(culprits) == 2:
        one, two = (column.name for column in culprits)
        sentence = (
            f"{capitalized(factor.name)} follows from {one} and {two} together: it cannot be told apart "
            "from them."
        )
        return Confounding(names, sentence, _added(factor, culprits[0]), None)
    other = culprits[0]
    return Confounding(names, _one_sentence(factor, other), _repair(factor, other, used, labels), None)


def _one_sentence(factor: Column, other: Column) -> str:
    if other.kind is ColumnKind.TREND:
        return f"{capitalized(factor.name)} changes in step with the {other.name}: they cannot be told apart."
    if other.kind is ColumnKind.FACTOR:
        return (
            f"{capitalized(factor.name)} and {other.name} are always changed together: only the two as one "
            "can be judged."
        )
    shown = _telling(factor, other)
    end = f"{factor.name} and {other.name} cannot be told apart."
    if shown is None:
        return f"Prints never differ in {factor.name} under the same {other.name}: {end}"
    level, values = shown
    return f"Every print with {factor.name} {level} has {other.name} {format_list(values)}: {end}"


def _telling(factor: Column, other: Column) -> tuple[str, list[str]] | None:
    """A level whose prints share no value of the other column with the prints of any other level."""
    for level in reversed(factor.levels):
        here = {o for f, o in zip(factor.values, other.values, strict=True) if f == level and o}
        elsewhere = {o for f, o in zip(factor.values, other.values, strict=True) if f != level and o}
        if here and not here & elsewhere:
            return level, sorted(here)
    return None


def _repair(factor: Column, other: Column, used: Sequence[Column], labels: Sequence[str]) -> str:
    if other.kind is ColumnKind.FACTOR:
        return f"Change one at a time, or print the other combinations of {factor.name} and {other.name} too."
    if other.kind is ColumnKind.TREND:
        return "Shuffle the order, or print the baseline once more at the end."
    swap = _best_swap(factor, other, used)
    if swap is not None:
        one, two = swap
        return (
            f"Swap two prints: {labels[one]} with {other.name} {other.values[two]}, and {labels[two]} with "
            f"{other.name} {other.values[one]}."
        )
    return _added(factor, other)


def _best_swap(factor: Column, other: Column, used: Sequence[Column]) -> tuple[int, int] | None:
    """The two prints whose exchange of the nuisance separates it best from the factor."""
    own = factor.coded()
    rest = [
        column.coded()
        for column in used
        if column is not other and column.kind is ColumnKind.FACTOR and column is not factor
    ]
    best: tuple[float, tuple[int, int]] | None = None
    for one, two in _candidates(factor, other):
        values = list(other.values)
        values[one], values[two] = values[two], values[one]
        swapped = replace(other, values=tuple(values)).coded()
        if _hidden(own, [swapped]):
            continue
        inflation = _inflation(own, np.hstack([swapped, *rest]), len(own)) or float("inf")
        if best is None or inflation < best[0]:
            best = (inflation, (one, two))
    return best[1] if best else None


def _candidates(factor: Column, other: Column) -> list[tuple[int, int]]:
    """Pairs of prints that differ in both, one pair for each kind of pair."""
    kinds: dict[tuple[str, str], int] = {}
    for row, kind in enumerate(zip(factor.values, other.values, strict=True)):
        if all(kind):
            kinds.setdefault(kind, row)
    pairs = [
        (kinds[one], kinds[two])
        for one, two in combinations(kinds, 2)
        if one[0] != two[0] and one[1] != two[1]
    ]
    return pairs[:_TRIED]


def _added(factor: Column, other: Column) -> str:
    there = set(zip(factor.values, other.values, strict=True))
    level, value = next(
        (pair for pair in product(factor.levels, other.levels) if pair not in there),
        (factor.levels[-1], other.levels[0]),
    )
    return f"Add a print with {factor.name} {level} and {other.name} {value}."


def _spread(factor: Column, worst: Column) -> str:
    if worst.kind is ColumnKind.TREND:
        return f"Shuffle the order more, or print the first level of {factor.name} once more at the end."
    return f"Print more of the combinations of {factor.name} and {worst.name} that are rare now."
