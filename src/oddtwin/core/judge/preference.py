"""Which is better: a ladder of prints or arms from paired looks, with ties and the side that came first.

Bradley and Terry 1952; ties by Davidson 1970 (formulas from memory). A look at i on the left and j on the
right says “left”, “tie” or “right” with odds e^(aᵢ + γ) : ν·e^((aᵢ + γ + aⱼ)/2) : e^(aⱼ).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr

STEPS: Final = 60
FAR: Final = 12.0
"""Log-odds beyond which an item has won, or lost, all there was: its place has no bound."""


class Look(NamedTuple):
    """One paired look: items left and right, the answer (−1 left, 0 tie, +1 right), and how often."""

    left: int
    right: int
    answer: int
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class Ladder:
    """A fitted ladder.

    Parameters
    ----------
    names : tuple of str
    log_worth, errors : tuple of float
        Log-odds of each against the first name, and its standard error; infinite where one has won or lost
        all its looks.
    tie, tie_error : float or None
        Logarithm of ν, and its error; None without ties.
    side, side_error : float or None
        γ: how much the left one is favoured, in log-odds; None where it was not asked.
    log_likelihood : float
        Without multinomial coefficients.
    """

    names: tuple[str, ...]
    log_worth: tuple[float, ...]
    errors: tuple[float, ...]
    tie: float | None
    tie_error: float | None
    side: float | None
    side_error: float | None
    log_likelihood: float

    @property
    def order(self) -> list[int]:
        """Places of the names, the best first."""
        return sorted(range(len(self.names)), key=lambda place: -self.log_worth[place])

    def against(self, one: int, other: int) -> float:
        """Return the chance that one is preferred to another where somebody decides, 0 to 1."""
        gap = self.log_worth[one] - self.log_worth[other]
        return 1 / (1 + math.exp(-gap)) if abs(gap) < 700 else float(gap > 0)


def ladder(names: Sequence[str], looks: Sequence[Look], *, sides: bool = False) -> Ladder:
    """Fit a ladder to paired looks.

    Parameters
    ----------
    names : sequence of str
        Items; the first one is at zero.
    looks : sequence of Look
        All answers.
    sides : bool
        Whether the side is fitted too.

    Raises
    ------
    ValueError
        There is no look, or some items were never compared with the others.
    """
    count = len(names)
    if not looks or count < 2:
        raise ValueError(tr("a ladder needs two items or more, and looks at them"))
    if not _joined(count, looks):
        raise ValueError(tr("some items were never compared with the others, so no ladder joins them"))
    ties = any(look.answer == 0 for look in looks)
    # The side is only a parameter where items lay both ways round; else it is one with the items.
    features, answers, weights = _features(count, looks, ties, sides)
    parameters = _newton(features, answers, weights)
    chances = _chances(features, parameters)
    information = _information(features, chances, weights)
    errors = np.sqrt(np.maximum(np.diag(np.linalg.pinv(information)), 0.0))
    own = np.concatenate(([0.0], parameters[: count - 1]))
    own_errors = np.concatenate(([0.0], errors[: count - 1]))
    far = np.abs(own) > FAR
    own = np.where(far, np.copysign(math.inf, own), own)
    rest = iter(zip(parameters[count - 1 :].tolist(), errors[count - 1 :].tolist(), strict=True))
    tie, tie_error = next(rest) if ties else (None, None)
    side, side_error = next(rest) if sides else (None, None)
    if side is not None and abs(side) > FAR:
        side, side_error = math.copysign(math.inf, side), math.inf
    rows = np.arange(len(answers))
    likelihood = float((weights * np.log(np.maximum(chances[rows, answers], 1e-300))).sum())
    return Ladder(
        tuple(names),
        tuple(own.tolist()),
        tuple(np.where(far, math.inf, own_errors).tolist()),
        tie,
        tie_error,
        side,
        side_error,
        likelihood,
    )


def _joined(count: int, looks: Sequence[Look]) -> bool:
    """Whether looks lead from any item to any other."""
    reached, open_ = {0}, [0]
    near: dict[int, set[int]] = {}
    for look in looks:
        near.setdefault(look.left, set()).add(look.right)
        near.setdefault(look.right, set()).add(look.left)
    while open_:
        for other in near.get(open_.pop(), set()) - reached:
            reached.add(other)
            open_.append(other)
    return len(reached) == count


def _features(
    count: int, looks: Sequence[Look], ties: bool, sides: bool
) -> tuple[Floats, NDArray[np.int64], Floats]:
    """Return what each answer's log-odds are made of; shape (looks, answers, parameters)."""
    size = count - 1 + ties + sides
    found = np.zeros((len(looks), 3 if ties else 2, size + 1))
    for row, look in enumerate(looks):
        # Parameter 0 is that of the first item, which is zero; it is dropped below.
        found[row, 0, look.left] += 1.0
        found[row, 1, look.right] += 1.0
        if sides:
            found[row, 0, size] = 1.0
        if ties:
            found[row, 2] = (found[row, 0] + found[row, 1]) / 2
            found[row, 2, count] = 1.0
    place = {-1: 0, 1: 1, 0: 2}
    answers = np.array([place[look.answer] for look in looks])
    return found[:, :, 1:], answers, np.array([look.weight for look in looks])


def _newton(features: Floats, answers: NDArray[np.int64], weights: Floats) -> Floats:
    """Return the parameters with the greatest likelihood, which is concave."""
    parameters = np.zeros(features.shape[2])
    chosen = features[np.arange(len(answers)), answers]
    for _ in range(STEPS):
        chances = _chances(features, parameters)
        mean = (chances[:, :, None] * features).sum(axis=1)
        slope = (weights[:, None] * (chosen - mean)).sum(axis=0)
        # A pseudo-inverse: what the looks say nothing of stays where it is.
        step = np.linalg.pinv(_information(features, chances, weights)) @ slope
        # Where one item wins everything the top lies infinitely far off; steps of one lead there slowly.
        parameters = parameters + step / max(1.0, float(np.abs(step).max(initial=0.0)))
        if float(np.abs(step).max(initial=0.0)) < 1e-10:
            break
    return parameters


def _chances(features: Floats, parameters: Floats) -> Floats:
    odds = features @ parameters
    odds = np.exp(odds - odds.max(axis=1, keepdims=True))
    found: Floats = odds / odds.sum(axis=1, keepdims=True)
    return found


def _information(features: Floats, chances: Floats, weights: Floats) -> Floats:
    mean = (chances[:, :, None] * features).sum(axis=1)
    away = features - mean[:, None, :]
    found: Floats = np.einsum("n,nk,nki,nkj->ij", weights, chances, away, away)
    return found
