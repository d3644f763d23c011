"""The smallest fault that an eye sees: an adaptive staircase, and the psychometric function through it.

Two faces lie side by side and one has the fault; whoever does not see it is right in half of the looks. The
size is halved until the first wrong answer; then it goes down after three right answers in a row and up after
a wrong one (Levitt 1971; from memory), so
that the looks gather where they tell most. The threshold is the size at which half of the looks that are no
guesses see it, three of four answers right; a lapse rate lets a slip of the hand not be taken for blindness
(Wichmann and Hill 2001; from memory).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.judge.luck import BlindTest, luck
from oddtwin.core.language import tr

RIGHT_IN_A_ROW: Final = 3
FIRST_STEP, LAST_STEP = 2.0, 1.25
"""Factors between sizes: until the second turn, and after it."""
FEWEST_LOOKS: Final = 20
ENOUGH_LOOKS: Final = 60
USUAL_SLOPE, SLOPE_SPREAD = 3.5, 0.5
"""How the chance rises with the logarithm of the size, and how much that differs (a weak prior)."""
GUESSING: Final = 0.5
MOST_LAPSES: Final = 0.06
SURE: Final = 0.05
PROFILE_95: Final = 1.920729
"""Half of the 95 % point of chi-square with one degree of freedom."""


class SizedLook(NamedTuple):
    """One look: size of the fault, and whether it was found on its side."""

    size: float
    right: bool


def next_size(looks: Sequence[SizedLook], start: float, least: float, most: float) -> float:
    """Return the size of the fault that is shown next.

    Parameters
    ----------
    looks : sequence of SizedLook
        So far.
    start, least, most : float
        The first size, and the ends beyond which nothing can be shown, in the fault's unit.
    """
    if not looks:
        return start
    size, streak, turns, going, missed = start, 0, 0, 0, False
    for look in looks:
        size = look.size
        # The quick way down ends for good at the first miss, be it a slip: the staircase comes back alone.
        missed = missed or not look.right
        streak = streak + 1 if look.right else 0
        wanted = RIGHT_IN_A_ROW if missed else 1
        move = -1 if streak == wanted else 0 if look.right else 1
        if move:
            # Large steps bring the size near, small ones keep it there.
            turns += bool(going) and move != going
            going, streak = move, 0
            size *= (FIRST_STEP if turns < 2 else LAST_STEP) ** move
    return min(most, max(least, size))


@dataclass(frozen=True, slots=True)
class Seeing:
    """What the looks of one judge come to.

    Parameters
    ----------
    threshold : float
        Size that is seen in three of four answers, in the fault's unit.
    low, high : float or None
        Ends of its 95 % interval; None where the looks do not tell one.
    slope : float
        Of the psychometric function, per e-fold of the size.
    lapse : float
        Share of looks that miss any fault.
    looks : int
        How many there are.
    """

    threshold: float
    low: float | None
    high: float | None
    slope: float
    lapse: float
    looks: int


def seeing(looks: Sequence[SizedLook]) -> Seeing:
    """Fit the psychometric function to the looks of one judge.

    Parameters
    ----------
    looks : sequence of SizedLook
        In any order; at least twenty.

    Returns
    -------
    Seeing
        By maximum likelihood; the interval is that of the profile likelihood.

    Raises
    ------
    ValueError
        There are too few looks, or no size at which the answers begin to be wrong; a sentence.
    """
    if len(looks) < FEWEST_LOOKS:
        raise ValueError(
            tr(
                "{looks} looks tell too little; {FEWEST_LOOKS} are needed at least.",
                looks=len(looks),
                FEWEST_LOOKS=FEWEST_LOOKS,
            )
        )
    right = sum(look.right for look in looks)
    if right == len(looks):
        raise ValueError(
            tr("Every look was right, so the smallest fault that is seen is smaller than any shown.")
        )
    if luck(BlindTest.PAIR, len(looks), right).chance > SURE:
        raise ValueError(tr("The answers are no better than guesses: begin with a larger fault."))
    # In logarithms: eyes tell ratios of contrast, and not differences.
    sizes = np.log([look.size for look in looks])
    # Looks at one size are one binomial; the grid below is then small, however many looks there are.
    found, back = np.unique(sizes, return_inverse=True)
    shown = np.bincount(back).astype(np.float64)
    hits = np.bincount(back, weights=np.array([look.right for look in looks], np.float64)).astype(np.float64)
    # A grid and no search: the likelihood of few looks has several hills.
    middle = np.linspace(found[0] - 1.5, found[-1] + 1.5, 241)
    slope = np.geomspace(0.8, 12.0, 25)
    lapse = np.linspace(0.0, MOST_LAPSES, 5)
    chance = _chances(found, middle, slope, lapse)
    likely = (hits * np.log(chance) + (shown - hits) * np.log1p(-chance)).sum(axis=-1)
    # Forty looks tell little of the slope by themselves; without this an odd one bends the whole curve.
    likely -= ((np.log(slope / USUAL_SLOPE) / SLOPE_SPREAD) ** 2 / 2)[None, :, None]
    at = np.unravel_index(int(likely.argmax()), likely.shape)
    low, high = _interval(middle, likely.max(axis=(1, 2)))
    return Seeing(math.exp(middle[at[0]]), low, high, float(slope[at[1]]), float(lapse[at[2]]), len(looks))


def _chances(sizes: Floats, middle: Floats, slope: Floats, lapse: Floats) -> Floats:
    """Return the chance of a right answer; shape (middle, slope, lapse, sizes)."""
    # Clipped, so that no logarithm of zero comes out of a look that was all but sure.
    turn = slope[None, :, None, None] * (sizes[None, None, None, :] - middle[:, None, None, None])
    rise = 1 / (1 + np.exp(-np.clip(turn, -60, 60)))
    found: Floats = GUESSING + (1 - GUESSING - lapse[None, None, :, None]) * rise
    return np.clip(found, 1e-9, 1 - 1e-9)


def _interval(middle: Floats, profile: Floats) -> tuple[float | None, float | None]:
    # Where the interval reaches the end of the grid, the looks set no bound on that side.
    inside = np.flatnonzero(profile >= profile.max() - PROFILE_95)
    low = None if inside[0] == 0 else math.exp(middle[inside[0]])
    high = None if inside[-1] == len(middle) - 1 else math.exp(middle[inside[-1]])
    return low, high
