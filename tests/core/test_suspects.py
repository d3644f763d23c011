"""Finding the fault: held against every labelling, against Fisher's exact test, and played to the end."""

import random
import unittest
from itertools import combinations, product

from scipy.stats import fisher_exact

from oddtwin.core.calibrate import JOBS, CalibrationError, calibration

JOB = next(one for one in JOBS if one.name == "fault")
NAMES = ("machine", "filament", "colour", "part", "file", "setting")


def found(rows, suspects=NAMES, **options):
    """Rows of values and an outcome, and maybe minutes."""
    head = ",".join([*suspects, "came_out", "print_min"])
    lines = [",".join(map(str, row if len(row) > len(suspects) + 1 else [*row, ""])) for row in rows]
    return calibration(JOB, "\n".join([head, *lines]), options)


def causes(result):
    return {row["cause"] for row in result.table}


class Causes(unittest.TestCase):
    def test_one_suspect_that_is_always_there_and_never_without(self):
        rows = [("chalk", "bad")] * 4 + [("slate", "good")] * 5
        result = found(rows, ["filament"])
        self.assertEqual(result.sentence, "Only filament chalk: bad 4 of 4, 0 of 5 without it.")
        # Fisher's exact test: reference library from the registry, scipy.
        self.assertAlmostEqual(
            result.more["luck"], fisher_exact([[4, 0], [0, 5]], alternative="greater").pvalue, places=12
        )
        self.assertEqual(result.warnings, ())

    def test_pair_that_neither_makes_alone(self):
        rows = (
            [("Tarn", "chalk", "bad")] * 2
            + [("Tarn", "slate", "good")] * 3
            + [("Marlow", "chalk", "good")] * 3
        )
        result = found(rows, ["machine", "filament"])
        self.assertEqual(
            result.sentence,
            "Only machine Tarn with filament chalk: bad 2 of 2; 0 of 3 with machine Tarn otherwise; "
            "0 of 3 with filament chalk otherwise: the pair.",
        )

    def test_repeats_that_contradict_clear_nothing(self):
        rows = [("Tarn", "bad"), ("Tarn", "good"), ("Tarn", "good"), ("Marlow", "good")]
        result = found(rows, ["machine"])
        self.assertIn("Intermittent: machine Tarn was bad 1 of 3 times", result.sentence)
        # (2/3)^8 is the first below 0.05.
        self.assertIn("after 8 good prints in a row", result.advice)
        self.assertTrue(result.more["intermittent"])

    def test_what_never_varied_is_neither_blamed_nor_cleared(self):
        result = found([("Tarn", "chalk", "bad"), ("Tarn", "slate", "good")], ["machine", "filament"])
        self.assertEqual(causes(result), {"filament chalk"})
        self.assertIn("neither cleared nor blamed: machine Tarn", result.warnings[-1])

    def test_every_print_bad_points_to_what_was_not_swapped(self):
        result = found([("Tarn", "a", "bad"), ("Marlow", "b", "bad")], ["machine", "filament"])
        self.assertIn("whatever was swapped", result.sentence)
        self.assertEqual(result.table, ())

    def test_two_faults_are_not_forced_into_one(self):
        rows = [("A", "x", "bad"), ("B", "y", "bad"), ("A", "y", "good"), ("B", "x", "good")]
        self.assertIn("two faults", found(rows, ["machine", "part"]).sentence)

    def test_the_way_a_word_is_typed_makes_no_other_filament(self):
        rows = [("chalk  white", "bad"), ("Chalk white", "bad"), ("slate", "good")]
        self.assertEqual(found(rows, ["filament"]).table[0]["of"], 2)

    def test_refused_with_a_sentence(self):
        for rows, said in (
            ([("Tarn", "good")], "No print was bad yet"),
            ([("Tarn", "bad"), ("Tarn", "bad")], "All prints are alike"),
            ([("", "bad")], "All prints are alike"),
            ([("Tarn", "bad"), ("", "good")], "Line 3 does not say which machine"),
            ([("Tarn", "bad"), ("Marlow", "maybe")], "“maybe” is neither good nor bad"),
        ):
            with self.subTest(said), self.assertRaisesRegex(CalibrationError, said):
                found(rows, ["machine"])


