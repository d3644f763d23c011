"""Balanced incomplete blocks: which arms to print together where a block cannot hold all of them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations
from typing import Final

from oddtwin.core.language import tr

MOST_BASES: Final = 2
"""Base blocks that are looked for; beyond, all combinations are taken."""


def balanced_blocks(arms: int, size: int) -> list[tuple[int, ...]]:
    """Return blocks in which every arm stands equally often, and every two arms equally often together.

    Parameters
    ----------
    arms : int
        How many there are, two or more.
    size : int
        How many a block holds, two or more.

    Returns
    -------
    list of tuple of int
        Indices of arms. One block where it holds all; else the shifts of base blocks whose
        differences cover all residues equally (difference families; Bose 1939, from memory),
        their complements, or all combinations, whichever are fewest.

    Raises
    ------
    ValueError
        A block cannot hold so many.
    """
    if size < 2 or size > arms:
        raise ValueError(tr("a block holds 2 to {arms} of {arms} arms", arms=arms))
    if size == arms:
        return [tuple(range(arms))]
    found = _shifted(arms, size)
    if found is None and arms - size >= 2:
        # What the blocks of a balanced design leave out is a balanced design itself.
        rest = _shifted(arms, arms - size)
        found = rest and [tuple(sorted(set(range(arms)) - set(block))) for block in rest]
    return found or list(combinations(range(arms), size))


def _shifted(arms: int, size: int) -> list[tuple[int, ...]] | None:
    """Return all shifts of the fewest base blocks that are balanced; None where there are none."""
    # Cyclic designs: every block is a base block shifted round, so that only a few bases have to be looked
    # through.
    bases = [(0, *rest) for rest in combinations(range(1, arms), size - 1)]
    for count in range(1, MOST_BASES + 1):
        for chosen in combinations(bases, count):
            if _covers_equally(arms, chosen):
                blocks = [
                    tuple(sorted((arm + shift) % arms for arm in base))
                    for base in chosen
                    for shift in range(arms)
                ]
                return blocks if len(set(blocks)) == len(blocks) else None
    return None


def _covers_equally(arms: int, bases: Sequence[tuple[int, ...]]) -> bool:
    counts = [0] * arms
    for base in bases:
        for one in base:
            for two in base:
                # Shifted round, two arms meet as often as their difference occurs in a base block.
                counts[(one - two) % arms] += 1
    return len(set(counts[1:])) == 1
