"""The one value of a print, however often and in however many spots it was read.

Everything that needs it asks here: comparisons, whole plots, ladders, rehearsals, the noise of
earlier studies and the command line.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Final, Protocol

from oddtwin.core.quantities import number_in
from oddtwin.core.readings.model import Bound, Combine, Read, ResponseKind, Spot

ONSET_GRADE: Final = 2.0
"""Grade from which on a fault has begun, where nobody says another."""

_PLAIN: Final = (ResponseKind.QUANTITY, ResponseKind.DEVIATION, ResponseKind.COUNT)


class Placed(Read, Protocol):
    """What is needed of a reading to make the value of a print."""

    @property
    def spot(self) -> Spot:
        """Zone, kind of waste and nominal size."""


@dataclass(frozen=True, slots=True)
class Rule:
    """How the readings of one response become a print's value.

    Parameters
    ----------
    kind : ResponseKind
        What a reading is.
    combine : Combine
        Over the spots of a print; retakes of one spot are averaged first, but summed where
        the parts of a sum are read one by one.
    target : float or None
        Where the value should lie, in the response's unit: then its distance counts, spot by
        spot, before anything is averaged.
    onset : float or None
        Grade from which on a fault has begun.
    """

    kind: ResponseKind = ResponseKind.QUANTITY
    combine: Combine = Combine.MEAN
    target: float | None = None
    onset: float | None = None


@dataclass(frozen=True, slots=True)
class Value:
    """What a print comes to in one response.

    Parameters
    ----------
    value : float
        In the response's unit; a share for a yes or no; the nearest known end where ``reach``
        says that it is not exact.
    worst : float or None
        Of grades, the worst zone's.
    reach : tuple of float or None
        Where the value lies, where that is all that is known; ends may be infinite.
    tries : int
        Of a yes or no, of how many the value is the share.
    """

    value: float
    worst: float | None = None
    reach: tuple[float, float] | None = None
    tries: int = 1


def value_of(readings: Iterable[Placed], rule: Rule) -> Value | None:
    """Bring the readings of one response of one print to one value.

    Parameters
    ----------
    readings : iterable of Placed
        In the response's unit; those without a number are passed over.
    rule : Rule
        Of the response.

    Returns
    -------
    Value or None
        None where nothing was read. Retakes of one spot are averaged first; grades and numbers
        then over the spots (or the worst of them), counts and sums added, a yes or no as the
        share of yes, sizes as the mean distance from their nominals, an onset as the first
        position whose grade reaches the limit.
    """
    read = [item for item in readings if item.value is not None]
    if not read:
        return None
    if len(read) == 1 and rule.kind in _PLAIN and rule.target is None and read[0].bound is Bound.EXACT:
        # Most prints have one number: thousands of them are looked at after every edit.
        return Value(read[0].value or 0.0)
    if rule.kind is ResponseKind.YES_NO:
        tries = sum(item.out_of for item in read)
        # Tries are added, not shares: 5 of 7 and 0 of 1 are 5 of 8.
        return Value(math.fsum(item.value or 0.0 for item in read) / tries, tries=tries)
    if rule.kind is ResponseKind.ONSET:
        return _onset(_by_spot(read), rule.onset if rule.onset is not None else ONSET_GRADE)
    value = _combined(read, rule, lambda item: item.value or 0.0)
    worst = None
    if rule.kind is ResponseKind.GRADE:
        worst = max(item.value or 0.0 for item in read)
    if all(item.bound is Bound.EXACT for item in read):
        return Value(value, worst)
    low, high = (_combined(read, rule, end) for end in (_low, _high))
    aimed = rule.target is not None or rule.kind is ResponseKind.SIZE
    # Below 8.5 may be right on 8 or far below it: a distance is not known from one end.
    reach = (0.0, math.inf) if aimed else (min(low, high), max(low, high))
    return Value(value, worst, reach)


def _combined(read: Sequence[Placed], rule: Rule, number: Callable[[Placed], float]) -> float:
    if len(read) == 1:
        return _distance(number(read[0]), read[0].spot.nominal, rule)
    if rule.combine is Combine.SUM:
        return math.fsum(number(item) for item in read)
    # Retakes of one spot are averaged before anything else: measuring a side twice must not make it count
    # twice. The distance from target comes before the mean over spots, because +0.25 and −0.25 are two
    # errors and not none.
    spots = [
        _distance(_mean([number(item) for item in taken]), spot.nominal, rule)
        for spot, taken in _by_spot(read).items()
    ]
    if rule.combine is Combine.WORST:
        return max(spots)
    return math.fsum(spots) if rule.kind is ResponseKind.COUNT else _mean(spots)


def _distance(value: float, nominal: float | None, rule: Rule) -> float:
    """Return the distance from where a spot should lie; the spot's own nominal comes first."""
    wanted = nominal if rule.kind is ResponseKind.SIZE and nominal is not None else rule.target
    return value if wanted is None else abs(value - wanted)


def _onset(spots: dict[Spot, list[Placed]], limit: float) -> Value | None:
    """Find the first position at which a fault is seen; it began since the one before."""
    graded = sorted(
        (position, _mean([item.value or 0.0 for item in taken]))
        for spot, taken in spots.items()
        if (position := number_in(spot.zone)) is not None
    )
    if not graded:
        return None
    for place, (position, grade) in enumerate(graded):
        if grade >= limit:
            # It began since the position before; seen at the first already, it may have begun anywhere.
            before = graded[place - 1][0] if place else -math.inf
            return Value(position, reach=(before, position))
    last = graded[-1][0]
    return Value(last, reach=(last, math.inf))


def _by_spot(read: Sequence[Placed]) -> dict[Spot, list[Placed]]:
    spots: dict[Spot, list[Placed]] = defaultdict(list)
    for item in read:
        spots[item.spot].append(item)
    return spots


def _low(item: Placed) -> float:
    return -math.inf if item.bound is Bound.BELOW else item.value or 0.0


def _high(item: Placed) -> float:
    if item.bound is Bound.ABOVE:
        return math.inf
    return item.high if item.bound is Bound.BETWEEN and item.high is not None else item.value or 0.0


def _mean(values: Sequence[float]) -> float:
    return math.fsum(values) / len(values)
