"""All prints of a design in one model: several arms, fractions, chains with a drift."""

import unittest

import numpy as np

from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import (
    Measure,
    Modelled,
    NoiseFloor,
    chance_all_within,
    edge_of_all,
    may_be_best,
    method_for,
    simultaneous,
    stepped_down,
)
from oddtwin.core.effects.fitting import Row
from oddtwin.core.effects.linear import LinearModel
from oddtwin.core.judgement import analyse, contrasts
from oddtwin.core.outlook import Aim, power_of_plan
from oddtwin.core.readings import ResponseKind
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from tests.builders import drawn, filled, response

QUANTITY = ResponseKind.QUANTITY
# R datasets::PlantGrowth: control and two treatments.
PLANTS = {
    "ctrl": [4.17, 5.58, 5.18, 6.11, 4.50, 4.61, 5.17, 4.53, 5.33, 5.14],
    "trt1": [4.81, 4.17, 4.41, 3.59, 5.87, 3.83, 6.03, 4.89, 4.32, 4.69],
    "trt2": [6.31, 5.12, 5.54, 5.50, 5.37, 5.29, 4.92, 6.15, 5.80, 5.26],
}


def of_arms(groups, change, baseline, block=lambda number: "", drift=False):
    """A model of several arms with its values."""
    coding = {name: tuple(float(name == other) for other in groups) for name in groups}
    weights = tuple(float(name == change) - float(name == baseline) for name in groups)
    sides = (frozenset({baseline}), frozenset({change}))
    rows = [Row(name, block(number)) for name, values in groups.items() for number, _ in enumerate(values)]
    solved = LinearModel(coding, weights, sides, drift).solve(rows)
    return Modelled(solved, np.array([value for values in groups.values() for value in values]))


def judged(modelled):
    data = modelled.data(QUANTITY, Measure("A", "B"))
    return data, method_for(data.shape).infer(data)


