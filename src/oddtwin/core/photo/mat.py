"""The photo mat: a printed sheet whose markers tell the scale, the tilt and the lens of a photograph.

A ring of 16 markers (AprilTag 36h11, 14 mm) about the place for the piece. Each side of each marker is found
again at full resolution; then a homography and two radial terms of the lens (k₁, k₂) are fitted with a loss
that outliers do not pull. A face that lies h above the mat is (D − h)/D times as far from the camera, which
is D above it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import mark, tr
from oddtwin.core.photo.crop import LUMINANCE, Picture, linear
from oddtwin.core.quantities import format_number, format_reading, with_unit

MARKER_MM: Final = 14.0
PAGES: Final[Mapping[str, tuple[float, float]]] = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}
EDGE_MM: Final = 17.0
"""From the edge of the page to the middle of a marker."""
BARS_MM: Final = (150.0, 200.0)
"""Nominal lengths of the two scale bars, across and along the page."""
FEWEST: Final = 6
MOST_RESIDUAL_MM: Final = 0.03
MOST_RESIDUAL_PX: Final = 0.25
"""What corners of a coarse picture disagree by, however flat the sheet lies."""
SHEET_U: Final = 0.006
"""Standard uncertainty of a sheet's scale whose bars nobody has measured: printers stretch it."""
BAR_U_MM: Final = 0.1
HEIGHT_U_MM, CAMERA_U_MM = 0.2, 5.0
DETECT_PX: Final = 1500
MOST_TILT: Final = 0.02


@dataclass(frozen=True, slots=True)
class MatSeen:
    """What a mat tells of a photograph.

    Parameters
    ----------
    px_per_mm : float or None
        At the middle of the mat, or of the face above it; None where it is refused.
    u_rel : float
        Its relative standard uncertainty.
    residual_mm : float
        Root mean square of the corners about the fit.
    markers : int
        How many were seen.
    exposure : str
        Of the white of the mat.
    warnings : tuple of str
        Sentences.
    refused : str
        Why it tells no scale; empty where it does.
    """

    px_per_mm: float | None
    u_rel: float
    residual_mm: float
    markers: int
    exposure: str
    warnings: tuple[str, ...]
    refused: str = ""


def mat_centres(page: str) -> dict[int, tuple[float, float]]:
    """Return the middles of the markers, mm from the upper left corner of a page, by their numbers.

    Parameters
    ----------
    page : str
        ``a4`` or ``letter``.
    """
    width, height = PAGES[page]
    across = np.linspace(EDGE_MM, width - EDGE_MM, 4)
    along = np.linspace(EDGE_MM, height - EDGE_MM, 6)
    places = [(x, along[0]) for x in across.tolist()]
    places += [(across[-1], y) for y in along[1:-1].tolist()]
    places += [(x, along[-1]) for x in across[::-1].tolist()]
    places += [(across[0], y) for y in along[-2:0:-1].tolist()]
    return {number: (float(x), float(y)) for number, (x, y) in enumerate(places)}


def marker_bits(number: int) -> NDArray[np.bool_]:
    """Return which of the 8 × 8 squares of a marker are black.

    Parameters
    ----------
    number : int
        Of the marker.
    """
    import cv2

    family = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_APRILTAG_36h11)
    image = cv2.aruco.generateImageMarker(family, number, 8)
    return np.asarray(image) < 128


def mat_scale(
    picture: Picture,
    page: str = "a4",
    check_mm: tuple[float | None, float | None] = (None, None),
    height_mm: float = 0.0,
    camera_mm: float | None = None,
) -> MatSeen:
    """Read the scale of a photograph from the mat in it.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        sRGB.
    page : str
        ``a4`` or ``letter``.
    check_mm : tuple of float or None
        Lengths of the two scale bars as they were measured, across and along.
    height_mm, camera_mm : float
        Height of the face above the mat, and of the camera; without the camera nothing is known of a face
        that is not on the mat.
    """
    corners = _found(picture, page)
    exposure = _exposure(picture, corners)
    if len(corners) < FEWEST:
        told = tr(
            "only {corners} markers of the mat are in view, and {FEWEST} are needed",
            corners=len(corners), FEWEST=FEWEST,
        )  # fmt: skip
        return MatSeen(None, math.nan, math.nan, len(corners), exposure, (), told)
    # A printer stretches a sheet by up to a percent, and not alike both ways.
    stretch = tuple((check or bar) / bar for check, bar in zip(check_mm, BARS_MM, strict=True))
    world, ways, seen = _points(corners, page, (stretch[0], stretch[1]))
    size = (picture.shape[1], picture.shape[0])
    fit, residual_px = _fitted(world, ways, seen, size)
    across, along, scale = _scale_at(fit, np.array(PAGES[page]) / 2 * np.array(stretch), size)
    residual = residual_px / scale
    warnings = []
    if None in check_mm:
        warnings.append(tr(
            "Nobody has measured the bars of this sheet ({BARS_MM} and {BARS_MM2} mm): "
            "measure both, and give what you find.",
            BARS_MM=format_reading(BARS_MM[0]), BARS_MM2=format_reading(BARS_MM[1]),
        ))  # fmt: skip
    if abs(across / along - 1) > MOST_TILT:
        warnings.append(tr("The camera is not straight above the mat: scales differ across and along."))
    if exposure != "good":
        warnings.append(tr("The white of the mat is {exposure}.", exposure=exposure))
    if residual > max(MOST_RESIDUAL_MM, MOST_RESIDUAL_PX / scale):
        told = with_unit(format_number(residual, 3), "mm")
        return MatSeen(
            None, math.nan, residual, len(corners), exposure, tuple(warnings),
            tr("the markers disagree by {told}, so the sheet is curled or torn; lay it flat", told=told),
        )  # fmt: skip
    return _at_height(
        MatSeen(scale, 0.0, residual, len(corners), exposure, tuple(warnings)), check_mm, height_mm, camera_mm
    )


