"""Laying one photograph over another: which move brings the second onto the first, and whether to believe it.

The piece is cut out (a mat that stays would attract the fit), brought to relief by a difference of
Gaussians below the layer lines, laid on roughly by phase correlation, and then by the enhanced correlation
coefficient (Evangelidis and Psarakis 2008; from memory): turned and shifted first, then with any affine
move. Whether it is the same view is told by what lies inside of the outline alone. A face that shows
nothing is laid on by its outline.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.photo.crop import LUMINANCE, Picture, linear
from oddtwin.core.quantities import format_number

ROUGH_PX, FINE_PX = 480, 960
TURN: Final = 4.0
ACCEPTED, DOUBTFUL = 0.60, 0.40
OUTLINE: Final = 0.96
BLANK: Final = 0.012
"""Relief, as a share of the light, below which a face shows nothing to lay on."""
LAMP_MOVED: Final = 0.012
Matrix = NDArray[Any]


@dataclass(frozen=True, slots=True)
class Aligned:
    """How a second photograph lies on a first.

    Parameters
    ----------
    accepted, doubtful : bool
    score : float
        Correlation of the reliefs, or of outlines their overlap (intersection over union), 0 to 1.
    matrix : array of shape (2, 3)
        Pixel of the second to pixel of the first.
    error_px : float
        By how much quarters of the face still disagree, px of the first picture.
    lamp_tilt : float
        Change of the light between both, as a share across the piece: the lamp has moved.
    by_outline : bool
    sentence : str
    """

    accepted: bool
    doubtful: bool
    score: float
    matrix: Floats
    error_px: float
    lamp_tilt: float
    by_outline: bool
    sentence: str


@dataclass(frozen=True, slots=True)
class _Seen:
    """One photograph, small: logarithm of its light, relief, relief of the piece alone, and where that is."""

    log: NDArray[Any]
    relief: NDArray[Any]
    inner: NDArray[Any]
    mask: NDArray[Any]


def align(first: Picture, second: Picture) -> Aligned:
    """Lay a second photograph of a view over a first one.

    Parameters
    ----------
    first, second : arrays of shape (height, width, 3)
        sRGB; they may differ in size.
    """
    rough, rough_factors = _pair(first, second, ROUGH_PX)
    fine, factors = _pair(first, second, FINE_PX)
    # Rough first: the fine relief has many places where it nearly fits.
    start = _ecc(rough[0].relief, rough[1].relief, rough[1].mask, _coarse(rough[0], rough[1]))
    one, two = fine
    moved = _rescaled(start, rough_factors, factors)
    better = _ecc(one.relief, two.relief, two.mask, moved, affine=True)
    score = _correlation(one, two, better)
    # Two faces that show nothing are alike under any lamp.
    by_outline = max(_strength(one), _strength(two)) < BLANK
    if by_outline:
        better = _by_outline(one, two, moved)
        score = _overlap(one, two, better)
    accepted = score >= (OUTLINE if by_outline else ACCEPTED)
    doubtful = not accepted and not by_outline and score >= DOUBTFUL
    error = _error(one, two, better) / factors[0]
    tilt = _lamp(one, two, better)
    whole = _inverse(_rescaled(better, factors, (1.0, 1.0)))
    said = _sentence(accepted, doubtful, score, error, tilt, by_outline)
    return Aligned(accepted, doubtful, score, whole, error, tilt, by_outline, said)


def _pair(first: Picture, second: Picture, most: int) -> tuple[tuple[_Seen, _Seen], tuple[float, float]]:
    """Return both photographs made small, and by how much."""
    both = _seen(first, most), _seen(second, most)
    return both, (_factor(first, most), _factor(second, most))


def _factor(picture: Picture, most: int) -> float:
    return min(1.0, most / max(int(side) for side in picture.shape[:2]))


def _seen(picture: Picture, most: int) -> _Seen:
    import cv2

    factor = _factor(picture, most)
    size = (max(16, round(picture.shape[1] * factor)), max(16, round(picture.shape[0] * factor)))
    small: NDArray[Any] = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    grey = (linear(small) @ LUMINANCE).astype(np.float32)
    log = np.log(np.maximum(grey, 1e-3))
    unit = most / 480
    relief = cv2.GaussianBlur(log, (0, 0), 1.5 * unit) - cv2.GaussianBlur(log, (0, 0), 8.0 * unit)
    mask = _piece(grey, unit)
    inner = _blurred(log, mask, 1.5 * unit) - _blurred(log, mask, 8.0 * unit)
    return _Seen(log, relief.astype(np.float32), inner.astype(np.float32), mask)


def _blurred(log: NDArray[Any], mask: NDArray[Any], sigma: float) -> NDArray[Any]:
    """Blur what lies inside of the piece by what lies inside of it, so that the outline leaves no halo."""
    import cv2

    weight = cv2.erode(mask, np.ones((5, 5), np.uint8)).astype(np.float32)
    below = cv2.GaussianBlur(weight, (0, 0), sigma)
    found: NDArray[Any] = cv2.GaussianBlur(log * weight, (0, 0), sigma) / np.maximum(below, 1e-3)
    return found * weight


def _piece(grey: NDArray[Any], unit: float) -> NDArray[Any]:
    """Where the piece lies: what differs from the border of the picture; all of it where nothing does."""
    import cv2

    soft = cv2.GaussianBlur(grey, (0, 0), 3 * unit)
    bytes_ = np.clip(soft / max(float(soft.max()), 1e-6) * 255, 0, 255).astype(np.uint8)
    _, bright = cv2.threshold(bytes_, 0, 1, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    border = np.concatenate([bright[0], bright[-1], bright[:, 0], bright[:, -1]])
    mask = (1 - bright if border.mean() > 0.5 else bright).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask)
    if count > 1:
        mask = (labels == 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())).astype(np.uint8)
    filled: NDArray[Any] = cv2.morphologyEx(
        mask, cv2.MORPH_CLOSE, np.ones((round(9 * unit), round(9 * unit)), np.uint8)
    )
    share = float(filled.mean())
    return filled if 0.03 < share < 0.92 else np.ones_like(mask)


def _coarse(first: _Seen, second: _Seen) -> Matrix:
    """Turn and shift by phase correlation of the piece's gradients, over a few degrees either way."""
    import cv2

    height, width = first.relief.shape
    target = _gradients(first)
    best: tuple[float, NDArray[Any]] | None = None
    centre = ((second.relief.shape[1] - 1) / 2, (second.relief.shape[0] - 1) / 2)
    edges = _gradients(second)
    for degrees in np.arange(-TURN, TURN + 0.1, 0.5).tolist():
        turn: NDArray[Any] = cv2.getRotationMatrix2D(centre, degrees, 1.0)
        turned = cv2.warpAffine(edges, turn, (width, height))
        (dx, dy), response = cv2.phaseCorrelate(turned, target)
        if best is None or response > best[0]:
            turn[:, 2] += np.array([dx, dy])
            best = response, turn.astype(np.float32)
    # From the first to the second, as the refinement wants it.
    found = best[1] if best is not None else np.eye(2, 3, dtype=np.float32)
    return _inverse(found).astype(np.float32)


