"""Pictures as plain shapes, so that the window and the report draw the very same ones."""

from oddtwin.core.picture.palette import DARK, LIGHT, Palette
from oddtwin.core.picture.ruler import difference_ruler
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Text
from oddtwin.core.picture.svg import to_svg
from oddtwin.core.picture.twin_mark import twin_mark

__all__ = [
    "DARK",
    "LIGHT",
    "Circle",
    "Drawing",
    "Line",
    "Palette",
    "Rect",
    "Text",
    "difference_ruler",
    "to_svg",
    "twin_mark",
]
