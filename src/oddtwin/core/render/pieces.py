"""Rendered photographs of whole faces: a panel with grooves and a seam, ribs with strings between."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.photo.waves import Motion
from oddtwin.core.render.light import Picture, photographed


@dataclass(frozen=True, slots=True)
class PieceFace:
    """What the face of a print is like, and how it lies.

    Parameters
    ----------
    ribs : int
        How many ribs there are; 0 for a panel.
    width_px, height_px : int
        Of the picture.
    px_per_mm : float
        Of the picture.
    layer_mm : float
        Height of a layer.
    colour : tuple of float
        Light that leaves the plastic: red, green, blue, 0 to 1.
    ringing : float
        Contrast behind the left edge of a panel, in % 2 mm from it.
    speed_mm_s, accel_mm_s2 : float
        With both, the ringing goes in time: drawn out where the machine is still speeding up.
    seam, scattered : float and bool
        Contrast of the seam of a panel in %, and whether its points are scattered instead of in line.
    strings : int
        That cross the gaps between the ribs.
    turn_deg, shift_x_px, shift_y_px : float
        How it lies.
    lamp_deg : float
        Azimuth of the lamp.
    """

    ribs: int = 0
    width_px: int = 900
    height_px: int = 600
    px_per_mm: float = 12.0
    layer_mm: float = 0.28
    colour: tuple[float, float, float] = (0.46, 0.45, 0.43)
    ringing: float = 0.0
    speed_mm_s: float = 0.0
    accel_mm_s2: float = 0.0
    seam: float = 0.0
    scattered: bool = False
    strings: int = 0
    turn_deg: float = 0.0
    shift_x_px: float = 0.0
    shift_y_px: float = 0.0
    lamp_deg: float = 200.0


def render_piece(face: PieceFace, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return a photograph of a face, and what is true of it.

    Parameters
    ----------
    face : PieceFace
        What it is like, and how it lies.
    rng : numpy.random.Generator
        Of what this very print has for itself: grain, strings, points of the seam; and of the noise.
    """
    import cv2

    height, width = face.height_px, face.width_px
    plastic, inside = (_ribs if face.ribs else _panel)(face, rng)
    cloth = 0.06 * (1 + 0.05 * rng.normal(0, 1, (height, width)))
    tinted = plastic[:, :, None] * np.array(face.colour)
    light = inside[:, :, None] * tinted + (1 - inside[:, :, None]) * cloth[:, :, None]
    matrix = cv2.getRotationMatrix2D((width / 2, height / 2), face.turn_deg, 1.0)
    matrix[:, 2] += np.array([face.shift_x_px, face.shift_y_px])
    laid = cv2.warpAffine(
        light, matrix, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT
    )
    y, x = np.mgrid[-0.5 : 0.5 : height * 1j, -0.5 : 0.5 : width * 1j]
    way = math.radians(face.lamp_deg)
    lamp = 1 + 0.35 * (math.cos(way) * x + math.sin(way) * y)
    truth = {
        "px_per_mm": face.px_per_mm,
        "ringing": face.ringing,
        "strings": face.strings,
        "matrix": matrix.tolist(),
    }
    return photographed(laid * lamp[:, :, None], rng, tilt=0.0), truth


def _box(face: PieceFace) -> tuple[float, float, float, float]:
    """Left, top, right and bottom of the piece, px."""
    return 0.14 * face.width_px, 0.14 * face.height_px, 0.86 * face.width_px, 0.86 * face.height_px


def _panel(face: PieceFace, rng: np.random.Generator) -> tuple[Floats, Floats]:
    left, top, right, bottom = _box(face)
    y, x = np.mgrid[0 : face.height_px, 0 : face.width_px].astype(np.float64)
    inside = _rounded(x, y, (left, top, right, bottom), 2.2 * face.px_per_mm)
    light = _surface(face, y, rng)
    # Three grooves and a round window, alike on every print: what photographs are laid on by.
    for share, begin, end in ((0.24, 0.30, 0.62), (0.40, 0.30, 0.80), (0.56, 0.30, 0.52)):
        level = top + share * (bottom - top)
        groove = (np.abs(y - level) < 0.55 * face.px_per_mm) & (
            np.abs(x - left - (begin + end) / 2 * (right - left)) < (end - begin) / 2 * (right - left)
        )
        light = np.where(groove, 0.62 * light, light)
    from_middle = np.hypot(x - left - 0.80 * (right - left), y - top - 0.72 * (bottom - top))
    light = np.where(np.abs(from_middle - 4.2 * face.px_per_mm) < 0.5 * face.px_per_mm, 0.6 * light, light)
    motion = Motion(face.speed_mm_s or None, face.accel_mm_s2 or None)
    way = motion.travelled(np.maximum(x - left, 0) / face.px_per_mm)
    at = float(motion.travelled(np.array([2.0]))[0])
    wave = np.exp((at - way) / 5.0) * np.cos(2 * math.pi * way / 2.4)
    light = light * (1 + face.ringing / 100 * wave)
    return light * _seam(face, x, y, rng), inside


