"""The simulated camera, and the commands around photographs, as they are typed."""

import contextlib
import io
import json

import numpy as np
from PIL import Image

from oddtwin import cli
from oddtwin.core.photo import label_in
from oddtwin.core.render import PieceFace, render_piece
from oddtwin.work.camera import labelled, shoot
from oddtwin.work.photos import encoded, read_photo
from tests.cases import InFolder


class Camera(InFolder):
    def run_cli(self, *arguments):
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            try:
                status = cli.main([str(item) for item in arguments])
            except SystemExit as stop:
                status = stop.code
        return status, out.getvalue(), err.getvalue()

    def test_every_photograph_names_its_run_and_study(self):
        found = list(shoot(self.folder, ["K7M", "P3D"], "Seam, in line", seed=4))
        self.assertEqual([path.name for path in found], ["camera-001.png", "camera-002.png"])
        for path, code in zip(found, ("K7M", "P3D"), strict=True):
            label = label_in(read_photo(path).pixels)
            self.assertEqual((label.code, label.study), (code, "Seam, in line"))

    def test_it_waits_between_two_and_not_before_the_first(self):
        waited = []
        taken = list(shoot(self.folder, ["A1A", "B2B", "C3C"], "x", seconds=1.5, wait=waited.append))
        self.assertEqual((len(taken), waited), (3, [1.5, 1.5]))

    def test_one_seed_is_one_series(self):
        (self.folder / "a").mkdir()
        (self.folder / "b").mkdir()
        first, second = (list(shoot(self.folder / name, ["A1A"], "x", seed=9)) for name in "ab")
        self.assertEqual(first[0].read_bytes(), second[0].read_bytes())

    def test_a_label_leaves_the_piece_alone(self):
        picture = render_piece(PieceFace(), np.random.default_rng(1))[0]
        told = labelled(picture, "odd-twin run K7M of x")
        height, width = picture.shape[:2]
        middle = (slice(height // 5, height * 7 // 10), slice(width // 5, width * 4 // 5))
        self.assertTrue(np.array_equal(told[middle], picture[middle]))
        self.assertFalse(np.array_equal(told, picture))

    def test_the_command_says_what_it_wrote_and_what_is_wrong(self):
        status, out, _ = self.run_cli("photo", "camera", self.folder, "--codes", "K7M, P3D", "--study", "x")
        self.assertEqual((status, len(out.splitlines())), (0, 2))
        for arguments, said in (
            (("--codes", " , ", "--study", "x"), "at least one run"),
            (("--codes", "A", "--study", "x", "--seconds", "-1"), "0 to 3600 seconds"),
            (("--codes", "A", "--study", "x", "--seed", "-1"), "zero or more"),
        ):
            status, _, err = self.run_cli("photo", "camera", self.folder, *arguments)
            self.assertEqual(status, 2)
            self.assertIn(said, err)
        status, _, err = self.run_cli(
            "photo", "camera", self.folder / "nowhere", "--codes", "A", "--study", "x"
        )
        self.assertEqual(status, 2)
        self.assertIn("nowhere", err)

    def test_grades_are_judged_from_a_table_with_its_key(self):
        votes = self.folder / "votes.csv"
        votes.write_text(
            "judge,trial,left,answer\nLena,1,A,3\nLena,1,B,1\nOlaf,1,A,4\nOlaf,1,B,1\n", encoding="utf-8"
        )
        key = self.folder / "key.json"
        key.write_text(json.dumps({"A": "old", "B": "new"}), encoding="utf-8")
        status, out, _ = self.run_cli("judge", votes, "--design", "grade", "--key", key, "--json")
        self.assertEqual(status, 0)
        told = json.loads(out)
        self.assertEqual(told["mean_grade"], {"new": 1.0, "old": 3.5})
        self.assertEqual(told["prints"], 2)
        self.assertEqual(told["agreement"]["scale"], "ordinal")

    def test_a_picture_in_a_page_is_encoded_anew_and_not_too_large(self):
        import base64

        wide = np.zeros((30, 3000, 3), dtype=np.uint8)
        text = encoded(wide)
        self.assertTrue(text.startswith("data:image/jpeg;base64,"))
        image = Image.open(io.BytesIO(base64.b64decode(text.partition(",")[2])))
        self.assertEqual(image.size, (1400, 14))
        self.assertFalse(dict(image.getexif()))
