"""The difference ruler and the twin mark, as shapes and as SVG."""

import math
import unittest
import xml.etree.ElementTree as ElementTree

from oddtwin.core.decide import Verdict
from oddtwin.core.effects import Measure, NoiseFloor
from oddtwin.core.picture import DARK, LIGHT, Circle, Line, Rect, Text, difference_ruler, to_svg, twin_mark
from oddtwin.core.picture.scale import nice_ticks
from oddtwin.core.readings import Better, Reading
from tests.builders import judged, pairs


def ruled(rows, width=600.0, **asked):
    finding = judged(rows, Measure("A", "B", **asked))
    return difference_ruler(finding, width)


CLEAR = pairs([10.0, 10.4, 9.8, 10.1], [7.0, 7.1, 7.2, 6.8], unit="g")


class Ruler(unittest.TestCase):
    def test_places_are_true_to_scale(self):
        drawing = ruled(CLEAR, margin=1.0, better=Better.LOWER, noise=NoiseFloor(0.2, 3))
        ring = next(s for s in drawing.shapes if isinstance(s, Circle) and s.role == "baseline")
        disc = next(s for s in drawing.shapes if isinstance(s, Circle) and s.role == "change")
        band = next(s for s in drawing.shapes if isinstance(s, Rect) and s.role == "margin")
        strip = next(s for s in drawing.shapes if isinstance(s, Rect) and s.role == "noise")
        per_gram = band.width / 2.0
        self.assertAlmostEqual(band.x + band.width / 2, ring.x)
        self.assertAlmostEqual((disc.x - ring.x) / per_gram, -3.05)
        self.assertAlmostEqual(strip.width / 2 / per_gram, 1.96 * math.sqrt(2) * 0.2)
        thin = next(s for s in drawing.shapes if isinstance(s, Line) and s.width == 2.0 and s.y1 == s.y2)
        self.assertTrue(thin.x1 < disc.x < thin.x2)

    def test_one_faint_mark_for_each_pair(self):
        drawing = ruled(CLEAR, margin=1.0)
        marks = [s for s in drawing.shapes if isinstance(s, Line) and s.role == "change" and s.opacity < 1]
        self.assertEqual(len(marks), 4)

    def test_better_and_worse_stand_on_their_sides(self):
        for better, left in ((Better.LOWER, "better"), (Better.HIGHER, "worse")):
            drawing = ruled(CLEAR, margin=1.0, better=better)
            ends = {s.anchor: s.role for s in drawing.shapes if isinstance(s, Text) and s.bold and s.y < 20}
            self.assertEqual(ends["start"], left)
        plain = ruled(CLEAR, margin=1.0)
        self.assertFalse([s for s in plain.shapes if isinstance(s, Text) and s.role in ("better", "worse")])

    def test_everything_stays_on_the_sheet(self):
        cases = (
            (CLEAR, {"margin": 1.0}),
            (CLEAR, {"margin": 1000.0}),
            (pairs([1.0, 2.0], [3.0, 4.0]), {"margin": 1.0}),
            (pairs([5.0], [5.0]), {}),
            ([Reading("A", 1.0)], {"margin": 1e-6}),
            (pairs([1e8, 2e8], [3e8, 7e8]), {}),
        )
        for rows, asked in cases:
            for width in (240.0, 1600.0):
                drawing = ruled(rows, width, **asked)
                for shape in drawing.shapes:
                    for name in ("x", "x1", "x2"):
                        value = getattr(shape, name, 0.0)
                        self.assertTrue(-1 <= value <= width + 1, (shape, width))

    def test_ticks_are_round_and_few(self):
        for low, high in ((-1, 1), (0, 0.003), (-1e6, 5), (99.9, 100.1)):
            ticks = nice_ticks(low, high)
            self.assertTrue(2 <= len(ticks) <= 9)
            step = ticks[1] - ticks[0]
            mantissa = step / 10 ** math.floor(math.log10(step) + 1e-9)
            self.assertTrue(any(math.isclose(mantissa, nice, rel_tol=1e-6) for nice in (1, 2, 5, 10)))


class Mark(unittest.TestCase):
    def gap(self, verdict):
        ring, disc = twin_mark(verdict, 40).shapes
        return disc.x - ring.x

    def test_apart_when_odd_together_when_twin(self):
        self.assertEqual(self.gap(Verdict.TWIN), 0)
        self.assertGreater(self.gap(Verdict.ODD_BETTER), self.gap(Verdict.LEANING_BETTER))
        self.assertGreater(self.gap(Verdict.LEANING_WORSE), self.gap(Verdict.UNDECIDED))
        self.assertEqual(len(twin_mark(None, 40).shapes), 1)

    def test_better_rises_and_worse_falls(self):
        better, worse = (twin_mark(v, 40).shapes[1].y for v in (Verdict.ODD_BETTER, Verdict.ODD_WORSE))
        self.assertLess(better, worse)


class Svg(unittest.TestCase):
    def test_is_well_formed_and_says_in_words_what_it_shows(self):
        finding = judged(
            pairs([1.0, 2.0, 3.0], [2.0, 3.5, 4.0], response='a<b>&"c'),
            Measure("A", "B", margin=1.0),
        )
        root = ElementTree.fromstring(to_svg(difference_ruler(finding, 500), LIGHT))
        self.assertEqual(root.get("aria-label"), finding.sentence)
        self.assertGreater(len(root), 10)

    def test_colours_follow_the_palette(self):
        self.assertIn(LIGHT.change, to_svg(twin_mark(Verdict.ODD, 20), LIGHT))
        self.assertIn(DARK.change, to_svg(twin_mark(Verdict.ODD, 20), DARK))

    def test_text_can_be_read_on_its_ground(self):
        # WCAG 2.1, 1.4.3: contrast of at least 4.5 to 1 for text (from memory).
        for palette in (LIGHT, DARK):
            for ground in (palette.paper, palette.surface):
                for colour in (palette.ink, palette.muted, palette.better, palette.worse, palette.accent):
                    self.assertGreaterEqual(contrast(colour, ground), 4.5, (colour, ground))
            self.assertGreaterEqual(contrast(palette.on_accent, palette.accent), 4.5)
            self.assertGreaterEqual(contrast(palette.muted, palette.sunken), 4.5)


def contrast(one, other):
    """WCAG relative luminance ratio of two #rrggbb colours."""

    def luminance(colour):
        parts = [int(colour[place : place + 2], 16) / 255 for place in (1, 3, 5)]
        linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    bright, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (bright + 0.05) / (dark + 0.05)
