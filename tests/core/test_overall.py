"""What a study says as a whole: scorecard, ledger, curves along levels, and its course in time."""

import dataclasses
import re
import unittest

import numpy as np

from oddtwin.core.customs import ChangeKind
from oddtwin.core.decide import detail_lines
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import Measure
from oddtwin.core.judgement import analyse, judge_table
from oddtwin.core.picture import LIGHT, Circle, Line, Text, below, overview, to_svg
from oddtwin.core.readings import Better, Combine, Reading, ResponseKind
from oddtwin.core.runlist import draw_plan
from oddtwin.core.study import Arm, Factor, Level
from tests.builders import drawn, filled, plan, response, study

SCARS = response(
    1, "Scars", kind=ResponseKind.GRADE, unit="", combine=Combine.WORST, better=Better.LOWER, margin=1.0
)
MINUTES = response(2, "Minutes", unit="min", margin=5.0, primary=False)


def printed(value, effect, scatter=0.2, seed=12):
    """Print every run; ``effect`` takes the response's id and the number of the arm."""
    noise = np.random.default_rng(seed)
    number = {arm.id: place for place, arm in enumerate(value.arms)}
    runs = sorted(value.runs, key=lambda run: run.position)
    for one in value.responses:
        graded = one.kind is ResponseKind.GRADE
        read = [
            effect(one.id, number[run.arm_id]) + (0 if graded else noise.normal(0, scatter)) for run in runs
        ]
        value = filled(value, read, one.id)
    return value


def told(pictures):
    return [
        " ".join(shape.text for shape in picture.drawing(900.0).shapes if isinstance(shape, Text))
        for picture in pictures
    ]


class Scorecards(unittest.TestCase):
    def setUp(self):
        value = drawn(
            Design(DesignKind.SEVERAL, (4,)),
            levels=("plain", "aligned", "random", "hidden"),
            repeats=8,
            responses=(SCARS, MINUTES),
        )
        steps = {1: (2, 1, 3, 1), 2: (60.0, 60.5, 66.0, 49.0)}
        self.analysis = analyse(printed(value, lambda key, arm: steps[key][arm]))
        (self.table,) = self.analysis.overall.tables

    def test_every_arm_has_its_marks(self):
        self.assertEqual(self.table.columns, ("Scars, grade steps", "Minutes, min"))
        self.assertEqual([row.name for row in self.table.rows], ["Old", "aligned", "random", "hidden"])
        figures = [row.marks[0].figure for row in self.table.rows]
        self.assertEqual(figures, ["–", "−1", "+1", "−1"])
        self.assertEqual(self.table.rows[3].marks[1].verdict.value, "odd-better")

    def test_ties_lie_inside_the_margin(self):
        leads = [[mark.leads for mark in row.marks] for row in self.table.rows]
        self.assertEqual(leads, [[False, False], [True, False], [False, False], [True, True]])

    def test_what_another_arm_beats_is_greyed(self):
        self.assertEqual([row.greyed for row in self.table.rows], [True, True, True, False])
        self.assertIn("hidden is as good or better in everything than Old and aligned and random", self.said)

    def test_less_than_the_margin_beats_nobody_and_without_one_anything_does(self):
        for margin, greyed in ((None, True), (0.25, True), (0.75, False)):
            value = drawn(
                Design(DesignKind.SEVERAL, (3,)),
                levels=("plain", "aligned", "random"),
                repeats=4,
                responses=(dataclasses.replace(MINUTES, margin=margin, primary=True),),
            )
            made = printed(value, lambda _, arm: 60.0 - 0.5 * (arm == 1), scatter=0.0)
            (table,) = analyse(made).overall.tables
            self.assertEqual([row.greyed for row in table.rows], [greyed, False, greyed], margin)

    @property
    def said(self):
        return " ".join(self.table.said).replace("\u202f", " ")

    def test_the_best_and_the_order_of_responses(self):
        self.assertIn("Minutes: hidden is the best (95 % sure).", self.said)
        self.assertIn("taking Scars before Minutes: aligned and hidden tie on Scars; hidden is 11", self.said)

    def test_it_is_drawn_with_its_names_and_figures(self):
        text = told(overview(self.analysis.overall))[0]
        for word in ("Scars, grade steps", "hidden", "can be left out", "−1"):
            self.assertIn(word, text)

    def test_the_arms_are_judged_together(self):
        minutes = [one for one in self.analysis.findings if one.comparison.response == "Scars"]
        self.assertTrue(all(one.family.of == 3 for one in minutes))


