"""Rules of the twin check, each on a few lines of G-code whose figures can be told by hand."""

import unittest

from oddtwin.core.job import CancelledError
from oddtwin.core.toolpath.gcode import Feature, read_gcode
from oddtwin.core.toolpath.match import TRAITS, Declared, parse_declared, trait_of
from oddtwin.core.toolpath.match.effect import took_effect
from oddtwin.core.toolpath.match.showing import ENOUGH, can_show, ramp_share, speed_share
from oddtwin.core.toolpath.sliced import analyse
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from tests.builders import stopped

NAMES = ("Old", "New")


def sliced(text):
    return analyse(read_gcode([("M83\n" + text).encode()]))


def piece(solid=None, **recipe):
    return analyse(read_gcode([slice_solid(solid or Solid(height=2), Recipe(**recipe)).text.encode()]))


def layered(lines, layers=4, height=0.25):
    """The same lines in several layers."""
    return "".join(f"; layer {k}\nG1 Z{(k + 1) * height:.3f} F600\n{lines}\n" for k in range(layers))


def measured(name, text):
    return trait_of(name).measure(sliced(text))


class Names(unittest.TestCase):
    def test_a_trade_name_and_a_setting_find_the_same_rule(self):
        for names in (
            ("layer height", "layer_height", "layerHeight", "Layer Height"),
            ("minimum layer time", "min_layer_time", "cool_min_layer_time"),
            ("number of walls", "wall_loops", "perimeters", "wall count"),
            ("nozzle temperature", "print_temperature", "temperature"),
            ("retraction", "retract_length", "retraction_distance"),
            ("flow", "extrusion_multiplier", "flow_ratio"),
        ):
            self.assertEqual(len({trait_of(name).name for name in names}), 1, names)
        self.assertIsNone(trait_of("seam position"))

    def test_no_key_belongs_to_two_rules(self):
        keys = [key for trait in TRAITS for key in trait.keys]
        self.assertEqual(len(keys), len(set(keys)))

    def test_levels_are_numbers_with_units(self):
        self.assertEqual(Declared("x", ("0.2 mm", "280 µm")).numbers(), (0.2, 0.28))
        self.assertEqual(Declared("x", ("3600 mm/min", "80 mm/s")).numbers(), (60.0, 80.0))
        self.assertIsNone(Declared("x", ("thin", "thick")).numbers())


class Measured(unittest.TestCase):
    def test_by_hand(self):
        square = "; type: outer wall\nG1 X20 E1 F3000\nG1 Y20 E1\nG1 X0 E1\nG1 Y0 E1"
        for name, text, expected in (
            ("layer height", layered(square), 0.25),
            ("outer wall speed", layered(square), 50.0),
            ("print speed", layered(square), 50.0),
            ("acceleration", "M204 P750\n" + layered(square), 750.0),
            ("nozzle temperature", "M104 S212\n" + layered(square), 212.0),
            ("bed temperature", "M140 S58\n" + layered(square), 58.0),
            ("fan", "M106 S51\n" + layered(square), 20.0),
            ("retraction length", layered(square + "\nG1 E-.7 F1800\nG0 X5\nG1 E.7"), 0.7),
            ("retraction speed", layered(square + "\nG1 E-.7 F1800\nG0 X5\nG1 E.7"), 30.0),
            ("travel speed", layered(square + "\nG0 X50 Y50 F9000\nG0 X0 Y0"), 150.0),
            (
                "walls",
                layered(square + "\n; type: inner wall\nG1 X20 E1\nG1 Y20 E1\nG1 X0 E1\nG1 Y0 E1"),
                2.0,
            ),
            ("flow", layered(square), 0.05),
        ):
            with self.subTest(name):
                self.assertAlmostEqual(measured(name, text), expected, 6)

    def test_line_width_is_volume_over_length_and_height(self):
        # 4 mm of 1.75 mm filament on 80 mm at 0.25 mm: 4 × 2.4053 / 80 / 0.25.
        text = layered("; type: outer wall\nG1 X20 E1 F3000\nG1 Y20 E1\nG1 X0 E1\nG1 Y0 E1")
        self.assertAlmostEqual(measured("line width", text), 4 * 2.405281875 / 80 / 0.25, 6)

    def test_a_retraction_in_two_moves_is_one(self):
        text = layered("G1 X20 E1 F3000\nG1 E-.4 F1800\nG1 X19 E-.3\nG1 E.7")
        self.assertAlmostEqual(measured("retraction length", text), 0.7)

    def test_what_is_not_there_cannot_be_measured(self):
        line = layered("G1 X20 E1 F3000\nG1 X0 E1")
        for name in (
            "outer wall speed",
            "bridge speed",
            "acceleration",
            "bed temperature",
            "walls",
            "purge volume",
        ):
            self.assertIsNone(measured(name, line), name)
        self.assertEqual(measured("retraction length", line), 0.0)
        effect = took_effect(parse_declared("bridge speed=20:30"), [sliced(line)] * 2, NAMES)
        self.assertIsNone(effect.took)
        self.assertIn("nothing from which this could be measured", effect.sentence)

    def test_a_print_of_one_layer_is_measured_by_it(self):
        one = sliced("G1 X9 Z0.2 E1 F3000\nG1 Y9 E1\n")
        self.assertEqual(one.path.layers, 1)
        self.assertEqual(trait_of("print_speed").measure(one), 50.0)

    def test_the_first_layer_does_not_speak_for_the_rest(self):
        slow = "; layer 0\nG1 Z.2\n; type: outer wall\nG1 X200 E9 F600\nG1 X0 E9\n"
        text = slow + layered("; type: outer wall\nG1 X20 E1 F4800\nG1 X0 E1")
        self.assertEqual(measured("outer wall speed", text), 80.0)


