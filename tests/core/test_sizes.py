"""Other sizes and fuller plates: against files that are really sliced at them, and by closed forms."""

import unittest
from dataclasses import replace
from datetime import timedelta

from oddtwin.core.readings import Combine
from oddtwin.core.study import Machine, Plate, Role, Run, RunReading
from oddtwin.core.toolpath.gcode import read_gcode
from oddtwin.core.toolpath.motion import Limits
from oddtwin.core.toolpath.sliced import Growth, SlicedSize, analyse, fitted_growth, sliced_size
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.core.tradeoff import Prices, at_size
from tests.builders import NOON, response, study


def sliced(size=1.0, solid=None, overhead_s=0.0, **recipe):
    solid = solid or Solid(width=60.0, depth=40.0, height=30.0)
    grown = replace(solid, width=solid.width * size, depth=solid.depth * size, height=solid.height * size)
    text = slice_solid(grown, Recipe(**recipe)).text
    return analyse(read_gcode([text.encode()]), Limits(overhead_s=overhead_s))


def printed(base, change, **more):
    """Runs of two arms in pairs, with minutes and grams read."""
    runs, readings = [], []
    for number, (minutes, grams) in enumerate(
        [x for pair in zip(base, change, strict=True) for x in pair], 1
    ):
        start = NOON + timedelta(hours=2 * number)
        plate = Plate(0, start, start + timedelta(minutes=minutes))
        runs.append(Run(number, f"R{number}", number, (number - 1) % 2 + 1, (number + 1) // 2, plate=plate))
        for key, value in ((1, minutes), (2, grams)):
            readings.append(RunReading(len(readings) + 1, number, key, float(value)))
    told = {
        "responses": (
            response(1, "Print time", unit="min", role=Role.TIME),
            response(2, "Part mass", role=Role.PART, combine=Combine.SUM),
        ),
        "readings": tuple(readings),
    }
    return study(runs, **(told | more))


BASE = [(100, 50), (102, 51), (99, 49), (101, 50)]
CHANGE = [(95, 52), (97, 53), (94, 52), (96, 52)]


class Growing(unittest.TestCase):
    def test_one_file_foretells_what_is_sliced_at_other_sizes(self):
        own = sliced_size(sliced())
        for size in (0.75, 1.5, 2.0):
            real = sliced(size)
            with self.subTest(size=size):
                self.assertAlmostEqual(own.grams.at(size) / real.mass_g, 1.0, delta=0.06)
                self.assertAlmostEqual(own.minutes.at(size) * 60 / real.time_s, 1.0, delta=0.12)
                self.assertAlmostEqual(sliced_size(real).extent_mm / own.extent_mm, size, delta=0.01 * size)

    def test_two_sizes_foretell_a_third_between_them_within_three_percent(self):
        files = [sliced_size(sliced(size)) for size in (1.0, 2.0)]
        sizes = [one.extent_mm / files[0].extent_mm for one in files]
        for name in ("minutes", "grams"):
            known = getattr(files[0], name)
            fitted = fitted_growth(sizes, [getattr(one, name).at(1) for one in files], known)
            real = getattr(sliced_size(sliced(1.5)), name).at(1)
            self.assertAlmostEqual(fitted.at(1.5) / real, 1.0, delta=0.03, msg=name)

    def test_growth_is_its_closed_form_and_comes_back_from_the_fit(self):
        known = Growth(5.0, 1.0, 2.0, 3.0)
        self.assertEqual(known.at(2.0), 5 + 2 + 8 + 24)
        self.assertEqual(known.at(2.0, 4), (5 + 2) / 4 + 8 + 24)
        again = fitted_growth([1.0, 1.5, 3.0], [known.at(size) for size in (1.0, 1.5, 3.0)], known)
        for had, got in zip(known, again, strict=True):
            self.assertAlmostEqual(had, got)
        with self.assertRaises(ValueError):
            fitted_growth([1.0, 1.0], [3.0, 3.0], known)

    def test_colours_are_changed_once_a_plate_and_the_rest_is_each_piece_s_own(self):
        alone = sliced_size(sliced(solid=Solid(40, 20, 10, colours=2)))
        file = sliced(solid=Solid(40, 20, 10, colours=2, copies=3))
        three = sliced_size(file, 3)
        self.assertAlmostEqual(alone.grams.at(1, 3) / three.grams.at(1, 3), 1.0, delta=0.02)
        self.assertAlmostEqual(three.grams.at(1, 3) * 3, file.mass_g, places=6)
        self.assertGreater(alone.grams.at(1, 1), alone.grams.at(1, 3))
        with self.assertRaises(ValueError):
            sliced_size(file, 0)

    def test_heating_and_homing_are_of_the_plate(self):
        file = sliced(overhead_s=300.0)
        grown = sliced_size(file)
        self.assertAlmostEqual(grown.minutes.plate, 5.0)
        self.assertAlmostEqual(grown.minutes.at(1) * 60, file.time_s, places=6)

    def test_what_a_machine_s_own_prints_correct_is_once_a_plate(self):
        text = slice_solid(Solid(40, 20, 5), Recipe()).text
        file = analyse(read_gcode([text.encode()]), Limits(overhead_s=120.0, scale=1.25, offset_s=90.0))
        grown = sliced_size(file)
        self.assertAlmostEqual(grown.minutes.plate, (1.25 * 120.0 + 90.0) / 60)
        self.assertAlmostEqual(grown.minutes.at(1) * 60, file.time_s, places=6)
        self.assertEqual((grown.grams.plate, Growth().at(2.0)), (0.0, 0.0))


class AtOtherSizes(unittest.TestCase):
    def size_of(self, plate=0.0, face=0.0, body=0.0, extent=30.0):
        return SlicedSize(extent, Growth(plate, 0.0, face, body), Growth(0.0, 0.0, face, body), True)

    def test_at_the_printed_size_it_is_what_was_measured(self):
        found = at_size(printed(BASE, CHANGE), 1.0, 1)
        old, new = found.arms
        self.assertEqual((old.name, new.name), ("Old", "New"))
        self.assertAlmostEqual(old.minutes.value, 100.5)
        self.assertAlmostEqual(new.grams.value, 52.25)
        self.assertIsNone(old.money)
        # Student's t by hand: n = 4, sd 1.29, t = 3.182.
        self.assertAlmostEqual(old.minutes.ci95[1] - 100.5, 3.18245 * 1.290994 / 2, places=4)

    def test_measured_figures_grow_by_shells_and_body(self):
        files = {"Old": [self.size_of(10, 60, 30)], "New": [self.size_of(10, 60, 30)]}
        found = at_size(printed(BASE, CHANGE), 2.0, 1, files)
        self.assertAlmostEqual(found.arms[0].minutes.value, 100.5 * (10 + 240 + 240) / 100)
        self.assertAlmostEqual(found.arms[0].grams.value, 50 * (240 + 240) / 90)
        self.assertEqual(found.trusted, (0.5, 2.0))
        self.assertTrue(found.believed)
        self.assertFalse(at_size(printed(BASE, CHANGE), 2.1, 1, files).believed)

    def test_more_pieces_share_the_plate_s_own(self):
        files = {name: [self.size_of(20, 80, 0)] for name in ("Old", "New")}
        found = at_size(printed(BASE, CHANGE), 1.0, 4, files)
        self.assertAlmostEqual(found.arms[0].minutes.value, 100.5 * 85 / 100)
        self.assertAlmostEqual(found.arms[0].grams.value, 50.0)

    def test_hands_of_the_plate_are_shared_and_money_is_filament_hours_and_hands(self):
        value = printed(BASE, CHANGE, machines={1: Machine(1, "Marlow")})
        prices = Prices("€", 0.0, 30.0, 6.0, {"Chalk": 20.0}, {"Marlow": 1.2})
        files = {name: [self.size_of(0, 1, 0)] for name in ("Old", "New")}
        one, three = (at_size(value, 1.0, pieces, files, prices).arms[0] for pieces in (1, 3))
        self.assertAlmostEqual(one.money.value - three.money.value, 3.0 - 1.0)
        self.assertAlmostEqual(one.money.value, 0.05 * 20 + 100.5 / 60 * 1.2 + 3.0)

    def test_without_a_file_the_interval_holds_square_and_cube(self):
        machines = {1: Machine(1, "Marlow", overhead_min=10.0)}
        found = at_size(printed(BASE, CHANGE, machines=machines), 1.5, 1)
        low, high = found.arms[0].minutes.ci95
        scatter = 3.18245 * 1.290994 / 2 / 100.5
        self.assertAlmostEqual(low, (10 + 90.5 * 2.25) * (1 - scatter), places=2)
        self.assertAlmostEqual(high, (10 + 90.5 * 3.375) * (1 + scatter), places=2)
        self.assertIn("squared or cubed", found.sentences[0])
        self.assertEqual(found.trusted, (0.75, 1.5))

    def test_without_a_file_the_value_lies_between_and_grams_have_no_overhead(self):
        machines = {1: Machine(1, "Marlow", overhead_min=10.0)}
        old = at_size(printed(BASE, CHANGE, machines=machines), 1.5, 1).arms[0]
        self.assertAlmostEqual(old.minutes.value, 10 + 90.5 * (2.25 + 3.375) / 2)
        self.assertAlmostEqual(old.grams.value, 50 * (2.25 + 3.375) / 2)
        scatter = 3.18245 * 0.8164966 / 2 / 50
        self.assertAlmostEqual(old.grams.ci95[0], 50 * 2.25 * (1 - scatter), places=2)
        self.assertAlmostEqual(old.grams.ci95[1], 50 * 3.375 * (1 + scatter), places=2)

    def test_hours_and_energy_grow_with_the_minutes_and_filament_with_the_grams(self):
        prices = Prices("€", 0.5, 0.0, 0.0, {"Chalk": 20.0}, {"Marlow": 1.2}, {"Marlow": 200.0})
        value = printed(BASE, CHANGE, machines={1: Machine(1, "Marlow")})
        files = {name: [self.size_of(0, 1, 0)] for name in ("Old", "New")}
        old = at_size(value, 2.0, 1, files, prices).arms[0]
        hours = 4 * 100.5 / 60
        self.assertAlmostEqual(old.money.value, 4 * 0.05 * 20 + hours * 1.2 + hours * 0.2 * 0.5)

    def test_two_files_fit_what_they_say_and_the_split_of_the_first_widens_it(self):
        # The second says all of it grows with the cube, the first took it for shells.
        files = {
            name: [self.size_of(0, 100, 0), self.size_of(0, 0, 800 / 8 * 8, 60.0)] for name in ("Old", "New")
        }
        old = at_size(printed(BASE, CHANGE), 2.0, 1, files).arms[0]
        self.assertAlmostEqual(old.minutes.value, 100.5 * 8, delta=1.0)
        self.assertLess(old.minutes.ci95[0], 100.5 * 4)

    def test_files_of_two_sizes_tell_shells_and_body_apart_whatever_their_extent(self):
        both = [self.size_of(0, 100, 0, extent=40.0), self.size_of(0, 0, 560, extent=80.0)]
        old = at_size(printed(BASE, CHANGE), 1.5, 1, {"Old": both, "New": both}).arms[0]
        self.assertAlmostEqual(old.minutes.value, 100.5 * (60 * 2.25 + 40 * 3.375) / 100)

    def test_its_limits_are_said_in_percent(self):
        files = {name: [self.size_of(10, 60, 30)] for name in ("Old", "New")}
        told = at_size(printed(BASE, CHANGE), 2.5, 1, files).sentences[0]
        self.assertIn("To be trusted from 50 to 200 % of the printed size; 250 % is beyond", told)
        self.assertNotIn("beyond", at_size(printed(BASE, CHANGE), 0.5, 1, files).sentences[0])
        for size in (0.1, 10.0):
            self.assertEqual(at_size(printed(BASE, CHANGE), size, 100).size, size)
        values = at_size(printed(BASE, CHANGE), 1.0, 1, files).as_json()
        self.assertIsNone(values["arms"]["Old"]["money"])
        self.assertEqual(values["trusted_percent"], [50.0, 200.0])

    def test_it_says_from_which_size_on_an_arm_is_worth_it(self):
        # 20 + 80 s² against 45 + 50 s², by hand equal at s = √(25 / 30) of the means as printed.
        files = {"Old": [self.size_of(20, 80.5)], "New": [self.size_of(45, 50.5)]}
        (told,) = at_size(printed(BASE, CHANGE), 1.0, 1, files).worth
        self.assertIn("within these sizes the two differ by 95.00\u202fmin at most", told)
        self.assertIn("New takes less time from 91\u202f% of the printed size on", told)
        files = {name: [self.size_of(20, 80)] for name in ("Old", "New")}
        self.assertEqual(at_size(printed(BASE, CHANGE), 1.0, 1, files).worth, ())

    def test_files_of_several_sizes_widen_what_is_trusted_and_hold_both_tellings(self):
        near, far = self.size_of(0, 100, 0), self.size_of(0, 900, 0, extent=90.0)
        files = {name: [near, far] for name in ("Old", "New")}
        found = at_size(printed(BASE, CHANGE), 3.0, 1, files)
        self.assertAlmostEqual(found.arms[0].grams.value, 450.0)
        self.assertEqual(found.trusted, (0.8, 3.75))
        self.assertIn("several sizes", found.sentences[0])

    def test_of_several_pieces_the_first_alone_is_reckoned_and_said(self):
        value = printed(BASE, CHANGE)
        blocks = tuple(replace(one, piece_id=1 + (one.id > 2)) for one in value.blocks)
        pieces = {**value.pieces, 2: replace(value.pieces[1], id=2, name="Tray")}
        value = replace(value, blocks=blocks, pieces=pieces, plan=replace(value.plan, piece_ids=(1, 2)))
        found = at_size(value, 1.0, 1)
        self.assertAlmostEqual(found.arms[0].minutes.value, 101.0)
        self.assertEqual(found.sentences[0], "Reckoned for Lamp ring alone: each piece grows in its own way.")
        self.assertEqual(at_size(printed(BASE, CHANGE), 1.0, 1).piece, "")

    def test_savings_are_compared_as_every_response_is(self):
        prices = Prices("€", 0.0, 0.0, 0.0, {}, {"Marlow": 60.0})
        value = printed(BASE, CHANGE, machines={1: Machine(1, "Marlow")})
        saved = at_size(value, 1.0, 1, None, prices).savings["New"]
        self.assertAlmostEqual(saved.value, 5.0)
        self.assertLess(saved.ci95[0], 5.0)

    def test_what_cannot_be_is_refused(self):
        value = printed(BASE, CHANGE)
        for size, pieces in ((0.01, 1), (11, 1), (1, 0), (1, 101), (float("nan"), 1)):
            with self.assertRaises(ValueError):
                at_size(value, size, pieces)
        with self.assertRaisesRegex(ValueError, "No print"):
            at_size(study(), 1.0, 1)


if __name__ == "__main__":
    unittest.main()
