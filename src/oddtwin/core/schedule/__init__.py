"""When to print what, on which machine."""

from oddtwin.core.schedule.calendar import as_icalendar
from oddtwin.core.schedule.greedy import greedy_starts
from oddtwin.core.schedule.presence import DAY_MIN, Presence, Window, minute_of, moment, parse_hours
from oddtwin.core.schedule.timetable import Placed, Timetable, make_timetable
from oddtwin.core.schedule.work import PlatePrint, Workload

__all__ = [
    "DAY_MIN",
    "Placed",
    "PlatePrint",
    "Presence",
    "Timetable",
    "Window",
    "Workload",
    "as_icalendar",
    "greedy_starts",
    "make_timetable",
    "minute_of",
    "moment",
    "parse_hours",
]