class Effects(unittest.TestCase):
    def effect(self, declared, ours, theirs):
        return took_effect(parse_declared(declared), [piece(**ours), piece(**theirs)], NAMES)

    def test_half_of_a_change_is_told_from_none(self):
        none = self.effect("outer wall speed=40:60", {"outer_wall_speed": 40.0}, {"outer_wall_speed": 40.0})
        self.assertIn("not in the file", none.sentence)
        half = self.effect("outer wall speed=40:60", {"outer_wall_speed": 40.0}, {"outer_wall_speed": 50.0})
        self.assertIn("Outer wall speed was declared 60 in New, but its motion shows 50", half.sentence)
        self.assertEqual((none.took, half.took), (False, False))

    def test_a_ratio_of_nothing_cannot_be_compared(self):
        found = self.effect("infill density=0:20", {}, {})
        self.assertIsNone(found.took)
        self.assertIn("no ratio", found.sentence)

    def test_more_spacing_is_less_infill(self):
        found = self.effect("infill spacing=2:4", {"infill_spacing": 2.0}, {"infill_spacing": 4.0})
        self.assertIs(found.took, True)
        wrong = self.effect("infill density=2:4", {"infill_spacing": 2.0}, {"infill_spacing": 4.0})
        self.assertIs(wrong.took, False)

    def test_figures_are_given_for_every_file(self):
        found = self.effect("walls=2:3", {"walls": 2}, {"walls": 3})
        self.assertEqual(len(found.measured), 2)
        self.assertIn("Old", found.sentence)
        self.assertIn("New", found.sentence)


class Showings(unittest.TestCase):
    SMALL = Solid(width=14, depth=10, height=1)
    SPEED = parse_declared("outer wall speed=60:180")

    def test_the_advice_holds_when_it_is_followed(self):
        files = [piece(self.SMALL, outer_wall_speed=speed) for speed in (60.0, 180.0)]
        found = can_show(self.SPEED, files)
        self.assertIs(found.can, False)
        times = float(found.sentence.split("a piece with ")[1].split()[0])
        larger = Solid(width=14 * times, depth=10 * times, height=1)
        again = can_show(self.SPEED, [piece(larger, outer_wall_speed=speed) for speed in (60.0, 180.0)])
        self.assertIs(again.can, True)
        self.assertGreaterEqual(again.share, ENOUGH)

    def test_stretching_a_plan_is_slicing_a_larger_piece(self):
        small = piece(Solid(width=20, depth=20, height=1), skirt=0, infill_spacing=99.0)
        large = piece(Solid(width=40 - 0.9, depth=40 - 0.9, height=1), skirt=0, infill_spacing=99.0)
        # Walls lie inside the outline by half a line and more, so that sizes are nearly doubled.
        self.assertAlmostEqual(
            speed_share(small, Feature.OUTER_WALL, 2.0), speed_share(large, Feature.OUTER_WALL, 1.0), 2
        )
        self.assertAlmostEqual(ramp_share(small, 2.0), ramp_share(large, 1.0), 1)

    def test_longer_edges_reach_more_and_accelerate_less(self):
        small = piece(self.SMALL)
        shares = [speed_share(small, Feature.OUTER_WALL, stretch) for stretch in (0.5, 1.0, 2.0, 4.0)]
        self.assertEqual(shares, sorted(shares))
        ramps = [ramp_share(small, stretch) for stretch in (0.5, 1.0, 2.0, 4.0)]
        self.assertEqual(ramps, sorted(ramps, reverse=True))

    def test_out_of_reach_for_any_size(self):
        files = [piece(self.SMALL, outer_wall_speed=speed) for speed in (60.0, 9000.0)]
        found = can_show(parse_declared("outer wall speed=60:9000"), files)
        self.assertIn("no piece of the same shape would", found.sentence)

    def test_looking_for_advice_can_be_cancelled(self):
        files = [piece(self.SMALL, outer_wall_speed=speed) for speed in (60.0, 180.0)]
        with self.assertRaises(CancelledError):
            can_show(self.SPEED, files, stopped())

    def test_the_fan_must_run_and_layers_must_be_short(self):
        flat = Solid(height=0.2)
        self.assertIs(can_show(parse_declared("fan=100:50"), [piece(flat), piece(flat, fan=50.0)]).can, False)
        tall = [piece(Solid(height=2)), piece(Solid(height=2))]
        self.assertIs(can_show(parse_declared("minimum layer time=2 s:4 s"), tall).can, False)
        self.assertIs(can_show(parse_declared("minimum layer time=2 s:9 s"), tall).can, True)
        # The first layer waits for nothing, so that a print of no other has none that a minimum holds.
        found = can_show(parse_declared("minimum layer time=2 s:9 s"), [piece(flat)] * 2)
        self.assertEqual((found.can, found.share), (False, 0.0))

    def test_without_a_rule_nothing_is_claimed(self):
        found = can_show(parse_declared("seam=here:there"), [piece(), piece()])
        self.assertIsNone(found.can)
        self.assertIn("no rule", found.sentence)
