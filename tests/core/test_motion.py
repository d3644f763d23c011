"""Planning against closed forms (uniform acceleration, any textbook of mechanics) and a plain loop."""

import dataclasses
import math
import random
import unittest

import numpy as np

from oddtwin.core.toolpath.gcode import Flag, read_gcode
from oddtwin.core.toolpath.motion import (
    Limits,
    LimitsError,
    corner_speeds,
    limits_as_json,
    limits_from,
    plan_motion,
)
from oddtwin.core.toolpath.motion.lookahead import _by_blocks

CALM = Limits(acceleration=1000, jerk=(8, 8, 0.4, 5))


def moves(text):
    return read_gcode([("M83\nG1 Z0.001 E.001 F6000\nG4 P0\n" + text + "\n").encode()])


def seconds(text, limits=CALM):
    """Seconds of some moves that begin and end at rest."""
    return float(plan_motion(moves(text), limits).time[1:].sum())


def trapezoid(length, speed, acceleration, first=0.0, last=0.0):
    peak = min(speed, math.sqrt((first**2 + last**2) / 2 + acceleration * length))
    ramps = (2 * peak**2 - first**2 - last**2) / (2 * acceleration)
    return (2 * peak - first - last) / acceleration + (length - ramps) / peak


class ClosedForms(unittest.TestCase):
    def test_trapezoid_triangle_and_their_border(self):
        for length in (100, 5, 10, 0.01):
            self.assertAlmostEqual(seconds(f"G1 X{length} E1 F6000"), trapezoid(length, 100, 1000), 9)

    def test_pieces_of_a_straight_line_take_no_longer(self):
        for pieces in (2, 500):
            text = "\n".join(f"G1 X{100 * (k + 1) / pieces:.6f} E1 F6000" for k in range(pieces))
            self.assertAlmostEqual(seconds(text), trapezoid(100, 100, 1000), 9)

    def test_a_slower_piece_is_braked_for(self):
        expected = trapezoid(50, 100, 1000, 0, 20) + trapezoid(50, 20, 1000, 20, 0)
        self.assertAlmostEqual(seconds("G1 X50 E1 F6000\nG1 X100 E1 F1200"), expected, 9)

    def test_right_angle_by_jerk(self):
        expected = trapezoid(50, 100, 1000, 0, 8) + trapezoid(50, 100, 1000, 8, 0)
        self.assertAlmostEqual(seconds("G1 X50 E1 F6000\nG1 Y50 E1"), expected, 9)

    def test_reversal_by_jerk_halves_it(self):
        expected = trapezoid(50, 100, 1000, 0, 4) + trapezoid(50, 100, 1000, 4, 0)
        self.assertAlmostEqual(seconds("G1 X50 E1 F6000\nG1 X0 E1"), expected, 9)

    def test_right_angle_and_reversal_by_junction_deviation(self):
        limits = dataclasses.replace(CALM, junction_deviation=0.02)
        half = math.sqrt(0.5)
        corner = math.sqrt(1000 * 0.02 * half / (1 - half))
        expected = trapezoid(50, 100, 1000, 0, corner) + trapezoid(50, 100, 1000, corner, 0)
        self.assertAlmostEqual(seconds("G1 X50 E1 F6000\nG1 Y50 E1", limits), expected, 9)
        back = 2 * trapezoid(50, 100, 1000)
        self.assertAlmostEqual(seconds("G1 X50 E1 F6000\nG1 X0 E1", limits), back, 9)

    def test_nearly_straight_by_junction_deviation_keeps_its_digits(self):
        limits = dataclasses.replace(CALM, junction_deviation=0.02)
        straight = seconds("G1 X50 E1 F6000\nG1 X100 E1", limits)
        self.assertAlmostEqual(seconds("G1 X50 E1 F6000\nG1 X100 Y0.000001 E1", limits), straight, 9)

    def test_limits_of_axes(self):
        limits = dataclasses.replace(
            CALM, max_speed=(500, 500, 10, 40), max_acceleration=(500, 9000, 100, 2000)
        )
        self.assertAlmostEqual(seconds("G1 Z30.001 F6000", limits), trapezoid(30, 10, 100), 9)
        self.assertAlmostEqual(seconds("G1 X100 E1 F6000", limits), trapezoid(100, 100, 500), 9)
        self.assertAlmostEqual(seconds("G1 E30 F6000", limits), trapezoid(30, 40, 1000), 9)

    def test_the_file_speaks_louder_than_the_machine(self):
        self.assertAlmostEqual(seconds("M204 P400\nG1 X100 E1 F6000"), trapezoid(100, 100, 400), 9)
        self.assertAlmostEqual(seconds("M203 X20\nG1 X100 E1 F6000"), trapezoid(100, 20, 1000), 9)
        self.assertAlmostEqual(seconds("M220 S50\nG1 X100 E1 F6000"), trapezoid(100, 50, 1000), 9)

    def test_acceleration_may_change_between_moves(self):
        # The second move can brake from √(2·400·1) at its start at most.
        corner = math.sqrt(2 * 400 * 1)
        expected = trapezoid(50, 100, 1000, 0, corner) + trapezoid(1, 100, 400, corner, 0)
        self.assertAlmostEqual(seconds("G1 X50 E1 F6000\nM204 P400\nG1 X51 E1"), expected, 9)

    def test_a_circle_is_held_by_its_radius(self):
        # v² = a·r: 1000 mm/s² on 10 mm allows 100 mm/s, on 2.5 mm 50 mm/s.
        for radius, speed in ((2.5, 50.0), (10.0, 100.0)):
            path = moves(f"G1 X{radius} F600\nG3 I-{radius} E1 F12000")
            plan = plan_motion(path, CALM)
            self.assertAlmostEqual(plan.peak[path.flag & Flag.ARC > 0].max() / speed, 1, 6)

    def test_the_first_chord_of_a_file_is_held_too(self):
        path = read_gcode([b"M83\nG2 I2.5 J0 E1 F12000\nG1 X50 E1\n"])
        wanted = plan_motion(path, CALM).wanted
        np.testing.assert_allclose(wanted[path.flag & Flag.ARC > 0], 50.0, rtol=1e-3)

    def test_a_stop_begins_from_rest(self):
        self.assertAlmostEqual(seconds("G1 X50 E1 F6000\nG4 S9\nG1 X100 E1"), 2 * trapezoid(50, 100, 1000), 9)


