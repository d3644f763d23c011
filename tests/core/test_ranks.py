"""Grades: the typical pair and its exact interval; Cliff's delta."""

import itertools
import unittest
from dataclasses import replace

import numpy as np
from scipy import stats

from oddtwin.core.effects import chance_of_wins, cliffs_delta, wins_allowed
from oddtwin.core.readings import ResponseKind
from tests.builders import compared, groups, pairs

GRADE = ResponseKind.GRADE


def of_pairs(differences, **asked):
    """Judge pairs of grades that differ so."""
    base = [max(0.0, -item) for item in differences]
    change = [max(0.0, item) for item in differences]
    return compared(pairs(base, change, kind=GRADE), **asked)


class SignTest(unittest.TestCase):
    def test_six_of_six_decide_and_five_do_not(self):
        # The sign test has no more to say of five pairs than 2 in 32, two-sided (any table).
        six = of_pairs([1, 2, 1, 1, 3, 1], margin=1.0).inference
        self.assertEqual((six.ci95, six.ci90), ((1.0, 3.0), (1.0, 3.0)))
        self.assertAlmostEqual(six.p_difference, 2 / 64)
        five = of_pairs([4, 4, 4, 4, 4], margin=1.0).inference
        self.assertEqual((five.ci95, five.ci90), ((-4.0, 4.0), (4.0, 4.0)))
        self.assertAlmostEqual(five.p_difference, 2 / 32)
        # Five of six one grade worse: it may be none.
        self.assertEqual(of_pairs([1, 1, 1, 1, 1, 0]).inference.ci95, (0.0, 1.0))

    def test_the_interval_runs_between_ordered_differences(self):
        # Ranks of the sign test for the median at 95 %, from any table: n = 8: 1, 9: 2, 12: 3, 20: 6.
        for count, rank in ((8, 1), (9, 2), (12, 3), (20, 6)):
            values = np.arange(count) % 5 - 2.0
            ordered = np.sort(values)
            self.assertEqual(of_pairs(values).inference.ci95, (ordered[rank - 1], ordered[-rank]))

    def test_it_holds_the_typical_pair_whatever_the_distribution(self):
        rng = np.random.default_rng(3)
        for chances in ((0.2, 0.8), (0.49, 0.51), (0.3, 0.1, 0.1, 0.1, 0.4)):
            median = next(k for k in range(5) if sum(chances[: k + 1]) >= 0.5)
            for count in (6, 9, 12):
                drawn = rng.choice(len(chances), p=chances, size=(400, count))
                held = [
                    low <= median <= high
                    for low, high in (of_pairs(row.astype(float)).inference.ci95 for row in drawn)
                ]
                self.assertGreater(np.mean(held), 0.93)

    def test_two_prints_of_each_arm_in_a_block_are_two_pairs(self):
        rows = [
            row
            for block in range(4)
            for row in (
                *pairs([0.0], [1.0], kind=GRADE, piece=f"p{block}"),
                *pairs([1.0], [2.0], kind=GRADE, piece=f"p{block}"),
            )
        ]
        named = [replace(row, pair=row.piece, run=f"{number}") for number, row in enumerate(rows)]
        result = compared(named)
        self.assertEqual(result.differences, (1.0,) * 8)
        self.assertAlmostEqual(result.inference.p_difference, 2 / 256)


class RankSum(unittest.TestCase):
    def test_wins_by_plain_enumeration(self):
        for base, change in ((1, 1), (2, 3), (4, 4), (5, 3)):
            ranks = range(base + change)
            wins = [
                sum(rank for rank in chosen) - sum(range(change))
                for chosen in itertools.combinations(ranks, change)
            ]
            for count in range(base * change + 1):
                share = np.mean([item <= count for item in wins])
                self.assertAlmostEqual(chance_of_wins(count, base, change), share, places=12)

    def test_tables(self):
        # Critical values of Mann and Whitney's U at 2.5 % a side (any table): 2, 5, 8, 13, 23, 37.
        for count, critical in ((5, 2), (6, 5), (7, 8), (8, 13), (10, 23), (12, 37)):
            self.assertEqual(wins_allowed(count, count, 0.025), critical + 1)
        # Where counting ends the normal distribution goes on.
        for count in (60, 61):
            rank = wins_allowed(count, count, 0.025)
            self.assertLessEqual(chance_of_wins(rank - 1, count, count), 0.025)
            self.assertGreater(chance_of_wins(rank, count, count), 0.025)

    def test_agrees_with_scipy_without_ties(self):
        rng = np.random.default_rng(12)
        for left, right in ((5, 5), (6, 9)):
            a, b = np.split(rng.permutation(left + right) / 4, [left])
            reference = stats.mannwhitneyu(b, a, method="exact").pvalue
            found = compared(groups(a, b, kind=GRADE)).inference.p_difference
            self.assertAlmostEqual(found, max(reference, 2 * 0.5**5 if min(left, right) == 5 else 2 * 0.5**6))

    def test_below_five_a_side_nothing_is_said(self):
        four = compared(groups([0.0] * 4, [4.0] * 4, kind=GRADE)).inference
        self.assertEqual(four.ci95, (-4.0, 4.0))
        self.assertAlmostEqual(four.p_difference, 2 / 16)
        five = compared(groups([0.0] * 5, [4.0] * 5, kind=GRADE), margin=1.0).inference
        self.assertEqual(five.ci90, (4.0, 4.0))


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
