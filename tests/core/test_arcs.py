"""Arcs against the circle itself: centre and radius formats of NISTIR 6556, 3.5.3 (from memory)."""

import math
import random
import unittest

import numpy as np

from oddtwin.core.toolpath.gcode import Flag, read_gcode
from oddtwin.core.toolpath.gcode.arcs import CHORD_MM, WIDEST, cut


def path_of(text):
    return read_gcode([("M83\n" + text + "\n").encode()])


def arc(start, end, centre, clockwise):
    """Length of an arc in the plane by its angle."""
    a = math.atan2(start[1] - centre[1], start[0] - centre[0])
    b = math.atan2(end[1] - centre[1], end[0] - centre[0])
    turn = (a - b if clockwise else b - a) % (2 * math.pi)
    return math.dist(start, centre) * (turn or 2 * math.pi)


class RandomArcs(unittest.TestCase):
    def setUp(self):
        self.dice = random.Random(6)

    def random_arc(self):
        centre = (self.dice.uniform(-50, 50), self.dice.uniform(-50, 50))
        radius = self.dice.uniform(0.5, 80)
        a, b = self.dice.uniform(0, 2 * math.pi), self.dice.uniform(0, 2 * math.pi)
        start = (centre[0] + radius * math.cos(a), centre[1] + radius * math.sin(a))
        end = (centre[0] + radius * math.cos(b), centre[1] + radius * math.sin(b))
        return start, end, centre, radius, self.dice.random() < 0.5

    def test_by_centre(self):
        for _ in range(60):
            start, end, centre, radius, clockwise = self.random_arc()
            text = (
                f"G1 X{start[0]!r} Y{start[1]!r}\nG{2 if clockwise else 3} X{end[0]!r} Y{end[1]!r} "
                f"I{centre[0] - start[0]!r} J{centre[1] - start[1]!r} E1"
            )
            path = path_of(text)
            inside = (path.flag & Flag.ARC) > 0
            self.assertAlmostEqual(path.length[inside].sum(), arc(start, end, centre, clockwise), 6)
            away = np.hypot(path.x[inside] - centre[0], path.y[inside] - centre[1])
            np.testing.assert_allclose(away, radius, rtol=1e-9)
            self.assertAlmostEqual(path.x[-1], end[0], 9)
            self.assertAlmostEqual(path.y[-1], end[1], 9)

    def test_by_radius_the_sign_chooses_the_shorter_or_the_longer_way(self):
        for _ in range(60):
            start, end, centre, radius, clockwise = self.random_arc()
            whole = arc(start, end, centre, clockwise)
            short = whole <= math.pi * radius
            text = (
                f"G1 X{start[0]!r} Y{start[1]!r}\nG{2 if clockwise else 3} X{end[0]!r} Y{end[1]!r} "
                f"R{radius if short else -radius!r} E1"
            )
            path = path_of(text)
            inside = (path.flag & Flag.ARC) > 0
            self.assertAlmostEqual(path.length[inside].sum() / whole, 1, 5)
            away = np.hypot(path.x[inside] - centre[0], path.y[inside] - centre[1])
            np.testing.assert_allclose(away, radius, rtol=1e-5)

    def test_a_helix_climbs_evenly_and_has_its_length(self):
        for turns, rise in ((1, 2.0), (0.25, 5.0), (0.5, -1.0)):
            angle = 2 * math.pi * turns
            end = (10 * math.cos(angle), 10 * math.sin(angle))
            path = path_of(f"G1 X10 Y0 Z5\nG3 X{end[0]:.9f} Y{end[1]:.9f} Z{5 + rise} I-10 J0 E1")
            inside = np.flatnonzero(path.flag & Flag.ARC)
            self.assertAlmostEqual(path.length[inside].sum(), math.hypot(10 * angle, rise), 6)
            steps = np.diff(np.concatenate(([5.0], path.z[inside])))
            np.testing.assert_allclose(steps, rise / len(inside), rtol=1e-9)


class Chords(unittest.TestCase):
    def cut(self, radius, sweep=math.pi):
        start = np.array([[radius], [0.0], [0.0]])
        end = np.array([[radius * math.cos(sweep)], [radius * math.sin(sweep)], [0.0]])
        return cut(start, end, np.array([[-radius], [0.0]]), np.array([np.nan]), np.array([False]))

    def test_chords_keep_to_their_arc(self):
        for radius in (0.1, 1.0, 30.0, 500.0):
            chords = self.cut(radius)
            angle = math.pi / int(chords.count[0])
            self.assertLessEqual(radius * (1 - math.cos(angle / 2)), CHORD_MM * 1.0001)
            self.assertLessEqual(angle, WIDEST * 1.0001)
            self.assertAlmostEqual(chords.share.sum(), 1.0)
            self.assertAlmostEqual(chords.length.sum(), math.pi * radius, 9)

    def test_an_end_off_the_circle_is_reached_all_the_same(self):
        path = path_of("G1 X10 Y0\nG3 X0 Y10.2 I-10 J0 E1")
        self.assertEqual((path.x[-1], path.y[-1]), (0.0, 10.2))

    def test_no_centre_and_no_radius_is_a_straight_line(self):
        path = path_of("G1 X1 Y0\nG2 X5 Y3 E1")
        self.assertAlmostEqual(path.length[-1], 5.0)

    def test_only_inner_chords_are_smooth(self):
        path = path_of("G1 X10\nG3 X0 Y10 I-10 J0 E1\nG1 X-5 E1")
        smooth = (path.flag & Flag.SMOOTH) > 0
        arcs = (path.flag & Flag.ARC) > 0
        self.assertFalse(smooth[0] or smooth[-1])
        self.assertFalse(smooth[np.flatnonzero(arcs)[0]])
        self.assertTrue(smooth[np.flatnonzero(arcs)[1:]].all())

    def test_relative_arcs_and_inches(self):
        path = path_of("G20\nG91\nG1 X1\nG3 X-1 Y1 I-1 J0 E1")
        self.assertAlmostEqual(path.length.sum(), 25.4 * (1 + math.pi / 2), 9)
        self.assertAlmostEqual(path.y[-1], 25.4)
