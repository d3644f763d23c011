"""Orders inside blocks that give every arm every place about equally often, and are random within that."""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Sequence
from itertools import combinations, permutations
from typing import Final

from oddtwin.core.design.order import SeededOrder

MOST_TRIED: Final = 5
"""Up to so many arms every arrangement is weighed; beyond, exchanges of two are."""

_HERE: Final = 1000


class BalancedOrder:
    """Draws the order of one block after another.

    A drift passes for the change where one arm stands first more often. With orders drawn
    independently that is so in a quarter of all lists of three pairs; here the first places of
    two arms differ by one at most, in each cell and over the whole study.

    Parameters
    ----------
    order : SeededOrder
        Decides among the arrangements that are equally fair.
    """

    def __init__(self, order: SeededOrder) -> None:
        self._order = order
        self._here: Counter[tuple[Hashable, int, int]] = Counter()
        self._all: Counter[tuple[int, int]] = Counter()

    def seen(self, cell: Hashable, arms: Sequence[int]) -> None:
        """Count a block that is there already; of an arm that stands in it twice the first place."""
        for place, arm in enumerate(dict.fromkeys(arms)):
            self._here[cell, arm, place] += 1
            self._all[arm, place] += 1

    def draw(self, cell: Hashable, arms: Sequence[int]) -> list[int]:
        """Return the arms of the next block of a cell in the order to print them.

        Parameters
        ----------
        cell : hashable
            What a balance of its own is kept for.
        arms : sequence of int
            To print; what stands more than once, as twins do, is put in anywhere.
        """
        counted = Counter(arms)
        # Sorted first: the draw must not hang on the order in which a caller lists the arms.
        once = self._order.shuffled(sorted(counted))
        fairest = self._best_of_all(cell, once) if len(once) <= MOST_TRIED else self._improved(cell, once)
        self.seen(cell, fairest)
        for arm in sorted(counted):
            for _ in range(counted[arm] - 1):
                # Twins come in after the balancing, anywhere: they have no place of their own to be
                # balanced over.
                fairest.insert(self._order.below(len(fairest) + 1), arm)
        return fairest

    def _best_of_all(self, cell: Hashable, arms: Sequence[int]) -> list[int]:
        # Shuffled, so that among equally fair orders chance decides and not the order of listing.
        tried = self._order.shuffled([list(way) for way in permutations(arms)])
        return min(tried, key=lambda way: self._unfairness(cell, way))

    def _improved(self, cell: Hashable, arms: Sequence[int]) -> list[int]:
        """Exchange two places as long as that makes the order fairer."""
        best, score = list(arms), self._unfairness(cell, arms)
        better = True
        while better:
            better = False
            for one, two in combinations(range(len(best)), 2):
                changed = best.copy()
                changed[one], changed[two] = changed[two], changed[one]
                if self._unfairness(cell, changed) < score:
                    best, score, better = changed, self._unfairness(cell, changed), True
        return best

    def _unfairness(self, cell: Hashable, arms: Sequence[int]) -> int:
        """How often the arms had these places already: in their cell first, then anywhere."""
        return sum(
            _HERE * self._here[cell, arm, place] + self._all[arm, place] for place, arm in enumerate(arms)
        )
