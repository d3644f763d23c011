"""The last that is taken and the first that is refused, and what is told at such an edge."""

import math
import unittest
from dataclasses import replace

import numpy as np
from scipy.stats import t

from oddtwin.core.calibrate import JOBS, calibration
from oddtwin.core.calibrate.fits import crossings
from oddtwin.core.decide import prints_line
from oddtwin.core.effects import Measure
from oddtwin.core.judge import JudgeDesign, read_votes
from oddtwin.core.outlook import Budget
from oddtwin.core.photo import align
from oddtwin.core.picture.margins import in_margins
from oddtwin.core.readings import Better
from oddtwin.core.render import render
from oddtwin.core.schedule import parse_hours
from oddtwin.core.study import Plate, advised_look
from oddtwin.core.toolpath.gcode import read_gcode
from oddtwin.core.toolpath.match import check_settings, top_layers
from oddtwin.core.toolpath.match.commanded import CommandDifference
from oddtwin.core.toolpath.sliced import Said, analyse, said_words
from tests.builders import compared, judged, pairs, run, study


class Hours(unittest.TestCase):
    def test_spans_are_minutes_after_midnight_in_order(self):
        self.assertEqual(parse_hours("17-22, 7:00-8:30"), ((420, 510), (1020, 1320)))
        self.assertEqual(parse_hours("0-24"), ((0, 1440),))
        self.assertEqual(parse_hours("8:59-9"), ((539, 540),))
        self.assertEqual(parse_hours("8-9; 9-10"), ((480, 540), (540, 600)))
        self.assertEqual(parse_hours(" "), ())

    def test_what_lies_beyond_an_edge_is_refused(self):
        for text, why in (
            ("8:60-10", "beyond the clock"),
            ("8-9:60", "beyond the clock"),
            ("17-24:01", "beyond the clock"),
            ("9-9", "ends before it begins"),
            ("8-9:01, 9-10", "overlap"),
            ("from 8", "no span of hours"),
        ):
            with self.subTest(text), self.assertRaisesRegex(ValueError, why):
                parse_hours(text)


class Looks(unittest.TestCase):
    def test_a_look_is_next_once_all_is_printed_but_what_was_set_aside(self):
        made = [run(number, number % 2 + 1, 1) for number in (1, 2)]
        aside = replace(run(3, 1, 2), plate=Plate(), set_aside="fell over")
        waiting = replace(run(4, 2, 2), plate=Plate())
        self.assertTrue(advised_look(study(made)))
        self.assertTrue(advised_look(study([*made, aside])))
        self.assertFalse(advised_look(study([*made, waiting])))
        self.assertFalse(advised_look(study([aside])))


class Told(unittest.TestCase):
    def test_a_long_value_of_a_file_is_cut_where_it_is_as_long_as_may_be(self):
        for length, cut in ((400, False), (401, True)):
            found = check_settings([{"start_macro": "x"}, {"start_macro": "y" * length}])
            (one,) = (*found.undeclared, *found.harmless)
            self.assertEqual((len(one.values[1]), one.values[1].endswith("…")), (400, cut))

    def test_shares_of_the_time_below_a_hundredth_have_a_decimal(self):
        for share, told in ((0.6, "60 %"), (0.01, "1 %"), (0.004, "0.4 %")):
            one = CommandDifference("acceleration", "mm/s²", "500", "900", share)
            self.assertIn(f"for {told} of the time", one.sentence)

    def test_what_a_file_says_has_two_decimals(self):
        said = Said(time_s=3723.0, filament_mm=1234.5, mass_g=3.456, layers=5, density_g_cm3=1.256)
        self.assertIn("3.46\u202fg at density 1.26\u202fg/cm³", said_words(said))

    def test_how_one_photograph_lies_on_another_is_told_to_a_tenth_of_a_pixel(self):
        first = render("view", 3, {"piece": "4"})[0]
        second = render("view", 8, {"piece": "4", "shift_x_px": "5", "print_seed": "2"})[0]
        self.assertRegex(align(first, second).sentence, r"within \d+\.\d pixels, .* \(0\.\d\d\)")

    def test_a_row_of_rulers_holds_what_has_a_margin_a_direction_and_an_interval(self):
        rows = pairs([10.0, 10.4, 9.8], [7.0, 7.1, 7.2])
        whole = judged(rows, Measure("A", "B", margin=1.0, better=Better.LOWER))
        without = (
            judged(rows, Measure("A", "B", better=Better.LOWER)),
            judged(rows, Measure("A", "B", margin=1.0)),
            judged(rows[:2], Measure("A", "B", margin=1.0, better=Better.LOWER)),
        )
        self.assertEqual(in_margins([*without, whole]), [whole])

    def test_every_print_is_told_with_its_value_or_a_dash(self):
        rows = pairs([10.0, 10.4, None], [7.0, 7.1, 7.2], unit="g")
        told = prints_line(judged(rows, Measure("A", "B", margin=1.0)).comparison).replace("\u202f", " ")
        for part in ("a1 10 g", "b3 7.2 g"):
            self.assertIn(part, told)


