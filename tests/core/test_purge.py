"""The purge ledger, and the order of colours against trying every one."""

import itertools
import math
import random
import unittest

from oddtwin.core.toolpath.gcode import read_gcode
from oddtwin.core.toolpath.motion import Limits
from oddtwin.core.toolpath.purge import (
    PurgeLimits,
    PurgePair,
    best_order,
    matrix_of,
    matrix_said,
    minimum_multiplier,
    multiplier_said,
    order_volume,
    purge_ledger,
    purge_outlook,
    purge_pairs,
    shares_by_batch,
)
from oddtwin.core.toolpath.sliced import analyse
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid


class Ledger(unittest.TestCase):
    def test_every_change_takes_what_was_sliced(self):
        text = slice_solid(Solid(height=4, colours=3, band_layers=4), Recipe(purge_volume=80)).text
        ledger = purge_ledger(analyse(read_gcode([text.encode()])))
        changes = ledger.changes
        self.assertEqual(
            [(one.before, one.after, one.layer) for one in changes],
            [(0, 1, 4), (1, 2, 8), (2, 0, 12), (0, 1, 16)],
        )
        for change in changes:
            self.assertAlmostEqual(change.volume_mm3, 80, 2)
        self.assertAlmostEqual(ledger.mass_g, 4 * 0.0992, 4)
        pairs = purge_pairs(changes)
        self.assertEqual((pairs[0].before, pairs[0].after, pairs[0].changes), (0, 1, 2))

    def test_a_file_of_one_colour_has_none(self):
        self.assertEqual(purge_ledger(analyse(read_gcode([b"M83\nT0\nG1 X9 E1\n"]))).changes, ())

    def test_a_constant_tower_is_no_purge(self):
        lines = ["M83", "T0"]
        for layer in range(6):
            lines += [f";LAYER:{layer}", f"G1 Z{layer / 5 + 0.2:.1f}", ";TYPE:Wall", "G1 X50 E5", "G1 X0 E5"]
            lines += [f"T{layer % 2}", "G1 E12"] if layer in (2, 3) else []
            lines += [";TYPE:Prime tower", "G1 X20 E1"]
        # Purged beside the tower: the tower is a frame. Layer 2 begins with the tool that is in already.
        ledger = purge_ledger(analyse(read_gcode(["\n".join([*lines, ""]).encode()])))
        area = math.pi / 4 * 1.75**2
        self.assertEqual([(one.before, one.after, one.layer) for one in ledger.changes], [(0, 1, 3)])
        self.assertAlmostEqual(ledger.changes[0].volume_mm3, 12 * area, 6)
        self.assertAlmostEqual(ledger.tower_mm3, 6 * area, 6)
        # Purged into the tower: its layers without a change stay what they are.
        into = [line for line in lines if line != "G1 E12"]
        ledger = purge_ledger(analyse(read_gcode(["\n".join([*into, ""]).encode()])))
        self.assertAlmostEqual(ledger.changes[0].volume_mm3, 1 * area, 6)
        self.assertAlmostEqual(ledger.tower_mm3, 5 * area, 6)
        # What oozes beside the tower, a sixtieth here, does not make a frame of it; a ninth of all does.
        for beside, purged, frame in ((0.1, 1 + 0.1, 5), (0.75, 0.75, 6)):
            text = "\n".join([f"G1 E{beside}" if line == "G1 E12" else line for line in lines] + [""])
            ledger = purge_ledger(analyse(read_gcode([text.encode()])))
            self.assertAlmostEqual(ledger.changes[0].volume_mm3, purged * area, 6)
            self.assertAlmostEqual(ledger.tower_mm3, frame * area, 6)


