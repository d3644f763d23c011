"""A simulated camera: writes photographs of rendered prints, with their label, into a folder."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Final

import numpy as np

from oddtwin.core.photo import Picture
from oddtwin.core.render import PieceFace, render_piece
from oddtwin.work.photos import write_png

MODULE_PX: Final = 5
QUIET: Final = 4
FACE: Final = PieceFace(seam=14.0)


def shoot(
    folder: Path,
    codes: Sequence[str],
    study: str,
    *,
    seed: int = 1,
    seconds: float = 0.0,
    wait: Callable[[float], None] = time.sleep,
) -> Iterator[Path]:
    """Photograph prints into a folder, as a phone that writes to its sync folder does.

    Parameters
    ----------
    folder : Path
        That is watched.
    codes : sequence of str
        Of the runs, in the order in which they are photographed.
    study : str
        Name that stands on their labels.
    seed : int
        Of the prints and of how they lie.
    seconds : float
        Between two photographs.
    wait : callable
        Waits so many seconds.

    Raises
    ------
    OSError
        The folder cannot be written.
    """
    rng = np.random.default_rng(seed)
    for number, code in enumerate(codes):
        if number and seconds:
            wait(seconds)
        # No hand lays two prints down alike.
        lying = replace(FACE, turn_deg=float(rng.normal(0, 0.6)), shift_x_px=float(rng.normal(0, 5)))
        picture = render_piece(lying, rng)[0]
        path = folder / f"camera-{number + 1:03d}.png"
        write_png(path, labelled(picture, f"odd-twin run {code} of {study}"))
        yield path


def labelled(picture: Picture, text: str) -> Picture:
    """Return a photograph with a QR label in its corner.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        sRGB.
    text : str
        As the labels of the program hold it.
    """
    import segno

    matrix = np.array([[bool(cell) for cell in row] for row in segno.make(text, micro=False).matrix])
    dark = np.kron(np.pad(matrix, QUIET), np.ones((MODULE_PX, MODULE_PX))) > 0
    found = picture.copy()
    height, width = dark.shape
    # Below the piece, where its outline is not touched.
    found[-height:, :width] = np.where(dark, 25, 230)[:, :, None]
    return found
