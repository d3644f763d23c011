"""The twin check on generated files whose differences are known."""

import dataclasses
import json
import unittest

import numpy as np

from oddtwin.core.job import CancelledError
from oddtwin.core.toolpath.gcode import Feature, read_gcode
from oddtwin.core.toolpath.match import (
    MatchFile,
    SettingsError,
    as_json,
    check_settings,
    layer_differences,
    match_files,
    parse_declared,
    parted_points,
    read_settings,
)
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
            (found.same, found.sentence), (2, "5 settings differ; 1 was declared; 1 can move this result.")
        )

    def test_support_settings_count_where_there_are_supports(self):
        found = check_settings(
            [{"support_angle": "40"}, {"support_angle": "50"}], (), frozenset({Feature.SUPPORT})
        )
        self.assertEqual(len(found.undeclared), 1)

    def test_whatever_differs_belongs_to_a_declared_pack(self):
        tables = [{"walls": "2", "fan": "50", "notes": "a"}, {"walls": "3", "fan": "80", "notes": "b"}]
        found = check_settings(tables, [parse_declared("profile=stock:tuned")])
        self.assertEqual(found.sentence, "3 settings differ; 2 were declared; 0 can move this result.")
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
