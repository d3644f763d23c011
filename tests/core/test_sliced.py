"""Figures of sliced files whose truth is known."""

import math
import unittest

import numpy as np

from oddtwin.core.job import CancelledError, Job
from oddtwin.core.toolpath.gcode import Feature, read_gcode
from oddtwin.core.toolpath.motion import Limits
from oddtwin.core.toolpath.sliced import (
    Filament,
    SpoolSays,
    analyse,
    hanging_of,
    layer_figures,
    outer_wall_motion,
    reach,
    shape_of,
    summary,
)
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid


def sliced(text, limits=None, spool=None):
    return analyse(read_gcode([text.encode()]), limits, spool)


def piece(solid=None, limits=None, **recipe):
    return sliced(slice_solid(solid or Solid(height=2), Recipe(**recipe)).text, limits)


class Walls(unittest.TestCase):
    def test_most_of_the_outer_walls_tell_speed_and_acceleration(self):
        text = (
            "M83\nM204 P1500\n;TYPE:Outer wall\nG1 X40 E1 F3600\nG1 Y40 E1\nG1 X30 E.2 F900\n"
            ";TYPE:Inner wall\nM204 P4000\nG1 X0 E1 F9000\nG1 X90 E4\n"
        )
        self.assertEqual(outer_wall_motion(read_gcode([text.encode()])), (60.0, 1500.0))

    def test_an_override_of_the_speed_counts_and_what_is_not_said_is_unknown(self):
        text = "M83\nM220 S50\n;TYPE:Outer wall\nG1 X40 E1 F3600\n"
        self.assertEqual(outer_wall_motion(read_gcode([text.encode()])), (30.0, None))
        plain = "M83\nG1 X40 E1 F3600\n"
        self.assertEqual(outer_wall_motion(read_gcode([plain.encode()])), (None, None))


class Figures(unittest.TestCase):
    def test_what_a_retraction_gives_back_is_not_printed_twice(self):
        found = sliced("M83\nG1 X10 E1\nG1 E-.8\nG1 X5 E-.2\nG0 X0\nG1 E1\nG1 X10 E1\n")
        self.assertAlmostEqual(found.total.filament_mm, 2.0)
        self.assertEqual((found.retractions, found.wipes), (1, 1))

    def test_more_than_was_taken_back_is_purge(self):
        found = sliced("M83\nG1 X10 E1\nG1 E-1\nG1 E1.5\nG1 X20 E1\n").by_feature()
        self.assertAlmostEqual(found[Feature.PURGE].filament_mm, 0.5)

    def test_tools_keep_their_own_filament(self):
        found = sliced("M83\nT0\nG1 X10 E2\nG1 E-1\nT1\nG1 X20 E3\nG1 E-1\nT0\nG1 E1\nG1 X30 E2\n").by_tool()
        self.assertAlmostEqual(found[0].filament_mm, 4.0)
        self.assertAlmostEqual(found[1].filament_mm, 3.0)

    def test_waits_and_calibration_are_added_up(self):
        text = "M83\nT0\nG1 X10 E1 F6000\nG4 S5\nT1\nG1 X20 E1\n"
        bare = sliced(text)
        there = sliced(text, Limits(overhead_s=60, tool_change_s=7, scale=1.1, offset_s=3))
        self.assertAlmostEqual(bare.time_s, bare.plan.seconds + 5)
        self.assertAlmostEqual(there.time_s, 1.1 * (bare.time_s + 67) + 3)
        self.assertEqual(there.waits(), {"dwell": 5.0, "tool change": 7.0, "heating and homing": 60.0})

    def test_layers_add_up_to_the_file(self):
        found = piece()
        layers = layer_figures(found)
        self.assertEqual(len(layers.z), 10)
        self.assertAlmostEqual(layers.mass_g.sum(), found.mass_g, 6)
        before = found.plan.time[: found.path.layer_start[0]].sum()
        self.assertAlmostEqual(layers.time_s.sum() + before, found.plan.seconds, 6)
        self.assertEqual(layers.retractions.sum(), found.retractions)

    def test_flow_is_width_times_height_times_speed(self):
        # 0.45 mm × 0.2 mm × 120 mm/s: common practice, no source.
        self.assertAlmostEqual(piece().max_flow_mm3_s, 0.45 * 0.2 * 120, 2)

    def test_features_and_tools_share_the_whole(self):
        figures = summary(piece(Solid(height=2, colours=2, band_layers=3)))
        for split in ("by_feature", "by_tool"):
            self.assertAlmostEqual(
                sum(part["mass_g"] for part in figures[split].values()), figures["mass_g"], 9
            )
        self.assertAlmostEqual(sum(figures["time_by_feature"].values()), figures["time_s"], 9)
        self.assertGreater(figures["waste_g"], 0)

    def test_the_summary_weighs_what_the_specimen_was_made_of(self):
        solid = Solid()
        specimen = slice_solid(solid, Recipe())
        figures = summary(sliced(specimen.text, spool=SpoolSays(1.75, 1.24)))
        laid = sum(specimen.filament_mm.values())
        volume = laid * math.pi / 4 * 1.75**2
        self.assertAlmostEqual(figures["filament_mm"], laid, delta=1e-3 * laid)
        self.assertAlmostEqual(figures["volume_mm3"], volume, delta=1e-3 * volume)
        # 1000 mm³ of 1.24 g/cm³ weigh 1.24 g.
        self.assertAlmostEqual(figures["mass_g"], volume / 1000 * 1.24, delta=1e-3 * figures["mass_g"])
        parts = figures["by_feature"].values()
        self.assertAlmostEqual(sum(part["filament_mm"] for part in parts), laid, delta=1e-3 * laid)

    def test_a_filament_must_be_possible(self):
        with self.assertRaisesRegex(ValueError, "density"):
            Filament(density_g_cm3=0)