class Outlook(unittest.TestCase):
    PAIRS = (PurgePair(0, 1, 10, 1000.0, 1.0), PurgePair(1, 0, 10, 400.0, 0.8))
    MATRIX = {(0, 1): 100.0, (1, 0): 40.0}  # noqa: RUF012

    def test_a_multiplier_stops_helping_at_the_minimum(self):
        # total = Σ max(volume × multiplier, minimum): common practice, no source.
        limits = PurgeLimits(30)
        self.assertEqual(purge_outlook(self.PAIRS, self.MATRIX, 1.0, limits).volume_mm3, 1400)
        half = purge_outlook(self.PAIRS, self.MATRIX, 0.5, limits)
        self.assertEqual((half.volume_mm3, half.at_minimum), (10 * 50 + 10 * 30, 10))
        self.assertAlmostEqual(half.mass_g, 500 * 0.001 + 300 * 0.002)
        self.assertEqual(minimum_multiplier(self.MATRIX, limits), 0.3)
        low, lower = (purge_outlook(self.PAIRS, self.MATRIX, one, limits).volume_mm3 for one in (0.3, 0.1))
        self.assertEqual(low, lower)
        self.assertEqual(
            purge_outlook(self.PAIRS, self.MATRIX, 2.0, PurgeLimits(0, 90)).volume_mm3, 900 + 800
        )

    def test_a_pair_of_colours_has_limits_of_its_own(self):
        limits = PurgeLimits(30, 90, {(0, 1): 70.0}, {(1, 0): 35.0})
        # At 0.5 the wanted 50 and 20 mm³ are held up to 70 and 30; at 1 the wanted 40 are cut to 35.
        half = purge_outlook(self.PAIRS, self.MATRIX, 0.5, limits)
        self.assertEqual((half.volume_mm3, half.at_minimum), (10 * 70 + 10 * 30, 20))
        self.assertEqual(purge_outlook(self.PAIRS, self.MATRIX, 1.0, limits).volume_mm3, 10 * 90 + 10 * 35)
        # Every change is held below the smaller of 70/100 and 30/40.
        self.assertEqual(minimum_multiplier(self.MATRIX, limits), 0.7)
        self.assertEqual(PurgeLimits(0, 90, {(0, 1): 0.5}).least((0, 1)), 0.5)
        with self.assertRaisesRegex(ValueError, "tool 1 to tool 0"):
            PurgeLimits(30, 90, {}, {(1, 0): 20.0})

    def test_the_file_s_own_multiplier_and_matrix(self):
        self.assertEqual(multiplier_said({"flush_multiplier": "0.5"}), 0.5)
        self.assertEqual(multiplier_said({"Purge volume multiplier": "50 %"}), 0.5)
        for silent in ({}, {"flush_multiplier": "none"}, {"layer_height": "0.2"}):
            self.assertEqual(multiplier_said(silent), 1.0)
        # Sliced at a half: what is laid is half of what the matrix says, and row 0.5 is what is laid.
        at_one = matrix_of(self.PAIRS, {"flush_multiplier": "0.5"})
        self.assertEqual(at_one, {(0, 1): 200.0, (1, 0): 80.0})
        self.assertEqual(purge_outlook(self.PAIRS, at_one, 0.5).volume_mm3, 1400)
        said = matrix_said({"flush_volumes_matrix": "0,280,300,0"})
        self.assertEqual(said, {(0, 1): 280.0, (1, 0): 300.0})
        self.assertEqual(matrix_of(self.PAIRS, {"flush_volumes_matrix": "0,280,300,0"}), said)
        for odd in ("1,2,3", "", "a,b", "0,-1,2,0", "7"):
            self.assertEqual(matrix_said({"flush_volumes_matrix": odd}), {}, odd)

    def test_copies_share_the_changes(self):
        text = slice_solid(Solid(height=4, colours=2, band_layers=4), Recipe(purge_volume=80)).text
        sliced = analyse(read_gcode([text.encode()]), Limits(tool_change_s=30))
        ledger = purge_ledger(sliced)
        one, two, four = shares_by_batch(sliced, ledger, 1, [1, 2, 4])
        self.assertAlmostEqual(one.mass_g, sliced.mass_g)
        self.assertAlmostEqual(one.time_s, sliced.time_s)
        self.assertAlmostEqual(four.waste_g, ledger.mass_g / 4)
        self.assertAlmostEqual(one.mass_g - two.mass_g, ledger.mass_g / 2)
        # Four changes of half a minute each are shared, too.
        self.assertGreater(one.time_s - two.time_s, len(ledger.changes) * 30 / 2)
        # Two useful pieces in the file: each takes half of what is no waste.
        (half,) = shares_by_batch(sliced, ledger, 2, [2])
        self.assertAlmostEqual(half.mass_g, sliced.mass_g / 2)
        for bad in (
            lambda: shares_by_batch(sliced, ledger, 0, [1]),
            lambda: purge_outlook(self.PAIRS, self.MATRIX, -1),
            lambda: PurgeLimits(5, 4),
        ):
            self.assertRaises(ValueError, bad)


class Order(unittest.TestCase):
    def test_equals_trying_every_order(self):
        dice = random.Random(7)
        for count in range(1, 7):
            volume = {pair: dice.uniform(20, 300) for pair in itertools.permutations(range(count), 2)}
            order, least = best_order(range(count), volume)
            self.assertAlmostEqual(
                least, min(order_volume(one, volume) for one in itertools.permutations(range(count)))
            )
            self.assertAlmostEqual(order_volume(order, volume), least)

    def test_a_first_colour_can_be_asked_for(self):
        volume = {(0, 1): 9, (1, 0): 1, (0, 2): 1, (2, 0): 9, (1, 2): 9, (2, 1): 1}
        self.assertEqual(best_order([0, 1, 2], volume)[1], 2.0)
        self.assertEqual(best_order([0, 1, 2], volume, first=1), ([1, 0, 2], 2.0))

    def test_nine_colours_are_ordered_and_ten_are_refused(self):
        volume = {pair: abs(pair[0] - pair[1]) for pair in itertools.permutations(range(10), 2)}
        self.assertEqual(best_order(range(9), volume)[1], 8)
        for colours in (range(10), []):
            self.assertRaises(ValueError, best_order, colours, volume)
        self.assertRaisesRegex(
            ValueError, "from colour 0 to 1 is not known", best_order, [0, 1], {(1, 0): 1.0}
        )
