"""What happened to a machine over the years: a lane for studies, changes, calibrations and fittings each."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Final, NamedTuple

from oddtwin.core.language import mark, tr
from oddtwin.core.picture.shapes import Drawing, Line, Rect, Shape, Text, clipped
from oddtwin.core.quantities import seconds_of

LANES: Final = ("study", "change", "calibration")
_TITLES: Final = (mark("Studies"), mark("Changes"), mark("Calibrations"))
_NAMED: Final = {lane: (lane, title.lower()) for lane, title in zip(LANES, _TITLES, strict=True)}
ROW: Final = 34.0
_NAMES: Final = 96.0
_FOOT: Final = 26.0
_PAD: Final = 14.0
_THIN: Final = 3.0
_SHORTEST: Final = 60.0
_ROLES: Final = {"study": "baseline", "change": "change", "calibration": "accent"}
_TICKS: Final = 6
_DAY: Final = 86_400.0


class Happening(NamedTuple):
    """What happened, in which of ``LANES``, from when to when, and in words."""

    lane: str
    begin: datetime
    end: datetime
    text: str


def timeline(happenings: Sequence[Happening], width: float) -> Drawing:
    """Draw what happened along the calendar, oldest left.

    Parameters
    ----------
    happenings : sequence of Happening
        In any order.
    width : float
        Of the picture, in pixels.
    """
    height = ROW * len(LANES) + _FOOT
    if not happenings:
        return Drawing(width, height, (), tr("Nothing happened yet"))
    first = min(one.begin for one in happenings)
    last = max(one.end for one in happenings)
    span = max(_DAY, seconds_of(last) - seconds_of(first))
    room = width - _NAMES - _PAD

    def at(moment: datetime) -> float:
        return _NAMES + (seconds_of(moment) - seconds_of(first)) / span * room

    shapes: list[Shape] = []
    for lane, title in enumerate(_TITLES):
        y = ROW * lane
        shapes.append(Text(0, y + ROW / 2 + 4, title, "muted", size=12))
        shapes.append(Line(_NAMES, y + ROW, width - _PAD, y + ROW, "line", 1.0))
    for lane, name in enumerate(LANES):
        y = ROW * lane
        mine = sorted((at(one.begin), at(one.end), one.text) for one in happenings if one.lane == name)
        ends = [left for left, _, _ in mine[1:]] + [width - _PAD]
        for (left, right, told), end in zip(mine, ends, strict=False):
            wide = max(_THIN, right - left)
            shapes.append(Rect(left, y + 5, wide, ROW - 12, _ROLES[name], 0.85))
            # Words only where they fit: beside the mark, and before the next one.
            begin, room_left = left + wide + 4, end - left - wide - 10
            if room_left > _SHORTEST:
                shapes.append(Text(begin, y + ROW / 2 + 4, clipped(told, room_left), "ink", size=11))
    for part in range(_TICKS + 1):
        when = first + timedelta(seconds=span * part / _TICKS)
        anchor = "start" if part == 0 else "end" if part == _TICKS else "middle"
        shapes.append(Text(at(when), height - 8, f"{when:%Y-%m-%d}", "muted", anchor, 11))
    counts = [(sum(one.lane == lane for one in happenings), lane) for lane in LANES]
    counted = [f"{count} {_NAMED[lane][count != 1]}" for count, lane in counts]
    return Drawing(
        width,
        height,
        tuple(shapes),
        tr(
            "{first:%Y-%m-%d} to {last:%Y-%m-%d}: {counted}",
            first=first, last=last, counted=", ".join(counted),
        ),
    )  # fmt: skip
