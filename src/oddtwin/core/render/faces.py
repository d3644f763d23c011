"""Rendered faces with known truth: strings over a gap, colour that bled, edges, corners and tops."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.render.light import Picture, photographed


@dataclass(frozen=True, slots=True)
class Face:
    """What a face is like; only what its kind uses counts.

    Parameters
    ----------
    width_mm, height_mm, px_per_mm : float
    strings, string_mm : int and float
        How many cross the gap, and how wide they are.
    print_grey, cloth_grey : float
        Light of the print and of what lies behind it, 0 to 1.
    delta, depth_mm : float
        Share of the other colour that bled, and how deep.
    radius_mm : float
        Of a corner.
    droop_mm : float
        How far the edge hangs in its middle; of an overhang, how far at ``begin_deg`` + 20°.
    steps, first_deg, by_deg, begin_deg : int and float
        Of an overhang: how many steps, the angle of the first from upright, how far apart they are, and the
        angle up to which nothing hangs; from there on the droop grows as the square.
    gaps, gap_mm : int and float
        Slits of a top, and their width.
    piece_mm : float
        Width of a piece.
    """

    width_mm: float = 16.0
    height_mm: float = 10.0
    px_per_mm: float = 20.0
    strings: int = 0
    string_mm: float = 0.12
    print_grey: float = 0.6
    cloth_grey: float = 0.08
    delta: float = 0.3
    depth_mm: float = 1.0
    radius_mm: float = 1.0
    droop_mm: float = 0.5
    steps: int = 7
    first_deg: float = 30.0
    by_deg: float = 5.0
    begin_deg: float = 38.0
    gaps: int = 0
    gap_mm: float = 0.12
    piece_mm: float = 10.0


TOWER_MM = 2.0
LIGHT_COLOUR = np.array([0.72, 0.70, 0.62])
DARK_COLOUR = np.array([0.10, 0.14, 0.30])
BEND_DEG = 20.0
"""Beyond where it begins, an overhang hangs ``droop_mm``."""
FINE = 4
"""Points of a pixel, so that edges fall between pixels."""


def render_strings(face: Face, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return two towers with strings between them; the gap lies ``TOWER_MM`` inside of both sides."""
    shape = _shape(face)
    image = np.full(shape, face.cloth_grey) * (1 + 0.02 * rng.normal(0, 1, shape))
    scale = face.px_per_mm
    tower = round(TOWER_MM * scale)
    x = np.arange(tower, shape[1] - tower)
    area = 0.0
    rows = np.linspace(0.12, 0.88, face.strings) if face.strings else np.empty(0)
    for share in rows.tolist():
        slope = math.tan(math.radians(float(rng.uniform(-12, 12))))
        sag = float(rng.uniform(0.1, 0.5))
        middle = share * (shape[0] - 1)
        along = (x - x.mean()) / len(x) * 2
        y = middle + slope * (x - x.mean()) * 0.25 + sag * scale * (1 - along**2) * 0.4
        half = face.string_mm * scale / 2
        rows_ = np.arange(shape[0])[:, None]
        # How much of each pixel the string covers.
        cover = np.clip(half + 0.5 - np.abs(rows_ - y[None, :]), 0, min(1.0, 2 * half))
        part = image[:, tower : shape[1] - tower]
        image[:, tower : shape[1] - tower] = part * (1 - cover) + face.print_grey * cover
        area += float(cover.sum()) / scale**2
    image[:, :tower] = image[:, -tower:] = face.print_grey
    gap = [tower, 0, shape[1] - 2 * tower, shape[0]]
    return photographed(image, rng), {
        "count": face.strings,
        "area_mm2": area,
        "region": gap,
        "px_per_mm": scale,
    }


