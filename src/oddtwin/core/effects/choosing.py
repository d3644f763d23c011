"""Which method judges prints of a shape, and how many more would settle it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

from oddtwin.core.effects.by_count import Proportions, Rates
from oddtwin.core.effects.by_median import RankSum, SignTest
from oddtwin.core.effects.by_t import StudentT
from oddtwin.core.effects.method import Data, Ends, Inference, Measure, Method, Power, Shape, Studies, Truth
from oddtwin.core.effects.noise import NoiseFloor
from oddtwin.core.language import tr

SETTLING_CHANCE: Final = 0.8
"""Chance of a settled verdict that the number of further pairs is chosen for."""

MOST_FURTHER: Final = 1000
"""Beyond this many the answer is that more prints are not the way."""


class Nothing:
    """What is said where no method can judge."""

    def applies(self, shape: Shape) -> bool:
        """Whether: always."""
        return True

    def infer(self, data: Data) -> Inference:
        """Say why nothing can be said."""
        return Inference(tr("none: too few prints, and no noise floor"))

    def infer_many(self, studies: Studies, measure: Measure) -> Ends | None:
        """Say nothing."""
        return None

    def chances(self, shape: Shape, truth: Truth) -> Power | None:
        """Say nothing."""
        return None


METHODS: Final[tuple[Method, ...]] = (
    StudentT(),
    SignTest(),
    RankSum(),
    Proportions(),
    Rates(),
    Nothing(),
)
"""In the order in which they are asked whether they apply."""


def method_for(shape: Shape) -> Method:
    """Return the method that judges prints of a shape, whether they are made, simulated or planned."""
    # The one place where a method is chosen: plan, rehearsal and verdict would else promise by one rule and
    # judge by another.
    return next(method for method in METHODS if method.applies(shape))


@dataclass(frozen=True, slots=True)
class Further:
    """How many further pairs, or prints of each arm, would settle a comparison.

    Parameters
    ----------
    count : int
        With the scatter that was seen.
    fewest, most : int or None
        Where the true scatter lies at the ends of its 80 % interval; ``most`` is None where no number
        would do, both where its degrees of freedom are not known.
    """

    count: int
    fewest: int | None = None
    most: int | None = None


@lru_cache(maxsize=4096)
def further_settling(shape: Shape, truth: Truth, differs: bool, df: float | None) -> Further | None:
    """Return how many further pairs would take the verdict on, and how sure that number is.

    Parameters
    ----------
    shape, truth, differs
        As in `further_prints`.
    df : float or None
        Degrees of freedom of the scatter, where they are known.
    """
    count = further_prints(shape, truth, differs)
    if count is None:
        return None
    if df is None:
        return Further(count)
    ends = NoiseFloor(truth.sd, df).interval(SETTLING_CHANCE)
    fewest, most = (further_prints(shape, replace(truth, sd=sd), differs) for sd in ends)
    return Further(count, fewest, most)


def further_prints(shape: Shape, truth: Truth, differs: bool) -> int | None:
    """Return the number of further pairs that would take the verdict on with 80 % chance.

    Parameters
    ----------
    shape : Shape
        Of the prints that are there; further ones make it grow.
    truth : Truth
        The difference and scatter seen so far, taken as the true ones.
    differs : bool
        Whether it is settled already that there is a difference.

    Returns
    -------
    int or None
        Smallest number with at least 80 % chance: where a difference is settled, that
        the 95 % interval lies beyond the margin (an estimate outside it) or the 90 %
        interval inside (an estimate inside it); where it is not, that the 95 % interval
        excludes zero or the 90 % interval lies inside the margin, whichever comes
        first. None where 1 000 further pairs would not do.
    """
    outside = truth.margin is not None and abs(truth.difference) > truth.margin

    def chance(extra: int) -> float:
        grown = shape.grown(extra)
        power = method_for(grown).chances(grown, truth)
        if power is None:
            return 0.0
        # That it differs is settled already; what is open is on which side of the margin it lies.
        if truth.margin is not None and differs:
            return power.beyond if outside else power.inside
        return max(power.inside, power.differs)

    enough = 1
    # Doubled until it is enough, then halved: the chance grows with the prints, and one look at a rank
    # method costs a simulation.
    while chance(enough) < SETTLING_CHANCE:
        enough *= 2
        if enough > MOST_FURTHER:
            return None
    short = enough // 2
    while enough - short > 1:
        middle = (enough + short) // 2
        short, enough = (short, middle) if chance(middle) >= SETTLING_CHANCE else (middle, enough)
    return enough