def _gradients(seen: _Seen) -> NDArray[Any]:
    import cv2

    dx, dy = (cv2.Sobel(seen.relief, cv2.CV_32F, *way) for way in ((1, 0), (0, 1)))
    inside = cv2.dilate(seen.mask, np.ones((7, 7), np.uint8))
    size: NDArray[Any] = (np.hypot(dx, dy) * inside).astype(np.float32)
    return size - float(size.mean())


def _ecc(
    first: NDArray[Any],
    second: NDArray[Any],
    mask: NDArray[Any],
    start: Matrix,
    *,
    affine: bool = False,
) -> Matrix:
    """Refine a move from the first to the second; the start itself where that fails."""
    import cv2

    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-6)
    # The outline takes part in the fit, though not in whether to believe it.
    wide = cv2.dilate(mask, np.ones((5, 5), np.uint8)) * 255
    found: Matrix = start.copy()
    for kind in (cv2.MOTION_EUCLIDEAN, cv2.MOTION_AFFINE) if affine else (cv2.MOTION_EUCLIDEAN,):
        try:
            _, found = cv2.findTransformECC(first, second, found.copy(), kind, criteria, wide, 5)
        except cv2.error:
            return found
    return np.asarray(found, np.float32)


def _brought(seen: _Seen, what: NDArray[Any], warp: Matrix, shape: tuple[int, ...]) -> NDArray[Any]:
    import cv2

    flags = cv2.WARP_INVERSE_MAP | (cv2.INTER_NEAREST if what is seen.mask else cv2.INTER_LINEAR)
    found: NDArray[Any] = cv2.warpAffine(what, warp, (shape[1], shape[0]), flags=flags)
    return found


def _both(first: _Seen, second: _Seen, warp: Matrix) -> NDArray[np.bool_]:
    """Inside of both pieces, a little away from their outlines, which any piece of the kind has."""
    import cv2

    there = _brought(second, second.mask, warp, first.mask.shape)
    inside = cv2.erode(first.mask & there, np.ones((15, 15), np.uint8))
    found: NDArray[np.bool_] = inside > 0
    return found


def _correlation(first: _Seen, second: _Seen, warp: Matrix) -> float:
    inside = _both(first, second, warp)
    if inside.sum() < 400:
        return 0.0
    one, two = first.inner[inside], _brought(second, second.inner, warp, first.inner.shape)[inside]
    one, two = one - one.mean(), two - two.mean()
    size = math.sqrt(float(one @ one) * float(two @ two))
    return max(0.0, float(one @ two) / size) if size > 0 else 0.0


def _overlap(first: _Seen, second: _Seen, warp: Matrix) -> float:
    there = _brought(second, second.mask, warp, first.mask.shape)
    return float((first.mask & there).sum() / max(int((first.mask | there).sum()), 1))


