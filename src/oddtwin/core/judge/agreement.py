"""How well judges agree: weighted kappa, Kendall's W, Krippendorff's alpha."""

from __future__ import annotations

import itertools
import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.language import tr

MOST_SUMS: Final = 60_000
"""Sets of rank sums up to which the chance is exact; beyond, F stands in (Iman and Davenport)."""


class Scale(StrEnum):
    """What two different answers are apart."""

    NOMINAL = "nominal"
    ORDINAL = "ordinal"
    INTERVAL = "interval"


@dataclass(frozen=True, slots=True)
class Kappa:
    """Agreement of two judges beyond chance, its standard error and 95 % interval."""

    value: float
    error: float
    ci95: Interval


def weighted_kappa(table: Floats, power: int = 2) -> Kappa:
    """Return the weighted kappa of two judges.

    Parameters
    ----------
    table : array of shape (grades, grades)
        How often the first judge gave the row's grade and the second the column's.
    power : int
        0 for no weights, 1 for linear, 2 for quadratic ones.

    Raises
    ------
    ValueError
        Nothing was judged, or both always gave the same one grade.

    Notes
    -----
    Cohen 1968; large-sample error of Fleiss, Cohen and Everitt 1969 (formulas from memory).
    """
    total = float(table.sum())
    if not total > 0:
        raise ValueError(tr("there are no pairs of grades to compare"))
    shares = table / total
    size = len(table)
    apart = np.abs(np.subtract.outer(np.arange(size), np.arange(size))) / max(size - 1, 1)
    weights = (apart == 0).astype(float) if power == 0 else 1 - apart**power
    rows, columns = shares.sum(axis=1), shares.sum(axis=0)
    seen = float((weights * shares).sum())
    expected = float((weights * np.outer(rows, columns)).sum())
    if 1 - expected < 1e-12:
        raise ValueError(
            tr("both judges always gave the same grade, so that agreement cannot be told from chance")
        )
    value = (seen - expected) / (1 - expected)
    both = (weights @ columns)[:, None] + (rows @ weights)[None, :]
    inner = (weights * (1 - expected) - both * (1 - seen)) ** 2
    variance = ((shares * inner).sum() - (seen * expected - 2 * expected + seen) ** 2) / (
        total * (1 - expected) ** 4
    )
    error = math.sqrt(max(float(variance), 0.0))
    return Kappa(value, error, (value - 1.959963985 * error, value + 1.959963985 * error))


@dataclass(frozen=True, slots=True)
class Concordance:
    """How alike judges rank.

    Parameters
    ----------
    w : float
        Kendall's W, corrected for ties: 0 for no agreement, 1 where all rank alike.
    p : float
        Chance of as much agreement by luck.
    exact : bool
        Whether that chance is exact.
    rank_sums : tuple of float
        Of the items, over the judges.
    least_apart : float
        Rank sums that differ by more differ (ISO 8587, at 5 %; formula from memory).
    """

    w: float
    p: float
    exact: bool
    rank_sums: tuple[float, ...]
    least_apart: float


def concordance(ranks: Floats) -> Concordance:
    """Return how alike judges rank some items.

    Parameters
    ----------
    ranks : array of shape (judges, items)
        Any numbers that order the items of a judge; equal ones are ties.

    Raises
    ------
    ValueError
        Fewer than two judges or items, or every judge ties everything.

    Notes
    -----
    Friedman's statistic with mid-ranks and the correction for ties; exact over all orders of each
    judge's ranks, else Iman and Davenport's F (from memory).
    """
    from scipy.special import fdtrc
    from scipy.stats import rankdata

    judges, items = ranks.shape
    if judges < 2 or items < 2:
        raise ValueError(tr("agreement in ranks needs two judges and two items or more"))
    own = rankdata(ranks, axis=1)
    sums = own.sum(axis=0)
    off = float(((sums - sums.mean()) ** 2).sum())
    # Judges who tie much cannot differ much: without this correction they would pass for agreeing little.
    ties = sum(count**3 - count for row in own for count in np.unique(row, return_counts=True)[1].tolist())
    whole = judges * items * (items + 1) - ties / (items - 1)
    if not whole > 1e-9:
        raise ValueError(tr("every judge ranks everything alike, so that nothing is ranked"))
    q = 12 * off / whole
    w = q / (judges * (items - 1))
    p = _exact_ranks(own, off)
    exact = p is not None
    if p is None:
        rest = judges * (items - 1) - q
        p = (
            float(fdtrc(items - 1, (judges - 1) * (items - 1), (judges - 1) * q / rest))
            if rest > 1e-9
            else 0.0
        )
    least = 1.959963985 * math.sqrt(judges * items * (items + 1) / 6)
    return Concordance(w, p, exact, tuple(sums.tolist()), least)