def render_bleed(face: Face, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return two colours with an upright edge in the middle; the dark one bled to the left."""
    from oddtwin.core.photo.colour import ciede2000, lab_of

    height, width = _shape(face)
    middle, depth = width // 2, round(face.depth_mm * face.px_per_mm)
    image = np.empty((height, width, 3))
    image[:, :middle], image[:, middle:] = LIGHT_COLOUR, DARK_COLOUR
    mixed = LIGHT_COLOUR * (1 - face.delta) + DARK_COLOUR * face.delta
    image[:, middle - depth : middle] = mixed
    truth = float(ciede2000(lab_of(mixed), lab_of(LIGHT_COLOUR)))
    told = {
        "delta_e": truth,
        "depth_mm": depth / face.px_per_mm,
        "area_mm2": depth * height / face.px_per_mm**2,
        "side": "left",
        "px_per_mm": face.px_per_mm,
    }
    return photographed(image, rng), told


def render_corner(face: Face, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return a piece that fills the lower right, with a rounded corner."""
    y, x = _places(face)
    r, left, top = face.radius_mm, 0.3 * face.width_mm, 0.3 * face.height_mm
    inside = (x >= left) & (y >= top)
    centre = (x < left + r) & (y < top + r)
    inside &= ~centre | ((x - left - r) ** 2 + (y - top - r) ** 2 <= r**2)
    return photographed(_on_cloth(face, inside), rng), {"radius_mm": r, "px_per_mm": face.px_per_mm}


def render_size(face: Face, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return a piece between two upright edges."""
    _, x = _places(face)
    inside = np.abs(x - face.width_mm / 2 - 0.013) <= face.piece_mm / 2
    return photographed(_on_cloth(face, inside), rng), {"size_mm": face.piece_mm, "px_per_mm": face.px_per_mm}


def render_droop(face: Face, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return a bar whose lower edge hangs in the middle."""
    return photographed(_hanging(face, face.droop_mm), rng), {
        "droop_mm": face.droop_mm,
        "px_per_mm": face.px_per_mm,
    }


def render_onset(face: Face, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return the steps of an overhang beside one another, each as wide as the face."""
    angles = face.first_deg + face.by_deg * np.arange(face.steps)
    droops = face.droop_mm * (np.maximum(angles - face.begin_deg, 0.0) / BEND_DEG) ** 2
    image = np.concatenate([_hanging(face, droop) for droop in droops.tolist()], axis=1)
    high, wide = image.shape[0], image.shape[1] // face.steps
    # Below the upper edge of the bar, which is none that hangs.
    top = round(0.3 * high)
    boxes = [
        f"{angle:g}:{number * wide},{top},{wide},{high - top}" for number, angle in enumerate(angles.tolist())
    ]
    return photographed(image, rng), {
        "px_per_mm": face.px_per_mm,
        "begin_deg": face.begin_deg,
        "droop_mm": face.droop_mm,
        "droops_mm": droops,
        "steps": ";".join(boxes),
    }


def onset_truth(face: Face, limit_mm: float) -> float:
    """Return the angle at which a rendered overhang hangs so far, ° from upright."""
    return face.begin_deg + BEND_DEG * math.sqrt(limit_mm / face.droop_mm)


def _hanging(face: Face, droop_mm: float) -> Floats:
    """Return the light of a bar whose lower edge hangs in the middle."""
    y, x = _places(face)
    along = np.clip((x - 0.25 * face.width_mm) / (0.5 * face.width_mm), 0, 1)
    hang = droop_mm * np.sin(math.pi * along) ** 2
    return _on_cloth(face, (y > 0.15 * face.height_mm) & (y < 0.5 * face.height_mm + hang))


def render_gaps(face: Face, rng: np.random.Generator) -> tuple[Picture, dict[str, Any]]:
    """Return a top of level lines with dark slits along some of them."""
    y, x = _places(face)
    lines = 1 + 0.05 * np.cos(2 * math.pi * y / 0.45)
    image = face.print_grey * lines * (1 + 0.01 * rng.normal(0, 1, y.shape))
    area = 0.0
    for number in range(face.gaps):
        at = (round((number + 1) * face.height_mm / (face.gaps + 1) / 0.45) + 0.5) * 0.45
        begin = float(rng.uniform(0.1, 0.4)) * face.width_mm
        long = 0.4 * face.width_mm
        slit = (np.abs(y - at) < face.gap_mm / 2) & (x > begin) & (x < begin + long)
        image = np.where(slit, 0.2 * face.print_grey, image)
        area += face.gap_mm * long
    truth = {"count": face.gaps, "area_mm2": area, "px_per_mm": face.px_per_mm}
    return photographed(_coarse(image), rng), truth


def _shape(face: Face) -> tuple[int, int]:
    return round(face.height_mm * face.px_per_mm), round(face.width_mm * face.px_per_mm)


def _places(face: Face) -> tuple[Floats, Floats]:
    """Millimetres of every point, several to a pixel."""
    height, width = (FINE * size for size in _shape(face))
    y, x = np.mgrid[0:height, 0:width]
    return (y + 0.5) / FINE / face.px_per_mm, (x + 0.5) / FINE / face.px_per_mm


def _on_cloth(face: Face, inside: NDArray[np.bool_]) -> Floats:
    return _coarse(np.where(inside, face.print_grey, face.cloth_grey))


def _coarse(image: Floats) -> Floats:
    height, width = image.shape[0] // FINE, image.shape[1] // FINE
    found: Floats = image.reshape(height, FINE, width, FINE).mean(axis=(1, 3))
    return found
