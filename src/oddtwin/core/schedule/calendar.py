"""A timetable as iCalendar, for any calendar program."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from datetime import UTC, datetime

from oddtwin.core.language import tr
from oddtwin.core.schedule.timetable import Placed, Timetable


def as_icalendar(
    timetable: Timetable, titles: Mapping[int, str], machines: Mapping[int, str], name: str, now: datetime
) -> bytes:
    """Write a timetable as iCalendar: an event for the hands, and one for each print.

    Parameters
    ----------
    timetable : Timetable
        To write.
    titles : mapping of key to str
        What each print is called; nothing that reveals its arm.
    machines : mapping of machine to str
        Names.
    name : str
        Of the study; part of the identity of the events.
    now : datetime
        When the file is made, with its time zone.

    Returns
    -------
    bytes
        UTF-8, RFC 5545; times in UTC, or without a zone where they have no offset.
    """
    from icalendar import Calendar, Event, vText

    calendar = Calendar()
    calendar.add("prodid", "-//Odd Twin//timetable//EN")
    calendar.add("version", "2.0")
    # The library escapes only properties of the standard by itself.
    calendar.add("x-wr-calname", vText(_plain(name)))
    for item in timetable.placed:
        for part, begin, end, summary in _events(item, titles[item.key], machines.get(item.machine, "")):
            event = Event()
            event.add("uid", f"{item.key}-{part}-{zlib.crc32(name.encode())}@odd-twin")
            event.add("dtstamp", now)
            event.add("dtstart", _in_utc(begin))
            event.add("dtend", _in_utc(end))
            event.add("summary", _plain(summary))
            calendar.add_component(event)
    return bytes(calendar.to_ical())


def _plain(text: str) -> str:
    """Return a text without control signs, which no calendar takes."""
    return "".join(sign if sign >= " " or sign == "\n" else " " for sign in text)


def _in_utc(moment: datetime) -> datetime:
    """An offset alone has no name that a calendar knows."""
    return moment.astimezone(UTC) if moment.tzinfo else moment


def _events(item: Placed, title: str, machine: str) -> list[tuple[str, datetime, datetime, str]]:
    switch = tr(", switch {switch_min:.0f} min", switch_min=item.switch_min) if item.switch_min else ""
    return [
        (
            "hands",
            item.prepare,
            item.start,
            tr("Start {title} on {machine}{switch}", title=title, machine=machine, switch=switch),
        ),
        ("print", item.start, item.end, tr("{title} prints on {machine}", title=title, machine=machine)),
    ]
