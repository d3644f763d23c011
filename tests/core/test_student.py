"""Paired t, Welch, equivalence and the noise floor against published figures."""

import math
import unittest

import numpy as np
from scipy import stats

from oddtwin.core.effects import NoiseFloor, StudentEstimate, noise_from_twins, pool
from oddtwin.core.readings import Reading
from tests.builders import SHOES_A, SHOES_B, SLEEP_A, SLEEP_B, compared, groups, pairs

# Clinic data shipped with statsmodels 0.15 (stats/tests/test_tost.py); its reference figures
# were made there with the R package equivalence, tost().
CLINIC_A = [2.6, 2.82, 2.18, 3.46, 4.01, 3.04, 3.47, 4.06, 2.91, 3.59, 4.51, 3.16, 3.86, 3.31, 3.02]
CLINIC_B = [2.84, 2.51, 2.41, 2.95, 3.14, 3.79, 4.14, 3.85, 3.02, 3.45, 5.37, 3.81, 4.19, 3.16, 3.84]
# R datasets::PlantGrowth (Dobson 1983), control and treatment 1.
CONTROL = [4.17, 5.58, 5.18, 6.11, 4.5, 4.61, 5.17, 4.53, 5.33, 5.14]
TREATED = [4.81, 4.17, 4.41, 3.59, 5.87, 3.83, 6.03, 4.89, 4.32, 4.69]


class PairedT(unittest.TestCase):
    def test_shoes(self):
        # MASS::shoes, computed with R 4.2.2 t.test(paired = TRUE).
        result = compared(pairs(SHOES_A, SHOES_B))
        self.assertAlmostEqual(result.estimate, 0.41, places=7)
        self.assertAlmostEqual(result.inference.p_difference, 0.00853878071759894, places=9)
        np.testing.assert_allclose(result.inference.ci95, (0.133046094200381, 0.686953905799619), atol=1e-7)

    def test_sleep(self):
        # datasets::sleep, computed with R 4.2.2; Student 1908.
        result = compared(pairs(SLEEP_A, SLEEP_B)).inference
        self.assertAlmostEqual(result.p_difference, 0.00283289019738427, places=9)
        np.testing.assert_allclose(result.ci95, (0.700114236723018, 2.45988576327698), atol=1e-6)

    def test_agrees_with_scipy_on_random_data(self):
        rng = np.random.default_rng(3)
        for n in (2, 3, 8, 50):
            left, right = rng.normal(10, 2, n), rng.normal(11, 1, n)
            reference = stats.ttest_rel(right, left)
            interval = reference.confidence_interval(0.9)
            result = compared(pairs(left, right)).inference
            self.assertAlmostEqual(result.p_difference, reference.pvalue, places=10)
            np.testing.assert_allclose(result.ci90, (interval.low, interval.high), rtol=1e-9)


class Groups(unittest.TestCase):
    def test_large_equal_groups_are_judged_by_welch(self):
        # datasets::PlantGrowth, computed with R 4.2.2 t.test.
        result = compared(groups(CONTROL, TREATED))
        self.assertEqual(result.inference.method, "Welch t")
        self.assertAlmostEqual(result.estimate, -0.371, places=6)
        self.assertAlmostEqual(result.inference.p_difference, 0.250382508587548, places=9)
        np.testing.assert_allclose(result.inference.ci95, (-1.02951622134681, 0.28751622134681), atol=1e-7)

    def test_unequal_groups_that_scatter_alike_share_their_scatter(self):
        # Box, Hunter & Hunter sect. 3.1 (data from memory), computed with R 4.2.2, var.equal = TRUE.
        result = compared(
            groups([29.9, 11.4, 25.3, 16.5, 21.1], [26.6, 23.7, 28.5, 14.2, 17.9, 24.3])
        ).inference
        self.assertEqual(result.method, "equal-variance t")
        self.assertAlmostEqual(result.p_difference, 0.667745319909919, places=7)
        np.testing.assert_allclose(result.ci95, (-6.94024124257414, 10.3269079092408), atol=1e-5)

    def test_sides_that_plainly_scatter_unlike_are_judged_by_welch(self):
        left, right = [5.0, 5.1, 4.9, 5.0], [1.0, 9.0, 4.0, 8.0, 2.0, 7.0]
        reference = stats.ttest_ind(right, left, equal_var=False)
        result = compared(groups(left, right)).inference
        self.assertEqual(result.method, "Welch t")
        self.assertAlmostEqual(result.p_difference, reference.pvalue, places=10)

    def test_places_are_taken_out_before_the_arms_are_compared(self):
        # One print of each arm on each of three machines that differ by ten and more, and one over:
        # least squares by hand, and by numpy.
        rows = [
            Reading("A", value, machine=machine, run=f"a{machine}{value}")
            for machine, value in (("1", 10.1), ("2", 20.4), ("3", 31.0), ("3", 30.8))
        ] + [
            Reading("B", value, machine=machine, run=f"b{machine}")
            for machine, value in (("1", 11.3), ("2", 21.2), ("3", 32.1))
        ]
        design = np.array([[row.arm == "B", *(row.machine == name for name in "123")] for row in rows], float)
        values = np.array([row.value for row in rows])
        fit, squares, *_ = np.linalg.lstsq(design, values)
        error = math.sqrt(squares[0] / 3 * np.linalg.inv(design.T @ design)[0, 0])
        result = compared(rows)
        self.assertAlmostEqual(result.estimate, fit[0])
        half = stats.t.ppf(0.975, 3) * error
        np.testing.assert_allclose(result.inference.ci95, (fit[0] - half, fit[0] + half))


