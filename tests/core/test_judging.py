"""The arithmetic of judging by eye, against values computed elsewhere and against full enumeration."""

import itertools
import math
import random
import unittest
from fractions import Fraction

import numpy as np
from scipy import stats

from oddtwin.core.judge import (
    BlindTest,
    Grade,
    Lettered,
    Look,
    Scale,
    SealedKey,
    comparative,
    concordance,
    d_prime_of,
    discrimination,
    krippendorff,
    ladder,
    read_key,
    same_different,
    share_right,
    sorting_chances,
    sorting_tail,
    weighted_kappa,
)
from oddtwin.core.judge.luck import once_in

TEAMS = ("1", "2", "3", "4", "5", "6", "7")
# BradleyTerry2::baseball (Agresti, Categorical Data Analysis), wins of the row over the column.
WINS = (
    (0, 1, 7, 4, 2, 3, 1), (12, 0, 7, 2, 6, 7, 6), (6, 6, 0, 4, 4, 6, 5), (9, 11, 9, 0, 6, 5, 7),
    (11, 7, 9, 7, 0, 7, 9), (10, 6, 7, 8, 6, 0, 6), (12, 7, 8, 6, 4, 7, 0),
)  # fmt: skip


class Discriminating(unittest.TestCase):
    def test_psychometric_functions(self):
        # Integrals evaluated for the check values of this program (Ennis 1993; Bi 2006; ASTM E2262).
        for test, at_one, at_two in (
            (BlindTest.PAIR, 0.7602499389065233, 0.9213503964748574),
            (BlindTest.TRIANGLE, 0.41804667471463913, 0.6048069327721887),
            (BlindTest.DUO_TRIO, 0.582475444228876, 0.7468202455460692),
        ):
            self.assertAlmostEqual(share_right(test, 1.0), at_one, 9)
            self.assertAlmostEqual(share_right(test, 2.0), at_two, 9)
            self.assertAlmostEqual(d_prime_of(test, at_two), 2.0, 6)

    def test_ten_of_fifteen_triangles(self):
        # Computed in R 4.2.2 (binom.test) and by the functions above.
        found = discrimination(BlindTest.TRIANGLE, 15, 10)
        self.assertAlmostEqual(found.chance, 0.00850427144032643, 9)
        self.assertEqual(found.fewest_correct, 9)
        for value, expected in zip(found.seeing_ci95, (0.0757055988, 0.8226383449), strict=True):
            self.assertAlmostEqual(value, expected, 7)
        self.assertAlmostEqual(found.seeing_at_least, 0.133834505, 7)
        self.assertAlmostEqual(found.d_prime, 2.321376917, 4)
        self.assertAlmostEqual(found.d_prime_ci95[1], 3.824279957, 4)

    def test_below_chance_and_all_right(self):
        below = discrimination(BlindTest.TRIANGLE, 30, 7)
        self.assertEqual((below.seeing, below.d_prime), (0.0, 0.0))
        self.assertAlmostEqual(below.seeing_at_most, 0.09092113378, 8)
        every = discrimination(BlindTest.TRIANGLE, 20, 20)
        self.assertEqual((every.seeing, every.d_prime), (1.0, math.inf))
        # So few trials can show nothing, and no share of looks would have been found.
        self.assertIsNone(discrimination(BlindTest.PAIR, 4, 4).findable)

    def test_what_is_findable_is_found_in_four_of_five(self):
        found = discrimination(BlindTest.TRIANGLE, 30, 10)
        share = 1 / 3 + 2 / 3 * found.findable
        from scipy.stats import binom

        self.assertAlmostEqual(binom.sf(found.fewest_correct - 1, 30, share), 0.8, 6)

    def test_refused(self):
        for trials, correct in ((0, 0), (5, 6), (5, -1)):
            self.assertRaises(ValueError, discrimination, BlindTest.PAIR, trials, correct)
        self.assertRaises(ValueError, discrimination, BlindTest.MATCHING, 4, 4)