def _exact_ranks(own: NDArray[np.float64], off: float) -> float | None:
    """Chance that rank sums scatter as much, all orders of a judge being as likely; None if too many."""
    items = own.shape[1]
    if items > 6:
        return None
    # Doubled ranks are whole numbers. The last judge's order may be held, for all that counts is relative.
    whole = np.round(2 * own).astype(int)
    sums: Counter[tuple[int, ...]] = Counter({tuple(sorted(whole[-1].tolist())): 1})
    for row in whole[:-1]:
        orders = Counter(itertools.permutations(row.tolist()))
        found: Counter[tuple[int, ...]] = Counter()
        for before, ways in sums.items():
            for order, times in orders.items():
                # Items are alike by luck, so that only the sorted sums matter.
                found[tuple(sorted(map(sum, zip(before, order, strict=True))))] += ways * times
        sums = found
        if len(sums) > MOST_SUMS:
            return None
    mean = float(2 * own.sum() / items)
    total = sum(sums.values())
    far = sum(
        ways for found, ways in sums.items() if sum((value - mean) ** 2 for value in found) / 4 >= off - 1e-9
    )
    return far / total


def krippendorff(units: Sequence[Sequence[float]], scale: Scale) -> float | None:
    """Return Krippendorff's alpha: 1 where judges agree, 0 where chance would agree as much.

    Parameters
    ----------
    units : sequence of sequences of float
        Values that judges gave to each unit, in any number; for names, any number for each.
    scale : Scale
        How far two values are apart.

    Returns
    -------
    float or None
        None where no unit has two values, or all values are the same.

    Notes
    -----
    Krippendorff, Computing Krippendorff's Alpha-Reliability, 2011 (from memory).
    """
    paired = [list(values) for values in units if len(values) > 1]
    levels = sorted({value for values in paired for value in values})
    if len(levels) < 2:
        return None
    place = {value: number for number, value in enumerate(levels)}
    together = np.zeros((len(levels), len(levels)))
    for values in paired:
        counts = np.bincount([place[value] for value in values], minlength=len(levels)).astype(float)
        together += (np.outer(counts, counts) - np.diag(counts)) / (len(values) - 1)
    each = together.sum(axis=1)
    apart = _apart(levels, each, scale)
    expected = (np.outer(each, each) - np.diag(each)) / (each.sum() - 1)
    below = float((expected * apart).sum())
    return None if below <= 0 else 1 - float((together * apart).sum()) / below


def _apart(levels: Sequence[float], each: Floats, scale: Scale) -> Floats:
    """Squared distances of the levels."""
    count = len(levels)
    if scale is Scale.NOMINAL:
        return 1.0 - np.eye(count)
    if scale is Scale.INTERVAL:
        found: Floats = np.subtract.outer(np.array(levels), np.array(levels)) ** 2
        return found
    # Between two ranks lies everything that was given in between, and half of the two themselves.
    reached = np.cumsum(each) - each / 2
    ordinal: Floats = np.subtract.outer(reached, reached) ** 2
    return ordinal


def table_of(pairs: Sequence[tuple[int, int]], levels: Mapping[int, int]) -> Floats:
    """Return how often two judges gave each pair of grades; shape (levels, levels).

    Parameters
    ----------
    pairs : sequence of (int, int)
        Grades of the first and the second judge.
    levels : mapping of int to int
        Place of each grade in the table.
    """
    found = np.zeros((len(levels), len(levels)))
    for one, two in pairs:
        found[levels[one], levels[two]] += 1
    return found
