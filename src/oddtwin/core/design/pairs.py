"""Pairs of prints in blocks, with true twins of the baseline."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass

from oddtwin.core.design.order import SeededOrder


@dataclass(frozen=True, slots=True)
class Cell:
    """One machine printing one piece (their ids)."""

    machine_id: int
    piece_id: int


@dataclass(frozen=True, slots=True)
class PlannedRun:
    """One print to make.

    Parameters
    ----------
    code : str
        Short, unique in the study, silent about the arm.
    is_baseline : bool
        Which arm it belongs to.
    pair : int
        Number of its pair, from 1 over the whole study.
    cell : Cell
        Machine and piece.
    """

    code: str
    is_baseline: bool
    pair: int
    cell: Cell


@dataclass(frozen=True, slots=True)
class Totals:
    """What a list of runs takes."""

    minutes: float
    grams: float


def plan_pairs(
    cells: Sequence[Cell],
    pairs: int,
    twins: int,
    seed: int,
    first_pair: int = 1,
    taken: Collection[str] = (),
) -> list[PlannedRun]:
    """Draw a randomised run list of pairs in blocks.

    Parameters
    ----------
    cells : sequence of Cell
        Every combination of machine and piece; each gets its own pairs.
    pairs : int
        Pairs in each cell, one or more.
    twins : int
        Further prints of the baseline over the whole study, zero or more; each is
        printed inside a pair, spread evenly over the pairs in drawn order.
    seed : int
        The same seed gives the same list for ever.
    first_pair : int
        Number of the first pair.
    taken : collection of str
        Codes already in use.

    Returns
    -------
    list of PlannedRun
        In the order to print: pairs of the cells in turn, cells and the prints inside
        each pair in drawn order.

    Raises
    ------
    ValueError
        No cell, no pair, negative twins or seed.
    """
    if not cells:
        raise ValueError("choose at least one machine and one piece")
    if pairs < 1:
        raise ValueError("plan at least one pair")
    if twins < 0 or seed < 0:
        raise ValueError("twins and seed must be zero or more")
    order = SeededOrder(seed)
    blocks = [cell for _ in range(pairs) for cell in order.shuffled(cells)]
    extra = [twins // len(blocks)] * len(blocks)
    for index in order.shuffled(range(len(blocks)))[: twins % len(blocks)]:
        extra[index] += 1
    used = set(taken)
    runs = []
    for index, cell in enumerate(blocks):
        for is_baseline in order.shuffled([True, False] + [True] * extra[index]):
            code = order.code(used)
            used.add(code)
            runs.append(PlannedRun(code, is_baseline, first_pair + index, cell))
    return runs


def totals(estimates: Iterable[tuple[float, float]]) -> Totals:
    """Add up the estimated minutes and grams of runs.

    Parameters
    ----------
    estimates : iterable of (minutes, grams)
        One for each run, waste included in the grams.
    """
    listed = list(estimates)
    return Totals(sum(minutes for minutes, _ in listed), sum(grams for _, grams in listed))
