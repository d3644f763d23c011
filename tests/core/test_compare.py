"""Which method is used when, and what goes into it."""

import math
import unittest

import numpy as np

from oddtwin.core.effects import Measure, NoiseFloor, compare
from oddtwin.core.readings import Better, Reading, ResponseKind
from tests.builders import SHOES_A, SHOES_B, compared, groups, pairs


class Methods(unittest.TestCase):
    def test_two_pairs_or_more_are_compared_in_pairs(self):
        result = compared(pairs(SHOES_A, SHOES_B), margin=0.5)
        self.assertEqual(result.inference.method, "paired t")
        self.assertEqual((result.n_baseline, result.n_change, result.n_pairs), (10, 10, 10))
        self.assertAlmostEqual(result.estimate, 0.41)
        self.assertAlmostEqual(result.percent, 100 * 0.41 / 10.63)
        self.assertEqual(result.permutation.p, 14 / 1024)
        self.assertAlmostEqual(result.inference.p_equivalence, 0.2404913906, places=7)

    def test_large_groups_without_pairs_are_compared_by_welch(self):
        result = compared(groups(SHOES_A, SHOES_B))
        self.assertEqual(result.inference.method, "Welch t")
        self.assertIsNone(result.n_pairs)
        self.assertIsNone(result.inference.p_equivalence)

    def test_one_pair_needs_a_noise_floor(self):
        without = compared(pairs([10.0], [8.0]), margin=1.0)
        self.assertIsNone(without.inference.ci95)
        self.assertIsNone(without.permutation)
        known = compared(pairs([10.0], [8.0]), margin=1.0, noise=NoiseFloor(0.2, 12))
        self.assertEqual(known.inference.method, "noise floor")
        # t(0.975, 12) = 2.178813 (any t table).
        half = 2.178813 * 0.2 * math.sqrt(2)
        np.testing.assert_allclose(known.inference.ci95, (-2 - half, -2 + half), atol=1e-6)

    def test_one_print_against_twins_uses_their_own_scatter(self):
        rows = [Reading("A", v, pair="1", run=f"a{v}") for v in (9.0, 10.0, 11.0)]
        rows.append(Reading("B", 20.0, pair="1", run="b"))
        result = compared(rows)
        self.assertEqual(result.inference.method, "noise floor")
        self.assertEqual(result.noise, NoiseFloor(1.0, 2))
        low, high = result.inference.ci95
        self.assertAlmostEqual((high - low) / 2, 4.302653 * math.sqrt(1 + 1 / 3), places=5)

    def test_a_noise_floor_of_zero_judges_nothing(self):
        result = compared(pairs([10.0], [8.0]), noise=NoiseFloor(0.0, 5))
        self.assertIsNone(result.inference.ci95)

    def test_twins_found_are_pooled_with_the_known_floor(self):
        rows = [
            Reading("A", 10.0, pair="1", run="a1"),
            Reading("A", 12.0, pair="1", run="a2"),
            Reading("B", 11.0, pair="1", run="b"),
        ]
        result = compared(rows, noise=NoiseFloor(1.0, 3))
        self.assertEqual(result.noise.df, 4)
        self.assertAlmostEqual(result.noise.sd, math.sqrt((3 * 1 + 1 * 2) / 4))

    def test_an_empty_arm_gives_no_estimate(self):
        result = compared([Reading("A", 1.0, pair="1", run="a")])
        self.assertIsNone(result.estimate)
        self.assertIsNone(result.percent)
        self.assertIsNone(result.inference.ci95)

    def test_grades_use_exact_tests_and_cliffs_delta(self):
        paired = compared(pairs([2.0] * 8, [1.0] * 7 + [2.0], kind=ResponseKind.GRADE), margin=0.5)
        self.assertIn("sign test", paired.inference.method)
        # One of eight pairs is alike: 2·(1 + 8)/256.
        self.assertAlmostEqual(paired.inference.p_difference, 18 / 256)
        self.assertAlmostEqual(paired.estimate, -1.0)
        self.assertIsNone(paired.percent)
        self.assertAlmostEqual(paired.cliff.delta, -7 / 8)
        unpaired = compared(groups([0.0, 1.0, 1.0], [3.0, 4.0, 4.0], kind=ResponseKind.GRADE))
        self.assertIn("rank sum", unpaired.inference.method)
        self.assertAlmostEqual(unpaired.inference.p_difference, 2 / 8)
        self.assertIsNone(compared(pairs([1.0, 2.0], [1.5, 2.0])).cliff)

    def test_grade_intervals_stay_within_the_scale(self):
        result = compared(pairs([2.0, 2.0], [0.0, 1.0], kind=ResponseKind.GRADE))
        self.assertEqual(result.inference.ci95, (-4.0, 4.0))


