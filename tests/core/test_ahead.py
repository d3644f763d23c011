"""Before printing: power, luck, and what cannot be told apart."""

import itertools
import math
import random
import re
import unittest

import numpy as np
from scipy import stats

from oddtwin.core.confounding import Column, ColumnKind, check_confounding
from oddtwin.core.effects import (
    Shape,
    chance_different,
    chance_inside,
    chances_of,
    over_scatter,
    pairs_needed,
)
from oddtwin.core.judge import BlindTest, luck, matching_chances

PAIRED, UNPAIRED = Shape(pairs=1), Shape()

FACTOR, NUISANCE, TREND = ColumnKind.FACTOR, ColumnKind.NUISANCE, ColumnKind.TREND


class Power(unittest.TestCase):
    def test_sample_sizes_of_the_handbooks(self):
        # Cohen 1988 (64, 394, 26 in each group; 34 pairs), printed figures from memory,
        # computed with R 4.2.2 power.t.test(strict = TRUE).
        for delta, count in ((0.5, 64), (0.2, 394), (0.8, 26)):
            self.assertEqual(pairs_needed(UNPAIRED, 1.0, delta, 0.8), count)
        # Cohen's paired figure has the standard deviation of the differences as its unit.
        self.assertEqual(pairs_needed(PAIRED, 1 / math.sqrt(2), 0.5, 0.8), 34)

    def test_power_figures(self):
        # Computed with R 4.2.2 power.t.test(strict = TRUE); the second is in its help page.
        paired = chances_of(PAIRED, 1 / math.sqrt(2), 0.8, [10])[0]
        self.assertAlmostEqual(paired.p_find_margin, 0.616232763475035, places=7)
        for delta, count, power in ((0.5, 64, 0.801459557922328), (1.0, 20, 0.868953027724586)):
            equal = chance_different(delta, math.sqrt(2 / count), 2 * count - 2)
            self.assertAlmostEqual(equal, power, places=7)
            # Welch's test gives up a little for not trusting equal scatter.
            welch = chances_of(UNPAIRED, 1.0, delta, [count])[0].p_find_margin
            self.assertTrue(power - 0.003 < welch < power, (welch, power))

    def test_two_prints_a_side_find_little(self):
        # At four standard deviations an equal-variance test finds .565; the verdict goes on to Welch
        # where the sides plainly scatter unlike: 400 000 studies through scipy's tests, chosen by F.
        self.assertAlmostEqual(chance_different(4.0, 1.0, 2), 0.565, delta=0.002)
        rng = np.random.default_rng(8)
        base, change = rng.normal(0, 1, (400_000, 2)), rng.normal(4, 1, (400_000, 2))
        ratio = base.var(axis=1, ddof=1) / change.var(axis=1, ddof=1)
        unlike = np.maximum(ratio, 1 / ratio) > stats.f.ppf(0.99, 1, 1)
        alike, welch = (
            stats.ttest_ind(base, change, axis=1, equal_var=equal).pvalue < 0.05 for equal in (True, False)
        )
        found = np.mean(np.where(unlike, welch, alike))
        self.assertAlmostEqual(chances_of(UNPAIRED, 1.0, 4.0, [2])[0].p_find_margin, found, delta=0.003)

    def test_power_of_two_one_sided_tests(self):
        # Exact (Owen's Q) figures, computed with two independent routes in R 4.2.2 and Python.
        self.assertAlmostEqual(chance_inside(0.1, 0.6, 1 / math.sqrt(20), 19), 0.610031731421679, places=7)
        self.assertAlmostEqual(chance_inside(0, 1, math.sqrt(2 / 15), 28), 0.695405291574525, places=7)

    def test_more_pairs_never_find_less_and_extremes_stay_chances(self):
        for sd, margin in itertools.product((1e-6, 0.3, 5.0, 1e6), (1e-3, 1.0, 1e4)):
            found = chances_of(PAIRED, sd, margin, range(2, 13))
            for one, two in itertools.pairwise(found):
                self.assertLessEqual(one.p_find_margin, two.p_find_margin + 1e-9)
            for item in found:
                self.assertTrue(0 <= item.p_find_margin <= 1 and 0 <= item.p_establish_twin <= 1)

    def test_extreme_figures_stay_chances(self):
        sizes = (1e-9, 1e-3, 1.0, 12.5, 1e9)
        for sd, margin, df in itertools.product(sizes, sizes, (0.0, 1e-3, 0.5, 1.0, 12.5, 1e5, 1e9)):
            for item in chances_of(Shape(pairs=1, noise_df=df), sd, margin, (1, 2, 3, 12, 100)):
                if df or item.pairs > 1:
                    self.assertTrue(0 <= item.p_find_margin <= 1, (sd, margin, df, item))
                    self.assertTrue(0 <= item.p_establish_twin <= 1, (sd, margin, df, item))
        # Where the noncentral t of the library gives up, the integral over the scatter takes over.
        self.assertAlmostEqual(chances_of(PAIRED, 1.0, 12.5, [2])[0].p_find_margin, 0.6733, places=4)

    def test_the_integral_over_the_scatter_is_the_noncentral_t(self):
        from scipy.special import nctdtr, ndtr, stdtrit

        for df, shift in itertools.product((1, 2, 5, 12, 40), (0.0, 0.5, 2.0, 4.0)):
            critical = float(stdtrit(df, 0.975))
            integral = over_scatter(
                lambda ratio, c=critical, s=shift: ndtr(s - c * ratio) + ndtr(-s - c * ratio), df
            )
            exact = 1 - nctdtr(df, shift, critical) + nctdtr(df, shift, -critical)
            self.assertAlmostEqual(integral, float(exact), places=9)

    def test_simulated_studies_find_the_margin_as_often_as_they_should(self):
        import numpy as np

        rng = np.random.default_rng(3)
        for pairs, margin in ((2, 12.5), (3, 2.0), (6, 1.0)):
            found = rng.normal(margin, 2**0.5, (200_000, pairs))
            t = found.mean(1) / (found.std(1, ddof=1) / pairs**0.5)
            critical = {2: 12.7062, 3: 4.3027, 6: 2.5706}[pairs]
            power = chances_of(PAIRED, 1.0, margin, [pairs])[0].p_find_margin
            self.assertAlmostEqual(float((abs(t) > critical).mean()), power, delta=0.004)

    def test_one_pair_needs_a_known_noise_floor(self):
        self.assertIsNone(chances_of(PAIRED, 1.0, 2.0, [1])[0].p_find_margin)
        known = chances_of(Shape(pairs=1, noise_df=8), 1.0, 2.0, [1])[0]
        self.assertTrue(0.1 < known.p_find_margin < 0.4)

    def test_figures_without_meaning_are_refused(self):
        for act in (
            lambda: chances_of(PAIRED, 0.0, 1.0, [3]),
            lambda: Shape(noise_df=-1.0),
            lambda: chances_of(PAIRED, 1.0, -1.0, [3]),
            lambda: chances_of(PAIRED, 1.0, 1.0, [0]),
        ):
            with self.assertRaises(ValueError):
                act()
        self.assertIsNone(pairs_needed(PAIRED, 1.0, 1e-4, 0.8))


