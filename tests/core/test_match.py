"""The twin check on generated files whose differences are known."""

import dataclasses
import json
import unittest

import numpy as np

from oddtwin.core.job import CancelledError, Job
from oddtwin.core.toolpath.gcode import Feature, read_gcode
from oddtwin.core.toolpath.match import (
    MatchFile,
    SettingsError,
    as_json,
    breaks_in,
    check_settings,
    layer_differences,
    match_files,
    next_difference,
    parse_declared,
    parted_points,
    read_settings,
)
from oddtwin.core.toolpath.match.check import delta
from oddtwin.core.toolpath.match.values import number_and_unit, plain_key, same_value
from oddtwin.core.toolpath.sliced import analyse
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from tests.builders import stopped

BOX = Solid(height=4)


def file(name, solid=BOX, **recipe):
    text = slice_solid(solid, Recipe(**recipe)).text
    return MatchFile(name, str(hash(text)), analyse(read_gcode([text.encode()])))


def check(ours, theirs, *declared, solid=BOX, other=None):
    files = [file("the baseline", solid, **ours), file("the change", other or solid, **theirs)]
    return match_files(files, [parse_declared(text) for text in declared])


def codes(found):
    return {threat.code for threat in found.threats}


class Several(unittest.TestCase):
    def test_of_three_files_each_has_its_share_of_the_work(self):
        shares = []
        files = [file(name, walls=count) for name, count in (("a", 2), ("b", 3), ("c", 4))]
        match_files(files, [parse_declared("walls=2:3:4")], Job(shares.append))
        self.assertEqual((shares, shares[-1]), (sorted(shares), 1.0))
        self.assertTrue(any(0.25 < share < 0.5 for share in shares))
        self.assertFalse(any(share > 0.6 for share in shares[: len(shares) // 2]))


class Values(unittest.TestCase):
    def test_numbers_units_switches_and_lists(self):
        for first, second in (
            ("0.2", "0.20 mm"),
            ("200 µm", "0.2mm"),
            ("3600 mm/min", "60 mm/s"),
            ("true", "1"),
            ("no", "False"),
            ("60,60,60", "60"),
            ("[0.8, 1]", "0.80,1.0"),
            ("Zig  Zag", "zig zag"),
        ):
            self.assertTrue(same_value(first, second), (first, second))
        for first, second in (
            ("0.2", "0.21"),
            ("2", "200%"),
            ("60 %", "60 mm"),
            ("a", "b"),
            ("1,2", "2,1"),
            ("1", "no"),
        ):
            self.assertFalse(same_value(first, second), (first, second))

    def test_keys_in_any_spelling(self):
        self.assertEqual(
            {plain_key(key) for key in ("layerHeight", "Layer height", "layer-height")}, {"layer_height"}
        )
        self.assertIsNone(number_and_unit("0.2 furlongs"))
        # What has no other unit of its kind is its own.
        for unit in ("mm", "s", "mm/s", "mm/s²", "mm³", "mm³/s", "%", "°", "g"):
            self.assertEqual(number_and_unit(f"3 {unit}"), (3.0, unit))


class Settings(unittest.TestCase):
    def test_sorted_into_declared_undeclared_and_harmless(self):
        ours = {
            "speed": "60",
            "Layer height": "0.2",
            "notes": "a",
            "print_host": "x",
            "support_angle": "40",
            "walls": "2",
        }
        theirs = {
            "walls": "2.0",
            "layer_height": "0.20 mm",
            "Speed": "80",
            "notes": "b",
            "support_angle": "50",
            "fan": "1",
        }
        found = check_settings(
            [ours, theirs], [parse_declared("speed=60:80")], frozenset({Feature.OUTER_WALL})
        )
        self.assertEqual([item.key for item in found.declared], ["speed"])
        self.assertEqual([item.key for item in found.undeclared], ["fan"])
        self.assertEqual([item.key for item in found.harmless], ["notes", "print_host", "support_angle"])
        self.assertEqual(
            (found.same, found.sentence),
            (
                2,
                "5 settings differ; 1 was declared; 1 can move this result.",
            ),
        )

    def test_support_settings_count_where_there_are_supports(self):
        found = check_settings(
            [{"support_angle": "40"}, {"support_angle": "50"}], (), frozenset({Feature.SUPPORT})
        )
        self.assertEqual(len(found.undeclared), 1)

    def test_whatever_differs_belongs_to_a_declared_pack(self):
        tables = [{"walls": "2", "fan": "50", "notes": "a"}, {"walls": "3", "fan": "80", "notes": "b"}]
        found = check_settings(tables, [parse_declared("profile=stock:tuned")])
        self.assertEqual(found.sentence, "3 settings differ; 2 were declared; no other can move this result.")
        there = check({"walls": 2}, {"walls": 3, "fan": 60.0}, "settings pack=stock:tuned")
        self.assertEqual(codes(there), set())
        self.assertIn("pack of settings", there.effects[0].sentence)

    def test_a_trade_name_declares_its_setting(self):
        found = check_settings(
            [{"cool_min_layer_time": "8"}, {"cool_min_layer_time": "4"}],
            [parse_declared("Minimum layer time=8 s:4 s")],
        )
        self.assertEqual(len(found.declared), 1)

    def test_ini_and_json_say_the_same(self):
        ini = read_settings(
            "[print]\nlayer_height = 0.2\nspeeds = 60,80\n[filament]\ntemperature = 210\n", "a.ini"
        )
        bare = read_settings("layer_height = 0.2\nspeeds=60, 80\ntemperature=210\n", "b.ini")
        nested = read_settings(
            json.dumps({"print": {"layerHeight": 0.2, "speeds": [60, 80]}, "temperature": 210}), "c.json"
        )
        for other in (bare, nested):
            self.assertEqual(check_settings([ini, other]).differing, 0)

    def test_what_is_neither_is_refused(self):
        for text in ("{broken", "[a\nb", "", "[]", "{" * 100_000):
            with self.assertRaises(SettingsError):
                read_settings(text, "x")

    def test_a_declaration_has_a_form(self):
        for text in ("speed", "speed=60", "=1:2", "speed=:"):
            with self.assertRaisesRegex(ValueError, "key=from:to"):
                parse_declared(text)


class TookEffect(unittest.TestCase):
    def test_every_rule_sees_its_change_and_misses_none(self):
        for key, ours, theirs, declared in (
            ("layer_height", 0.2, 0.25, "layer height=0.2 mm:0.25 mm"),
            ("outer_wall_speed", 40.0, 60.0, "outer wall speed=40:60 mm/s"),
            ("inner_wall_speed", 40.0, 60.0, "inner wall speed=40:60"),
            ("infill_speed", 60.0, 90.0, "infill speed=3600 mm/min:90 mm/s"),
            ("travel_speed", 150.0, 200.0, "travel speed=150:200"),
            ("acceleration", 500.0, 2000.0, "acceleration=500:2000"),
            ("nozzle_temperature", 205.0, 215.0, "nozzle temperature=205 °C:215 °C"),
            ("bed_temperature", 55.0, 65.0, "bed temperature=55:65"),
            ("fan", 100.0, 60.0, "fan=100 %:60 %"),
            ("retraction_length", 0.8, 1.4, "retraction length=0.8:1.4"),
            ("retraction_speed", 30.0, 45.0, "retraction speed=30:45"),
            ("line_width", 0.45, 0.55, "line width=0.45:0.55"),
            ("walls", 2, 4, "walls=2:4"),
            ("infill_spacing", 4.0, 2.0, "infill spacing=4:2"),
            ("flow", 100.0, 103.0, "flow=100 %:103 %"),
        ):
            with self.subTest(key):
                there = check({key: ours}, {key: theirs}, declared)
                self.assertIs(there.effects[0].took, True, there.effects[0].sentence)
                self.assertFalse(
                    codes(there) & {"not-in-file", "undeclared-setting", "paths-differ"}, there.sentences
                )
                # The same file under another note: the change was never sliced.
                missing = check({key: ours}, {key: ours, "note": "other"}, declared)
                self.assertIs(missing.effects[0].took, False)
                self.assertIn("not in the file", missing.effects[0].sentence)
                self.assertIn("not-in-file", codes(missing))

    def test_a_minimum_layer_time_that_another_setting_overrides(self):
        found = check(
            {"min_layer_time": 2.0},
            {"min_layer_time": 30.0, "min_speed": 40.0},
            "minimum layer time=2 s:30 s",
        )
        self.assertIs(found.effects[0].took, False)
        self.assertIn("19 of 19 layers are shorter", found.effects[0].sentence)
        kept = check(
            {"min_layer_time": 2.0}, {"min_layer_time": 20.0, "min_speed": 1.0}, "minimum layer time=2 s:20 s"
        )
        self.assertIs(kept.effects[0].took, True)

    def test_a_purge_held_by_its_minimum(self):
        two = Solid(height=4, colours=2)
        half = check({}, {"purge_multiplier": 0.5}, "purge multiplier=1:0.5", solid=two)
        self.assertIs(half.effects[0].took, True)
        held = check({}, {"purge_multiplier": 0.1}, "purge multiplier=1:0.1", solid=two)
        self.assertIn("another setting limits it", held.effects[0].sentence)

    def test_a_factor_without_a_rule_says_so(self):
        found = check({}, {"note": "x"}, "seam=aligned:scattered")
        self.assertIsNone(found.effects[0].took)
        self.assertIn("no rule", found.effects[0].sentence)


class CanShow(unittest.TestCase):
    def test_acceleration_needs_corners(self):
        large = Solid(width=120, depth=80, height=2)
        found = check(
            {"acceleration": 9000.0}, {"acceleration": 12000.0}, "acceleration=9000:12000", solid=large
        )
        self.assertIs(found.showings[0].can, False)
        self.assertRegex(found.showings[0].sentence, r"only \d % .* edges \d+ times shorter would")
        self.assertIn("cannot-show", codes(found))
        found = check({"acceleration": 500.0}, {"acceleration": 900.0}, "acceleration=500:900")
        self.assertIs(found.showings[0].can, True)

    def test_speed_needs_long_edges(self):
        small = Solid(width=12, depth=10, height=2)
        found = check(
            {"outer_wall_speed": 60.0}, {"outer_wall_speed": 150.0}, "outer wall speed=60:150", solid=small
        )
        self.assertIs(found.showings[0].can, False)
        self.assertRegex(found.showings[0].sentence, r"times longer edges would")

    def test_a_feature_that_is_not_there(self):
        found = check({"bridge_speed": 20.0}, {"bridge_speed": 30.0}, "bridge speed=20:30")
        self.assertIn("has no bridge", found.showings[0].sentence)

    def test_counted_rules(self):
        one = Solid(height=0.8)
        for recipe, declared, can in (
            ("retraction_length", "retraction length=0.8:2", False),
            ("purge_volume", "purge volume=90:60", False),
            ("fan", "fan=100:50", True),
            ("infill_spacing", "infill spacing=4:2", True),
        ):
            level = float(declared.partition(":")[2])
            found = check({}, {recipe: level}, declared, solid=one)
            self.assertIs(found.showings[0].can, can, found.showings[0].sentence)


class Paths(unittest.TestCase):
    def test_the_same_file_is_said_as_such(self):
        found = check({}, {})
        self.assertTrue(found.same_bytes)
        self.assertEqual(found.sentences, ("Same file, byte for byte.",))
        self.assertEqual(codes(check({}, {}, "walls=2:3")), {"same-file"})

    def test_a_piece_of_another_size_is_found_to_a_hundredth(self):
        found = check({}, {}, other=dataclasses.replace(BOX, width=40.6))
        self.assertAlmostEqual(found.paths[0].outline_mm, 0.3, 2)
        self.assertFalse(found.paths[0].outlines_same)
        self.assertIn("paths-differ", codes(found))

    def test_within_the_tolerance_it_is_the_same(self):
        found = check({}, {}, other=dataclasses.replace(BOX, width=40.06))
        self.assertTrue(found.paths[0].outlines_same)

    def test_features_moved_added_and_missing(self):
        states = {
            item.feature: item.state
            for item in check({"skirt": 1}, {"skirt": 0, "walls": 1, "infill_spacing": 3.9}).paths[0].features
        }
        self.assertEqual(states[Feature.SKIRT], "missing")
        self.assertIn("skirt missing", check({"skirt": 1}, {"skirt": 0}).paths[0].sentence)
        self.assertEqual(states[Feature.INNER_WALL], "missing")
        self.assertEqual(states[Feature.OUTER_WALL], "same")
        added = {item.feature: item.state for item in check({"walls": 1}, {"walls": 2}).paths[0].features}
        self.assertEqual(added[Feature.INNER_WALL], "added")

    def test_other_layers(self):
        found = check({}, {"layer_height": 0.25}, "layer height=0.2:0.25")
        self.assertEqual(found.paths[0].layers, (20, 16))
        self.assertFalse(found.paths[0].same_heights)
        self.assertEqual(found.deltas[0]["layers"], -4)

    def test_places_where_two_layers_part(self):
        ours, theirs = file("a"), file("b", dataclasses.replace(BOX, width=41.0))
        there = parted_points(ours.sliced.path, theirs.sliced.path, 3, 3)
        self.assertTrue(len(there))
        self.assertFalse(len(parted_points(ours.sliced.path, ours.sliced.path, 3, 3)))

    def test_differences_by_layer_add_up_whatever_the_layers(self):
        ours = file("a")
        for theirs in (
            file("b", infill_spacing=2.0),
            file("b", layer_height=0.25),
            file("b", Solid(height=5)),
        ):
            time, mass, retractions, flow = layer_differences(ours.sliced, theirs.sliced)
            self.assertAlmostEqual(mass.change.sum(), theirs.sliced.mass_g, 6)
            self.assertEqual(round(retractions.change.sum()), theirs.sliced.retractions)
            self.assertEqual(len(flow.difference), len(time.z))
            self.assertTrue(np.isfinite(time.difference).all())

    def test_what_the_change_has_more_the_baseline_has_less(self):
        ours, theirs = (
            file("a").sliced,
            file("b", dataclasses.replace(BOX, height=5), layer_height=0.25).sliced,
        )
        there, back, same = delta(ours, theirs), delta(theirs, ours), delta(ours, ours)
        self.assertEqual(there, {name: -value for name, value in back.items()})
        self.assertEqual(set(same.values()), {0})
        self.assertEqual(there["layers"], theirs.path.layers - 20)
        self.assertAlmostEqual(there["mass_g"] / ours.mass_g, 0.25, delta=0.05)

    def test_a_greatest_flow_is_that_of_the_layer_at_the_height(self):
        thick = file("b", layer_height=0.4).sliced
        seen = layer_differences(file("a", layer_height=0.2).sliced, thick)[3].change
        layers = layer_differences(thick, thick)[3].baseline
        self.assertGreater(np.ptp(layers), 0.1)
        np.testing.assert_array_equal(seen, np.repeat(layers, 2))


class Dense(unittest.TestCase):
    def test_close_lines_cut_up_otherwise_are_the_same_lines(self):
        """Lines 0.8 mm apart, each laid in one move or in three: nothing moves."""

        def layer(pieces):
            lines = [
                "M83",
                "; type: outer wall",
                "G1 X0 Y0 Z.2 F3000",
                "G1 X100 E1",
                "G1 Y100 E1",
                "G1 X0 E1",
                "G1 Y0 E1",
            ]
            lines.append("; type: infill")
            for row in range(1, 120):
                x = 0.8 * row
                lines.append(f"G0 X{x:.3f} Y0")
                lines += [f"G1 X{x:.3f} Y{100 * (k + 1) / pieces:.4f} E.5" for k in range(pieces)]
            return MatchFile(
                str(pieces), str(pieces), analyse(read_gcode(["\n".join([*lines, ""]).encode()]))
            )

        found = match_files([layer(1), layer(3)])
        self.assertEqual({item.feature: item.state for item in found.paths[0].features}, {
            Feature.OUTER_WALL: "same", Feature.INFILL: "same",
        })  # fmt: skip
        self.assertAlmostEqual(found.paths[0].outline_mm, 0.0)


class Whole(unittest.TestCase):
    def test_three_files(self):
        files = [file(name, walls=walls) for name, walls in (("two", 2), ("three", 3), ("four", 4))]
        found = match_files(files, [parse_declared("walls=2:3:4")])
        self.assertIs(found.effects[0].took, True)
        figures = as_json(found)
        self.assertEqual(len(figures["paths"]), 2)
        json.dumps(figures, allow_nan=False)

    def test_cancelled(self):
        files = [file("a"), file("b", walls=3)]
        with self.assertRaises(CancelledError):
            match_files(files, [parse_declared("walls=2:3")], stopped())


class Commands(unittest.TestCase):
    """What files set by lines of their own, whatever their settings and paths say."""

    LINES = (
        ";LAYER:0", ";TYPE:Outer wall", "M104 S215", "M140 S60", "M106 S255", "M204 S1000",
        "G1 X0 Y0 Z.2 F3000", "G1 X50 E2", "G1 Y50 E2", ";LAYER:1", "G1 Z.4", "G1 X0 E2", "G1 Y0 E2",
        ";LAYER:2", "G1 Z.6", "G1 X50 E2",
    )  # fmt: skip

    def twins(self, *added, at=2, declared=(), lines=LINES, **named):
        both = [("M83", "; walls = 2", *lines), ("M83", "; walls = 2", *lines[:at], *added, *lines[at:])]
        files = [
            MatchFile(name, name, analyse(read_gcode(["\n".join([*one, ""]).encode()])))
            for name, one in zip(("the baseline", "the change"), both, strict=True)
        ]
        return match_files(files, [parse_declared(text) for text in declared], **named)

    def test_every_command_in_force_is_found(self):
        for line, name in (
            ("M104 S225", "nozzle temperature"),
            ("M140 S70", "bed temperature"),
            ("M141 S40", "chamber temperature"),
            ("M106 S120", "fan 0"),
            ("M106 P3 S120", "fan 3"),
            ("SET_FAN_SPEED FAN=side SPEED=1", "fan side"),
            ("M900 K0.06", "pressure advance"),
            ("SET_PRESSURE_ADVANCE ADVANCE=0.06", "pressure advance"),
            ("M204 S3000", "acceleration of printing"),
            ("M205 X5", "jerk of X"),
            ("M201 X500", "greatest acceleration of X"),
            ("M203 Y60", "greatest speed of Y"),
            ("M220 S80", "speed override"),
            ("M221 S95", "flow override"),
            ("SET_VELOCITY_LIMIT SQUARE_CORNER_VELOCITY=3", "speed of a square corner"),
            ("M207 S1.5", "retraction of the firmware"),
            ("SET_RETRACTION RETRACT_LENGTH=1.5", "retraction of the firmware"),
        ):
            found = self.twins(line, at=6)
            self.assertIn(name, [one.name for one in found.commands[0].undeclared], line)
            self.assertIn("undeclared-command", codes(found), line)
            self.assertTrue(found.paths[0].identical, line)

    def test_overrides_are_told_in_percent(self):
        for line, told in (("M220 S80", "80"), ("M221 S95", "95")):
            (found,) = self.twins(line, at=6).commands[0].differences
            self.assertEqual((found.baseline, found.change), ("100\u202f%", f"{told}\u202f%"))

    def test_share_and_layers_are_told(self):
        (found,) = self.twins("M104 S225", at=10).commands[0].differences
        self.assertEqual((found.baseline, found.change), ("215\u202f°C", "225\u202f°C"))
        self.assertEqual(found.layers, ((2, 3),))
        self.assertAlmostEqual(found.share_of_time, 0.6, 1)
        self.assertIn("in layers 2 to 3", found.sentence)

    def test_a_fan_that_differs_only_while_nothing_is_laid(self):
        found = self.twins("M106 S120", "G1 Z.3", "M106 S255", at=10).commands[0]
        (fan,) = found.undeclared
        self.assertEqual((fan.name, fan.idle), ("fan 0", True))
        self.assertIn("in layer 2, while nothing is laid", fan.sentence)
        # More time with nothing laid, at the same speeds of the fan, is no difference of the fan.
        self.assertFalse(self.twins("G1 Z3", "G1 Z.3", at=10).commands[0].differences)

    def test_what_is_declared_is_no_finding(self):
        for line, factor in (
            ("M104 S225", "nozzle_temperature=215:225"), ("M106 S120", "fan=100:47"),
            ("M204 S3000", "profile=a:b"),
            ("M900 K0.06", "Pressure advance=0:0.06"),
        ):  # fmt: skip
            found = self.twins(line, at=6, declared=(factor,))
            self.assertEqual(found.commands[0].undeclared, [], line)
            self.assertEqual(len(found.commands[0].differences), 1 + (line[:4] == "M204"), line)
            self.assertNotIn("undeclared-command", codes(found))
        # A bed that was declared does not excuse a nozzle.
        self.assertIn(
            "undeclared-command", codes(self.twins("M104 S225", at=6, declared=("bed_temperature=60:60",)))
        )

    def test_commands_that_nobody_understands_are_compared_as_written(self):
        found = self.twins("M42 P4 S1")
        self.assertEqual([(one.text, one.change) for one in found.commands[0].others], [("M42 P4 S1", 1)])
        self.assertIn("“M42 P4 S1” (never in the baseline, once in the change)", " ".join(found.sentences))
        self.assertIn("not understood here", found.threats[0].sentence)
        for said in ("M117 hello", "M118 there", "M300 S400", "M73 P5 R3", "RESPOND MSG=hi"):
            self.assertEqual(codes(self.twins(said)), set(), said)

    def test_files_alike_have_none(self):
        found = self.twins()
        self.assertEqual((codes(found), found.commands[0].sentences), (set(), []))
        json.dumps(as_json(found))

    def test_a_pack_does_not_excuse_what_is_held(self):
        tables = [{"layer_height": "0.2", "walls": "2"}, {"layer_height": "0.28", "walls": "3"}]
        pack = [parse_declared("settings pack=stock:tuned")]
        self.assertEqual(len(check_settings(tables, pack).declared), 2)
        found = check_settings(tables, pack, held=["Same spool", "Same layer height as ever"])
        self.assertEqual([item.key for item in found.undeclared], ["layer_height"])
        speeds = [{"infill_speed": "60", "seam": "a"}, {"infill_speed": "90", "seam": "b"}]
        kept = check_settings(speeds, pack, held=["Layer height and speeds the same in both"])
        self.assertEqual([item.key for item in kept.undeclared], ["infill_speed"])
        # The layers themselves, too, where the files carry no settings.
        files = [file("the baseline", layer_height=0.2), file("the change", layer_height=0.25)]
        self.assertNotIn("paths-differ", codes(match_files(files, pack)))
        self.assertIn("paths-differ", codes(match_files(files, pack, held=["Layer height the same in both"])))


class Order(unittest.TestCase):
    """The same lines, laid in another order."""

    def raster(self, order, layers=1):
        lines = ["M83", "G28", ";LAYER:0", ";TYPE:Wall", "G1 X0 Y0 Z0.2 F3000", "G1 X40 E1"]
        for layer in range(1, layers + 1):
            lines += [f";LAYER:{layer}", ";TYPE:Top surface", f"G1 Z{0.2 * layer + 0.2:.1f}"]
            for row in order:
                left, right = (0, 20) if row % 2 else (20, 0)
                lines += [f"G0 X{left} Y{row * 0.4:.2f}", f"G1 X{right} Y{row * 0.4:.2f} E.5"]
        text = "\n".join([*lines, ""])
        return MatchFile("the file", str(hash(text)), analyse(read_gcode([text.encode()])))

    def test_is_said_with_layer_feature_and_seam(self):
        plain = self.raster(range(60))
        other = self.raster([*range(30), *range(59, 29, -1)])
        found = match_files([plain, other])
        self.assertEqual((found.paths[0].reordered, found.paths[0].parted), ((1,), ()))
        self.assertEqual(found.paths[0].reordered_features, (Feature.TOP_SURFACE,))
        self.assertIn(
            "the same lines are laid in another order in layer 2 (top surface)", found.paths[0].sentence
        )
        self.assertIn("paths-differ", codes(found))
        self.assertEqual([len(breaks) for breaks in found.breaks], [0, 1])
        (seam,) = found.breaks[1]
        # Thirty lines of 20 mm lie between the two that meet in the middle, travel included.
        self.assertEqual((seam.layer, seam.lines), (1, 1))
        self.assertAlmostEqual(seam.length_mm, 20, delta=1)
        self.assertAlmostEqual(seam.longest_s, 30 * 20 / 50, delta=4)
        np.testing.assert_allclose(seam.places[:, 1], 30 * 0.4, atol=0.5)
        self.assertIn("grade that face", " ".join(found.sentences))
        self.assertEqual(len(breaks_in(other.sliced, 1)), len(seam.places))
        self.assertEqual(len(breaks_in(plain.sliced, 1)), 0)

    def test_several_layers_are_counted(self):
        ours, theirs = (self.raster(order, 3) for order in (range(9), [1, 0, *range(2, 9)]))
        found = match_files([ours, theirs]).paths[0]
        self.assertEqual(found.reordered, (1, 2, 3))
        self.assertIn("in 3 layers, 2 to 4 (top surface)", found.sentence)

    def test_the_next_layer_that_differs(self):
        ours, theirs = (self.raster(order).sliced.path for order in (range(9), [1, 0, *range(2, 9)]))
        self.assertEqual([next_difference(ours, theirs, layer) for layer in (0, 1)], [1, 1])
        self.assertIsNone(next_difference(ours, ours, 0))
        with self.assertRaises(CancelledError):
            next_difference(ours, ours, 0, stopped())

    def test_two_levels_that_are_one_print(self):
        files = [file(str(speed), outer_wall_speed=speed) for speed in (60.0, 30.0, 30.0)]
        declared = parse_declared("outer_wall_speed=60:30:20")
        (effect,) = match_files(files, [declared]).effects
        self.assertFalse(effect.took)
        self.assertIn("these are the same print", effect.sentence)
        self.assertIn("drop one", effect.remedy)
        floor = [files[1], dataclasses.replace(files[2], sha256="another")]
        both = match_files(floor, [parse_declared("outer_wall_speed=30:20")])
        self.assertIn("drop one", both.threats[0].remedy)