class HowOftenLuckDoesIt(unittest.TestCase):
    def test_it_is_told_as_a_person_would(self):
        for chance, said in (
            (1.0, "always, or nearly so"), (0.995, "always, or nearly so"), (0.994, "99 times in a hundred"),
            (0.101, "10 times in a hundred"), (0.1, "once in 10"), (1 / 32, "once in 32"),
            (1e-6, "once in 1 000 000"), (0.9e-6, "less than once in a million"),
            (0.0, "less than once in a million"),
        ):  # fmt: skip
            with self.subTest(chance):
                self.assertEqual(once_in(chance).replace("\u202f", " ").replace("\xa0", " "), said)


class SameOrDifferent(unittest.TestCase):
    def test_the_differencing_model_both_ways(self):
        # P(different | twins) = 2Φ(−k/√2), P(different | odd) as in the module; recovered from exact shares.
        for d, k in ((0.5, 1.0), (1.5, 1.8), (3.0, 2.2)):
            phi = lambda z: 0.5 * math.erfc(-z / math.sqrt(2))  # noqa: E731
            root = math.sqrt(2)
            hits, false = phi((d - k) / root) + phi((-d - k) / root), 2 * phi(-k / root)
            from oddtwin.core.judge.same_different import d_prime_of_shares

            self.assertAlmostEqual(d_prime_of_shares(hits, false), d, 8)

    def test_against_scipy_and_without_twins(self):
        from scipy.stats import fisher_exact

        found = same_different(10, 8, 9, 2)
        expected = fisher_exact([[8, 2], [2, 7]], alternative="greater").pvalue
        self.assertAlmostEqual(found.chance, expected, 12)
        alone = same_different(10, 8, 0, 0)
        self.assertEqual((alone.chance, alone.d_prime, alone.false_alarms), (None, None, None))
        self.assertEqual(same_different(10, 1, 10, 4).d_prime, 0.0)
        self.assertRaises(ValueError, same_different, 0, 0, 4, 1)


class Sorting(unittest.TestCase):
    def test_equals_trying_every_order(self):
        dice = random.Random(3)
        for _ in range(30):
            truth = [dice.choice("abc") for _ in range(dice.randint(1, 6))]
            answers = [dice.choice("abc") for _ in truth]
            counts = [0] * (len(truth) + 1)
            for order in itertools.permutations(answers):
                counts[sum(a == b for a, b in zip(truth, order, strict=True))] += 1
            whole = math.factorial(len(truth))
            self.assertEqual(sorting_chances(truth, answers), [Fraction(n, whole) for n in counts])

    def test_rencontres_and_hypergeometric(self):
        # OEIS A008290 for four prints of four arms; C(4,k)²/C(8,4) for four each of two.
        four = [float(24 * chance) for chance in sorting_chances("abcd", "abcd")]
        self.assertEqual(four, [9, 8, 6, 0, 1])
        two = sorting_chances("aaaabbbb", "aaaabbbb")
        self.assertEqual(two[6], Fraction(16, 70))
        self.assertEqual(two[8], Fraction(1, 70))

    def test_several_sittings_together(self):
        # Five judges, three prints: upper tail of the total, computed by convolution for the check values.
        sitting = ("abc", "abc")
        self.assertAlmostEqual(sorting_tail([sitting] * 5, 10), 0.030349794238683128, 12)
        self.assertAlmostEqual(sorting_tail([sitting] * 5, 0), 1.0)
        self.assertRaises(ValueError, sorting_chances, "ab", "a")


