"""Strings across a gap: how many, how much, and the thinnest that would have been seen."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.photo.crop import Crop, RefusedError
from oddtwin.core.photo.trace import Trace

WORKING: Final = 20.0
"""Pixels of a millimetre at which strings are looked for."""
ANGLES: Final = 11
STEEPEST: Final = 50.0
WIDTHS_MM: Final = (0.06, 0.14)
LOW, HIGH = 5.0, 10.0
SHORTEST_MM: Final = 1.0
STATIONS: Final = 9
TRIED_MM: Final = (0.03, 0.05, 0.08, 0.12, 0.18, 0.27, 0.4)
PRINT_IN_VIEW: Final = 0.03
"""Share of the region that may look like the print, as its blurred edge does."""


@dataclass(frozen=True, slots=True)
class StringsFound:
    """Strings across a gap.

    Parameters
    ----------
    count : float
        Median of the crossings at nine places.
    u : float
        Standard deviation of the crossings, over their square root.
    length_mm, area_mm2 : float
    smallest_mm : float or None
        Width of the thinnest string of this print's colour that would have been seen; None where nobody
        knows its colour.
    trace : Trace
        Where they lie.
    """

    count: float
    u: float
    length_mm: float
    area_mm2: float
    smallest_mm: float | None
    trace: Trace = field(default_factory=Trace, compare=False)


def find_strings(crop: Crop, beside: Floats | None = None) -> StringsFound:
    """Look for strings that cross a gap from left to right.

    Parameters
    ----------
    crop : Crop
        Of the gap alone.
    beside : array of shape (3,), optional
        Linear light of the print beside the gap: what colour strings have.

    Raises
    ------
    RefusedError
        The gap is smaller than strings are long, or strings of this colour could not be seen on this cloth.
    """
    scale = crop.scale()
    grey = _at_scale(crop.grey, scale)
    if min(grey.shape) < SHORTEST_MM * WORKING:
        raise RefusedError(tr("the gap is smaller than a millimetre; mark a larger one"))
    colour = None if beside is None else float(beside @ np.array([0.2126, 0.7152, 0.0722]))
    cloth = float(np.median(grey))
    # Strings lighter than the cloth are ridges of light, darker ones of shade.
    sign = 1.0 if colour is None or colour >= cloth else -1.0
    flat = sign * (grey - np.median(grey, axis=0, keepdims=True))
    mask = _ridges(flat)
    crossings = _crossings(mask)
    count = float(np.median(crossings))
    smallest = None if colour is None else _smallest(flat, abs(colour - cloth))
    if colour is not None and smallest is None:
        raise RefusedError(
            tr("strings of this colour could not be seen on this cloth; lay it on another one")
        )
    columns = np.median(grey, axis=0)
    if colour is not None and (np.abs(columns - colour) < np.abs(columns - cloth)).mean() > PRINT_IN_VIEW:
        raise RefusedError(tr("the region covers some of the print; draw it in the gap alone"))
    length, area = _amount(flat, mask, None if colour is None else abs(colour - cloth))
    error = float(np.std(crossings)) / math.sqrt(STATIONS)
    rows, columns = (
        np.minimum((np.arange(size) * WORKING / scale).astype(int), most - 1)
        for size, most in zip(crop.grey.shape, mask.shape, strict=True)
    )
    return StringsFound(count, error, length, area, smallest, Trace(places=mask[np.ix_(rows, columns)]))


def _at_scale(grey: Floats, scale: float) -> Floats:
    from scipy.ndimage import zoom

    found: Floats = zoom(grey, WORKING / scale, order=1) if abs(scale / WORKING - 1) > 0.02 else grey
    return found


@lru_cache(maxsize=1)
def _kernels() -> tuple[Floats, ...]:
    """Oriented ridge filters: the second derivative of a Gaussian across, a Gaussian along."""
    found = []
    reach = round(0.9 * WORKING)
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1] / WORKING
    for width in WIDTHS_MM:
        for degrees in np.linspace(-STEEPEST, STEEPEST, ANGLES):
            turn = math.radians(float(degrees))
            along, across = x * math.cos(turn) + y * math.sin(turn), -x * math.sin(turn) + y * math.cos(turn)
            kernel = (1 - (across / width) ** 2) * np.exp(-((across / width) ** 2) / 2)
            kernel *= np.exp(-((along / 0.35) ** 2) / 2)
            kernel -= kernel.mean()
            found.append(kernel / np.sqrt((kernel**2).sum()))
    return tuple(found)


def _ridges(flat: Floats) -> NDArray[np.bool_]:
    """Where strings lie: oriented ridges, by hysteresis, a millimetre long at least."""
    from scipy.ndimage import label
    from scipy.signal import fftconvolve

    answers = np.max([fftconvolve(flat, kernel[::-1, ::-1], "same") for kernel in _kernels()], axis=0)
    middle = float(np.median(answers))
    spread = 1.4826 * float(np.median(np.abs(answers - middle)))
    # In units of what the cloth itself does.
    score = (answers - middle) / max(spread, 1e-9)
    parts, count = label(score > LOW, structure=np.ones((3, 3)))
    if not count:
        return np.zeros(flat.shape, bool)
    strong = np.unique(parts[score > HIGH])
    columns = [np.ptp(np.nonzero(parts == one)[1]) + 1 if one else 0 for one in strong.tolist()]
    kept = [one for one, wide in zip(strong.tolist(), columns, strict=True) if wide >= SHORTEST_MM * WORKING]
    return np.isin(parts, kept)


def _crossings(mask: NDArray[np.bool_]) -> list[int]:
    places = np.linspace(0.1, 0.9, STATIONS) * (mask.shape[1] - 1)
    return [
        int((np.diff(mask[:, round(place)].astype(int), prepend=0) == 1).sum()) for place in places.tolist()
    ]


def _amount(flat: Floats, mask: NDArray[np.bool_], contrast: float | None) -> tuple[float, float]:
    """Length, and area as so much full string as the light makes."""
    from scipy.ndimage import binary_dilation, label

    if not mask.any():
        return 0.0, 0.0
    parts, count = label(mask, structure=np.ones((3, 3)))
    length = 0.0
    for one in range(1, count + 1):
        rows, columns = np.nonzero(parts == one)
        length += (
            math.hypot(float(np.ptp(columns)), float(np.ptp(rows)) if np.ptp(columns) else 0.0) / WORKING
        )
    wide = binary_dilation(mask, iterations=4)
    excess = np.where(wide, flat, 0.0)
    full = contrast or float(np.quantile(flat[mask], 0.95))
    return length, float(excess.sum()) / max(full, 1e-6) / WORKING**2


def _smallest(flat: Floats, contrast: float) -> float | None:
    """Width of the thinnest string that is found where it is put; None where not even 0.4 mm is."""
    from scipy.ndimage import gaussian_filter

    height = len(flat)
    rows = [round(share * (height - 1)) for share in (0.22, 0.5, 0.78)]
    for thick in TRIED_MM:
        added = np.zeros_like(flat)
        for row in rows:
            # What is thinner than a pixel covers a part of it.
            added[row] += contrast * min(thick * WORKING, 1.0)
            for more in range(1, max(1, round(thick * WORKING))):
                added[min(height - 1, row + more)] += contrast
        mask = _ridges(flat + gaussian_filter(added, 0.7))
        near = [mask[max(0, row - 3) : row + round(thick * WORKING) + 4].any(axis=0).mean() for row in rows]
        if min(near) > 0.8:
            return thick
    return None
