"""What looks cost, against published bounds."""

import unittest

from oddtwin.core.decide import findings_of
from oddtwin.core.effects import Measure, level_for_looks, price_of_looks
from oddtwin.core.readings import Better
from tests.builders import pairs


class Looks(unittest.TestCase):
    def test_pococks_constants(self):
        # Two-sided nominal levels of 2 and 3 equal looks at 5 %, from z = 2.1782721 and 2.2894781
        # (R package ldbounds): 0.0294 and 0.0221. Many pairs are nearly normal.
        for looks, level in (((500, 1000), 0.0294), ((500, 1000, 1500), 0.0221)):
            self.assertAlmostEqual(level_for_looks(looks), level, delta=0.002)

    def test_a_look_after_each_pair(self):
        # Simulated for the specification of this program: looks after each of 3 to 12 pairs, .0105.
        self.assertAlmostEqual(level_for_looks(tuple(range(3, 13))), 0.0105, delta=0.001)
        self.assertAlmostEqual(price_of_looks(tuple(range(2, 13))), 0.21, delta=0.01)

    def test_one_look_costs_nothing(self):
        self.assertAlmostEqual(price_of_looks((6,)), 0.05, delta=0.005)
        self.assertAlmostEqual(level_for_looks((6, 6)), 0.05, delta=0.005)
        self.assertEqual(price_of_looks((0, 1)), 0.0)

    def test_a_planned_look_asks_for_more(self):
        rows = {"Force": pairs([10.0, 10.4, 9.8, 10.1], [9.0, 10.2, 9.1, 9.4], response="Force")}
        measure = Measure("A", "B", 0.6, Better.HIGHER)
        (alone,), (one_of_many,) = (findings_of(rows, measure, 0, look) for look in (None, (4, 12)))
        self.assertTrue(alone.verdict.leaning)
        self.assertEqual(one_of_many.verdict.value, "undecided")
        self.assertIn("among 12 looks one", one_of_many.sentence)
        # Four pairs at the fourth look: one pair a look, from the first to the twelfth.
        spent = 0.05 / level_for_looks(tuple(range(1, 13)))
        self.assertAlmostEqual(one_of_many.family.difference, alone.comparison.inference.p_difference * spent)


if __name__ == "__main__":
    unittest.main()
