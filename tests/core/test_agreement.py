"""Predicted against measured: limits of agreement and the calibration of times."""

import unittest

import numpy as np
from scipy import stats

from oddtwin.core.effects import limits_of_agreement
from oddtwin.core.toolpath.motion import calibrate

# Bland and Altman, Lancet 1986;i:307-310: PEFR by two meters, first readings (from memory,
# every printed figure reproduced); figures computed with R 4.2.2.
WRIGHT = [494, 395, 516, 434, 476, 557, 413, 442, 650, 433, 417, 656, 267, 478, 178, 423, 427]
MINI = [512, 430, 520, 428, 500, 600, 364, 380, 658, 445, 432, 626, 260, 477, 259, 350, 451]


class Agreement(unittest.TestCase):
    def test_the_published_example(self):
        found = limits_of_agreement(MINI, WRIGHT)
        self.assertAlmostEqual(found.bias, -2.117647059, 8)
        self.assertAlmostEqual(found.sd, 38.76512987, 7)
        np.testing.assert_allclose(
            (found.lower, found.upper), (-78.097301611094, 73.86200749344692), rtol=1e-9
        )
        np.testing.assert_allclose(found.bias_ci95, (-22.04883769664517, 17.81354357899811), rtol=1e-9)
        np.testing.assert_allclose(found.lower_ci95, (-112.85337790919502, -43.34122531299298), atol=1e-4)
        np.testing.assert_allclose(found.upper_ci95, (39.10593119534591, 108.61808379154795), atol=1e-4)
        np.testing.assert_allclose((found.trend, found.trend_p), (0.08367972168, 0.7494985336), rtol=1e-8)

    def test_a_jam_among_few_runs_is_pointed_out(self):
        predicted = [60.0, 61, 60, 62, 61]
        self.assertEqual(limits_of_agreement(predicted, [63.0, 64.2, 63.1, 80.0, 64.1]).outside, (3,))
        self.assertEqual(limits_of_agreement(predicted, [63.0, 64.2, 63.1, 65.2, 64.1]).outside, ())

    def test_a_run_beyond_the_limits_of_many_is_pointed_out(self):
        differences = [0.0, 1.0, -1.0] * 10
        for odd, named in ((2.5, ()), (4.0, (30,))):
            found = limits_of_agreement([60.0] * 31, [60 + value for value in (*differences, odd)])
            self.assertLess(found.upper, odd)
            self.assertEqual(found.outside, named)

    def test_the_limit_of_a_wild_run_is_that_of_a_prediction(self):
        # Of three others with mean 1 and sd 1: t at 1 − 0.05/8 on 2 degrees of freedom, times √(1 + 1/3)
        # (prediction interval of one more value, any textbook; Bonferroni over four).
        reach = float(stats.t.ppf(1 - 0.05 / 8, 2)) * (1 + 1 / 3) ** 0.5
        for share, named in ((0.999, ()), (1.001, (3,))):
            differences = [0.0, 1.0, 2.0, 1 + share * reach]
            found = limits_of_agreement([60.0] * 4, [60 + value for value in differences])
            self.assertEqual(found.outside, named)

    def test_of_healthy_sets_one_in_twenty_has_a_run_named(self):
        rng = np.random.default_rng(8)
        for n in (4, 10, 40):
            sets = 600
            named = sum(
                bool(limits_of_agreement(np.full(n, 60.0), rng.normal(60, 2, n)).outside) for _ in range(sets)
            )
            # Binomial: 5 % of 600, three standard deviations either way.
            self.assertLess(abs(named - 30), 17, n)

    def test_differences_that_grow_with_the_size_are_told_from_chance(self):
        predicted = [20.0, 40, 60, 90, 120, 150]
        growing = limits_of_agreement(
            predicted, [1.08 * value + 0.2 * (k % 2) for k, value in enumerate(predicted)]
        )
        self.assertGreater(growing.trend, 0.99)
        self.assertLess(growing.trend_p, 0.001)
        same = limits_of_agreement([60.0] * 4, [61.0] * 4)
        self.assertEqual((same.trend, same.trend_p), (None, None))
        self.assertEqual(limits_of_agreement([1, 2, 3], [2, 4, 6]).trend, 1.0)

    def test_equal_differences_and_single_runs(self):
        self.assertEqual(limits_of_agreement([1, 2, 3, 4], [2, 3, 4, 5]).outside, ())
        self.assertEqual(limits_of_agreement([1, 2, 3, 4, 5], [2, 3, 4, 5, 7]).outside, (4,))
        self.assertIsNone(limits_of_agreement([1], [2]).sd)
        for bad in (([], []), ([1], [1, 2]), ([1], [float("nan")])):
            self.assertRaises(ValueError, limits_of_agreement, *bad)


class Calibrating(unittest.TestCase):
    def test_scale_and_offset_with_their_errors(self):
        # JCGM 100:2008 (GUM) H.3 is a straight line by least squares (from memory); here against numpy.
        x = np.array([20.0, 35, 60, 90, 140])
        y = 1.07 * x + 6 + np.array([0.4, -0.3, 0.1, -0.5, 0.3])
        found = calibrate(x, y)
        (slope, offset), covariance = np.polyfit(x, y, 1, cov=True)
        self.assertAlmostEqual(found.scale, slope, 9)
        self.assertAlmostEqual(found.offset, offset, 9)
        np.testing.assert_allclose((found.scale_se, found.offset_se), np.sqrt(np.diag(covariance)), rtol=1e-9)
        value, half = found.predict(100)
        self.assertAlmostEqual(value, slope * 100 + offset, 9)
        self.assertTrue(1 < half < 3)

    def test_prints_of_one_length_tell_an_offset_only(self):
        found = calibrate([60, 61, 60], [66, 67.5, 66])
        self.assertEqual((found.scale, found.scale_se), (1.0, None))
        self.assertAlmostEqual(found.offset, 37 / 6, 2)
        self.assertIsNotNone(found.predict(60)[1])

    def test_nothing_and_one_print(self):
        self.assertEqual(calibrate([], []).predict(50), (50.0, None))
        self.assertEqual(calibrate([50], [57]).predict(100), (107.0, None))

    def test_it_narrows_as_runs_are_logged(self):
        rng = np.random.default_rng(2)
        x = rng.uniform(20, 200, 40)
        y = 1.05 * x + 7 + rng.normal(0, 2, 40)
        self.assertLess(calibrate(x, y).scale_se, calibrate(x[:6], y[:6]).scale_se)

    def test_times_that_fall_are_not_believed(self):
        self.assertEqual(calibrate([20, 40, 80], [90, 50, 30]).scale, 1.0)
