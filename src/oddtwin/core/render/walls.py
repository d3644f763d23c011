"""Rendered walls with known truth: ringing behind a corner, vertical bands, layers that are out of line."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.render.light import Picture, photographed


@dataclass(frozen=True, slots=True)
class Wall:
    """What a wall is like.

    Parameters
    ----------
    width_mm, height_mm : float
    px_per_mm : float
    layer_mm : float
        Height of a layer.
    contrast : float
        Of the ringing 2 mm from the corner, in % of the local light; 0 for none.
    wavelength_mm, damping_mm, phase : float
        Of the ringing, away from the ramp; the damping is the way in which it falls to 1/e.
    speed_mm_s, accel_mm_s2 : float
        With both, the ringing goes in time: it is drawn out where the machine is still speeding up.
    corner : str
        ``left`` or ``right``: where the ringing begins.
    band, band_mm : float
        Contrast of vertical bands in %, and their period.
    offset_um, elevation_deg : float
        How far layers are out of line (standard deviation), and the elevation of the lamp above the wall's
        normal that shows it.
    seam, seam_at_mm : float
        Contrast of a seam in %, and where it runs.
    waviness : float
        Contrast in % of a waviness that all layers share and that is no wave (standard deviation).
    texture : float
        Contrast of the layer lines themselves, as a share.
    grain : float
        Of the surface, between one place and the next, as a share.
    grey : float
        Light that leaves the wall, 0 to 1.
    """

    width_mm: float = 24.0
    height_mm: float = 16.0
    px_per_mm: float = 20.0
    layer_mm: float = 0.2
    contrast: float = 0.0
    wavelength_mm: float = 2.0
    damping_mm: float = 4.0
    phase: float = 0.0
    speed_mm_s: float = 0.0
    accel_mm_s2: float = 0.0
    corner: str = "left"
    band: float = 0.0
    band_mm: float = 2.0
    offset_um: float = 0.0
    elevation_deg: float = 30.0
    seam: float = 0.0
    seam_at_mm: float = 8.0
    waviness: float = 0.0
    texture: float = 0.10
    grain: float = 0.01
    grey: float = 0.35


def render_wall(wall: Wall, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return a photograph of a wall, and what is true of it.

    Parameters
    ----------
    wall : Wall
        What it is like.
    rng : numpy.random.Generator
        Of grain, noise and light.
    """
    from scipy.ndimage import gaussian_filter

    height, width = (round(size * wall.px_per_mm) for size in (wall.height_mm, wall.width_mm))
    x: Floats = (np.arange(width, dtype=np.float64) + 0.5) / wall.px_per_mm
    y: Floats = (np.arange(height, dtype=np.float64) + 0.5) / wall.px_per_mm
    waves = _ringing(wall, x) + wall.band / 100 * np.cos(2 * math.pi * x / wall.band_mm + 1.0)
    waves = waves + wall.seam / 100 * np.exp(-(((x - wall.seam_at_mm) / 0.25) ** 2))
    waves = waves + _waviness(wall, x, rng)
    grain = gaussian_filter(rng.normal(0, 1, (height, width)), (1.0, 2.0))
    grain *= wall.grain / max(float(grain.std()), 1e-12)
    lines = wall.texture * np.cos(2 * math.pi * y / wall.layer_mm)[:, None]
    shifted = _layers(wall, y, rng)
    light = wall.grey * (1 + waves[None, :] + grain) * (1 + lines) * (1 + shifted[:, None])
    truth = {
        "px_per_mm": wall.px_per_mm,
        "layer_mm": wall.layer_mm,
        "contrast": wall.contrast,
        "wavelength_mm": wall.wavelength_mm if wall.contrast else None,
        "damping_mm": wall.damping_mm if wall.contrast else None,
        "frequency_hz": wall.speed_mm_s / wall.wavelength_mm if wall.speed_mm_s and wall.contrast else None,
        "band": wall.band,
        "band_mm": wall.band_mm if wall.band else None,
        "offset_um": wall.offset_um,
        "elevation_deg": wall.elevation_deg,
    }
    return photographed(light, rng), truth


def _ringing(wall: Wall, x: Floats) -> Floats:
    if not wall.contrast:
        return np.zeros_like(x)
    way = _travelled(wall, x if wall.corner == "left" else x[-1] + x[0] - x)
    at = float(_travelled(wall, np.array([2.0]))[0])
    wave = np.exp((at - way) / wall.damping_mm) * np.cos(2 * math.pi * way / wall.wavelength_mm + wall.phase)
    found: Floats = wall.contrast / 100 * wave
    return found


def _travelled(wall: Wall, way: Floats) -> Floats:
    """Way that the same time would take at full speed: the machine starts from rest in the corner."""
    if not (wall.speed_mm_s and wall.accel_mm_s2):
        return way
    ramp = wall.speed_mm_s**2 / (2 * wall.accel_mm_s2)
    time = np.where(
        way < ramp,
        np.sqrt(2 * way / wall.accel_mm_s2),
        wall.speed_mm_s / wall.accel_mm_s2 + (way - ramp) / wall.speed_mm_s,
    )
    found: Floats = time * wall.speed_mm_s
    return found


def _waviness(wall: Wall, x: Floats, rng: np.random.Generator) -> Floats:
    from scipy.ndimage import gaussian_filter1d

    if not wall.waviness:
        return np.zeros_like(x)
    rough = gaussian_filter1d(rng.normal(0, 1, len(x)), 0.5 * wall.px_per_mm)
    found: Floats = wall.waviness / 100 * rough / float(rough.std())
    return found


def _layers(wall: Wall, y: Floats, rng: np.random.Generator) -> Floats:
    """Shading of layers that are out of line: the slope between one and the next, in the light from above."""
    if not wall.offset_um:
        return np.zeros_like(y)
    number = np.floor(y / wall.layer_mm).astype(int)
    out = rng.normal(0, wall.offset_um / 1000, number.max() + 2)
    # The lean of a layer against the next one, which is what a lamp above shows.
    slope = np.diff(out)[number] / wall.layer_mm
    found: Floats = slope / math.tan(math.radians(wall.elevation_deg))
    return found
