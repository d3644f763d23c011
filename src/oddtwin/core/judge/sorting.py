"""Prints that are sorted back to their arms: how often guessing sorts so many right."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Final

from oddtwin.core.language import tr

MOST_STATES: Final = 200_000


def sorting_chances(truth: Sequence[str], answers: Sequence[str]) -> list[Fraction]:
    """Return the chance of exactly 0, 1, … all right when the answers are dealt out by luck.

    Parameters
    ----------
    truth : sequence of str
        Arm of every print.
    answers : sequence of str
        Arm that each was sorted to, in the same order; every order of them is equally likely by luck.

    Returns
    -------
    list of Fraction

    Raises
    ------
    ValueError
        They are not as many.

    Notes
    -----
    Rook polynomials: k prints of an arm meet their own places in C(a, k)·C(b, k)·k! ways, and arms multiply
    (Riordan, An Introduction to Combinatorial Analysis; from memory). One print an arm gives the rencontres
    numbers, two arms the hypergeometric distribution.
    """
    if len(truth) != len(answers):
        raise ValueError(tr("every print needs the arm that it is of and the arm that it was sorted to"))
    count, own, said = len(truth), Counter(truth), Counter(answers)
    rooks = [1]
    for arm, a in own.items():
        b = said[arm]
        ways = [math.comb(a, k) * math.comb(b, k) * math.factorial(k) for k in range(min(a, b) + 1)]
        rooks = _times(rooks, ways)
    rooks += [0] * (count + 1 - len(rooks))
    whole = [ways * math.factorial(count - k) for k, ways in enumerate(rooks)]
    # Inclusion and exclusion: of all ways with some right, those with more right are taken away again.
    exactly = [
        sum((-1) ** (k - right) * math.comb(k, right) * whole[k] for k in range(right, count + 1))
        for right in range(count + 1)
    ]
    return [Fraction(ways, math.factorial(count)) for ways in exactly]


def sorting_tail(sittings: Sequence[tuple[Sequence[str], Sequence[str]]], right: int) -> float:
    """Return the chance that guessing sorts so many or more right, over all sittings together.

    Parameters
    ----------
    sittings : sequence of (sequence of str, sequence of str)
        True arms and answers of each judge and trial.
    right : int
        Prints sorted right in all.
    """
    together = [1.0]
    for truth, answers in sittings:
        own = [float(chance) for chance in sorting_chances(truth, answers)]
        found = [0.0] * (len(together) + len(own) - 1)
        for one, share in enumerate(together):
            for two, other in enumerate(own):
                found[one + two] += share * other
        together = found
    return min(1.0, math.fsum(together[right:]))


def labelling_tail(arms: Sequence[str], answers: Sequence[Mapping[str, int]]) -> float | None:
    """Return how often so many answers are right when the prints had been shared out among the arms by luck.

    Parameters
    ----------
    arms : sequence of str
        True arm of every print.
    answers : sequence of mapping of str to int
        How often each print, in the same order, was sorted to each arm, by whatever judges.

    Returns
    -------
    float or None
        None where there are too many ways to share them out.

    Notes
    -----
    A permutation test with the print as its unit: judges who agree in what they see of a print add no prints.
    """
    counts = Counter(arms)
    names = sorted(counts)
    if math.prod(count + 1 for count in counts.values()) * (1 + sum(map(_most, answers))) > MOST_STATES:
        return None
    # Ways by how many prints each arm has been given, and by how many answers are right so far.
    ways: Counter[tuple[tuple[int, ...], int]] = Counter({((0,) * len(names), 0): 1})
    for said in answers:
        after: Counter[tuple[tuple[int, ...], int]] = Counter()
        for (given, right), count in ways.items():
            for place, name in enumerate(names):
                if given[place] < counts[name]:
                    more = (*given[:place], given[place] + 1, *given[place + 1 :])
                    after[more, right + said.get(name, 0)] += count
        ways = after
    seen = sum(said.get(arm, 0) for arm, said in zip(arms, answers, strict=True))
    return float(Fraction(sum(count for (_, right), count in ways.items() if right >= seen), ways.total()))


def _most(said: Mapping[str, int]) -> int:
    return max(said.values(), default=0)


def _times(one: Sequence[int], two: Sequence[int]) -> list[int]:
    found = [0] * (len(one) + len(two) - 1)
    for i, a in enumerate(one):
        for j, b in enumerate(two):
            found[i + j] += a * b
    return found
