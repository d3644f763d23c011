"""A region of a photograph as linear light, and what makes it unfit to be measured."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number

Picture = NDArray[np.uint8]

LUMINANCE: Final = np.array([0.2126, 0.7152, 0.0722])
"""Share of red, green and blue in luminance (Rec. 709, from memory)."""
CLIPPED: Final = 250
MOST_CLIPPED: Final = 0.005


class RefusedError(ValueError):
    """A photograph cannot be measured; the message is one sentence for the user."""


class Region(NamedTuple):
    """A part of a photograph, px: left, top, width and height."""

    x: int
    y: int
    width: int
    height: int


@dataclass(frozen=True, slots=True)
class Crop:
    """A region as linear light.

    Parameters
    ----------
    light : array of shape (height, width, 3)
        0 to 1.
    px_per_mm : float or None
        None where nobody knows.
    """

    light: Floats
    px_per_mm: float | None

    @property
    def grey(self) -> Floats:
        """Luminance; shape (height, width)."""
        found: Floats = self.light @ LUMINANCE
        return found

    def scale(self) -> float:
        """Return the pixels of a millimetre.

        Raises
        ------
        RefusedError
            Nobody knows the scale.
        """
        if self.px_per_mm is None:
            raise RefusedError(
                tr("its scale is not known; give the pixels of a millimetre, or lay it on the mat")
            )
        return self.px_per_mm


def crop(picture: Picture, region: Region, px_per_mm: float | None) -> Crop:
    """Cut a region out of a photograph.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        sRGB.
    region : Region
        Inside the picture.
    px_per_mm : float or None
        Scale, where it is known.

    Raises
    ------
    RefusedError
        The region is not inside the picture, or is clipped.
    """
    height, width = picture.shape[:2]
    x, y, wide, high = region
    if x < 0 or y < 0 or wide < 8 or high < 8 or x + wide > width or y + high > height:
        raise RefusedError(
            tr(
                "the region {x},{y},{wide},{high} does not lie in a picture of {width} × "
                "{height} pixels, or is smaller than 8 × 8",
                x=x,
                y=y,
                wide=wide,
                high=high,
                width=width,
                height=height,
            )
        )
    part = picture[y : y + high, x : x + wide]
    # What is as bright as can be has lost its differences, whatever else is fine.
    clipped = float((part.max(axis=2) >= CLIPPED).mean())
    if clipped > MOST_CLIPPED:
        raise RefusedError(
            tr(
                "{clipped} % of the region is as bright as can be; expose it less",
                clipped=format_number(100 * clipped, 1),
            )
        )
    return Crop(linear(part), px_per_mm)


def linear(picture: Picture) -> Floats:
    """Return the linear light of sRGB bytes, 0 to 1 (IEC 61966-2-1, from memory)."""
    found: Floats = TABLE[picture]
    return found


_VALUES = np.arange(256) / 255
TABLE: Final = np.where(_VALUES <= 0.04045, _VALUES / 12.92, ((_VALUES + 0.055) / 1.055) ** 2.4)
