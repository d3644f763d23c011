"""What is planned, chosen, written and put together from figures of any size stays as it was approved.

``APPROVE=1 python -m unittest tests.core.test_any_choice`` writes what comes out now.
"""

import unittest
from datetime import timedelta
from itertools import product

from oddtwin.core.confounding.columns import Column, ColumnKind
from oddtwin.core.design import (
    FRACTIONS,
    Cell,
    Design,
    DesignKind,
    DriftGuard,
    Fraction,
    LadderRule,
    Rung,
    SeededOrder,
    advise,
    balanced_blocks,
    design_from_values,
    design_values,
    edge_interval,
    full_factorial,
    latin_square,
    lay_out,
    switch_plans,
    whole_plot_levels,
)
from oddtwin.core.effects import NoiseFloor
from oddtwin.core.known import (
    Effect,
    Found,
    KeptFloor,
    TwinsSeen,
    floor_row,
    floors_json,
    known_json,
    noise_floors,
    random_effects,
    what_is_known,
)
from oddtwin.core.quantities import (
    after_p,
    convert,
    decimals_for,
    format_clock,
    format_digits,
    format_minutes,
    format_number,
    format_p,
    format_reading,
    format_signed,
    half_way,
    number_in,
    parse_day,
    parse_number,
    parse_quantity,
)
from oddtwin.core.schedule import PlatePrint, Presence, Workload, as_icalendar, greedy_starts, parse_hours
from oddtwin.core.schedule.timetable import Placed, Timetable
from oddtwin.core.tradeoff import Axis, Line, by_priorities, payback, undominated, winners
from oddtwin.core.tradeoff.figure import mean_figure, noise_of
from tests.builders import NOON
from tests.core.stays import Stays, tried

TYPED = (
    "12", "1,250", "1.250,5", "1 250", "0,5", ".5", "-3", "−3", "+3", "1e3", "1e12", "3 min", "1:30",
    "1:02:03", "2 h 5 min", "45s", "3 mm", "0.2mm", "1/2", "12 %", "40 g", "1.2 kg", "nan", "inf", "",
    "x", "1,2,3", "12..15",
)  # fmt: skip
DAYS = ("2026-03-09", "9.3.2026", "3/9/2026", "9 March 2026", "2026-02-30", "09.03.26", "2026-03-09 14:30",
        "2026-03-09T14:30+01:00", "9.3.2026 7:05", "14:30", "", "today")  # fmt: skip
HOURS = ("7-9, 17-23", "0-24", "8:30-12:15", "", "22-6", "9-8-7", "25-26", "7 to 9", "9-12,11-14")


