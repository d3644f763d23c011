"""The path generator: what it writes is what it says."""

import math
import unittest

from oddtwin.core.toolpath.gcode import Feature, parse_line, read_gcode
from oddtwin.core.toolpath.sliced import analyse
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid


class Writing(unittest.TestCase):
    def test_every_line_is_read_without_a_remark(self):
        for solid in (
            Solid(height=1),
            Solid(height=1, round=True),
            Solid(height=2, colours=4, band_layers=1),
        ):
            text = slice_solid(solid, Recipe()).text
            for line in text.splitlines():
                self.assertTrue(parse_line(line.encode()).readable, line)
            path = read_gcode([text.encode()])
            self.assertEqual((path.notes, path.unknown), ((), {}))

    def test_walls_are_rectangles_inside_the_outline(self):
        made = slice_solid(Solid(width=40, depth=20, height=0.2), Recipe(walls=3, line_width=0.5, skirt=0))
        self.assertAlmostEqual(made.path_mm[Feature.OUTER_WALL], 2 * (39.5 + 19.5))
        self.assertAlmostEqual(made.path_mm[Feature.INNER_WALL], 2 * (38.5 + 18.5) + 2 * (37.5 + 17.5))

    def test_a_ring_has_round_walls(self):
        made = slice_solid(Solid(width=40, height=0.2, round=True), Recipe(walls=1, line_width=0.5, skirt=0))
        self.assertAlmostEqual(made.path_mm[Feature.OUTER_WALL], math.pi * 39.5)
        self.assertIn("G3 ", made.text)

    def test_filament_fills_lines_of_width_times_height(self):
        recipe = Recipe(flow=110)
        made = slice_solid(Solid(height=1), recipe)
        for feature, length in made.path_mm.items():
            volume = made.filament_mm[feature] * math.pi / 4 * 1.75**2
            self.assertAlmostEqual(volume / length, 0.45 * 0.2 * 1.1, 4)

    def test_a_purge_is_what_was_asked_for_but_never_less_than_the_minimum(self):
        two = Solid(height=1, colours=2, band_layers=1)
        for multiplier, expected in ((1.0, 90.0), (0.5, 45.0), (0.1, 25.0)):
            made = slice_solid(two, Recipe(purge_multiplier=multiplier))
            volume = made.filament_mm[Feature.TOWER] * math.pi / 4 * 1.75**2
            self.assertAlmostEqual(volume / made.tool_changes, expected, 1)

    def test_short_layers_are_slowed_but_not_below_the_least_speed(self):
        def slowest(**recipe):
            text = slice_solid(Solid(width=14, depth=10, height=1), Recipe(**recipe)).text
            found = analyse(read_gcode([text.encode()]))
            return float(found.layer_s[1:].min()), float(found.path.feed[found.path.e > 0].min())

        free, _ = slowest()
        held, _ = slowest(min_layer_time=8.0, min_speed=1.0)
        stuck, speed = slowest(min_layer_time=60.0, min_speed=12.0)
        self.assertLess(free, 5)
        self.assertAlmostEqual(held, 8.0, delta=1.2)
        self.assertLess(stuck, 30)
        self.assertAlmostEqual(speed, 12.0)

    def test_a_scattered_seam_begins_elsewhere_on_the_same_wall(self):
        here = slice_solid(Solid(height=1), Recipe())
        there = slice_solid(Solid(height=1), Recipe(seam="scattered"))
        self.assertEqual(here.path_mm, there.path_mm)
        self.assertNotEqual(here.text, there.text)

    def test_copies_multiply_the_piece_not_the_skirt(self):
        one, three = (slice_solid(Solid(height=1, copies=n), Recipe()) for n in (1, 3))
        self.assertAlmostEqual(three.path_mm[Feature.OUTER_WALL], 3 * one.path_mm[Feature.OUTER_WALL])
        self.assertLess(three.path_mm[Feature.SKIRT], 3 * one.path_mm[Feature.SKIRT])

    def test_the_same_recipe_writes_the_same_bytes(self):
        self.assertEqual(slice_solid(Solid(), Recipe()).text, slice_solid(Solid(), Recipe()).text)
        self.assertNotEqual(slice_solid(Solid(), Recipe()).text, slice_solid(Solid(), Recipe(note="x")).text)
