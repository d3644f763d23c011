"""Step curves and trends along ordered levels, against published figures."""

import unittest

import numpy as np

from oddtwin.core.effects import isotonic, jonckheere, page
from oddtwin.core.effects.trend import _moments


class StepCurve(unittest.TestCase):
    def test_pooled_neighbours(self):
        # Weighted least squares by hand; R's isoreg gives the same.
        values = np.array([1.0, 3.0, 2.0, 4.0, 3.5, 3.0, 6.0, 5.5, 7.0, 7.0])
        rising = [1.0, 2.5, 2.5, 3.5, 3.5, 3.5, 5.75, 5.75, 7.0, 7.0]
        np.testing.assert_allclose(isotonic(values, np.ones(10), True), rising)
        np.testing.assert_allclose(isotonic(values, np.ones(10), False), np.full(10, 4.2))
        np.testing.assert_allclose(isotonic(values, np.ones(10)), rising)

    def test_weighted_by_prints(self):
        values, prints = np.array([2.1, 1.4, 3.3, 3.0, 2.2, 4.8]), np.array([4.0, 8, 6, 3, 9, 5])
        np.testing.assert_allclose(isotonic(values, prints, True), [49 / 30, 49 / 30, 2.7, 2.7, 2.7, 4.8])


class Trends(unittest.TestCase):
    def test_quality_ratings_in_blocks(self):
        # Ratings of the SciPy documentation of Page's test, expected order 1 < 2 < 3.
        rows = [[3, 4, 3], [2, 2, 4], [3, 3, 5], [1, 3, 2], [2, 3, 2]]
        rows += [[2, 4, 5], [1, 2, 4], [3, 4, 4], [2, 4, 5], [1, 3, 4]]
        statistic, p = page([list(enumerate(map(float, row))) for row in rows])
        self.assertEqual(statistic, 133.5)
        self.assertAlmostEqual(p, 0.00038421480465, places=12)

    def test_knowledge_of_performance(self):
        # Hollander & Wolfe, Nonparametric Statistical Methods (data from memory): J = 79.
        groups = [[40, 35, 38, 43, 44, 41], [38, 40, 47, 44, 40, 42], [48, 40, 45, 43, 46, 44]]
        statistic, p = jonckheere(groups)
        self.assertEqual(statistic, 79.0)
        self.assertAlmostEqual(p, 0.020966486827831365, places=12)

    def test_four_doses_without_ties(self):
        groups = [[12.1, 10.5, 11.2, 9.8], [11.7, 12.6, 10.9, 13.0], [13.4, 12.2, 14.1, 12.9]]
        groups.append([14.8, 13.3, 15.2, 14.0])
        statistic, p = jonckheere(groups)
        self.assertEqual(statistic, 87.0)
        self.assertAlmostEqual(p, 4.086389800675515e-05, places=14)

    def test_many_values_by_the_normal_distribution(self):
        # Variances as R computes them for the knowledge of performance, with and without ties.
        self.assertAlmostEqual(_moments([6, 6, 6], [1] * 18)[1], 153.0)
        tied = [1, 2, 4, 1, 1, 2, 3, 1, 1, 1, 1]
        self.assertAlmostEqual(_moments([6, 6, 6], tied)[1], 150.28676470588235)
        rng = np.random.default_rng(2)
        flat = [list(rng.normal(0, 1, 40)) for _ in range(4)]
        rising = [[value + level for value in group] for level, group in enumerate(flat)]
        self.assertGreater(jonckheere(flat)[1], 0.02)
        self.assertLess(jonckheere(rising)[1], 1e-9)

    def test_two_groups_are_the_rank_sum_test(self):
        from scipy.stats import mannwhitneyu

        rng = np.random.default_rng(5)
        one, other = (
            rng.integers(0, 9, 150).astype(float),
            rng.integers(0, 9, 150) + 0.5 * (rng.random(150) < 0.7),
        )
        expected = mannwhitneyu(other, one, alternative="greater", use_continuity=False, method="asymptotic")
        statistic, p = jonckheere([one.tolist(), other.tolist()])
        self.assertEqual(statistic, expected.statistic)
        self.assertTrue(0.001 < p < 0.6)
        self.assertAlmostEqual(p, expected.pvalue, places=12)

    def test_many_blocks_are_pages_test_as_scipy_has_it(self):
        from scipy.stats import page_trend_test

        rng = np.random.default_rng(6)
        rows = rng.normal(0, 1, (25, 4)) + 0.12 * np.arange(4)
        expected = page_trend_test(rows, method="asymptotic")
        _, p = page([list(enumerate(row)) for row in rows.tolist()])
        self.assertTrue(0.001 < p < 0.6)
        self.assertAlmostEqual(p, expected.pvalue, places=12)

    def test_large_and_many_blocks_by_the_normal_distribution(self):
        block = [(level, float(level % 5)) for level in range(9)]
        statistic, p = page([block])
        self.assertTrue(0.05 < p < 0.6, (statistic, p))
        # Thirty times the ratings: z grows with the root of thirty, from the documented 3.0187 without
        # correction for ties to somewhat more with it.
        rows = [[3, 4, 3], [2, 2, 4], [3, 3, 5], [1, 3, 2], [2, 3, 2]] * 5
        blocks = [list(enumerate(map(float, row))) for row in rows]
        exact = page(blocks[:20])[1]
        near = page([*blocks[:20], [(0, 1.0)]])[1]
        self.assertAlmostEqual(near, exact, delta=0.003)
