"""Every branch and boundary of the verdict rule."""

import math
import unittest

from oddtwin.core.decide import Verdict, judge
from oddtwin.core.readings import Better

LOW, HIGH, TARGET = Better.LOWER, Better.HIGHER, Better.TARGET


class Rule(unittest.TestCase):
    def check(self, ci95, ci90, margin, better, verdict):
        with self.subTest(ci95=ci95, ci90=ci90, margin=margin, better=better):
            self.assertEqual(judge(ci95, ci90, margin, better).value, verdict)

    def test_wholly_beyond_the_margin_is_odd(self):
        for ci95, better, verdict in (
            ((1.1, 3.0), LOW, "odd-worse"),
            ((1.1, 3.0), HIGH, "odd-better"),
            ((1.1, 3.0), TARGET, "odd-worse"),
            ((1.1, 3.0), None, "odd"),
            ((-3.0, -1.1), LOW, "odd-better"),
            ((-3.0, -1.1), HIGH, "odd-worse"),
            ((-3.0, -1.1), TARGET, "odd-better"),
            ((-3.0, -1.1), None, "odd"),
        ):
            self.check(ci95, ci95, 1.0, better, verdict)

    def test_a_difference_as_large_as_the_margin_matters(self):
        self.check((1.0, 3.0), (1.2, 2.8), 1.0, LOW, "odd-worse")
        self.check((math.nextafter(1.0, 0), 3.0), (1.2, 2.8), 1.0, LOW, "leaning-worse")
        self.check((-3.0, -1.0), (-2.8, -1.2), 1.0, LOW, "odd-better")
        self.check((-3.0, math.nextafter(-1.0, 0)), (-2.8, -1.2), 1.0, LOW, "leaning-better")

    def test_straddling_the_margin_leans(self):
        for ci95, better, verdict in (
            ((0.5, 2.0), LOW, "leaning-worse"),
            ((0.5, 2.0), HIGH, "leaning-better"),
            ((0.5, 2.0), None, "leaning"),
            ((-2.0, -0.5), LOW, "leaning-better"),
            ((-2.0, -0.5), HIGH, "leaning-worse"),
            ((-2.0, -0.5), TARGET, "leaning-better"),
            ((-2.0, -0.5), None, "leaning"),
        ):
            self.check(ci95, ci95, 1.0, better, verdict)

    def test_ninety_percent_inside_is_twin(self):
        self.check((-0.6, 0.8), (-0.4, 0.6), 1.0, LOW, "twin")
        # The 95 % interval may reach beyond the margin, or exclude zero.
        self.check((-1.2, 0.9), (-0.9, 0.7), 1.0, LOW, "twin")
        self.check((0.1, 0.9), (0.2, 0.8), 1.0, HIGH, "twin")
        self.check((-0.9, -0.1), (-0.8, -0.2), 1.0, None, "twin")

    def test_touching_the_margin_is_not_inside_it(self):
        self.check((-0.6, 1.2), (-0.4, 1.0), 1.0, LOW, "undecided")
        self.check((-1.2, 0.6), (-1.0, 0.4), 1.0, LOW, "undecided")
        self.check((-0.6, 1.2), (-0.4, math.nextafter(1.0, 0)), 1.0, LOW, "twin")

    def test_touching_zero_does_not_exclude_it(self):
        self.check((0.0, 2.0), (0.2, 1.8), 1.0, LOW, "undecided")
        self.check((-2.0, 0.0), (-1.8, -0.2), 1.0, LOW, "undecided")
        self.check((math.ulp(0.0), 2.0), (0.2, 1.8), 1.0, LOW, "leaning-worse")

    def test_neither_is_undecided(self):
        self.check((-2.0, 3.0), (-1.5, 2.5), 1.0, LOW, "undecided")
        self.check((-math.inf, math.inf), (-math.inf, math.inf), 1.0, LOW, "undecided")

    def test_without_a_margin_nothing_is_twin_or_odd(self):
        self.check((5.0, 6.0), (5.1, 5.9), None, LOW, "leaning-worse")
        self.check((-6.0, -5.0), (-5.9, -5.1), None, LOW, "leaning-better")
        self.check((5.0, 6.0), (5.1, 5.9), None, None, "leaning")
        self.check((-1e-9, 1e-9), (-1e-10, 1e-10), None, LOW, "undecided")

    def test_without_intervals_nothing_is_decided(self):
        for margin in (None, 1.0):
            self.check(None, None, margin, LOW, "undecided")
            self.check((5.0, 6.0), None, margin, LOW, "undecided")
            self.check(None, (5.0, 6.0), margin, LOW, "undecided")

    def test_open_ends(self):
        self.check((2.0, math.inf), (2.5, math.inf), 1.0, HIGH, "odd-better")
        self.check((0.5, math.inf), (0.7, math.inf), 1.0, HIGH, "leaning-better")
        self.check((-math.inf, -2.0), (-math.inf, -2.5), 1.0, HIGH, "odd-worse")

    def test_odd_twin_and_mixed_are_settled(self):
        settled = {verdict.value for verdict in Verdict if verdict.settled}
        self.assertEqual(settled, {"odd", "odd-better", "odd-worse", "twin", "not-worse", "mixed"})

    def test_mirrored_intervals_give_mirrored_verdicts(self):
        mirror = {"better": "worse", "worse": "better"}
        cases = ((1.1, 3.0), (1.0, 3.0), (0.5, 2.0), (0.0, 2.0), (-0.5, 0.9), (-2.0, 3.0))
        for low, high in cases:
            for margin in (1.0, None):
                one = judge((low, high), (low, high), margin, LOW).value
                other = judge((-high, -low), (-high, -low), margin, LOW).value
                stem, _, side = one.partition("-")
                self.assertEqual(other, f"{stem}-{mirror[side]}" if side else stem)
