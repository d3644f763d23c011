"""Planning: the speed that every move really reaches, and the time it takes.

Each move is a trapezoid (or a triangle) of speed: v_peak² = min(v², (u0 + u1)/2 + ad),
t = (v_peak − v0)/a + (v_peak − v1)/a + rest/v_peak (uniform acceleration, any textbook of
mechanics). Corners are taken by jerk, v ≤ jerk/|Δdirection| on every axis, or by
junction deviation δ, v² = aδ·sin(θ/2)/(1 − sin(θ/2)), with s = sin(θ/2) of the angle between
the moves; both are common practice in fused-filament firmware, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.parallel import each
from oddtwin.core.toolpath.gcode import Flag, Toolpath
from oddtwin.core.toolpath.motion.limits import AXES, Limits
from oddtwin.core.toolpath.motion.lookahead import corner_speeds

BLOCK: Final = 1 << 15
STILL: Final = 1e-12


@dataclass(frozen=True, slots=True)
class Plan:
    """How the moves of a toolpath are made; arrays have shape (moves,).

    Parameters
    ----------
    time : numpy.ndarray
        Seconds of each move.
    peak : numpy.ndarray of float32
        Greatest speed reached, mm/s.
    steady : numpy.ndarray of float32
        Seconds at that speed; the rest is spent accelerating and braking.
    wanted : numpy.ndarray of float32
        The speed asked for, as far as the axes allow it, mm/s.
    """

    time: Floats
    peak: NDArray[np.float32]
    steady: NDArray[np.float32]
    wanted: NDArray[np.float32]

    @property
    def seconds(self) -> float:
        """Seconds of all moves together."""
        return float(self.time.sum())


def plan_motion(
    path: Toolpath,
    limits: Limits | None = None,
    *,
    stretch: float = 1.0,
    job: Job = UNWATCHED,
) -> Plan:
    """Plan all moves of a toolpath.

    Parameters
    ----------
    path : Toolpath
        The moves; limits that the file states hold for the moves after them.
    limits : Limits, optional
        What holds where the file says nothing.
    stretch : float
        Every distance along the path times this, as on a larger piece.
    job : Job
        Told the share that is done; stops the work between blocks of moves.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    table = _Table(path, limits or Limits())
    count = path.moves
    corner = np.zeros(count + 1)
    top, room = np.empty(count), np.empty(count)
    # Block by block, so that the dozen arrays of a step stay in the processor's cache.
    parts = [slice(begin, min(count, begin + BLOCK)) for begin in range(0, count, BLOCK)]

    def prepare(part: slice) -> None:
        job.check()
        _prepare(path, part, table, stretch, corner, top, room)

    each(prepare, parts)
    # The machine stands still before the first move and after the last.
    corner[0] = corner[-1] = 0.0
    speed = corner_speeds(corner, room)
    # Memory that is done with is taken over, block by block: that of the room by the times, and that of the
    # squares by two figures of half their size.
    halves = top.view(np.float32)
    plan = Plan(time=room, peak=halves[0::2], steady=halves[1::2], wanted=np.empty(count, np.float32))
    each(lambda part: _profiles(path, part, stretch, speed, top, plan), parts)
    return plan


class _Table:
    """The limits of every state, and which of them bind at all."""

    def __init__(self, path: Toolpath, limits: Limits) -> None:
        def of(name: str, usual: float | None) -> Floats:
            value = path.of_state(name)
            return np.where(np.isnan(value), np.nan if usual is None else usual, value)

        printing = of("print_acceleration", limits.acceleration)
        travel = limits.travel_acceleration
        retract = limits.retract_acceleration
        self.acceleration = np.stack(
            [
                printing,
                np.where(np.isnan(found := of("travel_acceleration", travel)), printing, found),
                np.where(np.isnan(found := of("retract_acceleration", retract)), printing, found),
            ]
        )
        self.jerk = np.stack(
            [of(f"jerk_{axis}", value) for axis, value in zip(AXES, limits.jerk, strict=True)]
        )
        corner = path.of_state("corner_speed")
        # A square corner, s = √½, at just its speed: v² = aδ·s/(1 − s), so that δ = v²(√2 − 1)/a.
        by_corner = np.square(corner) * (np.sqrt(2) - 1) / printing
        told = of("junction_deviation", limits.junction_deviation)
        self.deviation = np.where(np.isnan(corner), told, by_corner)
        self.along = of("speed", np.inf)
        speed, power = limits.max_speed, limits.max_acceleration
        self.speed = np.stack(
            [of(f"max_speed_{axis}", value) for axis, value in zip(AXES, speed, strict=True)]
        )
        self.power = np.stack(
            [of(f"max_acceleration_{axis}", value) for axis, value in zip(AXES, power, strict=True)]
        )
        self.factor = path.of_state("speed_factor")
        # Most files are printed by one acceleration without limits of the axes; they pay for no more.
        self.alike = bool((self.acceleration == self.acceleration[0]).all())
        self.bound = bool(np.isfinite(self.speed).any() or np.isfinite(self.power).any())
        self.by_deviation = not bool(np.isnan(self.deviation).all())


