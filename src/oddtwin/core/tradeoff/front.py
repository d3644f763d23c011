"""Which arms nothing beats, and which one wins by an order of priorities."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Axis:
    """One thing that arms are weighed by.

    Parameters
    ----------
    key : str
        Unique, such as ``minutes``.
    name, unit : str
        As shown.
    better : int
        1 where less is better, −1 where more is.
    tie : float
        Differences up to this much are ties, in the unit.
    """

    key: str
    name: str
    unit: str
    better: int = 1
    tie: float = 0.0


Values = Mapping[str, float]
"""Of one arm: a figure for each axis that it has one on."""


def beats(one: Values, other: Values, axes: Sequence[Axis]) -> bool:
    """Return whether one arm beats another: worse on no axis and better on one; ties are neither.

    An axis on which either has no figure says nothing against it, and nothing for it.
    """
    ahead = False
    for axis in axes:
        if axis.key not in one or axis.key not in other:
            continue
        less = axis.better * (other[axis.key] - one[axis.key])
        if less < -axis.tie:
            return False
        ahead |= less > axis.tie
    return ahead


def undominated(arms: Mapping[str, Values], axes: Sequence[Axis]) -> tuple[list[str], dict[str, list[str]]]:
    """Return the arms that nothing beats, and by name which arms beat each of the others.

    Parameters
    ----------
    arms : mapping of str to mapping
        Figures by axis, by the name of the arm.
    axes : sequence of Axis
        What they are weighed by.
    """
    beaten = {
        name: [other for other in arms if other != name and beats(arms[other], arms[name], axes)]
        for name in arms
    }
    front = [name for name in arms if not beaten[name]]
    return front, {name: by for name, by in beaten.items() if by}


@dataclass(frozen=True, slots=True)
class Pick:
    """What an order of priorities picks: the arms left, and the axis that decided; empty where none did."""

    arms: tuple[str, ...]
    decided_by: str
    tied_on: tuple[str, ...]


def by_priorities(arms: Mapping[str, Values], axes: Sequence[Axis]) -> Pick:
    """Return which arms win when axes count one after another, ties with the best going on to the next.

    Parameters
    ----------
    arms : mapping of str to mapping
        Figures by axis, by the name of the arm.
    axes : sequence of Axis
        The first counts first.
    """
    left, tied = list(arms), list[str]()
    for axis in axes:
        known = [name for name in left if axis.key in arms[name]]
        if len(known) < 2:
            continue
        best = min(axis.better * arms[name][axis.key] for name in known)
        # Ties are with the best itself: a chain of ties would let the worst of many in.
        kept = [name for name in known if axis.better * arms[name][axis.key] - best <= axis.tie]
        if len(kept) == 1:
            return Pick((kept[0],), axis.key, tuple(tied))
        if len(kept) == len(left):
            tied.append(axis.key)
        left = kept
    return Pick(tuple(left), "", tuple(tied))