class Preferring(unittest.TestCase):
    def looks(self):
        return [Look(i, j, -1, won) for i, row in enumerate(WINS) for j, won in enumerate(row) if won]

    def test_bradley_terry_as_r_has_it(self):
        found = ladder(TEAMS, self.looks())
        worth = (0.0, 1.1076977, 0.6838528, 1.4364084, 1.5813559, 1.2476178, 1.2944851)
        errors = (0.0, 0.3338782, 0.3318767, 0.3395685, 0.3432560, 0.3358609, 0.3366694)
        for value, expected in zip(found.log_worth, worth, strict=True):
            self.assertAlmostEqual(value, expected, 6)
        for value, expected in zip(found.errors, errors, strict=True):
            self.assertAlmostEqual(value, expected, 6)
        self.assertAlmostEqual(found.log_likelihood, -172.24817599, 6)
        self.assertEqual(found.order[0], 4)

    def test_davidsons_ties_in_closed_form(self):
        # Two items: worth 20/12, ν = 8/√(12·20), errors √(1/12 + 1/20 …) as computed for the check values.
        found = ladder("ab", [Look(0, 1, -1, 12), Look(0, 1, 1, 20), Look(0, 1, 0, 8)])
        self.assertAlmostEqual(found.log_worth[1], math.log(20 / 12), 9)
        self.assertAlmostEqual(found.errors[1], 0.3651483716701107, 7)
        self.assertAlmostEqual(found.tie, math.log(8 / math.sqrt(240)), 9)
        self.assertAlmostEqual(found.tie_error, 0.39791121287711073, 7)
        self.assertAlmostEqual(found.against(1, 0), 20 / 32, 9)

    def test_a_liking_for_the_left_is_no_preference(self):
        # Of 40 looks each way round the left one is chosen 30 times: nobody prefers anything but a side.
        looks = [Look(0, 1, -1, 30), Look(0, 1, 1, 10), Look(1, 0, -1, 30), Look(1, 0, 1, 10)]
        found = ladder("ab", looks, sides=True)
        self.assertAlmostEqual(found.log_worth[1], 0.0, 8)
        self.assertAlmostEqual(found.side, math.log(3), 8)

    def test_what_looks_leave_open_is_told_as_open(self):
        # Both won all against the middle one and never met: nothing says which is better, but who is worst.
        found = ladder("abc", [Look(0, 1, -1, 5), Look(2, 1, -1, 9)])
        self.assertTrue(math.isnan(found.log_worth[2]) and math.isnan(found.against(0, 2)))
        self.assertEqual((found.log_worth[1], found.gaps[2, 1], found.order[2]), (-math.inf, math.inf, 1))
        # Nobody can tell any apart: no worth is known, and no error of it.
        found = ladder("ab", [Look(0, 1, 0, 4)])
        self.assertTrue(math.isnan(found.log_worth[1]))
        self.assertEqual((found.errors[1], found.tie), (math.inf, math.inf))

    def test_the_order_above_one_that_always_lost_is_that_of_their_looks(self):
        looks = [Look(0, 1, 1, 9), Look(0, 2, 1, 3), Look(1, 2, -1, 5), Look(1, 2, 1, 15)]
        found = ladder("abc", looks)
        self.assertEqual((found.log_worth, found.order), ((0.0, math.inf, math.inf), (2, 1, 0)))
        self.assertAlmostEqual(found.against(2, 1), 0.75, 9)
        # What won against both others says nothing of how sure those are of each other.
        found = ladder("abc", [Look(0, 1, -1, 12), Look(0, 1, 1, 20), Look(2, 0, -1, 6), Look(2, 1, -1, 6)])
        self.assertAlmostEqual(found.errors[1], math.sqrt(1 / 12 + 1 / 20), 7)
        self.assertEqual((found.log_worth[2], found.errors[2]), (math.inf, math.inf))

    def test_all_won_has_no_bound_and_apart_no_ladder(self):
        found = ladder("ab", [Look(0, 1, 1, 9)])
        self.assertEqual((found.log_worth[1], found.errors[1]), (math.inf, math.inf))
        self.assertEqual(found.against(1, 0), 1.0)
        with self.assertRaisesRegex(ValueError, "never compared"):
            ladder("abcd", [Look(0, 1, 1), Look(2, 3, 1)])
        self.assertRaises(ValueError, ladder, "ab", [])


