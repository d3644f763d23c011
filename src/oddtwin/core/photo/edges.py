"""Outlines at half the light: sizes, corner radii, and edges that droop."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.photo.crop import Crop, RefusedError
from oddtwin.core.photo.trace import Trace, along

LEAST_CONTRAST: Final = 0.05
EDGE_MM: Final = 0.04
"""Standard uncertainty of an edge in absolute terms, mm; between twins on one rig a quarter of it."""
SHARP: Final = 3.0
ROUNDED: Final = 3.2
MOST_EDGES: Final = 4
DROOP_ENDS: Final = 0.22
"""Share of the line at each end that is taken to be sound."""
DROOP_LEAN: Final = 0.2
"""Share of a droop by which an end may lean away from the line of both: it is then right to a twentieth."""
ROUGH: Final = 3.0
"""The worst of a few dozen places of a sound edge hangs so many standard deviations of its roughness."""
LEAVES: Final = 0.02
"""Share of the line that may lie below the region, as noise does."""
LEAST_LEAN: Final = 0.02
"""Millimetres of that lean that no droop explains."""


@dataclass(frozen=True, slots=True)
class Size:
    """Width between upright edges, or height between level ones, and its standard uncertainty, mm."""

    mm: float
    u: float
    level: bool
    trace: Trace = field(default_factory=Trace, compare=False)


@dataclass(frozen=True, slots=True)
class Radius:
    """Radius of a corner, mm, and its uncertainty; ``sharper`` where it is below what this picture shows."""

    mm: float
    u: float
    sharper: bool
    trace: Trace = field(default_factory=Trace, compare=False)


@dataclass(frozen=True, slots=True)
class Droop:
    """How far a lower edge hangs below its line, mm, and where it is worst, mm from the left.

    ``rough`` where a sound edge as rough as the ends of this one would show as much.
    """

    mm: float
    u: float
    at_mm: float
    rough: bool
    trace: Trace = field(default_factory=Trace, compare=False)


def size_of(crop: Crop) -> Size:
    """Measure a piece between its two edges, by half the light of each line of pixels.

    Parameters
    ----------
    crop : Crop
        The piece, with what lies behind it at both ends, left and right or above and below.

    Raises
    ------
    RefusedError
        Fewer than two edges are in view.
    """
    scale = crop.scale()
    best: Size | None = None
    for level in (False, True):
        grey = crop.grey.T if level else crop.grey
        every = _crossings(grey)
        ends = np.array([(row, at[0], at[-1]) for row, at in enumerate(every) if len(at) >= 2])
        if len(ends) >= 0.8 * len(grey):
            widths = (ends[:, 2] - ends[:, 1]) / scale
            middle = float(np.median(widths))
            spread = 1.4826 * float(np.median(np.abs(widths - middle)))
            if best is None or spread < best.u:
                trace = Trace((along(ends[:, 1], ends[:, 0]), along(ends[:, 2], ends[:, 0])))
                best = Size(middle, spread, level, trace.turned() if level else trace)
    if best is None:
        raise RefusedError(
            tr("there are no two edges in view; mark the piece with what lies behind it at both ends")
        )
    return replace(best, u=math.hypot(EDGE_MM, best.u / math.sqrt(max(crop.grey.shape[best.level], 1))))


def _crossings(rows: Floats) -> list[list[float]]:
    """Return the places at which each line passes the half between what is behind and the piece."""
    lows, highs = np.quantile(rows, [0.03, 0.97], axis=1)
    return [
        _passed(row, low, high) for row, low, high in zip(rows, lows.tolist(), highs.tolist(), strict=True)
    ]


def _passed(row: Floats, low: float, high: float) -> list[float]:
    if high - low < LEAST_CONTRAST * max(high, 1e-6) or high - low < 0.02:
        return []
    half = (low + high) / 2
    above = row > half
    places = np.flatnonzero(above[1:] != above[:-1])
    return [float(k + (half - row[k]) / (row[k + 1] - row[k])) for k in places.tolist()]


def corner_radius(crop: Crop) -> Radius:
    """Measure the radius of the corner in a region, where two straight edges of a piece meet.

    Parameters
    ----------
    crop : Crop
        One corner with some of both sides.

    Raises
    ------
    RefusedError
        No corner is in view.
    """
    scale = crop.scale()
    grey = crop.grey
    points = _outline(grey)
    if len(points) < 40:
        raise RefusedError(tr("no corner is in view; mark one corner with some of both its sides"))
    lines = _two_lines(points)
    if lines is None:
        raise RefusedError(tr("the two sides of the corner are too short in this region, or not straight"))
    (p, u), (q, v) = lines
    cross = u[0] * v[1] - u[1] * v[0]
    if abs(cross) < 0.2:
        raise RefusedError(tr("the two sides of the corner are too short in this region, or not straight"))
    along = ((q - p)[0] * v[1] - (q - p)[1] * v[0]) / cross
    vertex = p + along * u
    middle = points.mean(axis=0) - vertex
    u, v = (line * np.sign(line @ middle) if abs(line @ middle) > 1e-9 else line for line in (u, v))
    bisector = (u + v) / np.linalg.norm(u + v)
    angle = math.acos(float(np.clip(u @ v, -1, 1)))
    off = points - vertex
    # The outline nearest to the bisector: how far it keeps from where the sides would meet.
    near = np.abs(off @ np.array([-bisector[1], bisector[0]])) < max(2.0, 0.08 * scale)
    if near.sum() < 2:
        raise RefusedError(tr("the outline of the corner is broken in this region"))
    away = float(np.median((off @ bisector)[near]))
    # A circle between two sides keeps r·(1/sin(θ/2) − 1) from where they would meet.
    raw = max(away, 0.0) / (1 / math.sin(angle / 2) - 1)
    blur = _blur(grey)
    sides = tuple(np.array([vertex, vertex + line * float((off @ line).max())]) for line in (u, v))
    if raw < SHARP * blur:
        return Radius(SHARP * blur / scale, 0.05, True, Trace(sides))
    value = math.sqrt(max(raw**2 - (ROUNDED * blur * 0.5) ** 2, 0.0))
    trace = Trace((*sides, _arc(vertex, bisector, angle, value)))
    return Radius(value / scale, 0.5 / scale / (1 / math.sin(angle / 2) - 1), False, trace)


def _arc(vertex: Floats, bisector: Floats, angle: float, radius: float) -> Floats:
    """Return the round of a corner between the places where it meets the sides, px."""
    middle = vertex + bisector * (radius / math.sin(angle / 2))
    turn = np.linspace(-1, 1, 25) * (math.pi - angle) / 2
    across = np.array([-bisector[1], bisector[0]])
    found: Floats = middle - radius * (np.cos(turn)[:, None] * bisector + np.sin(turn)[:, None] * across)
    return found


def _outline(grey: Floats) -> Floats:
    """Points (x, y) at which rows and columns pass the half, in px."""
    low, high = np.quantile(grey, [0.03, 0.97])
    if high - low < 0.02:
        raise RefusedError(tr("the piece and what lies behind it are alike in this region"))
    half = (low + high) / 2
    found = []
    for turned, image in ((False, grey), (True, grey.T)):
        for number, row in enumerate(image):
            above = row > half
            for k in np.flatnonzero(above[1:] != above[:-1]).tolist():
                place = k + (half - row[k]) / (row[k + 1] - row[k])
                found.append((number, place) if turned else (place, number))
    return np.array(found, dtype=np.float64).reshape(-1, 2)


def _two_lines(points: Floats) -> tuple[tuple[Floats, Floats], tuple[Floats, Floats]] | None:
    """Return point and direction of the two straight sides: of the outline's two farthest quarters."""
    centre = points.mean(axis=0)
    _, _, right = np.linalg.svd(points - centre, full_matrices=False)
    order = np.argsort((points - centre) @ right[0])
    quarter = max(10, len(points) * 3 // 10)
    found = []
    for part in (points[order[:quarter]], points[order[-quarter:]]):
        own = part.mean(axis=0)
        _, sizes, way = np.linalg.svd(part - own, full_matrices=False)
        if sizes[1] > 0.12 * sizes[0]:
            return None
        found.append((own, way[0]))
    return found[0], found[1]


def _blur(grey: Floats) -> float:
    """Standard deviation of the lens, px, from the steepest edges in view."""
    low, high = np.quantile(grey, [0.03, 0.97])
    steep = np.hypot(*np.gradient(grey))
    strongest = float(np.quantile(steep, 0.995))
    return float((high - low) / math.sqrt(2 * math.pi) / max(strongest, 1e-6))


def droop_of(crop: Crop) -> Droop:
    """Measure how far a lower edge hangs below the line that its two ends give.

    Parameters
    ----------
    crop : Crop
        The edge from one sound end to the other, with what lies behind it below.

    Raises
    ------
    RefusedError
        There is no edge from one side of the region to the other, or it hangs already where they begin.
    """
    scale = crop.scale()
    grey = crop.grey
    every = _crossings(grey.T)
    y = np.array([found[-1] if found else math.nan for found in every])
    if np.median([len(found) for found in every]) > MOST_EDGES:
        raise RefusedError(tr("there are many edges in the region; mark one, with what lies behind it below"))
    low, high = np.quantile(grey, [0.03, 0.97])
    light = float((grey[-1] > (low + high) / 2).mean())
    # Where it hangs out of the region the last edge in view is the upper one.
    if min(light, 1 - light) > LEAVES:
        raise RefusedError(tr("the edge hangs out of the region below; draw it deeper"))
    known = np.isfinite(y)
    if known.mean() < 0.9:
        raise RefusedError(tr("no edge runs from one side of the region to the other"))
    x: Floats = np.arange(len(y), dtype=np.float64)
    y = np.asarray(np.interp(x, x[known], y[known]), np.float64)
    ends = max(4, round(DROOP_ENDS * len(y)))
    sound = (x < ends) | (x >= len(y) - ends)
    line = np.polyfit(x[sound], y[sound], 1)
    below = y - np.polyval(line, x)
    # A single layer that stands out is no droop: over 0.4 mm.
    wide = max(3, round(0.4 * scale))
    smooth = np.convolve(below, np.ones(wide) / wide, "same")
    smooth[: wide // 2], smooth[-(wide // 2) :] = 0.0, 0.0
    place = int(smooth.argmax())
    # Not its mean's: the worst place is one place, and as rough as any other.
    scatter = float(smooth[sound].std()) / scale
    found = float(smooth[place]) / scale
    lean, sure = _lean(below, ends, wide)
    # A region that cuts into what hangs takes hanging edge for the line: 1 mm was told as 0.1.
    if lean / scale > max(LEAST_LEAN, DROOP_LEAN * found, sure / scale):
        raise RefusedError(
            tr(
                "the edge is not straight at both ends of the region; draw it wider, with "
                "sound edge on both sides of what hangs"
            )
        )
    trace = Trace((along(x, line[0] * x + line[1]), along(x, y)))
    return Droop(found, max(0.01, scatter), place / scale, found < ROUGH * scatter, trace)


def _lean(below: Floats, ends: int, wide: int) -> tuple[float, float]:
    """Return how far an end leans over its length from the line of both, and what roughness may do, px."""
    leans, sure = [], []
    at = np.arange(ends)
    # Neighbouring columns see the same roughness: only so many count.
    apart = max(ends / wide, 1)
    for end in (below[:ends], below[-ends:]):
        leans.append(abs(float(np.polyfit(at, end, 1)[0])) * ends)
        # A bend is no roughness.
        rough = end - np.polyval(np.polyfit(at, end, 2), at)
        sure.append(3 * float(rough.std()) * math.sqrt(12 / apart))
    return max(leans), max(sure)
