"""The QR label of a print in its photograph."""

from __future__ import annotations

import re
from typing import Final, NamedTuple

import numpy as np

from oddtwin.core.photo.crop import Picture

LOOKED_AT_PX: Final = (1600, 3200)
_TEXT: Final = re.compile(r"odd-twin run (\S+) of (.*)", re.DOTALL)


class Label(NamedTuple):
    """What a label names: the code of a run, and the study it belongs to."""

    code: str
    study: str


def label_in(picture: Picture) -> Label | None:
    """Return the label that lies in a photograph; None where none can be read.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        sRGB.
    """
    import cv2

    reader = cv2.QRCodeDetector()
    longest = max(picture.shape[:2])
    # Small first: most labels fill enough of the picture, and the large one takes four times as long.
    for most in LOOKED_AT_PX:
        share = min(1.0, most / longest)
        size = (round(picture.shape[1] * share), round(picture.shape[0] * share))
        small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        grey = np.ascontiguousarray(small.mean(axis=2).astype(np.uint8))
        try:
            text = reader.detectAndDecode(grey)[0]
        except cv2.error:
            # Of some patterns that are no code the reader makes an impossible one.
            text = ""
        if found := _TEXT.fullmatch(text):
            return Label(found[1], found[2])
        if share == 1.0:
            break
    return None
