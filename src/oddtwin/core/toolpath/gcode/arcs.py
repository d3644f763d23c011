"""Arcs and curves as chords: G2 and G3 in any plane, helices and several turns too, and G5."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.toolpath.gcode.errors import refuse_too_many

CHORD_MM: Final = 0.01
"""Greatest distance between a chord and its arc."""
WIDEST: Final = 0.2
"""Greatest angle of a chord, radians."""
MOST_CHORDS: Final = 2000
MOST_TURNS: Final = 1000
CURVE_STEP_MM: Final = 0.25
CURVE: Final = 5
"""The motion of G5, a cubic Bézier curve."""
PLANES: Final = {17: (0, 1, 2), 18: (2, 0, 1), 19: (1, 2, 0)}
"""The two axes of an arc's plane, and that which a helix rises along (NISTIR 6556, from memory)."""


@dataclass(frozen=True, slots=True)
class Chords:
    """Arcs cut into chords.

    ``count`` has shape (arcs,); the rest has one value for each chord: the point where
    it ends, its share of the arc, and the exact length of that share.
    """

    count: NDArray[np.int64]
    x: Floats
    y: Floats
    z: Floats
    share: Floats
    length: Floats


def cut_all(
    start: Floats, end: Floats, words: Floats, motion: NDArray[np.int8], curves: Floats | None
) -> Chords:
    """Cut arcs in all planes, and curves, into chords.

    Parameters
    ----------
    start, end : numpy.ndarray, shape (3, arcs)
        X, Y and Z, mm.
    words : numpy.ndarray, shape (3, arcs)
        I, J and R, mm; NaN for a word that is missing.
    motion : numpy.ndarray of int8, shape (arcs,)
        2, 3 or `CURVE`.
    curves : numpy.ndarray, shape (4, arcs), or None
        Number of the plane (17, 18, 19), and the words K, P and Q; None where there are none.
    """
    if curves is None and not (motion == CURVE).any():
        return cut(start, end, words[:2], words[2], motion == 2)
    if curves is None:
        curves = np.full((4, len(motion)), np.nan)
        curves[0] = 17
    offsets = np.stack([words[0], words[1], curves[1]])
    parts: list[tuple[NDArray[np.int64], Chords]] = []
    for plane, axes in PLANES.items():
        own = np.flatnonzero((curves[0] == plane) & (motion != CURVE))
        if not len(own):
            continue
        order = list(axes)
        turns = np.clip(np.nan_to_num(curves[2, own]), 0, MOST_TURNS).astype(np.int64)
        chords = cut(
            start[order][:, own],
            end[order][:, own],
            offsets[order[:2]][:, own],
            words[2, own],
            motion[own] == 2,
            turns,
        )
        back = dict(zip(order, (chords.x, chords.y, chords.z), strict=True))
        parts.append((own, replace(chords, x=back[0], y=back[1], z=back[2])))
    own = np.flatnonzero(motion == CURVE)
    if len(own):
        first, second = np.nan_to_num(offsets[:2, own]), np.nan_to_num(curves[2:, own])
        parts.append((own, _curved(start[:, own], end[:, own], first, second)))
    return _in_order(parts, len(motion))


def _in_order(parts: list[tuple[NDArray[np.int64], Chords]], arcs: int) -> Chords:
    """Return the chords of all arcs, arc by arc."""
    count = np.zeros(arcs, np.int64)
    for own, chords in parts:
        count[own] = chords.count
    of = np.concatenate([np.repeat(own, chords.count) for own, chords in parts])
    order = np.argsort(of, kind="stable")
    columns = (
        np.concatenate([getattr(chords, name) for _, chords in parts])[order]
        for name in ("x", "y", "z", "share", "length")
    )
    return Chords(count, *columns)


def _curved(start: Floats, end: Floats, first: Floats, second: Floats) -> Chords:
    """Cut cubic Bézier curves; their control points lie so far from the start and from the end."""
    points = np.stack([start[:2], start[:2] + first, end[:2] + second, end[:2]])
    way = np.hypot(*np.diff(points, axis=0).transpose(1, 0, 2)).sum(axis=0)
    count = np.clip(np.ceil(way / CURVE_STEP_MM), 8, MOST_CHORDS).astype(np.int64)
    curve, within = _numbered(count)
    t = within / count[curve]
    weights = ((1 - t) ** 3, 3 * (1 - t) ** 2 * t, 3 * (1 - t) * t**2, t**3)
    x, y = sum(weight * point[:, curve] for weight, point in zip(weights, points, strict=True))
    z = start[2, curve] + (end[2] - start[2])[curve] * t
    begins = within == 1
    before = np.stack([np.roll(x, 1), np.roll(y, 1), np.roll(z, 1)])
    before[:, begins] = start
    length = np.sqrt((x - before[0]) ** 2 + (y - before[1]) ** 2 + (z - before[2]) ** 2)
    whole = np.bincount(curve, length, len(count))
    # Filament goes along the curve and not along its parameter.
    share = length / np.maximum(whole, 1e-12)[curve]
    return Chords(count, x, y, z, share, length)


