"""What slicers really write: commands, comments and states of many dialects (common practice, no source)."""

import base64
import json
import math
import random
import unittest
import zlib

import numpy as np

from oddtwin.core.toolpath.gcode import FEATURES, Feature, StopKind, read_gcode
from oddtwin.core.toolpath.motion import Limits, plan_motion
from oddtwin.core.toolpath.sliced import SpoolSays, analyse, summary


def read(*lines):
    return read_gcode(["\n".join([*lines, ""]).encode()])


def features(*lines):
    path = read("M83", *lines)
    return [FEATURES[path.states[number].feature] for number in path.state.tolist()]


class Text(unittest.TestCase):
    """Text for people is never obeyed."""

    SAID = (
        "M117 flow M221 S50", "M118 A1 G4 S100", "M118 E1 T5 G1 X99 E99", "M23 part M220 S50.g",
        "M28 M221 S50.g",
        "M32 !/M83 G91.g#", "M486 A G91 M83", "M862.3 P \"G91 M221 S50\"", "m117 g91", "N5 M117 T1 G4 S9*33",
        "M0 Turn it over G4 S100 T1", "M1 S5 G91 now", "RESPOND MSG=\"G91\"", "M16 G91 M221 S9",
    )  # fmt: skip

    def test_no_text_changes_a_figure(self):
        plain = ["M83", "G1 X5 E1 F1200", "M221 S95", "G1 X9 Y5 E1", "G4 S3", "G1 X1 E2"]
        expected = summary(analyse(read(*plain)))
        dice = random.Random(3)
        for said in self.SAID:
            for _ in range(4):
                lines = list(plain)
                lines.insert(dice.randrange(len(lines)), said)
                found = summary(analyse(read(*lines)))
                # A halt brakes the machine, whatever it says.
                time = () if said.startswith(("M0 ", "M1 ")) else ("time_s",)
                for name in (*time, "filament_mm", "path_mm", "moves", "tool_changes"):
                    self.assertEqual(found[name], expected[name], said)

    def test_a_message_behind_a_move_is_a_message(self):
        path = read("M83", "G1 X5 E1 M117 now G1 X9 E9", "G1 X6 E1")
        self.assertEqual((path.x.tolist(), path.e.tolist()), ([5.0, 6.0], [1.0, 1.0]))


