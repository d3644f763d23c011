"""Photographs of any print, taken well or badly, stay measured as was approved.

``APPROVE=1 python -m unittest tests.core.test_any_photograph`` writes what comes out now.
"""

import random
import unittest

import numpy as np

from oddtwin.core.photo import (
    Aid,
    Asked,
    Motion,
    Region,
    Shown,
    StepDroop,
    StepRegion,
    What,
    aided,
    align,
    aligned_json,
    as_json,
    brought,
    by_points,
    difference,
    mat_json,
    mat_scale,
    mat_sentence,
    measure,
    moved,
    onset_of,
    repeatability,
    wave_curves,
)
from oddtwin.core.render import PieceFace, render, render_piece
from tests.core.stays import Stays, tried

WALLS = (What.RINGING, What.BANDING, What.LAYERS)
STEPS = 5
DROOPS = (None, 0.0, 0.125, 0.25, 0.5, 1.0)


def settings(rng, what):
    """What a print of a fault may be like."""
    if what in WALLS:
        found = {
            "contrast": rng.choice((0, 0.5, 2)) * (what is What.RINGING),
            "wavelength_mm": rng.choice((1.2, 2.0, 3.5)),
            "damping_mm": rng.choice((2.0, 6.0)),
            "phase": rng.choice((0.0, 2.0)),
            "band": rng.choice((0, 0.4, 1.5)) * (what is What.BANDING),
            "band_mm": rng.choice((1.5, 2.0, 4.0)),
            "offset_um": rng.choice((0, 6, 20)) * (what is What.LAYERS),
            "layer_mm": rng.choice((0.2, 0.28)),
            "waviness": rng.choice((0.0, 0.6)),
            "seam": rng.choice((0, 0, 5)),
            "grain": rng.choice((0.005, 0.03)),
            "corner": rng.choice(("left", "right")),
        }
    else:
        found = {
            "strings": rng.choice((0, 5, 14)) * (what is What.STRINGS),
            "string_mm": rng.choice((0.1, 0.2)),
            "delta": rng.choice((0.0, 0.08, 0.3)),
            "depth_mm": rng.choice((0.4, 1.0, 2.0)),
            "radius_mm": rng.choice((0.4, 1.0, 2.5)),
            "droop_mm": rng.choice((0.0, 0.3, 1.2)),
            "begin_deg": rng.choice((31.0, 38.0, 47.0)),
            "steps": STEPS,
            "gaps": rng.choice((0, 3, 8)) * (what is What.GAPS),
            "gap_mm": rng.choice((0.2, 0.4)),
            "piece_mm": rng.choice((6.0, 10.0)),
            "print_grey": rng.choice((0.4, 0.6)),
        }
    found["px_per_mm"] = rng.choice((12.0, 20.0))
    return {name: str(value) for name, value in found.items()}


def taken(rng, picture):
    """The picture as a hand takes it: too dark, too light, out of focus, noisy, mirrored."""
    bright = rng.choice((1.0, 1.0, 0.5, 1.4))
    noise = np.random.default_rng(rng.randrange(100)).normal(0, rng.choice((0.0, 1.0, 5.0)), picture.shape)
    found = np.clip(picture * bright + noise, 0, 255)
    if rng.random() < 0.2:
        found = (found + np.roll(found, 1, 0) + np.roll(found, 1, 1) + np.roll(found, 2, 1)) / 4
    if rng.random() < 0.2:
        found = found[:, ::-1]
    return np.ascontiguousarray(np.round(found).astype(np.uint8))


