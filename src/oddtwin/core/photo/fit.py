"""What a figure of a photograph was read from, as curves that can be drawn over its region."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.photo.crop import Picture, RefusedError, crop
from oddtwin.core.photo.figure import Asked, Measured, What
from oddtwin.core.photo.measuring import with_lead
from oddtwin.core.photo.strips import strips_of


@dataclass(frozen=True, slots=True)
class Curves:
    """A profile along a region and the wave that was fitted to it.

    Parameters
    ----------
    x : array of shape (points,)
        Pixels from the left of the region.
    seen, fitted : arrays of shape (points,)
        In % of the local light; ``fitted`` is zero where no wave was found.
    px_per_mm : float
        Of the picture.
    """

    x: Floats
    seen: Floats
    fitted: Floats
    px_per_mm: float


def wave_curves(picture: Picture, asked: Asked, measured: Measured) -> Curves | None:
    """Return the profile that ringing or bands were read from, and the fit.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        sRGB.
    asked : Asked
        As it was measured.
    measured : Measured
        What came out.

    Returns
    -------
    Curves or None
        None for what is no wave, or was refused.
    """
    if measured.what not in (What.RINGING, What.BANDING) or measured.refused:
        return None
    part, lead = crop(picture, asked.region, asked.px_per_mm), 0
    if measured.what is What.RINGING:
        part, lead = with_lead(part, picture, asked)
    try:
        strips = strips_of(part, asked.layer_mm, asked.corner, lead)
    except RefusedError:
        return None
    way = asked.motion.travelled(strips.way) if measured.what is What.RINGING else strips.way
    wave = measured.detail.get("wavelength_mm") or measured.detail.get("period_mm")
    fitted = np.zeros_like(strips.mean)
    if wave:
        fall = np.exp(-way / measured.detail["damping_mm"]) if "damping_mm" in measured.detail else 1.0
        turn = 2 * np.pi * way / wave
        shapes = np.stack([fall * np.cos(turn), fall * np.sin(turn)])
        # As in the fit itself: what changes slowly was taken out of the profiles, and is of the wave as well.
        shapes = shapes - (shapes @ strips.slow) @ strips.slow.T
        weights = np.linalg.lstsq(shapes.T, strips.mean, rcond=None)[0]
        fitted = weights @ shapes
    x = (strips.way + strips.origin_mm) * part.scale()
    # The way is counted from the corner, the picture from the left.
    if asked.corner == "right":
        x = asked.region.width - x
    seen, wave_seen = 100 * strips.mean, 100 * np.asarray(fitted, np.float64)
    return Curves(np.asarray(x, np.float64), seen, wave_seen, part.scale())