class SeveralArms(unittest.TestCase):
    def test_plants_as_r_has_them(self):
        # R 4.2.2, lm(weight ~ group): residual standard error .6234 on 27 degrees of freedom.
        for change, estimate in (("trt1", -0.371), ("trt2", 0.494)):
            data, found = judged(of_arms(PLANTS, change, "ctrl"))
            self.assertAlmostEqual(data.estimate, estimate, places=9)
            self.assertEqual(found.df, 27)
            self.assertAlmostEqual(found.sd, 0.6234, places=4)

    def test_where_nothing_scatters_the_steps_of_the_readings_judge_with_all_prints(self):
        # Sums of thirds and tenths are not zero to the last digit, and scatter nothing for all that.
        for apart in (0.0, 1.0, 1.3):
            groups = {name: [24.1 + place * apart] * 3 for place, name in enumerate("ABC")}
            data, found = judged(of_arms(groups, "B", "A", block=str))
            self.assertEqual((found.df, data.shape.fitted.own_df, data.noise), (4, 4, None), apart)

    def test_dunnett_as_r_has_it(self):
        # R 4.2.2: trt1 −.371 (−1.0215, .2795), trt2 .494 (−.1565, 1.1445).
        error = 0.6234 * np.sqrt(0.2)
        correlation = np.array([[1, 0.5], [0.5, 1]])
        found = simultaneous([-0.371, 0.494], [error, error], correlation, 27)
        np.testing.assert_allclose(found, [(-1.0215, 0.2795), (-0.1565, 1.1445)], atol=3e-4)

    def test_blood_counts_of_dunnett(self):
        # Dunnett 1955, as in SciPy's own tests: one control and two drugs of unequal size.
        counts = {
            "control": [7.4, 8.5, 7.2, 8.24, 9.84, 8.32],
            "A": [9.76, 8.8, 7.68, 9.36],
            "B": [12.8, 9.68, 12.16, 9.2, 10.55],
        }
        statistics = []
        for name in "AB":
            data, found = judged(of_arms(counts, name, "control"))
            statistics.append(data.estimate / (found.sd * data.shape.factor))
            self.assertEqual(found.df, 12)
        np.testing.assert_allclose(statistics, [0.857032, 3.693752], atol=1e-5)
        shares = [len(counts[name]) / (len(counts[name]) + 6) for name in "AB"]
        apart = np.sqrt(shares[0] * shares[1])
        correlation = np.array([[1, apart], [apart, 1]])
        together = [1 - chance_all_within(one, correlation, 12) for one in statistics]
        np.testing.assert_allclose(together, [0.620102, 0.005825], atol=5e-4)
        # Step by step the smaller one stands alone at the end.
        np.testing.assert_allclose(stepped_down(statistics, correlation, 12), [0.408, 0.005825], atol=5e-4)
        self.assertAlmostEqual(edge_of_all(correlation, 12), 2.51362, delta=0.005)

    def test_the_best_stays_among_those_that_may_be_best(self):
        rng = np.random.default_rng(3)
        true, kept, left = np.array([0.0, 0.3, 0.6, 2.5]), 0, 0
        for _ in range(60):
            values = true + rng.normal(0, 1, (6, 4))
            variance = values.var(axis=0, ddof=1).mean() / 6
            best = may_be_best(values.mean(axis=0), variance * np.eye(4), 20, -1.0)
            kept += best[0]
            left += best[3]
        self.assertGreaterEqual(kept, 54)
        self.assertLess(left, 12)

    def test_an_arm_that_scatters_more_is_judged_by_its_own_scatter(self):
        calm = {
            "A": [1.0, 1.1, 0.9, 1.0, 1.05],
            "C": [1.0, 0.95, 1.1, 1.0, 1.0],
            "B": [0.0, 4.0, -3.0, 5.0, 1.0],
        }
        _, found = judged(of_arms(calm, "B", "A"))
        self.assertIn("own scatter above", found.method)
        self.assertGreater(found.sd, 2.0)

    def test_what_cannot_be_estimated_is_left_to_the_pairs(self):
        coding = {"A": (1.0, 0.0, 0.0), "B": (0.0, 1.0, 0.0), "C": (0.0, 0.0, 1.0)}
        model = LinearModel(coding, (-1.0, 1.0, 0.0), (frozenset("A"), frozenset("B")))
        # B stands in a block of its own: block and arm are one.
        self.assertIsNone(model.solve([Row("A", 1), Row("C", 1), Row("B", 2), Row("B", 2)]))
        self.assertIsNone(model.solve([Row("A", 1), Row("C", 1)]))

    def test_readings_without_any_scatter_are_judged_by_their_step(self):
        still = {"A": [1.0, 1.0, 1.0], "B": [2.0, 2.0, 2.0], "C": [3.0, 3.0, 3.0]}
        data, found = judged(of_arms(still, "B", "A"))
        self.assertAlmostEqual(data.estimate, 1.0)
        # Whole numbers: the rounding of either side does not average out.
        self.assertTrue(0.5 < found.ci95[1] - found.ci95[0] < 5.0)


# MASS::oats (Yates 1935): six blocks of three varieties, each a whole plot with four amounts of nitrogen.
OATS = (
    (111, 130, 157, 174, 117, 114, 161, 141, 105, 140, 118, 156),
    (61, 91, 97, 100, 70, 108, 126, 149, 96, 124, 121, 144),
    (68, 64, 112, 86, 60, 102, 89, 96, 89, 129, 132, 124),
    (74, 89, 81, 122, 64, 103, 132, 133, 70, 89, 104, 117),
    (62, 90, 100, 116, 80, 82, 94, 126, 63, 70, 109, 99),
    (53, 74, 118, 113, 89, 82, 86, 104, 97, 99, 119, 121),
)


