"""Photographs as they are looked at: cut out, aided, laid by hand; labels read; faults rendered in a size."""

import math
import time
import unittest

import numpy as np

from oddtwin.core.photo import (
    NEUTRAL,
    Aid,
    Asked,
    Motion,
    Region,
    Shown,
    What,
    aided,
    align,
    brought,
    by_points,
    difference,
    label_in,
    measure,
    repeatability,
    wave_curves,
)
from oddtwin.core.render import (
    FAULTS,
    PieceFace,
    Wall,
    control_text,
    fault_pair,
    render_piece,
    render_wall,
    rendered_control,
)


def noise(height=300, width=400, seed=1):
    rng = np.random.default_rng(seed)
    return rng.integers(0, 256, (height, width, 3), dtype=np.uint8)


class Cutting(unittest.TestCase):
    def test_at_full_scale_a_cut_is_the_photograph_itself(self):
        picture = noise()
        cut = Shown(picture).cut(40, 30, 1.0, 120, 80)
        self.assertTrue(np.array_equal(cut, picture[30:110, 40:160]))

    def test_beyond_the_photograph_lies_neutral_grey(self):
        cut = Shown(noise()).cut(-50, -50, 1.0, 40, 40)
        self.assertTrue((cut == NEUTRAL).all())

    def test_far_away_it_keeps_its_light_and_its_place(self):
        picture = np.zeros((2400, 3200, 3), dtype=np.uint8)
        picture[:, 1600:] = 200
        cut = Shown(picture).cut(0, 0, 0.1, 320, 240)
        self.assertEqual(int(cut[120, 100, 0]), 0)
        self.assertEqual(int(cut[120, 220, 0]), 200)
        # The edge lies in the middle, at whatever level it was taken from.
        self.assertAlmostEqual(float(cut[:, :, 0].mean()), 100.0, delta=0.5)

    def test_a_flick_of_a_large_photograph_takes_less_than_a_blink(self):
        shown = Shown(noise(3000, 4000))
        shown.cut(0, 0, 0.25, 1000, 750)
        begin = time.perf_counter()
        for scale in (0.25, 0.5, 1.0):
            shown.cut(300, 300, scale, 1000, 750)
        self.assertLess((time.perf_counter() - begin) / 3, 0.25)


class Aiding(unittest.TestCase):
    def test_relief_has_one_gain_for_every_picture(self):
        # A strong pattern stays stronger than a weak one: a gain that adapts would make them alike.
        x = np.arange(400)
        reliefs = []
        for contrast in (2.0, 8.0):
            wave = 120 * (1 + contrast / 100 * np.sin(2 * np.pi * x / 12))
            picture = np.repeat(np.tile(np.round(wave).astype(np.uint8), (300, 1))[:, :, None], 3, axis=2)
            reliefs.append(float(aided(picture, Aid.RELIEF)[50:250, 50:350].std()))
        self.assertGreater(reliefs[1], 2.5 * reliefs[0])

    def test_one_channel_alone_is_grey(self):
        picture = noise()
        for place, aid in enumerate((Aid.RED, Aid.GREEN, Aid.BLUE)):
            found = aided(picture, aid)
            self.assertTrue(np.array_equal(found[:, :, 0], picture[:, :, place]))
            self.assertTrue(np.array_equal(found[:, :, 0], found[:, :, 2]))

    def test_pictures_that_are_alike_differ_in_nothing(self):
        picture = noise()
        self.assertTrue((difference(picture, picture) == 128).all())
        lighter = np.clip(picture.astype(int) + 20, 0, 255).astype(np.uint8)
        self.assertGreater(float(difference(picture, lighter).mean()), 140)


class ByHand(unittest.TestCase):
    def test_three_points_lay_a_photograph_on(self):
        face = PieceFace(width_px=480, height_px=320, px_per_mm=6.0, layer_mm=0.5, seam=14.0)
        rng = np.random.default_rng(3)
        first = render_piece(face, rng)[0]
        matrix = np.array([[0.98, -0.10, 22.0], [0.10, 0.98, -14.0]])
        inverse = np.linalg.inv(np.vstack([matrix, [0, 0, 1]]))[:2]
        second = brought(first, inverse, (480, 320))
        there = np.array([[80.0, 60.0], [400.0, 70.0], [100.0, 260.0]])
        here = there @ matrix[:, :2].T + matrix[:, 2]
        found = by_points(there, here)
        self.assertTrue(np.allclose(found, matrix))
        laid = brought(second, found, (480, 320))[60:260, 90:390]
        self.assertLess(float(np.abs(laid.astype(int) - first[60:260, 90:390]).mean()), 4)

    def test_points_on_one_line_are_refused(self):
        line = np.array([[10.0, 10.0], [100.0, 100.0], [200.0, 201.0]])
        with self.assertRaisesRegex(ValueError, "one line"):
            by_points(line, line)
        with self.assertRaisesRegex(ValueError, "one line"):
            by_points(line * 0, line)


