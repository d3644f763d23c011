"""Reading G-code: the fast scanner against the reference parser, and moves against known truth."""

import math
import random
import unittest
from unittest import mock

import numpy as np

from oddtwin.core.job import CancelledError
from oddtwin.core.toolpath.gcode import (
    FEATURES,
    Feature,
    GcodeError,
    StopKind,
    errors,
    parse_line,
    read_gcode,
)
from oddtwin.core.toolpath.gcode.scan import COLUMNS, NONE, REPEATED, scan
from oddtwin.core.toolpath.gcode.vocabulary import read_comment
from oddtwin.core.toolpath.sliced import analyse
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from tests.builders import stopped


def read(text, pieces=1):
    raw = text.encode()
    step = max(1, -(-len(raw) // pieces))
    return read_gcode([raw[at : at + step] for at in range(0, len(raw), step)])


def words(text):
    (command,) = parse_line(text.encode()).commands
    return command.name, command.words


class Syntax(unittest.TestCase):
    """What one line says, as fused-filament firmware reads RS-274 (common practice, no source)."""

    def test_spellings_of_one_move(self):
        for text in (
            "G1 X10 Y-2.5 E.03",
            "g1x10y-2.5e.03",
            "G01 X 10 Y -2.5 E +.03",
            "N12 G1 X10. Y-2.5 E0.03*71",
            "\tG1  X10(to the right) Y-2.5 E0.03 ; and on",
            "G1 X10 Y-2.5 E3e-2",
            "G1.0 X1e1 Y-2.5 E0.03\r",
        ):
            with self.subTest(text):
                self.assertEqual(words(text), ("G1", {"X": 10.0, "Y": -2.5, "E": 0.03}))

    def test_an_e_is_an_axis_where_it_can_be(self):
        self.assertEqual(words("G1 X10E-5")[1], {"X": 10.0, "E": -5.0})
        self.assertEqual(words("G1 X1 E1E-5")[1], {"X": 1.0, "E": 1e-5})

    def test_the_last_of_two_equal_words_counts(self):
        self.assertEqual(words("G1 X1 X2")[1], {"X": 2.0})

    def test_what_is_no_word_makes_a_move_unreadable_but_not_a_message(self):
        for text in ("G1 X1.2.3", "G1 X1 #", "G1 X", "G1 X1 5", "G1 X--1", "G1 X1e999", "10 X"):
            self.assertFalse(parse_line(text.encode()).readable, text)
        self.assertEqual(words("M117 layer 3/7: 50%"), ("M117", {}))
        self.assertEqual(words("FAN_CURVE POWER=0.5"), ("FAN_CURVE", {}))

    def test_a_block_may_hold_several_commands(self):
        names = [command.name for command in parse_line(b"G90 G1 X5 M106 S9").commands]
        self.assertEqual(names, ["G90", "G1", "M106"])


class FastIsReference(unittest.TestCase):
    def odd_line(self, dice):
        def number():
            return dice.choice(
                [
                    f"{dice.uniform(-300, 300):.{dice.randint(0, 6)}f}",
                    str(dice.randint(-5, 1000)),
                    f".{dice.randint(0, 99999)}",
                    f"{dice.randint(0, 99)}.",
                    dice.choice(
                        ["", "-", "1-2", "1.2.3", "1e5", "1E-3", "123456789.5", "0.123456789012345", "00012"]
                    ),
                ]
            )

        parts = [
            dice.choice(
                ["G1"] * 9 + ["G0", "G2", "g1", "G01", "G28", "G92", "M104", "", "T0", "G-1", "N7 G1"]
            )
        ]
        for _ in range(dice.randint(0, 5)):
            parts.append(dice.choice("XYZEFIJRSXYEXYExyzefnGMT") + number())
        text = dice.choice([" "] * 5 + ["", "  ", "\t"]).join(parts)
        text += dice.choice([""] * 6 + [" ; c1.5", "*55", " (a 1)", " (q;w) X1", " (q", "#", " 5"])
        return text.lower() if dice.random() < 0.1 else text

    def test_sixteen_digits_are_rounded_as_by_the_reference(self):
        dice = random.Random(9)
        texts = [f"{dice.randint(10**7, 10**8)}.{dice.randint(10**7, 10**8)}"[:17] for _ in range(400)]
        block = scan("".join(f"G1 F{text}\n" for text in texts).encode())
        others = dict(block.others)
        values = [
            parse_line(others[row]).commands[0].words["F"] if row in others else block.values[4, row]
            for row in range(len(texts))
        ]
        self.assertEqual(values, [float(text) for text in texts])

    def test_line_by_line(self):
        dice = random.Random(4)
        seen = 0
        for _ in range(6):
            lines = [self.odd_line(dice).encode() for _ in range(1000)]
            block = scan(b"\n".join(lines) + b"\n")
            others = dict(block.others)
            for row, line in enumerate(lines):
                if block.motion[row] == NONE:
                    self.assertEqual(others.get(row, b""), line)
                    continue
                seen += 1
                parsed = parse_line(line)
                self.assertTrue(parsed.readable, line)
                (command,) = parsed.commands
                self.assertEqual(
                    command.name, "" if block.motion[row] == REPEATED else f"G{block.motion[row]}"
                )
                for column, letter in enumerate(COLUMNS):
                    np.testing.assert_equal(
                        block.values[column, row], command.words.get(letter, math.nan), str(line)
                    )
        self.assertGreater(seen, 1000)

    def test_a_file_gives_the_same_moves_in_every_style_and_in_pieces(self):
        text = slice_solid(Solid(height=1.0), Recipe()).text
        plain = read(text)
        lines = text.splitlines()
        code = [line if line.startswith(";") else None for line in lines]
        styles = {
            "checksums": [
                line if note else f"N{k} {line}*{k % 256}"
                for k, (line, note) in enumerate(zip(lines, code, strict=True))
            ],
            "no spaces": [note or line.replace(" ", "") for line, note in zip(lines, code, strict=True)],
            "lower case": [note or line.lower() for line, note in zip(lines, code, strict=True)],
            "parentheses": [note or f"{line} (so)" for line, note in zip(lines, code, strict=True)],
        }
        for style, changed in styles.items():
            for newline in ("\n", "\r\n", "\r"):
                with self.subTest(style, newline=newline):
                    found = read(newline.join(changed) + newline, pieces=7)
                    for name in ("x", "y", "z", "e", "length", "feed", "layer_start"):
                        np.testing.assert_array_equal(getattr(found, name), getattr(plain, name), name)


class Coordinates(unittest.TestCase):
    """Modes and offsets of NISTIR 6556 (Kramer, Proctor, Messina, 2000), from memory."""

    def ends(self, text):
        path = read("M83\n" + text + "\nG1 X1 E1\n")
        return list(zip(path.x.tolist(), path.y.tolist(), path.z.tolist(), strict=True))

    def test_relative_steps_add_up(self):
        self.assertEqual(
            self.ends("G1 X5 Y5 E1\nG91\nG1 X2\nG1 Y-1 Z1\nG90")[:3], [(5, 5, 0), (7, 5, 0), (7, 4, 1)]
        )

    def test_g92_renames_a_place_without_moving(self):
        self.assertEqual(self.ends("G1 X5 Y5 E1\nG92 X0\nG1 X3\nG92\nG1 X1 Y1")[1:3], [(8, 5, 0), (9, 6, 0)])

    def test_modes_hold_from_one_block_of_the_file_to_the_next(self):
        """A file is read in blocks of half a megabyte; what was said in the first holds in the last."""
        filler = "; nothing is said here that moves anything, and it goes on for a long while\n" * 8000
        path = read(f"G20\nG91\nM83\nG1 X1 E1 F60\n{filler}Y2 E1\nY1\n", pieces=3)
        self.assertGreater(path.size, 1 << 19)
        np.testing.assert_allclose((path.x[-1], path.y[-1]), (25.4, 76.2))
        np.testing.assert_allclose(path.e, (25.4, 25.4, 0.0))
        np.testing.assert_allclose(path.feed, (25.4,) * 3)
        # An arc goes on being an arc where a later block only names where it ends.
        arcs = read(f"M83\nG1 X10 E1\nG2 X20 Y10 I10 J0 E1\n{filler}X30 Y20 I10 J0 E1\n", pieces=3)
        quarter = arcs.length[arcs.line == arcs.line[-1]]
        self.assertGreater(len(quarter), 5)

    def test_inches_and_repeated_motion(self):
        self.assertEqual(
            self.ends("G20\nG1 X1 E1\nY2\nG21\nX0")[:3], [(25.4, 0, 0), (25.4, 50.8, 0), (0, 50.8, 0)]
        )

    def test_homing_goes_to_zero_without_a_path(self):
        path = read("M83\nG1 X5 Y5 Z2 E1 F600\nG28 X\nG1 Y6 E1\n")
        self.assertEqual(path.length.tolist(), [math.sqrt(54), 0.0, 1.0])
        self.assertEqual(path.x.tolist(), [5.0, 0.0, 0.0])

    def test_filament_absolute_relative_and_reset(self):
        path = read(
            "M82\nG92 E0\nG1 X1 E1\nG1 X2 E1.5\nG92 E0\nG1 X3 E.5\nM83\nG1 X4 E.25\nM221 S200\nG1 X5 E1\n"
        )
        self.assertEqual(path.e.tolist(), [1.0, 0.5, 0.5, 0.25, 2.0])

    def test_g91_steps_filament_too_unless_m82_was_said(self):
        self.assertEqual(read("G91\nG1 X1 E1\nG1 X1 E1\n").e.tolist(), [1.0, 1.0])
        self.assertEqual(read("M82\nG91\nG1 X1 E1\nG1 X1 E1.5\n").e.tolist(), [1.0, 0.5])

    def test_retraction_by_the_firmware_takes_m207s_length(self):
        path = read("M83\nM207 S1.5 F2400\nG1 X1 E1\nG10\nG0 X9\nG11\nG1 X10 E1\n")
        self.assertEqual(path.e.tolist(), [1.0, -1.5, 0.0, 1.5, 1.0])

    def test_what_is_given_back_more_and_at_its_own_speed(self):
        for command, more, back in (
            ("M207 S1.5 F2400", 0.0, 40.0), ("M207 S1.5 F2400 R.2", 0.2, 40.0),
            ("M207 S1.5 F2400 T1200", 0.0, 20.0), ("M207 S1.5 F2400\nM208 S.3 F600", 0.3, 10.0),
            ("M207 S1.5 F2400\nM207 S-1 F0\nM208 F-5", 0.0, 40.0),
        ):  # fmt: skip
            with self.subTest(command):
                path = read(f"M83\n{command}\nG1 X1 E1 F3000\nG10\nG10\nG0 X9\nG11\nG1 X10 E1\n")
                np.testing.assert_allclose(path.e, [1.0, -1.5, 0.0, 1.5 + more, 1.0])
                np.testing.assert_allclose(path.feed[[1, 3]], [40.0, back])

    def test_filament_given_as_volume_is_turned_into_length(self):
        area = math.pi / 4 * 1.75**2
        path = read("M83\nM200 D1.75\nG1 X1 E1\nM221 S50\nG1 X2 E1\nM200 D0\nG1 X3 E1\n")
        np.testing.assert_allclose(path.e, [1 / area, 0.5 / area, 0.5])

    def test_stops_and_state(self):
        path = read(
            "M83\nM109 S215\nG4 P1500\nG1 X1 E1\nT1\nM106 S127.5\nM204 S500\nM205 J.02\nG4 S2\nG1 X2 E1\n"
        )
        self.assertEqual(
            [stop.kind for stop in path.stops], [StopKind.HEAT, StopKind.DWELL, StopKind.TOOL, StopKind.DWELL]
        )
        self.assertEqual(sum(stop.seconds for stop in path.stops), 3.5)
        last = path.states[path.state[-1]]
        self.assertEqual((last.tool, last.fan, last.print_acceleration), (1, 0.5, 500.0))
        self.assertEqual((last.junction_deviation, last.nozzle_c), (0.02, 215.0))


class Arcs(unittest.TestCase):
    """G2 and G3 as in NISTIR 6556, 3.5.3 (from memory); lengths are those of circle and helix."""

    def length(self, text):
        path = read("M83\n" + text + "\n")
        return float(path.length.sum()), path

    def test_quarter_full_circle_and_helix(self):
        for text, expected in (
            ("G1 X10 Y0\nG3 X0 Y10 I-10 J0 E1", 10 + 5 * math.pi),
            ("G1 X10 Y0\nG2 X0 Y10 I-10 J0 E1", 10 + 15 * math.pi),
            ("G1 X10\nG2 I-10 E1", 10 + 20 * math.pi),
            ("G1 X10\nG3 X10 Y0 Z4 I-10 E1", 10 + math.hypot(20 * math.pi, 4)),
            ("G1 X10\nG3 X0 Y10 R10 E1", 10 + 5 * math.pi),
            ("G1 X10\nG3 X0 Y10 R-10 E1", 10 + 15 * math.pi),
        ):
            with self.subTest(text):
                length, path = self.length(text)
                self.assertAlmostEqual(length, expected, 9)
                self.assertAlmostEqual(path.e.sum(), 1.0, 12)

    def test_every_chord_lies_on_the_circle(self):
        _, path = self.length("G1 X10\nG3 X10 Y0 I-10 E1")
        np.testing.assert_allclose(np.hypot(path.x, path.y), 10, rtol=1e-12)

    def test_a_radius_too_small_for_its_chord_becomes_half_a_circle(self):
        self.assertAlmostEqual(self.length("G3 X10 Y0 R1 E1")[0], 5 * math.pi, 9)


class Comments(unittest.TestCase):
    def test_spellings_of_features_and_layers(self):
        for text in (
            "TYPE:External perimeter",
            " FEATURE: Outer wall",
            "type:WALL-OUTER",
            " feature outer perimeter",
        ):
            self.assertIs(read_comment(text).feature, Feature.OUTER_WALL, text)
        for text in (
            "LAYER:12",
            "LAYER_CHANGE",
            " layer 3, z = 0.8",
            " CHANGE_LAYER",
            "layer num/total_layer_count: 2/9",
        ):
            self.assertTrue(read_comment(text).layer, text)
        self.assertEqual(read_comment(" layer_height = 0.2 ").setting, ("layer_height", "0.2"))
        self.assertEqual(read_comment(" printing object lid id:0 copy 0").object, "lid id:0 copy 0")
        self.assertIs(read_comment("TYPE:Lattice").feature, Feature.OTHER)

    def test_pictures_are_passed_over(self):
        path = read(
            "; thumbnail begin 16x16 99\n; layer 1\n; speed = 9\n; thumbnail end\n; layer 1\nM83\nG1 X9 E1\n"
        )
        self.assertEqual(dict(path.settings), {})

    def test_layers_by_marks_and_by_height(self):
        sliced = slice_solid(Solid(height=2.0), Recipe())
        self.assertEqual(read(sliced.text).layers, 10)
        bare = "\n".join(line for line in sliced.text.splitlines() if not line.startswith(";")) + "\n"
        by_height = read(bare)
        self.assertEqual(by_height.layers, 10)
        np.testing.assert_allclose(by_height.layer_z, np.arange(1, 11) * 0.2)


class KnownTruth(unittest.TestCase):
    def test_every_figure_of_generated_pieces(self):
        for solid in (
            Solid(height=2),
            Solid(round=True, height=1),
            Solid(span_mm=15, height=4),
            Solid(colours=3, copies=2, band_layers=2, height=2),
        ):
            with self.subTest(solid):
                truth = slice_solid(solid, Recipe())
                path = read(truth.text, pieces=5)
                found = analyse(path)
                features = found.by_feature()
                for feature, millimetres in truth.path_mm.items():
                    self.assertAlmostEqual(features[feature].path_mm, millimetres, 1)
                for feature, millimetres in truth.filament_mm.items():
                    self.assertAlmostEqual(features[feature].filament_mm, millimetres, 6)
                self.assertEqual(path.layers, truth.layers)
                self.assertEqual(found.retractions, truth.retractions)
                self.assertEqual(found.tool_changes, truth.tool_changes)
                climbed = path.z.max()
                self.assertAlmostEqual(found.total.travel_mm - climbed, truth.travel_mm, 1)
                self.assertEqual(path.settings["walls"], "2")
                self.assertFalse(path.notes)

    def test_mass_is_that_of_the_cylinder(self):
        # 1 m of 1.75 mm at 1.24 g/cm³ is about 2.98 g: common practice, no source.
        found = analyse(read("M83\nG1 X100 E1000\n"))
        self.assertAlmostEqual(found.mass_g, math.pi / 4 * 1.75**2 * 1000 * 1.24 / 1000, 9)
        self.assertAlmostEqual(found.mass_g, 2.98, 2)


class HostileFiles(unittest.TestCase):
    def refused(self, chunks):
        with self.assertRaises(GcodeError) as caught:
            read_gcode(chunks)
        return str(caught.exception)

    def test_each_says_what_and_where(self):
        self.assertIn("binary", self.refused([b"G1 X1\n", b"\x00\x01"]))
        self.assertIn("longer than a million", self.refused(b"G" * 60_000 for _ in range(10**6)))
        self.assertIn("line 2", self.refused([b"M83\nG1 X99999999 E1\n"]))
        self.assertIn("nothing is printed", self.refused([b"G0 X1\n"]))
        self.assertIn("nothing is printed", self.refused([]))
        self.assertIn("is not G-code", self.refused([b"5 > 4, dear reader.\n" * 500]))

    def test_a_few_lines_that_ask_for_millions_of_moves_are_refused(self):
        turns = "G17\nG2 X0 Y0 I900 J0 P1000 E1\n"
        with self.assertRaisesRegex(GcodeError, "more than 30 million moves"):
            read_gcode([("M83\n" + 60 * turns).encode()])
        # However few of them come at once.
        with (
            mock.patch.object(errors, "MOST_MOVES", 5000),
            self.assertRaisesRegex(GcodeError, "slice the piece again"),
        ):
            read_gcode([b"M83\n", *(600 * [b"G1 X9 E1\nG1 X5 E1\nG2 X5 Y0 I3 E1\n"])])

    def test_nan_infinity_and_numbers_beyond_any_are_left_out_and_said(self):
        path = read("M83\nG1 X1 E1\nG1 Xnan E1\nG1 X2 E1e999\nG1 X2 E1e308\nG1 X3 E1\n")
        self.assertEqual(path.x.tolist(), [1.0, 3.0])
        self.assertIn("3 lines cannot be read", path.doubts[0])

    def test_a_file_without_an_end_is_read_and_noted(self):
        self.assertIn("cut off", read("M83\nG1 X1 E1\nG1 X2 E").doubts[-1])
        self.assertIn("cut off", read("M83\nG1 X1 E1\nG1 X2").doubts[-1])
        # Some files end without a newline; only a broken move is suspicious.
        self.assertEqual(read("M83\nG1 X1 E1\n; end").doubts, ())

    def test_unknown_codes_are_counted(self):
        path = read("M83\nM999\nG1 X1 E1\nM999\nG5 X9\n")
        self.assertEqual(path.unknown, {"M999": 2})

    def test_cancelled_between_blocks(self):
        with self.assertRaises(CancelledError):
            read_gcode([b"G1 X1 E1\n"] * 3, job=stopped())

    def test_every_feature_has_its_place(self):
        self.assertEqual(len(set(FEATURES)), len(FEATURES))
