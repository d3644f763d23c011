"""Reach: how much of a print is made at the speed that was asked for."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from oddtwin.core.parallel import each
from oddtwin.core.toolpath.gcode import Feature
from oddtwin.core.toolpath.motion import plan_motion
from oddtwin.core.toolpath.sliced.blocks import blocks
from oddtwin.core.toolpath.sliced.figures import Sliced

NEARLY: Final = 1 - 1e-5


@dataclass(frozen=True, slots=True)
class Reach:
    """Shares, 0 to 1, of the time or length of all moves that lay filament.

    Parameters
    ----------
    time_at_speed, length_at_speed : float
        At the speed asked for.
    time_accelerating, length_accelerating : float
        Speeding up or braking: there the acceleration limits.
    length_never_at_speed : float
        In moves that end before they reach the speed asked for.
    above_flow_mm3_s : float or None
        A flow, and ``time_above_flow``, ``length_above_flow`` the shares above it.
    """

    time_at_speed: float
    length_at_speed: float
    time_accelerating: float
    length_accelerating: float
    length_never_at_speed: float
    above_flow_mm3_s: float | None = None
    time_above_flow: float | None = None
    length_above_flow: float | None = None


def reach(
    sliced: Sliced,
    flow_mm3_s: float | None = None,
    *,
    feature: Feature | None = None,
    stretch: float = 1.0,
) -> Reach:
    """Return how much of a print is made at the speed asked for, and above a flow.

    Parameters
    ----------
    sliced : Sliced
        The file, planned.
    flow_mm3_s : float, optional
        A flow in mm³/s.
    feature : Feature, optional
        Look at its moves only.
    stretch : float
        Every distance along the path times this, as on a larger piece; it is planned anew.
    """
    if stretch != 1:
        # Planned anew and not scaled: twice as long a line is more than twice as long at its full speed.
        plan = plan_motion(sliced.path, sliced.limits, stretch=stretch)
        sliced = replace(sliced, plan=plan)
    parts = each(lambda part: _summed(sliced, part, flow_mm3_s, feature, stretch), blocks(sliced.path.moves))
    sums = np.sum(parts, axis=0, initial=0.0)
    seconds, millimetres = max(sums[0], 1e-300), max(sums[1], 1e-300)
    shares = sums[2:7] / [seconds, millimetres, seconds, millimetres, millimetres]
    at_speed, at_speed_mm, ramps, ramps_mm, never = np.clip(shares, 0, 1).tolist()
    found = Reach(at_speed, at_speed_mm, ramps, ramps_mm, never)
    if flow_mm3_s is None:
        return found
    return replace(
        found,
        above_flow_mm3_s=flow_mm3_s,
        time_above_flow=float(sums[7] / seconds),
        length_above_flow=float(sums[8] / millimetres),
    )


def _summed(
    sliced: Sliced, part: slice, flow_mm3_s: float | None, feature: Feature | None, stretch: float
) -> list[float]:
    """Return seconds and millimetres of some moves: all, at speed, in ramps, never there, above the flow."""
    path, plan = sliced.path, sliced.plan
    lays = path.lays(part, None if feature is None else (feature,))
    time, length = plan.time[part][lays], path.length[part][lays] * stretch
    peak, steady = plan.peak[part][lays], plan.steady[part][lays]
    # Speeds are kept in single precision, and the last digits of a wanted speed must not tell against it.
    fast = peak >= plan.wanted[part][lays] * NEARLY
    # The product of two rounded figures may come out longer than the move.
    even = np.minimum(steady * peak, length)
    over = np.zeros(len(time), bool) if flow_mm3_s is None else sliced.flow(part)[lays] > flow_mm3_s
    return [
        time.sum(),
        length.sum(),
        steady[fast].sum(),
        even[fast].sum(),
        (time - steady).sum(),
        (length - even).sum(),
        length[~fast].sum(),
        time[over].sum(),
        length[over].sum(),
    ]