class NoScatter(unittest.TestCase):
    def test_equal_differences_are_no_certainty(self):
        few = compared(pairs([10.0, 11.0, 12.0], [8.0, 9.0, 10.0]), margin=1.0).inference
        # The rounding of whole numbers does not average out: t(0.975, 2) = 4.302653 times 1/√6.
        half = 4.302653 / math.sqrt(6)
        np.testing.assert_allclose(few.ci95, (-2 - half, -2 + half), atol=1e-6)
        self.assertIn("no scatter", few.method)
        fine = compared(pairs([10.0, 11.0, 12.0], [8.0, 9.0, 10.0]), margin=1.0, step=0.1).inference
        self.assertEqual(fine.ci95, few.ci95)
        written = compared(pairs([10.1, 11.1, 12.1], [8.1, 9.1, 10.1]), margin=1.0).inference
        np.testing.assert_allclose(written.ci95, (-2 - half / 10, -2 + half / 10), atol=1e-6)

    def test_scatter_below_the_step_of_the_instrument_is_not_believed(self):
        close = pairs([20.0, 20.01, 20.0, 20.0], [21.0, 21.0, 21.01, 21.0])
        fine, coarse = (compared(close, step=step).inference for step in (None, 1.0))
        self.assertLess(fine.sd, 0.01)
        # A rectangle of one gram: 1/√12 (GUM; from memory).
        self.assertAlmostEqual(coarse.sd, 1 / math.sqrt(12))

    def test_equal_prints_without_pairs(self):
        few = compared(groups([5.0, 5.0], [5.0, 5.0]), margin=1.0).inference
        self.assertGreater(few.p_equivalence, 0.05)
        many = compared(groups([5.0] * 6, [5.0] * 6), margin=1.0).inference
        self.assertLess(many.p_equivalence, 0.05)


class Ratios(unittest.TestCase):
    def test_shoes(self):
        # MASS::shoes, t.test of log(B/A), computed with R 4.2.2.
        result = compared(pairs(SHOES_A, SHOES_B)).inference
        self.assertAlmostEqual(result.ratio, 1.037754, places=6)
        np.testing.assert_allclose(result.ratio_ci95, (1.010356, 1.065896), atol=5e-7)

    def test_nothing_has_no_ratio(self):
        self.assertIsNone(compared(pairs([0.0, 1.0, 2.0], [1.0, 2.0, 4.0])).inference.ratio)
        aimed = compared(pairs([1.0, 1.5], [2.0, 2.2]), better=Better.TARGET, target=1.0)
        self.assertIsNone(aimed.inference.ratio)


class Counting(unittest.TestCase):
    def test_incomplete_pairs_do_not_enter(self):
        rows = [*pairs([1.0, 2.0, 4.0], [2.0, 4.0, 5.0]), Reading("A", 1000.0, pair="9", run="x")]
        result = compared(rows)
        self.assertEqual((result.n_baseline, result.n_pairs), (3, 3))
        self.assertAlmostEqual(result.estimate, 4 / 3)

    def test_set_aside_prints_change_no_figure(self):
        clean = compared(pairs(SHOES_A, SHOES_B))
        rows = [*pairs(SHOES_A, SHOES_B), Reading("B", 99.0, pair="1", run="z", set_aside="fell over")]
        spoilt = compared(rows)
        self.assertEqual(spoilt.inference, clean.inference)
        self.assertEqual(len(spoilt.prints.set_aside), 1)

    def test_repeating_every_reading_changes_nothing(self):
        once = pairs(SHOES_A, SHOES_B)
        self.assertEqual(compared(once).inference, compared([*once, *once]).inference)

    def test_percent_only_of_a_baseline_above_zero(self):
        self.assertIsNone(compared(pairs([0.0, 0.0], [1.0, 2.0])).percent)
        self.assertIsNone(compared(pairs([-1.0, -2.0], [1.0, 2.0])).percent)
        self.assertAlmostEqual(compared(pairs([2.0, 4.0], [3.0, 4.0])).percent, 100 / 6)

    def test_estimate_is_change_minus_baseline(self):
        forward = compared(pairs([1.0, 2.0, 4.0], [5.0, 7.0, 8.0]), margin=1.0)
        rng = np.random.default_rng(1)
        back = compare(pairs([1.0, 2.0, 4.0], [5.0, 7.0, 8.0]), Measure("B", "A", margin=1.0), rng)
        self.assertAlmostEqual(forward.estimate, -back.estimate)
        self.assertAlmostEqual(forward.inference.ci95[0], -back.inference.ci95[1])
        self.assertAlmostEqual(forward.inference.p_difference, back.inference.p_difference)


