"""What studies say together: R's figures for random effects, and questions that are the same turned round."""

import json
import unittest
from dataclasses import replace
from datetime import timedelta

import numpy as np

from oddtwin.core.judgement import analyse
from oddtwin.core.known import (
    Effect,
    Found,
    effect_values,
    effects_from,
    effects_of,
    known_json,
    random_effects,
    what_is_known,
)
from oddtwin.core.picture import Branch, forest
from tests.builders import NOON
from tests.core.test_tradeoff import printed

TPOS = [4, 6, 3, 62, 33, 180, 8, 505, 29, 17, 186, 5, 27]
TNEG = [119, 300, 228, 13536, 5036, 1361, 2537, 87886, 7470, 1699, 50448, 2493, 16886]
CPOS = [11, 29, 11, 248, 47, 372, 10, 499, 45, 65, 141, 3, 29]
CNEG = [128, 274, 209, 12619, 5761, 1079, 619, 87892, 7232, 1600, 27197, 2338, 17825]


class Pooled(unittest.TestCase):
    def test_the_vaccine_trials_have_the_figures_of_r(self):
        # metadat::dat.bcg (Colditz et al. 1994), log risk ratios; figures by R metafor rma with REML and
        # Knapp-Hartung (Viechtbauer 2010), as in check-values O-14-01.
        a, b, c, d = (np.array(some, float) for some in (TPOS, TNEG, CPOS, CNEG))
        effects = np.log(a / (a + b)) - np.log(c / (c + d))
        variances = 1 / a - 1 / (a + b) + 1 / c - 1 / (c + d)
        found = random_effects(effects, variances)
        self.assertAlmostEqual(found.tau**2, 0.3132432581, places=6)
        self.assertAlmostEqual(found.estimate, -0.7145323422, places=6)
        self.assertAlmostEqual(found.se, 0.1807917441, places=6)
        np.testing.assert_allclose(found.ci95, (-1.10844371368566, -0.320620970630764), atol=1e-6)
        self.assertAlmostEqual(found.q, 152.2330081, places=4)
        self.assertAlmostEqual(found.i2, 0.9222138452, places=5)
        np.testing.assert_allclose(found.prediction95, (-2.008375897157439, 0.5793112136843507), atol=1e-5)

    def test_three_that_disagree_have_the_figures_of_r(self):
        # Made up; R metafor rma, check-values O-14-03.
        found = random_effects([0.9, -0.2, 1.6], [0.04, 0.09, 0.05])
        self.assertAlmostEqual(found.tau**2, 0.7379440308, places=6)
        self.assertAlmostEqual(found.se, 0.5196325306, places=6)
        np.testing.assert_allclose(found.ci95, (-1.45279997992834, 3.01879667225594), atol=1e-6)
        np.testing.assert_allclose(found.prediction95, (-11.946903693775738, 13.51290038565488), atol=1e-4)

    def test_studies_that_agree_by_luck_are_no_surer_than_their_own_scatter(self):
        # R metafor: without a floor 0.0356 (check-values O-14-02); with it the plain standard error.
        found = random_effects([0.21, 0.35, 0.18, 0.27], [0.02, 0.03, 0.015, 0.025])
        self.assertEqual(found.tau, 0.0)
        self.assertAlmostEqual(found.estimate, 0.2366666667)
        self.assertAlmostEqual(found.se, 0.07254762501)

    def test_its_interval_holds_the_true_mean_at_least_nineteen_of_twenty_times(self):
        rng = np.random.default_rng(3)
        held = 0
        for _ in range(600):
            variances = rng.uniform(0.02, 0.2, 5)
            effects = rng.normal(1.0, np.sqrt(variances + 0.15))
            low, high = random_effects(effects, variances).ci95
            held += low <= 1.0 <= high
        self.assertGreaterEqual(held / 600, 0.935)

    def test_nothing_and_certainty_are_refused(self):
        for effects, variances in (([], []), ([1.0], [0.0]), ([1.0, 2.0], [1.0]), ([float("nan")], [1.0])):
            with self.assertRaises(ValueError):
                random_effects(effects, variances)


def effect(estimate=-2.0, half=1.0, **more):
    values = {
        "factor": "Hot end", "before": "brass", "after": "steel", "response": "Strings, g", "unit": "g",
        "machine": "Tarn", "piece": "Ring", "filament": "", "estimate": estimate, "low": estimate - half,
        "high": estimate + half, "verdict": "odd-better", "better": "lower",
    }  # fmt: skip
    return Effect(**(values | more))


def found(number, *more, **values):
    return Found(number, f"Study {number}", NOON + timedelta(days=number), effect(*more, **values))