def box(rng, truth, picture):
    """A box drawn by hand around what is meant."""
    height, width = picture.shape[:2]
    if "region" in truth:
        return Region(*truth["region"])
    left, top = rng.choice((0, 0, 7, width // 5)), rng.choice((0, 0, 9))
    return Region(
        left, top, width - left - rng.choice((0, 11, width // 6)), height - top - rng.choice((0, 8))
    )


class AnyPhotograph(Stays):
    def test_what_is_measured(self):
        told = []
        for what in What:
            found = []
            for seed in range(3 if what is What.STRINGS else 12):
                rng = random.Random(f"{what} {seed}")
                given = settings(rng, what)
                picture, truth = render(what.value, seed, given)
                picture, scale = taken(rng, picture), float(given["px_per_mm"])
                region, beside = box(rng, truth, picture), picture.shape[1] // STEPS
                steps = tuple(
                    StepRegion(30.0 + 5 * number, Region(number * beside, 40, beside, picture.shape[0] - 40))
                    for number in range(STEPS)
                )
                asked = Asked(
                    region,
                    rng.choice((scale, scale, scale, None)),
                    rng.choice((Motion(), Motion(60.0, 900.0))),
                    corner=given.get("corner", "left"),
                    layer_mm=rng.choice((0.2, 0.2, None)),
                    elevation_deg=rng.choice((30.0, 45.0)),
                    steps=steps,
                    limit_mm=rng.choice((0.2, 0.5)),
                )
                one = tried(measure, picture, what, asked)
                curves = None if isinstance(one, str) else wave_curves(picture, asked, one)
                found.append((one, curves, "" if isinstance(one, str) else as_json(one)))
            told += [(f"{what} {n}", "", found[3 * n : 3 * n + 3]) for n in range((len(found) + 2) // 3)]
        self.stays("seen-measured", told)

    def test_pieces_as_they_are_rendered(self):
        told = []
        for seed in range(16):
            rng = random.Random(seed)
            face = PieceFace(
                ribs=rng.choice((0, 0, 3)),
                width_px=240,
                height_px=160,
                px_per_mm=rng.choice((4.0, 6.0)),
                layer_mm=rng.choice((0.5, 0.8)),
                ringing=rng.choice((0.0, 6.0)),
                speed_mm_s=rng.choice((0.0, 60.0)),
                accel_mm_s2=rng.choice((0.0, 900.0)),
                seam=rng.choice((0.0, 20.0)),
                scattered=rng.random() < 0.5,
                strings=rng.choice((0, 6)),
                turn_deg=rng.choice((0.0, 5.0)),
                shift_x_px=rng.choice((0.0, 9.0)),
                lamp_deg=rng.choice((30.0, 200.0)),
            )
            picture, truth = render_piece(face, np.random.default_rng(seed))
            parts = [cell.mean() for row in np.array_split(picture.mean(axis=2), 8)
                     for cell in np.array_split(row, 12, axis=1)]  # fmt: skip
            told.append((str(seed), "", (truth, parts)))
        self.stays("seen-pieces", told)

    def test_how_two_are_laid_over_each_other(self):
        told = []
        for seed in range(6):
            rng = random.Random(seed)
            view = {"piece": 1 + seed, "width_px": 480, "height_px": 360}
            more = {"turn_deg": rng.choice((0, 4, 25)), "shift_x_px": rng.choice((0, 12)), "print_seed": seed,
                    "lamp_deg": rng.choice((30, 55)), "blank": rng.choice((0, 0, 1))}  # fmt: skip
            one, other = (
                render("view", seed, {name: str(value) for name, value in some.items()})[0]
                for some in (view, view | more)
            )
            found = align(one, taken(rng, other))
            told.append((str(seed), found.sentence, aligned_json(found)))
        # A search that ends where a score hardly rises any more ends a little elsewhere on every processor.
        self.stays("seen-aligned", told, near=0.03)

    def test_how_they_are_shown(self):
        told, (picture, _) = [], render("view", 2, {"width_px": "480", "height_px": "360"})
        other = taken(random.Random(1), picture)

        def means(some):
            grey = np.asarray(some, float)
            return grey.shape, [part.mean(axis=(0, 1)) for part in np.array_split(grey, 6, axis=1)]

        told += [(f"{aid}", "", [means(aided(one, aid)) for one in (picture, other)]) for aid in Aid]
        told.append(("difference", "", means(difference(picture, other))))
        # As large as a camera takes it, so that there are halves and halves of halves.
        shown = Shown(np.ascontiguousarray(picture.repeat(5, 0).repeat(5, 1)))
        near = ((0, 0, 1, 90, 60), (300, 200, 4, 64, 64), (2380, 1790, 1, 80, 80))
        far = ((-40.5, 20, 0.3, 200, 100), (9, 9, 0.2, 300, 200), (0, 0, 0.5, 90, 60), (0, 0, 0.25, 90, 60))
        told += [(f"cut {one}", "", means(shown.cut(*one))) for one in near + far]
        rng = np.random.default_rng(5)
        for number in range(3):
            there, here = rng.integers(0, 400, (2, 3, 2)) / 2
            matrix = by_points(there, here)
            brings = means(brought(picture, matrix, (200, 150)))
            told.append((f"points {number}", "", (matrix, moved(here, matrix), brings)))
        self.stays("seen-shown", told)

    def test_retakes_onsets_and_mats(self):
        told = []
        for seed in range(40):
            rng = random.Random(seed)
            prints = [[rng.randint(0, 16) / 8 for _ in range(rng.choice((1, 2, 3)))] for _ in range(seed % 5)]
            found = repeatability(prints)
            steps = [
                StepDroop(30.0 + 5 * n, mm, rng.choice((None, 0.125)), rng.random() < 0.2)
                for n, mm in enumerate(
                    rng.choices((None, 0.0, 0.125, 0.25, 0.5, 1.0), k=rng.choice((1, 3, 6)))
                )
            ]
            onset = tried(onset_of, steps, rng.choice((0.25, 0.5)))
            told.append((str(seed), found.words("mm") if found else "", (found, onset)))
        sheets = ({}, {"tilt_deg": 14}, {"stretch_x": 1.01}, {"hidden": 9}, {"k1": 0.03})
        checks = ((None, None), (150.0, 200.0), (151.0, None), (150.0, 199.0), (None, 200.0))
        for sheet, check in zip(sheets, checks, strict=True):
            given = {"px_per_mm": "4", **{name: str(one) for name, one in sheet.items()}}
            picture = render("mat", 1, given)[0]
            for height, camera, bright in ((0.0, None, 1.0), (8.0, 400.0, 0.55), (0.0, None, 1.3)):
                shot = np.clip(picture * bright, 0, 255).astype(np.uint8)
                seen = mat_scale(shot, "a4", check, height, camera)
                told.append((f"mat {sheet} {check} {bright}", mat_sentence(seen), mat_json(seen)))
        self.stays("seen-told", told)


if __name__ == "__main__":
    unittest.main()
