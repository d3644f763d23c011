"""Chances and numbers of further pairs, from the noncentral t."""

import math
import unittest

import numpy as np
from scipy import stats

from oddtwin.core.decide import detail_lines
from oddtwin.core.effects import (
    Measure,
    Shape,
    Truth,
    chance_beyond,
    chance_inside,
    further_prints,
    smallest_findable,
)
from oddtwin.core.readings import ResponseKind
from tests.builders import judged, pairs


def further(estimate, margin, differs, sd, have):
    """Further pairs, where the differences of those that are there have a standard deviation."""
    truth = Truth(estimate, sd / math.sqrt(2), margin)
    return further_prints(Shape(pairs=have, n_baseline=have, n_change=have), truth, differs)


class Chances(unittest.TestCase):
    def test_equivalence_power(self):
        # Exact power of two one-sided tests, computed in R 4.2.2 and Python by two routes.
        self.assertAlmostEqual(chance_inside(0.1, 0.6, 1 / math.sqrt(20), 19), 0.610031731421679, places=9)
        self.assertAlmostEqual(chance_inside(0, 1, math.sqrt(2 / 15), 28), 0.695405291574525, places=9)

    def test_bioequivalence_examples(self):
        # R PowerTOST documentation, sampleN.TOST (from memory, reproduced by calculation).
        for cv, n, power in ((0.25, 28, 0.807439), (0.30, 40, 0.815845), (0.20, 20, 0.834680)):
            sd = math.sqrt(math.log(1 + cv**2))
            chance = chance_inside(-math.log(0.95), math.log(1.25), sd * math.sqrt(2 / n), n - 2)
            self.assertAlmostEqual(chance, power, places=6)

    def test_chance_beyond_zero_is_the_power_of_the_t_test_but_for_its_far_tail(self):
        # pwr / R power.t.test, paired, n = 10, delta 0.8: 0.616232763475035 with both tails.
        near = chance_beyond(0.8, 1 / math.sqrt(10), 9)
        far = stats.nct.cdf(-stats.t.ppf(0.975, 9), 9, 0.8 * math.sqrt(10))
        self.assertAlmostEqual(near + far, 0.616232763475035, places=9)

    def test_chances_by_simulation(self):
        rng = np.random.default_rng(21)
        n, sd, margin, true = 7, 1.0, 1.2, 0.2
        data = rng.normal(true, sd, (40_000, n))
        half = stats.t.ppf(0.95, n - 1) * data.std(axis=1, ddof=1) / math.sqrt(n)
        inside = np.mean((data.mean(axis=1) - half > -margin) & (data.mean(axis=1) + half < margin))
        self.assertAlmostEqual(chance_inside(true, margin, sd / math.sqrt(n), n - 1), inside, delta=0.01)

    def test_chances_stay_between_nought_and_one(self):
        for se in (1e-9, 0.01, 1, 100):
            for df in (1, 2, 30, 2000):
                with self.subTest(se=se, df=df):
                    self.assertTrue(0 <= chance_inside(0.3, 1, se, df) <= 1)
                    self.assertTrue(0 <= chance_beyond(0.3, se, df) <= 1)


