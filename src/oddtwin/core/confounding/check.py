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
from oddtwin.core.language import tr, trn
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
        raise ValueError(tr("every column needs a value for every print"))
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
        # Of columns that are as near as one another the first is told, and not what rounding makes nearer.
        worst = others[int(np.argmax(np.round(alone, 9)))]
        found.append(
            Confounding(
                (factor.name, worst.name),
                tr(
                    "{factor} and {worst} can hardly be told apart: the interval of {factor2} is "
                    "{sqrt} times as wide as it could be.",
                    factor=capitalized(factor.name),
                    worst=worst.name,
                    factor2=factor.name,
                    sqrt=format_number(np.sqrt(times), 1),
                ),
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
        sentence = tr(
            "{factor} follows from {names} together: it cannot be told apart from them.",
            factor=capitalized(factor.name),
            names=format_list(_names(culprits)),
        )
        nuisances = [culprit for culprit in culprits if culprit.kind is ColumnKind.NUISANCE]
        if not nuisances:
            repair = tr("Print other combinations of them too; in a fraction, take a larger one.")
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
        sentence = tr(
            "With one print of each {factor} there are too few prints to tell order from change.",
            factor=factor.name,
        )
    else:
        sentence = tr(
            "All prints of one {factor} come before those of another: {factor} and "
            "{trend} cannot be told apart, and any drift passes for the change.",
            factor=factor.name,
            trend=trend.name,
        )
    first = min(factor.levels, key=lambda level: trend.numbers(factor, level)[0])
    return Confounding(
        names,
        sentence,
        tr("Print {factor} {first} once more at the end.", factor=factor.name, first=first),
        None,
    )


def _one_sentence(factor: Column, other: Column) -> str:
    if other.kind is ColumnKind.FACTOR:
        return tr(
            "{factor} and {other} are always changed together: only the two as one can be judged.",
            factor=capitalized(factor.name),
            other=other.name,
        )
    blanks = sum(not value for value in other.values)
    note = (
        tr(" (of {blanks} {part} it is not recorded)", blanks=blanks, part=trn("print", "prints", blanks))
        if blanks
        else ""
    )
    shown = factor.telling(other)
    end = tr(
        "{factor} and {other} cannot be told apart{note}.", factor=factor.name, other=other.name, note=note
    )
    if shown is None:
        return tr(
            "Prints never differ in {factor} under the same {other}: {end}",
            factor=factor.name,
            other=other.name,
            end=end,
        )
    level, values = shown
    return tr(
        "Every print with {factor} {level} has {other} {values}: {end}",
        factor=factor.name,
        level=level,
        other=other.name,
        values=format_list(values),
        end=end,
    )


def _repair(factor: Column, other: Column, used: Sequence[Column], labels: Sequence[str]) -> str:
    """Say what was found to separate a factor from all that differs, the cheapest first."""
    if other.kind is ColumnKind.FACTOR:
        return tr(
            "Change one at a time, or print the other combinations of {factor} and {other} too.",
            factor=factor.name,
            other=other.name,
        )
    swap = best_swap(factor, other, used)
    if swap is not None:
        one, two = swap
        return tr(
            "Swap two prints: {labels} with {other} {values}, and {labels2} with {other} {values2}.",
            labels=labels[one],
            other=other.name,
            values=other.values[two],
            labels2=labels[two],
            values2=other.values[one],
        )
    added = added_prints(factor, other, used)
    if added:
        prints = [
            tr(
                "{factor} {level} and {other} {value}",
                factor=factor.name,
                level=level,
                other=other.name,
                value=value,
            )
            for level, value, _ in added
        ]
        like = labels[added[0][2]]
        return tr(
            "Add {prints}, like {like} in all else.",
            prints=format_list([tr("a print with {one}", one=one) for one in prints], tr(" and ")),
            like=like,
        )
    return tr(
        "Too much goes along with {factor} to be parted by a print or two: draw the "
        "order anew, with both sides on the same {other}.",
        factor=factor.name,
        other=other.name,
    )


def _spread(factor: Column, worst: Column) -> str:
    if worst.kind is ColumnKind.TREND:
        return tr(
            "Shuffle the order more, or print the first level of {factor} once more at the end.",
            factor=factor.name,
        )
    return tr(
        "Print more of the combinations of {factor} and {worst} that are rare now.",
        factor=factor.name,
        worst=worst.name,
    )


def _names(columns: Sequence[Column]) -> list[str]:
    return [column.name for column in columns]
