"""Values far from their like: critical values of Grubbs and Cochran, and what is said of them."""

import unittest

import numpy as np

from oddtwin.core.decide import detail_lines
from oddtwin.core.effects import Measure, cochran_edge, farthest, grubbs_edge, widest
from oddtwin.core.readings import Better, Reading, ResponseKind
from tests.builders import judged, pairs


class Edges(unittest.TestCase):
    def test_grubbs(self):
        # Computed with R 4.2.2; the same as the tables of ISO 5725-2 to their digits.
        found = [grubbs_edge(count) for count in (3, 4, 5, 6, 8, 10, 12, 15, 20, 30)]
        wanted = [1.1543048513, 1.48125, 1.7150373123, 1.8871451178, 2.1266450872, 2.2899540845]
        wanted += [2.4115595184, 2.5483077717, 2.7082456458, 2.9084730598]
        np.testing.assert_allclose(found, wanted, atol=1e-7)
        self.assertAlmostEqual(grubbs_edge(10, 0.01), 2.4820832497, places=8)

    def test_cochran(self):
        shapes = ((5, 3), (10, 2), (10, 3), (10, 5), (20, 2), (6, 4))
        wanted = [0.6837722340, 0.6020095611, 0.4449526922, 0.3311121437, 0.3894289826, 0.5321189177]
        np.testing.assert_allclose([cochran_edge(*shape) for shape in shapes], wanted, atol=1e-8)
        self.assertAlmostEqual(cochran_edge(5, 3, 0.01), 0.7885257473, places=8)

    def test_as_often_as_it_says(self):
        rng = np.random.default_rng(4)
        self.assertAlmostEqual(
            np.mean([farthest(rng.normal(0, 1, 8)) is not None for _ in range(3000)]), 0.05, delta=0.012
        )
        self.assertAlmostEqual(
            np.mean([widest(rng.normal(0, 1, (6, 2)).tolist()) is not None for _ in range(3000)]),
            0.05,
            delta=0.012,
        )

    def test_of_three_any_may_lie_anywhere(self):
        self.assertIsNone(farthest(np.array([1.0, 1.0, 9.0])))
        self.assertIsNone(farthest(np.ones(6)))
        self.assertIsNone(widest([[1.0, 2.0], [1.0, 9.0]]))
        self.assertIsNone(widest([[1.0, 2.0, 3.0], [1.0, 9.0], [2.0, 4.0]]))


class Said(unittest.TestCase):
    def test_with_and_without(self):
        base = [10.0, 10.2, 9.9, 10.1, 10.0, 9.8]
        change = [9.0, 9.3, 8.9, 9.0, 8.9, 15.0]
        found = judged(pairs(base, change, unit="g"), Measure("A", "B", 0.5, Better.LOWER))
        self.assertEqual(found.verdict.value, "undecided")
        said = " ".join(detail_lines(found)).replace("\u202f", " ")
        self.assertIn("Pair 6 lies far from the others (Grubbs, 5 %). It counts", said)
        self.assertIn("without it −1.0", said)
        self.assertIn("it would be “odd, better”", said)

    def test_nothing_is_said_of_what_is_like_the_rest(self):
        found = judged(pairs([1.0, 1.2, 0.9, 1.1], [2.0, 2.3, 1.8, 2.0]), Measure("A", "B", 0.5))
        self.assertNotIn("Grubbs", " ".join(detail_lines(found)))

    def test_grades_are_never_called_far(self):
        found = judged(pairs([0.0] * 7, [0.0] * 6 + [4.0], kind=ResponseKind.GRADE), Measure("A", "B", 1.0))
        self.assertNotIn("Grubbs", " ".join(detail_lines(found)))

    def test_twins_that_differ_more_than_others(self):
        rows = pairs([10.0, 10.1, 9.9, 10.2], [9.0, 9.1, 8.8, 9.2])
        rows += [
            Reading("A", value, pair=f"t{number}", run=f"t{number}{letter}")
            for number, both in enumerate(
                ((10.0, 10.1), (10.2, 10.1), (9.9, 10.0), (10.0, 10.1), (8.0, 12.0))
            )
            for letter, value in zip("xy", both, strict=True)
        ]
        said = " ".join(detail_lines(judged(rows, Measure("A", "B", 0.5))))
        self.assertIn("Twins of 8 and 12 differ far more than the other twins (Cochran", said)