class Comparing(unittest.TestCase):
    def drawn(self, better, side, times, seed):
        """Grades by the model itself, with thresholds ±0.5 and ±1.5."""
        dice, found = random.Random(seed), []
        for number in range(times):
            way = number % 2
            at = better * (1 - 2 * way) + side
            draw = dice.random()
            logit = math.log(draw / (1 - draw)) + at
            value = sum(logit > edge for edge in (-1.5, -0.5, 0.5, 1.5)) - 2
            found.append(Grade(way, 1 - way, value))
        return found

    def test_recovers_what_is_true(self):
        found = comparative(self.drawn(0.8, 0.4, 6000, 1))
        self.assertAlmostEqual(found.better, 0.8, delta=0.12)
        self.assertAlmostEqual(found.side, 0.4, delta=0.12)
        self.assertTrue(found.ci95[0] < 0.8 < found.ci95[1])

    def test_errs_once_in_twenty_and_its_interval_holds(self):
        false = missed = 0
        for seed in range(50):
            found = comparative(self.drawn(0.0, 0.3, 24, seed))
            false += found.p <= 0.05
            missed += not found.ci95[0] <= 0.0 <= found.ci95[1]
        # Binomial with 50 draws: 2.5 expected, three standard deviations up.
        self.assertLess(false, 8)
        self.assertLess(missed, 8)

    def test_its_interval_is_what_its_test_does_not_refuse(self):
        # Drawn so that p lies just above or just below .05.
        for seed, low, high in ((5, 0.03, 0.05), (13, 0.03, 0.05), (9, 0.05, 0.08)):
            found = comparative(self.drawn(0.9, 0.3, 24, seed))
            self.assertTrue(low < found.p < high, found.p)
            self.assertEqual(found.ci95[0] <= 0.0 <= found.ci95[1], found.p > 0.05)

    def test_all_say_the_same(self):
        found = comparative([Grade(0, 1, 2)] * 8)
        self.assertEqual(found.better, math.inf)
        self.assertLess(found.p, 0.01)
        self.assertGreater(found.ci95[0], 0)
        # Where all eight say the most, the thresholds close up, and the likelihood is 8·log(logit⁻¹(better)).
        share = math.exp(-3.841458820694124 / 2 / 8)
        self.assertAlmostEqual(found.ci95[0], math.log(share / (1 - share)), 5)
        nothing = comparative([Grade(0, 1, 0), Grade(1, 0, 0)] * 5)
        self.assertAlmostEqual(nothing.p, 1.0, 3)
        self.assertTrue(math.isnan(nothing.better) and nothing.side is None)

    def test_what_grades_leave_open_has_no_figure(self):
        # Better by the least grade each time: as unbounded as by the most.
        small = comparative([Grade(0, 1, 1), Grade(1, 0, -1)] * 4)
        self.assertEqual((small.better, small.side, small.ci95[1]), (math.inf, None, math.inf))
        # Always the right one: all of it may be a liking for the right.
        right = comparative([Grade(0, 1, 1), Grade(1, 0, 1)] * 4)
        self.assertEqual((right.side, right.ci95), (math.inf, (-math.inf, math.inf)))
        # Worth, side and thresholds run off together, and no edge of the search may stop one of them.
        some = comparative([Grade(0, 1, 0), Grade(0, 1, 0), Grade(0, 1, -1), Grade(1, 0, -1)])
        self.assertEqual((some.better, some.side, some.ci95[1]), (math.inf, None, math.inf))
        self.assertAlmostEqual(some.ci95[0], -0.818, 2)

    def test_nothing_is_refused(self):
        for bad in ([], [Grade(0, 1, 3)], [Grade(0, 0, 1)]):
            self.assertRaises(ValueError, comparative, bad)