class Retakes(unittest.TestCase):
    def test_of_pairs_it_is_the_root_of_squared_differences_over_twice_their_number(self):
        # Of three pairs by hand (common practice, no source): differences .2, .4 and 0 give sqrt(.2 / 6).
        found = repeatability([(1.0, 1.2), (3.0, 3.4), (2.0, 2.0), (9.0,)])
        self.assertAlmostEqual(found.sd, math.sqrt((0.04 + 0.16) / 6))
        self.assertEqual(found.df, 3)
        self.assertIn("2 times more", found.words("%"))

    def test_five_are_enough_and_none_tell_nothing(self):
        self.assertIsNone(repeatability([(1.0,), (2.0,)]))
        self.assertNotIn("more", repeatability([(1.0, 1.1)] * 5).words("mm"))


class Labels(unittest.TestCase):
    def test_a_printed_label_names_its_run(self):
        import segno

        code = segno.make("odd-twin run K7M of Seam scattered or in line", error="m", micro=False)
        matrix = np.array([[bool(cell) for cell in line] for line in code.matrix])
        big = np.where(np.kron(matrix, np.ones((6, 6))) > 0, 30, 225).astype(np.uint8)
        picture = np.full((700, 1000, 3), 140, dtype=np.uint8)
        height, width = big.shape
        picture[60 : 60 + height + 40, 80 : 80 + width + 40] = 225
        picture[80 : 80 + height, 100 : 100 + width] = big[:, :, None]
        found = label_in(picture)
        self.assertEqual((found.code, found.study), ("K7M", "Seam scattered or in line"))

    def test_other_codes_and_faces_name_none(self):
        import segno

        matrix = np.array(
            [[bool(cell) for cell in line] for line in segno.make("https://example.org").matrix]
        )
        big = np.where(np.kron(matrix, np.ones((6, 6))) > 0, 30, 225).astype(np.uint8)
        picture = np.pad(big, 60, constant_values=225)
        self.assertIsNone(label_in(np.repeat(picture[:, :, None], 3, axis=2)))
        self.assertIsNone(label_in(noise()))


class Rendered(unittest.TestCase):
    def test_every_fault_grows_with_its_size_and_a_sound_face_is_without(self):
        for fault in FAULTS:
            with self.subTest(fault.name):
                faulty, sound = fault_pair(fault, fault.start, np.random.default_rng(5))
                again = fault_pair(fault, fault.start, np.random.default_rng(5))[0]
                self.assertEqual(faulty.shape, sound.shape)
                self.assertTrue(np.array_equal(faulty, again))
                small = fault_pair(fault, fault.least, np.random.default_rng(5))[0]
                # Both are the same face otherwise, so that the fault alone makes the difference.
                strong = np.abs(faulty.astype(int) - small.astype(int)).mean()
                self.assertGreater(strong, 0.3)

    def test_a_control_comes_back_from_its_text(self):
        text = control_text(FAULTS[0], 3.0, 107)
        faulty, sound = rendered_control(text), rendered_control(f"sound {text}")
        self.assertEqual(faulty.shape, sound.shape)
        self.assertFalse(np.array_equal(faulty, sound))
        for bad in ("", "Ringing", "Nothing|1|2", "Ringing|x|2"):
            with self.assertRaisesRegex(ValueError, "no rendered face"):
                rendered_control(bad)

    def test_two_prints_of_a_piece_are_laid_on_one_another_whatever_the_seam(self):
        for seed in range(3):
            rng = np.random.default_rng(seed)
            face = PieceFace(width_px=600, height_px=400, px_per_mm=8.0, layer_mm=0.4, seam=14.0)
            first = render_piece(face, rng)[0]
            turned = PieceFace(
                width_px=600, height_px=400, px_per_mm=8.0, layer_mm=0.4, seam=14.0, scattered=True,
                turn_deg=0.8, shift_x_px=5.0,
            )  # fmt: skip
            found = align(first, render_piece(turned, rng)[0])
            self.assertTrue(found.accepted, found.sentence)
            self.assertLess(found.error_px, 1.0)

    def test_the_fit_that_is_drawn_follows_what_was_seen(self):
        wall = Wall(contrast=3.0, width_mm=20.0, height_mm=20.0, px_per_mm=16.0)
        picture, _ = render_wall(wall, np.random.default_rng(8))
        asked = Asked(Region(0, 0, picture.shape[1], picture.shape[0]), 16.0, Motion(), "left", 0.2)
        measured = measure(picture, What.RINGING, asked)
        curves = wave_curves(picture, asked, measured)
        left = curves.seen - curves.fitted
        self.assertLess(float(left.std()), 0.4 * float(curves.seen.std()))
        plain, _ = render_wall(Wall(width_mm=20.0, height_mm=20.0, px_per_mm=16.0), np.random.default_rng(8))
        none = measure(plain, What.RINGING, asked)
        self.assertEqual(none.value, 0.0)
        self.assertFalse(wave_curves(plain, asked, none).fitted.any())
        size = measure(picture, What.SIZE, asked)
        self.assertIsNone(wave_curves(picture, asked, size))
