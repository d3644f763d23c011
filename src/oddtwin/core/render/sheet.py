"""Rendered photographs of the photo mat: tilted, through a lens, of a sheet that was stretched or curls."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.photo.mat import MARKER_MM, PAGES, marker_bits, mat_centres
from oddtwin.core.render.light import Picture, photographed

FINE = 20
"""Points of a millimetre that the sheet itself is drawn with."""


@dataclass(frozen=True, slots=True)
class Sheet:
    """How a mat is photographed.

    Parameters
    ----------
    page : str
        ``a4`` or ``letter``.
    px_per_mm : float
        At the middle of the mat.
    k1, k2 : float
        Of the lens, at half the longer side of the picture.
    tilt_deg : float
        Of the camera, about the page's width.
    camera_mm : float
        Height of the camera.
    stretch_x, stretch_y : float
        What the printer made of the sheet.
    curl_mm : float
        How far the ends of the sheet stand up.
    hidden : int
        Markers that are covered.
    """

    page: str = "a4"
    px_per_mm: float = 5.0
    k1: float = 0.0
    k2: float = 0.0
    tilt_deg: float = 0.0
    camera_mm: float = 500.0
    stretch_x: float = 1.0
    stretch_y: float = 1.0
    curl_mm: float = 0.0
    hidden: int = 0


def render_sheet(sheet: Sheet, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return a photograph of a mat, and its scale at the middle."""
    import cv2

    page = np.array(PAGES[sheet.page])
    margin = 8.0
    width, height = ((page + 2 * margin) * sheet.px_per_mm).round().astype(int).tolist()
    y, x = np.mgrid[0:height, 0:width]
    # Where each pixel looks on the mat is worked out backwards.
    px = np.stack([x.ravel(), y.ravel()], axis=1).astype(np.float64)
    middle, radius = np.array([(width - 1) / 2, (height - 1) / 2]), max(width, height) / 2
    off = (px - middle) / radius
    plain = off.copy()
    # The lens the other way round has no formula; a few steps come to all digits.
    for _ in range(6):
        square = (plain**2).sum(axis=1, keepdims=True)
        plain = off / (1 + sheet.k1 * square + sheet.k2 * square**2)
    away = plain * radius / sheet.px_per_mm
    turn = math.radians(sheet.tilt_deg)
    distance = sheet.camera_mm
    # A ray through the tilted camera meets the mat there.
    below = distance * math.cos(turn) - away[:, 1] * math.sin(turn)
    mm = np.stack([away[:, 0] * distance / below, away[:, 1] * distance * math.cos(turn) / below], axis=1)
    if sheet.curl_mm:
        # What stands up is nearer to the camera, and seen farther out.
        high = sheet.curl_mm * (2 * mm[:, 1] / page[1]) ** 2
        mm = mm * ((distance - high) / distance)[:, None]
    place = (mm / np.array([sheet.stretch_x, sheet.stretch_y]) + page / 2 + margin) * FINE - 0.5
    maps = [part.reshape(height, width).astype(np.float32) for part in place.T]
    paper = cv2.GaussianBlur(_paper(sheet, page, margin), (0, 0), 0.4 * FINE / sheet.px_per_mm)
    light = cv2.remap(paper, maps[0], maps[1], cv2.INTER_LINEAR, borderValue=0.25)
    return photographed(light.astype(np.float64), rng), {"px_per_mm": sheet.px_per_mm, "page": sheet.page}


def _paper(sheet: Sheet, page: Floats, margin: float) -> NDArray[np.float32]:
    """The sheet itself with some table about it, many points to a millimetre."""
    width, height = ((page + 2 * margin) * FINE).round().astype(int).tolist()
    light = np.full((height, width), 0.25, np.float32)
    edge = round(margin * FINE)
    light[edge:-edge, edge:-edge] = 0.75
    cell = round(MARKER_MM / 8 * FINE)
    for number, centre in mat_centres(sheet.page).items():
        if number < sheet.hidden:
            continue
        black = np.kron(marker_bits(number), np.ones((cell, cell), bool))
        left, top = ((np.array(centre) + margin) * FINE - 4 * cell).round().astype(int).tolist()
        light[top : top + 8 * cell, left : left + 8 * cell] = np.where(black, 0.04, 0.75)
    return light
