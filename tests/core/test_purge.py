"""The purge ledger, and the order of colours against trying every one."""

import itertools
import random
import unittest

from oddtwin.core.toolpath.gcode import read_gcode
from oddtwin.core.toolpath.purge import (
    PurgePair,
    best_order,
    minimum_multiplier,
    order_volume,
    purge_ledger,
    purge_outlook,
    purge_pairs,
    waste_per_piece,
)
from oddtwin.core.toolpath.sliced import analyse
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid


class Ledger(unittest.TestCase):
    def test_every_change_takes_what_was_sliced(self):
        text = slice_solid(Solid(height=4, colours=3, band_layers=4), Recipe(purge_volume=80)).text
        changes = purge_ledger(analyse(read_gcode([text.encode()])))
        self.assertEqual(
            [(one.before, one.after, one.layer) for one in changes],
            [(0, 1, 4), (1, 2, 8), (2, 0, 12), (0, 1, 16)],
        )
        for change in changes:
            self.assertAlmostEqual(change.volume_mm3, 80, 2)
        pairs = purge_pairs(changes)
        self.assertEqual((pairs[0].before, pairs[0].after, pairs[0].changes), (0, 1, 2))

    def test_a_file_of_one_colour_has_none(self):
        self.assertEqual(purge_ledger(analyse(read_gcode([b"M83\nT0\nG1 X9 E1\n"]))), [])


class Outlook(unittest.TestCase):
    PAIRS = (PurgePair(0, 1, 10, 1000.0), PurgePair(1, 0, 10, 400.0))

    def test_a_multiplier_stops_helping_at_the_minimum(self):
        # total = Σ max(volume × multiplier, minimum): common practice, no source.
        self.assertEqual(purge_outlook(self.PAIRS, 1.0, 30).volume_mm3, 1400)
        half = purge_outlook(self.PAIRS, 0.5, 30)
        self.assertEqual((half.volume_mm3, half.at_minimum), (10 * 50 + 10 * 30, 10))
        self.assertEqual(minimum_multiplier(self.PAIRS, 30), 0.3)
        self.assertEqual(
            purge_outlook(self.PAIRS, 0.3, 30).volume_mm3, purge_outlook(self.PAIRS, 0.1, 30).volume_mm3
        )

    def test_copies_share_the_changes(self):
        self.assertEqual(waste_per_piece(1400, 1, [1, 2, 4]), [1400, 700, 350])
        for bad in (lambda: waste_per_piece(1, 0, [1]), lambda: purge_outlook(self.PAIRS, -1)):
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
        self.assertRaisesRegex(ValueError, "not known", best_order, [0, 1], {})