class Together(unittest.TestCase):
    def test_intervals_for_all_arms_are_wider_and_said(self):
        value = drawn(
            Design(DesignKind.SEVERAL, (4,)), levels="1234", repeats=5, responses=(response(1, margin=1.0),)
        )
        for finding in analyse(printed(value, lambda _, arm: 20.0 + arm)).findings:
            own, wide = finding.comparison.inference.ci95, finding.family.ci95
            self.assertLess(wide[0], own[0])
            self.assertGreater(wide[1], own[1])
            # Dunnett for three comparisons of twelve degrees of freedom: 2.68 against 2.179.
            self.assertAlmostEqual((wide[1] - wide[0]) / (own[1] - own[0]), 2.684 / 2.179, delta=0.01)

    def test_eight_arms_alike_show_a_false_difference_once_in_twenty(self):
        value = drawn(
            Design(DesignKind.SEVERAL, (6,)),
            levels="123456",
            repeats=4,
            responses=(response(1, margin=None),),
        )
        false = 0
        for seed in range(100):
            found = analyse(printed(value, lambda *_: 20.0, seed=seed)).findings
            false += any(one.verdict.odd or one.verdict.leaning for one in found)
        self.assertLessEqual(false, 11)


class Ledgers(unittest.TestCase):
    def test_a_row_for_each_step_and_their_sum(self):
        value = drawn(
            Design(DesignKind.CHAIN, (2,) * 3),
            levels=("before", "after"),
            factors=3,
            repeats=3,
            responses=(response(1, "Minutes", unit="min", margin=2.0),),
        )
        taken = [(10.0, 12.0, 0.0), (45.0, 38.0, -42.0), (20.0, 9.0, 4.0)]
        factors = tuple(
            dataclasses.replace(
                factor,
                name=f"part {number}",
                levels=(
                    factor.levels[0],
                    dataclasses.replace(factor.levels[1], minutes=minutes, cost=cost, mass_g=mass),
                ),
            )
            for number, (factor, (minutes, cost, mass)) in enumerate(
                zip(value.factors, taken, strict=True), 1
            )
        )
        value = dataclasses.replace(value, factors=factors)
        analysis = analyse(printed(value, lambda _, arm: (60.0, 60.0, 52.0, 50.0)[arm]))
        (table,) = analysis.overall.tables
        self.assertEqual(table.rows[0].name, "1  part 1: after")
        self.assertEqual(len(table.rows), 4)
        self.assertIn("45\xa0min to fit, 38\xa0€, −42\xa0g moving", table.rows[1].note)
        self.assertIn("75\xa0min to fit, 59\xa0€, −38\xa0g moving", table.rows[3].note)
        for row, moved in zip(table.rows, (0.0, -8.0, -2.0, -10.0), strict=True):
            figure = float(row.marks[0].figure.replace("−", "-"))
            self.assertAlmostEqual(figure, moved, delta=0.8, msg=row.name)