def _strength(seen: _Seen) -> float:
    import cv2

    inside = cv2.erode(seen.mask, np.ones((21, 21), np.uint8)) > 0
    return float(seen.inner[inside].std()) if inside.any() else 0.0


def _by_outline(first: _Seen, second: _Seen, start: Matrix) -> Matrix:
    """Lay on by the distances to the outlines, where the face itself shows nothing."""
    distances = [_signed(seen.mask) for seen in (first, second)]
    return _ecc(distances[0], distances[1], np.ones_like(second.mask), start)


def _signed(mask: NDArray[Any]) -> NDArray[Any]:
    import cv2

    inside, outside = (cv2.distanceTransform(part, cv2.DIST_L2, 5) for part in (mask, 1 - mask))
    found: NDArray[Any] = np.clip(inside - outside, -25, 25).astype(np.float32)
    return found


def _error(first: _Seen, second: _Seen, warp: Matrix) -> float:
    """Root mean square of the shifts that quarters of the face still want, px."""
    import cv2

    brought = _brought(second, second.relief, warp, first.relief.shape).astype(np.float32)
    rows, columns = np.nonzero(first.mask)
    shifts = []
    for part in np.array_split(np.unique(rows), 2):
        for some in np.array_split(np.unique(columns), 2):
            box = (slice(int(part[0]), int(part[-1]) + 1), slice(int(some[0]), int(some[-1]) + 1))
            one, two = first.relief[box], brought[box]
            if min(one.shape) < 24:
                continue
            (dx, dy), _ = cv2.phaseCorrelate(one, two, cv2.createHanningWindow(one.shape[::-1], cv2.CV_32F))
            shifts.append(math.hypot(dx, dy))
    # A quarter that shows nothing correlates anywhere: the middle of the four is what counts.
    return float(np.median(shifts)) if shifts else math.nan


def _lamp(first: _Seen, second: _Seen, warp: Matrix) -> float:
    """Slope of the light's ratio across the piece, as a share over its size."""
    inside = _both(first, second, warp)
    if inside.sum() < 400:
        return math.nan
    ratio = first.log - _brought(second, second.log, warp, first.log.shape)
    rows, columns = np.nonzero(inside)
    size = max(float(np.ptp(rows)), float(np.ptp(columns)), 1.0)
    plane = np.stack([np.ones(len(rows)), rows / size, columns / size], axis=1)
    fit, *_ = np.linalg.lstsq(plane, ratio[inside].astype(np.float64), rcond=None)
    return float(math.hypot(fit[1], fit[2]))


def _rescaled(warp: Matrix, before: tuple[float, float], after: tuple[float, float]) -> Matrix:
    """Bring a move from pictures of one size to pictures of another: pixel centres stay pixel centres."""

    def grown(factor: float) -> Floats:
        return np.array([[factor, 0, (factor - 1) / 2], [0, factor, (factor - 1) / 2], [0, 0, 1.0]])

    whole = np.vstack([warp, [0, 0, 1]]).astype(np.float64)
    moved = grown(after[1] / before[1]) @ whole @ np.linalg.inv(grown(after[0] / before[0]))
    found: Matrix = moved[:2].astype(np.float32)
    return found


def _inverse(warp: NDArray[Any]) -> Floats:
    found: Floats = np.linalg.inv(np.vstack([warp, [0, 0, 1]]).astype(np.float64))[:2]
    return found


def _sentence(
    accepted: bool, doubtful: bool, score: float, error: float, tilt: float, by_outline: bool
) -> str:
    how = tr("by the outline, for the face shows nothing") if by_outline else tr("by what the face shows")
    if accepted:
        said = tr(
            "The second lies on the first within {error} pixels, {how} ({score}).",
            error=format_number(error, 1),
            how=how,
            score=format_number(score, 2),
        )
    elif doubtful:
        why = tr("It is doubtful whether these are the same view ({score})", score=format_number(score, 2))
        said = tr("{why}; look, or lay it on by three points.", why=why)
    else:
        why = tr(
            "These are not the same view, or too little of it is in common ({score})",
            score=format_number(score, 2),
        )
        said = tr("{why}; lay it on by three points.", why=why)
    if accepted and tilt > LAMP_MOVED:
        said += tr(
            " The light changes by {tilt:.0f} % across the piece: the lamp has moved.", tilt=100 * tilt
        )
    return said


def aligned_json(aligned: Aligned) -> dict[str, Any]:
    """Return it as plain values; what is no number is null."""

    def finite(value: float) -> float | None:
        return value if math.isfinite(value) else None

    return {
        "accepted": aligned.accepted,
        "doubtful": aligned.doubtful,
        "score": aligned.score,
        "matrix": aligned.matrix.tolist(),
        "error_px": finite(aligned.error_px),
        "lamp_tilt": finite(aligned.lamp_tilt),
        "by_outline": aligned.by_outline,
        "sentence": aligned.sentence,
    }
