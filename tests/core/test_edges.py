"""The last that is taken and the first that is refused, and what is told at such an edge."""

import unittest
from dataclasses import replace

from oddtwin.core.photo import align
from oddtwin.core.render import render
from oddtwin.core.schedule import parse_hours
from oddtwin.core.study import Plate, advised_look
from oddtwin.core.toolpath.match import check_settings
from oddtwin.core.toolpath.sliced import Said, said_words
from tests.builders import run, study


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

    def test_what_a_file_says_has_two_decimals(self):
        said = Said(time_s=3723.0, filament_mm=1234.5, mass_g=3.456, layers=5, density_g_cm3=1.256)
        self.assertIn("3.46\u202fg at density 1.26\u202fg/cm³", said_words(said))

    def test_how_one_photograph_lies_on_another_is_told_to_a_tenth_of_a_pixel(self):
        first = render("view", 3, {"piece": "4"})[0]
        second = render("view", 8, {"piece": "4", "shift_x_px": "5", "print_seed": "2"})[0]
        self.assertRegex(align(first, second).sentence, r"within \d+\.\d pixels, .* \(0\.\d\d\)")


if __name__ == "__main__":
    unittest.main()
