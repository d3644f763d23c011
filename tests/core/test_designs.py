"""Designs: fractions against the standard tables, balance and orthogonality of every size offered."""

import itertools
import random
import unittest
import zlib
from collections import Counter

import numpy as np

from oddtwin.core.design import (
    EXPLAINED,
    FRACTIONS,
    Cell,
    Design,
    DesignKind,
    DriftGuard,
    Fraction,
    LadderRule,
    Rung,
    SeededOrder,
    advise,
    balanced_blocks,
    design_from_values,
    design_values,
    edge_interval,
    full_factorial,
    latin_square,
    lay_out,
    switch_plans,
    whole_plot_levels,
)

ONE = [Cell(1, 1)]

# Defining words of the usual fractions: standard generator tables (from memory), word
# products recomputed.
WORDS = {
    (3, 1): ["ABC"],
    (4, 1): ["ABCD"],
    (5, 1): ["ABCDE"],
    (5, 2): ["ABD", "ACE", "BCDE"],
    (6, 2): ["ABCE", "ADEF", "BCDF"],
    (6, 3): ["ABD", "ACE", "BCF", "DEF", "ABEF", "ACDF", "BCDE"],
    (7, 3): ["ABCE", "ABFG", "ACDG", "ADEF", "BCDF", "BDEG", "CEFG"],
}
RESOLUTION = {(3, 1): 3, (4, 1): 4, (5, 1): 5, (5, 2): 3, (6, 1): 6, (6, 2): 4, (6, 3): 3,
              (7, 1): 7, (7, 2): 4, (7, 3): 4, (7, 4): 3}  # fmt: skip


class Fractions(unittest.TestCase):
    def test_words_and_resolutions_of_the_standard_tables(self):
        for (factors, p), generators in FRACTIONS.items():
            with self.subTest(f"2^({factors}-{p})"):
                fraction = Fraction(factors, generators)
                self.assertEqual(fraction.resolution, RESOLUTION[factors, p])
                if (factors, p) in WORDS:
                    self.assertEqual(fraction.defining_words(), WORDS[factors, p])

    def test_aliases_of_a_quarter_of_six_factors(self):
        # Standard table, recomputed by word products and by products of columns.
        aliases = Fraction(6, FRACTIONS[6, 2]).aliases()
        self.assertEqual(aliases["A"], ["BCE", "DEF", "ABCDF"])
        self.assertEqual(aliases["AE"][:2], ["BC", "DF"])

    def test_effects_are_mixed_exactly_where_the_aliases_say(self):
        for (factors, p), generators in FRACTIONS.items():
            fraction = Fraction(factors, generators)
            runs = fraction.combinations()
            self.assertEqual(len(set(runs)), 2 ** (factors - p))
            self.assertEqual(runs[0], (0,) * factors)
            signs = 1 - 2 * np.array(runs)
            column = {letter: signs[:, place] for place, letter in enumerate(fraction.letters)}
            words = [
                w for size in (1, 2) for w in map("".join, itertools.combinations(fraction.letters, size))
            ]
            aliases = fraction.aliases()
            for one, two in itertools.combinations(words, 2):
                product = np.prod([column[c] for c in one], axis=0) @ np.prod(
                    [column[c] for c in two], axis=0
                )
                self.assertEqual(abs(product) == len(runs), two in aliases[one], (one, two))
                self.assertIn(abs(product), (0, len(runs)))

    def test_names_stand_in_the_aliases(self):
        design = Design(DesignKind.FRACTION, (2, 2, 2))
        self.assertEqual(design.aliases(["speed", "heat", "fan"])["speed"], ["heat × fan"])
        self.assertEqual(design.aliases(["A", "B", "C"])["AB"], ["C"])
        self.assertEqual(Design(DesignKind.FACTORIAL, (2, 2)).aliases(["a", "b"]), {})


