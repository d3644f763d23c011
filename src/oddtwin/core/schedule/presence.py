"""When somebody is there: hours as typed, and as minutes of a calendar."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from itertools import pairwise
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.quantities import minutes_between, with_offset

DAY_MIN: Final = 24 * 60
_SPAN: Final = re.compile(r"(\d{1,2})(?:[:.h](\d{2})?)?\s*[-–—]\s*(\d{1,2})(?:[:.h](\d{2})?)?")

Window = tuple[int, int]
"""Start and end in minutes."""


def parse_hours(text: str) -> tuple[Window, ...]:
    """Read hours such as ``"7:00-8:30, 17-22"``.

    Parameters
    ----------
    text : str
        Spans between commas; empty for nobody there.

    Returns
    -------
    tuple of (start, end)
        Minutes after midnight, in order.

    Raises
    ------
    ValueError
        A sentence for the user.
    """
    windows = []
    for part in re.split(r"[,;]", text):
        if not part.strip():
            continue
        match = _SPAN.fullmatch(part.strip())
        if match is None:
            raise ValueError(tr("“{part}” is no span of hours; type it as 17:00-22:00.", part=part.strip()))
        start_h, start_m, end_h, end_m = (int(group or 0) for group in match.groups())
        start, end = start_h * 60 + start_m, end_h * 60 + end_m
        if start_m > 59 or end_m > 59 or end > DAY_MIN:
            raise ValueError(tr("“{part}” goes beyond the clock.", part=part.strip()))
        if start >= end:
            raise ValueError(tr("“{part}” ends before it begins; split it at midnight.", part=part.strip()))
        windows.append((start, end))
    windows.sort()
    if any(one[1] > two[0] for one, two in pairwise(windows)):
        raise ValueError(tr("The hours in “{text}” overlap.", text=text.strip()))
    return tuple(windows)


@dataclass(frozen=True, slots=True)
class Presence:
    """When somebody is there.

    Parameters
    ----------
    weekdays, weekend : tuple of (start, end)
        Minutes after midnight, Monday to Friday and Saturday to Sunday.
    """

    weekdays: tuple[Window, ...]
    weekend: tuple[Window, ...]

    @classmethod
    def parsed(cls, weekdays: str, weekend: str) -> Presence:
        """Read both lists of hours.

        Raises
        ------
        ValueError
            Hours that cannot be read, or nobody is ever there.
        """
        made = cls(parse_hours(weekdays), parse_hours(weekend))
        if not made.weekdays and not made.weekend:
            raise ValueError(tr("Nobody is ever there; type the hours when plates can be changed."))
        return made

    def of_day(self, day: date) -> tuple[Window, ...]:
        """Return the windows of a day."""
        return self.weekend if day.weekday() >= 5 else self.weekdays

    def windows(self, start: datetime, days: int) -> list[Window]:
        """Return the windows from a moment on, in minutes after the midnight before it."""
        return [window for _, window in self._by_day(start, days)]

    def waking(self, start: datetime, days: int) -> list[Window]:
        """Return the span of each day from its first window to the end of its last."""
        spans: dict[int, Window] = {}
        for day, (begin, end) in self._by_day(start, days):
            spans[day] = (spans[day][0] if day in spans else begin, end)
        return list(spans.values())

    def _by_day(self, start: datetime, days: int) -> list[tuple[int, Window]]:
        """Return the windows with the number of their day; hours on the wall are turned into minutes."""
        found = []
        first = minute_of(start, start)
        for number in range(days):
            day = start.date() + timedelta(days=number)
            for hours in self.of_day(day):
                begin, end = (minute_of(start, _on_the_wall(start, day, minute)) for minute in hours)
                if end > first:
                    found.append((number, (max(begin, first), end)))
        return found


def moment(start: datetime, minute: int) -> datetime:
    """Return the moment of a minute after the midnight before ``start``."""
    later = _on_the_wall(start, start.date(), 0) + timedelta(minutes=minute)
    # Minutes pass evenly; what the clock on the wall says of them may have changed in the night.
    return later.astimezone() if start.tzinfo else later


def minute_of(start: datetime, at: datetime) -> int:
    """Return the minute after the midnight before ``start`` of a moment."""
    midnight = _on_the_wall(start, start.date(), 0)
    # Without an offset there is no zone whose clocks could be changed in the night.
    passed = (
        minutes_between(midnight, at) if start.tzinfo or at.tzinfo else (at - midnight).total_seconds() / 60
    )
    return int(passed // 1)


def _on_the_wall(start: datetime, day: date, minute: int) -> datetime:
    """Return when the clock shows a minute of a day, with an offset where ``start`` has one."""
    shown = datetime.combine(day, time()) + timedelta(minutes=minute)
    return with_offset(shown) if start.tzinfo else shown


def inside(window: Window, spans: Sequence[Window]) -> bool:
    """Whether a span lies wholly in one of several."""
    return any(begin <= window[0] and window[1] <= end for begin, end in spans)
