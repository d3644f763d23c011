"""The onset of an overhang from the droop of its steps, and where figures were found in their regions."""

import json
import math
import unittest

import numpy as np

from oddtwin.core.photo import Asked, RefusedError, Region, StepDroop, StepRegion, What, as_json, measure
from oddtwin.core.photo.onset import onset_of
from oddtwin.core.readings import Bound
from oddtwin.core.render import render
from oddtwin.core.render.faces import Face, onset_truth, render_onset


def steps(droops, u=0.0, first=30.0, by=5.0):
    return [StepDroop(first + by * number, mm, u) for number, mm in enumerate(droops)]


def boxes(text):
    found = []
    for part in text.split(";"):
        angle, box = part.split(":")
        found.append(StepRegion(float(angle), Region(*map(int, box.split(",")))))
    return tuple(found)


def onset_in(picture, told, scale=20.0, limit=0.3):
    whole = Region(0, 0, picture.shape[1], picture.shape[0])
    return measure(picture, What.ONSET, Asked(whole, scale, steps=told, limit_mm=limit))


class ByHand(unittest.TestCase):
    def test_it_lies_where_the_line_between_two_steps_passes_the_limit(self):
        found = onset_of(steps([0.0, 0.1, 0.2, 0.6, 1.2]), 0.3)
        self.assertAlmostEqual(found.deg, 41.25)
        self.assertEqual(found.between, (40.0, 45.0))
        self.assertIs(found.bound, Bound.EXACT)

    def test_droops_without_doubt_leave_the_triangle_of_the_guide_to_uncertainty(self):
        # GUM 4.3.9 b: a triangle of half width a has the variance a²/6 (from memory).
        found = onset_of(steps([0.0, 0.2, 0.4]), 0.3)
        self.assertAlmostEqual(found.deg, 37.5)
        self.assertAlmostEqual(found.u, 2.5 / math.sqrt(6))

    def test_droops_in_doubt_add_theirs_by_the_slope_between_the_steps(self):
        sure, doubted = (onset_of(steps([0.0, 0.2, 0.4], u), 0.3).u for u in (0.0, 0.02))
        # Half of each of the two: 5° over .2 mm, times .02 mm over the root of two.
        self.assertAlmostEqual(math.sqrt(doubted**2 - sure**2), 25.0 * 0.02 / math.sqrt(2))

    def test_steps_come_in_any_order(self):
        told = steps([0.0, 0.1, 0.2, 0.6, 1.2])
        self.assertEqual(onset_of(told[::-1]), onset_of(told))

    def test_no_step_that_hangs_tells_a_bound_and_so_does_the_first_one(self):
        none, all_hang = onset_of(steps([0.0, 0.1, 0.2])), onset_of(steps([0.5, 0.6]))
        self.assertEqual((none.deg, none.bound), (40.0, Bound.ABOVE))
        self.assertEqual((all_hang.deg, all_hang.bound), (30.0, Bound.BELOW))
        self.assertIsNone(none.ci95)

    def test_the_first_step_that_hangs_counts_and_a_steeper_one_that_does_not_is_told(self):
        # A ruined step must not be averaged away by its neighbours.
        found = onset_of(steps([0.0, 0.7, 0.1, 0.9]), 0.3)
        self.assertEqual(found.between, (30.0, 35.0))
        self.assertEqual(found.again, (40.0,))

    def test_a_step_that_cannot_be_told_widens_what_it_lies_between(self):
        told = [
            *steps([0.0, 0.1]),
            StepDroop(40.0, None, None, refused="there is a hair"),
            StepDroop(45.0, 0.5, 0),
        ]
        self.assertEqual(onset_of(told).between, (35.0, 45.0))

    def test_what_tells_no_onset_is_refused(self):
        rough = [*steps([0.0, 0.1]), StepDroop(40.0, 0.4, 0.2, rough=True)]
        for told, why in (
            (steps([0.4]), "fewer than two"),
            ([StepDroop(30, None, None, refused="too dark"), *steps([0.1], first=40)], "too dark"),
            ([StepDroop(30, 0.1, 0), StepDroop(30, 0.5, 0)], "the same angle"),
            (steps([1.0, 0.5, 0.1]), "from upright"),
            (rough, "larger limit"),
        ):
            with self.assertRaisesRegex(RefusedError, why):
                onset_of(told)


