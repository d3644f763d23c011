"""Arcs as chords: G2 and G3 in the XY plane, helices too."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats

CHORD_MM: Final = 0.01
"""Greatest distance between a chord and its arc."""
WIDEST: Final = 0.2
"""Greatest angle of a chord, radians."""
MOST_CHORDS: Final = 2000


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


def cut(start: Floats, end: Floats, offset: Floats, radius: Floats, clockwise: NDArray[np.bool_]) -> Chords:
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
    sweep = np.where(r < 1e-9, 0.0, sweep)
    # As many chords as keep within the tolerance, and never so few that a small circle becomes a square.
    step = np.minimum(WIDEST, 2 * np.arccos(np.clip(1 - CHORD_MM / np.maximum(r, CHORD_MM), -1, 1)))
    count = np.clip(np.ceil(sweep / step), 1, MOST_CHORDS).astype(np.int64)
    arc = np.repeat(np.arange(len(count)), count)
    within = np.arange(len(arc)) - np.repeat(np.cumsum(count) - count, count) + 1
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


def _centre(start: Floats, end: Floats, radius: Floats, clockwise: NDArray[np.bool_]) -> Floats:
    """Return the centres of arcs given by their radius; a radius too small for its chord is stretched."""
    chord = end[:2] - start[:2]
    half = np.hypot(*chord) / 2
    height = np.sqrt(np.maximum(0.0, radius**2 - half**2))
    # Two circles of a radius go through both points; its sign tells the short way from the long one.
    side = np.where(clockwise == (radius > 0), -1.0, 1.0) * height / np.maximum(2 * half, 1e-12)
    return np.asarray(start[:2] + chord / 2 + side * np.stack([-chord[1], chord[0]]))
