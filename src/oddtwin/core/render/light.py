"""From light to the bytes of a photograph: gradients of the lamp, blur, noise, and the sRGB curve."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats

Picture = NDArray[np.uint8]


def to_srgb(linear: Floats) -> Floats:
    """Return sRGB values, 0 to 1, of linear light (IEC 61966-2-1, from memory)."""
    clipped = np.clip(linear, 0.0, 1.0)
    found: Floats = np.where(clipped <= 0.0031308, 12.92 * clipped, 1.055 * clipped ** (1 / 2.4) - 0.055)
    return found


def photographed(
    linear: Floats,
    rng: np.random.Generator,
    *,
    noise: float = 0.004,
    blur_px: float = 0.7,
    tilt: float = 0.06,
) -> Picture:
    """Return a photograph of light that leaves a scene.

    Parameters
    ----------
    linear : array of shape (height, width) or (height, width, 3)
        0 to 1.
    rng : numpy.random.Generator
        Of the noise and of the lamp's gradient.
    noise : float
        Standard deviation of a pixel, in linear light.
    blur_px : float
        Standard deviation of the lens, px.
    tilt : float
        By how much the light changes over the picture, as a share.

    Returns
    -------
    array of shape (height, width, 3)
    """
    from scipy.ndimage import gaussian_filter

    image = linear if linear.ndim == 3 else np.repeat(linear[:, :, None], 3, axis=2)
    height, width = image.shape[:2]
    y, x = np.mgrid[-0.5 : 0.5 : height * 1j, -0.5 : 0.5 : width * 1j]
    way = rng.uniform(0, 2 * np.pi)
    lamp = 1 + tilt * (np.cos(way) * x + np.sin(way) * y) - tilt / 2 * (x**2 + y**2)
    image = image * lamp[:, :, None]
    if blur_px:
        image = np.stack([gaussian_filter(image[:, :, band], blur_px) for band in range(3)], axis=2)
    image = image + rng.normal(0, noise, image.shape)
    found: Picture = np.round(255 * to_srgb(image)).astype(np.uint8)
    return found


def whole(values: dict[str, Any]) -> dict[str, Any]:
    """Return a truth as plain values for JSON."""
    return {key: value.tolist() if isinstance(value, np.ndarray) else value for key, value in values.items()}