# Fewest right at 5 %: exact binomial; ISO 4120 and ISO 5495 / ISO 10399 tables from memory.
TRIANGLE = {6: 5, 7: 5, 8: 6, 12: 8, 18: 10, 24: 13, 30: 15, 36: 18, 48: 22, 60: 27, 100: 42}
HALF = {6: 6, 7: 7, 8: 7, 12: 10, 18: 13, 24: 17, 30: 20, 36: 24, 48: 31, 60: 37, 100: 59}


class Guessing(unittest.TestCase):
    def test_the_tables_of_the_standards(self):
        for test, table in (
            (BlindTest.TRIANGLE, TRIANGLE),
            (BlindTest.PAIR, HALF),
            (BlindTest.DUO_TRIO, HALF),
        ):
            for trials, fewest in table.items():
                self.assertEqual(luck(test, trials, 0).fewest_correct, fewest, (test, trials))
                self.assertLessEqual(luck(test, trials, fewest).chance, 0.05)
                self.assertGreater(luck(test, trials, fewest - 1).chance, 0.05)

    def test_sorting_back_against_all_orders(self):
        for prints in range(1, 8):
            counts = [0] * (prints + 1)
            for order in itertools.permutations(range(prints)):
                counts[sum(a == b for a, b in enumerate(order))] += 1
            total = math.factorial(prints)
            for right, chance in enumerate(matching_chances(prints)):
                self.assertEqual(chance * total, counts[right])
        # Four of four by luck once in 24; rencontres numbers of four: 9, 8, 6, 0, 1.
        self.assertEqual([round(float(c) * 24) for c in matching_chances(4)], [9, 8, 6, 0, 1])
        self.assertAlmostEqual(luck(BlindTest.MATCHING, 4, 4).chance, 1 / 24)
        self.assertEqual(luck(BlindTest.MATCHING, 4, 4).fewest_correct, 4)
        self.assertIsNone(luck(BlindTest.MATCHING, 3, 3).fewest_correct)
        self.assertIn("cannot be", luck(BlindTest.MATCHING, 4, 3).sentence)
        self.assertAlmostEqual(luck(BlindTest.MATCHING, 4, 3).chance, 1 / 24)

    def test_no_difference_is_never_claimed(self):
        for test in BlindTest:
            for correct in range(9):
                sentence = luck(test, 8, correct).sentence
                self.assertNotIn("no difference", sentence)

    def test_numbers_that_cannot_be(self):
        for trials, correct in ((0, 0), (5, 6), (5, -1), (10**9, 1)):
            with self.assertRaises(ValueError):
                luck(BlindTest.PAIR, trials, correct)


