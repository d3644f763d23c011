"""The scale that the photo mat tells: through lenses, from the side, of stretched and curled sheets."""

import math
import unittest

import numpy as np

from oddtwin.core.photo import mat_json, mat_scale
from oddtwin.core.photo.mat import mat_centres
from oddtwin.core.render import render

MEASURED = (150.0, 200.0)


def photo(**settings):
    settings = {"px_per_mm": 4, **settings}
    return render("mat", 1, {key: str(value) for key, value in settings.items()})[0]


class Scale(unittest.TestCase):
    def test_twenty_millimetres_within_a_hundredth(self):
        for lens in ({}, {"k1": -0.02}, {"k1": 0.03, "k2": -0.01}, {"hidden": 8}):
            found = mat_scale(photo(**lens), check_mm=MEASURED)
            self.assertAlmostEqual(20 * 4.0 / found.px_per_mm, 20.0, delta=0.01, msg=lens)
            self.assertLess(found.residual_mm, 0.02)

    def test_in_a_picture_as_large_as_a_camera_takes_too(self):
        # Markers are looked for in a smaller copy, and their sides found again in the picture itself.
        found = mat_scale(photo(px_per_mm=8), check_mm=MEASURED)
        self.assertAlmostEqual(20 * 8.0 / found.px_per_mm, 20.0, delta=0.01)
        self.assertLess(found.residual_mm, 0.02)

    def test_from_the_side_it_says_so(self):
        found = mat_scale(photo(tilt_deg=12), check_mm=MEASURED)
        self.assertIn("straight above", " ".join(found.warnings))

    def test_a_stretched_sheet_is_put_right_by_its_bars(self):
        picture = photo(stretch_x=1.01)
        # Of the sheet itself 150 mm are 151.5; unmeasured, all that is known of it is ± 0.6 %.
        known = mat_scale(picture, check_mm=(151.5, 200.0))
        self.assertAlmostEqual(known.px_per_mm, 4.0, delta=0.004)
        unknown = mat_scale(picture)
        self.assertAlmostEqual(unknown.u_rel, 0.006, delta=0.0005)
        self.assertGreater(unknown.u_rel, 5 * known.u_rel)
        self.assertIn("Nobody has measured", unknown.warnings[0])

    def test_letter_pages(self):
        self.assertEqual(len(mat_centres("letter")), 16)
        found = mat_scale(photo(page="letter"), "letter", MEASURED)
        self.assertAlmostEqual(found.px_per_mm, 4.0, delta=0.004)

    def test_a_curled_sheet_and_one_that_is_covered_are_refused(self):
        self.assertLess(abs(20 * 4.0 / mat_scale(photo(curl_mm=1), check_mm=MEASURED).px_per_mm - 20), 0.04)
        self.assertIn("curled", mat_scale(photo(curl_mm=4), check_mm=MEASURED).refused)
        few = mat_scale(photo(hidden=12), check_mm=MEASURED)
        self.assertIn("only 4 markers", few.refused)
        self.assertIsNone(mat_json(few)["px_per_mm"])

    def test_a_face_above_the_mat_is_nearer(self):
        picture = photo()
        flat = mat_scale(picture, check_mm=MEASURED)
        high = mat_scale(picture, check_mm=MEASURED, height_mm=20, camera_mm=500)
        self.assertAlmostEqual(high.px_per_mm / flat.px_per_mm, 500 / 480, 9)
        # u² = u_mat² + (u_h/(D−h))² + (h·u_D/(D(D−h)))² with .2 and 5 mm.
        more = math.hypot(0.2 / 480, 20 * 5 / (500 * 480))
        self.assertAlmostEqual(high.u_rel, math.hypot(flat.u_rel, more), 9)
        for camera in (None, 10.0):
            self.assertIn("height of the camera", mat_scale(picture, "a4", MEASURED, 20, camera).refused)

    def test_exposure(self):
        picture = photo()
        self.assertEqual(mat_scale(picture).exposure, "good")
        self.assertEqual(mat_scale((picture * 0.45).astype(np.uint8)).exposure, "dark")
        bright = np.minimum(picture.astype(int) + 60, 255).astype(np.uint8)
        self.assertEqual(mat_scale(bright).exposure, "clipped")

    def test_exposure_is_that_of_the_white_beside_the_markers(self):
        # Whatever lies on the sheet, as dark as it may be: only a margin of 3 mm about each marker is seen.
        picture = photo()
        seen = np.zeros(picture.shape[:2], bool)
        for across, along in mat_centres("a4").values():
            x, y = round(32 + 4 * across), round(32 + 4 * along)
            seen[y - 40 : y + 40, x - 40 : x + 40] = True
        picture[~seen] = 90
        self.assertEqual(mat_scale(picture).exposure, "good")

    def test_pictures_without_a_mat(self):
        rng = np.random.default_rng(1)
        for picture in (rng.integers(0, 255, (300, 200, 3), dtype=np.uint8), np.zeros((20, 20, 3), np.uint8)):
            self.assertIn("only 0 markers", mat_scale(picture).refused)


if __name__ == "__main__":
    unittest.main()