class Properties(unittest.TestCase):
    def scribble(self, dice, count=400, step=3.0):
        lines, x, y = [], 0.0, 0.0
        for _ in range(count):
            x, y = x + dice.uniform(-step, step), y + dice.uniform(-step, step)
            lines.append(
                f"G1 X{x:.4f} Y{y:.4f} E{dice.choice([0.1, 0.0])} F{dice.choice([1200, 6000, 12000])}"
            )
        return "\n".join(lines)

    def test_time_falls_when_a_limit_rises(self):
        text = self.scribble(random.Random(1))
        usual = seconds(text)
        for change in (
            {"acceleration": 2000},
            {"jerk": (16, 16, 1, 9)},
            {"junction_deviation": 1.0},
        ):
            self.assertLess(seconds(text, dataclasses.replace(CALM, **change)), usual)
        bounded = dataclasses.replace(CALM, max_speed=(50,) * 4)
        self.assertGreater(seconds(text, bounded), usual)

    def test_no_speed_or_ramp_is_ever_exceeded(self):
        plan = plan_motion(moves(self.scribble(random.Random(2))), CALM)
        self.assertTrue((plan.peak <= plan.wanted * (1 + 1e-6)).all())
        self.assertTrue((plan.time > 0).all())

    def test_splitting_moves_changes_no_total(self):
        dice = random.Random(3)
        whole, split, at = [], [], (0.0, 0.0)
        for _ in range(100):
            to = (dice.uniform(0, 99), dice.uniform(0, 99))
            middle = tuple((a + b) / 2 for a, b in zip(at, to, strict=True))
            whole.append(f"G1 X{to[0]!r} Y{to[1]!r} E1 F6000")
            split += [f"G1 X{p[0]!r} Y{p[1]!r} E.5 F6000" for p in (middle, to)]
            at = to
        self.assertAlmostEqual(seconds("\n".join(split)) / seconds("\n".join(whole)), 1, 9)

    def loop(self, corner, room):
        speed = corner.tolist()
        for k in range(len(room)):
            speed[k + 1] = min(speed[k + 1], speed[k] + room[k])
        for k in range(len(room) - 1, -1, -1):
            speed[k] = min(speed[k], speed[k + 1] + room[k])
        return np.array(speed)

    def test_look_ahead_equals_a_plain_loop(self):
        rng = np.random.default_rng(5)
        for name, corner, room in (
            ("ordinary", rng.exponential(900, 3001), rng.exponential(900, 3000)),
            ("long ramp", np.full(5001, 1e4), np.full(5000, 0.01)),
            ("two scales", rng.exponential(1e6, 2001), rng.choice([1e-9, 1e3], 2000)),
            ("one move", np.array([9.0, 9.0]), np.array([1.0])),
        ):
            with self.subTest(name):
                corner[0] = corner[-1] = 0.0
                expected = self.loop(corner, room)
                np.testing.assert_allclose(
                    corner_speeds(corner.copy(), room), expected, rtol=1e-9, atol=1e-12
                )
                composed = corner.copy()
                _by_blocks(composed, room)
                _by_blocks(composed[::-1], room[::-1])
                np.testing.assert_allclose(composed, expected, rtol=1e-9, atol=1e-9)


class MachineFile(unittest.TestCase):
    def test_there_and_back(self):
        limits = Limits(
            acceleration=3000, max_speed=(300, 300, 12, 60), junction_deviation=0.01, overhead_s=300
        )
        self.assertEqual(limits_from(limits_as_json(limits)), limits)
        self.assertEqual(limits_from({"overhead_min": 5}).overhead_s, 300)
        self.assertEqual(limits_from({"jerk": 9}).jerk, (9, 9, 9, 9))

    def test_what_cannot_be_is_said(self):
        for data, word in (
            ({"speed": 1}, "no such limit"),
            ({"acceleration": "fast"}, "not a number"),
            ({"acceleration": -1}, "above zero"),
            ({"jerk": {"w": 1}}, "no axis"),
            ({"overhead_min": -1}, "zero or more"),
            ({"acceleration": math.nan}, "not a number"),
        ):
            with self.assertRaisesRegex(LimitsError, word):
                limits_from(data)