def _each(values: Floats, state: NDArray[np.int32]) -> Floats | np.float64:
    """Return the figure of every move; the one figure itself where all states have the same."""
    return values[0] if (values == values[0]).all() else values.take(state)


def _prepare(
    path: Toolpath, own: slice, table: _Table, stretch: float, corner: Floats, top: Floats, room: Floats
) -> None:
    """Fill in speeds, corners and ramps of some moves."""
    # With the move before, from which the first corner turns, the one from which that turns if it is of an
    # arc, and the one after, which may bound the last.
    part = slice(max(0, own.start - 2), min(path.moves, own.stop + 1))
    state = path.state[part]
    flag = path.flag[part]
    direction, distance, still = _directions(path, part)
    distance = distance * stretch if stretch != 1 else distance
    feed = path.feed[part] * _each(table.factor, state)
    if np.isfinite(table.along).any():
        np.minimum(feed, table.along.take(state), out=feed)
    if table.alike:
        power = table.acceleration[0].take(state)
    else:
        power = table.acceleration[np.where(still, 2, np.where(path.e[part] != 0, 0, 1)), state]
    if table.bound:
        _hold_axes(path, part, table, direction, still, feed, power)
    turn = direction.copy()
    turn[:, 1:] -= direction[:, :-1]
    smooth = np.flatnonzero(flag & np.uint8(Flag.SMOOTH))
    if len(smooth):
        _hold_arcs(smooth, turn, distance, power, feed)
    square = feed * feed
    allowed = _corners(turn, state, table, power)
    if len(smooth):
        # Chords of one arc are no corners; the pull to the outside has bounded their speed already.
        allowed[smooth] = np.inf
    # A corner is no faster than the slower of the moves that meet in it.
    np.minimum(allowed, square, out=allowed)
    np.minimum(allowed[1:], square[:-1], out=allowed[1:])
    allowed[(flag & np.uint8(Flag.BREAK)) > 0] = 0.0
    inner = slice(own.start - part.start, own.stop - part.start)
    corner[own] = allowed[inner]
    top[own] = square[inner]
    np.multiply(power[inner], 2 * distance[inner], out=room[own])


def _directions(path: Toolpath, part: slice) -> tuple[Floats, Floats, NDArray[np.bool_]]:
    """Return unit vectors, shape (4, moves), lengths, and which moves drive filament only."""
    direction = np.empty((4, part.stop - part.start))
    for row, axis in enumerate("xyz"):
        np.subtract(getattr(path, axis)[part], path.start(axis, part), out=direction[row])
    length = path.length[part]
    chord = length
    if (path.flag[part] & np.uint8(Flag.ARC)).any():
        chord = np.sqrt((direction[:3] ** 2).sum(axis=0))
    still = length <= STILL
    distance = length
    if still.any():
        e = path.e[part]
        distance = np.where(still, np.abs(e), length)
        direction[3] = np.where(still, np.sign(e), 0.0)
        chord = np.where(still, 1.0, chord)
        direction[:3, still] = 0.0
    else:
        direction[3] = 0.0
    direction[:3] /= np.maximum(chord, STILL)
    return direction, distance, still