class NoiseTogether(unittest.TestCase):
    def test_twins_and_pairs_judge_together(self):
        # Differences 1 and 3: their own variance of a print is 1. Twins: 2 with 4 degrees of freedom.
        result = compared(pairs([0.0, 0.0], [1.0, 3.0]), noise=NoiseFloor(math.sqrt(2), 4)).inference
        self.assertEqual(result.method, "paired t with noise floor")
        self.assertAlmostEqual(result.sd, math.sqrt((1 + 4 * 2) / 5))
        half = stats.t.ppf(0.975, 5) * result.sd
        np.testing.assert_allclose(result.ci95, (2 - half, 2 + half))

    def test_scatter_above_the_noise_floor_is_kept(self):
        result = compared(pairs([0.0, 0.0], [0.0, 20.0]), noise=NoiseFloor(1.0, 8)).inference
        self.assertIn("above the noise floor", result.method)
        self.assertAlmostEqual(result.sd, 10.0)

    def test_a_pair_that_agrees_never_loses_the_verdict(self):
        floor = NoiseFloor(0.5, 8)
        one = compared(pairs([10.0], [12.0]), margin=0.5, noise=floor).inference
        two = compared(pairs([10.0, 10.0], [12.0, 12.1]), margin=0.5, noise=floor).inference
        self.assertGreater(one.ci95[0], 0)
        self.assertGreater(two.ci95[0], one.ci95[0])


class Equivalence(unittest.TestCase):
    def test_shoes_with_two_margins(self):
        # MASS::shoes, computed with R 4.2.2 one-sided t.test; margins chosen.
        wide, narrow = (compared(pairs(SHOES_A, SHOES_B), margin=margin).inference for margin in (1.0, 0.5))
        self.assertAlmostEqual(wide.p_equivalence, 0.0004740721983, places=10)
        self.assertAlmostEqual(narrow.p_equivalence, 0.2404913906, places=7)
        np.testing.assert_allclose(wide.ci90, (0.185573600800155, 0.634426399199845), atol=1e-7)

    def test_clinic_paired_and_unpaired(self):
        paired = compared(pairs(CLINIC_A, CLINIC_B), margin=0.6).inference
        self.assertAlmostEqual(paired.p_equivalence, 0.003166881489265175, places=9)
        np.testing.assert_allclose(paired.ci90, (-0.0744336620516462, 0.4037669953849797), atol=1e-7)
        welch = compared(groups(CLINIC_A, CLINIC_B), margin=0.6).inference
        self.assertAlmostEqual(welch.p_equivalence, 0.04853083976236974, places=9)
        np.testing.assert_allclose(welch.ci90, (-0.2666862980722534, 0.596019631405587), atol=1e-7)

    def test_equivalence_at_five_percent_is_the_ninety_percent_interval_inside(self):
        rng = np.random.default_rng(8)
        for _ in range(200):
            result = StudentEstimate(rng.uniform(-1, 1), rng.uniform(0.1, 1), rng.integers(1, 12), "t")
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


if __name__ == "__main__":
    unittest.main()
