"""Permutation tests against published counts and against plain enumeration."""

import itertools
import unittest

import numpy as np

from oddtwin.core.effects import reallocation_test, sign_flip_test
from tests.builders import SHOES_A, SHOES_B, SLEEP_A, SLEEP_B

# Darwin's Zea mays (HistData::ZeaMays), Fisher 1935 sections 17 and 21.
SELFED = [17.375, 20.375, 20, 20, 18.375, 18.625, 18.625, 15.25, 16.5, 18, 16.25, 18, 12.75, 15.5, 18]
CROSSED = [23.5, 12, 21, 22, 19.125, 21.5, 22.125, 20.375, 18.25, 21.625, 23.25, 21, 22.125, 23, 12]


def rng():
    return np.random.default_rng(1)


class LargeValues(unittest.TestCase):
    def test_ties_are_told_from_rounding(self):
        # Every print of B lies above every one of A: 2 of the 70 arrangements are that far apart.
        low, high = [0.001, 0.002, 0.0035, 0.0041], [0.0072, 0.0089, 0.0093, 0.0117]
        for offset in (0.0, 1e3, 1e8):
            result = reallocation_test(np.array(low) + offset, np.array(high) + offset, rng())
            self.assertEqual((result.p, result.arrangements), (2 / 70, 70), offset)
        differences = (np.array(high) + 1e8) - (np.array(low) + 1e8)
        self.assertEqual(sign_flip_test(differences, rng(), 1e8).p, 2 / 16)


class SignFlips(unittest.TestCase):
    def test_shoes_count_fourteen_of_1024(self):
        # Box, Hunter & Hunter: 7 of 1024 one-sided, ties included (recalled; recomputed by counting).
        result = sign_flip_test(np.array(SHOES_B) - np.array(SHOES_A), rng())
        self.assertTrue(result.exact)
        self.assertEqual(result.arrangements, 1024)
        self.assertEqual(result.p, 14 / 1024)

    def test_sleep_with_a_zero_difference(self):
        result = sign_flip_test(np.array(SLEEP_B) - np.array(SLEEP_A), rng())
        self.assertEqual(result.p, 4 / 1024)

    def test_fifteen_pairs_are_drawn_and_come_near_fishers_count(self):
        # Fisher 1935: 1726 of 32768 two-sided (recalled; recomputed by counting).
        result = sign_flip_test(np.array(CROSSED) - np.array(SELFED), rng())
        self.assertFalse(result.exact)
        self.assertEqual(result.arrangements, 20_000)
        self.assertAlmostEqual(result.p, 1726 / 32768, delta=4 * (0.05 * 0.95 / 20_000) ** 0.5)

    def test_agrees_with_plain_enumeration_on_awkward_decimals(self):
        random = np.random.default_rng(5)
        for n in range(1, 10):
            tenths = random.integers(-9, 10, n)
            count = sum(
                abs(sum(sign * int(value) for sign, value in zip(signs, tenths, strict=True)))
                >= abs(int(tenths.sum()))
                for signs in itertools.product((1, -1), repeat=n)
            )
            self.assertEqual(sign_flip_test(tenths / 10, rng()).p, count / 2**n)

    def test_the_boundary_of_counting(self):
        self.assertTrue(sign_flip_test(np.arange(1.0, 15.0), rng()).exact)
        self.assertFalse(sign_flip_test(np.arange(1.0, 16.0), rng()).exact)

    def test_draws_follow_the_generator(self):
        data = np.random.default_rng(2).normal(0.4, 1, 30)
        self.assertEqual(sign_flip_test(data, rng()).p, sign_flip_test(data, rng()).p)
        other = sign_flip_test(data, np.random.default_rng(2)).p
        self.assertNotEqual(sign_flip_test(data, rng()).p, other)

    def test_drawn_p_is_never_zero(self):
        self.assertEqual(sign_flip_test(np.full(40, 3.0), rng()).p, 1 / 20_001)


class Reallocation(unittest.TestCase):
    def test_tomatoes_count_305_of_462(self):
        # Box, Hunter & Hunter sect. 3.1 (data from memory): naive floats give 304.
        result = reallocation_test(
            np.array([29.9, 11.4, 25.3, 16.5, 21.1]),
            np.array([26.6, 23.7, 28.5, 14.2, 17.9, 24.3]),
            rng(),
        )
        self.assertEqual((result.p, result.exact), (305 / 462, True))

    def test_large_groups_are_drawn(self):
        # datasets::PlantGrowth: 45806 of 184756 by full enumeration in R 4.2.2.
        result = reallocation_test(
            np.array([4.17, 5.58, 5.18, 6.11, 4.5, 4.61, 5.17, 4.53, 5.33, 5.14]),
            np.array([4.81, 4.17, 4.41, 3.59, 5.87, 3.83, 6.03, 4.89, 4.32, 4.69]),
            rng(),
        )
        self.assertFalse(result.exact)
        self.assertAlmostEqual(result.p, 45806 / 184756, delta=4 * (0.25 * 0.75 / 20_000) ** 0.5)

    def test_agrees_with_plain_enumeration_for_unequal_groups(self):
        random = np.random.default_rng(6)
        for left, right in ((1, 3), (2, 2), (2, 5), (4, 3)):
            values = random.integers(0, 6, left + right)
            scale = left * right

            def distance(chosen, values=values, left=left, right=right, scale=scale):
                inside = sum(int(values[i]) for i in chosen)
                outside = int(values.sum()) - inside
                return abs(inside * scale // right - outside * scale // left)

            observed = distance(range(left, left + right))
            every = list(itertools.combinations(range(left + right), right))
            count = sum(distance(chosen) >= observed for chosen in every)
            result = reallocation_test(values[:left] / 10, values[left:] / 10, rng())
            self.assertAlmostEqual(result.p, count / len(every))

    def test_no_difference_at_all_gives_one(self):
        self.assertEqual(reallocation_test(np.ones(4), np.ones(5), rng()).p, 1.0)
