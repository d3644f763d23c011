"""The confounding check: what is mixed with what, and how much."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.confounding.columns import Column, ColumnKind, varying
from oddtwin.core.confounding.repair import added_prints, best_swap
from oddtwin.core.confounding.space import hidden, inflation
from oddtwin.core.quantities import capitalized, format_list, format_number

MOST_INFLATION: Final = 5.0
"""Variance inflation from which two things are called nearly mixed (common rule of 5 to 10)."""


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
        The cheapest way out that was found to separate the factor from everything else too.
    vif : float or None
        Variance inflation factor where they can hardly be told apart; None where not at all.
    """

    columns: tuple[str, ...]
    sentence: str
    repair: str
    vif: float | None


def check_confounding(columns: Sequence[Column], labels: Sequence[str]) -> list[Confounding]:
    """Look for factors that cannot be separated from each other or from nuisances.

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
        if culprits and not any(set(item.columns) == {factor.name, *_names(culprits)} for item in found):
            found.append(_mixed(factor, culprits, used, labels))
        # Two factors that hide each other are told once, from the first of them.
        if any(culprit.kind is ColumnKind.FACTOR for culprit in culprits):
            mixed.add(factor.name)
    fully = {name for item in found for name in item.columns}
    return found + _nearly([column for column in used if column.name not in fully], coded, len(labels))


def _reduced(used: Sequence[Column]) -> dict[str, Floats]:
    """Code the columns, and turn them all into few rows that keep every angle between them."""
    if not used:
        return {}
    parts = [column.coded() for column in used]
    ends = np.cumsum([part.shape[1] for part in parts])[:-1]
    # Rank and angles of columns are those of their triangle, which has a few rows where there are hundreds
    # of prints.
    triangle = np.linalg.qr(np.hstack(parts), mode="r")
    return dict(zip((column.name for column in used), np.split(triangle, ends, axis=1), strict=True))


def _culprits(factor: Column, others: Sequence[Column], coded: dict[str, Floats]) -> list[Column]:
    """The fewest other columns that hide a factor: one, two together, or what is left when none can go."""
    for other in others:
        if other.kind is ColumnKind.TREND:
            if factor.separated_by(other):
                return [other]
        elif _hides_alone(factor, other, coded):
            return [other]
    # A trend hides a factor by parting its prints into earlier and later ones, as looked at above.
    others = [other for other in others if other.kind is not ColumnKind.TREND and other.repeats]
    own = coded[factor.name]
    if not others or not hidden(own, [coded[other.name] for other in others]):
        return []
    # Two together are looked for before whatever is left, because a person can act on two names and not on
    # six.
    for one, two in combinations(others, 2):
        if hidden(own, [coded[one.name], coded[two.name]]):
            return [one, two]
    left = list(others)
    for other in others:
        fewer = [item for item in left if item is not other]
        if hidden(own, [coded[item.name] for item in fewer]):
            # Taken away one by one while the rest still hides it: what stays is a smallest set, though
            # perhaps not the only one.
            left = fewer
    return left


def _hides_alone(factor: Column, other: Column, coded: dict[str, Floats]) -> bool:
    """Whether one column hides a factor, on the prints of which it is recorded.

    Columns with nearly a value for every print hide anything; that is scatter. They count where
    one level of the factor stands with one value alone, as a spool that only one arm had.
    """
    rows = [row for row, value in enumerate(other.values) if value]
    if len(rows) == len(other.values):
        if not hidden(coded[factor.name], [coded[other.name]]):
            return False
    else:
        known, there = factor.of(rows), other.of(rows)
        if len(known.levels) < len(factor.levels) or len(there.levels) < 2:
            return False
        if not hidden(known.coded(), [there.coded()]):
            return False
    return other.kind is ColumnKind.FACTOR or other.repeats or factor.stands_alone_in(other)


def _nearly(used: Sequence[Column], coded: dict[str, Floats], prints: int) -> list[Confounding]:
    found = []
    for factor in (column for column in used if column.kind is ColumnKind.FACTOR):
        # A nuisance with a value of its own for almost every print, such as the minute, explains anything.
        others = [column for column in used if column is not factor and column.repeats]
        if not others:
            continue
        times = inflation(coded[factor.name], np.hstack([coded[other.name] for other in others]), prints)
        if times is None or times < MOST_INFLATION:
            continue
        alone = [inflation(coded[factor.name], coded[other.name], prints) or 0.0 for other in others]
        worst = others[int(np.argmax(alone))]
        found.append(
            Confounding(
                (factor.name, worst.name),
                f"{capitalized(factor.name)} and {worst.name} can hardly be told apart: the interval of "
                f"{factor.name} is {format_number(np.sqrt(times), 1)} times as wide as it could be.",
                _spread(factor, worst),
                float(times),
            )
        )
    return found


def _mixed(
    factor: Column, culprits: Sequence[Column], used: Sequence[Column], labels: Sequence[str]
) -> Confounding:
    names = (factor.name, *_names(culprits))
    if len(culprits) > 1:
        sentence = (
            f"{capitalized(factor.name)} follows from {format_list(_names(culprits))} together: it cannot be "
            "told apart from them."
        )
        nuisances = [culprit for culprit in culprits if culprit.kind is ColumnKind.NUISANCE]
        if not nuisances:
            repair = "Print other combinations of them too; in a fraction, take a larger one."
        else:
            repair = _repair(factor, nuisances[0], used, labels)
        return Confounding(names, sentence, repair, None)
    other = culprits[0]
    if other.kind is ColumnKind.TREND:
        return _one_after_the_other(factor, other)
    return Confounding(names, _one_sentence(factor, other), _repair(factor, other, used, labels), None)


def _one_after_the_other(factor: Column, trend: Column) -> Confounding:
    """Every level was, or is to be, printed whole before the next: any drift passes for the change."""
    names = (factor.name, trend.name)
    if all(factor.values.count(level) == 1 for level in factor.levels):
        sentence = f"With one print of each {factor.name} there are too few prints to tell order from change."
    else:
        sentence = (
            f"All prints of one {factor.name} come before those of another: {factor.name} and "
            f"{trend.name} cannot be told apart, and any drift passes for the change."
        )
    first = min(factor.levels, key=lambda level: trend.numbers(factor, level)[0])
    return Confounding(names, sentence, f"Print {factor.name} {first} once more at the end.", None)


def _one_sentence(factor: Column, other: Column) -> str:
    if other.kind is ColumnKind.FACTOR:
        return (
            f"{capitalized(factor.name)} and {other.name} are always changed together: only the two as one "
            "can be judged."
        )
    blanks = sum(not value for value in other.values)
    note = f" (of {blanks} {'print' if blanks == 1 else 'prints'} it is not recorded)" if blanks else ""
    shown = factor.telling(other)
    end = f"{factor.name} and {other.name} cannot be told apart{note}."
    if shown is None:
        return f"Prints never differ in {factor.name} under the same {other.name}: {end}"
    level, values = shown
    return f"Every print with {factor.name} {level} has {other.name} {format_list(values)}: {end}"


def _repair(factor: Column, other: Column, used: Sequence[Column], labels: Sequence[str]) -> str:
    """Say what was found to separate a factor from all that differs, the cheapest first."""
    if other.kind is ColumnKind.FACTOR:
        return f"Change one at a time, or print the other combinations of {factor.name} and {other.name} too."
    swap = best_swap(factor, other, used)
    if swap is not None:
        one, two = swap
        return (
            f"Swap two prints: {labels[one]} with {other.name} {other.values[two]}, and {labels[two]} with "
            f"{other.name} {other.values[one]}."
        )
    added = added_prints(factor, other, used)
    if added:
        prints = [f"{factor.name} {level} and {other.name} {value}" for level, value, _ in added]
        like = labels[added[0][2]]
        return (
            f"Add {format_list([f'a print with {one}' for one in prints], ' and ')}, like {like} in all else."
        )
    return (
        f"Too much goes along with {factor.name} to be parted by a print or two: draw the order anew, with "
        f"both sides on the same {other.name}."
    )


def _spread(factor: Column, worst: Column) -> str:
    if worst.kind is ColumnKind.TREND:
        return f"Shuffle the order more, or print the first level of {factor.name} once more at the end."
    return f"Print more of the combinations of {factor.name} and {worst.name} that are rare now."


def _names(columns: Sequence[Column]) -> list[str]:
    return [column.name for column in columns]
