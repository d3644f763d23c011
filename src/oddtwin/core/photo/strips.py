"""A wall as strips of a few layers: profiles along it, what they have in common, and what is only surface.

Strips are the repeats of a face: what all of them show is a wave, what they show each by itself is scatter.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.photo.crop import Crop, RefusedError

LAYERS: Final = 5
FEWEST: Final = 10
FINEST: Final = 16.0
"""Points of a millimetre that profiles keep: more say nothing of waves of a millimetre."""
USUAL_LAYER: Final = 0.2
FLIPS: Final = 199
EDGE: Final = 0.25
"""Logarithm of light by which what lies beside a wall differs from it at least."""
ROUNDED_MM: Final = 0.35
"""Beside an edge, what its rounding and the lens take away from the wall."""
MOST_SHORT_MM: Final = 2.0


@dataclass(frozen=True, slots=True)
class Strips:
    """Profiles along a wall.

    Parameters
    ----------
    way : array of shape (points,)
        Millimetres from the corner, or from the left.
    profiles : array of shape (strips, points)
        Logarithm of the light, without what changes slowly; a wave of 1 % is 0.01.
    slow : array of shape (points, columns)
        Orthonormal: what counts as changing slowly.
    white : array of shape (frequencies,)
        What each frequency is divided by, so that the scatter is alike at all of them.
    origin_mm : float
        Where the way begins, in mm from the end of the region on the side of the corner.
    """

    way: Floats
    profiles: Floats
    slow: Floats
    white: Floats
    origin_mm: float = 0.0

    @property
    def mean(self) -> Floats:
        """What all strips show; shape (points,)."""
        found: Floats = self.profiles.mean(axis=0)
        return found

    def whitened(self, rows: Floats) -> Floats:
        """Return profiles without what changes slowly, in units of scatter; shape (rows, points)."""
        left = rows - (rows @ self.slow) @ self.slow.T
        found: Floats = np.fft.irfft(np.fft.rfft(left, axis=-1) / self.white, rows.shape[-1], axis=-1)
        return found


def strips_of(crop: Crop, layer_mm: float | None, corner: str = "left", lead: int = 0) -> Strips:
    """Return the profiles of a wall.

    Parameters
    ----------
    crop : Crop
        Layers lie across it, one over the other.
    layer_mm : float or None
        Height of a layer; 0.2 where it is not said.
    corner : str
        ``left`` or ``right``: from where the way is counted.
    lead : int
        Columns before the wall on that side, where only its edge is looked for.

    Raises
    ------
    RefusedError
        There are fewer than ten strips of five layers.
    """
    scale = crop.scale()
    high = max(2, round(LAYERS * (layer_mm or USUAL_LAYER) * scale))
    grey = crop.grey if corner == "left" else crop.grey[:, ::-1]
    count = grey.shape[0] // high
    if count < FEWEST:
        raise RefusedError(
            tr(
                "the region holds {count} strips of {LAYERS} layers, and {FEWEST} are "
                "needed; mark a higher one",
                count=count,
                LAYERS=LAYERS,
                FEWEST=FEWEST,
            )
        )
    means = np.maximum(grey[: count * high].reshape(count, high, -1).mean(axis=1), 1e-4)
    edge, begin, end = _ends(means, scale, lead)
    means = means[:, begin:end]
    if means.shape[1] < MOST_SHORT_MM * scale:
        raise RefusedError(
            tr("hardly any of the region lies on the wall; draw it from the corner along the wall")
        )
    every = max(1, round(scale / FINEST))
    points = means.shape[1] // every
    logs = np.log(means[:, : points * every].reshape(count, points, every).mean(axis=2))
    # From the edge itself, where it lies in the region: a box is drawn by hand.
    way = (np.arange(points) + 0.5) * every / scale + (begin - edge) / scale
    logs = _without_surface(logs)
    slow = _slow(points)
    profiles = logs - (logs @ slow) @ slow.T
    return Strips(way, profiles, slow, _white(profiles), (edge - lead) / scale)


def _ends(means: Floats, scale: float, lead: int) -> tuple[int, int, int]:
    """Where the wall begins: at its edge, from where it is lit as a wall, and to where; columns.

    A box that reaches over the edge begins with a step, beside which no wave is seen.
    """
    # The median over strips: one blob at the edge does not move it.
    profile = np.median(np.log(means), axis=0)
    columns = len(profile)
    # What a wall is lit like is told by its middle, which the box surely holds.
    level = float(np.median(profile[columns // 4 : columns - columns // 4]))
    off = np.abs(profile - level) > EDGE
    first, last = (_leading(side[: columns // 3]) for side in (off, off[::-1]))
    rounded = round(ROUNDED_MM * scale)
    begin = max(lead, first + rounded) if first else lead
    return first or lead, begin, columns - (last + rounded if last else 0)


def _leading(off: NDArray[np.bool_]) -> int:
    """How many columns from the end on are not lit as the wall is."""
    return int(np.argmin(off)) if off[0] and not off.all() else len(off) if off.all() else 0


def _without_surface(logs: Floats) -> Floats:
    """Take a quadratic surface out: the lamp."""
    rows, points = logs.shape
    y, x = np.mgrid[-1 : 1 : rows * 1j, -1 : 1 : points * 1j]
    columns = np.stack([np.ones_like(x), x, y, x * y, x**2, y**2]).reshape(6, -1).T
    fit, *_ = np.linalg.lstsq(columns, logs.ravel(), rcond=None)
    found: Floats = logs - (columns @ fit).reshape(rows, points)
    return found


def _slow(points: int) -> Floats:
    """An orthonormal basis of cubics."""
    x = np.linspace(-1, 1, points)
    found: Floats = np.linalg.qr(np.stack([np.ones(points), x, x**2, x**3], axis=1))[0]
    return found


def _white(profiles: Floats) -> Floats:
    """Return the scatter of strips at every frequency, smoothed."""
    from scipy.ndimage import uniform_filter1d

    count, points = profiles.shape
    own = profiles - profiles.mean(axis=0)
    power = (np.abs(np.fft.rfft(own, axis=1)) ** 2).sum(axis=0) / max(count - 1, 1) / points
    smooth = uniform_filter1d(power, max(3, len(power) // 12), mode="nearest")
    found: Floats = np.sqrt(np.maximum(smooth, 1e-3 * float(smooth.max()) + 1e-18))
    return found


def searched(strips: Strips, templates: Floats, rng: np.random.Generator) -> tuple[int, float]:
    """Return which wave fits best, and the chance of so good a fit by luck, the search included.

    Parameters
    ----------
    strips : Strips
        Of a wall.
    templates : array of shape (waves, 2, points)
        Cosine and sine of each.
    rng : numpy.random.Generator
        Of the flips: without a wave a strip is as likely with its sign turned.
    """
    count, _, points = templates.shape
    white = strips.whitened(templates.reshape(-1, points)).reshape(count, 2, points)
    first = white[:, 0] / np.maximum(np.linalg.norm(white[:, 0], axis=1, keepdims=True), 1e-12)
    second = white[:, 1] - (white[:, 1] * first).sum(axis=1, keepdims=True) * first
    second /= np.maximum(np.linalg.norm(second, axis=1, keepdims=True), 1e-12)
    rows = strips.whitened(strips.profiles)
    # A strip without a wave is as likely upside down.
    signs = rng.choice([-1.0, 1.0], (FLIPS, len(rows)))
    means = np.concatenate([rows.mean(axis=0)[None, :], signs @ rows / len(rows)])
    scores = (means @ first.T) ** 2 + (means @ second.T) ** 2
    best = scores.max(axis=1)
    return int(scores[0].argmax()), float((1 + (best[1:] >= best[0]).sum()) / (1 + FLIPS))