class Ladders(unittest.TestCase):
    def curve(self, values, better=Better.LOWER, **more):
        value = drawn(
            Design(DesignKind.LADDER, (len(values),)),
            levels=[f"{40 + 20 * place} mm/s" for place in range(len(values))],
            repeats=4,
            responses=(response(1, "Roughness", unit="µm", margin=4.0, better=better),),
            **more,
        )
        analysis = analyse(printed(value, lambda _, arm: values[arm]))
        (curve,) = analysis.overall.curves
        return curve, analysis

    def test_steps_limit_edge_and_what_is_sure(self):
        curve, analysis = self.curve((10.0, 10.2, 10.1, 11.5, 15.5, 19.0))
        steps = [point.step for point in curve.points]
        self.assertEqual(steps, sorted(steps))
        self.assertAlmostEqual(curve.limit, 14.0, delta=0.4)
        self.assertEqual(curve.edge, (3, 4))
        said = " ".join(curve.said).replace("\u202f", " ")
        self.assertIn("It rises along the levels", said)
        self.assertIn("Up to 100 mm/s the mean holds (95 % sure)", said)
        self.assertIn("from 120 mm/s on it does not (95 % sure)", said)
        self.assertIn("edge", told(overview(analysis.overall))[0])

    def test_less_may_be_worse(self):
        curve, _ = self.curve((20.0, 19.8, 12.0), better=Better.HIGHER)
        self.assertAlmostEqual(curve.limit, 16.0, delta=0.4)
        self.assertIn("from 80 mm/s on it does not", " ".join(curve.said))

    def test_levels_printed_each_on_a_day_of_its_own_have_a_trend_over_all_days(self):
        rows = [
            Reading(
                f"{level} mm", 5 + level / 20 + number / 8, "sag", "mm", pair=f"{level}, day {number}",
                run=f"{level} {number}", level=f"{level}", kind=ResponseKind.DEVIATION,
            )
            for number in range(3)
            for level in (20, 40, 60, 80)
        ]  # fmt: skip
        _, analysis = judge_table(rows, Measure("20 mm", "80 mm", 1.0, Better.LOWER))
        self.assertIn("It rises along the levels (p < 0.001)", analysis.overall.curves[0].said[0])

    def test_the_p_value_of_a_trend_is_pages_to_both_sides(self):
        from scipy.stats import page_trend_test

        design, levels = Design(DesignKind.LADDER, (4,)), ("4", "5", "6", "7")
        value = drawn(design, levels, repeats=4, responses=(response(1, margin=None),))
        values = np.random.default_rng(8).normal(10, 1, len(value.runs)).round(2).tolist()
        (curve,) = analyse(filled(value, values)).overall.curves
        in_order = sorted(value.runs, key=lambda run: run.position)
        read = {(run.block_id, run.arm_id): one for run, one in zip(in_order, values, strict=True)}
        rows = np.array([[read[block.id, arm.id] for arm in value.arms] for block in value.blocks])
        sides = [page_trend_test(way, method="exact").pvalue for way in (rows, -rows)]
        found = re.search(r"\(p = ([.0-9]+)\)", " ".join(curve.said))
        self.assertTrue(0.05 < 2 * min(sides) < 0.9, sides)
        self.assertAlmostEqual(float(found[1]), 2 * min(sides), delta=0.006)

    def test_a_flat_ladder_has_no_trend(self):
        curve, _ = self.curve((10.0, 10.0, 10.0, 10.0))
        self.assertTrue(any("No trend" in line for line in curve.said))
        self.assertIn("Up to 100 mm/s the mean holds", " ".join(curve.said))


class EffectsByLevel(unittest.TestCase):
    def test_a_part_that_helps_at_the_highest_level_only(self):
        factors = (
            Factor(1, ChangeKind.SETTING, "stiffener", (Level(11, "without"), Level(12, "with"))),
            Factor(
                2,
                ChangeKind.SETTING,
                "acceleration",
                tuple(Level(21 + place, f"{400 * 2**place} mm/s²") for place in range(4)),
            ),
        )
        value = study(
            plan=None,
            blocks=(),
            arms=(Arm(1, "Old", True),),
            factors=factors,
            responses=(response(1, "Ringing", unit="mm", margin=0.1),),
        )
        value = draw_plan(value, plan(repeats=4, twins=0, design=Design(DesignKind.FACTORIAL, (2, 4))))
        helped = [
            {level.value for _, level in value.levels_of(arm)} >= {"with", "3200 mm/s²"} for arm in value.arms
        ]
        analysis = analyse(printed(value, lambda _, arm: 0.5 - 0.17 * helped[arm], scatter=0.02))
        (curve,) = analysis.overall.curves
        self.assertEqual([point.name for point in curve.points][-1], "3200 mm/s²")
        self.assertAlmostEqual(curve.points[-1].value, -0.17, delta=0.04)
        self.assertIn("differs from acceleration 3200 mm/s² on", curve.said[0])
        self.assertIn("between there and 1600 mm/s²", curve.said[0])
        self.assertTrue(to_svg(overview(analysis.overall)[0].drawing(700.0), LIGHT).startswith("<svg"))


