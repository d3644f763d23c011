"""Colour as eyes see it: CIELAB, and the difference CIEDE2000."""

from __future__ import annotations

from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats

TO_XYZ: Final = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
"""From linear sRGB (IEC 61966-2-1, from memory)."""
WHITE: Final = np.array([0.95047, 1.0, 1.08883])
"""D65."""


def lab_of(light: Floats) -> Floats:
    """Return CIELAB of linear sRGB; shape (…, 3), from light of 0 to 1."""
    ratio = np.maximum(light @ TO_XYZ.T / WHITE, 0.0)
    edge = (6 / 29) ** 3
    root = np.where(ratio > edge, np.cbrt(ratio), ratio / (3 * (6 / 29) ** 2) + 4 / 29)
    found: Floats = np.stack(
        [
            116 * root[..., 1] - 16,
            500 * (root[..., 0] - root[..., 1]),
            200 * (root[..., 1] - root[..., 2]),
        ],
        axis=-1,
    )
    return found


def ciede2000(one: Floats, other: Floats) -> Floats:
    """Return the colour difference of CIELAB values; shape (…).

    Notes
    -----
    CIEDE2000 as Sharma, Wu and Dalal 2005 write it out (formulas from memory).
    """
    chroma = (np.hypot(one[..., 1], one[..., 2]) + np.hypot(other[..., 1], other[..., 2])) / 2
    g = 0.5 * (1 - np.sqrt(chroma**7 / (chroma**7 + 25.0**7)))
    (l1, c1, h1), (l2, c2, h2) = (_polar(lab, g) for lab in (one, other))
    dl, dc = l2 - l1, c2 - c1
    grey = c1 * c2 == 0
    turn = h2 - h1
    # Hues go round: 359° and 1° are neighbours.
    turn = np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn))
    turn = np.where(grey, 0.0, turn)
    dh = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn) / 2)
    lightness, c = (l1 + l2) / 2, (c1 + c2) / 2
    far = np.abs(h1 - h2) > 180
    total = h1 + h2
    h = np.where(
        grey, total, np.where(~far, total / 2, np.where(total < 360, (total + 360) / 2, (total - 360) / 2))
    )
    t = (
        1
        - 0.17 * np.cos(np.radians(h - 30))
        + 0.24 * np.cos(np.radians(2 * h))
        + 0.32 * np.cos(np.radians(3 * h + 6))
        - 0.20 * np.cos(np.radians(4 * h - 63))
    )
    sl = 1 + 0.015 * (lightness - 50) ** 2 / np.sqrt(20 + (lightness - 50) ** 2)
    sc, sh = 1 + 0.045 * c, 1 + 0.015 * c * t
    # Among blues hue and chroma pull on one another; the ellipses of what eyes see as equal are turned there.
    twist = np.sin(np.radians(60 * np.exp(-(((h - 275) / 25) ** 2))))
    rt = -2 * np.sqrt(c**7 / (c**7 + 25.0**7)) * twist
    parts = (dl / sl, dc / sc, dh / sh)
    found: Floats = np.sqrt(parts[0] ** 2 + parts[1] ** 2 + parts[2] ** 2 + rt * parts[1] * parts[2])
    return found


def _polar(lab: Floats, g: Floats) -> tuple[Floats, Floats, Floats]:
    a = (1 + g) * lab[..., 1]
    hue = np.degrees(np.arctan2(lab[..., 2], a)) % 360
    return lab[..., 0], np.hypot(a, lab[..., 2]), hue
