"""Moments: points in time that carry their offset from UTC, read, ordered and subtracted in one place.

A moment without an offset, as older files have it, is local time of this computer.
"""

from __future__ import annotations

from datetime import UTC, datetime


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
        raise ValueError(f"the year {moment.year} is beyond the calendar") from None


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
        raise ValueError(f"the year {moment.year} is beyond the calendar") from None


def minutes_between(start: datetime, end: datetime) -> float:
    """Return the minutes that passed from one moment to another, whatever the clocks on the wall did."""
    return (seconds_of(end) - seconds_of(start)) / 60
