"""Signed ranks, rank sums and Cliff's delta against published figures and plain enumeration."""

import itertools
import math
import unittest

import numpy as np
from scipy import stats

from oddtwin.core.effects import (
    cliffs_delta,
    rank_sum,
    shift_intervals,
    signed_rank,
    signed_ranks,
    walsh_averages,
)


def pratt_by_enumeration(differences):
    """Pratt's test by walking through all sign patterns, with no cleverness."""
    ranks = stats.rankdata(np.abs(differences))
    kept = [(rank, value) for rank, value in zip(ranks, differences, strict=True) if value != 0]
    observed = sum(rank for rank, value in kept if value > 0)
    total = sum(rank for rank, _ in kept)
    sums = [
        sum(rank for (rank, _), up in zip(kept, signs, strict=True) if up)
        for signs in itertools.product((True, False), repeat=len(kept))
    ]
    return (
        np.mean([value >= observed for value in sums]),
        np.mean([value <= observed for value in sums]),
        np.mean([abs(value - total / 2) >= abs(observed - total / 2) for value in sums]),
    )


def sums_by_enumeration(left, right):
    """The rank-sum permutation test by dealing out all ranks."""
    ranks = stats.rankdata([*left, *right])
    n, k = len(ranks), len(right)
    observed, mean = sum(ranks[len(left) :]), k * (n + 1) / 2
    sums = [sum(ranks[list(chosen)]) for chosen in itertools.combinations(range(n), k)]
    return (
        np.mean([value >= observed for value in sums]),
        np.mean([value <= observed for value in sums]),
        np.mean([abs(value - mean) >= abs(observed - mean) for value in sums]),
    )


class SignedRank(unittest.TestCase):
    def test_depression_scores(self):
        # R help ?wilcox.test (recalled): V = 40, one-sided p 0.01953125.
        before = np.array([1.83, 0.50, 1.62, 2.48, 1.68, 1.88, 1.55, 3.06, 1.30])
        after = np.array([0.878, 0.647, 0.598, 2.05, 1.06, 1.29, 1.06, 3.14, 1.29])
        result = signed_rank(before - after)
        self.assertEqual((result.p_greater, result.p_two_sided), (0.01953125, 0.0390625))

    def test_ratings_with_zeros_and_ties(self):
        # Computed with R 4.2.2, coin::wilcoxsign_test(zero.method = "Pratt", exact).
        left = np.array([3, 2, 4, 3, 5, 1, 2, 3, 4, 2, 3, 3, 1, 4, 2.0])
        right = np.array([4, 2, 5, 3, 5, 3, 3, 2, 5, 4, 3, 5, 2, 4, 3.0])
        result = signed_rank(right - left)
        self.assertEqual((result.p_greater, result.p_two_sided), (0.0078125, 0.015625))

    def test_many_zeros(self):
        # Computed with R 4.2.2 coin: Pratt and Wilcoxon differ in statistic, not in p, here.
        result = signed_rank(np.array([0, 0, 1, 1, 1, 2, -1, 0.0]))
        self.assertEqual((result.p_greater, result.p_two_sided), (0.15625, 0.3125))

    def test_agrees_with_plain_enumeration(self):
        random = np.random.default_rng(11)
        for n in range(1, 10):
            for _ in range(4):
                differences = random.integers(-3, 4, n) / 4
                result = signed_rank(differences)
                np.testing.assert_allclose(
                    (result.p_greater, result.p_less, result.p_two_sided),
                    pratt_by_enumeration(differences),
                    atol=1e-12,
                )

    def test_all_zero_says_nothing(self):
        self.assertEqual(signed_rank(np.zeros(7)).p_two_sided, 1.0)

    def test_differences_equal_but_for_rounding_are_ties(self):
        exact = signed_rank(np.array([0.3, 0.3, -0.3, 0.6]))
        rounded = signed_rank(np.array([0.1 + 0.2, 0.3, -0.3, 0.6]))
        self.assertEqual(exact, rounded)

    def test_large_and_huge_numbers_of_pairs(self):
        many = np.random.default_rng(4).normal(0.3, 1, 300)
        reference = stats.wilcoxon(many, method="approx", correction=False).pvalue
        self.assertAlmostEqual(signed_rank(many).p_two_sided, reference, delta=2e-4)
        huge = np.random.default_rng(4).normal(0.05, 1, 1200)
        reference = stats.wilcoxon(huge, method="approx", correction=False).pvalue
        result = signed_rank(huge)
        self.assertFalse(result.exact)
        self.assertAlmostEqual(result.p_two_sided, reference, places=9)


