"""A plate seen from above: which piece lies where, and how it is marked."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Final, NamedTuple

from oddtwin.core.language import tr
from oddtwin.core.picture.shapes import Drawing, Line, Rect, Shape, Text, clipped

FOOT: Final = 20.0
GAP: Final = 6.0
EDGE: Final = 8.0


class Placed(NamedTuple):
    """One piece on a plate.

    ``place`` counts from 1 at the front left, to the right and then to the back; 0 where it has the plate for
    itself. ``faces`` is the side of the machine that its own front faces, ``gone`` whether it does not count.
    """

    code: str
    place: int
    faces: str
    current: bool
    gone: bool


class Square(NamedTuple):
    """Where a piece is drawn; lengths in pixels."""

    code: str
    x: float
    y: float
    width: float
    height: float


def plate_squares(pieces: Sequence[Placed], width: float, height: float) -> list[Square]:
    """Return where each piece is drawn on a picture of some size, in pixels.

    Parameters
    ----------
    pieces : sequence of Placed
        All that lie on the plate.
    width, height : float
        Of the picture, in pixels.
    """
    places = max([len(pieces), *(piece.place for piece in pieces)])
    # As near to a square as the bed is; where a plate is longer the places still tell left and back.
    columns = math.ceil(math.sqrt(places))
    rows = math.ceil(places / columns)
    wide = (width - 2 * EDGE - (columns - 1) * GAP) / columns
    high = (height - FOOT - 2 * EDGE - (rows - 1) * GAP) / rows
    found = []
    for number, piece in enumerate(pieces):
        back, right = divmod((piece.place or number + 1) - 1, columns)
        # The front of the machine is at the foot of the picture, nearest to who stands before it.
        found.append(
            Square(
                piece.code,
                EDGE + right * (wide + GAP),
                EDGE + (rows - 1 - back) * (high + GAP),
                wide,
                high,
            )
        )
    return found


def plate_picture(pieces: Sequence[Placed], width: float, height: float) -> Drawing:
    """Draw a plate from above with the code and the arrow that each piece is marked with.

    Parameters
    ----------
    pieces : sequence of Placed
        All that lie on the plate.
    width, height : float
        Of the picture, in pixels.
    """
    shapes: list[Shape] = [Rect(0, 0, width, height - FOOT, "sunken")]
    for piece, square in zip(pieces, plate_squares(pieces, width, height), strict=True):
        shapes += _piece(piece, square)
    shapes.append(Text(width / 2, height - 5, tr("front of the machine"), "muted", "middle", 11))
    told = ", ".join(_words(piece) for piece in pieces)
    return Drawing(width, height, tuple(shapes), tr("The plate from above: {told}", told=told))


def _words(piece: Placed) -> str:
    at = tr(" at place {place}", place=piece.place) if piece.place else ""
    return tr(
        "{piece_code}{at}, its front to the {faces}{part}",
        piece_code=piece.code,
        at=at,
        faces=piece.faces,
        part=tr(", set aside") if piece.gone else "",
    )


def _piece(piece: Placed, square: Square) -> list[Shape]:
    left, top, right, low = square.x, square.y, square.x + square.width, square.y + square.height
    middle = (left + right) / 2
    edge = "accent" if piece.current else "muted"
    shapes: list[Shape] = [Rect(left, top, square.width, square.height, "surface")]
    thick = 2.5 if piece.current else 1.0
    corners = ((left, top), (right, top), (right, low), (left, low), (left, top))
    shapes += [Line(*start, *end, edge, thick) for start, end in pairwise(corners)]
    size = max(9.0, min(20.0, square.width / 4, square.height / 3.2))
    ink = "muted" if piece.gone else "ink"
    code = clipped(piece.code, square.width * 11 / size)
    shapes.append(Text(middle, top + square.height * 0.42, code, ink, "middle", size, bold=True))
    # On a crowded plate the words would run over the code; the tip of the card says it too.
    if square.height >= 52 and piece.faces != "front":
        facing = clipped(tr("front → {faces}", faces=piece.faces), square.width)
        shapes.append(Text(middle, top + square.height * 0.42 + 15, facing, "muted", "middle", 10))
    # The arrow is the mark, to the front of the machine whichever way the piece is turned.
    half, tip = size * 0.5, low - 4
    shapes += [
        Line(middle, tip - size * 0.8, middle, tip, ink, 1.5),
        Line(middle - half, tip - half, middle, tip, ink, 1.5),
        Line(middle + half, tip - half, middle, tip, ink, 1.5),
    ]
    if piece.gone:
        shapes.append(Line(left, top, right, low, "muted", 1.5))
    return shapes
