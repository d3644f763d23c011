"""Words that prints were described with: counted, and never averaged."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Final

import numpy as np

MOST_TABLES: Final = 200_000
"""Ways to deal the words out up to which all are gone through; beyond, so many are drawn."""

DRAWS: Final = 20_000


def p_of_words(baseline: Sequence[str], change: Sequence[str], rng: np.random.Generator) -> float | None:
    """Return the p value of the words having nothing to do with the arm.

    Parameters
    ----------
    baseline, change : sequence of str
        One word of each print.
    rng : numpy.random.Generator
        Where there are too many ways to deal the words out.

    Returns
    -------
    float or None
        By Freeman and Halton's exact test: all tables with these totals that are no more likely. None
        where an arm has no word.
    """
    if not baseline or not change:
        return None
    words = sorted({*baseline, *change})
    there, totals = Counter(change), Counter([*baseline, *change])
    counts, most = [there[word] for word in words], [totals[word] for word in words]

    def weight(row: Sequence[int]) -> int:
        return math.prod(math.comb(total, count) for total, count in zip(most, row, strict=True))

    own = weight(counts)
    if math.prod(total + 1 for total in most) <= MOST_TABLES:
        likely = sum(w for row in _rows(most, len(change)) if (w := weight(row)) <= own)
        return likely / math.comb(len(baseline) + len(change), len(change))
    pool = np.repeat(np.arange(len(words)), most)
    as_far = 0
    for _ in range(DRAWS):
        drawn = np.bincount(rng.permutation(pool)[: len(change)], minlength=len(words))
        as_far += weight(drawn.tolist()) <= own
    return (as_far + 1) / (DRAWS + 1)


def _rows(most: Sequence[int], total: int) -> Iterator[list[int]]:
    """Yield every way to take so many in all."""
    if len(most) == 1:
        if total <= most[0]:
            yield [total]
        return
    for count in range(min(most[0], total) + 1):
        for rest in _rows(most[1:], total - count):
            yield [count, *rest]