class RankSum(unittest.TestCase):
    def test_tomatoes(self):
        # Box, Hunter & Hunter (data from memory); coin::wilcox_test exact, R 4.2.2.
        result = rank_sum(
            np.array([29.9, 11.4, 25.3, 16.5, 21.1]), np.array([26.6, 23.7, 28.5, 14.2, 17.9, 24.3])
        )
        self.assertAlmostEqual(result.p_two_sided, 0.7922077922, places=9)

    def test_plant_growth_with_ties(self):
        # datasets::PlantGrowth; coin::wilcox_test exact with mid-ranks, R 4.2.2.
        result = rank_sum(
            np.array([4.17, 5.58, 5.18, 6.11, 4.5, 4.61, 5.17, 4.53, 5.33, 5.14]),
            np.array([4.81, 4.17, 4.41, 3.59, 5.87, 3.83, 6.03, 4.89, 4.32, 4.69]),
        )
        self.assertAlmostEqual(result.p_two_sided, 0.196756803567949, places=9)

    def test_agrees_with_plain_enumeration(self):
        random = np.random.default_rng(12)
        for left, right in ((1, 1), (2, 3), (4, 4), (5, 3), (3, 6)):
            a, b = random.integers(0, 4, left) / 2, random.integers(0, 4, right) / 2
            result = rank_sum(a, b)
            np.testing.assert_allclose(
                (result.p_greater, result.p_less, result.p_two_sided), sums_by_enumeration(a, b), atol=1e-12
            )

    def test_many_prints_use_the_normal_approximation_with_tie_correction(self):
        random = np.random.default_rng(13)
        a, b = random.integers(0, 5, 120).astype(float), random.integers(0, 5, 110).astype(float)
        reference = stats.mannwhitneyu(b, a, method="asymptotic", use_continuity=False).pvalue
        result = rank_sum(a, b)
        self.assertFalse(result.exact)
        self.assertAlmostEqual(result.p_two_sided, reference, places=9)
        self.assertEqual(rank_sum(np.ones(200), np.ones(200)).p_two_sided, 1.0)


class Intervals(unittest.TestCase):
    def interval(self, differences):
        data = np.array(differences, dtype=float)
        return shift_intervals(
            lambda shifts: signed_ranks(data, shifts), walsh_averages(data), float(data.mean()), len(data)
        )

    def test_agrees_with_the_textbook_interval_without_ties(self):
        # Hollander & Wolfe: the interval runs between ordered Walsh averages; by scipy's exact
        # null distribution of the signed rank for n = 9, the 6th from each end at 95 %.
        data = np.array([0.952, -0.147, 1.022, 0.430, 0.620, 0.590, 0.490, -0.080, 0.010])
        ordered = np.sort(walsh_averages(data))
        ci95, _ = self.interval(data)
        self.assertAlmostEqual(ci95[0], ordered[5], places=7)
        self.assertAlmostEqual(ci95[1], ordered[-6], places=7)

    def test_excludes_zero_exactly_when_the_test_rejects(self):
        random = np.random.default_rng(14)
        rejections = 0
        for _ in range(150):
            data = random.integers(-2, 7, random.integers(5, 10)) / 2
            (low, high), _ = self.interval(data)
            rejected = signed_rank(data).p_two_sided <= 0.05
            rejections += rejected
            if not rejected:
                self.assertLessEqual(low, 0)
                self.assertGreaterEqual(high, 0)
            elif low <= 0 <= high:
                # Pratt's test can accept shifts on both sides of a rejected zero: conservative.
                self.assertLess(signed_rank(data).p_two_sided, 0.05)
        self.assertGreater(rejections, 20)

    def test_too_few_pairs_leave_the_ends_open(self):
        self.assertEqual(self.interval([-1] * 5)[0], (-math.inf, math.inf))
        self.assertEqual(self.interval([-1] * 6)[0], (-1, -1))

    def test_ninety_lies_inside_ninety_five_and_both_hold_the_estimate(self):
        random = np.random.default_rng(15)
        for n in (5, 8, 25, 60):
            data = random.normal(1, 2, n)
            (low, high), (inner_low, inner_high) = self.interval(data)
            self.assertTrue(low <= inner_low <= data.mean() <= inner_high <= high)

    def test_covers_the_true_shift_about_as_often_as_promised(self):
        random = np.random.default_rng(16)
        hits = 0
        for _ in range(300):
            low, high = self.interval(random.normal(2, 1, 10))[0]
            hits += low <= 2 <= high
        self.assertGreater(hits / 300, 0.92)


class Delta(unittest.TestCase):
    def test_effsize_example(self):
        # R package effsize, ?cliff.delta (from memory, reproduced exactly).
        a = np.array([10, 20, 30, 40, 40, 50.0])
        b = np.array([10, 10, 20, 20, 20, 30, 30, 30, 40, 50.0])
        result = cliffs_delta(a, b)
        self.assertAlmostEqual(result.delta, -0.25, places=12)
        np.testing.assert_allclose(result.ci95, (-0.726584588889944, 0.38900619019874255), atol=1e-7)

    def test_shoulder_pain(self):
        # Brunner & Munzel 2000 data; computed in R and Python by the closed form.
        a = np.array([1, 2, 1, 1, 1, 1, 1, 1, 1, 1, 2, 4, 1, 1.0])
        b = np.array([3, 3, 4, 3, 1, 2, 3, 1, 1, 5, 4.0])
        result = cliffs_delta(a, b)
        self.assertAlmostEqual(result.delta, 0.5779220779, places=9)
        np.testing.assert_allclose(result.ci95, (0.11720740375564827, 0.8339367117135046), atol=1e-7)

    def test_arms_that_do_not_overlap_keep_a_finite_bound(self):
        up = cliffs_delta(np.zeros(5), np.full(5, 3.0))
        down = cliffs_delta(np.full(5, 3.0), np.zeros(5))
        self.assertEqual((up.delta, up.ci95[1]), (1.0, 1.0))
        self.assertEqual((down.delta, down.ci95[0]), (-1.0, -1.0))
        self.assertTrue(-1 <= up.ci95[0] < 1)
        self.assertAlmostEqual(up.ci95[0], -down.ci95[1])

    def test_one_print_in_an_arm_gives_no_interval(self):
        self.assertIsNone(cliffs_delta(np.zeros(1), np.ones(4)).ci95)
        self.assertEqual(cliffs_delta(np.zeros(3), np.zeros(3)).delta, 0.0)