class Courses(unittest.TestCase):
    def drifting(self, slope):
        value = drawn(Design(DesignKind.PAIRS), repeats=8, responses=(response(1, margin=None),))
        rng = np.random.default_rng(3)
        read = [20 + slope * place + rng.normal(0, 0.1) for place in range(len(value.runs))]
        return analyse(filled(value, read)).overall.courses[0]

    def test_a_drift_is_told_with_its_size(self):
        course = self.drifting(0.3)
        self.assertEqual([point.order for point in course.points], list(range(1, 17)))
        self.assertRegex(course.said[0], r"drifts by \+0\.[23]\d*.g a print \(p < 0\.001\)")
        self.assertAlmostEqual(course.drift[1] - course.drift[0], 4.5, delta=0.3)

    def test_its_p_value_is_that_of_a_slope_beside_the_arms(self):
        from scipy.stats import t

        value = drawn(Design(DesignKind.PAIRS), repeats=5, responses=(response(1, margin=None),))
        read = np.array([20.0, 20.4, 19.7, 20.9, 20.2, 20.6, 20.1, 21.3, 20.4, 20.9])
        (course,) = analyse(filled(value, read.tolist())).overall.courses
        in_order = sorted(value.runs, key=lambda run: run.position)
        change = [run.arm_id != value.baseline.id for run in in_order]
        columns = np.column_stack([np.ones(10), change, np.arange(10)])
        weights, (rest,), _, _ = np.linalg.lstsq(columns, read, rcond=None)
        error = np.sqrt(rest / 7 * np.linalg.inv(columns.T @ columns)[2, 2])
        p = 2 * t.sf(abs(weights[2]) / error, 7)
        self.assertTrue(0.01 < p < 0.9)
        self.assertIn(f"(p = {p:.3f}", course.said[0])

    def test_what_luck_does_is_no_drift(self):
        self.assertIn("no more than luck does", self.drifting(0.0).said[0])

    def test_it_is_drawn_in_printed_order(self):
        value = drawn(Design(DesignKind.PAIRS), repeats=3, responses=(response(1, margin=None),))
        overall = analyse(filled(value, [1.0, 2.0, 3.0, 4.0, 5.0, 6.0])).overall
        (picture,) = below(overall)
        self.assertIn("prints in the order made", told([picture])[0])
        self.assertIn("in printed order", picture.drawing(700.0).description)

    def test_three_prints_have_no_course(self):
        value = drawn(Design(DesignKind.PAIRS), repeats=2, responses=(response(1, margin=None),))
        self.assertEqual(analyse(filled(value, [1.0, 2.0, None, 3.0])).overall.courses, ())


class Rulers(unittest.TestCase):
    def analysed(self, count):
        asked = tuple(
            response(number, f"Response {number}", margin=1.0, primary=number == 1,
                     better=Better.HIGHER if number == 2 else Better.LOWER)
            for number in range(1, count + 1)
        )  # fmt: skip
        value = drawn(Design(DesignKind.PAIRS), repeats=5, responses=asked)
        return analyse(printed(value, lambda key, arm: 20.0 + (3.0, -3.0, 0.0, 50.0)[key - 1] * arm))

    def test_three_responses_stand_in_a_row_each_in_its_margin(self):
        analysis = self.analysed(4)
        (picture,) = overview(analysis.overall, analysis.findings)
        drawing = picture.drawing(800.0)
        text = told([picture])[0]
        for words in ("Response 1", "Response 4", "too small to matter", "better"):
            self.assertIn(words, text)
        # Worse points to the right, whichever way the figures go; what is far off stays on the paper.
        discs = [shape for shape in drawing.shapes if isinstance(shape, Circle) and shape.radius == 5]
        middle = next(shape.x1 for shape in drawing.shapes if isinstance(shape, Line))
        self.assertTrue(all(disc.x > middle for disc in (discs[0], discs[1], discs[3])))
        self.assertLess(max(disc.x for disc in discs), 800.0)

    def test_two_are_read_one_by_one(self):
        analysis = self.analysed(2)
        self.assertEqual(overview(analysis.overall, analysis.findings), [])


class MorePrints(unittest.TestCase):
    def test_pairs_are_told_in_prints_hours_and_grams(self):
        value = drawn(Design(DesignKind.PAIRS), repeats=4, responses=(response(1, margin=1.0),))
        read = [20.0, 21.5, 20.4, 20.1, 21.9, 21.0, 20.2, 20.9]
        (finding,) = analyse(filled(value, read)).findings
        more = finding.more_pairs
        said = " ".join(detail_lines(finding))
        # A lamp ring takes an hour and 22 g.
        self.assertIn(f"{more} more pairs: {2 * more} prints, about {2 * more}\u202fh", said)
        self.assertIn(f"{2 * more * 22}\u202fg", said.replace("\xa0", "\u202f"))
