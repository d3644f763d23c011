"""One verdict with words at its parts, for whoever sees the ruler for the first time."""

from __future__ import annotations

from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text

HEIGHT: Final = 176.0
_AXIS: Final = 112.0
_LEVEL: Final = 78.0


def annotated_verdict(width: float) -> Drawing:
    """Draw a ruler as a verdict shows it, every part named.

    Parameters
    ----------
    width : float
        Of the picture, in pixels.
    """
    zero, half = 0.70 * width, 0.13 * width
    change, reach = 0.24 * width, 0.085 * width
    shapes: list[Shape] = [
        Rect(zero - half, 34, 2 * half, _AXIS - 34, "margin"),
        Rect(zero - 0.06 * width, _AXIS - 5, 0.12 * width, 5, "noise"),
        Line(0.04 * width, _AXIS, 0.96 * width, _AXIS, "ink", 1.2),
        Line(zero, 34, zero, _AXIS + 5, "baseline", 1.6),
        Line(change - reach, _LEVEL, change + reach, _LEVEL, "change", 2),
        Line(change - 0.7 * reach, _LEVEL, change + 0.7 * reach, _LEVEL, "change", 6),
        Circle(change, _LEVEL, 8, "change"),
        Circle(zero, _LEVEL, 9, "baseline", 3),
        Text(zero, 26, tr("your margin: too small to matter"), "muted", "middle", 12),
        Text(zero + 16, _LEVEL + 4, tr("the baseline"), "baseline", "start", 12),
        Text(change, _LEVEL - 18, tr("the change: 25 min less"), "change", "middle", 12, True),
        Text(change, _LEVEL + 24, tr("95 % of such lines hold the truth"), "muted", "middle", 12),
        Text(zero, _AXIS + 22, tr("noise floor: what two like prints differ"), "muted", "middle", 12),
    ]
    for minutes in (-30, -20, -10, 0):
        x = zero + minutes / 25 * (zero - change)
        shapes.append(Line(x, _AXIS, x, _AXIS + 5, "ink"))
        # Beside zero stands what the strip is called.
        if minutes < -10:
            shapes.append(Text(x, _AXIS + 20, tr("−{minutes} min", minutes=-minutes), "ink", "middle", 11))
    shapes.append(
        Text(
            width / 2,
            HEIGHT - 10,
            tr("Verdict: it differs, and enough to matter. The odd twin."),
            "ink",
            "middle",
            14,
            True,
        )
    )
    return Drawing(
        width,
        HEIGHT,
        tuple(shapes),
        tr(
            "A verdict: the change takes 25 minutes less than the baseline, beyond the margin and beyond "
            "the noise floor of two like prints: it differs, and enough to matter."
        ),
    )