def column(name, kind, values):
    return Column(name, kind, tuple(str(value) for value in values))


def repaired_columns(columns, found, names, labels):
    """The columns after the repair that is advised; None where it advises to draw anew."""
    factor, other = names.index("part"), names.index(found.columns[1])
    values = [list(item.values) for item in columns]
    if found.repair.startswith("Swap"):
        one, two = (labels.index(word) for word in re.findall(r"R\d+", found.repair))
        values[other][one], values[other][two] = values[other][two], values[other][one]
    elif found.repair.startswith("Add"):
        like = re.search(r"like (R\d+)", found.repair)
        for level, value in re.findall(r"part (\w) and \w+ (\w)", found.repair):
            row = labels.index(like[1]) if like else 0
            for place, item in enumerate(values):
                item.append(str(len(item)) if columns[place].kind is TREND else item[row])
            values[factor][-1], values[other][-1] = level, value
    else:
        return None
    return [column(item.name, item.kind, new) for item, new in zip(columns, values, strict=True)]


class Mixing(unittest.TestCase):
    def check(self, *columns):
        return check_confounding(columns, [f"R{n}" for n in range(len(columns[0].values))])

    def test_part_and_machine_with_the_two_prints_to_swap(self):
        part = column("part", FACTOR, ["old"] * 4 + ["new"] * 4)
        machine = column("machine", NUISANCE, ["Marlow"] * 4 + ["Tessel"] * 4)
        (found,) = self.check(part, machine, column("order", TREND, [1, 5, 2, 6, 3, 7, 4, 8]))
        self.assertEqual(found.columns, ("part", "machine"))
        self.assertIn("Every print with part new has machine Tessel", found.sentence)
        self.assertIn("cannot be told apart", found.sentence)
        self.assertRegex(found.repair, r"Swap two prints: R[0-3] with machine Tessel, and R[4-7] with")

    def test_the_swap_that_is_advised_works(self):
        rng = random.Random(5)
        for _ in range(60):
            labels = [f"R{n}" for n in range(8)]
            part = [rng.choice("ab") for _ in range(7)] + ["a"]
            if len(set(part)) < 2:
                continue
            machine = ["x" if value == "a" else "y" for value in part]
            (found,) = check_confounding(
                [column("part", FACTOR, part), column("machine", NUISANCE, machine)], labels
            )
            if "Swap" not in found.repair:
                continue
            one, two = (int(word[1:]) for word in found.repair.replace(",", " ").split() if word[0] == "R")
            machine[one], machine[two] = machine[two], machine[one]
            again = check_confounding(
                [column("part", FACTOR, part), column("machine", NUISANCE, machine)], labels
            )
            self.assertFalse([item for item in again if item.vif is None])

    def test_a_balanced_plan_is_clean(self):
        part = column("part", FACTOR, ["a", "b", "b", "a"] * 3)
        others = [
            column("machine", NUISANCE, ["x"] * 6 + ["y"] * 6),
            column("pair", NUISANCE, [n // 2 for n in range(12)]),
            column("order", TREND, range(12)),
            column("operator", NUISANCE, [""] * 12),
            # One day for every print is scatter, not something mixed with the part.
            column("day", NUISANCE, range(12)),
        ]
        self.assertEqual(self.check(part, *others), [])

    def test_two_nuisances_together_hide_a_factor(self):
        spool, day = ["p", "p", "q", "q"] * 3, ["m", "n", "m", "n"] * 3
        # Neither alone, but both together tell the part: new is the sum of the two.
        part = ["0" if s == "p" and d == "m" else "2" if s == "q" and d == "n" else "1" for s, d in
                zip(spool, day, strict=True)]  # fmt: skip
        coded = column("part", FACTOR, part)
        trend = Column("part", TREND, tuple(part))
        self.assertEqual(trend.coded().shape, (12, 1))
        found = self.check(coded, column("spool", NUISANCE, spool), column("day", NUISANCE, day))
        self.assertEqual(found[0].columns, ("part", "spool", "day"))

    def test_factors_that_always_go_together_are_named_once(self):
        (found,) = self.check(
            column("belt", FACTOR, "ababab"),
            column("gear", FACTOR, "xyxyxy"),
            column("fan", FACTOR, "mmnnmn"),
        )
        self.assertEqual(set(found.columns), {"belt", "gear"})
        self.assertIn("changed together", found.sentence)

    def test_order_and_near_mixing(self):
        (found,) = self.check(column("part", FACTOR, "aabb"), column("order", TREND, [1, 2, 3, 4]))
        self.assertIn("any drift passes for the change", found.sentence)
        self.assertEqual(found.repair, "Print part a once more at the end.")
        # That one print parts them.
        five = self.check(column("part", FACTOR, "aabba"), column("order", TREND, [1, 2, 3, 4, 5]))
        self.assertEqual([item for item in five if item.vif is None], [])
        (few,) = self.check(column("part", FACTOR, "abcd"), column("order", TREND, [2, 4, 3, 1]))
        self.assertIn("too few prints to tell order from change", few.sentence)
        self.assertNotIn("huffle", few.repair)
        (near,) = self.check(
            column("part", FACTOR, "a" * 10 + "b" * 10), column("machine", NUISANCE, "x" * 10 + "y" * 9 + "x")
        )
        # One print in twenty off: R² = 9/11, so the usual formula gives 1/(1 − R²) = 5.5.
        self.assertAlmostEqual(near.vif, 5.5)

    def test_three_columns_together_hide_a_factor(self):
        bits = [(a, b, c) for a in "01" for b in "01" for c in "01"]
        part = ["new" if f"{a}{b}{c}".count("1") % 2 else "old" for a, b, c in bits]
        # The parity of three is no sum of them; of the two that hold it half each, it is.
        one = [f"{a}{b}" for a, b, _ in bits]
        sums = [str(int(a) + int(b) + int(c)) for a, b, c in bits]
        found = self.check(
            column("part", FACTOR, sums),
            *(
                column(name, NUISANCE, [row[k] for row in bits])
                for k, name in enumerate(("spool", "day", "room"))
            ),
        )
        self.assertEqual(found[0].columns, ("part", "spool", "day", "room"))
        self.assertIn("spool, day, room together", found[0].sentence)
        self.assertEqual(self.check(column("part", FACTOR, part), column("pair", NUISANCE, one)), [])

    def test_a_spool_that_only_one_arm_had(self):
        for spools in ("1123", "1233", "112345"):
            part = "aabbbb"[: len(spools)] if spools[0] == spools[1] else "aabb"
            (found,) = self.check(column("part", FACTOR, part), column("spool", NUISANCE, spools))
            self.assertEqual(found.columns, ("part", "spool"), spools)
        # A day of its own for nearly every print is scatter.
        self.assertEqual(self.check(column("part", FACTOR, "abab"), column("day", NUISANCE, "1223")), [])

    def test_one_blank_hides_no_full_mix(self):
        part, spool = ["a"] * 10 + ["b"] * 10, ["x"] * 10 + ["y"] * 9 + [""]
        (found,) = self.check(column("part", FACTOR, part), column("spool", NUISANCE, spool))
        self.assertIsNone(found.vif)
        self.assertIn("of 1 print it is not recorded", found.sentence)
        # Where only one arm is recorded nothing can be said.
        half = column("spool", NUISANCE, [""] * 10 + ["x", "y"] * 5)
        self.assertEqual(self.check(column("part", FACTOR, part), half), [])

    def test_every_repair_holds_against_all_nuisances(self):
        rng = random.Random(3)
        repaired = 0
        for _ in range(400):
            prints = rng.randint(4, 9)
            labels = [f"R{n}" for n in range(prints)]
            columns = [column("part", FACTOR, [rng.choice("ab") for _ in range(prints)])]
            if len(columns[0].levels) < 2:
                continue
            split = [{"a": "x", "b": "y"}[value] for value in columns[0].values]
            other = rng.choice((split, split[::-1]))
            columns += [column("machine", NUISANCE, split), column("spool", NUISANCE, other)]
            columns.append(column("order", TREND, rng.sample(range(prints), prints)))
            for found in check_confounding(columns, labels):
                names = [item.name for item in columns]
                if found.vif is not None or found.columns[1] not in ("machine", "spool"):
                    continue
                after = repaired_columns(columns, found, names, labels)
                if after is None:
                    continue
                repaired += 1
                again = check_confounding(after, [*labels, "A", "B"][: len(after[0].values)])
                self.assertEqual([item for item in again if item.vif is None], [], found)
        self.assertGreater(repaired, 20)

    def test_against_plain_rank_arithmetic_on_random_plans(self):
        import numpy as np

        rng = random.Random(9)
        for _ in range(150):
            prints = rng.randint(4, 10)
            factor = column("f", FACTOR, [rng.choice("ab") for _ in range(prints)])
            nuisance = column("n", NUISANCE, [rng.choice("xyz"[: rng.randint(2, 3)]) for _ in range(prints)])
            if len(factor.levels) < 2 or not 1 < len(nuisance.levels) < max(prints - 1, 3):
                continue
            one = np.ones((prints, 1))
            others = np.hstack([one, nuisance.coded()])
            whole = np.hstack([others, factor.coded()])
            hidden = np.linalg.matrix_rank(whole) == np.linalg.matrix_rank(others)
            found = check_confounding([factor, nuisance], [str(n) for n in range(prints)])
            self.assertEqual(bool([item for item in found if item.vif is None]), hidden)

    def test_columns_of_unequal_length_are_refused(self):
        with self.assertRaises(ValueError):
            check_confounding([column("f", FACTOR, "ab")], ["one"])