class Known(unittest.TestCase):
    def test_the_variance_of_an_effect_is_that_of_its_interval(self):
        self.assertAlmostEqual(effect(0.0, 1.959964).variance, 1.0)
        self.assertAlmostEqual(effect(5.0, 3.0).variance, (3.0 / 1.959964) ** 2)
        self.assertGreater(effect(5.0, 0.0).variance, 0.0)
        # Two alike, each with variance 1: the mean of them has half of it.
        (one,) = what_is_known([found(1, -2.0, 1.959964), found(2, -2.0, 1.959964)])
        self.assertAlmostEqual(one.together.se, 0.5**0.5)

    def test_an_interval_that_touches_zero_contradicts_nothing(self):
        for low, contradicts in ((0.2, True), (0.0, False)):
            up = effect(1.0, 1.0, low=low, high=2.0)
            (one,) = what_is_known([found(1), Found(2, "Up", NOON, up)])
            self.assertEqual(one.contradicts, contradicts)
        down = effect(-1.0, 1.0, low=-2.0, high=0.0)
        up = effect(1.0, 1.0, low=0.2, high=2.0)
        (one,) = what_is_known([Found(1, "Down", NOON, down), Found(2, "Up", NOON, up)])
        self.assertFalse(one.contradicts)

    def test_the_same_question_stands_together_also_turned_round_and_in_other_case(self):
        back = effect(1.8, 1.0, before="Steel", after="BRASS", factor="hot end")
        known = what_is_known([found(1), found(2, -1.6), Found(3, "Back", NOON + timedelta(9), back)])
        self.assertEqual(len(known), 1)
        (one,) = known
        self.assertEqual(len(one.found), 3)
        # Named after the newest, and all turned its way.
        self.assertEqual((one.effect.before, one.effect.after), ("Steel", "BRASS"))
        self.assertTrue(all(item.effect.estimate > 0 for item in one.found))
        self.assertIn("by 3 studies; the next would find", one.sentence)
        self.assertFalse(one.contradicts)

    def test_other_levels_units_and_responses_are_other_questions(self):
        others = [
            found(1), found(2, after="ruby"), found(3, unit="kg"), found(4, response="Time"),
            found(5, factor="x"),
        ]  # fmt: skip
        self.assertEqual(len(what_is_known(others)), 5)
        self.assertEqual(len(what_is_known(others, "HOT END ")), 4)
        self.assertEqual(len(what_is_known(others, "hot end", "strings, G")), 3)
        self.assertEqual(what_is_known(others, "nothing"), [])

    def test_one_study_alone_says_what_it_said(self):
        (one,) = what_is_known([found(1, low=-3.5, high=-0.1)])
        self.assertEqual(one.together.ci95, (-3.5, -0.1))
        self.assertIn("by 1 study.", one.sentence)

    def test_contradictions_are_said(self):
        (one,) = what_is_known([found(1, -2.0), found(2, 2.0)])
        self.assertTrue(one.contradicts)
        self.assertIn("They contradict one another: Study 1, Study 2", one.sentence)

    def test_grades_are_counted_and_not_averaged(self):
        graded = {"unit": "", "response": "Strings", "graded": True}
        (one,) = what_is_known([found(1, -1.0, **graded), found(2, 0.0, **graded), found(3, -2.0, **graded)])
        self.assertIn("a lower grade in 2 of 3 studies, a higher one in 0.", one.sentence)

    def test_plain_values_come_back_and_bad_ones_are_refused(self):
        effects = [effect(), effect(1.0, graded=True)]
        self.assertEqual(effects_from(json.loads(json.dumps(effect_values(effects)))), effects)
        for wrong in (
            {"low": 5.0, "high": 1.0},
            {"verdict": "splendid"},
            {"estimate": float("inf")},
            {"x": 1},
        ):
            with self.assertRaises(ValueError):
                effects_from([effect_values([effect()])[0] | wrong])
        json.dumps(known_json(what_is_known([found(1), found(2)])), allow_nan=False)

    def test_a_study_tells_its_effects_arm_by_arm(self):
        rows = []
        for pair in range(4):
            rows += [(120 + pair, 40, 2, 6, 1), (100 + pair + 0.2 * (pair % 2), 40, 2, 6, 1)]
        study = printed(rows)
        told = {one.response: one for one in effects_of(study, analyse(study))}
        time = told["Print time"]
        self.assertEqual((time.factor, time.before, time.after), ("layer height", "0.2 mm", "0.3 mm"))
        self.assertEqual((time.machine, time.piece, time.filament), ("Marlow", "Lamp ring", "Chalk"))
        self.assertTrue(-21 < time.low < time.estimate < time.high < -19)
        self.assertTrue(told["Strings"].graded if "Strings" in told else True)
        mixed = replace(study, runs=(replace(study.runs[0], spool="Slate"), *study.runs[1:]))
        self.assertEqual(effects_of(mixed, analyse(mixed))[0].filament, "")

    def test_the_forest_holds_all_of_it_for_any_numbers(self):
        branches = [
            Branch("A long name of a study of last year", -2.0, (-3.0, -1.0)),
            Branch("B", 0.0, (0.0, 0.0)),
        ]
        drawing = forest(branches, Branch("Together", -1.0, (-2.5, 0.5)), (-4.0, 2.0), "g", 700.0)
        for shape in drawing.shapes:
            for name in ("x", "x1", "x2"):
                self.assertLessEqual(getattr(shape, name, 0.0), 700.0)
        self.assertIn("Together", drawing.description)
        self.assertTrue(forest([Branch("A", 0.0, (0.0, 0.0))], None, None, "", 700.0).shapes)


if __name__ == "__main__":
    unittest.main()
