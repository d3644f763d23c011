"""Colour that bleeds over an edge: how far from the clean colour, how deep, and over what area."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.photo.colour import ciede2000, lab_of
from oddtwin.core.photo.crop import Crop, RefusedError
from oddtwin.core.photo.trace import Trace, along

TILE_MM: Final = 0.2
OFF_EDGE_PX: Final = 4
LEAST_EDGE: Final = 4.0
"""Colour difference that two sides must have to be two colours."""
SEEN: Final = 1.0
DARKEST: Final = 0.002
LEAST_SIDE: Final = 0.3
LEAST_SIDE_MM: Final = 2.0
"""What is in view of each side at least: as a share of the region, and in millimetres; films are thinner."""
LEAST_STEP: Final = 0.15
"""Share of the way from one colour to the other that the edge itself takes at least."""


@dataclass(frozen=True, slots=True)
class Bleed:
    """Colour that bled over an edge.

    Parameters
    ----------
    delta_e, u : float
        CIEDE2000 from the clean colour, where it is strongest, and its standard uncertainty.
    depth_mm : float
        From the edge to where it has fallen to half.
    area_mm2 : float
        Of the tiles that differ by more than 1.
    side : str
        Side of the edge that is worse: left, right, top or bottom.
    edge : float
        Difference of the two clean colours.
    trace : Trace
        The edge, and how deep the colour reaches.
    """

    delta_e: float
    u: float
    depth_mm: float
    area_mm2: float
    side: str
    edge: float
    trace: Trace = field(default_factory=Trace, compare=False)


def find_bleed(crop: Crop) -> Bleed:
    """Measure the colour that bled over a straight edge between two colours.

    Parameters
    ----------
    crop : Crop
        With the edge about in the middle, upright or level, and clean colour at both ends.

    Raises
    ------
    RefusedError
        There are no two colours, or too little of them is in view.
    """
    scale = crop.scale()
    light = crop.light
    across = light.mean(axis=0), light.mean(axis=1)
    level = _step(across[1]) > _step(across[0])
    # From here on the edge is upright.
    light = light.transpose(1, 0, 2) if level else light
    names = ("top", "bottom") if level else ("left", "right")
    tile = max(2, round(TILE_MM * scale))
    clean = max(2 * tile, light.shape[1] // 8)
    if light.shape[1] < 2 * clean + 4 * tile:
        raise RefusedError(tr("too little of both colours is in view; mark a wider region"))
    flat = _without_lamp(light, clean)
    ends = [
        np.median(flat[:, part].reshape(-1, 3), axis=0) for part in (slice(0, clean), slice(-clean, None))
    ]
    edge = float(ciede2000(lab_of(ends[0]), lab_of(ends[1])))
    if edge < LEAST_EDGE:
        raise RefusedError(tr("both sides of the region have one colour, so that there is no edge in it"))
    place = _place(flat, ends)
    # Near the border what bled fills all that is in view of a side, and passes for its clean colour.
    if min(place, flat.shape[1] - place) < max(LEAST_SIDE * flat.shape[1], LEAST_SIDE_MM * scale):
        raise RefusedError(
            tr(
                "the edge lies near the border of the region; draw it so that the edge is in "
                "the middle, with 2 mm and more on both sides and clean colour at both ends"
            )
        )
    sides = [_side(flat, place, ends, tile, scale, right=right) for right in (False, True)]
    worst = max(range(2), key=lambda one: sides[one][0])
    value, error, depth, area = sides[worst]
    ends_y = np.array([0.0, float(flat.shape[0])])
    reach = (1 if worst else -1) * depth * scale
    lines = [along(np.full(2, place + off), ends_y) for off in ([0.0, reach] if depth else [0.0])]
    trace = Trace(tuple(lines))
    return Bleed(value, error, depth, area, names[worst], edge, trace.turned() if level else trace)


def _step(profile: Floats) -> float:
    """How far the two ends of a profile are apart."""
    part = max(2, len(profile) // 6)
    return float(np.abs(profile[:part].mean(axis=0) - profile[-part:].mean(axis=0)).sum())


def _without_lamp(light: Floats, clean: int) -> Floats:
    """Take out what the lamp changes along the edge, as both clean ends show it."""
    rows = np.arange(light.shape[0])
    left, right = (
        np.polyval(np.polyfit(rows, part.mean(axis=(1, 2)), 1), rows)
        for part in (light[:, :clean], light[:, -clean:])
    )
    share = np.linspace(0, 1, light.shape[1])
    if min(left.mean(), right.mean()) < DARKEST:
        raise RefusedError(tr("one side of the region is black, and shows no colour; light it more"))
    lamp = (left / left.mean())[:, None] * (1 - share) + (right / right.mean())[:, None] * share
    found: Floats = light / np.maximum(lamp, 1e-3)[:, :, None]
    return found


def _place(flat: Floats, ends: list[Floats]) -> float:
    """Column in which the colour passes from one end's to the other's: at half of the mixture."""
    way = ends[1] - ends[0]
    mixture = (flat.mean(axis=0) - ends[0]) @ way / float(way @ way)
    steps = np.convolve(np.diff(mixture), np.ones(3), "same")
    # What bled makes a step of its own, which may be the larger one: the edge is the one about in the middle.
    candidates = np.flatnonzero(steps > 0.5 * steps.max())
    if not len(candidates) or steps.max() < LEAST_STEP:
        raise RefusedError(
            tr("the colour changes nowhere at once in this region, so that there is no edge in it")
        )
    best = int(candidates[np.abs(candidates - len(steps) / 2).argmin()])
    best = max(range(max(0, best - 3), min(len(steps), best + 4)), key=lambda place: float(steps[place]))
    low, high = max(0, best - 2), min(len(steps), best + 3)
    weights = np.maximum(np.diff(mixture)[low:high], 1e-9)
    return float((np.arange(low, high) + 1.0) @ weights / weights.sum())


def _side(
    flat: Floats, place: float, ends: list[Floats], tile: int, scale: float, *, right: bool
) -> tuple[float, float, float, float]:
    """Return difference, uncertainty, depth and area of one side."""
    if right:
        part, clean = flat[:, round(place) + OFF_EDGE_PX :], ends[1]
    else:
        part, clean = flat[:, : max(0, round(place) - OFF_EDGE_PX)][:, ::-1], ends[0]
    rows, columns = part.shape[0] // tile, part.shape[1] // tile
    if not rows or columns < 3:
        raise RefusedError(tr("too little of both colours is in view; mark a wider region"))
    # Tiles of 0.2 mm: what bled is a film, and single pixels are mostly noise.
    tiles = part[: rows * tile, : columns * tile].reshape(rows, tile, columns, tile, 3).mean(axis=(1, 3))
    # Differences are never below zero: the mean colour of a column first, so that noise does not add up.
    profile = ciede2000(lab_of(tiles.mean(axis=0)), lab_of(clean))
    floor = float(np.median(profile[-max(2, columns // 3) :]))
    excess = np.maximum(profile - floor, 0.0)
    value = float(excess[0])
    fine = part[: rows * tile].mean(axis=0)
    steps = ciede2000(lab_of(fine), lab_of(clean)) - floor
    below = np.flatnonzero(steps < value / 2)
    depth = (float(below[0]) if len(below) and value > SEEN else 0.0) / scale
    depth += OFF_EDGE_PX / scale if depth else 0.0
    every = ciede2000(lab_of(tiles), lab_of(clean)) - floor
    bled = every > max(SEEN, value / 2)
    # The strip beside the edge that was left out bled where its neighbours did.
    strip = float(bled[:, 0].sum()) * tile * OFF_EDGE_PX / scale**2
    area = float(bled.sum()) * (tile / scale) ** 2 + strip if value > SEEN else 0.0
    own = ciede2000(lab_of(tiles[:, 0]), lab_of(clean))
    return value, float(own.std(ddof=1) / np.sqrt(rows)) if rows > 1 else 0.3, depth, area