class Agreeing(unittest.TestCase):
    def test_kappa_as_vcd_has_it(self):
        # vcd::SexualFun: unweighted .1293 (.0686), linear .2374 (.0783), quadratic computed in R 4.2.2.
        table = np.array([[7, 7, 2, 3], [2, 8, 3, 7], [1, 5, 4, 9], [2, 8, 9, 14]], float)
        for power, value, error in (
            (0, 0.12933025404157, 0.0685985324807086),
            (1, 0.237380627557981, 0.0783163347783729),
            (2, 0.332045586246861, 0.0972975219586046),
        ):
            found = weighted_kappa(table, power)
            self.assertAlmostEqual(found.value, value, 9)
            self.assertAlmostEqual(found.error, error, 9)
        self.assertRaises(ValueError, weighted_kappa, np.zeros((3, 3)))
        self.assertRaises(ValueError, weighted_kappa, np.diag([5.0, 0.0]))

    def test_kendalls_w_with_ties_and_its_exact_chance(self):
        # Hollander and Wolfe 1973 (R help of friedman.test): 11.143 on 2; exact chance by all orders.
        data = np.array([[7, 6, 5, 4], [8, 6, 6, 5], [6, 7, 5, 5], [9, 8, 7, 7], [7, 7, 6, 4], [6, 5, 5, 5],
                         [8, 9, 6, 5], [7, 5, 6, 4]], float)  # fmt: skip
        found = concordance(data)
        self.assertAlmostEqual(found.w, 0.7586805555555556, 9)
        self.assertAlmostEqual(found.p, 1.536344468021262e-05, 12)
        self.assertTrue(found.exact)
        self.assertEqual(found.rank_sums, (29.5, 24.0, 16.5, 10.0))
        self.assertAlmostEqual(found.least_apart, 10.1212105, 5)

    def test_many_items_are_judged_by_f(self):
        rng = np.random.default_rng(2)
        found = concordance(np.arange(9) + rng.normal(0, 0.1, (5, 9)))
        self.assertFalse(found.exact)
        self.assertLess(found.p, 1e-6)
        # Iman and Davenport 1980 (from memory): F = (b − 1)Q / (b(k − 1) − Q) on k − 1 and (b − 1)(k − 1).
        mixed = rng.normal(np.arange(8) / 3, 1, (6, 8))
        q = stats.friedmanchisquare(*mixed.T).statistic
        self.assertAlmostEqual(concordance(mixed).p, stats.f.sf(5 * q / (6 * 7 - q), 7, 35), 12)
        self.assertRaises(ValueError, concordance, np.ones((3, 3)))
        self.assertRaises(ValueError, concordance, np.ones((1, 3)))

    def test_krippendorffs_own_example(self):
        # Computing Krippendorff's Alpha-Reliability, 2011 (data from memory): .743, .815, .849.
        judges = (
            (1, 2, 3, 3, 2, 1, 4, 1, 2, None, None, None), (1, 2, 3, 3, 2, 2, 4, 1, 2, 5, None, 3),
            (None, 3, 3, 3, 2, 3, 4, 2, 2, 5, 1, None), (1, 2, 3, 3, 2, 4, 4, 1, 2, 5, 1, None),
        )  # fmt: skip
        units = [[one for one in unit if one is not None] for unit in zip(*judges, strict=True)]
        for scale, value in (
            (Scale.NOMINAL, 0.743421),
            (Scale.ORDINAL, 0.815388),
            (Scale.INTERVAL, 0.849107),
        ):
            self.assertAlmostEqual(krippendorff(units, scale), value, 6)
        self.assertIsNone(krippendorff([[1, 1], [1, 1]], Scale.NOMINAL))
        self.assertIsNone(krippendorff([[1], [2]], Scale.NOMINAL))


class Key(unittest.TestCase):
    KEY = SealedKey({"B": Lettered("new", "P2Q"), "A": Lettered("old", "K7M")}, "5f")

    def test_a_commitment_shows_that_nothing_was_changed(self):
        letters = '{"A": {"arm": "old", "print": "K7M"}, "B": {"arm": "new", "print": "P2Q"}}'
        whole = f'{{"letters": {letters}, "nonce": "5f", "commitment": "{self.KEY.commitment}"}}'
        key, kept = read_key(whole)
        self.assertEqual((key.letters, kept), (self.KEY.letters, True))
        self.assertIs(read_key(whole.replace("K7M", "K7N"))[1], False)
        self.assertIs(read_key(whole.replace('"5f"', '"60"'))[1], False)
        self.assertEqual(len(self.KEY.commitment), 64)

    def test_a_plain_key_and_what_is_none(self):
        key, kept = read_key('{"A": "old", "B": "new"}')
        self.assertEqual((key.letters["B"], kept), (Lettered("new"), None))
        for bad in ("", "[]", "{}", '{"A": 3}', '{"letters": {}}', '{"A": {"print": "K7M"}}'):
            with self.assertRaises(ValueError, msg=bad):
                read_key(bad)


if __name__ == "__main__":
    unittest.main()
