"""Pictures of sliced files: what is drawn where."""

import itertools
import unittest

import numpy as np

from oddtwin.core.effects import limits_of_agreement
from oddtwin.core.picture import Circle, Line, Rect, Text, agreement_plot, layer_chart
from oddtwin.core.picture.scale import nice_ticks
from oddtwin.core.toolpath.match import LayerDifference

WIDTH = 800.0


def difference(change, baseline=None, name="Time", unit="s", adds_up=True):
    change = np.asarray(change, float)
    z = 0.2 * np.arange(1, len(change) + 1)
    baseline = np.zeros(len(change)) if baseline is None else np.asarray(baseline, float)
    return LayerDifference(name, unit, z, baseline, change, adds_up)


def shapes(drawing, kind):
    return [shape for shape in drawing.shapes if isinstance(shape, kind)]


def words(drawing):
    return " | ".join(shape.text for shape in shapes(drawing, Text)).replace("\u202f", " ")


class Ticks(unittest.TestCase):
    def test_they_are_round_few_and_inside(self):
        for low, high in ((0, 46), (0.13, 0.19), (-3.9, 2.8), (66, 171), (0, 1e6), (1, 1.0000001)):
            found = nice_ticks(low, high)
            self.assertTrue(all(low - 1e-9 <= tick <= high + 1e-9 for tick in found), found)
            self.assertLessEqual(len(found), 9)
        self.assertEqual(nice_ticks(0, 46), [0, 10, 20, 30, 40])


class Charts(unittest.TestCase):
    def test_more_is_up_and_less_is_down(self):
        drawing = layer_chart([difference([2.0, -1.0, 0.0, 4.0])], WIDTH)
        bars = shapes(drawing, Rect)
        self.assertEqual(len(bars), 3)
        zero = shapes(drawing, Line)[0].y1
        up, down, tall = bars
        self.assertAlmostEqual(up.y + up.height, zero)
        self.assertAlmostEqual(down.y, zero)
        self.assertAlmostEqual(up.height / tall.height, 0.5)
        self.assertLess(up.x, down.x)

    def test_bars_stand_side_by_side_without_gaps(self):
        bars = shapes(layer_chart([difference(np.ones(50))], WIDTH), Rect)
        for left, right in itertools.pairwise(bars):
            self.assertAlmostEqual(left.x + left.width, right.x)

    def test_thousands_of_layers_keep_their_greatest(self):
        values = np.zeros(20_000)
        values[12_345] = 7.0
        drawing = layer_chart([difference(values)], WIDTH)
        (bar,) = shapes(drawing, Rect)
        self.assertIn("+7.00 s", words(drawing))
        self.assertAlmostEqual(bar.x / WIDTH, 0.65, 1)

    def test_titles_say_the_whole_or_that_there_is_nothing(self):
        drawing = layer_chart(
            [
                difference([1.5, 1.0]),
                difference([0.0, 0.0], name="Mass", unit="g"),
                difference([9.0, 9.0], [4.0, 4.0], name="Greatest flow", unit="mm³/s", adds_up=False),
            ],
            WIDTH,
        )
        said = words(drawing)
        self.assertIn("Time, change − baseline (+2.50 s in all)", said)
        self.assertIn("Mass, change − baseline: no difference", said)
        self.assertIn("Greatest flow, change − baseline |", said)
        self.assertIn("no difference", drawing.description)


class Agreements(unittest.TestCase):
    PREDICTED = (60.0, 62.0, 90.0, 91.0, 120.0, 61.0)
    MEASURED = (63.0, 65.1, 93.2, 94.0, 123.1, 95.0)

    def plot(self, predicted=PREDICTED, measured=MEASURED):
        found = limits_of_agreement(predicted, measured)
        return found, agreement_plot(predicted, measured, found, "min", WIDTH)

    def test_every_run_is_a_dot_and_the_odd_one_a_ring(self):
        found, drawing = self.plot()
        dots = shapes(drawing, Circle)
        self.assertEqual(len(dots), 6)
        self.assertEqual(found.outside, (5,))
        self.assertEqual([dot.role for dot in dots].count("worse"), 1)
        self.assertGreater(dots[5].width, 0)
        self.assertLess(dots[5].y, min(dot.y for dot in dots[:5]))

    def test_bias_and_limits_are_named_apart(self):
        _, drawing = self.plot()
        said = words(drawing)
        for name in ("bias +", "upper limit +", "lower limit −", "mean of predicted and measured, min"):
            self.assertIn(name, said)
        near = self.plot((1.0, 2.0, 3.0, 4.0), (1.001, 2.0, 3.001, 4.0))[1]
        levels = sorted(
            shape.y for shape in shapes(near, Text) if "limit" in shape.text or "bias" in shape.text
        )
        self.assertTrue(all(b - a >= 14.9 for a, b in itertools.pairwise(levels)))

    def test_two_equal_runs_are_drawn_all_the_same(self):
        found, drawing = self.plot((60.0, 60.0), (63.0, 63.0))
        self.assertEqual(found.sd, 0.0)
        self.assertTrue(all(np.isfinite([dot.x, dot.y]).all() for dot in shapes(drawing, Circle)))

    def test_it_stays_on_its_sheet(self):
        _, drawing = self.plot()
        for dot in shapes(drawing, Circle):
            self.assertTrue(0 <= dot.x <= drawing.width and 0 <= dot.y <= drawing.height)