class States(unittest.TestCase):
    def test_speed_is_kept_and_put_back(self):
        path = read(
            "M83", "M220 S80", "G1 X10 E1 F600", "M220 B", "M220 S20", "G1 X20 E1", "M220 R", "G1 X30 E1"
        )
        self.assertEqual(path.per_move("speed_factor").tolist(), [0.8, 0.2, 0.8])

    def test_a_saved_state_comes_back_whole(self):
        path = read(
            "G90", "M82", "G92 E0", "G1 X10 Y5 E1 F600", "M221 S90",
            "SAVE_GCODE_STATE NAME=a", "G91", "M83", "G92 X0", "M220 S50", "G1 Z5 E-2 F3000",
            "RESTORE_GCODE_STATE NAME=a", "G1 X20 E2",
        )  # fmt: skip
        self.assertEqual(path.x.tolist(), [10.0, 10.0, 20.0])
        self.assertEqual(path.z.tolist(), [0.0, 5.0, 5.0])
        np.testing.assert_allclose(path.e, [1.0, -1.8, 0.9])
        self.assertEqual(path.feed.tolist(), [10.0, 50.0, 10.0])
        self.assertEqual(path.per_move("speed_factor").tolist(), [1.0, 0.5, 1.0])

    def test_it_moves_back_where_that_is_asked_for(self):
        path = read(
            "G1 X10 Y5 E1 F600", "save_gcode_state name=a", "G1 X50 F6000",
            "RESTORE_GCODE_STATE NAME=a MOVE=1", "G91", "G1 X1 E2",
        )  # fmt: skip
        self.assertEqual(path.x.tolist(), [10.0, 50.0, 10.0, 11.0])
        self.assertEqual(path.length[2], 40.0)

    def test_saved_and_put_back_at_once_changes_nothing(self):
        dice = random.Random(5)
        for _ in range(20):
            lines = ["M83" if dice.random() < 0.5 else "M82"]
            for _ in range(60):
                mode = ("G90", "G91", "G92 X3 E1", "M221 S90", "M220 S70", "G20", "G21", "M82", "M83")
                move = (
                    f"G1 X{dice.uniform(0, 9):.2f} Y{dice.uniform(0, 9):.2f} E{dice.uniform(0, 9):.2f} F900"
                )
                lines.append(dice.choice(mode) if dice.random() < 0.2 else move)
            lines += ["M83", "G1 X3 E2"]
            kept = list(lines)
            for place in sorted(dice.sample(range(len(kept)), 6), reverse=True):
                kept[place:place] = ["SAVE_GCODE_STATE NAME=s", "RESTORE_GCODE_STATE NAME=s MOVE=1"]
            one, two = read(*lines), read(*kept)
            for name in ("x", "y", "z", "e", "feed", "length"):
                np.testing.assert_allclose(getattr(two, name), getattr(one, name), atol=1e-9, err_msg=name)

    def test_a_limit_by_name_holds_for_speed_acceleration_and_corners(self):
        slow = read("M83", "SET_VELOCITY_LIMIT ACCEL=500 VELOCITY=20", "G1 X100 E1 F6000")
        # 20 mm/s over 100 mm: two ramps of v/a, and the rest at speed (uniform acceleration).
        ramp = 20 / 500
        self.assertAlmostEqual(plan_motion(slow, Limits()).seconds, 2 * ramp + (100 - 20 * ramp) / 20, 9)
        corner = read(
            "M83", "SET_VELOCITY_LIMIT ACCEL=1000 SQUARE_CORNER_VELOCITY=6", "G1 X50 E1 F6000", "G1 Y50 E1"
        )
        by_deviation = Limits(junction_deviation=36 * (math.sqrt(2) - 1) / 1000)
        same = read("M83", "G1 X50 E1 F6000", "G1 Y50 E1")
        self.assertAlmostEqual(
            plan_motion(corner, Limits()).seconds, plan_motion(same, by_deviation).seconds, 9
        )

    def test_limits_per_minute_and_per_second(self):
        state = read("M83", "M203 X300 Y250 Z12 E80", "M205 X8", "G1 X1 E1").states[-1]
        self.assertEqual((state.max_speed_x, state.max_speed_z, state.jerk_x), (300.0, 12.0, 8.0))
        state = read("M83", "M203 X18000 Y15000 Z720 E4800", "G1 X1 E1").states[-1]
        self.assertEqual((state.max_speed_x, state.max_speed_z), (300.0, 12.0))
        state = read("M83", "M566 X600 Z30", "M203 Z100", "G1 X1 E1").states[-1]
        self.assertEqual((state.jerk_x, state.jerk_z), (10.0, 0.5))
        self.assertAlmostEqual(state.max_speed_z, 100 / 60)

    def test_a_macro_that_starts_the_print_heats(self):
        told = "BED_TEMP=65 EXTRUDER_TEMP=215 CHAMBER=40"
        # What is no temperature, a word or out of all reason, alters none.
        for more in ("", " BED_KIND=smooth", " BED_TEMP=nan CHAMBER=-3", " EXTRUDER_TEMP=1000 BED_X=4000"):
            with self.subTest(more):
                state = read("M83", f"START_PRINT {told}", f"START_PRINT{more}", "G1 X1 E1").states[-1]
                self.assertEqual((state.bed_c, state.nozzle_c, state.chamber_c), (65.0, 215.0, 40.0))

    def test_each_tool_has_its_own_heat_and_each_fan_its_own_number(self):
        path = read("M83", "M104 T0 S210", "M104 T1 S240", "G1 X1 E1", "T1", "G1 X2 E1", "T0", "G1 X3 E1")
        self.assertEqual(path.per_move("nozzle_c").tolist(), [210.0, 240.0, 210.0])
        state = read("M83", "M106 S255", "M106 P3 S51", "SET_FAN_SPEED FAN=Aux SPEED=0.5", "G1 X1 E1").states[
            -1
        ]
        self.assertEqual((state.fan, dict(state.fans)), (1.0, {"0": 1.0, "3": 0.2, "aux": 0.5}))
        self.assertEqual(read("M83", "M106 S0.4", "G1 X1 E1").states[-1].fan, 0.4)
        self.assertEqual(read("M83", "M106 S400", "G1 X1 E1").states[-1].fan, 1.0)

    def test_tools_and_heaters_by_name(self):
        path = read(
            "M83", "SET_HEATER_TEMPERATURE HEATER=extruder TARGET=210", "M568 P1 S240 R180",
            "SET_HEATER_TEMPERATURE HEATER=heater_bed TARGET=65", "G1 X1 E1",
            "ACTIVATE_EXTRUDER EXTRUDER=extruder1", "G1 X2 E1", "Tx", "SET_HEATER_TEMPERATURE",
            "ACTIVATE_EXTRUDER EXTRUDER=extruder", "G1 X3 E1",
        )  # fmt: skip
        self.assertEqual(path.per_move("tool").tolist(), [0, 1, 0])
        self.assertEqual(path.per_move("nozzle_c").tolist(), [210.0, 240.0, 210.0])
        self.assertEqual((path.states[-1].bed_c, path.doubts), (65.0, ()))

    def test_pressure_advance_of_any_dialect(self):
        for line in ("M900 K0.05", "M572 D0 S0.05", "SET_PRESSURE_ADVANCE ADVANCE=0.05"):
            self.assertEqual(read("M83", line, "G1 X1 E1").states[-1].advance, 0.05, line)
        other = read("M83", "SET_PRESSURE_ADVANCE ADVANCE=0.05 EXTRUDER=extruder1", "G1 X1 E1").states[-1]
        self.assertIsNone(other.advance)

    def test_retraction_of_the_firmware_by_any_dialect(self):
        for line in ("M207 S0.8", "SET_RETRACTION RETRACT_LENGTH=0.8"):
            path = read("M83", line, "G1 X5 E1", "G10", "G1 X9", "G11", "G1 X12 E1")
            self.assertEqual(path.e.tolist(), [1.0, -0.8, 0.0, 0.8, 1.0], line)
        self.assertIn("no command says how far", read("M83", "G1 X5 E1", "G10", "G11", "G1 X6 E1").notes[0])

    def test_pauses_and_what_the_file_announces(self):
        path = read("M73 P0 R42", "M83", "G1 X5 E1", "M600", "M601", "M400", "M73 P50 R20", "G1 X6 E1")
        kinds = [stop.kind for stop in path.stops]
        self.assertEqual(kinds, [StopKind.PAUSE, StopKind.PAUSE, StopKind.WAIT])
        self.assertEqual(analyse(path).said.time_s, 42 * 60)

    def test_figures_by_object(self):
        by_name = read(
            "M83", "EXCLUDE_OBJECT_DEFINE NAME=ring", "EXCLUDE_OBJECT_START NAME=ring", "G1 X10 E1",
            "EXCLUDE_OBJECT_END NAME=ring", "G1 X20 E3", "EXCLUDE_OBJECT_START NAME=hook", "G1 X30 E2",
        )  # fmt: skip
        by_number = read(
            "M83", "M486 T2", "M486 S0", "M486 Aring", "G1 X10 E1", "M486 S-1", "G1 X20 E3", "M486 S1",
            "M486 A\"hook\"", "G1 X30 E2", "M486 S0", "M486 S-1", "G1 X31",
        )  # fmt: skip
        for path in (by_name, by_number):
            found = {name: tally.filament_mm for name, tally in analyse(path).by_object().items()}
            self.assertEqual(found, {"ring": 1.0, "hook": 2.0})

    def test_a_mixing_head_lays_the_sum(self):
        self.assertEqual(read("M83", "G1 X5 E.5:.25", "G1 X6 E1:0:-.5 F900").e.tolist(), [0.75, 0.5])