class SplitPlots(unittest.TestCase):
    def f_of(self, asked, coding, rows, values):
        """F of several contrasts together, with its degrees of freedom."""
        every = frozenset(coding)
        solved = [LinearModel(coding, weights, (every, every), alone=False).solve(rows) for weights in asked]
        weights = np.stack([one.weights for one in solved])
        estimates = weights @ values
        variance = solved[0].variances(values[None, :])[1][0]
        squares = estimates @ np.linalg.solve(weights @ weights.T, estimates)
        return squares / len(asked) / variance, solved[0].rest_df, variance

    def test_oats_inside_the_plots(self):
        # R 4.2.2, aov(Y ~ N * V + Error(B / V)): N 37.6857 on 3 and 45; error 177.0833.
        arms = [f"{variety}{nitrogen}" for variety in range(3) for nitrogen in range(4)]
        coding = {name: tuple(float(name == other) for other in arms) for name in arms}
        rows = [Row(arm, (block, arm[0])) for block in range(6) for arm in arms]
        asked = [
            tuple(float(arm[1] == str(level)) / 3 - float(arm[1] == "0") / 3 for arm in arms)
            for level in (1, 2, 3)
        ]
        f, df, variance = self.f_of(asked, coding, rows, np.array(OATS, dtype=float).ravel())
        self.assertEqual(df, 45)
        self.assertAlmostEqual(variance, 177.0833333, places=6)
        self.assertAlmostEqual(f, 37.6856470588, places=8)

    def test_oats_between_the_plots(self):
        # V 1.4853 on 2 and 10, by the means of the whole plots.
        means = np.array(OATS, dtype=float).reshape(6, 3, 4).mean(axis=2).ravel()
        coding = {str(v): tuple(float(v == other) for other in range(3)) for v in range(3)}
        rows = [Row(str(v), block) for block in range(6) for v in range(3)]
        f, df, variance = self.f_of([(-1.0, 1.0, 0.0), (-1.0, 0.0, 1.0)], coding, rows, means)
        self.assertEqual(df, 10)
        self.assertAlmostEqual(4 * variance, 601.330555556, places=6)
        self.assertAlmostEqual(f, 1.48534037944, places=8)

    def test_the_easy_factor_is_judged_inside_the_whole_plots(self):
        value = drawn(
            Design(DesignKind.SPLIT_PLOT, (2, 2), hard_factor=0, whole_plots=4),
            factors=2,
            repeats=2,
            responses=(response(1, margin=None),),
        )
        arms, rng = value.index.arms, np.random.default_rng(5)
        easy = value.factors[1].levels[1].id
        plot = {block.id: rng.normal(0, 5.0) for block in value.blocks}
        ordered = sorted(value.runs, key=lambda run: run.position)
        read = [
            plot[run.block_id] + 2.0 * (easy in arms[run.arm_id].level_ids) + rng.normal(0, 0.1)
            for run in ordered
        ]
        found = {one.about: one.comparison for one in analyse(filled(value, read)).findings}
        inside = next(one for about, one in found.items() if about.startswith("setting 2"))
        self.assertIn("all prints of the design", inside.inference.method)
        self.assertAlmostEqual(inside.estimate, 2.0, delta=0.2)
        self.assertLess(inside.inference.ci95[1] - inside.inference.ci95[0], 0.6)


class Chains(unittest.TestCase):
    def chain(self, steps=4, **more):
        return drawn(Design(DesignKind.CHAIN, (2,) * steps), factors=steps, repeats=2, **more)

    def test_a_straight_drift_is_taken_out(self):
        value = self.chain()
        arms = {arm.id: place for place, arm in enumerate(value.arms)}
        ordered = sorted(value.runs, key=lambda run: run.position)
        noise = np.random.default_rng(4).normal(0, 1e-3, len(ordered))
        read = [20 + 1.5 * arms[run.arm_id] + 0.7 * place + noise[place] for place, run in enumerate(ordered)]
        found = analyse(filled(value, read)).findings
        self.assertEqual(len(found), 5)
        for finding in found[:-1]:
            self.assertAlmostEqual(finding.comparison.estimate, 1.5, delta=0.01)
            self.assertIn("drift taken out", finding.comparison.inference.method)
        self.assertAlmostEqual(found[-1].comparison.estimate, 6.0, delta=0.02)

    def test_without_an_effect_drift_is_no_finding(self):
        # No margin, so that no further prints are reckoned.
        value, rng, false = (
            self.chain(steps=8, responses=(response(1, margin=None),)),
            np.random.default_rng(5),
            0,
        )
        for _ in range(40):
            read = 20 + rng.normal(0, 1, len(value.runs)) + 0.5 * np.arange(len(value.runs))
            false += any(
                one.verdict.odd or one.verdict.leaning for one in analyse(filled(value, read)).findings
            )
        self.assertLessEqual(false, 6)

    def test_a_lost_print_is_no_more_than_a_gap(self):
        value = self.chain()
        read = [20.0 + place for place in range(len(value.runs))]
        read[3] = None
        found = analyse(filled(value, read)).findings
        self.assertAlmostEqual(found[0].comparison.estimate, 0.0, delta=1e-6)


