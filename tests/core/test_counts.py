"""Shares and rates: exact tests and intervals against R and published tables."""

import math
import unittest

import numpy as np

from oddtwin.core.decide import detail_lines
from oddtwin.core.effects import Measure, Shape, Studies, clopper_pearson, method_for
from oddtwin.core.readings import ResponseKind
from tests.builders import compared, groups, judged, pairs

YES_NO, COUNT = ResponseKind.YES_NO, ResponseKind.COUNT


def table(both, up, down, neither):
    """Readings of pairs of yes and no: so many of each of the four."""
    old = [1.0] * both + [0.0] * up + [1.0] * down + [0.0] * neither
    new = [1.0] * both + [1.0] * up + [0.0] * down + [0.0] * neither
    return pairs(old, new, kind=YES_NO)


class Shares(unittest.TestCase):
    def test_pairs(self):
        # Newcombe 1998 (data from memory); interval without correction of phi and exact McNemar,
        # computed with R 4.2.2 and Python.
        for cells, interval, p in (
            ((20, 12, 2, 16), (0.056156424841748265, 0.3292069954001405), 0.012939453125),
            ((36, 12, 2, 0), (0.05692958400323875, 0.3404276029749407), 0.012939453125),
            ((0, 30, 0, 0), (0.8394678198623838, 1.0), 1.86264514923096e-09),
            ((54, 0, 0, 0), (-0.06641358809089626, 0.06641358809089626), 1.0),
        ):
            result = compared(table(*cells)).inference
            np.testing.assert_allclose(result.ci95, interval, atol=1e-7)
            self.assertAlmostEqual(result.p_difference, p, places=9)

    def test_fisher(self):
        # The lady who tastes tea, 3 of 4 right (Fisher 1935, from memory): two-sided 34/70.
        result = compared(groups([1.0, 1.0, 1.0, 0.0], [0.0, 0.0, 0.0, 1.0], kind=YES_NO))
        self.assertAlmostEqual(result.inference.p_difference, 34 / 70)
        self.assertLess(result.inference.ci95[0], 0)
        self.assertGreater(result.inference.ci95[1], 0)

    def test_an_interval_never_excludes_what_its_test_keeps(self):
        # Five of five in pairs: McNemar's test cannot reject at 5 %.
        five = compared(table(0, 5, 0, 0)).inference
        self.assertAlmostEqual(five.p_difference, 0.0625)
        self.assertLessEqual(five.ci95[0], 0.0)
        self.assertGreater(compared(table(0, 6, 0, 0)).inference.ci95[0], 0.0)

    def test_exact_limits_of_one_share(self):
        # Computed with R 4.2.2 binom.test.
        for yes, tries, limits in (
            (0, 6, (0, 0.4593)),
            (5, 6, (0.3588, 0.9958)),
            (0, 10, (0, 0.308497107818761)),
            (81, 263, (0.252736745585271, 0.367621922601351)),
        ):
            found = [float(end[0]) for end in clopper_pearson(np.array([float(yes)]), tries, 0.95)]
            np.testing.assert_allclose(found, limits, atol=5e-5)
        # 0 of 4 failed: below 53 %, one-sided 95 %.
        self.assertAlmostEqual(clopper_pearson(np.zeros(1), 4, 0.90)[1][0], 0.5271, places=4)


class Rates(unittest.TestCase):
    def test_strings_in_six_and_six_prints(self):
        # Computed with R 4.2.2 poisson.test(c(3, 11), c(6, 6)): ratio of the first to the second.
        result = compared(groups([3, 2, 2, 1, 2, 1], [1, 0, 1, 0, 1, 0], kind=COUNT)).inference
        self.assertAlmostEqual(result.p_difference, 0.05737, places=5)
        self.assertAlmostEqual(result.ratio, 3 / 11)
        np.testing.assert_allclose(result.ratio_ci95, (0.0489, 1.0324), atol=5e-5)
        self.assertLess(result.ci95[0], 0)
        self.assertGreaterEqual(result.ci95[1], 0)

    def test_one_print_of_either_side_is_judged(self):
        result = compared(groups([2], [11], kind=COUNT)).inference
        # 2·P(X ≤ 2 | 13, ½) = 2·92/8192 (any table of the binomial).
        self.assertAlmostEqual(result.p_difference, 2 * 92 / 8192)

    def test_nothing_counted(self):
        result = compared(groups([0, 0, 0], [0, 0, 0], kind=COUNT), margin=3.0).inference
        self.assertEqual((result.p_difference, result.ratio), (1.0, None))
        # No event in three prints: at most 3.69 (any table of Garwood's limits), one to a print 1.23.
        np.testing.assert_allclose(result.ci95, (-3.688879 / 3, 3.688879 / 3), atol=1e-6)
        only = compared(groups([0, 0, 0], [4, 5, 3], kind=COUNT)).inference
        self.assertEqual(only.ratio_ci95[1], math.inf)

    def test_counts_that_scatter_more_than_they_should_prove_less(self):
        calm = compared(groups([4, 5, 4, 5], [9, 10, 9, 10], kind=COUNT)).inference
        wild = compared(groups([0, 12, 1, 5], [2, 25, 1, 10], kind=COUNT)).inference
        self.assertLess(calm.p_difference, 0.02)
        self.assertGreater(wild.p_difference, 0.05)
        self.assertIn("scatter", wild.method)

    def test_it_errs_no_more_often_than_it_says(self):
        rng = np.random.default_rng(4)
        for mean in (0.5, 3.0):
            for count in (3, 8):
                shape = Shape(COUNT, 0, count, count)
                base, change = (rng.poisson(mean, (4000, count)).astype(float) for _ in range(2))
                nothing = np.zeros(4000)
                studies = Studies(shape, nothing, np.empty((4000, 0)), base, change, nothing)
                ends = method_for(shape).infer_many(studies, Measure("A", "B"))
                held = np.mean((ends.low95 <= 0) & (ends.high95 >= 0))
                self.assertGreater(held, 0.95)


