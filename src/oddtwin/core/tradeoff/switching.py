"""What would change the choice: where along a price another arm becomes the cheapest."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from oddtwin.core.language import tr


class Line(NamedTuple):
    """What an arm comes to: ``fixed`` money, and ``times`` units of what a price is put on."""

    name: str
    fixed: float
    times: float


class Stretch(NamedTuple):
    """From which price to which an arm is the cheapest; the last goes on for ever."""

    name: str
    low: float
    high: float


def winners(lines: Sequence[Line], most: float = math.inf) -> list[Stretch]:
    """Return which arm is the cheapest along a price from zero on: the lower envelope of lines.

    Parameters
    ----------
    lines : sequence of Line
        One at least.
    most : float
        The highest price that is looked at.

    Returns
    -------
    list of Stretch
        In the order of the price; of arms that cost the same the first one.

    Raises
    ------
    ValueError
        There is no arm.
    """
    if not lines:
        raise ValueError(tr("there is no arm to weigh"))
    # At no price at all the cheapest wins; of equals the one that uses less, for it wins from there on.
    here = min(lines, key=lambda line: (line.fixed, line.times))
    at, found = 0.0, []
    while True:
        crossings = [
            ((line.fixed - here.fixed) / (here.times - line.times), line.times, line)
            for line in lines
            if line.times < here.times
        ]
        crossings = [one for one in crossings if one[0] >= at]
        if not crossings or min(crossings)[0] >= most:
            found.append(Stretch(here.name, at, most))
            return found
        price, _, other = min(crossings, key=lambda one: (one[0], one[1]))
        if price > at:
            found.append(Stretch(here.name, at, price))
        here, at = other, price
