"""Figures of rendered photographs against their truth, and what must be refused or not be found."""

import math
import unittest

import numpy as np

from oddtwin.core.photo import (
    Asked,
    Motion,
    NoWave,
    RefusedError,
    Region,
    StepRegion,
    Wave,
    What,
    as_json,
    ciede2000,
    crop,
    find_bands,
    find_bleed,
    find_gaps,
    find_ringing,
    find_strings,
    lab_of,
    layer_offset,
    linear,
    measure,
)
from oddtwin.core.photo.edges import corner_radius, droop_of, size_of
from oddtwin.core.render import render


def whole(picture, scale=20.0):
    return crop(picture, Region(0, 0, picture.shape[1], picture.shape[0]), scale)


def walls(times, seed=0, **settings):
    for number in range(times):
        rng = np.random.default_rng(seed + number)
        told = {"phase": f"{rng.uniform(0, 6.28):.3f}", "contrast": "0", **settings}
        yield whole(render("ringing", seed + number, told)[0])


class BoxesByHand(unittest.TestCase):
    """A box drawn by hand reaches over the edge of the wall, or begins a little inside it."""

    def measured(self, begin, corner="left", contrast="3"):
        wall, _ = render("ringing", 12, {"contrast": contrast, "px_per_mm": "12", "corner": corner})
        # Dark cloth on both sides; the wall is 24 mm wide.
        rows, columns = wall.shape[:2]
        beside = np.full((rows, 40, 3), 55, dtype=np.uint8)
        picture = np.concatenate([beside, wall, beside], axis=1)
        at = round(40 + begin * 12) if corner == "left" else 40
        width = columns - 60 if corner == "left" else columns - round(begin * 12)
        region = Region(at, 0, width, rows)
        return measure(picture, What.RINGING, Asked(region, 12.0, corner=corner, layer_mm=0.2))

    def test_wherever_the_box_begins_the_contrast_is_told_2_mm_from_the_edge(self):
        for begin in (-0.4, 0.0, 0.2, 0.5, 1.5, 2.5):
            for corner in ("left", "right"):
                with self.subTest(begin=begin, corner=corner):
                    found = self.measured(begin, corner)
                    self.assertEqual(found.refused, "")
                    self.assertAlmostEqual(found.value, 3.0, delta=0.5)

    def test_none_found_says_what_a_usual_wave_would_have_had_to_be(self):
        found = self.measured(0.0, contrast="0")
        self.assertEqual(found.value, 0.0)
        self.assertGreater(found.detail["smallest_seen"], 0.02)

    def test_a_box_beside_the_wall_is_refused(self):
        wall, _ = render("ringing", 12, {"px_per_mm": "12"})
        picture = np.concatenate([np.full((wall.shape[0], 200, 3), 30, np.uint8), wall[:, :30]], axis=1)
        region = Region(0, 0, picture.shape[1], picture.shape[0])
        found = measure(picture, What.RINGING, Asked(region, 12.0, layer_mm=0.2))
        self.assertTrue(found.refused or not found.value, found.sentence)


class Ringing(unittest.TestCase):
    def test_one_percent_is_found_and_measured(self):
        found = [find_ringing(one) for one in walls(5, contrast="1", wavelength_mm="2", damping_mm="4")]
        self.assertTrue(all(isinstance(one, Wave) for one in found))
        for one in found:
            self.assertAlmostEqual(one.wavelength_mm, 2.0, delta=0.06)
        # Goal: contrast within 15 %.
        self.assertAlmostEqual(np.mean([one.contrast for one in found]), 0.01, delta=0.0007)
        self.assertGreaterEqual(sum(one.contrast_ci95[0] <= 0.01 <= one.contrast_ci95[1] for one in found), 4)

    def test_what_is_no_ringing_is_not_found(self):
        for settings in (
            {},
            {"band": "1"},
            {"seam": "5", "seam_at_mm": "1"},
            {"seam": "3"},
            {"waviness": "1"},
        ):
            for one in walls(2, 50, **settings):
                found = find_ringing(one)
                self.assertIsInstance(found, NoWave, settings)
                self.assertTrue(found.reason)

    def test_none_says_what_would_have_been_seen(self):
        for one in walls(2, 80):
            self.assertTrue(0.0002 < find_ringing(one).smallest < 0.004)

    def test_bands_beside_it_do_not_spoil_it(self):
        for one in walls(2, 100, contrast="2", band="1", band_mm="1.6"):
            found = find_ringing(one)
            self.assertAlmostEqual(found.wavelength_mm, 2.0, delta=0.06)
            self.assertAlmostEqual(found.contrast, 0.02, delta=0.003)

    def test_frequency_on_the_ramp(self):
        # 50 Hz at 100 mm/s; on the ramp of 1.7 mm the wave is shorter, and v/λ there would be up to 200 Hz.
        told = {"contrast": "2", "speed_mm_s": "100", "accel_mm_s2": "3000"}
        for one in walls(2, 120, **told):
            found = find_ringing(one, Motion(100, 3000))
            self.assertAlmostEqual(found.frequency_hz, 50.0, delta=1.0)
            self.assertIsNone(getattr(find_ringing(one, Motion(100)), "frequency_hz", None))

    def test_from_the_right(self):
        (one,) = walls(1, 130, contrast="2", corner="right")
        self.assertIsInstance(find_ringing(one, corner="right"), Wave)

    def test_too_small_a_region_is_refused(self):
        (one,) = walls(1, 140, height_mm="8")
        with self.assertRaisesRegex(RefusedError, "strips"):
            find_ringing(one)


