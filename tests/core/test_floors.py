"""Noise floors of a workshop: pooled over studies, and whether the last one moved."""

import json
import unittest
from datetime import timedelta

import numpy as np

from oddtwin.core.known import TwinsSeen, floor_row, floors_json, noise_floors
from tests.builders import NOON

SOPORIFIC = (
    (0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0),
    (1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4),
)


def twins(values, day=0, machine="Marlow", response="Force", instrument=""):
    values = np.asarray(values, float)
    squares = float(((values - values.mean()) ** 2).sum())
    at = NOON + timedelta(days=day)
    return TwinsSeen(response, "N", machine, "Tray", instrument, f"study {day}", at, squares, len(values) - 1)


class Floors(unittest.TestCase):
    def test_two_variances_are_compared_as_r_does(self):
        # datasets::sleep (Student 1908); var.test of R gives F = 0.79834 and p = 0.7427 (from memory),
        # here as 1/F because the later study stands above.
        (floor,) = noise_floors([twins(SOPORIFIC[1], day=9), twins(SOPORIFIC[0])])
        self.assertAlmostEqual(1 / floor.ratio**2, 0.79834, places=5)
        self.assertAlmostEqual(floor.p, 0.7427, places=4)
        self.assertFalse(floor.moved)
        self.assertEqual(floor.noise.df, 18)
        self.assertEqual(floor.last, NOON + timedelta(days=9))
        self.assertIn("last 1.1 × those before, as by luck", floor.drift)

    def test_a_row_says_instrument_age_and_a_floor_that_judges_nothing(self):
        (floor,) = noise_floors([twins([1.0, 2.0, 4.0], instrument="pocket balance")])
        row = floor_row(floor, NOON + timedelta(days=3))
        self.assertEqual((row[3], row[8], row[9]), ("pocket balance", "3 days", "one study alone"))
        self.assertEqual(floor_row(floor, NOON)[8], "0 days")
        self.assertEqual(floor_row(floor, NOON + timedelta(days=1))[8], "1 day")
        self.assertEqual(floor_row(floor, NOON - timedelta(days=2))[8], "0 days")
        (other,) = noise_floors([twins([1.0, 2.0, 4.0])])
        self.assertEqual(floor_row(other, NOON)[3], "–")

    def test_machines_and_responses_stand_apart(self):
        found = noise_floors(
            [
                twins([1.0, 2.0]),
                twins([1.0, 2.0], machine="Tessel"),
                twins([1.0, 2.0], response="Mass"),
                twins([7.0], machine="Tessel"),
                twins([1.0, 2.0], response="Mass", instrument="pocket balance"),
            ]
        )
        self.assertEqual(
            [(one.response, one.machine, one.instrument, one.studies) for one in found],
            [
                ("Force", "Marlow", "", 1),
                ("Force", "Tessel", "", 1),
                ("Mass", "Marlow", "", 1),
                ("Mass", "Marlow", "pocket balance", 1),
            ],
        )
        self.assertEqual({one.drift for one in found}, {""})

    def test_a_scatter_that_grew_is_told_and_luck_is_not(self):
        rng = np.random.default_rng(4)
        grown = alarms = 0
        for _ in range(400):
            calm = [twins(rng.normal(0, 1, 6), day) for day in range(3)]
            (floor,) = noise_floors([*calm, twins(rng.normal(0, 1, 6), 9)])
            alarms += floor.moved
            (floor,) = noise_floors([*calm, twins(rng.normal(0, 4, 6), 9)])
            grown += floor.moved
        # 5 % by construction: of 400, 20 on the mean and 37 at most but once in ten thousand.
        self.assertLess(alarms, 37)
        self.assertGreater(grown, 360)

    def test_looking_at_many_floors_raises_no_more_alarms_than_looking_at_one(self):
        rng = np.random.default_rng(5)
        alarmed = 0
        for _ in range(200):
            seen = [
                twins(rng.normal(0, 1, 5), day, response=f"R{number}")
                for number in range(20)
                for day in range(2)
            ]
            alarmed += any(floor.moved for floor in noise_floors(seen))
        self.assertLess(alarmed, 22)

    def test_a_floor_of_zero_only_shows_the_steps_of_the_instrument(self):
        (floor,) = noise_floors([twins([2.0, 2.0]), twins([2.0, 2.0], day=3)])
        self.assertIsNone(floor.p)
        self.assertEqual(floor_row(floor, NOON + timedelta(days=4))[5], "–")
        (told,) = floors_json([floor])
        self.assertIsNone(told["ci95"])
        json.dumps(told, allow_nan=False)
        # Twins that differ after twins that did not: nothing to compare with.
        (floor,) = noise_floors([twins([2.0, 2.0]), twins([2.0, 3.0], day=3)])
        self.assertIsNone(floor.p)


if __name__ == "__main__":
    unittest.main()
