"""Moments: read, written, ordered and subtracted with their offsets."""

import os
import time
import unittest
from datetime import UTC, datetime, timedelta, timezone
from unittest.mock import patch

from oddtwin.core.quantities import minutes_between, read_moment, seconds_of, with_offset, write_moment
from oddtwin.core.schedule import Presence
from oddtwin.core.schedule.presence import moment

SUMMER, WINTER = timezone(timedelta(hours=2)), timezone(timedelta(hours=1))


class Moments(unittest.TestCase):
    def test_written_and_read_back_with_the_offset(self):
        at = datetime(2026, 10, 25, 2, 30, tzinfo=SUMMER)
        self.assertEqual(write_moment(at), "2026-10-25T02:30:00+02:00")
        self.assertEqual(read_moment(write_moment(at)), at)

    def test_the_hour_that_comes_twice_is_put_in_order(self):
        first = datetime(2026, 10, 25, 2, 50, tzinfo=SUMMER)
        second = datetime(2026, 10, 25, 2, 20, tzinfo=WINTER)
        self.assertLess(seconds_of(first), seconds_of(second))
        self.assertEqual(minutes_between(first, second), 30)
        self.assertLess(seconds_of(None), seconds_of(first))

    def test_minutes_pass_whatever_the_clock_on_the_wall_does(self):
        begun = read_moment("2026-10-25T02:30:00+02:00")
        ended = read_moment("2026-10-25T02:45:00+01:00")
        self.assertEqual(minutes_between(begun, ended), 75)
        self.assertEqual(minutes_between(ended, begun), -75)

    def test_what_lies_beyond_the_calendar_is_refused(self):
        for odd in (datetime(1, 1, 1, tzinfo=timezone(timedelta(hours=14))), datetime(9999, 12, 31, 23, 59)):
            with self.subTest(odd), self.assertRaisesRegex(ValueError, "beyond the calendar"):
                with_offset(odd.replace(tzinfo=odd.tzinfo or timezone(-timedelta(hours=14))))
        with self.assertRaises(ValueError):
            read_moment("soon")


class InBerlin(unittest.TestCase):
    """Europe/Berlin leaves summer time on 25 October 2026 at 03:00 (IANA time zone database)."""

    def setUp(self):
        self.addCleanup(time.tzset)
        zone = patch.dict(os.environ, {"TZ": "CET-1CEST,M3.5.0,M10.5.0/3"})
        zone.start()
        self.addCleanup(zone.stop)
        time.tzset()

    def test_a_moment_without_offset_is_local_time(self):
        self.assertEqual(write_moment(datetime(2026, 7, 1, 12)), "2026-07-01T12:00:00+02:00")
        self.assertEqual(read_moment("2026-12-01T12:00").astimezone(UTC).hour, 11)

    def test_the_timetable_keeps_hours_on_the_wall_and_minutes_in_fact(self):
        there = Presence.parsed("8:00-20:00", "8:00-20:00")
        start = with_offset(datetime(2026, 10, 24, 12, 0))
        saturday, sunday = there.windows(start, 2)
        self.assertEqual(saturday, (12 * 60, 20 * 60))
        self.assertEqual(sunday, (33 * 60, 45 * 60))
        self.assertEqual(moment(start, 33 * 60).isoformat(), "2026-10-25T08:00:00+01:00")
        self.assertEqual(minutes_between(start, moment(start, 33 * 60)), 21 * 60)
        self.assertEqual(there.waking(start, 2), [saturday, sunday])


if __name__ == "__main__":
    unittest.main()
