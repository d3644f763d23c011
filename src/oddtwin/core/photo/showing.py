"""Photographs as they are looked at: parts cut out at any scale, aids applied to both of a pair alike."""

from __future__ import annotations

from enum import StrEnum
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import mark, tr
from oddtwin.core.photo.crop import Picture

NEUTRAL: Final = 119
"""Grey of the surround (sRGB of 18 % light): nothing beside a photograph may tint or brighten it."""
SMALLEST_PX: Final = 700
RELIEF_PX: Final = 6.0
RELIEF_GAIN: Final = 3.0


class Aid(StrEnum):
    """What helps to see."""

    NONE = mark("as it is")
    RELIEF = mark("relief")
    RED = mark("red alone")
    GREEN = mark("green alone")
    BLUE = mark("blue alone")


class Shown:
    """A photograph ready to be shown at any scale.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        sRGB; halves of it are kept beside it, so that a part is cut out at once at every scale.
    """

    def __init__(self, picture: Picture) -> None:
        import cv2

        self._levels: list[NDArray[Any]] = [picture]
        # Halves by area: a part that is far away is then cut from few pixels, and without a moiré.
        while min(self._levels[-1].shape[:2]) > 2 * SMALLEST_PX:
            last = self._levels[-1]
            half = (last.shape[1] // 2, last.shape[0] // 2)
            self._levels.append(cv2.resize(last, half, interpolation=cv2.INTER_AREA))

    @property
    def picture(self) -> Picture:
        """The whole photograph."""
        return self._levels[0]

    @property
    def size(self) -> tuple[int, int]:
        """Width and height, px."""
        return self.picture.shape[1], self.picture.shape[0]

    def cut(self, left: float, top: float, scale: float, width: int, height: int) -> Picture:
        """Return what a window shows of it.

        Parameters
        ----------
        left, top : float
            Pixel of the photograph in the window's upper left corner.
        scale : float
            Pixels of the window for one of the photograph.
        width, height : int
            Of the window, px.

        Returns
        -------
        array of shape (height, width, 3)
            Grey where the photograph ends.
        """
        import cv2

        # The smallest level that is not smaller than what is shown.
        level = 0
        while level + 1 < len(self._levels) and scale * 2 ** (level + 1) <= 1:
            level += 1
        source = self._levels[level]
        # Sizes are halved without a rest, so that the levels are not exact halves.
        across = scale * self.picture.shape[1] / source.shape[1]
        along = scale * self.picture.shape[0] / source.shape[0]
        matrix = np.array(
            [
                [across, 0.0, -left * scale + (across - 1) / 2],
                [0.0, along, -top * scale + (along - 1) / 2],
            ]
        )
        grey = (NEUTRAL,) * 3
        # From close by pixels are shown as pixels: nothing may look finer than it was taken.
        flags = cv2.INTER_LINEAR if scale < 3 else cv2.INTER_NEAREST
        found = cv2.warpAffine(source, matrix, (width, height), flags=flags, borderValue=grey)
        return np.asarray(found, dtype=np.uint8)


def aided(picture: Picture, aid: Aid) -> Picture:
    """Return a picture with an aid applied; both of a pair are given the same.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        As the window shows it, sRGB.
    aid : Aid
        Which.
    """
    if aid is Aid.NONE:
        return picture
    if aid is Aid.RELIEF:
        return _relief(picture)
    channel = picture[:, :, (Aid.RED, Aid.GREEN, Aid.BLUE).index(aid)]
    return np.repeat(channel[:, :, None], 3, axis=2)


def _relief(picture: Picture) -> Picture:
    """Local contrast: what differs from its surroundings, by a fixed gain and never by what there is.

    A gain that adapts would show the noise of a smooth wall as strongly as the ringing of another.
    """
    import cv2

    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    around = cv2.GaussianBlur(grey, (0, 0), RELIEF_PX)
    raised = 128 + RELIEF_GAIN * 128 * (grey - around) / np.maximum(around, 8.0)
    return np.repeat(np.clip(raised, 0, 255).astype(np.uint8)[:, :, None], 3, axis=2)


def difference(first: Picture, second: Picture) -> Picture:
    """Return what differs between two pictures of one size: middle grey where they are alike.

    Parameters
    ----------
    first, second : arrays of shape (height, width, 3)
        sRGB; lighter where the second is lighter.
    """
    # Sixteen bits, for a byte less a byte may lie below zero.
    gap = second.astype(np.int16) - first.astype(np.int16)
    return np.clip(128 + gap, 0, 255).astype(np.uint8)


def brought(picture: Picture, matrix: Floats, size: tuple[int, int]) -> Picture:
    """Return a picture laid onto another.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        sRGB.
    matrix : array of shape (2, 3)
        Its pixels to those of the other.
    size : tuple of int
        Width and height of the other, px.
    """
    import cv2

    grey = (NEUTRAL,) * 3
    found = cv2.warpAffine(
        picture, np.asarray(matrix, np.float64), size, flags=cv2.INTER_LINEAR, borderValue=grey
    )
    return np.asarray(found, dtype=np.uint8)


def moved(places: Floats, matrix: Floats) -> Floats:
    """Return where places of one picture lie on another.

    Parameters
    ----------
    places : array of shape (places, 2)
        x and y, px.
    matrix : array of shape (2, 3)
        Pixels of the one to those of the other.

    Returns
    -------
    array of shape (places, 2)
        px.
    """
    matrix = np.asarray(matrix, np.float64)
    return np.asarray(places @ matrix[:, :2].T + matrix[:, 2], np.float64)


def by_points(there: Floats, here: Floats) -> Floats:
    """Return the move that brings three points of one picture onto three of another.

    Parameters
    ----------
    there, here : arrays of shape (3, 2)
        Pixels of the picture that is moved, and where they belong.

    Returns
    -------
    array of shape (2, 3)
        The affine move.

    Raises
    ------
    ValueError
        The points lie on one line, so that they fix no move.
    """
    ones = np.column_stack([there, np.ones(3)])
    # Twice the area of the triangle, as a share of the square about it: small where it is a line.
    spread = float(np.ptp(there, axis=0).max())
    if abs(float(np.linalg.det(ones))) < 0.02 * spread**2 or spread < 8:
        raise ValueError(tr("The three points lie nearly on one line; take three corners of the face."))
    return np.asarray(np.linalg.solve(ones, here).T, dtype=np.float64)
