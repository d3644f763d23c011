"""Small pictures of designs: prints from left to right in printed order, arms at their heights."""

from __future__ import annotations

from typing import Final

from oddtwin.core.design import ArmIndex, Cell, Design, lay_out
from oddtwin.core.language import tr
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape

WIDTH: Final = 150.0
HEIGHT: Final = 66.0
_MOST: Final = 16
_SEED: Final = 7


def design_picture(design: Design) -> Drawing:
    """Draw the order of a design on one machine and piece.

    Parameters
    ----------
    design : Design
        Any that can be made.

    Returns
    -------
    Drawing
        A band for each block; a ring for a print of the baseline, a disc for any other
        arm, the higher the further from the baseline; a square ring of lines for the control.
    """
    arms = ArmIndex.of(design)
    runs = lay_out(design, [Cell(1, 1)], 2, 0, _SEED)[:_MOST]
    highest = max(1, max(run.arm for run in runs))
    step = (WIDTH - 8) / len(runs)
    radius = min(5.0, step * 0.4, (HEIGHT - 16) / (highest + 1) * 0.6)
    bands: list[Shape] = []
    lines: list[Shape] = []
    shapes: list[Shape] = []
    previous: tuple[float, float] | None = None
    for place, run in enumerate(runs):
        x = 4 + step * (place + 0.5)
        y = HEIGHT - 9 - (HEIGHT - 18) * run.arm / highest
        if run.block % 2:
            bands.append(Rect(4 + step * place, 2, step + 0.5, HEIGHT - 4, "sunken"))
        if previous is not None:
            lines.append(Line(*previous, x, y, "line"))
        previous = (x, y)
        line = max(1.4, radius / 3)
        if run.arm == 0:
            shapes.append(Circle(x, y, radius - line / 2, "baseline", line))
        elif run.arm in (arms.control, arms.centre):
            shapes.append(Circle(x, y, radius - line / 2, "neutral", line, dashed=True))
        else:
            shapes.append(Circle(x, y, radius, "change"))
    words = tr("{runs} prints in their order; a ring is the baseline", runs=len(runs))
    return Drawing(WIDTH, HEIGHT, (*bands, *lines, *shapes), words)