class Reaching(unittest.TestCase):
    def test_one_long_and_one_short_line(self):
        # 100 mm at 100 mm/s and 1000 mm/s²: ramps of 5 mm and 0.1 s each, 0.9 s at speed.
        found = reach(sliced("M83\nG1 Z.001 E.001 F6000\nG4 P0\nG1 X100 E5 F6000\n"))
        self.assertAlmostEqual(found.time_at_speed, 0.9 / 1.1, 2)
        self.assertAlmostEqual(found.length_at_speed, 0.9, 4)
        self.assertAlmostEqual(found.length_accelerating, 0.1, 4)
        # 1 mm reaches √1000 mm/s only.
        self.assertEqual(reach(sliced("M83\nG1 X1 E1 F6000\n")).length_never_at_speed, 1.0)

    def test_more_acceleration_reaches_more(self):
        slow, fast = reach(piece(acceleration=500)), reach(piece(acceleration=8000))
        self.assertLess(slow.time_at_speed, fast.time_at_speed)
        self.assertGreater(slow.time_accelerating, fast.time_accelerating)

    def test_above_a_flow(self):
        found = reach(piece(), flow_mm3_s=9)
        self.assertTrue(0 < found.length_above_flow < 1)
        self.assertEqual(reach(piece(), flow_mm3_s=99).time_above_flow, 0.0)


class Shapes(unittest.TestCase):
    def test_a_lean_is_found_within_two_degrees(self):
        for lean in (0, 20, 35):
            found = shape_of(piece(Solid(height=4, lean_deg=lean)))
            self.assertAlmostEqual(found.overhang_deg, lean, delta=2)
            self.assertEqual(found.bridge_mm, 0.0)

    def test_a_bridge_is_found_within_a_millimetre(self):
        for span in (8, 15):
            found = shape_of(piece(Solid(height=4, span_mm=span)))
            self.assertAlmostEqual(found.bridge_mm, span, delta=1)
            self.assertAlmostEqual(found.bridge_z, 2.2)

    def test_a_bridge_in_a_tall_piece_is_found_in_whichever_layer_it_lies(self):
        # Of 150 layers 40 were looked at, and the one with the bridge was mostly not among them.
        for height in (22, 26, 30):
            found = shape_of(piece(Solid(width=60, depth=20, height=height, span_mm=20)))
            self.assertAlmostEqual(found.bridge_mm, 20, delta=1)

    def test_places_in_the_air_are_those_of_the_bridge_and_of_walls_that_lean(self):
        bridge = hanging_of(piece(Solid(height=4, span_mm=15)))
        x = bridge.bridges[:, 0]
        self.assertAlmostEqual(float(np.ptp(x)), 15, delta=1)
        self.assertEqual(set(np.round(bridge.bridges[:, 2], 3).tolist()), {2.2})
        self.assertLess(len(bridge.overhangs), 10)
        leaning = hanging_of(piece(Solid(height=4, lean_deg=52)))
        self.assertEqual(len(leaning.bridges), 0)
        self.assertGreater(len(leaning.overhangs), 1000)
        for solid in (Solid(height=4), Solid(height=4, lean_deg=35), Solid(height=0.2)):
            found = hanging_of(piece(solid))
            # Solid layers lie over sparse infill, inside, where nobody sees them.
            self.assertEqual((len(found.bridges), len(found.overhangs)), (0, 0), solid)

    def test_looking_for_what_hangs_can_be_stopped(self):
        job = Job(lambda share: job.cancel())
        with self.assertRaises(CancelledError):
            hanging_of(piece(), job)

    def test_one_layer_has_no_shape(self):
        self.assertEqual(shape_of(piece(Solid(height=0.2))).overhang_deg, 0.0)

    def test_slowed_layers_take_the_time_that_was_asked_for(self):
        found = piece(min_layer_time=20.0, acceleration=50000.0)
        np.testing.assert_allclose(np.median(found.layer_s), 20, rtol=0.1)