def cut(
    start: Floats,
    end: Floats,
    offset: Floats,
    radius: Floats,
    clockwise: NDArray[np.bool_],
    turns: NDArray[np.int64] | None = None,
) -> Chords:
    """Cut arcs into chords.

    Parameters
    ----------
    start, end : numpy.ndarray, shape (3, arcs)
        X, Y and Z, mm.
    offset : numpy.ndarray, shape (2, arcs)
        I and J: from the start to the centre, mm; NaN for zero.
    radius : numpy.ndarray, shape (arcs,)
        R, mm, where it is given instead; negative for the longer way round.
    clockwise : numpy.ndarray of bool
        G2.
    turns : numpy.ndarray of int, optional
        Whole turns before the rest of the arc (P, as firmware counts them: common practice, no source).

    Notes
    -----
    The centre and radius formats, the sign of R and the full circle whose end is its start
    are those of NISTIR 6556, section 3.5.3 (from memory). The length of a helix is
    √((rθ)² + Δz²).
    """
    centre = start[:2] + np.nan_to_num(offset)
    by_radius = ~np.isnan(radius)
    if by_radius.any():
        centre = np.where(by_radius, _centre(start, end, radius, clockwise), centre)
    first = start[:2] - centre
    last = end[:2] - centre
    r = np.hypot(*first)
    begin = np.arctan2(first[1], first[0])
    sweep = np.arctan2(last[1], last[0]) - begin
    sweep = np.mod(np.where(clockwise, -sweep, sweep), 2 * np.pi)
    # Where an arc ends at its start, offsets mean a full circle; a radius says nothing of the kind.
    closed = np.hypot(*(end[:2] - start[:2])) < 1e-9
    sweep = np.where(closed & ~by_radius, 2 * np.pi, sweep)
    if turns is not None:
        sweep = sweep + 2 * np.pi * turns
    sweep = np.where(r < 1e-9, 0.0, sweep)
    # As many chords as keep within the tolerance, and never so few that a small circle becomes a square.
    step = np.minimum(WIDEST, 2 * np.arccos(np.clip(1 - CHORD_MM / np.maximum(r, CHORD_MM), -1, 1)))
    most = MOST_CHORDS if turns is None else MOST_CHORDS * (1 + turns)
    count = np.clip(np.ceil(sweep / step), 1, most).astype(np.int64)
    arc, within = _numbered(count)
    share = within / count[arc]
    angle = begin[arc] + np.where(clockwise, -sweep, sweep)[arc] * share
    # The radius glides from that of the start to that of the end, where the file's rounding differs.
    here = r[arc] + (np.hypot(*last) - r)[arc] * share
    x = centre[0, arc] + here * np.cos(angle)
    y = centre[1, arc] + here * np.sin(angle)
    z = start[2, arc] + (end[2] - start[2])[arc] * share
    final = np.cumsum(count) - 1
    # The last chord ends where the file says, to the digit: what follows begins there.
    x[final], y[final], z[final] = end
    straight = np.hypot(*(end[:2] - start[:2]))
    # The length of the arc and not of its chords, which the time would else be short of.
    flat = np.maximum(r * sweep, np.where(sweep > 0, 0.0, straight))
    length = np.hypot(flat, end[2] - start[2])
    return Chords(count, x, y, z, 1 / count[arc], length[arc] / count[arc])


def _numbered(count: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return of every chord its arc, and its number in it from 1."""
    refuse_too_many(int(count.sum()))
    arc = np.repeat(np.arange(len(count)), count)
    return arc, np.arange(len(arc)) - np.repeat(np.cumsum(count) - count, count) + 1


def _centre(start: Floats, end: Floats, radius: Floats, clockwise: NDArray[np.bool_]) -> Floats:
    """Return the centres of arcs given by their radius; a radius too small for its chord is stretched."""
    chord = end[:2] - start[:2]
    half = np.hypot(*chord) / 2
    height = np.sqrt(np.maximum(0.0, radius**2 - half**2))
    # Two circles of a radius go through both points; its sign tells the short way from the long one.
    side = np.where(clockwise == (radius > 0), -1.0, 1.0) * height / np.maximum(2 * half, 1e-12)
    return np.asarray(start[:2] + chord / 2 + side * np.stack([-chord[1], chord[0]]))
