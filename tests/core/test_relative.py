"""Margins in percent: ratios judged by logarithms and told in percent."""

import dataclasses
import unittest

import numpy as np

from oddtwin.core.decide import detail_lines
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import Measure, NoiseFloor, log_of_percent, percent_of_log
from oddtwin.core.judgement import analyse, judge_table
from oddtwin.core.outlook import Aim, known_scatter, power_of_plan
from oddtwin.core.readings import Better, Reading, ResponseKind
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from tests.builders import SHOES_A, SHOES_B, drawn, filled, pairs, response

# Test and reference of a bioequivalence example, ratio margins 0.80 to 1.25 (invented figures of the
# check set; computed with R 4.2.2).
REFERENCE = [90.11, 77.71, 77.71, 97.51, 58.21, 101.3, 79.84, 96.06, 89.3, 97.22, 61.62, 85.8]
TEST = [103.4, 59.92, 68.17, 94.54, 69.48, 72.17, 74.37, 84.44, 96.74, 94.26, 48.52, 95.68]


def judged(rows, margin, better=Better.LOWER, **more):
    measure = Measure("A", "", margin, better, **more)
    return judge_table(rows, measure, percent=True)[1]


class Ratios(unittest.TestCase):
    def test_shoes_as_r_has_them(self):
        # MASS::shoes, B over A: 1.037754 (1.010356, 1.065896), R 4.2.2.
        (found,) = judged(pairs(SHOES_A, SHOES_B, response="Wear", unit="mm"), 5.0).findings
        comparison = found.comparison
        self.assertAlmostEqual(comparison.inference.ratio, 1.037754, places=6)
        np.testing.assert_allclose(comparison.inference.ratio_ci95, (1.010356, 1.065896), atol=1e-6)
        self.assertAlmostEqual(comparison.estimate, 3.7754, places=4)
        self.assertIn("+3.8\u202f% (95\u202f% interval +1.0 to +6.6)", found.sentence)

    def test_equivalence_of_a_ratio(self):
        (found,) = judged(pairs(REFERENCE, TEST, response="AUC", unit="g"), 25.0).findings
        comparison = found.comparison
        # Ratio of geometric means .94120, 90 % interval .86337 to 1.02604; p of equivalence .00306.
        self.assertAlmostEqual(1 + comparison.estimate / 100, 0.9411989227, places=8)
        low, high = (1 + end / 100 for end in comparison.inference.ci90)
        np.testing.assert_allclose((low, high), (0.8633735195, 1.0260395902), atol=1e-8)
        self.assertAlmostEqual(comparison.inference.p_equivalence, 0.0030593385, places=8)
        self.assertEqual(found.verdict.value, "twin")
        self.assertIn("margin 25\u202f%", found.sentence)

    def test_small_and_large_pieces_have_a_percent_in_common(self):
        rng = np.random.default_rng(3)
        rows = [
            Reading(arm, size * share * float(np.exp(rng.normal(0, 0.01))), "Time", "min",
                    pair=f"{piece}{pair}", piece=piece, run=f"{arm}{piece}{pair}")
            for piece, size in (("clip", 12.0), ("hood", 95.0), ("tray", 410.0))
            for pair in range(3)
            for arm, share in (("A", 1.0), ("B", 0.66))
        ]  # fmt: skip
        (found,) = judged(rows, 5.0).findings
        self.assertEqual(found.verdict.value, "odd-better")
        self.assertAlmostEqual(found.comparison.estimate, -34.0, delta=1.0)
        for one in found.cellwise.cells:
            self.assertAlmostEqual(one.cell.estimate, -34.0, delta=2.0)

    def test_margins_are_as_much_either_way(self):
        self.assertAlmostEqual(percent_of_log(-log_of_percent(25.0)), -20.0)
        self.assertAlmostEqual(percent_of_log(log_of_percent(25.0)), 25.0)
        self.assertEqual(percent_of_log(float("inf")), float("inf"))
        self.assertEqual(percent_of_log(float("-inf")), -100.0)
        self.assertTrue(1e300 < percent_of_log(1e6) < float("inf"))

    def test_prints_stand_beside_it_as_they_were_read(self):
        (found,) = judged(pairs([10.0, 11.0, 10.5], [12.0, 13.1, 12.4], unit="g"), 5.0).findings
        self.assertEqual(found.comparison.prints.baseline[0].value, 10.0)
        self.assertIsNotNone(found.comparison.findable or found.verdict.odd)
        self.assertTrue(all("nan" not in line for line in detail_lines(found)))

    def test_values_of_zero_have_no_percent(self):
        analysis = judged(pairs([0.0, 1.0, 2.0], [1.0, 2.0, 2.5], unit="g"), 5.0)
        self.assertIn("no percent", " ".join(threat.sentence for threat in analysis.threats))
        self.assertFalse(any(one.verdict.odd for one in analysis.findings))
        with self.assertRaisesRegex(ValueError, "has no percent"):
            judged(pairs([0.0, 1.0], [1.0, 2.0], kind=ResponseKind.GRADE), 5.0)

    def test_no_threat_mixes_percent_with_the_unit(self):
        (found,) = judged(pairs([20.0, 21.0, 20.5], [22.0, 23.0, 22.6], unit="min"), 5.0).findings
        self.assertNotIn("coarse-instrument", {threat.code for threat in found.threats})

    def test_equal_readings_are_no_certainty(self):
        (found,) = judged(pairs([20.0, 20.0, 20.0], [22.0, 22.0, 22.0], unit="min"), 5.0).findings
        low, high = found.comparison.inference.ci95
        self.assertAlmostEqual(found.comparison.estimate, 10.0)
        # A minute of twenty is five percent: the interval is some of them wide, and not endless.
        self.assertTrue(5.0 < high - low < 40.0, (low, high))

    def test_far_off_is_no_crash(self):
        (found,) = judged(pairs([1e-140, 2e-140, 1e-140], [1e140, 2e140, 3e140], unit="g"), 5.0).findings
        self.assertTrue(found.sentence)


