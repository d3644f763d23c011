"""Pictures of what a plan can find: the power curve, and how often each verdict came out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Final

from oddtwin.core.decide import Verdict
from oddtwin.core.effects import Chances
from oddtwin.core.language import tr
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text

CURVE_HEIGHT: Final = 190.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 46.0, 16.0, 14.0, 40.0
_ROW: Final = 22.0

_ROLES: Final = {"odd": 1.0, "leaning": 0.5}


def power_curve(table: Sequence[Chances], planned: int, unit: str, width: float) -> Drawing:
    """Draw the chance to find the margin and to establish a twin against the number of pairs.

    Parameters
    ----------
    table : sequence of Chances
        One or more, by pairs.
    planned : int
        Pairs of the plan; marked where they are in the table.
    unit : str
        What is counted: "pairs", or "prints of each side".
    width : float
        In pixels; the height is ``CURVE_HEIGHT``.
    """
    last = max(2, table[-1].pairs)
    bottom = CURVE_HEIGHT - _BOTTOM

    def x(pairs: float) -> float:
        return _LEFT + (pairs - 1) / (last - 1) * (width - _LEFT - _RIGHT)

    def y(chance: float) -> float:
        return bottom - chance * (bottom - _TOP)

    shapes: list[Shape] = []
    if table[0].pairs <= planned <= last:
        shapes.append(Rect(x(planned) - 9, _TOP - 8, 18, bottom - _TOP + 8, "accent_soft"))
    for chance in (0.0, 0.5, 0.8, 0.9, 1.0):
        aim = chance in (0.8, 0.9)
        shapes.append(
            Line(_LEFT, y(chance), width - _RIGHT, y(chance), "muted" if aim else "line", dashed=aim)
        )
        if chance != 0.9:
            shapes.append(Text(_LEFT - 8, y(chance) + 4, f"{100 * chance:.0f} %", "muted", "end", 11))
    for item in table:
        shapes.append(Text(x(item.pairs), bottom + 16, str(item.pairs), "muted", "middle", 11))
    for name, role, ring in (("p_find_margin", "change", False), ("p_establish_twin", "baseline", True)):
        points = [
            (x(item.pairs), y(getattr(item, name))) for item in table if getattr(item, name) is not None
        ]
        shapes += [Line(*one, *two, role, 1.5) for one, two in pairwise(points)]
        shapes += [Circle(*point, 3.4, role, 1.6 if ring else 0.0) for point in points]
    shapes.append(Text(_LEFT, CURVE_HEIGHT - 6, unit, "muted", "start", 11))
    shapes += [
        Circle(width / 2 - 130, CURVE_HEIGHT - 10, 3.4, "change"),
        Text(width / 2 - 120, CURVE_HEIGHT - 6, tr("chance to find the margin"), "ink", "start", 11),
        Circle(width / 2 + 66, CURVE_HEIGHT - 10, 3.4, "baseline", 1.6),
        Text(width / 2 + 76, CURVE_HEIGHT - 6, tr("chance to establish a twin"), "ink", "start", 11),
    ]
    return Drawing(width, CURVE_HEIGHT, tuple(shapes), tr("Chances by number of pairs"))


def verdict_shares(shares: Mapping[Verdict, float], width: float) -> Drawing:
    """Draw how often each verdict came out in a rehearsal, one row each.

    Parameters
    ----------
    shares : mapping of Verdict to float
        Shares from 0 to 1.
    width : float
        In pixels.
    """
    start, end = 150.0, width - 60
    shapes: list[Shape] = []
    for place, (verdict, share) in enumerate(shares.items()):
        middle = _ROW * (place + 0.5)
        stem, _, direction = verdict.value.partition("-")
        role = direction or {"twin": "baseline", "undecided": "neutral"}.get(stem, "change")
        shapes += [
            Text(0, middle + 4, verdict.words, "ink", size=12),
            Rect(start, middle - 6, end - start, 12, "sunken"),
            Rect(start, middle - 6, max(1.0, (end - start) * share), 12, role, _ROLES.get(stem, 0.8)),
            Text(end + 10, middle + 4, f"{100 * share:.0f} %", "ink", size=12),
        ]
    words = ", ".join(f"{verdict.words} {100 * share:.0f} %" for verdict, share in shares.items())
    return Drawing(width, _ROW * max(1, len(shares)), tuple(shapes), words)