def _at_height(
    flat: MatSeen,
    check_mm: tuple[float | None, float | None],
    height_mm: float,
    camera_mm: float | None,
) -> MatSeen:
    """Return the scale of a face above the mat, with its uncertainty."""
    u_mat = SHEET_U if None in check_mm else math.hypot(*(BAR_U_MM / bar for bar in BARS_MM)) / 2
    u_mat = math.hypot(u_mat, flat.residual_mm / 100)
    if not height_mm:
        return replace(flat, u_rel=u_mat)
    if camera_mm is None or camera_mm <= height_mm or flat.px_per_mm is None:
        why = tr("the face does not lie on the mat, and the height of the camera is not known; give it")
        return replace(flat, px_per_mm=None, u_rel=math.nan, refused=why)
    rest = camera_mm - height_mm
    # The nearer the face, the more its height and the camera's count.
    u_rel = math.hypot(u_mat, HEIGHT_U_MM / rest, height_mm * CAMERA_U_MM / (camera_mm * rest))
    return replace(flat, px_per_mm=flat.px_per_mm * camera_mm / rest, u_rel=u_rel)


def _found(picture: Picture, page: str) -> dict[int, Floats]:
    """Corners of every marker that belongs to the mat, px, each side found at full resolution."""
    import cv2

    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
    factor = min(1.0, DETECT_PX / max(grey.shape))
    small = cv2.resize(grey, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA) if factor < 1 else grey
    family = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_APRILTAG_36h11)
    corners, numbers, _ = cv2.aruco.ArucoDetector(family).detectMarkers(small)
    if numbers is None:
        return {}
    known = mat_centres(page)
    light = (linear(picture) @ LUMINANCE).astype(np.float32)
    return {
        int(number): _sharpened(light, (corner.reshape(4, 2) + 0.5) / factor - 0.5)
        for number, corner in zip(np.ravel(numbers).tolist(), corners, strict=True)
        if int(number) in known
    }


def _sharpened(light: NDArray[Any], corners: Floats) -> Floats:
    """Find each side of a marker again by the centroids of the gradient across it, and let sides meet."""
    from scipy.ndimage import map_coordinates

    lines = []
    for place in range(4):
        one, two = corners[place], corners[(place + 1) % 4]
        way = two - one
        length = float(np.linalg.norm(way))
        way = way / max(length, 1e-9)
        across = np.array([-way[1], way[0]])
        # Away from the corners, where the other side would pull.
        shares = np.linspace(0.18, 0.82, max(8, int(length / 3)))
        reach = np.arange(-4.0, 4.01, 0.5)
        points = one + shares[:, None] * (two - one)
        grid = points[:, None, :] + reach[None, :, None] * across
        values = map_coordinates(light, [grid[..., 1], grid[..., 0]], order=1, mode="nearest")
        steep = np.abs(np.diff(values, axis=1))
        steep = np.maximum(steep - np.quantile(steep, 0.3, axis=1, keepdims=True), 0.0)
        middle = (reach[1:] + reach[:-1]) / 2
        total = steep.sum(axis=1)
        off = np.where(total > 0, (steep * middle).sum(axis=1) / np.maximum(total, 1e-9), 0.0)
        edge = points + off[:, None] * across
        kept = np.abs(off - np.median(off)) < 3 * max(
            1.4826 * float(np.median(np.abs(off - np.median(off)))), 0.05
        )
        own = edge[kept].mean(axis=0)
        _, _, right = np.linalg.svd(edge[kept] - own, full_matrices=False)
        lines.append((own, right[0]))
    found = np.empty((4, 2))
    for place in range(4):
        (p, u), (q, v) = lines[place - 1], lines[place]
        cross = u[0] * v[1] - u[1] * v[0]
        found[place] = (
            p + u * ((q - p)[0] * v[1] - (q - p)[1] * v[0]) / cross if abs(cross) > 0.2 else corners[place]
        )
    return found


