"""Orders and codes drawn from a seed, the same for ever."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Final, TypeVar

import numpy as np

T = TypeVar("T")

ORDER_VERSION: Final = 2
"""Version of how orders are drawn; a plan keeps the version that it was drawn with.

Version 1 shuffled every block by itself; version 2 balances the places of the arms over the blocks.
"""

# No vowels, so that no word appears; no sign that can be taken for another.
_LETTERS: Final = "CDFHJKMNPRTVWXY"
_DIGITS: Final = "34679"


class SeededOrder:
    """Draws shuffles and codes from a seed.

    Rests on the raw output of the PCG64 generator, whose stream NumPy promises to
    keep (NEP 19), and not on NumPy's own shuffling, which may change.

    Parameters
    ----------
    seed : int
        Zero or more.
    """

    def __init__(self, seed: int) -> None:
        self._bits = np.random.PCG64(seed)

    def below(self, limit: int) -> int:
        """Draw a whole number from 0 to ``limit`` − 1, every one equally likely.

        Parameters
        ----------
        limit : int
            One to 2⁶⁴; raw draws that would favour small numbers are drawn again.
        """
        # Raw numbers beyond the last whole multiple are drawn again: a plain remainder favours the small
        # ones. Only raw bits of the generator are used, because its derived draws may change between
        # versions of the library.
        span = 2**64 - 2**64 % limit
        while True:
            raw = int(self._bits.random_raw())
            if raw < span:
                return raw % limit

    def shuffled(self, items: Sequence[T]) -> list[T]:
        """Return the items in random order (Fisher–Yates shuffle; Durstenfeld 1964, from memory)."""
        result = list(items)
        for last in range(len(result) - 1, 0, -1):
            other = self.below(last + 1)
            result[last], result[other] = result[other], result[last]
        return result

    def code(self, taken: Collection[str]) -> str:
        """Draw a short code that is not taken, such as ``K7M``; it says nothing of the arm.

        Parameters
        ----------
        taken : collection of str
            Codes in use; when the short ones run out, a longer one is drawn.
        """
        length = 3
        while True:
            for _ in range(50):
                # A digit in the middle keeps the code from being read as a word.
                signs = [_DIGITS if place == 1 else _LETTERS for place in range(length)]
                drawn = "".join(choices[self.below(len(choices))] for choices in signs)
                if drawn not in taken:
                    return drawn
            length += 1
