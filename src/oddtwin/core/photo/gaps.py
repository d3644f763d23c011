"""Gaps and ridges between the lines of a top: dark or bright slits along them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.photo.crop import Crop, RefusedError
from oddtwin.core.photo.trace import Trace

LINE_MM: Final = 0.45
THRESHOLD: Final = 6.0
SHORTEST_MM: Final = 1.0


@dataclass(frozen=True, slots=True)
class Gaps:
    """Slits along the lines of a top.

    Parameters
    ----------
    share : float
        Of the region that is dark slit, 0 to 1.
    area_mm2, length_mm : float
    count : int
    ridges_mm2 : float
        Area of bright slits.
    along : str
        ``x`` or ``y``: the way that the lines run.
    trace : Trace
        Where slits of both kinds lie.
    """

    share: float
    area_mm2: float
    length_mm: float
    count: int
    ridges_mm2: float
    along: str
    trace: Trace = field(default_factory=Trace, compare=False)


def find_gaps(crop: Crop) -> Gaps:
    """Look for slits between the lines of a top that run along or across the region.

    Parameters
    ----------
    crop : Crop
        A top face.

    Raises
    ------
    RefusedError
        The region is smaller than ten lines.
    """
    from scipy.ndimage import binary_dilation, gaussian_filter, label

    scale = crop.scale()
    grey = crop.grey
    if min(grey.shape) < 10 * LINE_MM * scale:
        raise RefusedError(tr("the region is smaller than ten lines; mark a larger one"))
    logs = np.log(np.maximum(grey, 1e-4))
    along = _along(gaussian_filter(logs, 1.0))
    image = logs if along == "x" else logs.T
    across = max(1.0, LINE_MM * scale / 5)
    smooth = gaussian_filter(image, (across / 2, 0.8 * scale / 2))
    flat = smooth - gaussian_filter(smooth, (3 * LINE_MM * scale, 0))
    middle = float(np.median(flat))
    spread = max(1.4826 * float(np.median(np.abs(flat - middle))), 1e-6)
    score = (flat - middle) / spread
    light = grey if along == "x" else grey.T
    local = gaussian_filter(light, (3 * LINE_MM * scale, scale))
    found = []
    places = np.zeros(light.shape, bool)
    for sign in (-1, 1):
        parts, count = label(sign * score > THRESHOLD)
        sizes = [np.ptp(np.nonzero(parts == one)[1]) + 1 for one in range(1, count + 1)]
        kept = [one for one, size in enumerate(sizes, 1) if size >= SHORTEST_MM * scale]
        # What is missing of the light, over what is missing where the slit is whole: the lens spreads it, and
        # changes no sum.
        missing = sign * (light / np.maximum(local, 1e-6) - 1)
        area = 0.0
        for one in kept:
            wide = binary_dilation(parts == one, iterations=max(2, round(across)))
            full = float(np.quantile(missing[parts == one], 0.9))
            places |= parts == one
            area += float(np.where(wide, missing, 0.0).sum()) / max(full, 1e-6) / scale**2
        found.append((area, sum(sizes[one - 1] for one in kept) / scale, len(kept)))
    dark, bright = found
    whole = grey.size / scale**2
    trace = Trace(places=places)
    return Gaps(dark[0] / whole, *dark, bright[0], along, trace if along == "x" else trace.turned())


def _along(fine: Floats) -> str:
    """Return the way that the lines run: across them the light changes more than along them."""
    # The mean of the steps, whichever way the lamp stands.
    rows, columns = (float(np.abs(np.diff(fine, axis=axis)).mean()) for axis in (0, 1))
    return "x" if rows > columns else "y"
