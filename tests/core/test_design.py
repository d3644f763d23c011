"""Orders and codes: drawn at random, the same for ever, silent about the arm."""

import math
import unittest
from collections import Counter

from oddtwin.core.design import Cell, Design, DesignKind, SeededOrder, lay_out

CELLS = [Cell(1, 7), Cell(2, 7)]


def plan_pairs(cells, pairs, twins, seed, first_pair=1, taken=()):
    return lay_out(Design(), cells, pairs, twins, seed, first_pair, taken)


class Draws(unittest.TestCase):
    def test_the_second_order_version_never_changes(self):
        # Written down when version 2 was made: a different result breaks every printed run list.
        runs = plan_pairs(CELLS, 2, 1, seed=41)
        drawn = [(run.code, run.arm == 0, run.block, run.cell.machine_id) for run in runs]
        self.assertEqual(drawn, FROZEN)

    def test_every_arrangement_is_about_equally_likely(self):
        order = SeededOrder(7)
        counts = Counter(tuple(order.shuffled("abcd")) for _ in range(24_000))
        self.assertEqual(len(counts), math.factorial(4))
        # Chi-square with 23 degrees of freedom stays below 49.7 in 999 of 1000 cases.
        self.assertLess(sum((count - 1000) ** 2 / 1000 for count in counts.values()), 49.7)

    def test_numbers_below_a_limit(self):
        order = SeededOrder(3)
        seen = Counter(order.below(3) for _ in range(3000))
        self.assertEqual(set(seen), {0, 1, 2})
        self.assertLess(max(seen.values()) - min(seen.values()), 200)

    def test_codes_run_on_when_the_short_ones_are_taken(self):
        order = SeededOrder(1)
        taken = set()
        for _ in range(1500):
            code = order.code(taken)
            self.assertNotIn(code, taken)
            taken.add(code)
        self.assertGreater(max(len(code) for code in taken), 3)


class PairsInBlocks(unittest.TestCase):
    def test_each_pair_holds_both_arms_and_twins_are_baselines(self):
        for pairs, twins in ((1, 0), (3, 2), (2, 9)):
            runs = plan_pairs(CELLS, pairs, twins, seed=5)
            self.assertEqual(len(runs), 2 * pairs * len(CELLS) + twins)
            self.assertEqual(sum(run.arm == 1 for run in runs), pairs * len(CELLS))
            by_pair = Counter((run.block, run.arm == 0) for run in runs)
            for number in range(1, pairs * len(CELLS) + 1):
                self.assertEqual(by_pair[number, False], 1)
                self.assertGreaterEqual(by_pair[number, True], 1)
            extra = [by_pair[number, True] for number in range(1, pairs * len(CELLS) + 1)]
            self.assertLessEqual(max(extra) - min(extra), 1)

    def test_a_pair_stays_together_on_one_machine(self):
        runs = plan_pairs(CELLS, 4, 3, seed=9)
        self.assertEqual([run.block for run in runs], sorted(run.block for run in runs))
        for number in {run.block for run in runs}:
            self.assertEqual(len({run.cell for run in runs if run.block == number}), 1)

    def test_no_arm_stands_first_more_often_than_by_one(self):
        for pairs, cells in ((3, CELLS[:1]), (4, CELLS[:1]), (3, CELLS), (1, [Cell(n, 1) for n in range(4)])):
            starts = Counter()
            for seed in range(400):
                runs = plan_pairs(cells, pairs, 0, seed)
                first = {}
                for run in runs:
                    first.setdefault(run.block, (run.cell, []))[1].append(run.arm)
                by_cell = Counter((cell, arms[0]) for cell, arms in first.values())
                for cell in cells:
                    self.assertLessEqual(abs(by_cell[cell, 0] - by_cell[cell, 1]), pairs % 2)
                total = sum(by_cell[cell, 0] for cell in cells)
                self.assertLessEqual(abs(2 * total - pairs * len(cells)), pairs * len(cells) % 2)
                starts[runs[0].arm] += 1
            # Within that it is random.
            self.assertTrue(150 < starts[0] < 250, starts)

    def test_what_is_added_evens_out_what_is_there(self):
        for seed in range(40):
            there = plan_pairs(CELLS[:1], 3, 0, seed)
            orders = [(CELLS[0], [run.arm for run in there if run.block == block]) for block in (1, 2, 3)]
            more = lay_out(Design(), CELLS[:1], 1, 0, seed + 9, 4, [run.code for run in there], orders)
            firsts = Counter(arms[0] for _, arms in orders) + Counter([more[0].arm])
            self.assertEqual(firsts, {0: 2, 1: 2})

    def test_arms_of_a_block_have_every_place_equally_often(self):
        for arms, repeats in ((3, 3), (4, 4), (5, 5), (6, 6)):
            runs = lay_out(Design(DesignKind.SEVERAL, (arms,)), CELLS[:1], repeats, 0, seed=arms)
            places = Counter((run.arm, number % arms) for number, run in enumerate(runs))
            spread = max(places.values()) - min(
                places[arm, place] for arm in range(arms) for place in range(arms)
            )
            self.assertLessEqual(spread, 0 if arms <= 3 else 1, places)

    def test_either_arm_comes_first_about_as_often(self):
        firsts = 0
        for seed in range(400):
            firsts += plan_pairs([Cell(1, 1)], 1, 0, seed)[0].arm == 0
        self.assertTrue(150 < firsts < 250)

    def test_codes_are_unique_and_avoid_those_taken(self):
        first = plan_pairs(CELLS, 20, 0, seed=1)
        taken = {run.code for run in first}
        self.assertEqual(len(taken), len(first))
        more = plan_pairs(CELLS, 20, 0, seed=1, first_pair=41, taken=taken)
        self.assertFalse(taken & {run.code for run in more})
        self.assertEqual(min(run.block for run in more), 41)

    def test_codes_do_not_tell_the_arm(self):
        letters = {True: Counter(), False: Counter()}
        for run in plan_pairs([Cell(1, 1)], 600, 0, seed=2):
            letters[run.arm == 0][run.code[0]] += 1
        both = set(letters[True]) & set(letters[False])
        self.assertEqual(both, set(letters[True]) | set(letters[False]))

    def test_impossible_plans_are_refused(self):
        for cells, pairs, twins, seed in (
            ([], 1, 0, 1),
            (CELLS, 0, 0, 1),
            (CELLS, 1, -1, 1),
            (CELLS, 1, 0, -1),
        ):
            with self.assertRaises(ValueError):
                plan_pairs(cells, pairs, twins, seed)


FROZEN = [
    ("T4J", False, 1, 1),
    ("J3H", True, 1, 1),
    ("N7J", True, 2, 2),
    ("D9T", False, 2, 2),
    ("C6J", True, 2, 2),
    ("F7W", True, 3, 1),
    ("N3D", False, 3, 1),
    ("V3R", False, 4, 2),
    ("N6X", True, 4, 2),
]
