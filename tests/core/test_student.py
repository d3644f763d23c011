"""Paired t, Welch, equivalence and the noise floor against published figures."""

import math
import unittest

import numpy as np
from scipy import stats

from oddtwin.core.effects import NoiseFloor, noise_floor_t, noise_from_twins, paired_t, pool, welch_t
from tests.builders import SHOES_A, SHOES_B, SLEEP_A, SLEEP_B

# Clinic data shipped with statsmodels 0.15 (stats/tests/test_tost.py); its reference figures
# were made there with the R package equivalence, tost().
CLINIC_A = [2.6, 2.82, 2.18, 3.46, 4.01, 3.04, 3.47, 4.06, 2.91, 3.59, 4.51, 3.16, 3.86, 3.31, 3.02]
CLINIC_B = [2.84, 2.51, 2.41, 2.95, 3.14, 3.79, 4.14, 3.85, 3.02, 3.45, 5.37, 3.81, 4.19, 3.16, 3.84]
# R datasets::PlantGrowth (Dobson 1983), control and treatment 1.
CONTROL = [4.17, 5.58, 5.18, 6.11, 4.5, 4.61, 5.17, 4.53, 5.33, 5.14]
TREATED = [4.81, 4.17, 4.41, 3.59, 5.87, 3.83, 6.03, 4.89, 4.32, 4.69]


def difference(left, right):
    return np.array(right) - np.array(left)


class PairedT(unittest.TestCase):
    def test_shoes(self):
        # MASS::shoes, computed with R 4.2.2 t.test(paired = TRUE).
        result = paired_t(difference(SHOES_A, SHOES_B))
        self.assertAlmostEqual(result.difference, 0.41, places=7)
        self.assertEqual(result.df, 9)
        self.assertAlmostEqual(result.standard_error, 0.122429117814713, places=7)
        self.assertAlmostEqual(result.p_difference(), 0.00853878071759894, places=9)
        np.testing.assert_allclose(result.interval(0.95), (0.133046094200381, 0.686953905799619), atol=1e-7)

    def test_sleep(self):
        # datasets::sleep, computed with R 4.2.2; Student 1908.
        result = paired_t(difference(SLEEP_A, SLEEP_B))
        self.assertAlmostEqual(result.difference / result.standard_error, 4.06212768338204, places=6)
        self.assertAlmostEqual(result.p_difference(), 0.00283289019738427, places=9)
        np.testing.assert_allclose(result.interval(0.95), (0.700114236723018, 2.45988576327698), atol=1e-6)

    def test_agrees_with_scipy_on_random_data(self):
        rng = np.random.default_rng(3)
        for n in (2, 3, 8, 50):
            left, right = rng.normal(10, 2, n), rng.normal(11, 1, n)
            reference = stats.ttest_rel(right, left)
            interval = reference.confidence_interval(0.9)
            result = paired_t(right - left)
            self.assertAlmostEqual(result.p_difference(), reference.pvalue, places=10)
            np.testing.assert_allclose(result.interval(0.9), (interval.low, interval.high), rtol=1e-9)

    def test_nothing_can_be_said_of_one_pair_or_without_scatter(self):
        self.assertIsNone(paired_t(np.array([1.0])))
        self.assertIsNone(paired_t(np.array([2.0, 2.0, 2.0])))
        # 0.1 + 0.2 and 0.3 differ in the last bit only: that is no scatter either.
        self.assertIsNone(paired_t(np.array([0.1 + 0.2, 0.3, 0.3])))
        self.assertIsNone(paired_t(np.zeros(4)))


class Welch(unittest.TestCase):
    def test_plant_growth(self):
        # datasets::PlantGrowth, computed with R 4.2.2 t.test.
        result = welch_t(np.array(CONTROL), np.array(TREATED))
        self.assertAlmostEqual(result.difference, -0.371, places=6)
        self.assertAlmostEqual(result.df, 16.5235850568593, places=6)
        self.assertAlmostEqual(result.p_difference(), 0.250382508587548, places=9)
        np.testing.assert_allclose(result.interval(0.95), (-1.02951622134681, 0.28751622134681), atol=1e-7)

    def test_tomatoes(self):
        # Box, Hunter & Hunter sect. 3.1 (data from memory), computed with R 4.2.2.
        result = welch_t(
            np.array([29.9, 11.4, 25.3, 16.5, 21.1]), np.array([26.6, 23.7, 28.5, 14.2, 17.9, 24.3])
        )
        self.assertAlmostEqual(result.df, 7.336891688, places=6)
        self.assertAlmostEqual(result.p_difference(), 0.6786698284, places=7)
        np.testing.assert_allclose(result.interval(0.95), (-7.50562676911854, 10.8922934357852), atol=1e-5)

    def test_one_arm_without_scatter_is_enough_to_judge(self):
        result = welch_t(np.array([5.0, 5.0]), np.array([4.0, 6.5]))
        self.assertAlmostEqual(result.df, 1.0)
        self.assertIsNone(welch_t(np.array([5.0, 5.0]), np.array([6.0, 6.0])))
        self.assertIsNone(welch_t(np.array([5.0]), np.array([4.0, 6.5])))


