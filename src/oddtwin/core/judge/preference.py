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

STEPS: Final = 300
FAR: Final = 12.0
"""Log-odds that looks alone do not lead to: something was won, or lost, always."""


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
        all its looks, and NaN with an infinite error where nothing places it against the first.
    tie, tie_error : float or None
        Logarithm of ν, and its error; None without ties, infinite where nearly all are ties.
    side, side_error : float or None
        γ: how much the left one is favoured, in log-odds; None where it was not asked, infinite or NaN as
        the worths are.
    log_likelihood : float
        Without multinomial coefficients.
    gaps : array of shape (names, names)
        Log-odds of each against each; infinite or NaN as the worths are.
    order : tuple of int
        Places of the names, the best first.
    """

    names: tuple[str, ...]
    log_worth: tuple[float, ...]
    errors: tuple[float, ...]
    tie: float | None
    tie_error: float | None
    side: float | None
    side_error: float | None
    log_likelihood: float
    gaps: Floats
    order: tuple[int, ...]

    def against(self, one: int, other: int) -> float:
        """Return the chance that one is preferred to another where somebody decides, 0 to 1, or NaN."""
        gap = float(self.gaps[one, other])
        return 1 / (1 + math.exp(-gap)) if not abs(gap) > 700 else float(gap > 0)


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
    errors = _errors(_information(features, chances, weights), float(weights.sum()))
    worth = np.eye(count, len(parameters), -1)
    against = (worth[:, None] - worth).reshape(-1, len(parameters))
    asked = np.vstack((against, np.eye(len(parameters))[count - 1 :]))
    told, further = np.split(_bounded(features, answers, parameters, asked), [count * count])
    gaps = told.reshape(count, count)
    errors = np.where(np.isfinite([*gaps[1:, 0], *further]), errors, math.inf)
    rest = iter(zip(further.tolist(), errors[count - 1 :].tolist(), strict=True))
    tie, tie_error = next(rest) if ties else (None, None)
    side, side_error = next(rest) if sides else (None, None)
    said = chances[np.arange(len(answers)), answers]
    likelihood = float((weights * np.log(np.maximum(said, 1e-300))).sum())
    return Ladder(
        tuple(names),
        tuple(gaps[:, 0].tolist()),
        (0.0, *errors[: count - 1].tolist()),
        tie,
        tie_error,
        side,
        side_error,
        likelihood,
        gaps,
        tuple(np.argsort(-np.round(worth @ parameters, 6), kind="stable").tolist()),
    )


def _errors(information: Floats, looks: float) -> Floats:
    """Return the standard errors of parameters, as far as the looks bound them."""
    sizes, directions = np.linalg.eigh(information)
    # Along the others the likelihood still rises far out, or the looks say nothing of them at all.
    bound = sizes > looks * math.exp(-FAR)
    errors: Floats = np.sqrt((np.square(directions[:, bound]) / sizes[bound]).sum(axis=1))
    return errors


def _bounded(features: Floats, answers: NDArray[np.int64], parameters: Floats, asked: Floats) -> Floats:
    """Return sums of parameters, by the rows of ``asked``; ±∞ without bound, NaN without one both ways.

    Parameters may go any way in which no answer that was given becomes less likely (Albert and Anderson 1984,
    from memory): how far each sum goes along such a way is a linear program.
    """
    from scipy.optimize import linprog

    chosen = features[np.arange(len(answers)), answers]
    lost = np.unique((features - chosen[:, None]).reshape(-1, features.shape[2]), axis=0)

    def rises(one: Floats) -> bool:
        return float(linprog(-one, lost, np.zeros(len(lost)), bounds=(-1, 1)).fun or 0.0) < -1e-6

    found: Floats = asked @ parameters
    if np.linalg.matrix_rank(lost) == features.shape[2] and not rises(-lost.sum(axis=0)):
        return found
    ways = {(True, False): math.inf, (False, True): -math.inf, (True, True): math.nan}
    told = zip(asked, found.tolist(), strict=True)
    return np.array([ways.get((rises(one), rises(-one)), value) for one, value in told])


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