class Banding(unittest.TestCase):
    def test_half_a_percent(self):
        for one in walls(3, 200, band="0.5", band_mm="2"):
            found = find_bands(one)
            self.assertAlmostEqual(found.wavelength_mm, 2.0, delta=0.04)
            self.assertAlmostEqual(found.contrast, 0.005, delta=0.00075)

    def test_ringing_and_nothing_are_no_bands(self):
        for settings in ({}, {"contrast": "2"}):
            for one in walls(2, 220, **settings):
                self.assertIsInstance(find_bands(one), NoWave)


class Layers(unittest.TestCase):
    def test_two_to_twelve_micrometres(self):
        for um in (2, 5, 12):
            found = [
                layer_offset(whole(render("layers", seed, {"offset_um": str(um), "width_mm": "12"})[0]), 0.2)
                for seed in range(6)
            ]
            self.assertAlmostEqual(np.mean([one.um for one in found]) / um, 1.0, delta=0.2)
            self.assertGreaterEqual(sum(one.ci95[0] <= um <= one.ci95[1] for one in found), 4)

    def test_even_layers_are_even(self):
        self.assertLess(layer_offset(whole(render("layers", 1, {"offset_um": "0"})[0]), 0.2).um, 0.5)

    def test_too_far_away_is_refused(self):
        picture = render("layers", 1, {"px_per_mm": "12"})[0]
        with self.assertRaisesRegex(RefusedError, "come closer"):
            layer_offset(whole(picture, 12), 0.2)


class Strings(unittest.TestCase):
    def gap(self, seed, **settings):
        picture, truth = render("strings", seed, {key: str(value) for key, value in settings.items()})
        x, y, width, height = truth["region"]
        beside = linear(picture[:, : x - 6].reshape(-1, 3)).mean(axis=0)
        return crop(picture, Region(x, y, width, height), 20.0), beside, truth

    def test_counted_and_weighed(self):
        for count in (0, 4, 12):
            for seed in range(2):
                part, beside, truth = self.gap(seed, strings=count, height_mm=14, width_mm=18)
                found = find_strings(part, beside)
                self.assertAlmostEqual(found.count, count, delta=1)
                if count:
                    self.assertAlmostEqual(found.area_mm2 / truth["area_mm2"], 1.0, delta=0.1)
                self.assertLess(found.smallest_mm, 0.1)

    def test_in_a_photograph_twice_as_fine(self):
        for scale in (40, 50):
            picture, truth = render("strings", 5, {"strings": "5", "px_per_mm": str(scale)})
            part = crop(picture, Region(*truth["region"]), float(scale))
            beside = linear(picture[:, : truth["region"][0] - 6].reshape(-1, 3)).mean(axis=0)
            found = find_strings(part, beside)
            self.assertEqual(found.count, 5)
            self.assertAlmostEqual(found.area_mm2 / truth["area_mm2"], 1.0, delta=0.1)

    def test_a_gap_between_above_and_below(self):
        picture, truth = render("strings", 5, {"strings": "5"})
        x, _, width, height = truth["region"]
        turned = np.ascontiguousarray(np.rot90(picture))
        region = Region(0, turned.shape[0] - x - width, height, width)
        self.assertEqual(measure(turned, What.STRINGS, Asked(region, 20.0)).value, 5)

    def test_none_on_cloth_of_the_same_tone_is_no_finding(self):
        part, beside, _ = self.gap(1, strings=0, print_grey=0.081)
        with self.assertRaisesRegex(RefusedError, "another one"):
            find_strings(part, beside)

    def test_without_the_print_in_view_none_is_refused(self):
        picture, truth = render("strings", 2, {"strings": "0"})
        x, y, width, height = truth["region"]
        alone = picture[:, x : x + width]
        found = measure(alone, What.STRINGS, Asked(Region(0, y, width, height), 20.0))
        self.assertIn("whether one could be seen", found.refused)


