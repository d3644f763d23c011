"""Prints that failed by the change, responses that must not get worse, absolute limits, prints made bad."""

import dataclasses
import unittest

import numpy as np

from oddtwin.core.decide import Verdict, detail_lines, judge
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import Measure
from oddtwin.core.judgement import analyse, contrasts, ladder_advice
from oddtwin.core.readings import Better, ResponseKind
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from oddtwin.core.runlist import draw_plan
from oddtwin.core.study import Arm, ArmRole
from tests.builders import drawn, filled, judged, pairs, plan, response, study


def by_name(analysis):
    return {(one.comparison.response, one.about): one for one in analysis.findings}


class Failures(unittest.TestCase):
    def printed(self, failed):
        value = drawn(Design(DesignKind.PAIRS), repeats=8, responses=(response(1, margin=1.0),))
        ordered = sorted(value.runs, key=lambda run: run.position)
        arm = {run.id: value.arm_of(run) for run in ordered}
        broken = {run.id for run in ordered if arm[run.id].is_baseline is False} if failed else set()
        read = [20.0 + 0.01 * place for place in range(len(ordered))]
        value = filled(value, read)
        runs = tuple(
            dataclasses.replace(run, failed="skipped" if run.id in broken else "") for run in value.runs
        )
        # What failed left no reading.
        kept = tuple(item for item in value.readings if item.run_id not in broken)
        return dataclasses.replace(value, runs=runs, readings=kept)

    def test_they_are_an_outcome_of_their_own(self):
        found = by_name(analyse(self.printed(True)))
        failures = found["Prints that failed", ""]
        self.assertEqual(failures.comparison.estimate, 1.0)
        self.assertIn(failures.verdict, (Verdict.LEANING_WORSE, Verdict.ODD_WORSE))
        # McNemar's exact test of eight pairs that all changed to failed: 2 × .5 to the eighth.
        self.assertAlmostEqual(failures.comparison.inference.p_difference, 2 / 256)
        self.assertIn("yes in 8 of 8", " ".join(detail_lines(failures)))

    def test_a_print_that_failed_lacks_no_reading(self):
        analysis = analyse(self.printed(True))
        self.assertNotIn("lost-runs", {threat.code for threat in analysis.threats})
        self.assertTrue(all(not one.comparison.prints.missing for one in analysis.findings))

    def test_without_any_nothing_is_said_of_them(self):
        self.assertNotIn(("Prints that failed", ""), by_name(analyse(self.printed(False))))


class Guards(unittest.TestCase):
    def test_one_side_is_asked(self):
        better, both = (-3.0, 0.5), (-2.5, 0.2)
        self.assertEqual(judge(better, both, 1.0, Better.LOWER, guard=True), Verdict.NOT_WORSE)
        self.assertEqual(judge(better, both, 1.0, Better.LOWER), Verdict.UNDECIDED)
        self.assertEqual(judge(better, both, 1.0, Better.HIGHER, guard=True), Verdict.UNDECIDED)
        self.assertEqual(judge((0.1, 3.0), (0.2, 2.5), 1.0, Better.HIGHER, guard=True), Verdict.NOT_WORSE)

    def test_what_matters_or_is_alike_is_said_all_the_same(self):
        self.assertEqual(judge((1.5, 3.0), (1.6, 2.9), 1.0, Better.LOWER, guard=True), Verdict.ODD_WORSE)
        self.assertEqual(judge((-3.0, -1.5), (-2.9, -1.6), 1.0, Better.LOWER, guard=True), Verdict.ODD_BETTER)
        self.assertEqual(judge((-0.5, 0.5), (-0.4, 0.4), 1.0, Better.LOWER, guard=True), Verdict.TWIN)

    def test_the_sentence_says_what_was_asked(self):
        rows = pairs([10.0, 12.0, 9.0, 11.0], [9.0, 9.5, 9.3, 8.0], unit="g")
        found = judged(rows, Measure("A", "B", 1.0, Better.LOWER, guard=True))
        self.assertEqual(found.verdict, Verdict.NOT_WORSE)
        self.assertIn("not worse by 1\u202fg or more", found.sentence)
        self.assertIsNone(found.more_pairs)

    def test_it_errs_as_often_as_it_says(self):
        rng, wrong = np.random.default_rng(7), 0
        for _ in range(400):
            base, change = rng.normal(0, 1, (2, 5))
            found = judged(pairs(base, change + 1.0), Measure("A", "B", 1.0, Better.LOWER, guard=True))
            wrong += found.verdict in (Verdict.NOT_WORSE, Verdict.TWIN)
        self.assertLessEqual(wrong / 400, 0.05 + 2 * 0.011)

    def test_a_rehearsal_judges_by_the_same_rule(self):
        value = drawn(Design(DesignKind.PAIRS), repeats=6, responses=(response(1, margin=1.0, guard=True),))
        made = rehearse_study(
            value, [Assumed(1, -0.5, 0.8)], Conditions(0.0, 0.0), np.random.default_rng(1), 500
        )
        self.assertGreater(made.rehearsed[0].shares.get(Verdict.NOT_WORSE, 0.0), 0.3)


