"""Rendered views of a piece on a mat: laid down again, turned a little, under a lamp that may have moved."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.render.light import Picture, photographed


@dataclass(frozen=True, slots=True)
class View:
    """How a piece lies and is lit.

    Parameters
    ----------
    piece : int
        Seed of the piece: its letters and the texture that its kind shares.
    print_seed : int
        Of what this very print has for itself.
    width_px, height_px : int
    turn_deg, shift_x_px, shift_y_px : float
        How it lies.
    lamp_deg : float
        Azimuth of the lamp; the light falls off across the picture.
    blank : int
        Whether the face shows nothing (1).
    letters : int
        Seed of the letters, where they are not those of the piece; 0 for those.
    """

    piece: int = 1
    print_seed: int = 1
    width_px: int = 640
    height_px: int = 480
    turn_deg: float = 0.0
    shift_x_px: float = 0.0
    shift_y_px: float = 0.0
    lamp_deg: float = 30.0
    blank: int = 0
    letters: int = 0


def render_view(view: View, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return a photograph of a piece on a mat, and how it lies: piece to picture, px.

    Parameters
    ----------
    view : View
        How it lies and is lit.
    rng : numpy.random.Generator
        Of the noise.
    """
    import cv2

    height, width = view.height_px, view.width_px
    face, inside = _face(view)
    turn = math.radians(view.turn_deg)
    cosine, sine = math.cos(turn), math.sin(turn)
    # About the middle of the picture.
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    turned = np.array([[cosine, -sine], [sine, cosine]])
    offset = middle - turned @ middle + np.array([view.shift_x_px, view.shift_y_px])
    matrix = np.concatenate([turned, offset[:, None]], axis=1)
    laid = cv2.warpAffine(
        face, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )
    there = cv2.warpAffine(inside, matrix, (width, height), flags=cv2.INTER_LINEAR)
    mat = 0.12 + 0.03 * (((np.indices((height, width)) // 40).sum(axis=0)) % 2)
    y, x = np.mgrid[-0.5 : 0.5 : height * 1j, -0.5 : 0.5 : width * 1j]
    way = math.radians(view.lamp_deg)
    lamp = 1 + 0.5 * (math.cos(way) * x + math.sin(way) * y)
    light = (there * laid + (1 - there) * mat) * lamp
    return photographed(light, rng, tilt=0.0), {"matrix": matrix.tolist(), "lamp_deg": view.lamp_deg}


def _face(view: View) -> tuple[Floats, Floats]:
    """Light of the face and where it is, both of the size of the picture."""
    from scipy.ndimage import gaussian_filter

    height, width = view.height_px, view.width_px
    kind, own = np.random.default_rng(view.piece), np.random.default_rng([view.piece, view.print_seed])
    face = np.full((height, width), 0.45)
    if not view.blank:
        marks = np.zeros((height, width))
        drawn = np.random.default_rng([view.letters, 7]) if view.letters else kind
        for _ in range(14):
            cx, cy = drawn.uniform(0.28, 0.72) * width, drawn.uniform(0.28, 0.72) * height
            w, h = drawn.uniform(0.01, 0.10) * width, drawn.uniform(0.008, 0.05) * height
            y, x = np.mgrid[0:height, 0:width]
            marks += (np.abs(x - cx) < w) & (np.abs(y - cy) < h)
        face = face * (1 - 0.25 * gaussian_filter(np.minimum(marks, 1.0), 1.2))
        face = face * (1 + 0.01 * gaussian_filter(own.normal(0, 1, face.shape), 6) * 12)
    face = face * (1 + 0.008 * gaussian_filter(own.normal(0, 1, face.shape), 1.5) * 5)
    y, x = np.mgrid[0:height, 0:width]
    inside = ((np.abs(x - width / 2) < 0.32 * width) & (np.abs(y - height / 2) < 0.32 * height)).astype(float)
    corner = (x > 0.72 * width) & (y > 0.70 * height)
    return face, gaussian_filter(np.where(corner, 0.0, inside), 0.7)