class Colour(unittest.TestCase):
    # Test pairs of Sharma, Wu and Dalal 2005 (from memory): L, a, b of both, and their ΔE₀₀.
    PAIRS = (
        ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
        ((50, 3.1571, -77.2803), (50, 0, -82.7485), 2.8615),
        ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0000), ((50, 0, 0), (50, -1, 2), 2.3669),
        ((50, 2.49, -0.001), (50, -2.49, 0.0009), 7.1792), ((50, 2.49, -0.001), (50, -2.49, 0.0011), 7.2195),
        ((50, 2.5, 0), (73, 25, -18), 27.1492), ((50, 2.5, 0), (58, 24, 15), 19.4535),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
    )  # fmt: skip

    def test_ciede2000(self):
        for one, other, expected in self.PAIRS:
            for first, second in ((one, other), (other, one)):
                found = float(ciede2000(np.array(first, float), np.array(second, float)))
                self.assertAlmostEqual(found, expected, places=4)

    def test_white_and_grey(self):
        np.testing.assert_allclose(lab_of(np.ones(3)), [100, 0, 0], atol=0.01)
        self.assertAlmostEqual(float(lab_of(np.full(3, 0.18418651851244416))[0]), 50.0, 3)
        # Below (6/29)³ of white lightness rises in a line, by 24389/27 (ISO/CIE 11664-4, from memory).
        for grey in (0.0, 0.001, 0.005, 0.0088):
            np.testing.assert_allclose(lab_of(np.full(3, grey)), [grey * 24389 / 27, 0, 0], atol=1e-3)

    def test_bleed(self):
        for delta, depth in (("0.1", "0.6"), ("0.3", "1.0"), ("0.6", "2.0")):
            for seed in range(2):
                picture, truth = render("bleed", seed, {"delta": delta, "depth_mm": depth})
                found = find_bleed(whole(picture))
                self.assertAlmostEqual(found.delta_e, truth["delta_e"], delta=0.5)
                self.assertAlmostEqual(found.depth_mm, truth["depth_mm"], delta=0.1)
                self.assertEqual(found.side, "left")
                turned = find_bleed(whole(np.rot90(picture)))
                self.assertAlmostEqual(turned.delta_e, truth["delta_e"], delta=0.5)
                self.assertEqual(turned.side, "bottom")

    def test_of_a_strip_one_tile_high_nobody_knows_how_it_scatters(self):
        picture, _ = render("bleed", 1, {"delta": "0.3", "px_per_mm": "40"})
        self.assertEqual(find_bleed(whole(picture[:12], 40)).u, 0.3)

    def test_a_clean_edge_and_one_colour(self):
        picture, _ = render("bleed", 3, {"delta": "0"})
        self.assertIn(
            "No colour bled", measure(picture, What.BLEED, Asked(Region(0, 0, 320, 200), 20.0)).sentence
        )
        with self.assertRaisesRegex(RefusedError, "no edge"):
            find_bleed(whole(picture[:, :120]))

    def test_a_region_that_covers_some_of_the_print_is_no_gap(self):
        # The print stands at both ends, 2 mm wide, and 16 mm are in view.
        picture, _ = render("strings", 1, {"strings": "4"})
        for left, right in ((0.5, 13), (3, 15.5), (12, 15.6), (1, 5)):
            region = Region(round(20 * left), 0, round(20 * (right - left)), 200)
            found = measure(picture, What.STRINGS, Asked(region, 20.0))
            self.assertTrue(found.refused, (left, right, found.sentence))
        gap = measure(picture, What.STRINGS, Asked(Region(40, 0, 240, 200), 20.0))
        self.assertEqual(gap.value, 4)

    def test_what_bled_is_never_passed_off_as_clean_wherever_the_region_lies(self):
        # The edge lies at 8 mm, and what bled reaches from 7 to there.
        picture, truth = render("bleed", 1, {"delta": "0.3"})
        told = 0
        for left in np.arange(0, 7.6, 0.5):
            for right in np.arange(8.5, 16.1, 0.5):
                region = Region(round(20 * left), 0, round(20 * (right - left)), 200)
                found = measure(picture, What.BLEED, Asked(region, 20.0))
                if not found.refused:
                    told += 1
                    self.assertAlmostEqual(found.value, truth["delta_e"], delta=0.5, msg=f"{left} {right}")
        self.assertGreater(told, 30)
        near = measure(picture, What.BLEED, Asked(Region(130, 0, 160, 200), 20.0))
        self.assertIn("draw it so that the edge is in the middle", near.sentence)


