"""Rules that are met rarely: at a limit, with one thing of a kind, or with none."""

import dataclasses
import unittest
from datetime import timedelta

import numpy as np
from scipy.special import stdtrit

from oddtwin.core.decide import findings_of
from oddtwin.core.effects import Measure, cliffs_delta, limits_of_agreement, noise_of_table
from oddtwin.core.effects.words import DRAWS, p_of_words
from oddtwin.core.photo import Asked, Region, What, measure
from oddtwin.core.readings import FAILURES, Better, Reading, ResponseKind
from oddtwin.core.render import render
from oddtwin.core.study import Decision, DecisionKind, Machine, MachineChange
from oddtwin.core.study.files import ArmFile
from oddtwin.core.study.from_levels import factors_of
from oddtwin.core.study.looked import Tie, tied_axes
from oddtwin.core.study.makeup import changed_since_frozen
from oddtwin.core.toolpath.match.lines import Laid
from oddtwin.core.toolpath.motion import Calibration, calibrate
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from tests.builders import NOON, plan, study
from tests.core.test_calibrate import reckoned
from tests.core.test_cells import on_machines, one

FLOWS = (6, 6, 12, 12, 18, 18)


class Statistics(unittest.TestCase):
    def test_a_delta_of_one_has_the_bound_of_feng_and_cliff(self):
        # Feng and Cliff 2004: (n − t²) / (n + t²), n the smaller arm, t at n1 + n2 − 2 (from memory).
        t = float(stdtrit(13, 0.975))
        found = cliffs_delta(np.arange(6.0), np.arange(10.0, 19.0))
        self.assertEqual((found.delta, found.ci95[1]), (1.0, 1.0))
        self.assertAlmostEqual(found.ci95[0], (6 - t * t) / (6 + t * t))
        self.assertEqual(cliffs_delta(np.arange(10.0, 19.0), np.arange(6.0)).ci95[0], -1.0)

    def test_words_that_part_wholly_are_as_unlikely_as_the_draws_can_tell(self):
        rng = np.random.default_rng(1)
        words = ["glossy", "matt", "rough", "dull"]
        # Too many ways to deal these out for counting them all, and none of the draws parts them so.
        p = p_of_words(
            [f"{word} before" for word in words * 15], [f"{word} after" for word in words * 15], rng
        )
        self.assertEqual(p, 1 / (DRAWS + 1))

    def test_two_pairs_of_twins_are_enough_to_see_that_they_do_not_scatter_alike(self):
        def twins(*groups):
            return [
                Reading("A", value, response="Mass", pair=str(pair), run=f"{pair}{number}")
                for pair, group in enumerate(groups)
                for number, value in enumerate(group)
            ]

        calm, wild = (10.0, 10.01, 9.99, 10.02), (10.0, 14.0, 6.0, 11.0)
        with self.assertRaisesRegex(ValueError, "do not scatter alike"):
            noise_of_table(twins(calm, wild))
        # Bartlett's test by hand: two groups alike have p 1, and one that never moves is left out of it.
        self.assertGreater(noise_of_table(twins(calm, calm, (5.0, 5.0)))["Mass"].df, 0)

    def test_one_print_beside_its_prediction_has_a_bias_and_two_have_limits(self):
        alone, two = limits_of_agreement([60.0], [63.0]), limits_of_agreement([60.0, 90.0], [63.0, 95.0])
        self.assertEqual((alone.n, alone.bias, alone.sd), (1, 3.0, None))
        self.assertEqual((two.n, two.bias), (2, 4.0))
        self.assertAlmostEqual(two.sd, 2**0.5)

    def test_one_pair_on_each_machine_cannot_tell_machines_apart(self):
        finding = one(on_machines({"Heron": 2.0, "Tarn": -2.0, "Curlew": 0.0}, count=1))
        self.assertEqual({item.p for item in finding.cellwise.same} | {1.0}, {1.0})
        finding = one(on_machines({"Heron": 2.0, "Tarn": -2.0, "Curlew": 0.0}, count=4))
        self.assertLess(min(item.p for item in finding.cellwise.same), 0.05)


