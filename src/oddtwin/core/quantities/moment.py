"""Moments: points in time that carry their offset from UTC, read, ordered and subtracted in one place.

A moment without an offset, as older files have it, is local time of this computer.
"""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, time

from oddtwin.core.language import tr
from oddtwin.core.quantities.parse import QuantityError

_DAY = re.compile(r"(\d{1,4})([-./ ])(\d{1,2})\2(\d{2,4})\.?", re.ASCII)
_CLOCK = re.compile(r"(\d{1,2}):(\d{2})(?::(\d{2}))?", re.ASCII)


def now() -> datetime:
    """Return this moment with the offset of this computer; fine enough to tell what came first."""
    return datetime.now().astimezone()


def with_offset(moment: datetime) -> datetime:
    """Return a moment with an offset; one without it is local time of this computer.

    Raises
    ------
    ValueError
        It lies so near the first or last year that no offset can be given to it.
    """
    if moment.tzinfo is not None and moment.utcoffset() is not None:
        seconds_of(moment)
        return moment
    try:
        return moment.astimezone()
    except (OverflowError, OSError, ValueError):
        raise ValueError(tr("the year {year} is beyond the calendar", year=moment.year)) from None


def read_moment(text: str) -> datetime:
    """Read a moment as ``write_moment`` gives it; without an offset it is local time.

    Raises
    ------
    ValueError
        It is no moment.
    """
    return with_offset(datetime.fromisoformat(text))


def write_moment(moment: datetime) -> str:
    """Write a moment as ISO 8601 text with its offset, such as ``2026-10-25T02:30:00+02:00``."""
    return with_offset(moment).isoformat()


def seconds_of(moment: datetime | None) -> float:
    """Return a key that puts moments in order: seconds since 1970; what has no moment comes first.

    Raises
    ------
    ValueError
        Its offset carries it beyond the calendar.
    """
    if moment is None:
        return float("-inf")
    try:
        # Text or wall time would put 02:30 after the autumn change before 02:45 ahead of it.
        return moment.astimezone(UTC).timestamp()
    except (OverflowError, OSError, ValueError):
        raise ValueError(tr("the year {year} is beyond the calendar", year=moment.year)) from None


def minutes_between(start: datetime, end: datetime) -> float:
    """Return the minutes that passed from one moment to another, whatever the clocks on the wall did."""
    return (seconds_of(end) - seconds_of(start)) / 60


def parse_day(text: str, day_first: bool | None = None) -> date:
    """Read a day as a person types it: ``2026-03-14``, ``14.3.2026``, ``14/3/26`` or ``3/14/2026``.

    Parameters
    ----------
    text : str
        Without a time.
    day_first : bool, optional
        Whether days stand before months where the person lives; None where nobody knows, and ``3/4/2026``
        is asked about.

    Raises
    ------
    QuantityError
        It is no day, or can be one of two; the sentence says which.
    """
    typed = " ".join(text.split())
    found = _DAY.fullmatch(typed)
    if found is None:
        raise QuantityError(
            tr("“{typed}” is no date; type it like 2026-03-14 or 14.3.2026", typed=typed[:40])
        )
    first, sign, second, third = int(found[1]), found[2], int(found[3]), int(found[4])
    if len(found[1]) == 4:
        return _day(first, second, third, typed)
    year = third if len(found[4]) > 2 else 2000 + third
    # With dots the day comes first wherever dots are written; with strokes that depends on the place.
    order = True if sign == "." else day_first
    if order is None and first != second and first <= 12 and second <= 12:
        one, two = _day(year, second, first, typed), _day(year, first, second, typed)
        raise QuantityError(
            tr(
                "“{typed}” can be {day_first} or {month_first}; type one of them",
                typed=typed,
                day_first=one.isoformat(),
                month_first=two.isoformat(),
            )
        )
    if order is None:
        order = second <= 12
    return _day(year, second, first, typed) if order else _day(year, first, second, typed)


def parse_moment(text: str, day_first: bool | None = None) -> datetime:
    """Read a day, with a time of day or without; a day without a time is meant with all that was done on it.

    Parameters
    ----------
    text : str
        A day as ``parse_day`` reads it, and perhaps ``18:30`` behind it; or as ``write_moment`` gives it.
    day_first : bool, optional
        As for ``parse_day``.

    Raises
    ------
    QuantityError
        It is no moment.
    """
    typed = " ".join(text.split())
    try:
        if "T" in typed:
            return read_moment(typed)
    except ValueError:
        raise QuantityError(
            tr("“{typed}” is no moment; type it like 2026-03-14 18:30", typed=typed[:40])
        ) from None
    begin, _, end = typed.rpartition(" ")
    clock = _CLOCK.fullmatch(end)
    if clock is None or not begin:
        return with_offset(datetime.combine(parse_day(typed, day_first), time(23, 59, 59)))
    hours, minutes, seconds = (int(part or 0) for part in clock.groups())
    if hours > 23 or minutes > 59 or seconds > 59:
        raise QuantityError(tr("“{end}” is no time of day; type it like 18:30", end=end))
    return with_offset(datetime.combine(parse_day(begin, day_first), time(hours, minutes, seconds)))


def _day(year: int, month: int, day: int, typed: str) -> date:
    try:
        return date(year, month, day)
    except ValueError:
        raise QuantityError(tr("“{typed}” is no day of the calendar", typed=typed)) from None