class Curves(unittest.TestCase):
    """Planes and helices of NISTIR 6556 (from memory); turns and G5 as firmware has them."""

    def test_arcs_in_all_planes_are_as_long(self):
        for plane, end, offset in (
            ("G17", "X10 Y0", "I5 J0"),
            ("G18", "X10 Z0", "I5 K0"),
            ("G19", "Y10 Z0", "J5 K0"),
        ):
            path = read("M83", plane, f"G2 {end} {offset} E4")
            self.assertAlmostEqual(path.length.sum(), 5 * math.pi, 6, plane)
            self.assertAlmostEqual(path.e.sum(), 4, 9)
        # Seen from the end of the third axis, G2 turns clockwise: ZX from above Y, YZ from above X.
        self.assertLess(read("M83", "G18", "G2 X10 Z0 I5 K0 E1").z.min(), -4.9)
        self.assertGreater(read("M83", "G19", "G2 Y10 Z0 J5 K0 E1").z.max(), 4.9)

    def test_a_helix_rises_along_the_axis_of_its_plane(self):
        path = read("M83", "G18", "G3 X10 Z0 Y3 I5 K0 E1", "G17", "G2 X0 Z0 Y3 I-5 J0 E1")
        half = math.hypot(5 * math.pi, 3)
        self.assertAlmostEqual(path.length[: len(path.length) // 2].sum(), half, 6)
        self.assertAlmostEqual(path.length.sum(), half + 5 * math.pi, 6)

    def test_whole_turns_come_first(self):
        self.assertAlmostEqual(read("M83", "G2 X0 Y0 I5 J0 P2 E3").length.sum(), 3 * 10 * math.pi, 6)
        self.assertAlmostEqual(
            read("M83", "G2 X10 Y0 I5 J0 P2 Z1 E3").length.sum(), math.hypot(25 * math.pi, 1), 6
        )

    def test_a_bezier_curve(self):
        # Control points on the line make it that line; else the length is that of fine chords.
        self.assertAlmostEqual(read("M83", "G5 X9 Y0 I3 J0 P-3 Q0 E1").length.sum(), 9, 9)
        path = read("M83", "G5 X10 Y0 I0 J5 P0 Q5 E2", "G1 X11 E1")
        t = np.linspace(0, 1, 20001)
        x, y = 30 * (1 - t) * t**2 + 10 * t**3, 15 * (1 - t) ** 2 * t + 15 * (1 - t) * t**2
        self.assertAlmostEqual(path.length[:-1].sum(), np.hypot(np.diff(x), np.diff(y)).sum(), 2)
        self.assertAlmostEqual(path.y.max(), 3.75, 2)
        self.assertEqual((path.x[-2], round(path.e.sum(), 9)), (10.0, 3.0))


class Comments(unittest.TestCase):
    def test_features_in_every_dialect(self):
        for comment, feature in (
            ("(<perimeter> outer )", Feature.OUTER_WALL),
            ("(<infill> )", Feature.INFILL),
            ("(TYPE: gap)", Feature.GAP_FILL),
            ("; 'Loop Path', 3.0 [mm/s]", Feature.INNER_WALL),
            ('; "Solid Path"', Feature.SOLID_INFILL),
            ("; 'Zigzag Path', 3.0", Feature.OTHER),
            ("; segmentType:InnerPerimeter", Feature.INNER_WALL),
            ("; feature = inset", Feature.INNER_WALL),
            ("; role cellular", Feature.INFILL),
            ("; TYPE:Top skin infill", Feature.TOP_SURFACE),
            ("; TYPE:Frobnicated", Feature.OTHER),
            ("; feature strange thing", Feature.OTHER),
            ("; TYPE:Internal loop of wall", Feature.INNER_WALL),
            ("; segType:HShell", Feature.SOLID_INFILL),
            (";; feature: bridge", Feature.BRIDGE),
            ("; feature internal single extrusion", Feature.GAP_FILL),
        ):
            self.assertEqual(features(";TYPE:Support", comment, "G1 X9 E1"), [feature], comment)

    def test_comments_behind_moves_name_features(self):
        lines = (
            "G1 X1 E1 ; perimeter",
            "G1 X2 E1 ; infill",
            "G1 X3 E1",
            "G1 X4 E1 ; hello",
            "G1 X5 E1;support",
        )
        seen = [Feature.INNER_WALL, Feature.INFILL, Feature.INFILL, Feature.INFILL, Feature.SUPPORT]
        self.assertEqual(features(*lines), seen)
        # A line that names the feature for all that follow knows better.
        self.assertEqual(features(";TYPE:External perimeter", *lines), [Feature.OUTER_WALL] * 5)
        self.assertEqual(features("G1 X1 E.5:.5 ; ironing", "G1 X2 E1"), [Feature.IRONING] * 2)
        # What is too long to be a name is none, and what begins alike is told apart.
        self.assertEqual(features("G1 X1 E1 ; move to the first perimeter point of all"), [Feature.UNNAMED])
        self.assertEqual(
            features("G1 X1 E1 ; support material", "G1 X1 E1 ; support material x"), [Feature.SUPPORT] * 2
        )

    def test_walls_after_supports_are_no_waste(self):
        found = summary(analyse(read("M83", ";TYPE:Support", "G1 X9 E1", ";TYPE:Fancy wall", "G1 X1 E3")))
        self.assertEqual(found["by_feature"]["inner wall"]["filament_mm"], 3)

    def test_a_file_that_names_nothing_does_not_know_its_waste(self):
        found = summary(analyse(read("M83", "G1 X9 E1", "G1 X1 E3")))
        self.assertIsNone(found["waste_g"])
        self.assertIn("waste is not known", found["notes"][0])
        self.assertEqual(summary(analyse(read("M83", ";TYPE:Wall", "G1 X9 E1")))["waste_g"], 0)

    def test_settings_in_every_form(self):
        ini = json.dumps(
            {"all": "[general]\\nversion = 4\\nlayer_height = 0.3\\n", "extruders": ["a = 1\\nb = 2"]}
        )
        packed = base64.b64encode(
            zlib.compress(b"layer_height = 0.3\nfan = on\nnotes = none at all\n")
        ).decode()
        coded = base64.b64encode(b'{"layer_height": 0.3, "walls": {"count": 3, "order": [1, 2]}}').decode()
        for lines, key, value in (
            (("; layer_height,0.3",), "layer_height", "0.3"),
            ((";SETTING_3 " + ini[:40], ";SETTING_3 " + ini[40:]), "layer_height", "0.3"),
            ((";SETTING_3 " + ini[:40], ";SETTING_3 " + ini[40:]), "b", "2"),
            (("; {", '; "layer_height": 0.3,', '; "walls": {"count": 3}', "; }"), "count", "3"),
            (("; settings begin", "; " + coded[:40], "; " + coded[40:], "; settings end"), "order", "1, 2"),
            (("; " + packed[:44], "; " + packed[44:]), "fan", "on"),
            (("; CONFIG_BLOCK_START", "; layer_height = 0.3", "; CONFIG_BLOCK_END"), "layer_height", "0.3"),
        ):
            self.assertEqual(read(*lines, "M83", "G1 X9 E1").settings.get(key), value, lines)

    def test_damaged_settings_are_left_out(self):
        bomb = base64.b64encode(zlib.compress(b"a = 1\n" * 3_000_000)).decode()
        nested = "{" * 5000
        for line in ('SETTING_3 {"a": ', "; {", nested, "A" * 64 + "b1", bomb):
            path = read("; " + line, "; layer_height = 0.2", "M83", "G1 X9 E1")
            self.assertEqual(path.settings.get("layer_height"), "0.2")


class Filaments(unittest.TestCase):
    def test_loading_and_unloading_at_a_change_is_no_waste(self):
        lines = ["M83", ";TYPE:Wall"]
        for tool in (0, 1, 0, 1, 0):
            lines += [
                f"T{tool}",
                "G1 E60 F1200" if len(lines) > 2 else "",
                "G1 X50 E10",
                "G1 E-2",
                "G1 X0",
                "G1 E2",
            ]
            lines += ["G1 X20 E5", "G1 E-15", "G1 E-90"]
        sliced = analyse(read(*lines))
        self.assertAlmostEqual(sliced.by_tool()[0].filament_mm, 45, 9)
        self.assertAlmostEqual(sliced.by_tool()[1].filament_mm, 30, 9)
        self.assertAlmostEqual(sliced.waste.filament_mm, 0, 9)

    def test_what_a_standing_nozzle_pushes_beyond_that_is(self):
        lines = ("M83", ";TYPE:Wall", "G1 X50 E10", "G1 E-18", "T1", "G1 E18", "G1 E40", "G1 X0 E5")
        self.assertAlmostEqual(analyse(read(*lines)).waste.filament_mm, 40, 9)

    def test_unloading_inside_one_stay(self):
        lines = ("M83", ";TYPE:Wall", "G1 X50 E10", "G1 E-105", "M600", "G1 E60", "G1 X0 E7")
        self.assertAlmostEqual(analyse(read(*lines)).total.filament_mm, 17, 9)

    def test_the_file_s_own_filament(self):
        lines = (
            "; filament_density: 1.10,1.27", "; filament_diameter = 2.85;1.75",
            "; filament_cost = 20000,30000",
            "; filament_settings_id = \"Own A\";\"Own B\"", "M83", ";TYPE:Wall",
            "G1 X9 E10", "T1", "G1 X1 E20",
        )  # fmt: skip
        sliced = analyse(read(*lines))
        one, two = sliced.filaments[0], sliced.filaments[1]
        self.assertEqual(
            (one.density_g_cm3, one.diameter_mm, one.cost_per_kg, one.name), (1.1, 2.85, 20000.0, "Own A")
        )
        self.assertEqual((two.density_g_cm3, two.diameter_mm), (1.27, 1.75))
        grams = 10 * math.pi / 4 * 2.85**2 * 1.1e-3 + 20 * math.pi / 4 * 1.75**2 * 1.27e-3
        self.assertAlmostEqual(sliced.mass_g, grams, 9)
        self.assertIn("as the file says", sliced.told[0])
        self.assertEqual(
            sliced.told[1],
            "Filament by the file: tool 0 “Own A” at 20000.00 a kilogram, tool 1 “Own B” at 30000.00 a "
            "kilogram; at its own prices the print takes 3.24.",
        )
        louder = analyse(read(*lines), None, SpoolSays(density_g_cm3=1.5))
        self.assertEqual([one.density_g_cm3 for one in louder.filaments.values()], [1.5, 1.5])
        self.assertEqual(louder.filaments[0].diameter_mm, 2.85)
        self.assertIn("as the spool says", louder.told[0])
        self.assertIn("neither", analyse(read("M83", "G1 X1 E1")).told[0])
        # The material alone gives its usual density.
        self.assertEqual(
            analyse(read("; filament_type = PETG", "M83", "G1 X1 E1")).filament.density_g_cm3, 1.27
        )

    def test_what_the_file_promises_is_read_and_compared(self):
        for line, name, value in (
            ("; estimated printing time (normal mode) = 1h 2m 3s", "time_s", 3723),
            (";TIME:3723", "time_s", 3723),
            ("; total estimated time: 01:02:03", "time_s", 3723),
            ("; model printing time: 58m; total estimated time: 1h 2m 3s", "time_s", 3723),
            ("; filament used [mm] = 100.5, 20", "filament_mm", 120.5),
            (";Filament used: 1.2m, 0.1m", "filament_mm", 1300),
            ("; filament used [g] = 3.2, 1", "mass_g", 4.2),
            ("; total layers count = 5", "layers", 5),
            (";LAYER_COUNT:5", "layers", 5),
            ("; Build time: 1 hours 2 minutes", "time_s", 3720),
            (";   Filament length: 1300.5 mm (1.30 m)", "filament_mm", 1300.5),
            (";   Plastic weight: 4.2 g (0.01 lb)", "mass_g", 4.2),
            ("; total filament length [mm] : 1300.5", "filament_mm", 1300.5),
            ("; total filament weight [g] : 4.2", "mass_g", 4.2),
            (";Material#1 Used: 1300.5", "filament_mm", 1300.5),
        ):
            self.assertAlmostEqual(
                getattr(analyse(read(line, "M83", "G1 X9 E1")).said, name), value, msg=line
            )

    def test_a_flow_override_explains_a_difference(self):
        lines = ("; filament used [mm] = 100", "M83", "M221 S90", ";TYPE:Wall", "G1 X90 E100")
        self.assertIn("set the flow to 90 % (M221)", " ".join(analyse(read(*lines)).notes))
        self.assertNotIn("M221", " ".join(analyse(read(lines[0], "M83", "G1 X9 E50")).notes))


class Odd(unittest.TestCase):
    def test_a_mark_of_the_encoding_is_no_text(self):
        path = read_gcode([b"\xef\xbb\xbfM83\nG1 X5 E1\n"])
        self.assertEqual((path.doubts, path.e.tolist()), ((), [1.0]))