class OnRenderedFaces(unittest.TestCase):
    def test_the_interval_holds_the_angle_that_was_rendered(self):
        rng = np.random.default_rng(5)
        off = []
        for _ in range(40):
            face = Face(
                width_mm=14.0,
                droop_mm=float(rng.uniform(0.8, 2)),
                begin_deg=float(rng.uniform(32, 46)),
                px_per_mm=float(rng.uniform(10, 25)),
            )
            picture, truth = render_onset(face, rng)
            limit = float(rng.uniform(0.2, 0.45))
            found = onset_in(picture, boxes(truth["steps"]), face.px_per_mm, limit)
            angle = onset_truth(face, limit)
            self.assertTrue(found.ci95[0] <= angle <= found.ci95[1], f"{angle}: {found.sentence}")
            off.append(found.value - angle)
        # The droop of real steps bends, and a straight line between two of them is a little early.
        self.assertLess(abs(float(np.mean(off))), 0.3)
        self.assertLess(float(np.abs(off).max()), 1.0)

    def test_every_step_has_its_droop_in_detail_and_sentence(self):
        picture, truth = render("onset", 3, {"droop_mm": "1.2"})
        found = onset_in(picture, boxes(truth["steps"]))
        seen = [step["mm"] for step in found.detail["steps"]]
        np.testing.assert_allclose(seen, truth["droops_mm"], atol=0.03)
        self.assertIn("45° 0.15", found.sentence)
        # A line for the edge and one for what it hangs below, of each step.
        self.assertEqual(len(found.trace.lines), 2 * len(seen))

    def test_bounds_and_steps_that_cannot_be_told_go_into_json(self):
        picture, truth = render("onset", 3, {"droop_mm": "0.1"})
        told = as_json(onset_in(picture, boxes(truth["steps"])))
        self.assertIsNone(told["value"])
        self.assertEqual(told["detail"]["between"], [60.0, None])
        self.assertIn("No step up to 60°", told["sentence"])
        json.dumps(told, allow_nan=False)
        outside = (*boxes(truth["steps"]), StepRegion(65.0, Region(0, 0, 9000, 90)))
        self.assertIn("the step of 65° cannot be told", onset_in(picture, outside).sentence)
        self.assertTrue(onset_in(picture, ()).refused)

    def test_an_unknown_scale_is_refused_as_of_a_single_droop(self):
        picture, truth = render("onset", 3, {})
        self.assertIn("scale is not known", onset_in(picture, boxes(truth["steps"]), None).refused)


class Found(unittest.TestCase):
    """A figure can be looked at: what it was read from lies where it is in the picture."""

    def traced(self, kind, what, settings=(), box=None, **asked):
        picture, truth = render(kind, 2, dict(settings))
        region = Region(*box) if box else Region(0, 0, picture.shape[1], picture.shape[0])
        return measure(picture, what, Asked(region, 20.0, **asked)), picture, truth

    def test_the_edges_of_a_piece_are_as_far_apart_as_it_is_wide(self):
        found, _, _ = self.traced("size", What.SIZE)
        left, right = (float(np.median(line[:, 0])) for line in found.trace.lines)
        self.assertAlmostEqual((right - left) / 20, found.value, delta=0.02)

    def test_the_round_of_a_corner_has_its_radius(self):
        found, _, _ = self.traced("radius", What.RADIUS, {"radius_mm": "2"})
        first, last, arc = found.trace.lines
        np.testing.assert_allclose(first[0], last[0])
        # Three points of a circle tell its radius.
        a, b, c = arc[0], arc[12], arc[-1]
        sides = [math.dist(*pair) for pair in ((a, b), (b, c), (a, c))]
        area = abs((b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])) / 2
        self.assertAlmostEqual(math.prod(sides) / (4 * area) / 20, found.value, delta=0.02)

    def test_strings_and_slits_are_marked_where_they_are(self):
        gap = (40, 0, 240, 200)
        strings, picture, _ = self.traced("strings", What.STRINGS, box=gap)
        marked = strings.trace.places
        self.assertEqual(marked.shape, (200, 240))
        light = picture[:, 40:280].mean(axis=2)
        self.assertGreater(float(light[marked].mean()), float(light[~marked].mean()) + 20)
        slits, face, _ = self.traced("gaps", What.GAPS)
        dark = face.mean(axis=2)
        self.assertLess(float(dark[slits.trace.places].mean()), float(dark[~slits.trace.places].mean()) - 20)

    def test_strings_that_run_upright_are_marked_upright(self):
        picture, _ = render("strings", 2, {})
        turned = np.ascontiguousarray(picture.transpose(1, 0, 2))
        level = measure(picture, What.STRINGS, Asked(Region(40, 0, 240, 200), 20.0))
        upright = measure(turned, What.STRINGS, Asked(Region(0, 40, 200, 240), 20.0))
        np.testing.assert_array_equal(upright.trace.places, level.trace.places.T)

    def test_the_edge_of_bled_colour_and_its_depth_are_drawn(self):
        found, picture, _ = self.traced("bleed", What.BLEED)
        edge, depth = (float(line[0, 0]) for line in found.trace.lines)
        self.assertAlmostEqual(edge, picture.shape[1] / 2, delta=3)
        self.assertAlmostEqual(abs(depth - edge) / 20, found.detail["depth_mm"], delta=0.01)

    def test_layers_are_drawn_one_height_apart(self):
        found, _, _ = self.traced("layers", What.LAYERS, layer_mm=0.2)
        rows = [float(line[0, 1]) for line in found.trace.lines]
        np.testing.assert_allclose(np.diff(rows), 4.0)


if __name__ == "__main__":
    unittest.main()