class Balance(unittest.TestCase):
    def test_full_factorials_hold_every_combination_once_in_every_block(self):
        for levels in itertools.product((2, 3), repeat=3):
            self.assertEqual(len(set(full_factorial(levels))), int(np.prod(levels)))
            runs = lay_out(Design(DesignKind.FACTORIAL, levels), ONE, 2, 0, seed=3)
            counts = Counter((run.block, run.arm) for run in runs)
            self.assertEqual(set(counts.values()), {1})
            self.assertEqual(len(counts), 2 * int(np.prod(levels)))

    def test_latin_squares(self):
        for size in range(1, 13):
            for seed in range(4):
                square = latin_square(size, SeededOrder(seed))
                for line in (*square, *zip(*square, strict=True)):
                    self.assertEqual(sorted(line), list(range(size)))
        with self.assertRaises(ValueError):
            latin_square(0, SeededOrder(1))
        # Every symbol comes about as often to the first cell.
        seen = Counter(latin_square(4, SeededOrder(seed))[0][0] for seed in range(800))
        self.assertTrue(all(150 < count < 250 for count in seen.values()), seen)

    def test_places_on_a_shared_plate_rotate(self):
        design = Design(DesignKind.LADDER, (4,), copies=4)
        runs = lay_out(design, ONE, 4, 0, seed=1)
        for arm in range(4):
            self.assertEqual(sorted(run.place for run in runs if run.arm == arm), [1, 2, 3, 4])
        for block in range(1, 5):
            here = [run for run in runs if run.block == block]
            self.assertEqual(sorted(run.place for run in here), [1, 2, 3, 4])
            self.assertEqual(len({run.turn_deg for run in here}), 1)
        # Twins on one plate have places of their own, and the order stays what it was.
        shared = lay_out(Design(copies=3), ONE, 3, 3, seed=4)
        for block in {run.block for run in shared}:
            places = [run.place for run in shared if run.block == block]
            self.assertEqual(len(set(places)), len(places))
        alone = lay_out(Design(), ONE, 3, 3, seed=4)
        self.assertEqual([run.code for run in shared], [run.code for run in alone])

    def test_baseline_change_change_baseline_cancels_a_steady_drift(self):
        runs = lay_out(Design(guard=DriftGuard.ABBA), [Cell(1, 1), Cell(2, 1)], 3, 0, seed=2)
        for block in {run.block for run in runs}:
            arms = [run.arm for run in runs if run.block == block]
            self.assertIn(arms, ([0, 1, 1, 0], [1, 0, 0, 1]))
        last = lay_out(Design(guard=DriftGuard.BASELINE_LAST), ONE, 3, 0, seed=2)
        self.assertEqual((last[-1].arm, len(last)), (0, 7))

    def test_chains_go_step_by_step_and_end_with_the_baseline(self):
        runs = lay_out(Design(DesignKind.CHAIN, (2, 2)), ONE, 2, 0, seed=1)
        self.assertEqual([run.arm for run in runs], [0, 0, 1, 1, 2, 2, 0, 0])
        steps = Design(DesignKind.CHAIN, (2, 2)).combinations()
        self.assertEqual(steps, [(0, 0), (1, 0), (1, 1)])

    def test_control_arm_and_centre_points_stand_in_every_block(self):
        runs = lay_out(Design(control=True), ONE, 3, 0, seed=1)
        self.assertEqual(Counter(run.arm for run in runs), {0: 3, 1: 3, 2: 3})
        centred = lay_out(Design(DesignKind.FACTORIAL, (2, 2), centre_points=2), ONE, 2, 0, seed=1)
        self.assertEqual(Counter(run.arm for run in centred)[5], 4)

    def test_a_wrong_design_is_refused_in_a_sentence(self):
        for design, words in (
            (Design(levels=()), "what differs"),
            (Design(DesignKind.LADDER, (3, 2)), "ladder"),
            (Design(DesignKind.CROSSOVER, (2,)), "two things"),
            (Design(DesignKind.FACTORIAL, (2,)), "at least two factors"),
            (Design(DesignKind.FACTORIAL, (2,) * 8), "up to 7"),
            (Design(DesignKind.FACTORIAL, (8, 8, 8)), "arms"),
            (Design(DesignKind.FRACTION, (2, 2, 2), fraction_p=2), "no fraction"),
            (Design(DesignKind.FRACTION, (2, 3, 2)), "two levels"),
            (Design(DesignKind.SPLIT_PLOT, (2, 2), hard_factor=2), "hard to change"),
            (Design(levels=(1,)), "two levels"),
            (Design(levels=(3,)), "choose Several arms"),
            (Design(levels=(2, 4)), "has 4"),
            (Design(DesignKind.SEVERAL, (3, 2)), "as many levels"),
            (Design(DesignKind.SEVERAL, (3,), block_size=4), "a block holds"),
            (Design(centre_points=1), "centre points"),
            (Design(DesignKind.CHAIN, (2, 2), copies=2), "one print on a plate"),
            (Design(DesignKind.LADDER, (4,), rule=LadderRule.CLIMB, control=True), "no control"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ValueError, words):
                lay_out(design, ONE, 1, 0, seed=1)

    def test_twins_that_would_not_be_printed_are_refused(self):
        for design in (
            Design(DesignKind.CHAIN, (2, 2)),
            Design(DesignKind.SPLIT_PLOT, (2, 2)),
            Design(DesignKind.LADDER, (4,), rule=LadderRule.HALVE),
            Design(guard=DriftGuard.ABBA),
            Design(DesignKind.SEVERAL, (4,), block_size=2),
        ):
            self.assertTrue(lay_out(design, ONE, 2, 0, seed=1))
            with self.subTest(design.kind), self.assertRaisesRegex(ValueError, "twins"):
                lay_out(design, ONE, 2, 1, seed=1)

    def test_no_level_is_left_out(self):
        for levels in range(2, 9):
            design = Design(DesignKind.SEVERAL, (levels,))
            runs = lay_out(design, ONE, 2, 3, seed=levels)
            counts = Counter(run.arm for run in runs)
            self.assertEqual(counts, {0: 5, **dict.fromkeys(range(1, levels), 2)})
            for size in range(2, levels):
                blocks = balanced_blocks(levels, size)
                together = Counter(pair for block in blocks for pair in itertools.combinations(block, 2))
                self.assertEqual(len(together), levels * (levels - 1) // 2)
                self.assertEqual(len(set(together.values())), 1, (levels, size))
                self.assertEqual(len({*Counter(arm for block in blocks for arm in block).values()}), 1)
        # The Fano plane: 7 arms in 7 blocks of 3, every two together once (any handbook, from memory).
        self.assertEqual(len(balanced_blocks(7, 3)), 7)
        self.assertEqual([len(balanced_blocks(*size)) for size in ((4, 2), (4, 3), (5, 4))], [6, 4, 5])

    def test_designs_survive_as_plain_values(self):
        for kind in DesignKind:
            self.assertIn(kind, EXPLAINED)
            design = Design(kind, (2, 2), rule=LadderRule.CLIMB, whole_plots=5)
            self.assertEqual(design_from_values(design_values(design)), design)
        with self.assertRaises(ValueError):
            design_from_values({"kind": "magic"})
        with self.assertRaises(ValueError):
            design_from_values({"sort": "pairs"})


# Written down when version 2 was made, as checksums of whole run lists: a different one breaks
# every printed run list of that design.
FOR_EVER = {
    "pairs": (Design(), 342485754),
    "abba": (Design(guard=DriftGuard.ABBA), 990013322),
    "baseline last": (Design(guard=DriftGuard.BASELINE_LAST), 3271306866),
    "ladder": (Design(DesignKind.LADDER, (5,)), 1456728136),
    "climb": (Design(DesignKind.LADDER, (5,), rule=LadderRule.CLIMB), 3598189954),
    "chain": (Design(DesignKind.CHAIN, (2, 2, 2)), 3636895245),
    "factorial": (Design(DesignKind.FACTORIAL, (3, 2), centre_points=1), 2609082220),
    "fraction": (Design(DesignKind.FRACTION, (2,) * 5, fraction_p=2, control=True), 3326950649),
    "crossover": (Design(DesignKind.CROSSOVER, (2, 2)), 592457698),
    "split plot": (Design(DesignKind.SPLIT_PLOT, (2, 3), whole_plots=4), 241207897),
}


class SeedsForEver(unittest.TestCase):
    def test_the_same_seed_gives_the_same_order_for_ever(self):
        for name, (design, kept) in FOR_EVER.items():
            runs = lay_out(design, [Cell(1, 7), Cell(2, 7)], 2, 0 if design.no_twins else 3, seed=41)
            text = ";".join(
                f"{run.code},{run.arm},{run.block},{run.cell.machine_id},{run.place},{run.turn_deg}"
                for run in runs
            )
            self.assertEqual(zlib.crc32(text.encode()), kept, name)


class SplitPlots(unittest.TestCase):
    def test_the_fewest_switches_leave_one_degree_of_freedom(self):
        plans = switch_plans([10.0, 30.0])
        self.assertEqual((plans[0].switches, plans[0].error_df, plans[0].minutes), (2, 1, 40.0))
        # Student's t table: 12.706, 4.303, 3.182 (any handbook; from memory).
        self.assertEqual([round(plan.critical_t, 3) for plan in plans[:3]], [12.706, 4.303, 3.182])
        self.assertEqual([plan.minutes for plan in plans[:3]], [40.0, 60.0, 80.0])
        with self.assertRaises(ValueError):
            switch_plans([5.0])

    def test_levels_never_follow_themselves_and_come_equally_often(self):
        for levels, plots, seed in itertools.product((2, 3, 4), range(5, 10), range(20)):
            drawn = whole_plot_levels(levels, plots, SeededOrder(seed))
            self.assertFalse(any(a == b for a, b in itertools.pairwise(drawn)), drawn)
            counts = Counter(drawn)
            self.assertLessEqual(max(counts.values()) - min(counts.values()), 1)
        with self.assertRaises(ValueError):
            whole_plot_levels(2, 2, SeededOrder(1))

    def test_every_plot_holds_one_level_of_the_hard_factor(self):
        design = Design(DesignKind.SPLIT_PLOT, (2, 3), whole_plots=4)
        runs = lay_out(design, [Cell(1, 1), Cell(2, 1)], 1, 0, seed=6)
        levels = design.combinations()
        for block in {run.block for run in runs}:
            here = [levels[run.arm] for run in runs if run.block == block]
            self.assertEqual(len({hard for hard, _ in here}), 1)
            self.assertEqual(sorted(easy for _, easy in here), [0, 1, 2])


class Ladders(unittest.TestCase):
    NAMES = ("1.0", "0.8", "0.6", "0.4", "0.2")

    def walk(self, rule, edge):
        """Follow the advice on a ladder whose levels hold below an edge."""
        rungs = []
        while True:
            advice = advise(rule, self.NAMES, rungs)
            if advice.next_level is None:
                return [rung.level for rung in rungs], advice
            rungs.append(Rung(advice.next_level, advice.next_level < edge))
            self.assertLess(len(rungs), 20)

    def test_every_rule_finds_every_edge(self):
        for rule, edge in itertools.product(LadderRule, range(1, 5)):
            with self.subTest(f"{rule.value}, {edge}"):
                _, advice = self.walk(rule, edge)
                self.assertEqual((advice.good, advice.bad), (edge - 1, edge))
                self.assertIn(f"between {self.NAMES[edge - 1]} and {self.NAMES[edge]}", advice.sentence)

    def test_extremes_first_stops_only_where_the_ends_are_shown_to_be_alike(self):
        first = advise(LadderRule.EXTREMES, self.NAMES, [Rung(0, True, own=False), Rung(4, True)])
        self.assertIsNotNone(first.next_level)
        self.assertIn("so few prints cannot prove", first.sentence)
        path, advice = self.walk(LadderRule.EXTREMES, 5)
        self.assertEqual(path.count(4), 6)
        self.assertIn("middle needs no print", advice.sentence)

    def test_prints_that_share_a_safe_print_prove_nothing_more(self):
        shared = [Rung(1, True)] + [Rung(1, True, own=False)] * 20
        self.assertEqual(edge_interval(3, shared), (None, None))

    def test_climbing_and_halving_take_their_steps(self):
        self.assertEqual(self.walk(LadderRule.CLIMB, 2)[0], [0, 1, 2])
        self.assertEqual(self.walk(LadderRule.HALVE, 2)[0], [0, 4, 2, 1])
        self.assertIn("beyond the ladder", self.walk(LadderRule.HALVE, 5)[1].sentence)
        self.assertIn("further down", self.walk(LadderRule.HALVE, 0)[1].sentence)

    def test_six_of_one_kind_settle_a_level_and_five_do_not(self):
        self.assertEqual(edge_interval(3, [Rung(0, True)] * 5), (None, None))
        self.assertEqual(edge_interval(3, [Rung(0, True)] * 6), (0, None))
        self.assertEqual(edge_interval(3, [Rung(2, False)] * 6), (None, 2))
        self.assertEqual(edge_interval(3, [Rung(2, True)] * 6), (2, None))

    def test_the_interval_misses_the_edge_at_most_one_time_in_twenty(self):
        # Prints judged at random on the very edge, looked at after every print: the worst case.
        rng = random.Random(4)
        misses = 0
        for _ in range(2000):
            rungs = []
            wrong = False
            for _ in range(30):
                # Level 1 fails half of the time, so the edge is there; both sides are wrong claims.
                rungs.append(Rung(1, rng.random() < 0.5))
                low, high = edge_interval(3, rungs)
                wrong = wrong or low is not None or high is not None
            misses += wrong
        self.assertLessEqual(misses / 2000, 0.05)

    def test_nonsense_is_refused(self):
        with self.assertRaises(ValueError):
            advise(LadderRule.CLIMB, ("1",), [])
        with self.assertRaises(ValueError):
            advise(LadderRule.CLIMB, self.NAMES, [Rung(5, True)])
