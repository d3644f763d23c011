"""The mark of the product: baseline as a ring, change as a disc."""

from __future__ import annotations

from typing import Final

from oddtwin.core.decide import Verdict
from oddtwin.core.language import tr
from oddtwin.core.picture.shapes import Circle, Drawing

# How far the disc stands from the ring, in radii, by the stem of the verdict.
_DISTANCE: Final = {"odd": 2.5, "leaning": 1.5, "twin": 0.0, "undecided": 0.8, "not": 0.5}


def twin_mark(verdict: Verdict | None, size: float) -> Drawing:
    """Draw ring and disc: apart when odd, over one another when twin, on both sides when mixed.

    Parameters
    ----------
    verdict : Verdict or None
        None before there is one: the disc is then still missing.
    size : float
        Height, in pixels; the mark is twice as wide.
    """
    radius = size * 0.3
    stem = verdict.value.partition("-")[0] if verdict else ""
    distance = _DISTANCE.get(stem, 0.0) * radius
    up = -1 if verdict and verdict.value.endswith("better") else 1
    lift = up * radius * 0.25 if stem in ("odd", "leaning") and "-" in str(verdict) else 0.0
    middle, line = size / 2, max(1.5, size / 12)
    if verdict is Verdict.MIXED:
        # One disc on either side: better here, worse there.
        discs = [
            Circle(size + side * 1.5 * radius, middle + side * radius * 0.25, radius * 0.6, "change")
            for side in (-1, 1)
        ]
        ring = Circle(size, middle, radius - line / 2, "baseline", line)
        return Drawing(2 * size, size, (ring, *discs), verdict.words)
    ring = Circle(
        size - distance / 2, middle, radius - line / 2, "baseline", line, dashed=stem == "undecided"
    )
    shapes = [ring]
    if verdict:
        disc = radius * 0.55 if stem in ("twin", "undecided", "not") else radius * 0.9
        role = "change" if stem != "undecided" else "neutral"
        shapes.append(Circle(size + distance / 2, middle + lift, disc, role))
    words = verdict.words if verdict else tr("no verdict yet")
    return Drawing(2 * size, size, tuple(shapes), words)