class Edges(unittest.TestCase):
    def test_radii(self):
        for radius in (0.2, 0.5, 2.0):
            for seed in range(2):
                picture, _ = render("radius", seed, {"radius_mm": str(radius)})
                for turned in (picture, np.rot90(picture), np.rot90(picture, 2)):
                    found = corner_radius(whole(np.ascontiguousarray(turned)))
                    self.assertAlmostEqual(found.mm, radius, delta=0.05)

    def test_a_sharp_corner_is_sharper_than(self):
        self.assertTrue(corner_radius(whole(render("radius", 1, {"radius_mm": "0.02"})[0])).sharper)
        with self.assertRaises(RefusedError):
            corner_radius(whole(render("wall", 1, {})[0]))

    def test_sizes_of_twins_differ_by_hundredths(self):
        found = [size_of(whole(render("size", seed, {"piece_mm": "10.03"})[0])).mm for seed in range(4)]
        self.assertLess(np.ptp(found), 0.01)
        self.assertAlmostEqual(np.mean(found), 10.03, delta=0.02)
        level = np.ascontiguousarray(np.rot90(render("size", 1, {})[0]))
        self.assertAlmostEqual(size_of(whole(level)).mm, 10.0, delta=0.02)

    def test_droop(self):
        for droop in (0.0, 0.2, 1.0):
            found = droop_of(whole(render("droop", 2, {"droop_mm": str(droop)})[0]))
            self.assertAlmostEqual(found.mm, droop, delta=0.03)
        with self.assertRaises(RefusedError):
            droop_of(whole(render("wall", 1, {})[0]))

    def test_droop_of_a_slanted_edge_and_of_a_dark_print_on_light_cloth(self):
        picture = render("droop", 2, {"droop_mm": "0.5", "width_mm": "24"})[0]
        slanted = np.stack(
            [np.roll(column, k // 40, axis=0) for k, column in enumerate(picture.swapaxes(0, 1))], 1
        )
        self.assertAlmostEqual(droop_of(whole(slanted)).mm, 0.5, delta=0.05)
        self.assertAlmostEqual(droop_of(whole(255 - picture)).mm, 0.5, delta=0.05)

    def test_a_region_that_cuts_into_what_hangs_is_refused_and_never_told_as_less(self):
        # Half the width hangs: from a quarter to three quarters.
        for droop in (0.2, 0.5, 1.0, 2.0):
            picture = render("droop", 2, {"droop_mm": str(droop)})[0]
            width = picture.shape[1]
            for left, right in (
                (0, 0.5),
                (0.25, 0.75),
                (0.25, 1),
                (0.4, 0.6),
                (0.2, 0.8),
                (0.15, 0.85),
                (0.1, 1),
            ):
                region = Region(int(left * width), 0, int((right - left) * width), picture.shape[0])
                found = measure(picture, What.DROOP, Asked(region, 20.0))
                with self.subTest(droop=droop, left=left, right=right):
                    if found.refused:
                        self.assertIn("draw it wider, with sound edge on both sides", found.sentence)
                    else:
                        self.assertAlmostEqual(found.value, droop, delta=0.03)
            self.assertFalse(
                measure(picture, What.DROOP, Asked(Region(0, 0, width, picture.shape[0]), 20.0)).refused
            )

    def test_a_region_that_is_too_shallow_for_what_hangs_is_refused(self):
        picture = render("droop", 2, {"droop_mm": "1"})[0]
        # The edge lies at half the height and hangs a tenth of it.
        for depth in (0.52, 0.55, 0.58):
            for top in (0, 0.05, 0.3):
                region = Region(0, round(top * 200), picture.shape[1], round((depth - top) * 200))
                found = measure(picture, What.DROOP, Asked(region, 20.0))
                self.assertIn("hangs out of the region below; draw it deeper", found.refused)
        found = measure(picture, What.DROOP, Asked(Region(0, 60, picture.shape[1], 64), 20.0))
        self.assertAlmostEqual(found.value, 1.0, delta=0.03)

    def test_a_corner_is_right_or_refused_wherever_its_region_lies(self):
        rng = np.random.default_rng(0)
        told = 0
        for radius in (0.5, 1.0, 4.0):
            picture = render("radius", 1, {"radius_mm": str(radius)})[0]
            height, width = picture.shape[:2]
            for _ in range(60):
                left, right = np.sort(rng.integers(0, width, 2)).tolist()
                top, bottom = np.sort(rng.integers(0, height, 2)).tolist()
                if min(right - left, bottom - top) < 40:
                    continue
                region = Region(left, top, right - left, bottom - top)
                found = measure(picture, What.RADIUS, Asked(region, 20.0))
                if found.u is not None:
                    told += 1
                    self.assertLessEqual(abs(found.value - radius), max(0.06 * radius, 3 * found.u))
        self.assertGreater(told, 10)

    def test_a_rough_edge_that_does_not_hang_is_told_to_be_rough(self):
        rng = np.random.default_rng(4)
        picture = render("droop", 2, {"droop_mm": "0", "width_mm": "24"})[0]
        for _ in range(5):
            steps = np.repeat(rng.integers(-3, 4, 60), 8)
            rough = np.stack(
                [np.roll(picture[:, k], int(steps[k]), axis=0) for k in range(picture.shape[1])], 1
            )
            found = measure(rough, What.DROOP, Asked(Region(0, 0, picture.shape[1], picture.shape[0]), 20.0))
            self.assertIn("a sound edge as rough as its ends would show as much", found.sentence)
            self.assertGreater(found.u, 0.05)

    def test_gaps_along_and_across(self):
        for count in (0, 4):
            picture, truth = render("gaps", 2, {"gaps": str(count)})
            for turned, along in ((picture, "x"), (np.rot90(picture), "y")):
                found = find_gaps(whole(np.ascontiguousarray(turned)))
                self.assertEqual((found.count, found.along), (count, along))
                self.assertAlmostEqual(
                    found.area_mm2, truth["area_mm2"], delta=0.12 * truth["area_mm2"] + 0.01
                )


class Asking(unittest.TestCase):
    def test_every_figure_as_plain_values(self):
        for what in What:
            picture, _ = render(what.value, 4, {})
            region = Region(0, 0, picture.shape[1], picture.shape[0])
            if what is What.STRINGS:
                region = Region(40, 0, picture.shape[1] - 80, picture.shape[0])
            # Of an overhang as many faces lie beside one another as it has steps.
            parts = np.array_split(np.arange(picture.shape[1]), 7)
            steps = tuple(
                StepRegion(30.0 + 5 * number, Region(int(part[0]), 60, len(part), picture.shape[0] - 60))
                for number, part in enumerate(parts)
            )
            found = measure(picture, what, Asked(region, 20.0, layer_mm=0.2, steps=steps))
            figures = as_json(found)
            self.assertEqual(figures["refused"], None, what)
            self.assertTrue(math.isfinite(figures["value"]), what)
            self.assertTrue(figures["sentence"].endswith("."), what)

    def test_without_scale_or_with_glare_it_is_refused(self):
        picture, _ = render("ringing", 4, {})
        region = Region(0, 0, 480, 320)
        self.assertIn("scale is not known", measure(picture, What.RINGING, Asked(region)).refused)
        self.assertIn("layer is not known", measure(picture, What.LAYERS, Asked(region, 20.0)).refused)
        bright = np.minimum(picture.astype(int) * 2 + 60, 255).astype(np.uint8)
        self.assertIn("as bright as can be", measure(bright, What.RINGING, Asked(region, 20.0)).refused)
        for odd in (Region(-1, 0, 20, 20), Region(0, 0, 4, 20), Region(470, 0, 20, 20)):
            self.assertIn("does not lie", measure(picture, What.SIZE, Asked(odd, 20.0)).refused)

    def test_noise_of_any_kind_gives_a_figure_or_a_sentence(self):
        rng = np.random.default_rng(5)
        pictures = [
            rng.integers(0, 240, (300, 300, 3), dtype=np.uint8),
            np.full((300, 300, 3), 90, np.uint8),
            np.zeros((300, 300, 3), np.uint8),
        ]
        for picture in pictures:
            for what in What:
                found = measure(picture, what, Asked(Region(20, 20, 260, 260), 20.0, layer_mm=0.2))
                self.assertTrue(found.sentence, what)

    def test_unknown_settings_are_refused(self):
        for kind, settings, words in (
            ("moon", {}, "cannot be rendered"),
            ("ringing", {"kontrast": "2"}, "no setting"),
            ("ringing", {"contrast": "much"}, "no number"),
            ("strings", {"px_per_mm": "5000"}, "40 million"),
        ):
            with self.assertRaisesRegex(ValueError, words):
                render(kind, 1, settings)


if __name__ == "__main__":
    unittest.main()
