"""One photograph over another: genuine pairs, other letters, blank faces, and a lamp that moved."""

import unittest
from dataclasses import replace

import numpy as np

from oddtwin.core.photo import align, aligned_json
from oddtwin.core.render.views import View, render_view


def whole(matrix):
    return np.vstack([np.array(matrix), [0, 0, 1]])


class Views(unittest.TestCase):
    def pair(self, seed, one=None, **other):
        rng = np.random.default_rng(seed)
        first = one or View(piece=seed + 1)
        lies = {
            "turn_deg": rng.uniform(-3, 3),
            "shift_x_px": rng.uniform(-20, 20),
            "shift_y_px": rng.uniform(-20, 20),
            "print_seed": 2,
        }
        second = replace(first, **(lies | other))
        (a, lies_a), (b, lies_b) = render_view(first, rng), render_view(second, rng)
        found = align(a, b)
        # From the second to the first, by way of the piece; at a grid of places on it.
        true = whole(lies_a["matrix"]) @ np.linalg.inv(whole(lies_b["matrix"]))
        x, y = np.meshgrid(
            np.linspace(0.25, 0.75, 5) * first.width_px, np.linspace(0.25, 0.75, 5) * first.height_px
        )
        places = np.stack([x.ravel(), y.ravel(), np.ones(25)])
        return found, float(np.abs((true @ places)[:2] - found.matrix @ places).max())

    def test_genuine_pairs_lie_within_a_third_of_a_pixel(self):
        errors = []
        for seed in range(3):
            found, error = self.pair(seed)
            self.assertTrue(found.accepted)
            self.assertGreater(found.score, 0.84)
            errors.append(error)
        self.assertLess(np.median(errors), 0.3)
        self.assertLess(max(errors), 1.0)

    def test_the_same_outline_with_other_letters_is_not_accepted(self):
        for seed in range(3):
            found, _ = self.pair(seed, letters=50 + seed)
            self.assertFalse(found.accepted)
            self.assertLess(found.score, 0.4)
            self.assertIn("not the same view", found.sentence)

    def test_blank_faces_lie_by_their_outline(self):
        for seed in range(1):
            found, error = self.pair(seed, View(piece=seed, blank=1))
            self.assertTrue(found.accepted and found.by_outline)
            self.assertLess(error, 1.0)

    def test_a_lamp_that_moved_is_told_and_one_that_stayed_is_not(self):
        for seed in range(2):
            self.assertNotIn("lamp", self.pair(seed)[0].sentence)
            self.assertIn("lamp has moved", self.pair(seed, lamp_deg=40.0)[0].sentence)

    def test_pictures_of_two_sizes(self):
        rng = np.random.default_rng(3)
        first = View(piece=4)
        a, _ = render_view(first, rng)
        large, _ = render_view(replace(first, print_seed=1, width_px=1280, height_px=960), rng)
        small = large[::2, ::2]
        found = align(a, np.ascontiguousarray(small))
        self.assertEqual(found.matrix.shape, (2, 3))

    def test_any_two_pictures_give_an_answer(self):
        rng = np.random.default_rng(4)
        noise = rng.integers(0, 255, (120, 90, 3), dtype=np.uint8)
        for picture in (noise, np.zeros((80, 80, 3), np.uint8), np.full((17, 300, 3), 200, np.uint8)):
            for other in (noise, np.full((60, 60, 3), 128, np.uint8)):
                found = align(picture, other)
                self.assertTrue(found.sentence)
                self.assertEqual(len(aligned_json(found)["matrix"]), 2)


if __name__ == "__main__":
    unittest.main()