class Swaps(unittest.TestCase):
    def test_of_swaps_that_tell_as_much_the_quickest_is_proposed(self):
        rows = [("Tarn", "brass", "bad", 30), ("Marlow", "steel", "good", 30)]
        quick, slow = (
            found(rows, ["machine", "part"], swap_machine=one, swap_part=61 - one).advice.replace(
                "\u202f", " "
            )
            for one in (1.0, 60.0)
        )
        # Three causes are left; either half swap rules out one or two. The last print was Marlow with steel.
        self.assertIn("next (about 31 min): machine Tarn, part steel", quick)
        self.assertIn("next (about 31 min): machine Marlow, part brass", slow)

    def test_a_good_print_clears_what_it_has_alone_and_in_pairs(self):
        rows = [("m0", "p0", "bad"), ("m1", "p1", "good"), ("m0", "p1", "good"), ("m1", "p0", "bad")]
        self.assertEqual(causes(found(rows, ["machine", "part"])), {"part p0"})

    def test_thousands_of_values_are_no_thousand_million_settings(self):
        rows = [tuple(f"{name} {at}" for name in NAMES) for at in range(200)]
        result = found([(*row, "good" if at else "bad") for at, row in enumerate(rows)])
        self.assertEqual(len(result.table), 21)
        # Four that the bad print had: they are in 4 single causes and 6 pairs, 10 of 21.
        self.assertEqual(sum(value.endswith(" 0") for value in self.proposed(result.advice)), 4)

    def test_following_the_swaps_finds_every_single_cause_and_every_pair(self):
        """Six suspects that differ between a good and a bad set-up: 21 causes, so 4.4 prints at least."""
        taken = []
        for size in (1, 2):
            for numbers in combinations(range(6), size):
                cause = {number: f"{NAMES[number]} old" for number in numbers}
                rows = [tuple(f"{name} old" for name in NAMES), tuple(f"{name} new" for name in NAMES)]
                rows = [(*rows[0], "bad"), (*rows[1], "good")]
                for _ in range(20):
                    result = found(rows)
                    self.assertIn(self.named(cause), causes(result))
                    if len(result.table) == 1:
                        break
                    setting = self.proposed(result.advice)
                    bad = all(setting[number] == value for number, value in cause.items())
                    rows.append((*setting, "bad" if bad else "good"))
                self.assertEqual(causes(result), {self.named(cause)})
                taken.append(len(rows) - 2)
        self.assertLess(sum(taken) / len(taken), 4.6)
        self.assertLessEqual(max(taken), 5)

    @staticmethod
    def named(cause):
        return " with ".join(f"{NAMES[number]} {value}" for number, value in cause.items())

    @staticmethod
    def proposed(advice):
        parts = advice.partition(": ")[2].partition(".")[0].split(", ")
        return tuple(part.removeprefix(f"{name} ") for part, name in zip(parts, NAMES, strict=True))

    def test_luck_is_the_share_of_labellings_that_leave_some_cause(self):
        draw = random.Random(3)
        for case in range(6):
            settings = [tuple(draw.choice("abc"[: 2 + case % 2]) for _ in range(3)) for _ in range(7)]
            number = 2 + case % 3
            labelled = [
                [(*one, "bad" if at in which else "good") for at, one in enumerate(settings)]
                for which in combinations(range(7), number)
            ]
            # By hand: every labelling is held against every single value and every pair of values.
            agree = sum(self.some_cause(rows) for rows in labelled)
            lucks = {
                result.more["luck"]
                for result in (found(rows, NAMES[:3]) for rows in labelled)
                if not result.more["intermittent"]
            }
            if lucks:
                with self.subTest(case=case):
                    self.assertEqual(len(lucks), 1)
                    self.assertAlmostEqual(lucks.pop(), agree / len(labelled), places=12)

    @staticmethod
    def some_cause(rows):
        bad = [row[3] == "bad" for row in rows]
        for size in (1, 2):
            for numbers in combinations(range(3), size):
                for values in product("abc", repeat=size):
                    if [
                        all(row[n] == v for n, v in zip(numbers, values, strict=True)) for row in rows
                    ] == bad:
                        return True
        return False
