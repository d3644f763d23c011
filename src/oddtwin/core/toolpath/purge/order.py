"""The order of colours that purges least."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from typing import Final

from oddtwin.core.language import tr

MOST_COLOURS: Final = 9


def order_volume(order: Sequence[int], volume: Mapping[tuple[int, int], float]) -> float:
    """Return mm³ of one pass through the colours in an order.

    Parameters
    ----------
    order : sequence of int
        Colours, first to last.
    volume : mapping
        mm³ of a change, by (before, after).
    """
    return sum(volume[pair] for pair in itertools.pairwise(order))


def best_order(
    colours: Sequence[int], volume: Mapping[tuple[int, int], float], first: int | None = None
) -> tuple[list[int], float]:
    """Return the order that purges least in one pass, exactly.

    Parameters
    ----------
    colours : sequence of int
        Up to nine different ones.
    volume : mapping
        mm³ of a change, by (before, after), for every pair.
    first : int, optional
        The colour that must begin.

    Returns
    -------
    (list of int, float)
        The order, the first found of equals, and its mm³.

    Raises
    ------
    ValueError
        There are no or too many colours, or a pair is missing.

    Notes
    -----
    Held and Karp, A Dynamic Programming Approach to Sequencing Problems, 1962 (from memory).
    """
    names = list(dict.fromkeys(colours))
    if not names or len(names) > MOST_COLOURS or (first is not None and first not in names):
        raise ValueError(tr("give one to {most} colours, and the first among them", most=MOST_COLOURS))
    missing = [pair for pair in itertools.permutations(names, 2) if pair not in volume]
    if missing:
        before, after = missing[0]
        raise ValueError(tr("the purge from colour {one} to {two} is not known", one=before, two=after))
    best: dict[tuple[int, int], tuple[float, tuple[int, ...]]] = {
        # Of all orders of the same colours that end alike only the cheapest can go on.
        (1 << place, place): (0.0, (colour,))
        for place, colour in enumerate(names)
        if first is None or colour == first
    }
    for _ in range(len(names) - 1):
        longer: dict[tuple[int, int], tuple[float, tuple[int, ...]]] = {}
        for (used, last), (cost, order) in best.items():
            for place, colour in enumerate(names):
                if used >> place & 1:
                    continue
                key = used | 1 << place, place
                found = cost + volume[names[last], colour], (*order, colour)
                if key not in longer or found[0] < longer[key][0]:
                    longer[key] = found
        best = longer
    cost, order = min(best.values(), key=lambda found: found[0])
    return list(order), cost
