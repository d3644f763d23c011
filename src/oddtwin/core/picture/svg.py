"""A drawing as SVG text."""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

from oddtwin.core.language import shown
from oddtwin.core.picture.palette import Palette
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text


def to_svg(drawing: Drawing, palette: Palette) -> str:
    """Write a drawing as one SVG element, to stand in a page or a file of its own.

    Parameters
    ----------
    drawing : Drawing
        Any.
    palette : Palette
        Colours for the roles.
    """
    size = f'viewBox="0 0 {drawing.width:g} {drawing.height:g}"'
    label = f'role="img" aria-label={quoteattr(drawing.description)}'
    # A text without letters is no element: some readers complain of it.
    shapes = [shape for shape in drawing.shapes if not isinstance(shape, Text) or shape.text]
    body = "\n".join(_element(shape, palette) for shape in shapes)
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size} {label}>\n{body}\n</svg>'


def _element(shape: Shape, palette: Palette) -> str:
    colour = palette.of(shape.role)
    if isinstance(shape, Text):
        weight = ' font-weight="bold"' if shape.bold else ""
        return (
            f'<text x="{shape.x:.1f}" y="{shape.y:.1f}" fill="{colour}" font-size="{shape.size:g}"'
            f' text-anchor="{shape.anchor}"{weight}>{escape(shown(shape.text))}</text>'
        )
    look = f' opacity="{shape.opacity:g}"' if shape.opacity < 1 else ""
    if isinstance(shape, Rect):
        return (
            f'<rect x="{shape.x:.1f}" y="{shape.y:.1f}" width="{shape.width:.1f}" '
            f'height="{shape.height:.1f}" fill="{colour}"{look}/>'
        )
    if shape.dashed:
        look += ' stroke-dasharray="3 3"'
    if isinstance(shape, Line):
        return (
            f'<line x1="{shape.x1:.1f}" y1="{shape.y1:.1f}" x2="{shape.x2:.1f}" y2="{shape.y2:.1f}" '
            f'stroke="{colour}" stroke-width="{shape.width:g}"{look}/>'
        )
    return _circle(shape, colour, look)


def _circle(shape: Circle, colour: str, look: str) -> str:
    paint = (
        f'fill="none" stroke="{colour}" stroke-width="{shape.width:g}"' if shape.width else f'fill="{colour}"'
    )
    return f'<circle cx="{shape.x:.1f}" cy="{shape.y:.1f}" r="{shape.radius:.1f}" {paint}{look}/>'