class Planned(unittest.TestCase):
    def asked(self, **more):
        return response(1, "Time", unit="min", margin=5.0, percent=True, noise_sd=3.0, **more)

    def test_plan_and_rehearsal_agree(self):
        asked = dataclasses.replace(self.asked(), margin=None)
        value = drawn(Design(DesignKind.PAIRS), repeats=8, responses=(asked,))
        promised = power_of_plan(value, Aim(asked, log_of_percent(5.0), 3.0)).p_find_margin
        made = rehearse_study(
            value, [Assumed(1, 5.0, 3.0)], Conditions(0.0, 0.0), np.random.default_rng(2), 3000
        )
        seen = sum(share for verdict, share in made.rehearsed[0].shares.items() if verdict.leaning)
        self.assertAlmostEqual(seen, promised, delta=0.03)
        self.assertEqual(made.rehearsed[0].examples[1].comparison.unit, "%")

    def test_noise_is_in_percent_too(self):
        known = known_scatter(self.asked())
        self.assertEqual(known.sd, 3.0)
        self.assertAlmostEqual(known.aim(self.asked()).margin, log_of_percent(5.0))
        self.assertIsNone(known_scatter(dataclasses.replace(self.asked(), noise_sd=None)))

    def test_earlier_twins_in_grams_carry_no_percent(self):
        value = drawn(
            Design(DesignKind.PAIRS), repeats=1, responses=(dataclasses.replace(self.asked(), noise_sd=None),)
        )
        found = analyse(filled(value, [20.0, 30.0]), lambda _: NoiseFloor(0.1, 9)).findings[0]
        self.assertIsNone(found.comparison.inference.ci95)

    def test_a_ladder_holds_within_its_percent(self):
        value = drawn(
            Design(DesignKind.LADDER, (3,)),
            levels=("1 mm", "2 mm", "3 mm"),
            repeats=3,
            responses=(self.asked(),),
        )
        place = {arm.id: number for number, arm in enumerate(value.arms)}
        read = [
            (100.0, 102.0, 120.0)[place[run.arm_id]] + 0.1 * run.position
            for run in sorted(value.runs, key=lambda run: run.position)
        ]
        (curve,) = analyse(filled(value, read)).overall.curves
        self.assertEqual(curve.edge, (1, 2))
        self.assertAlmostEqual(curve.limit, 105.0, delta=1.0)
        self.assertEqual(curve.unit, "min")