class Limits(unittest.TestCase):
    def ladder(self, accept, values):
        value = drawn(
            Design(DesignKind.LADDER, (4,)),
            levels=("10 mm", "20 mm", "30 mm", "40 mm"),
            repeats=7,
            responses=(response(1, "Shortfall", unit="%", margin=None, accept=accept),),
        )
        place = {arm.id: number for number, arm in enumerate(value.arms)}
        rng = np.random.default_rng(2)
        ordered = sorted(value.runs, key=lambda run: run.position)
        return filled(value, [values[place[run.arm_id]] + rng.normal(0, 0.1) for run in ordered])

    def test_a_print_holds_that_does_not_pass_it(self):
        value = self.ladder(5.0, (1.0, 2.0, 4.0, 8.0))
        advice = ladder_advice(value)
        self.assertEqual((advice.good, advice.bad), (2, 3))
        # Seven prints of each, with nothing to be judged beside, prove both sides.
        self.assertEqual((advice.low, advice.high), (2, 3))

    def test_the_curve_shows_it(self):
        (curve,) = analyse(self.ladder(5.0, (1.0, 2.0, 4.0, 8.0))).overall.curves
        self.assertEqual(curve.limit, 5.0)
        said = " ".join(curve.said).replace("\u202f", " ")
        self.assertIn("Up to 30 mm the mean holds (95 % sure); from 40 mm on it does not (95 % sure).", said)


class MadeBad(unittest.TestCase):
    def printed(self, bad):
        control = Arm(9, "no cooling at all", False, role=ArmRole.POSITIVE)
        value = study(
            plan=None,
            blocks=(),
            arms=(Arm(1, "Old", True), control),
            responses=(response(1, "Sag", kind=ResponseKind.GRADE, unit="", margin=1.0),),
        )
        value = draw_plan(value, plan(repeats=9, twins=0, design=Design(DesignKind.PAIRS)))
        ordered = sorted(value.runs, key=lambda run: run.position)
        return filled(value, [bad if value.arm_of(run).role else 1 for run in ordered])

    def test_it_is_no_question_and_no_part_of_the_family(self):
        value = self.printed(3)
        self.assertEqual([one.positive for one in contrasts(value)], [False, True])
        analysis = analyse(value)
        self.assertIsNone(analysis.findings[0].family)
        self.assertIn("Made bad on purpose", analysis.findings[1].sentence)

    def test_no_difference_is_told_with_what_could_be_seen(self):
        finding = analyse(self.printed(3)).findings[0]
        self.assertEqual(finding.verdict, Verdict.TWIN)
        said = " ".join(detail_lines(finding))
        self.assertIn("no cooling at all was made bad on purpose, and differed by +2", said)
        self.assertIn("a difference can be seen here", said)

    def test_a_bad_print_that_looks_good_is_told_too(self):
        said = " ".join(detail_lines(analyse(self.printed(1)).findings[0]))
        self.assertIn("no difference was shown", said)

    def test_without_one_a_graded_twin_says_so(self):
        rows = pairs([1.0] * 7, [1.0] * 7, kind=ResponseKind.GRADE)
        found = judged(rows, Measure("A", "B", 1.0, Better.LOWER))
        self.assertIn("Nothing shows that this piece", " ".join(detail_lines(found)))


class FailedRungs(unittest.TestCase):
    def test_a_level_at_which_prints_failed_does_not_hold(self):
        value = drawn(
            Design(DesignKind.LADDER, (3,)),
            levels=("1 mm", "2 mm", "3 mm"),
            repeats=3,
            responses=(response(1, "Sag", unit="mm", margin=1.0),),
        )
        place = {arm.id: number for number, arm in enumerate(value.arms)}
        ordered = sorted(value.runs, key=lambda run: run.position)
        value = filled(value, [5.0 + 0.1 * place[run.arm_id] + 0.01 * run.position for run in ordered])
        far = {run.id for run in value.runs if place[run.arm_id] == 2}
        runs = tuple(dataclasses.replace(run, failed="tore" if run.id in far else "") for run in value.runs)
        kept = tuple(item for item in value.readings if item.run_id not in far)
        value = dataclasses.replace(value, runs=runs, readings=kept)
        advice = ladder_advice(value)
        self.assertEqual((advice.good, advice.bad), (1, 2))
        (curve,) = analyse(value).overall.curves
        self.assertIn("3 of 3 prints failed at 3 mm.", curve.said)
        failures = by_name(analyse(value))["Prints that failed", "3 mm against Old"]
        self.assertNotIn("margin", failures.sentence)
        self.assertNotIn("no-margin", {threat.code for threat in failures.threats})
