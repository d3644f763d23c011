"""Factorial designs: every combination, or a regular fraction with its aliases."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, product
from typing import Final

Combination = tuple[int, ...]
"""Index of the level of each factor; 0 is the baseline's level."""

LETTERS: Final = "ABCDEFGHJ"
"""Names of factors in words; I is left out, because it stands for the identity."""

FRACTIONS: Final[Mapping[tuple[int, int], Mapping[str, str]]] = {
    (3, 1): {"C": "AB"},
    (4, 1): {"D": "ABC"},
    (5, 1): {"E": "ABCD"},
    (5, 2): {"D": "AB", "E": "AC"},
    (6, 1): {"F": "ABCDE"},
    (6, 2): {"E": "ABC", "F": "BCD"},
    (6, 3): {"D": "AB", "E": "AC", "F": "BC"},
    (7, 1): {"G": "ABCDEF"},
    (7, 2): {"F": "ABCD", "G": "ABDE"},
    (7, 3): {"E": "ABC", "F": "BCD", "G": "ACD"},
    (7, 4): {"D": "AB", "E": "AC", "F": "BC", "G": "ABC"},
}
"""Generators of the fractions 2^(k−p) offered, by (k, p): the usual ones of highest resolution
and least aberration (standard tables, from memory; checked by word products in the tests)."""


@dataclass(frozen=True, slots=True)
class Fraction:
    """A regular fraction 2^(k−p) of a two-level factorial.

    Parameters
    ----------
    factors : int
        k, the number of factors.
    generators : mapping of str to str
        Word of each factor that is not free, such as ``{"D": "ABC"}``; all positive, with
        the baseline's level coded +1, so that the baseline is always among the runs.
    """

    factors: int
    generators: Mapping[str, str]

    @property
    def letters(self) -> str:
        """Letters of the factors, in order."""
        return LETTERS[: self.factors]

    def combinations(self) -> list[Combination]:
        """Return the 2^(k−p) combinations of levels, the baseline first."""
        free = [letter for letter in self.letters if letter not in self.generators]
        found = []
        for levels in product((0, 1), repeat=len(free)):
            level = dict(zip(free, levels, strict=True))
            # Level 0 is coded +1, so a product of signs is a sum of levels modulo 2.
            for letter, word in self.generators.items():
                level[letter] = sum(level[part] for part in word) % 2
            found.append(tuple(level[letter] for letter in self.letters))
        return found

    def defining_words(self) -> list[str]:
        """Return the words that equal the identity, shortest first.

        Notes
        -----
        Products of the generators' words modulo 2 (Box, Hunter and Hunter, Statistics for
        Experimenters; from memory).
        """
        basis = [_times(word, letter) for letter, word in self.generators.items()]
        words = set()
        for size in range(1, len(basis) + 1):
            for chosen in combinations(basis, size):
                word = ""
                for part in chosen:
                    word = _times(word, part)
                words.add(word)
        return sorted(words, key=lambda word: (len(word), word))

    @property
    def resolution(self) -> int:
        """Length of the shortest defining word."""
        return min(len(word) for word in self.defining_words())

    def aliases(self) -> dict[str, list[str]]:
        """Return what each main effect and two-factor interaction is mixed with.

        Returns
        -------
        dict of str to list of str
            Words of all main effects, then of all two-factor interactions; their aliases
            shortest first.
        """
        words = self.defining_words()
        effects = [*self.letters, *("".join(pair) for pair in combinations(self.letters, 2))]
        return {
            effect: sorted((_times(effect, word) for word in words), key=lambda word: (len(word), word))
            for effect in effects
        }


def full_factorial(levels: Sequence[int]) -> list[Combination]:
    """Return every combination of levels, the baseline first.

    Parameters
    ----------
    levels : sequence of int
        Number of levels of each factor, two or more each.
    """
    return list(product(*(range(count) for count in levels)))


def _times(one: str, other: str) -> str:
    """Multiply two words; a letter squared is the identity."""
    return "".join(sorted(set(one) ^ set(other)))
