"""The angle from which on an overhang hangs too far, from the droop of its steps."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, NamedTuple

from oddtwin.core.arrays import Interval
from oddtwin.core.language import tr
from oddtwin.core.photo.crop import RefusedError
from oddtwin.core.quantities import format_reading
from oddtwin.core.readings import Bound

FEWEST: Final = 2
USUAL_LIMIT_MM: Final = 0.3
"""Droop that counts as hanging, where nobody said (common practice, no source)."""
LEAST_LIMIT_MM: Final = 0.05
SURE: Final = 1.96


@dataclass(frozen=True, slots=True)
class StepDroop:
    """How far one step of an overhang hangs.

    Parameters
    ----------
    angle_deg : float
        From upright: 0 is a wall, 90 a bridge.
    mm, u : float or None
        Below its line, and its standard uncertainty; None where it cannot be told.
    rough : bool
        A sound edge as rough as this one would show as much.
    refused : str
        Why it cannot be told; empty where it can.
    """

    angle_deg: float
    mm: float | None
    u: float | None
    rough: bool = False
    refused: str = ""


@dataclass(frozen=True, slots=True)
class Onset:
    """Angle from which on an overhang hangs too far.

    Parameters
    ----------
    deg, u : float
        From upright, and its standard uncertainty; the angle of the outermost step where ``bound`` is not
        exact, with an uncertainty of zero.
    ci95 : tuple of float or None
    bound : Bound
        Above where no step hangs so far, below where all that are told do.
    between : tuple of float
        Angles of the two steps that it lies between; infinite where there is none.
    again : tuple of float
        Angles of steeper steps that hang less than the limit again.
    """

    deg: float
    u: float
    ci95: Interval | None
    bound: Bound
    between: Interval
    again: tuple[float, ...]


def onset_of(steps: Sequence[StepDroop], limit_mm: float = USUAL_LIMIT_MM) -> Onset:
    """Find the angle at which the droop of the steps reaches a limit, first of all of them.

    Between two steps the droop is taken to grow evenly. Where it really passes the limit nobody saw: the
    angle has, beside what the droops are unsure by, the standard deviation of a triangle from one step to the
    other with its top at the interpolated angle (GUM 4.3.9, here of unequal sides).

    Parameters
    ----------
    steps : sequence of StepDroop
        In any order.
    limit_mm : float
        Droop that counts as hanging, mm.

    Raises
    ------
    RefusedError
        Fewer than two steps can be told, two have one angle, the droop falls with the angle, or the step at
        which it begins is too rough for the limit.
    """
    told = _told(steps)
    reached = [mm >= limit_mm for _, mm, _, _ in told]
    if reached[0] and not reached[-1]:
        raise RefusedError(
            tr(
                "the step of the largest angle hangs less than that of the smallest; count "
                "angles from upright, 0° for a wall and 90° for a bridge"
            )
        )
    if not any(reached):
        last = told[-1].angle
        return Onset(last, 0.0, None, Bound.ABOVE, (last, math.inf), ())
    first = reached.index(True)
    step = told[first]
    if step.rough:
        raise RefusedError(
            tr(
                "the edge of its step of {angle}° is as rough as what hangs; choose a larger limit",
                angle=format_reading(step.angle),
            )
        )
    again = tuple(one.angle for one, hangs in zip(told[first:], reached[first:], strict=True) if not hangs)
    if not first:
        return Onset(step.angle, 0.0, None, Bound.BELOW, (-math.inf, step.angle), again)
    return _between(told[first - 1], step, limit_mm, again)


class _Told(NamedTuple):
    """A step whose droop is known."""

    angle: float
    mm: float
    u: float
    rough: bool


def _told(steps: Sequence[StepDroop]) -> list[_Told]:
    """Return the steps that can be told, by their angle."""
    angles = [step.angle_deg for step in steps]
    if len(set(angles)) < len(angles):
        raise RefusedError(tr("two steps have the same angle; give each its own"))
    # A step that cannot be told is left out, so that the two beside it lie farther apart.
    found = [_Told(one.angle_deg, one.mm, one.u or 0.0, one.rough) for one in steps if one.mm is not None]
    if len(found) < FEWEST:
        why = next((f" ({step.refused})" for step in steps if step.refused), "")
        raise RefusedError(tr("fewer than two of its steps can be told{why}", why=why))
    return sorted(found)


def _between(sound: _Told, hanging: _Told, limit_mm: float, again: tuple[float, ...]) -> Onset:
    """Interpolate between the last step that does not hang and the first that does."""
    low, high = sound.angle, hanging.angle
    slope = (high - low) / (hanging.mm - sound.mm)
    share = (limit_mm - sound.mm) / (hanging.mm - sound.mm)
    found = low + share * (high - low)
    by_droop = slope * math.hypot((1 - share) * sound.u, share * hanging.u)
    by_steps = math.sqrt((low**2 + high**2 + found**2 - low * high - low * found - high * found) / 18)
    u = math.hypot(by_droop, by_steps)
    # It lies between the two steps as surely as their droops lie on either side of the limit.
    ends = max(found - SURE * u, low - SURE * by_droop), min(found + SURE * u, high + SURE * by_droop)
    return Onset(found, u, ends, Bound.EXACT, (low, high), again)
