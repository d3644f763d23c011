"""Moments: read, written, ordered and subtracted with their offsets."""

import os
import time
import unittest
from datetime import UTC, date, datetime, timedelta, timezone
from unittest.mock import patch

from oddtwin.core.quantities import (
    QuantityError,
    minutes_between,
    parse_day,
    parse_moment,
    read_moment,
    seconds_of,
    with_offset,
    write_moment,
)
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


class TypedDays(unittest.TestCase):
    def test_days_are_read_as_they_are_written_anywhere(self):
        written = (
            "2026-03-14", "2026/3/14", "14.3.2026", "14.03.26", "14/3/2026", "3/14/2026", " 14.3.2026. ",
        )  # fmt: skip
        for text in written:
            with self.subTest(text):
                self.assertEqual(parse_day(text), date(2026, 3, 14))
        self.assertEqual(parse_day("3.4.2026"), date(2026, 4, 3))
        self.assertEqual(parse_day("3/4/2026", day_first=True), date(2026, 4, 3))
        self.assertEqual(parse_day("3/4/2026", day_first=False), date(2026, 3, 4))
        self.assertEqual(parse_day("4/4/2026"), date(2026, 4, 4))

    def test_a_day_that_can_be_two_is_asked_about_and_none_is_refused(self):
        with self.assertRaisesRegex(QuantityError, "can be 2026-04-03 or 2026-03-04; type one of them"):
            parse_day("3/4/2026")
        for text in ("", "soon", "2026-13-01", "31.2.2026", "14.3", "14.3/2026", "0/0/2026"):
            with self.subTest(text), self.assertRaises(QuantityError):
                parse_day(text)

    def test_a_time_may_follow_and_a_day_alone_is_meant_whole(self):
        self.assertEqual(parse_moment("14.3.2026 18:30").strftime("%Y-%m-%d %H:%M"), "2026-03-14 18:30")
        self.assertEqual(parse_moment("2026-03-14").strftime("%H:%M:%S"), "23:59:59")
        for clock in ("23:59:59", "00:00:00", "7:05:09"):
            at = parse_moment(f"2026-03-14 {clock}")
            self.assertEqual(at.strftime("%H:%M:%S"), clock.zfill(8))
        for clock in ("24:00", "12:60", "12:30:60"):
            with self.subTest(clock), self.assertRaises(QuantityError):
                parse_moment(f"2026-03-14 {clock}")
        self.assertEqual(parse_moment("2026-03-14T18:30:00+02:00").isoformat(), "2026-03-14T18:30:00+02:00")
        for text in ("18:30", "14.3.2026 25:00", "2026-03-14Tx"):
            with self.subTest(text), self.assertRaises(QuantityError):
                parse_moment(text)


if __name__ == "__main__":
    unittest.main()