class Findable(unittest.TestCase):
    def test_the_smallest_difference_has_four_chances_in_five(self):
        for shape, error, df in (
            (Shape(pairs=10, n_baseline=10, n_change=10), math.sqrt(2 / 10), 9),
            (Shape(n_baseline=3, n_change=9), math.sqrt(1 / 3 + 1 / 9), 10),
        ):
            found = smallest_findable(shape, 1.0)
            edge, shift = stats.t.ppf(0.975, df), found / error
            chance = stats.nct.sf(edge, df, shift) + stats.nct.cdf(-edge, df, shift)
            self.assertAlmostEqual(chance, 0.8, delta=0.015)
            self.assertAlmostEqual(smallest_findable(shape, 2.5), 2.5 * found)

    def test_what_shows_nothing_finds_nothing(self):
        self.assertIsNone(smallest_findable(Shape(pairs=1, n_baseline=1, n_change=1), 1.0))
        five = Shape(ResponseKind.GRADE, 5, 5, 5)
        self.assertIsNone(smallest_findable(five, 0.5))

    def test_it_is_said_beside_what_is_not_odd(self):
        twin = judged(pairs([10.0, 10.2, 9.9, 10.1], [10.1, 10.0, 10.0, 10.2]), Measure("A", "B", 2.0))
        self.assertRegex(
            " ".join(detail_lines(twin)), r"would have shown a true difference of 0\.\d+ with 80"
        )
        few = judged(pairs([0.0] * 4, [1.0, 0.0, 0.0, 0.0], kind=ResponseKind.GRADE), Measure("A", "B", 1.0))
        self.assertIn("could show no difference, however large", " ".join(detail_lines(few)))
        odd = judged(pairs([10.0, 10.2, 9.9, 10.1], [20.1, 20.0, 20.0, 20.2]), Measure("A", "B", 2.0))
        self.assertFalse([line for line in detail_lines(odd) if "would have shown" in line])


class FurtherPairs(unittest.TestCase):
    def check_fewest(self, estimate, margin, sd, have, chance):
        needed = further(estimate, margin, True, sd, have)
        n = have + needed
        self.assertGreaterEqual(chance(sd / math.sqrt(n), n - 1), 0.8)
        if needed > 1:
            self.assertLess(chance(sd / math.sqrt(n - 1), n - 2), 0.8)

    def test_fewest_that_put_the_interval_beyond_the_margin(self):
        for estimate, sd, have in ((2.0, 1.0, 3), (-1.5, 0.8, 2), (1.1, 0.3, 5)):
            beyond = abs(estimate) - 1.0
            self.check_fewest(estimate, 1.0, sd, have, lambda se, df, b=beyond: chance_beyond(b, se, df))

    def test_fewest_that_put_the_interval_inside_the_margin(self):
        for estimate, sd, have in ((0.0, 1.0, 3), (0.5, 1.0, 2), (-0.8, 0.5, 4)):
            size = abs(estimate)
            self.check_fewest(estimate, 1.0, sd, have, lambda se, df, d=size: chance_inside(d, 1.0, se, df))

    def test_a_noisy_start_asks_for_whatever_tells_first(self):
        # Half way to the margin: finding the difference and ruling out the margin are as far off.
        for estimate in (0.0, 0.3, 0.5, 0.9, 1.0, 2.0):
            needed = further(estimate, 1.0, False, 2.5, 3)
            self.assertIsNotNone(needed)
            n = 3 + needed
            found = chance_beyond(estimate, 2.5 / math.sqrt(n), n - 1)
            inside = chance_inside(estimate, 1.0, 2.5 / math.sqrt(n), n - 1)
            self.assertGreaterEqual(max(found, inside), 0.8)

    def test_without_a_margin_the_interval_is_to_exclude_zero(self):
        # pwr: 34 pairs for d = 0.5 at 80 % (33.37 exactly); 4 are there already.
        self.assertEqual(further(0.5, None, False, 1.0, 4), 30)

    def test_beyond_reach(self):
        self.assertIsNone(further(1.0, 1.0, True, 1.0, 3))
        self.assertIsNone(further(0.999, 1.0, True, 1.0, 3))
        self.assertIsNone(further(0.0, None, False, 1.0, 3))

    def test_one_pair_and_a_noise_floor_grow_together(self):
        # Two pairs are judged by their own scatter and the floor that judged the first.
        alone = Shape(pairs=1, n_baseline=1, n_change=1, noise_df=9)
        known = further_prints(alone, Truth(4.0, 1.0, 1.0), True)
        unknown = further_prints(Shape(pairs=1, n_baseline=1, n_change=1), Truth(4.0, 1.0, 1.0), True)
        self.assertLess(known, unknown)
        # Without any scatter known, one pair more still judges.
        single = Shape(pairs=1, n_baseline=1, n_change=1)
        self.assertEqual(further_prints(single, Truth(5.0, 1e-9, 1.0), True), 1)


if __name__ == "__main__":
    unittest.main()