def _points(
    corners: Mapping[int, Floats], page: str, stretch: tuple[float, float]
) -> tuple[Floats, Floats, Floats]:
    """Places of corners on the mat, mm, the way of each from its middle, and places in the picture, px."""
    half = MARKER_MM / 2
    square = np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    centres = mat_centres(page)
    world = np.concatenate([(np.array(centres[number]) + square) * stretch for number in corners])
    ways = np.tile(np.sign(square), (len(corners), 1))
    return world, ways, np.concatenate(list(corners.values()))


def _fitted(world: Floats, ways: Floats, seen: Floats, size: tuple[int, int]) -> tuple[Floats, float]:
    """Return homography (8), lens (2) and how far the ink has spread (mm), and what is left, px.

    Ink runs, and a camera's curve makes black wider or narrower: that is alike on all sides of all markers,
    and no curl of the sheet.
    """
    import cv2
    from scipy.optimize import least_squares

    first, _ = cv2.findHomography(world, seen, cv2.RANSAC, 4.0)
    start = np.append((np.asarray(first, np.float64) / first[2, 2]).ravel()[:8], [0.0, 0.0, 0.0])
    unit = np.maximum(np.abs(start), 1e-6)
    unit[8:] = 0.05

    def left_of(some: Floats) -> Floats:
        away: Floats = _projected(some, world + some[10] * ways, size) - seen
        return away

    def off(some: Floats) -> Floats:
        return left_of(some).ravel()

    found = least_squares(off, start, x_scale=unit, loss="soft_l1", f_scale=0.3)
    left = left_of(found.x)
    # Eleven parameters are fitted to two figures of each corner.
    free = max(2 * len(world) - 11, 1)
    return found.x, math.sqrt(float((left**2).sum()) / free)


def _projected(fit: Floats, world: Floats, size: tuple[int, int]) -> Floats:
    """Where places of the mat, mm, lie in the picture, px."""
    matrix = np.append(fit[:8], 1.0).reshape(3, 3)
    flat = np.concatenate([world, np.ones((len(world), 1))], axis=1) @ matrix.T
    plain = flat[:, :2] / flat[:, 2:]
    middle, radius = (np.array(size) - 1) / 2, max(size) / 2
    off = (plain - middle) / radius
    square = (off**2).sum(axis=1, keepdims=True)
    found: Floats = middle + radius * off * (1 + fit[8] * square + fit[9] * square**2)
    return found


def _scale_at(fit: Floats, place: Floats, size: tuple[int, int]) -> tuple[float, float, float]:
    """Pixels of a millimetre across, along, and of both together, at a place of the mat."""
    step = 0.5
    around = place + np.array([[step, 0], [-step, 0], [0, step], [0, -step]])
    right, left, below, above = _projected(fit, around, size)
    one, two = (right - left) / (2 * step), (below - above) / (2 * step)
    area = abs(float(one[0] * two[1] - one[1] * two[0]))
    return float(np.linalg.norm(one)), float(np.linalg.norm(two)), math.sqrt(area)


def _exposure(picture: Picture, corners: Mapping[int, Floats]) -> str:
    """How bright the white about the markers is."""
    if not corners:
        return tr("not seen")
    whites = []
    for corner in corners.values():
        middle = corner.mean(axis=0)
        x, y = np.round(middle + (corner[0] - middle) * 1.22).astype(int).tolist()
        if 0 <= y < picture.shape[0] and 0 <= x < picture.shape[1]:
            whites.append(picture[y, x].max())
    white = float(np.median(whites)) if whites else 0.0
    if white >= 252:
        return mark("clipped")
    return mark("dark") if white < 110 else mark("good")


def mat_json(seen: MatSeen) -> dict[str, Any]:
    """Return what a mat tells as plain values; what is no number is null."""

    def finite(value: float) -> float | None:
        return value if math.isfinite(value) else None

    return {
        "px_per_mm": seen.px_per_mm,
        "u_rel": finite(seen.u_rel),
        "residual_mm": finite(seen.residual_mm),
        "markers": seen.markers,
        "exposure": seen.exposure,
        "warnings": list(seen.warnings),
        "refused": seen.refused or None,
        "sentence": mat_sentence(seen),
    }


def mat_sentence(seen: MatSeen) -> str:
    """Say what a mat tells."""
    if seen.px_per_mm is None:
        return tr("The mat tells no scale: {refused}.", refused=seen.refused)
    share = format_number(100 * seen.u_rel, 2)
    said = tr(
        "{px_per_mm} pixels are a millimetre, ± {share} %",
        px_per_mm=format_number(seen.px_per_mm, 3),
        share=share,
    )
    return tr(
        "{said} ({markers} markers, residual {residual_mm}).",
        said=said,
        markers=seen.markers,
        residual_mm=with_unit(format_number(seen.residual_mm, 3), "mm"),
    )