class AnyChoice(Stays):
    def test_what_is_typed_and_written(self):
        units = ("mm", "g", "min", "s", "h", "%", "", "µm", "°C", "N")
        told = [
            (
                f"typed {text}",
                "",
                [tried(parse_quantity, text, unit) for unit in units]
                + [tried(parse_number, text, doubted) for doubted in (",", ".", "")]
                + [number_in(text), half_way(text, "0.4 mm"), half_way("10", text)],
            )
            for text in TYPED
        ]
        told += [
            (f"day {text}", "", [tried(parse_day, text, first) for first in (None, True, False)])
            for text in DAYS
        ]
        told += [(f"hours {text}", "", tried(parse_hours, text)) for text in HOURS]
        figures = [
            sign * digits * 10.0**power
            for sign in (1, -1)
            for digits in (1.0, 2.345, 9.9995)
            for power in range(-7, 10, 2)
        ]
        for value in (0.0, *figures):
            words = [
                format_number(value),
                format_number(value, 2),
                format_reading(value),
                format_signed(value, 1),
            ]
            words += [format_digits(value, 2), format_minutes(value), format_clock(abs(value))]
            told.append((f"{value:.4g}", " | ".join(words), (decimals_for(abs(value)), format_p(abs(value)))))
        told += [
            (f"p {p}", "", (format_p(p), after_p(p)))
            for p in (None, 0.0, 1e-9, 0.0004, 0.0499, 0.05, 0.5, 1.0)
        ]
        told += [(f"unit {one}", "", [tried(convert, 7.0, one, other) for other in units]) for one in units]
        self.stays("made-words", told)

    def test_ladders(self):
        def make(rng):
            levels = rng.choice((2, 3, 5, 9))
            names = [f"{10 * n}" for n in range(levels)]
            rungs = [
                Rung(rng.randrange(levels), rng.random() < 0.6, rng.random() < 0.8)
                for _ in range(rng.choice((0, 1, 2, 4, 9)))
            ]
            # Two and three of one kind prove more than one.
            rungs += [rung for rung in rungs if rng.random() < 0.4]
            return [advise(rule, names, rungs) for rule in LadderRule], edge_interval(levels, rungs)

        self.made("made", "ladders", make, 160, 10)

    def test_orders(self):
        def make(rng):
            kind = rng.choice(list(DesignKind))
            levels = rng.choice(((2,), (3,), (5,), (2, 2), (2, 3), (2,) * 4, (2,) * 6))
            design = Design(
                kind,
                levels,
                rng.choice(list(DriftGuard)),
                rng.choice(list(LadderRule)),
                rng.choice((1, 1, 2, 3)),
                rng.choice((0, 1, 2)),
                rng.randrange(len(levels)),
                rng.choice((2, 3, 4)),
                rng.random() < 0.2,
                rng.choice((1, 1, 2)),
                rng.random() < 0.5,
                rng.choice((0, 0, 2, 3)),
                rng.choice((1, 2)),
                rng.random() < 0.3,
            )
            cells = [Cell(*some) for some in ((1, 1), (2, 1), (1, 2))[: rng.choice((1, 1, 2, 3))]]
            laid = tried(lay_out, design, cells, rng.choice((1, 2, 4)), rng.choice((0, 1)), rng.randrange(99))
            same = design_from_values(design_values(design)) == design
            names = [f"factor {n}" for n in range(len(levels))]
            order = SeededOrder(rng.randrange(99))
            return (
                laid,
                same,
                tried(design.aliases, names),
                design.no_twins,
                design.resolution,
                [
                    tried(balanced_blocks, rng.choice((3, 4, 7)), rng.choice((2, 3))),
                    latin_square(rng.choice((2, 3, 5)), order),
                    whole_plot_levels(2, rng.choice((2, 3, 5)), order),
                    order.code({"AB"}),
                    order.shuffled(range(6)),
                    full_factorial(levels[:3]),
                    switch_plans(
                        [float(rng.randint(0, 40)) for _ in range(rng.choice((2, 3)))], rng.choice((None, 6))
                    ),
                ],
            )

        self.made("made", "orders", make, 120, 10)
        fractions = [
            (f"{factors} {p}", "", (one.combinations(), one.defining_words(), one.resolution, one.aliases()))
            for factors, p in FRACTIONS
            for one in (Fraction(factors, FRACTIONS[factors, p]),)
        ]
        self.stays("made-fractions", fractions)

    def test_hours_and_timetables(self):
        def make(rng):
            presence = Presence.parsed(rng.choice(HOURS[:3]), rng.choice(HOURS[:4]))
            plates = tuple(
                PlatePrint(
                    n,
                    1 + n % 2,
                    n,
                    rng.choice((20, 90, 400)),
                    rng.randint(0, 2),
                    rng.choice(("", "lot 1", "lot 2")),
                    rng.choice((None, None, None, 600 * n)),
                )
                for n in range(rng.choice((1, 3, 7)))
            )
            work = Workload(
                plates,
                NOON,
                presence,
                {(a, b): 15.0 for a in range(3) for b in range(3) if a != b},
                {1: 0, 2: 1},
                rng.choice((2.0, 10.0)),
                rng.random() < 0.4,
                rng.random() < 0.7,
            )
            starts = tried(greedy_starts, work)
            placed = tuple(
                Placed(
                    one.key,
                    one.machine,
                    at,
                    at + timedelta(minutes=5),
                    at + timedelta(minutes=one.print_min),
                    5.0,
                )
                for one in plates
                for at in (NOON + timedelta(hours=3 * one.key),)
            )
            table = Timetable(placed, 900, rng.choice((0, 450, 900)), 2, False)
            titles = {one.key: f"R{one.key}, {'ring ' * 12}" for one in plates}
            written = as_icalendar(
                table, titles, {1: "Marlow", 2: "Heron"}, "Ring; dried, or not", NOON
            ).decode()
            return (
                starts,
                table.gap,
                presence.windows(NOON, 3),
                presence.waking(NOON, 3),
                written,
                [
                    work.switch_min(before, one) + work.widest_prepare_min(one, plates)
                    for before, one in zip((None, *plates), plates, strict=False)
                ],
            )

        self.made("made", "hours", make, 60, 10)

    def test_columns_of_what_was_recorded(self):
        told = []
        for kind, count, distinct in product(ColumnKind, (2, 3, 4, 5, 8), range(1, 6)):
            column = Column("lot", kind, tuple(f"{n % distinct}" if n else "" for n in range(count)))
            told.append((column.levels, column.repeats, column.of((0, 1)).repeats))
        self.stays("made-columns", [("columns", "", told)])

    def test_what_is_worth_it(self):
        def make(rng):
            axes = [
                Axis("a", "time", "min", rng.choice((1, -1)), rng.choice((0.0, 1.0))),
                Axis("b", "mass", "g"),
            ]
            arms = {
                name: {one.key: rng.randint(0, 12) / 2 for one in axes}
                for name in "ABCDE"[: rng.randint(1, 5)]
            }
            lines = [Line(name, rng.randint(0, 20) / 2, rng.randint(0, 8) / 4) for name in arms]
            read = [
                [rng.randint(0, 16) / 8 for _ in range(rng.choice((1, 2, 5)))]
                for _ in range(rng.choice((1, 3)))
            ]
            saving = rng.choice((None, 0.0, 0.25, -1.0, 3.0))
            ends = (
                None
                if saving is None
                else rng.choice((None, (saving - 1, saving + 1), (saving / 2, saving * 2)))
            )
            paid = payback(rng.choice((0.0, 12.5, 300.0)), saving, ends, rng.choice((0.0, 45.0)))
            words = [paid.sentence("dried", "€", a_month) for a_month in (0.0, 20.0)]
            return (
                tried(undominated, arms, axes),
                tried(by_priorities, arms, axes),
                winners(lines),
                winners(lines, 4.0),
                noise_of(read),
                mean_figure(read[0]),
                paid,
                paid.hours,
                words,
            )

        self.made("made", "worth", make, 120, 10)

    def test_what_is_known(self):
        def make(rng):
            found = []
            for study in range(rng.choice((1, 2, 5))):
                value = rng.randint(-16, 16) / 8
                ends = value - rng.choice((0.25, 2.0)), value + rng.choice((0.25, 2.0))
                before, after = rng.choice((("wet", "dry"), ("dry", "wet"), ("4", "6")))
                effect = Effect(
                    "drying",
                    before,
                    after,
                    rng.choice(("sag", "mass")),
                    "mm",
                    rng.choice(("Marlow", "Heron")),
                    "Ring",
                    rng.choice(("", "lot 1")),
                    value,
                    *ends,
                    rng.choice(("twin", "change")),
                    rng.choice(("lower", "higher", "")),
                    rng.random() < 0.2,
                )
                found.append(Found(study, f"study {study}", NOON + timedelta(days=study), effect))
            seen = [
                TwinsSeen(
                    "sag",
                    "mm",
                    rng.choice(("Marlow", "Heron")),
                    "Ring",
                    rng.choice(("", "caliper")),
                    f"study {n}",
                    NOON + timedelta(days=9 * n),
                    rng.choice((0.0, 0.5, 4.0)),
                    rng.choice((1.0, 4.0)),
                )
                for n in range(rng.choice((1, 2, 6)))
            ]
            known, floors = what_is_known(found), noise_floors(seen)
            kept = KeptFloor(
                "sag",
                "mm",
                "Marlow",
                "Ring",
                "",
                NoiseFloor(0.5, 3),
                2,
                NOON,
                rng.choice((None, 2.5)),
                rng.choice((None, 0.001, 0.3)),
                rng.choice((1, 4)),
            )
            later = NOON + timedelta(days=rng.choice((10, 400)))
            estimates = [rng.randint(-8, 8) / 4 for _ in range(rng.choice((1, 2, 3, 8)))]
            variances = [rng.choice((0.0625, 0.25, 1.0)) for _ in estimates]
            return (
                known_json(known),
                [(one.sentence, one.contradicts) for one in known],
                floors_json(floors),
                [floor_row(one, later) for one in (*floors, kept)],
                kept.moved,
                kept.drift,
                tried(random_effects, estimates, variances),
            )

        self.made("made", "known", make, 80, 10)


if __name__ == "__main__":
    unittest.main()
