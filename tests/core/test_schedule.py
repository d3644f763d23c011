"""Timetables: every rule re-checked by a checker of its own; small ones against trying everything."""

import itertools
import random
import unittest
from datetime import UTC, date, datetime, timedelta

from oddtwin.core.job import CancelledError
from oddtwin.core.schedule import PlatePrint, Presence, Workload, as_icalendar, make_timetable, parse_hours
from tests.builders import stopped

MONDAY = datetime(2026, 11, 30)
PRESENCE = Presence.parsed("7:00-8:30, 17:00-22:00", "9:00-22:00")


def work(plates, **more):
    values = {
        "plates": tuple(plates),
        "start": MONDAY,
        "presence": PRESENCE,
        "switches": {(0, 1): 25.0, (1, 0): 15.0},
        "first": {1: 0, 2: 0},
    }
    return Workload(**(values | more))


def broken_rules(workload, timetable):
    """Check a timetable by nothing but the rules, in plain minutes."""
    midnight = workload.start.replace(hour=0, minute=0)

    def minute(at):
        return round((at - midnight).total_seconds() / 60)

    plates = {plate.key: plate for plate in workload.plates}
    found = []
    if sorted(item.key for item in timetable.placed) != sorted(plates):
        return ["a plate is missing or stands twice"]
    times = {
        item.key: (minute(item.prepare), minute(item.start), minute(item.end)) for item in timetable.placed
    }
    by_machine = {}
    for item in timetable.placed:
        plate, (prepare, start, end) = plates[item.key], times[item.key]
        day = midnight.date() + timedelta(days=prepare // 1440)
        hours = workload.presence.weekend if day.weekday() >= 5 else workload.presence.weekdays
        base = prepare // 1440 * 1440
        if prepare < minute(workload.start):
            found.append("before the calendar begins")
        if end - start != plate.print_min:
            found.append("a print of the wrong length")
        if not any(base + opens <= prepare and start <= base + closes for opens, closes in hours):
            found.append(f"{item.key}: hands while nobody is there")
        if not workload.overnight and end > base + hours[-1][1]:
            found.append(f"{item.key}: through the night")
        if plate.pinned is not None and start != plate.pinned:
            found.append(f"{item.key}: not where it was put")
        by_machine.setdefault(plate.machine, []).append((start, plate))
    hands = sorted((prepare, start) for prepare, start, _ in times.values())
    found += ["hands in two places" for one, two in itertools.pairwise(hands) if one[1] > two[0]]
    spools = {}
    for plate in plates.values():
        spools.setdefault(plate.spool, []).append(times[plate.key][1:])
    for name, spans in spools.items():
        if name:
            found += ["one spool twice" for a, b in itertools.pairwise(sorted(spans)) if a[1] > b[0]]
    switches = 0
    for machine, listed in by_machine.items():
        ordered = [plate for _, plate in sorted(listed, key=lambda pair: pair[0])]
        if workload.keep_order and ordered != sorted(ordered, key=lambda plate: plate.position):
            found.append("out of the drawn order")
        set_up, free = workload.first.get(machine, ordered[0].arm), 0
        for plate in ordered:
            needs = workload.switches.get((set_up, plate.arm), 0.0) if set_up != plate.arm else 0.0
            switches += needs > 0
            prepare, start, end = times[plate.key]
            if start - prepare < needs + workload.hands_min - 1e-9:
                found.append(f"{plate.key}: too little time to prepare")
            if prepare < free:
                found.append(f"{plate.key}: the machine is busy")
            set_up, free = plate.arm, end
    if switches != timetable.switches:
        found.append("switches counted wrongly")
    if timetable.bound_min > timetable.makespan_min:
        found.append("better than its own bound")
    return found


def random_work(rng):
    arms, machines = rng.randint(1, 3), rng.randint(1, 3)
    plates = [
        PlatePrint(
            key,
            rng.randint(1, machines),
            key,
            rng.randint(20, 260),
            rng.randrange(arms),
            rng.choice(["", "red", "blue"]),
        )
        for key in range(rng.randint(2, 9))
    ]
    switches = {(a, b): float(rng.choice([0, 10, 40])) for a in range(arms) for b in range(arms) if a != b}
    return work(
        plates,
        start=MONDAY + timedelta(hours=rng.randint(0, 60)),
        switches=switches,
        first={machine: rng.randrange(arms) for machine in range(1, machines + 1)},
        hands_min=float(rng.choice([3, 5, 12.5])),
        overnight=rng.random() < 0.4,
        keep_order=rng.random() < 0.6,
    )


class Timetables(unittest.TestCase):
    def test_no_rule_is_ever_broken(self):
        rng = random.Random(8)
        for number in range(25):
            workload = random_work(rng)
            with self.subTest(number):
                self.assertEqual(broken_rules(workload, make_timetable(workload, seconds=0.4)), [])

    def test_no_rule_is_broken_where_the_solver_has_no_time(self):
        rng = random.Random(3)
        for number in range(40):
            workload = random_work(rng)
            made = make_timetable(workload, seconds=1e-6)
            with self.subTest(number):
                self.assertEqual((made.proven, made.bound_min, broken_rules(workload, made)), (False, 0, []))

    def test_the_checker_sees_broken_rules(self):
        workload = work([PlatePrint(1, 1, 0, 100, 0), PlatePrint(2, 1, 1, 100, 1)])
        made = make_timetable(workload, 1.0)
        import dataclasses

        def moved(**values):
            first = dataclasses.replace(made.placed[0], **values)
            return dataclasses.replace(made, placed=(first, *made.placed[1:]))

        early = made.placed[0].start - timedelta(hours=4)
        self.assertTrue(broken_rules(workload, moved(start=early)))
        self.assertTrue(broken_rules(workload, moved(key=2)))

    def test_small_ones_are_as_short_as_trying_every_order(self):
        always = Presence(((0, 1440),), ((0, 1440),))
        rng = random.Random(3)
        for number in range(6):
            plates = [PlatePrint(key, 1 + key % 2, key, rng.randint(30, 90), key % 2) for key in range(5)]
            plates = [PlatePrint(j.key, j.machine, j.position, j.print_min, rng.randrange(2)) for j in plates]
            workload = work(plates, presence=always, overnight=True, keep_order=False)
            made = make_timetable(workload, 3.0)
            with self.subTest(number):
                self.assertEqual(broken_rules(workload, made), [])
                self.assertTrue(made.proven)
                self.assertEqual(made.makespan_min, self.shortest(workload))

    @staticmethod
    def shortest(workload):
        """Least makespan over all orders of handing out the plates, each as early as it can be."""
        best = None
        for order in itertools.permutations(workload.plates):
            free, set_up, busy, end = {1: 0, 2: 0}, dict(workload.first), [], 0
            for plate in order:
                needs = workload.switches.get((set_up[plate.machine], plate.arm), 0.0)
                length = round((needs if set_up[plate.machine] != plate.arm else 0) + workload.hands_min)
                begin = free[plate.machine]
                for from_, until in sorted(busy):
                    if from_ < begin + length and begin < until:
                        begin = until
                busy.append((begin, begin + length))
                free[plate.machine] = begin + length + plate.print_min
                set_up[plate.machine] = plate.arm
                end = max(end, free[plate.machine])
            best = end if best is None else min(best, end)
        return best

    def test_giving_up_the_order_saves_switches_and_says_so(self):
        plates = [PlatePrint(key, 1, key, 60, key % 2) for key in range(6)]
        kept = make_timetable(work(plates), 2.0)
        free = make_timetable(work(plates, keep_order=False), 2.0)
        self.assertEqual((kept.switches, free.switches), (5, 1))
        self.assertIn("drift", " ".join(free.notes))
        self.assertEqual(kept.notes, ())

    def test_a_print_that_is_moved_stays_and_the_rest_goes_round_it(self):
        plates = [PlatePrint(key, 1, key, 100, 0) for key in range(3)]
        workload = work(plates).pinned(1, MONDAY + timedelta(days=2, hours=18))
        made = make_timetable(workload, 2.0)
        self.assertEqual(broken_rules(workload, made), [])
        self.assertEqual(made.placed[1].start, MONDAY + timedelta(days=2, hours=18))

    def test_what_fits_nowhere_is_said_in_a_sentence(self):
        long = [PlatePrint(1, 1, 0, 16 * 60, 0)]
        for workload, words in (
            (work(long), "night"),
            (work([]), "no print left"),
            (work([PlatePrint(1, 1, 0, 60, 1)], switches={(0, 1): 900.0}), "longer than anybody is there"),
            (work([PlatePrint(1, 1, 0, 60, 0)]).pinned(1, MONDAY + timedelta(hours=3)), "take it back"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ValueError, words):
                make_timetable(workload, 1.0)
        self.assertEqual(len(make_timetable(work(long, overnight=True), 1.0).placed), 1)
        self.assertIn("smoke alarm", make_timetable(work(long, overnight=True), 1.0).notes[0])

    def test_sixty_prints_on_four_machines(self):
        rng = random.Random(1)
        plates = [PlatePrint(k, 1 + k % 4, k, rng.randint(60, 180), rng.randrange(2)) for k in range(60)]
        made = make_timetable(work(plates, first=dict.fromkeys(range(1, 5), 0)), 3.0)
        self.assertEqual(broken_rules(work(plates, first=dict.fromkeys(range(1, 5), 0)), made), [])
        self.assertGreater(made.bound_min, 0)

    def test_cancelled_it_gives_nothing(self):
        plates = [PlatePrint(key, 1 + key % 2, key, 90, 0) for key in range(8)]
        with self.assertRaises(CancelledError):
            make_timetable(work(plates), 30.0, stopped())


class Hours(unittest.TestCase):
    def test_as_people_type_them(self):
        self.assertEqual(parse_hours("7:00-8:30, 17-22"), ((420, 510), (1020, 1320)))
        self.assertEqual(parse_hours("17h30–22h"), ((1050, 1320),))
        self.assertEqual(parse_hours("9.15 - 24"), ((555, 1440),))
        self.assertEqual(parse_hours(""), ())

    def test_what_cannot_be_is_refused(self):
        for text in ("evening", "22-7", "9-9", "25-26", "9:70-12", "8-12, 11-13"):
            with self.subTest(text), self.assertRaises(ValueError):
                parse_hours(text)
        with self.assertRaisesRegex(ValueError, "ever there"):
            Presence.parsed("", "")

    def test_windows_run_on_over_the_weekend(self):
        friday = datetime(2026, 12, 4, 18, 0)
        self.assertEqual(PRESENCE.windows(friday, 2), [(18 * 60, 22 * 60), (1440 + 9 * 60, 1440 + 22 * 60)])
        self.assertEqual(PRESENCE.of_day(date(2026, 12, 5)), ((540, 1320),))


class Calendars(unittest.TestCase):
    def test_it_is_read_back_by_another_reading(self):
        from icalendar import Calendar

        made = make_timetable(work([PlatePrint(1, 1, 0, 100, 0), PlatePrint(2, 1, 1, 100, 1)]), 1.0)
        text = as_icalendar(
            made, {1: "run K7M", 2: "run P3R"}, {1: "Marlow"}, "Ümlaut, “;”", MONDAY.replace(tzinfo=UTC)
        )
        events = Calendar.from_ical(text).walk("VEVENT")
        self.assertEqual(len(events), 4)
        prints = {str(item["summary"]): item for item in events}
        self.assertEqual(prints["run K7M prints on Marlow"].decoded("dtstart"), made.placed[0].start)
        self.assertEqual(len({str(item["uid"]) for item in events}), 4)
        # RFC 5545: the stamp is in UTC, the times of a workshop are its own.
        self.assertIn(b"DTSTAMP:20261130T000000Z", text)
        self.assertIsNone(events[0].decoded("dtstart").tzinfo)
        self.assertTrue(any("switch 25 min" in name for name in prints))


class ManyRandom(unittest.TestCase):
    def test_spools_presence_and_pins_together(self):
        rng = random.Random(21)
        for number in range(8):
            workload = random_work(rng)
            free = make_timetable(workload, 0.4)
            # Put one print where it stands anyway: nothing else may have to give way.
            item = rng.choice(free.placed)
            held = workload.pinned(item.key, item.start)
            made = make_timetable(held, 0.6)
            with self.subTest(number):
                self.assertEqual(broken_rules(held, made), [])
                self.assertEqual(next(p.start for p in made.placed if p.key == item.key), item.start)