class OfEffects(unittest.TestCase):
    """Two effects on a share or a count, block by block: their difference has a sign, and is no share."""

    def interaction(self, kind, one, other, **more):
        return compared(pairs(one, other, kind=kind), of_effects=True, **more)

    def test_their_differences_are_judged_by_t_and_never_end_in_nothing(self):
        from scipy.stats import ttest_1samp

        for kind, one, other in (
            (YES_NO, [1.0, 0.0, 0.0, 1.0, -1.0, 1.0, 0.0], [0.0, -1.0, 1.0, 0.0, -1.0, 0.0, -1.0]),
            (COUNT, [3.0, -2.0, 5.0, 0.0, 4.0], [-4.0, -2.0, 1.0, -3.0, 0.0]),
        ):
            found = self.interaction(kind, one, other)
            expected = ttest_1samp(np.subtract(other, one), 0)
            self.assertAlmostEqual(found.inference.p_difference, expected.pvalue, places=9)
            np.testing.assert_allclose(found.inference.ci95, expected.confidence_interval(0.95), rtol=1e-9)
            self.assertAlmostEqual(found.estimate, float(np.mean(np.subtract(other, one))))

    def test_effects_on_a_share_differ_by_two_at_most(self):
        found = self.interaction(YES_NO, [1.0, -1.0], [-1.0, 0.0])
        self.assertEqual(found.inference.ci95, (-2.0, 2.0))
        alike = self.interaction(YES_NO, [0.0, 0.0, 0.0], [0.0, 0.0, 0.0])
        self.assertLess(alike.inference.ci95[0], 0.0)
        self.assertGreater(alike.inference.ci95[1], 0.0)

    def test_how_often_yes_is_told_of_answers_and_not_of_effects(self):
        answers = pairs([1.0, 0.0, 1.0], [0.0, 0.0, 1.0], kind=YES_NO)
        said = " ".join(detail_lines(judged(answers, Measure("A", "B"))))
        self.assertIn("A: yes in 2 of 3", said)
        effects = pairs([1.0, -1.0, 0.0], [-1.0, 0.0, -1.0], kind=YES_NO)
        said = " ".join(detail_lines(judged(effects, Measure("A", "B", of_effects=True))))
        self.assertNotIn("yes in", said)

    def test_effects_on_a_grade_differ_by_eight_steps_at_most(self):
        found = self.interaction(ResponseKind.GRADE, [4.0, 3.0], [-4.0, -2.0])
        self.assertEqual((found.estimate, found.inference.ci95), (-6.5, (-8.0, 8.0)))

    def test_of_no_interaction_at_most_one_in_twenty_says_there_is_one(self):
        rng = np.random.default_rng(4)
        for kind, draw, blocks in (
            (YES_NO, lambda: (rng.random((4, 2)) < 0.5).astype(float), 4),
            (COUNT, lambda: rng.poisson(6.0, (5, 2)).astype(float), 5),
        ):
            missed = 0
            for _ in range(400):
                one, other = (np.subtract(*draw().T) for _ in range(2))
                ends = self.interaction(kind, one.tolist(), other.tolist()).inference.ci95
                missed += not ends[0] <= 0 <= ends[1]
            # Of 400, 20 on the mean; 33 or more come once in two hundred times.
            self.assertLess(missed, 33, blocks)


if __name__ == "__main__":
    unittest.main()
