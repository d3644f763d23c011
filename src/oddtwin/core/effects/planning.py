"""Before anything is printed: the chance to find the margin, and to establish a twin."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from oddtwin.core.effects.by_t import IN_STEPS
from oddtwin.core.effects.choosing import SETTLING_CHANCE, method_for
from oddtwin.core.effects.method import Shape, Truth
from oddtwin.core.effects.noise import SMALLEST
from oddtwin.core.language import tr

MOST_PAIRS: Final = 100_000

FARTHEST: Final = 1000.0
"""Standard deviations beyond which no difference is looked for."""

MOST_NEEDED: Final = 1000
"""Beyond this many pairs the answer is that more prints are not the way."""


@dataclass(frozen=True, slots=True)
class Chances:
    """What a number of pairs can find.

    Parameters
    ----------
    pairs : int
        Pairs, or prints of each arm where they are not paired.
    p_find_margin : float or None
        Chance that a difference is shown when the true difference is the margin; None
        where so few prints can show nothing.
    p_establish_twin : float or None
        Chance that a twin is shown when the true difference is zero.
    """

    pairs: int
    p_find_margin: float | None
    p_establish_twin: float | None


def chances_of(shape: Shape, sd: float, margin: float, counts: Iterable[int]) -> list[Chances]:
    """Work out what a plan finds with each number of pairs, by the method that will judge them.

    Parameters
    ----------
    shape : Shape
        Of the plan; the numbers of prints follow from ``counts``.
    sd : float
        Standard deviation of one print, in the response's unit, above zero.
    margin : float
        Smallest difference that matters, in the same unit, above zero.
    counts : iterable of int
        Pairs, or prints of each arm; one or more each.

    Raises
    ------
    ValueError
        A scatter, a margin or a number of pairs that is not above zero.
    """
    check_scatter(sd)
    if not (math.isfinite(margin) and margin > SMALLEST):
        raise ValueError(tr("the margin must be a number above zero"))
    found = []
    for count in counts:
        if not 1 <= count <= MOST_PAIRS:
            raise ValueError(tr("give a number of pairs from 1 to {MOST_PAIRS}", MOST_PAIRS=MOST_PAIRS))
        sized = shape.sized(count)
        method = method_for(sized)
        # Found is reckoned with a true effect as large as the margin, twin with none: the two ends that a
        # plan must tell.
        finds, twins = (method.chances(sized, Truth(true, sd, margin)) for true in (margin, 0.0))
        found.append(Chances(count, finds.differs if finds else None, twins.inside if twins else None))
    return found


def smallest_findable(shape: Shape, sd: float) -> float | None:
    """Return the smallest true difference that a study of a shape would have shown with 80 % chance.

    Parameters
    ----------
    shape : Shape
        Of its prints.
    sd : float
        Standard deviation of one print, in the response's unit, above zero.

    Returns
    -------
    float or None
        In the response's unit; None where so few prints show nothing, or no difference that the scale
        has is enough.
    """
    if shape.kind in IN_STEPS:
        return _findable(shape, sd)
    # Of numbers the chance hangs on the difference in standard deviations alone: found once for all.
    found = _findable(shape, 1.0)
    return None if found is None else found * sd


@lru_cache(maxsize=1024)
def _findable(shape: Shape, sd: float) -> float | None:
    method = method_for(shape)

    def shown(difference: float) -> bool:
        power = method.chances(shape, Truth(difference, sd))
        return power is not None and power.differs >= SETTLING_CHANCE

    # Doubled until it shows, then halved: grades make the chance a staircase, which no formula turns round.
    far = sd
    while not shown(far):
        far *= 2
        if far > FARTHEST * sd:
            return None
    near = far / 2 if far > sd else 0.0
    for _ in range(12):
        middle = (near + far) / 2
        near, far = (near, middle) if shown(middle) else (middle, far)
    return far


def pairs_needed(shape: Shape, sd: float, margin: float, chance: float, twin: bool = False) -> int | None:
    """Return the fewest pairs with a given chance to find the margin, or to establish a twin.

    Parameters
    ----------
    shape : Shape
        Of the plan; the numbers of prints are looked for.
    sd, margin : float
        In the response's unit, above zero.
    chance : float
        Such as 0.8.
    twin : bool
        Whether the chance is that of establishing a twin.

    Returns
    -------
    int or None
        None where 1 000 pairs would not do.
    """
    # Doubling first, so that a study of three pairs never asks for the chances of five hundred.
    reached, high = 0, 1
    while not _reaches(shape, sd, margin, high, chance, twin):
        reached, high = high, high * 2
        if reached >= MOST_NEEDED:
            return None
    while high - reached > 1:
        middle = (high + reached) // 2
        if _reaches(shape, sd, margin, middle, chance, twin):
            high = middle
        else:
            reached = middle
    return high


def check_scatter(sd: float) -> None:
    """Refuse scatter that means nothing.

    Raises
    ------
    ValueError
        It is not above zero.
    """
    if not (math.isfinite(sd) and sd > SMALLEST):
        raise ValueError(tr("the standard deviation must be a number above zero"))


def _reaches(shape: Shape, sd: float, margin: float, pairs: int, chance: float, twin: bool) -> bool:
    found = chances_of(shape, sd, margin, [pairs])[0]
    value = found.p_establish_twin if twin else found.p_find_margin
    return value is not None and value >= chance
