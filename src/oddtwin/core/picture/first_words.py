"""Small pictures of the words that a study is spoken of in, for the place where each first stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from oddtwin.core.language import mark
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text

WIDTH: Final = 120.0
HEIGHT: Final = 34.0
_MIDDLE: Final = HEIGHT / 2


def word_picture(word: str) -> Drawing:
    """Draw what a word means: margin, twins, noise floor or threat.

    Parameters
    ----------
    word : str
        One of ``WORDS``.

    Raises
    ------
    KeyError
        There is no picture of it.
    """
    shapes, said = WORDS[word]
    return Drawing(WIDTH, HEIGHT, tuple(shapes()), said)


def _margin() -> list[Shape]:
    return [
        Rect(34, 3, 52, HEIGHT - 6, "margin"),
        Line(34, 3, 34, HEIGHT - 3, "neutral", 1, dashed=True),
        Line(86, 3, 86, HEIGHT - 3, "neutral", 1, dashed=True),
        Line(60, 3, 60, HEIGHT - 3, "baseline", 1.6),
        Circle(60, _MIDDLE, 6, "baseline", 2.5),
        Circle(106, _MIDDLE, 5, "change"),
    ]


def _twins() -> list[Shape]:
    return [
        Circle(38, _MIDDLE, 9, "baseline", 2.5),
        Circle(78, _MIDDLE, 9, "baseline", 2.5),
        Text(58, _MIDDLE + 5, "≈", "ink", "middle", 16),
    ]


def _noise() -> list[Shape]:
    return [
        Rect(38, HEIGHT - 9, 44, 5, "noise"),
        Line(10, HEIGHT - 4, 110, HEIGHT - 4, "ink", 1.2),
        Circle(50, _MIDDLE - 4, 6, "baseline", 2.5),
        Circle(72, _MIDDLE - 4, 6, "baseline", 2.5),
    ]


def _threat() -> list[Shape]:
    return [
        Circle(44, _MIDDLE, 7, "baseline", 2.5),
        Circle(76, _MIDDLE, 7, "change"),
        Line(60, 4, 60, HEIGHT - 4, "warning", 4),
    ]


WORDS: Final[dict[str, tuple[Callable[[], list[Shape]], str]]] = {
    mark("margin"): (_margin, mark("Margin: inside the band a difference is too small to matter to you")),
    mark("twins"): (_twins, mark("Twins: two prints of the same arm, alike in everything that is known")),
    mark("noise floor"): (_noise, mark("Noise floor: what two twins differ although nothing was changed")),
    mark("threat"): (
        _threat,
        mark("Threat: something that may stand behind the difference instead of the change"),
    ),
}