class Lines(unittest.TestCase):
    def test_lines_that_cannot_be_read_are_told_by_their_numbers_the_first_three_of_them(self):
        body = [f"G1 X{number} E1" for number in range(60)]
        odd = ["G1 X1.2.3 E1", "G1 X1 E1", "G1 X1e999", "G1 X--1", "G1 X"]
        path = read_gcode(["\n".join(["M83", *body, *odd, *body, ""]).encode()])
        self.assertEqual(path.doubts, ("4 lines cannot be read and are left out (first: 62, 64, 65).",))


class Sizes(unittest.TestCase):
    def test_a_photograph_of_another_size_lies_pixel_centre_on_pixel_centre(self):
        import cv2

        first = render("view", 3, {"piece": "4"})[0]
        second = render("view", 8, {"piece": "4", "print_seed": "2"})[0]
        larger = cv2.resize(second, None, fx=1.5, fy=1.5, interpolation=cv2.INTER_CUBIC)
        # The middle of a pixel stays the middle of what it became.
        for one, other, factor in ((first, larger, 1 / 1.5), (larger, first, 1.5)):
            shift = (factor - 1) / 2
            expected = [[factor, 0, shift], [0, factor, shift]]
            np.testing.assert_allclose(align(one, other).matrix, expected, atol=0.12)


class Counted(unittest.TestCase):
    def test_a_curve_of_three_flows_has_no_scatter_of_its_own_and_so_no_interval_of_a_difference(self):
        job = next(one for one in JOBS if one.name == "flow-ceiling")
        many = [
            "cool,6,2.4,2.4",
            "cool,9,2.4,2.37",
            "cool,12,2.4,2.32",
            "cool,15,2.4,2.25",
            "cool,18,2.4,2.12",
        ]
        few = ["hot,6,2.4,2.4", "hot,12,2.4,2.3", "hot,21,2.4,2.1"]
        for rows, value in (([*many, *few], -0.85), ([*few, *many], 0.85)):
            found = calibration(job, "\n".join(["setup,flow,expected_g,weighed_g", *rows]), {})
            self.assertAlmostEqual(found.value, value, places=2)
            self.assertIsNone(found.ci95)

    def test_where_one_ceiling_is_never_reached_no_difference_is_told(self):
        job = next(one for one in JOBS if one.name == "flow-ceiling")
        ends = [f"cool,{flow},2.4,{grams}" for flow, grams in ((6, 2.4), (12, 2.32), (18, 2.12), (21, 2.0))]
        never = [f"hot,{flow},2.4,{grams}" for flow, grams in ((6, 2.4), (12, 2.39), (18, 2.38), (21, 2.38))]
        for rows in ([*ends, *never], [*never, *ends]):
            found = calibration(job, "\n".join(["setup,flow,expected_g,weighed_g", *rows]), {})
            self.assertEqual((found.value, found.ci95, found.more["ratio"]), (None, None, None))

    def test_scatter_below_a_step_is_that_of_rounding(self):
        # GUM 4.3.7: what is rounded to steps has at least their rectangular variance, step²/12.
        found = compared(pairs([10.0, 10.01, 10.0, 9.99], [10.4, 10.42, 10.41, 10.4]), step=0.5)
        low, high = found.inference.ci95
        self.assertAlmostEqual((high - low) / 2, t.ppf(0.975, 3) * np.sqrt(0.5**2 / 12 * 2 / 4))

    def test_money_is_all_that_is_paid(self):
        one = Budget(4, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0, (), 0.5, 0.25, 1.0, 2.0, 16.0, ())
        self.assertEqual((one.money, replace(one, fittings=0.0).money), (19.75, 3.75))

    def test_curves_reach_a_limit_where_they_begin_above_it_between_places_or_never(self):
        x = np.array([1.0, 2.0, 4.0])
        curves = np.array([[0.0, 2.0, 4.0], [3.0, 4.0, 5.0], [0.0, 1.0, 2.0], [2.5, 2.5, 2.5]]).T
        found = crossings(x, curves, 2.5)
        self.assertTrue(2.0 < found[0] < 3.0)
        self.assertEqual(found[1:].tolist(), [1.0, math.inf, 1.0])

    def test_an_answer_is_needed_of_a_twin_too_and_which_is_odd_is_not(self):
        head = "judge,trial,left,right,odd,answer,twin"
        votes, apart = read_votes(
            "\n".join([head, "a,1,A,B,left,left,", "a,2,A,A,,none,yes", "a,3,A,A,,,yes", "a,4,A,B,,left,"]),
            JudgeDesign.TRIANGLE,
        )
        self.assertEqual(len(votes), 2)
        self.assertEqual([(one.line, one.reason) for one in apart],
                         [(4, "its answer is empty"), (5, "its odd is empty")])  # fmt: skip

    def test_the_last_of_two_layers_without_names_is_a_top_and_the_only_one_is_none(self):
        for layers, tops in ((1, []), (2, [1]), (3, [2])):
            lines = ["M83"]
            for layer in range(layers):
                lines += [f"G1 Z{0.2 + layer / 5:.1f} F600", "G1 X20 E1", "G1 Y5", "G1 X0 E1"]
            file = analyse(read_gcode(["\n".join([*lines, ""]).encode()]))
            self.assertEqual(top_layers(file), tops, layers)


if __name__ == "__main__":
    unittest.main()