def _hold_axes(
    path: Toolpath,
    part: slice,
    table: _Table,
    direction: Floats,
    still: NDArray[np.bool_],
    feed: Floats,
    power: Floats,
) -> None:
    """Let no axis be faster, or speed up more, than it can."""
    state = path.state[part]
    magnitude = np.abs(direction)
    # What is pushed along a path must not outrun the extruder either.
    np.divide(np.abs(path.e[part]), path.length[part], out=magnitude[3], where=~still)
    for axis in range(4):
        if np.isfinite(table.speed[axis]).any():
            # An axis that takes a small part of the way may go so much faster along the path.
            bound = table.speed[axis].take(state) / np.maximum(magnitude[axis], STILL)
            np.minimum(feed, bound, out=feed)
        if np.isfinite(table.power[axis]).any():
            bound = table.power[axis].take(state) / np.maximum(magnitude[axis], STILL)
            np.minimum(power, bound, out=power)


def _hold_arcs(
    smooth: NDArray[np.int64], turn: Floats, distance: Floats, power: Floats, feed: Floats
) -> None:
    """Let the pull to the outside of an arc, v²/r, not exceed the acceleration."""
    angle = 2 * np.arcsin(np.clip(np.sqrt((turn[:, smooth] ** 2).sum(axis=0)) / 2, 0, 1))
    bound = np.sqrt(power[smooth] * distance[smooth] / np.maximum(angle, STILL))
    feed[smooth] = np.minimum(feed[smooth], bound)
    inner = smooth > 0
    before = smooth[inner] - 1
    feed[before] = np.minimum(feed[before], bound[inner])


def _corners(turn: Floats, state: NDArray[np.int32], table: _Table, power: Floats) -> Floats:
    """Return the squared speed that each corner allows; infinite where it is straight."""
    allowed = np.empty(len(state))
    by_deviation = np.zeros(len(state), bool)
    if table.by_deviation:
        deviation = table.deviation.take(state)
        by_deviation = ~np.isnan(deviation)
    if not by_deviation.all():
        steep = np.zeros(len(state))
        size = np.abs(turn)
        for axis in range(4):
            size[axis] /= _each(table.jerk[axis], state)
            np.maximum(steep, size[axis], out=steep)
        # Straight on there is no jump at all; its square must still be a number.
        np.maximum(steep, 1e-150, out=steep)
        np.divide(1.0, steep * steep, out=allowed)
    if by_deviation.any():
        square = (turn**2).sum(axis=0) / 4
        # t = cos²(θ/2) of the angle between the moves; s/(1 − s) = s(1 + s)/t keeps its digits near straight.
        sine = np.sqrt(np.maximum(0.0, 1 - square))
        smooth = power * deviation * sine * (1 + sine) / np.maximum(square, 1e-300)
        allowed[by_deviation] = smooth[by_deviation]
    return allowed


def _profiles(path: Toolpath, part: slice, stretch: float, speed: Floats, top: Floats, plan: Plan) -> None:
    """Fill in the trapezoids between corner speeds, in the place of the room for ramps and of the squares."""
    room = plan.time[part]
    first, final = speed[part], speed[part.start + 1 : part.stop + 1]
    both = first + final
    # Where the ramps meet before the top is reached, the peak is v² = (v₀² + v₁² + 2ad) / 2.
    square = np.minimum(top[part], (both + room) / 2)
    # Rounding must not put the peak below an end, or a time would come out negative.
    np.maximum(square, np.maximum(first, final), out=square)
    highest = np.sqrt(square)
    # What the ramps leave of 2ad, in the same unit, and so the seconds at the highest speed.
    rest = np.maximum(room - (2 * square - both), 0.0)
    length = path.length[part]
    distance = np.where(length <= STILL, np.abs(path.e[part]), length) * stretch
    # The acceleration, out of 2ad: an array of its own would be kept for this line alone. What goes no
    # way takes no time.
    power = np.where(distance > 0, room / np.maximum(2 * distance, 1e-300), 1.0)
    cruising = rest / np.maximum(2 * power * highest, 1e-300)
    plan.wanted[part] = np.sqrt(top[part])
    plan.peak[part] = highest
    plan.steady[part] = cruising
    plan.time[part] = (2 * highest - np.sqrt(first) - np.sqrt(final)) / power + cruising