class Studies(unittest.TestCase):
    def test_minutes_are_predicted_for_the_machines_that_a_file_was_reckoned_for(self):
        file = ArmFile(1, 1, 1, "0" * 64, "ring.gcode", seconds={1: 3600.0})
        self.assertEqual(file.minutes_on(Machine(1, "Heron", overhead_min=7.0)), 67.0)
        self.assertIsNone(file.minutes_on(Machine(2, "Tarn", overhead_min=7.0)))

    def levels(self, *names):
        settings = {name: (("level", name),) for name in names}
        (factor,), _ = factors_of(settings, names)
        return [level.value for level in factor.levels]

    def test_levels_go_from_the_baseline_to_the_far_end(self):
        self.assertEqual(self.levels("60", "100", "80"), ["60", "80", "100"])
        self.assertEqual(self.levels("100", "60", "80"), ["100", "80", "60"])
        self.assertEqual(self.levels("0", "20", "-20"), ["0", "20", "-20"], "a baseline in the middle")
        self.assertEqual(self.levels("20", "0", "10"), ["20", "10", "0"], "nought is a number too")
        self.assertEqual(self.levels("fine", "coarse", "60"), ["fine", "coarse", "60"])

    def test_of_failures_more_are_worse_whatever_else_was_asked(self):
        rows = [
            Reading(arm, float(arm == "B" and pair < 5), response=FAILURES, pair=str(pair),
                    run=f"{arm}{pair}", kind=ResponseKind.YES_NO)
            for pair in range(6) for arm in "AB"
        ]  # fmt: skip
        (finding,) = findings_of({FAILURES: rows}, Measure("A", "B", 0.5, Better.HIGHER), 1)
        self.assertEqual((finding.comparison.measure.better, finding.comparison.measure.margin),
                         (Better.LOWER, None))  # fmt: skip
        other = [dataclasses.replace(item, response="Sticks") for item in rows]
        (finding,) = findings_of({"Sticks": other}, Measure("A", "B", 0.5, Better.HIGHER), 1)
        self.assertEqual(finding.comparison.measure.better, Better.HIGHER)

    def test_a_tied_face_shows_the_two_axes_in_which_its_corners_differ(self):
        corners = ((0.1, 0.1, 10.0, 20.0, 4.0), (0.9, 0.1, 50.0, 20.0, 4.0), (0.9, 0.9, 50.0, 60.0, 4.0))
        self.assertEqual(tied_axes([Tie(*corner) for corner in corners]), [0, 1])
        front = [Tie(x, y, along, 20.0, up) for x, y, along, up, _ in corners]
        self.assertEqual(tied_axes(front), [0, 2])

    def test_what_is_changed_until_the_very_moment_of_the_decision_counts(self):
        end = NOON + timedelta(days=3)
        changes = tuple(
            MachineChange(number, 1, at, "part", "hot end", "old", "new", "")
            for number, at in enumerate((NOON, NOON + timedelta(1), end, end + timedelta(minutes=1)), 1)
        )
        decision = Decision(DecisionKind.UNDECIDED, "", end)
        value = study(plan=plan(frozen=NOON, machine_ids=(1,)), changes=changes, decision=decision)
        self.assertEqual([one.id for one in changed_since_frozen(value)], [2, 3])
        still_open = dataclasses.replace(value, decision=None)
        self.assertEqual([one.id for one in changed_since_frozen(still_open)], [2, 3, 4])


class Machines(unittest.TestCase):
    def test_a_flow_that_no_further_one_bounds_is_told_as_at_least(self):
        def told(last):
            rows = [("a", flow, 2.0, weighed, "") for flow, weighed in zip(FLOWS, last, strict=True)]
            found = reckoned("flow-ceiling", "setup,flow,expected_g,weighed_g,skip", rows)
            return found.ci95, found.sentence.replace("\u202f", " ")

        ends, said = told((2.0, 1.99, 1.96, 1.95, 1.91, 1.87))
        self.assertEqual(ends[1], float("inf"))
        self.assertRegex(said, r", at least 1\d\.\d mm³/s")
        ends, said = told((2.0, 1.999, 1.98, 1.979, 1.70, 1.701))
        self.assertLess(ends[1], 18.0)
        self.assertNotIn("at least", said)

    def test_a_belt_is_told_to_a_tenth_of_a_newton(self):
        rows = [("x", 80), ("x", 81), ("x", 79.5)]
        found = reckoned("belts", "axis,frequency_hz", rows, span=150, density=8.5)
        self.assertRegex(found.sentence.replace("\u202f", " "), r"x \d+\.\d N")

    def test_times_are_corrected_near_what_was_logged_alone(self):
        self.assertFalse(Calibration().covers(0.0))
        logged = calibrate([60.0, 61.0], [66.0, 67.3])
        self.assertTrue(logged.covers(60.0) and not logged.covers(6000.0) and not logged.covers(0.6))

    def test_as_many_prints_as_figures_leave_no_interval(self):
        two = Calibration(1.1, 2.0, 0.1, 1.0, residual_sd=0.5, n=2, mean=60.0, spread=10.0)
        self.assertEqual(two.predict(60.0), (68.0, None))
        self.assertIsNotNone(dataclasses.replace(two, n=3).predict(60.0)[1])
        self.assertIsNone(dataclasses.replace(two, scale_se=None, n=1).predict(60.0)[1])

    def test_short_lines_are_as_near_as_they_are(self):
        rng = np.random.default_rng(2)
        begin = rng.uniform(0, 3, (40, 2))
        end = begin + rng.uniform(-0.25, 0.25, (40, 2))
        end[0] = begin[0]
        places = rng.uniform(0, 3, (200, 2))
        fine = np.linspace(0, 1, 400)[:, None, None]
        marks = (begin + fine * (end - begin)).reshape(-1, 2)
        nearest = np.hypot(*(places[:, None] - marks).transpose(2, 0, 1)).min(axis=1)
        found = Laid(begin, end).distance(places)
        np.testing.assert_allclose(found, np.minimum(nearest, found.max()), atol=2e-3)

    def test_a_bridge_is_laid_line_beside_line_across_its_gap(self):
        recipe = Recipe()
        plain = slice_solid(Solid(), recipe)
        bridged = slice_solid(Solid(span_mm=12.0), recipe)
        found = {
            feature: length for feature, length in bridged.path_mm.items() if feature not in plain.path_mm
        }
        (length,) = found.values()
        # So many lines as fit between the walls, each from wall to wall of the gap.
        inset = recipe.walls * recipe.line_width
        lines = int((20.0 - 2 * inset) / recipe.line_width)
        self.assertGreater(length, lines * 12.0 * 0.9)
        self.assertLess(length, lines * (40.0 - 2 * inset) * 1.1)


class Sentences(unittest.TestCase):
    def test_one_string_crosses_and_several_cross(self):
        for strings, said in (("1", "1 string crosses the gap"), ("5", "5 strings cross the gap")):
            picture, truth = render("strings", 5, {"strings": strings})
            region = Region(*(round(value) for value in truth["region"]))
            self.assertIn(said, measure(picture, What.STRINGS, Asked(region, 20.0)).sentence)


if __name__ == "__main__":
    unittest.main()
