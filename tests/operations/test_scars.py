"""Breaks that a sliced file foretells, laid over the photograph of a face that is tied to the model."""

from dataclasses import replace

import numpy as np

from oddtwin import operations
from oddtwin.core.render import PieceFace, render_piece
from oddtwin.core.study import Tie
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.store import KeptKind, StoreError
from oddtwin.store.exchange import read_study, write_study
from oddtwin.work.photos import PhotoError, write_png
from oddtwin.work.scars import Face, ScarsError, face_corners, laid_over, scars_of
from oddtwin.work.shots import keep_shots
from oddtwin.work.sliced_files import keep_file
from tests.cases import InBook

CORNERS = ((0.14, 0.86), (0.86, 0.86), (0.14, 0.14))
"""Front left, front right and back left of the rendered face, as shares of its photograph."""


class Scars(InBook):
    def setUp(self):
        super().setUp()
        self.planned(pairs=1, twins=0)
        operations.add_view(self.book, piece_id=1, face="top")
        self.print_all()
        for number, run in enumerate(self.study().runs):
            face = PieceFace(
                width_px=360, height_px=240, px_per_mm=6.0, layer_mm=0.4, seam=14.0,
                turn_deg=2.0 * number, shift_x_px=6.0 * number,
            )  # fmt: skip
            path = self.folder / f"p{number}.png"
            write_png(path, render_piece(face, np.random.default_rng(number))[0])
            arrived = keep_shots(self.book, self.study(), [path], to=(run.id, 1))
            operations.add_photographs(self.book, filed=arrived.filed)

    def give_file(self, solid=None):
        path = self.folder / "top.gcode"
        path.write_text(slice_solid(solid or Solid(height=2), Recipe()).text)
        study = self.study()
        machines = [study.machines[1]]
        for arm in study.arms:
            chosen = keep_file(self.book, path, machines)
            operations.choose_file(self.book, arm_id=arm.id, piece_id=1, chosen=chosen)

    def tie(self):
        corners = ((0.0, 0.0), (60.0, 0.0), (0.0, 40.0))
        ties = [Tie(*place, *plate) for place, plate in zip(CORNERS, corners, strict=True)]
        first = self.study().photographs[0].sha256
        operations.tie_view(self.book, view_id=1, name="top", ties=ties, tied_on=first)
        return self.study().index.views[1]

    def test_a_corner_of_the_plate_lies_on_its_corner_in_every_photograph(self):
        view = self.tie()
        places = np.array([(0.0, 0.0), (60.0, 0.0), (0.0, 40.0), (30.0, 20.0)])
        shots = self.study().photographs
        first = laid_over(self.book, view, shots[0].sha256, places)
        self.assertTrue(np.allclose(first[:3], CORNERS))
        self.assertTrue(np.allclose(first[3], (0.5, 0.5)))
        # The second lies turned by two degrees and 6 px to the right.
        second = laid_over(self.book, view, shots[1].sha256, places)
        self.assertAlmostEqual(float(second[3][0]) * 360, 186, delta=1.5)
        self.assertAlmostEqual(float(second[3][1]) * 240, 120, delta=1.5)
        self.assertGreater(abs(float(second[0][1]) - first[0][1]) * 240, 2)

    def test_the_corners_of_the_piece_are_those_of_its_walls(self):
        self.give_file()
        run = self.study().runs[0]
        corners = face_corners(self.book, self.study(), run)
        front_left, front_right, back_left = corners[:, :2]
        self.assertEqual(set(corners[:, 2].tolist()), {2.0})
        self.assertLess(front_left[0], front_right[0])
        self.assertLess(front_left[1], back_left[1])
        self.assertEqual((front_left[1], front_left[0]), (front_right[1], back_left[0]))
        found = scars_of(self.book, self.study(), run, self.tie().ties)
        self.assertEqual(found.places.shape[1:], (2,))
        self.assertEqual(list(found.lengths_mm), ["beside a line that had cooled"])
        for x, y in found.places:
            self.assertTrue(front_left[0] - 1 <= x <= front_right[0] + 1)
            self.assertTrue(front_left[1] - 1 <= y <= back_left[1] + 1)

    def test_ties_are_kept_in_files_and_taken_back_by_undo(self):
        view = self.tie()
        self.assertEqual(len(view.ties), 3)
        again = read_study(write_study(self.study()), "x")
        other = next(iter(again.index.views.values()))
        self.assertEqual((other.ties, other.tied_on), (view.ties, view.tied_on))
        self.book.undo()
        self.assertEqual(self.study().index.views[1].ties, ())

    def test_corners_on_one_line_or_too_few_are_refused(self):
        line = [Tie(0.1 * k, 0.1 * k, 10.0 * k, 10.0 * k) for k in range(3)]
        for ties, said in ((line, "one line"), (line[:2], "Three corners")):
            with self.assertRaisesRegex(StoreError, said):
                operations.tie_view(self.book, view_id=1, name="top", ties=ties, tied_on="")

    def test_without_a_sliced_file_it_says_where_to_choose_one(self):
        run = self.study().runs[0]
        with self.assertRaisesRegex(ScarsError, "under Match"):
            face_corners(self.book, self.study(), run)
        with self.assertRaisesRegex(ScarsError, "under Match"):
            scars_of(self.book, self.study(), run, self.tie().ties)

    def faced(self, face, solid):
        """What is foretold of a face that was tied by the corners of its own file."""
        self.give_file(solid)
        run = self.study().runs[0]
        corners = face_corners(self.book, self.study(), run, face)
        ties = tuple(Tie(*place, *at) for place, at in zip(CORNERS, corners.tolist(), strict=True))
        return corners, scars_of(self.book, self.study(), run, ties), ties

    def test_a_bridge_is_seen_from_below_and_at_its_height_from_the_front(self):
        solid = Solid(width=60, depth=20, height=4, span_mm=15)
        corners, found, _ = self.faced(Face.UNDERSIDE, solid)
        self.assertEqual(set(corners[:, 2].tolist()), {0.0})
        self.assertGreater(found.lengths_mm["on bridges"], 100)
        x = found.places[:, 0]
        self.assertTrue(corners[:, 0].min() + 20 < x.min() and x.max() < corners[:, 0].max() - 20)
        corners, front, ties = self.faced(Face.FRONT, solid)
        self.assertEqual(len(set(corners[:, 1].tolist())), 1)
        self.assertEqual(set(np.round(front.places[:, 1], 3).tolist()), {2.2})
        # Behind the face there is more of the bridge, which is not seen from there.
        self.assertLess(front.lengths_mm["on bridges"], found.lengths_mm["on bridges"] / 2)
        view = replace(self.tie(), ties=ties, tied_on=self.study().photographs[0].sha256)
        laid = laid_over(self.book, view, view.tied_on, corners[:, [0, 2]])
        np.testing.assert_allclose(laid, CORNERS, atol=1e-6)

    def test_walls_that_lean_far_are_seen_at_all_four_sides_and_upright_ones_nowhere(self):
        leaning = Solid(width=40, depth=20, height=4, lean_deg=52)
        for face in (Face.FRONT, Face.BACK, Face.LEFT, Face.RIGHT):
            corners, found, _ = self.faced(face, leaning)
            self.assertGreater(found.lengths_mm["on overhangs beyond 45°"], 50, face)
            # Bottom left and bottom right lie the other way round at the back and at the left.
            along = 0 if face in (Face.FRONT, Face.BACK) else 1
            turned = face in (Face.BACK, Face.LEFT)
            self.assertEqual(corners[0, along] > corners[1, along], turned, face)
            self.assertEqual((corners[0, 2], corners[2, 2]), (0.0, 4.0))
            self.assertTrue((found.places[:, 1] > 0).all())
        _, plain, _ = self.faced(Face.FRONT, Solid(width=40, depth=20, height=4))
        self.assertEqual(sum(plain.lengths_mm.values()), 0)

    def test_a_tie_of_before_is_that_of_a_top(self):
        self.give_file(Solid(width=40, depth=20, height=4, lean_deg=52))
        run = self.study().runs[0]
        ties = [Tie(*place, *at) for place, at in zip(CORNERS, ((0, 0), (60, 0), (0, 40)), strict=True)]
        found = scars_of(self.book, self.study(), run, ties)
        self.assertEqual(list(found.lengths_mm), ["beside a line that had cooled"])

    def test_a_photograph_that_is_gone_is_told(self):
        view = self.tie()
        self.book.kept(KeptKind.PHOTOGRAPH, view.tied_on).unlink()
        with self.assertRaisesRegex(PhotoError, "not in this lab book"):
            laid_over(self.book, view, view.tied_on, np.zeros((1, 2)))
