"""Differences in percent: judged by logarithms, which are alike on large pieces and small ones.

A value is taken as 100 times its natural logarithm, so that a difference of two is close to their
percent where it is small, and exactly turned back into percent when it is told.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace

from oddtwin.core.arrays import Interval
from oddtwin.core.readings import PrintValue

FARTHEST = 70_000.0
"""A hundred logarithms: ratios beyond are too large for a number."""


def in_logs(items: Iterable[PrintValue]) -> list[PrintValue] | None:
    """Return prints with 100 times the logarithm of their values; None where one is not above zero.

    Parameters
    ----------
    items : iterable of PrintValue
        Of one response, in its unit.
    """
    found = []
    for item in items:
        ends = [item.value, *(item.reach or ())]
        known = [end for end in ends if end is not None and math.isfinite(end)]
        if any(end <= 0 for end in known):
            return None
        value = None if item.value is None else _log(item.value)
        reach = None if item.reach is None else (_log(item.reach[0]), _log(item.reach[1]))
        found.append(replace(item, value=value, reach=reach))
    return found


def _log(value: float) -> float:
    if math.isinf(value):
        # Below nothing there is no percent: what lies below a limit lies between nothing and it.
        return math.copysign(math.inf, value)
    return 100 * math.log(value)


def log_of_percent(percent: float) -> float:
    """Return a margin in percent as it is held against logarithms: as much either way.

    Parameters
    ----------
    percent : float
        Above −100.
    """
    return 100 * math.log1p(percent / 100)


def percent_of_log(value: float) -> float:
    """Return a difference of logarithms in percent of the baseline.

    Parameters
    ----------
    value : float
        100 times the difference of natural logarithms.
    """
    if math.isinf(value):
        return math.inf if value > 0 else -100.0
    return 100 * math.expm1(min(value, FARTHEST) / 100)


def percent_interval(interval: Interval | None) -> Interval | None:
    """Return an interval of differences of logarithms in percent."""
    return None if interval is None else (percent_of_log(interval[0]), percent_of_log(interval[1]))