class Equivalence(unittest.TestCase):
    def test_shoes_with_two_margins(self):
        # MASS::shoes, computed with R 4.2.2 one-sided t.test; margins chosen.
        result = paired_t(difference(SHOES_A, SHOES_B))
        self.assertAlmostEqual(result.p_equivalence(1.0), 0.0004740721983, places=10)
        self.assertAlmostEqual(result.p_equivalence(0.5), 0.2404913906, places=7)
        np.testing.assert_allclose(result.interval(0.90), (0.185573600800155, 0.634426399199845), atol=1e-7)

    def test_clinic_paired_and_unpaired(self):
        paired = paired_t(difference(CLINIC_A, CLINIC_B))
        self.assertAlmostEqual(paired.p_equivalence(0.6), 0.003166881489265175, places=9)
        np.testing.assert_allclose(
            paired.interval(0.90), (-0.0744336620516462, 0.4037669953849797), atol=1e-7
        )
        welch = welch_t(np.array(CLINIC_A), np.array(CLINIC_B))
        self.assertAlmostEqual(welch.p_equivalence(0.6), 0.04853083976236974, places=9)
        np.testing.assert_allclose(welch.interval(0.90), (-0.2666862980722534, 0.596019631405587), atol=1e-7)

    def test_equivalence_at_five_percent_is_the_ninety_percent_interval_inside(self):
        rng = np.random.default_rng(8)
        for _ in range(200):
            result = paired_t(rng.normal(rng.uniform(-1, 1), 1, rng.integers(3, 12)))
            low, high = result.interval(0.90)
            inside = low > -1 and high < 1
            self.assertEqual(result.p_equivalence(1.0) < 0.05, inside)


class Noise(unittest.TestCase):
    def test_silicon_resistivity(self):
        # NIST StRD SiRstv: the certified residual standard deviation 0.104076068334656 (recalled),
        # the rest computed with R 4.2.2.
        groups = [
            [196.3052, 196.1240, 196.1890, 196.2569, 196.3403],
            [196.3042, 196.3825, 196.1669, 196.3257, 196.0422],
            [196.1303, 196.2005, 196.2889, 196.0343, 196.1811],
            [196.2795, 196.1748, 196.1494, 196.1485, 195.9885],
            [196.2119, 196.1051, 196.1850, 196.0052, 196.2090],
        ]
        noise = noise_from_twins(groups)
        self.assertEqual(noise.df, 20)
        self.assertAlmostEqual(noise.sd, 0.104076068334656, places=10)
        np.testing.assert_allclose(noise.interval(0.95), (0.0796243470783715, 0.150293074919725), atol=1e-7)
        self.assertAlmostEqual(noise.limit, 0.2884841432, places=7)

    def test_duplicates(self):
        # Bland & Altman 1986, Wright meter (data from memory), computed with R 4.2.2.
        first = [494, 395, 516, 434, 476, 557, 413, 442, 650, 433, 417, 656, 267, 478, 178, 423, 427]
        second = [490, 397, 512, 401, 470, 611, 415, 431, 638, 429, 420, 633, 275, 492, 165, 372, 421]
        noise = noise_from_twins(zip(first, second, strict=True))
        self.assertEqual(noise.df, 17)
        self.assertAlmostEqual(noise.sd, 15.30666906, places=5)
        self.assertAlmostEqual(noise.limit, 42.42792199, places=5)
        np.testing.assert_allclose(noise.interval(0.95), (11.485934584231, 22.9469009273805), atol=1e-5)

    def test_repeatability_factor(self):
        # ISO 5725-6, r = 2.8 s (rounded there; figure from memory): 1.96·√2 = 2.771858582.
        self.assertAlmostEqual(NoiseFloor(1, 1).limit, 2.771858582, places=9)

    def test_no_twins_no_floor(self):
        self.assertIsNone(noise_from_twins([]))
        self.assertIsNone(noise_from_twins([[1.0], [2.0]]))

    def test_pooling_weighs_by_degrees_of_freedom(self):
        together = pool(NoiseFloor(1.0, 2), NoiseFloor(2.0, 6))
        self.assertEqual(together.df, 8)
        self.assertAlmostEqual(together.sd, math.sqrt((2 * 1 + 6 * 4) / 8))
        self.assertEqual(pool(None, NoiseFloor(1.0, 2)), NoiseFloor(1.0, 2))
        self.assertIsNone(pool(None, None))

    def test_impossible_floors_are_refused(self):
        for sd, df in ((-1, 2), (math.nan, 2), (math.inf, 2), (1, 0), (1, -3), (1, math.inf)):
            with self.subTest(sd=sd, df=df), self.assertRaises(ValueError):
                NoiseFloor(sd, df)

    def test_one_print_each_is_judged_by_the_floor(self):
        # t(0.975, 10) = 2.228139 (any t table): the half width is t·s·√2.
        judged = noise_floor_t(-2.0, 1, 1, NoiseFloor(0.5, 10))
        low, high = judged.interval(0.95)
        self.assertAlmostEqual((high - low) / 2, 2.228139 * 0.5 * math.sqrt(2), places=5)
        self.assertAlmostEqual((low + high) / 2, -2.0)
        wider = noise_floor_t(-2.0, 1, 3, NoiseFloor(0.5, 10))
        self.assertAlmostEqual(wider.standard_error, 0.5 * math.sqrt(4 / 3))