class Asked(unittest.TestCase):
    def test_impossible_questions_are_refused(self):
        for margin in (0.0, -1.0, math.nan, math.inf):
            with self.subTest(margin), self.assertRaises(ValueError):
                Measure("A", "B", margin=margin)
        with self.assertRaises(ValueError):
            Measure("A", "B", better=Better.TARGET)
        with self.assertRaises(ValueError):
            Measure("A", "B", target=1.0)
        with self.assertRaises(ValueError):
            compared([])

    def test_values_too_small_to_be_readings_are_taken_as_zero(self):
        for rows in (
            pairs([1e-300, 2e-300, 3e-300], [4e-300, 1e-300, 9e-300]),
            groups([5e-324, 0.0], [0.0, 1e-200]),
            pairs([0.0, 1e-40, 0.0], [1e-40, 0.0, 3e-40]),
        ):
            result = compared(rows, margin=1.0, noise=NoiseFloor(1e-300, 2))
            self.assertTrue(0 <= result.inference.p_difference <= 1)
        self.assertIsNone(compared(pairs([1.0], [2.0]), noise=NoiseFloor(1e-300, 2)).inference.ci95)

    def test_very_many_prints_are_compared_within_memory_and_patience(self):
        rng = np.random.default_rng(3)
        many = rng.normal(10, 1, 30_000)
        grades = rng.integers(0, 5, 4_000).astype(float)
        for rows in (
            pairs(many, many + rng.normal(0.5, 1, len(many))),
            pairs(grades, np.clip(grades - rng.integers(0, 3, len(grades)), 0, 4), kind=ResponseKind.GRADE),
            groups(grades, grades[:3_000] / 2, kind=ResponseKind.GRADE),
        ):
            result = compared(rows, margin=0.2)
            self.assertLess(result.inference.p_difference, 1e-5)
            self.assertLess(result.permutation.p, 1e-3)

    def test_two_prints_a_side_know_their_own_scatter(self):
        # A small difference under a scatter of 0.8 is not settled by one print more.
        for rows in (groups([10.0, 11.0], [10.0, 11.2]), pairs([10.0, 11.0], [11.2, 10.2])):
            self.assertGreater(compared(rows, margin=0.5).further.count, 10)

    def test_odd_mixtures_never_fail_and_intervals_nest(self):
        rng = np.random.default_rng(9)
        for _ in range(60):
            grade = ResponseKind.GRADE if rng.random() < 0.3 else ResponseKind.QUANTITY
            rows = [
                Reading(
                    arm=str(rng.choice(["A", "B", "C"])),
                    value=float(rng.integers(0, 5)) if rng.random() < 0.8 else None,
                    pair=str(rng.integers(0, 4)) if rng.random() < 0.7 else "",
                    machine=str(rng.choice(["", "M"])),
                    run=str(rng.choice(["", "1", "2"])),
                    zone=str(rng.choice(["", "rim"])),
                    kind=grade,
                    set_aside="x" if rng.random() < 0.1 else "",
                )
                for _ in range(rng.integers(1, 14))
            ]
            result = compared(rows, margin=1.0)
            if result.inference.ci95 is not None:
                (low, high), (inner_low, inner_high) = result.inference.ci95, result.inference.ci90
                self.assertTrue(low <= inner_low <= inner_high <= high)
                self.assertTrue(low <= result.estimate <= high)

    def test_extreme_values_stay_finite(self):
        for scale in (1e-12, 1e-3, 1e9):
            for shift in (0.0, 1e9):
                rows = pairs([shift + scale * v for v in SHOES_A], [shift + scale * v for v in SHOES_B])
                result = compared(rows, margin=scale)
                with self.subTest(scale=scale, shift=shift):
                    self.assertTrue(math.isfinite(result.estimate))
                    self.assertTrue(0 <= result.permutation.p <= 1)
                    if result.inference.p_difference is not None:
                        self.assertTrue(0 <= result.inference.p_difference <= 1)
