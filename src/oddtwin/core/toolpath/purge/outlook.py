"""What a purge multiplier, or more pieces on a plate, would give.

Purge: mm³ × density / 1000 = grams; total = sum over changes of the pair's volume times the
multiplier, not less than the machine's minimum (common practice, no source).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from oddtwin.core.toolpath.purge.ledger import PurgePair


@dataclass(frozen=True, slots=True)
class PurgeOutlook:
    """What is purged at one multiplier: mm³ in all, and how many changes are held by the minimum."""

    multiplier: float
    volume_mm3: float
    at_minimum: int


def purge_outlook(pairs: Sequence[PurgePair], multiplier: float, minimum_mm3: float = 0.0) -> PurgeOutlook:
    """Return what the same changes would purge at another multiplier.

    Parameters
    ----------
    pairs : sequence of PurgePair
        As they are now, at multiplier 1.
    multiplier : float
        Of today's volumes, zero or more.
    minimum_mm3 : float
        What the machine purges at least at every change.

    Raises
    ------
    ValueError
        A figure is negative.
    """
    if multiplier < 0 or minimum_mm3 < 0:
        raise ValueError("give a multiplier and a minimum of zero or more")
    volume, held = 0.0, 0
    for pair in pairs:
        each = pair.each_mm3 * multiplier
        if each <= minimum_mm3:
            held += pair.changes
        volume += pair.changes * max(each, minimum_mm3)
    return PurgeOutlook(multiplier, volume, held)


def minimum_multiplier(pairs: Sequence[PurgePair], minimum_mm3: float) -> float:
    """Return the multiplier under which every change is held by the minimum, so that less changes nothing."""
    return minimum_mm3 / max((pair.each_mm3 for pair in pairs), default=float("inf"))


def waste_per_piece(volume_mm3: float, copies_now: int, copies: Sequence[int]) -> list[float]:
    """Return mm³ for each piece when other numbers of copies share a plate: all share the same changes.

    Parameters
    ----------
    volume_mm3 : float
        Of the plate.
    copies_now : int
        Pieces on it.
    copies : sequence of int
        Numbers of pieces to tell it for.

    Raises
    ------
    ValueError
        There is no piece.
    """
    if copies_now < 1 or min(copies, default=1) < 1:
        raise ValueError("a plate holds at least one piece")
    return [volume_mm3 / number for number in copies]