def _seam(face: PieceFace, x: Floats, y: Floats, rng: np.random.Generator) -> Floats:
    if not face.seam:
        return np.ones_like(x)
    left, top, right, bottom = _box(face)
    found = np.ones_like(x)
    step = face.layer_mm * face.px_per_mm
    for level in np.arange(top + step, bottom - step, step).tolist():
        share = rng.uniform(0.05, 0.95) if face.scattered else 0.12 + rng.normal(0, 0.002)
        at = left + share * (right - left)
        rows = slice(round(level - step / 2), round(level + step / 2))
        bump = np.exp(-(((x[rows] - at) / (0.28 * face.px_per_mm)) ** 2))
        found[rows] *= 1 - face.seam / 100 * bump
    return found


def _ribs(face: PieceFace, rng: np.random.Generator) -> tuple[Floats, Floats]:
    left, top, right, bottom = _box(face)
    y, x = np.mgrid[0 : face.height_px, 0 : face.width_px].astype(np.float64)
    light = _surface(face, y, rng)
    inside = _rounded(x, y, (left, bottom - 0.2 * (bottom - top), right, bottom), face.px_per_mm)
    each = (right - left) / (2 * face.ribs - 1)
    # Laid on as they come, one over the other.
    for number in range(face.ribs):
        begin = left + 2 * number * each
        # Ribs of different height, so that the picture cannot slip by one of them.
        high = top + (0.02 + 0.05 * (number * 7 % 5)) * (bottom - top)
        inside = np.maximum(inside, _rounded(x, y, (begin, high, begin + each, bottom), 0.8 * face.px_per_mm))
    return light, np.maximum(inside, _strings(face, x, y, each, rng))


def _strings(face: PieceFace, x: Floats, y: Floats, each: float, rng: np.random.Generator) -> Floats:
    left, top, _, bottom = _box(face)
    found = np.zeros_like(x)
    for _ in range(face.strings):
        gap = int(rng.integers(face.ribs - 1))
        begin = left + (2 * gap + 1) * each
        level = rng.uniform(top + 0.25 * (bottom - top), bottom - 0.26 * (bottom - top))
        along = (x - begin - each / 2) / each * 2
        sag = rng.uniform(0.1, 0.6) * face.px_per_mm
        line = level + sag * (1 - along**2) + rng.normal(0, 0.1) * (x - begin)
        half = rng.uniform(0.04, 0.09) * face.px_per_mm
        cover = np.clip(half + 0.5 - np.abs(y - line), 0, min(1.0, 2 * half))
        found = np.maximum(found, np.where(np.abs(along) <= 1.02, cover, 0.0))
    return found


def _surface(face: PieceFace, y: Floats, rng: np.random.Generator) -> Floats:
    """Light of layer lines, with the grain of this very print."""
    import cv2

    lines = 1 + 0.07 * np.cos(2 * math.pi * y / (face.layer_mm * face.px_per_mm))
    grain = cv2.GaussianBlur(rng.normal(0, 1, y.shape), (0, 0), sigmaX=3.0, sigmaY=1.0)
    found: Floats = lines * (1 + 0.012 * grain / max(float(grain.std()), 1e-12))
    return found


def _rounded(x: Floats, y: Floats, box: tuple[float, float, float, float], radius: float) -> Floats:
    """How much of each pixel lies inside a box with rounded corners."""
    left, top, right, bottom = box
    across = np.maximum(np.maximum(left + radius - x, x - right + radius), 0)
    along = np.maximum(np.maximum(top + radius - y, y - bottom + radius), 0)
    return np.clip(radius - np.hypot(across, along) + 0.5, 0, 1)