class OnePromise(unittest.TestCase):
    """Plan, rehearsal and verdict of a design that is judged whole."""

    DESIGNS = (
        (Design(DesignKind.CHAIN, (2,) * 3), ("a", "b"), 3, 2),
        (Design(DesignKind.SEVERAL, (4,)), ("1", "2", "3", "4"), 1, 3),
        (Design(DesignKind.SEVERAL, (4,), block_size=2), ("1", "2", "3", "4"), 1, 1),
        (Design(DesignKind.FRACTION, (2,) * 4), ("1", "2"), 4, 1),
    )

    def test_the_three_agree(self):
        rng = np.random.default_rng(8)
        for design, levels, factors, repeats in self.DESIGNS:
            asked = (response(1, margin=None, better=None),)
            value = drawn(design, levels=levels, factors=factors, repeats=repeats, responses=asked)
            promised = power_of_plan(value, Aim(value.responses[0], 3.0, 1.0)).p_find_margin
            made = rehearse_study(value, [Assumed(1, 3.0, 1.0)], Conditions(0.0, 0.0), rng, 3000)
            shares = made.rehearsed[0].shares
            rehearsed = sum(share for verdict, share in shares.items() if verdict.odd or verdict.leaning)
            self.assertAlmostEqual(rehearsed, promised, delta=0.03, msg=design.kind)
            contrast, arms = contrasts(value)[0], value.index.arms
            ordered = sorted(value.runs, key=lambda run: run.position)
            moved = np.array([3.0 * contrast.sides.get(arms[run.arm_id].name, False) for run in ordered])
            seen = 0
            for _ in range(150):
                read = 20 + moved + rng.normal(0, 1, len(ordered))
                seen += analyse(filled(value, list(read))).findings[0].verdict.leaning
            self.assertAlmostEqual(seen / 150, promised, delta=0.1, msg=design.kind)

    def test_examples_are_judged_as_all_are(self):
        value = drawn(Design(DesignKind.CHAIN, (2,) * 3), factors=3, repeats=2)
        made = rehearse_study(
            value, [Assumed(1, 1.0, 0.3)], Conditions(0.1, 1.0), np.random.default_rng(2), 60
        )
        for example in made.rehearsed[0].examples:
            self.assertIn("all prints of the design", example.comparison.inference.method)

    def test_a_known_noise_floor_stands_in_for_want_of_scatter(self):
        value = drawn(Design(DesignKind.CHAIN, (2,) * 3), factors=3, repeats=1)
        self.assertIsNone(power_of_plan(value, Aim(value.responses[0], 1.0, 0.2), 1).p_find_margin)
        known = NoiseFloor(0.2, 10)
        promised = power_of_plan(value, Aim(value.responses[0], 1.0, 0.2, known), 1).p_find_margin
        self.assertTrue(0.5 < promised < 1.0)
        read = [20.0, 21.0, 21.1, 20.9, 20.05]
        found = analyse(filled(value, read), lambda _: known).findings[0]
        self.assertEqual(found.comparison.inference.df, 10)
        self.assertIn("drift taken out", found.comparison.inference.method)

    def test_a_fraction_leaves_the_other_factors_out_of_the_scatter(self):
        value = drawn(Design(DesignKind.FRACTION, (2,) * 4), levels=("1", "2"), factors=4)
        arms, rng = value.index.arms, np.random.default_rng(6)
        high = [
            {factor.levels[1].id for factor in value.factors} & set(arms[run.arm_id].level_ids)
            for run in value.runs
        ]
        sized = {
            factor.levels[1].id: size
            for factor, size in zip(value.factors, (8.0, 4.0, 1.0, 0.0), strict=True)
        }
        read = [20 + sum(sized[level] for level in levels) + rng.normal(0, 0.1) for levels in high]
        found = analyse(filled(value, read)).findings
        for finding, size in zip(found, (8.0, 4.0, 1.0, 0.0), strict=True):
            low, upper = finding.comparison.inference.ci95
            self.assertAlmostEqual(finding.comparison.estimate, size, delta=0.3)
            self.assertLess(upper - low, 1.0)
