"""The few shapes that pictures are made of; lengths in pixels at 100 % scale."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace


@dataclass(frozen=True, slots=True)
class Line:
    """A straight line in the colour of a role."""

    x1: float
    y1: float
    x2: float
    y2: float
    role: str
    width: float = 1.0
    opacity: float = 1.0
    dashed: bool = False


@dataclass(frozen=True, slots=True)
class Rect:
    """A filled rectangle."""

    x: float
    y: float
    width: float
    height: float
    role: str
    opacity: float = 1.0


@dataclass(frozen=True, slots=True)
class Circle:
    """A ring of some line width, or a disc where the width is zero."""

    x: float
    y: float
    radius: float
    role: str
    width: float = 0.0
    opacity: float = 1.0
    dashed: bool = False


@dataclass(frozen=True, slots=True)
class Text:
    """One line of text; ``anchor`` is start, middle or end; ``y`` is its baseline."""

    x: float
    y: float
    text: str
    role: str
    anchor: str = "start"
    size: float = 12.0
    bold: bool = False


Shape = Line | Rect | Circle | Text


@dataclass(frozen=True, slots=True)
class Drawing:
    """Shapes from back to front on a sheet of some width and height.

    ``description`` says in words what the picture shows.
    """

    width: float
    height: float
    shapes: tuple[Shape, ...]
    description: str = ""


def moved(shapes: Iterable[Shape], right: float, down: float) -> list[Shape]:
    """Return shapes moved by so many pixels."""
    found: list[Shape] = []
    for item in shapes:
        if isinstance(item, Line):
            found.append(
                replace(item, x1=item.x1 + right, y1=item.y1 + down, x2=item.x2 + right, y2=item.y2 + down)
            )
        else:
            found.append(replace(item, x=item.x + right, y=item.y + down))
    return found


def clipped(text: str, wide: float) -> str:
    """Cut a text to the room it has, in pixels; letters are about six pixels wide."""
    most = max(3, int(wide / 6.2))
    return text if len(text) <= most else text[: most - 1] + "…"
