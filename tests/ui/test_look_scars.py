"""Scars that the sliced files foretell, in the window: a face tied by clicks, and what is laid over it."""

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from oddtwin import operations
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.work.scars import Face
from oddtwin.work.sliced_files import keep_file
from tests.ui.test_look import InLook

CORNERS = ((0.14, 0.86), (0.86, 0.86), (0.14, 0.14))


class Scars(InLook):
    def setUp(self):
        super().setUp()
        self.fill()
        for arm in self.study.arms:
            # The change bridges farther.
            span = 10 if arm.id == self.study.baseline.id else 20
            path = self.folder / f"arm-{arm.id}.gcode"
            solid = Solid(width=60, depth=20, height=4, span_mm=span)
            path.write_text(slice_solid(solid, Recipe()).text, encoding="utf-8")
            chosen = keep_file(self.bench.book, path, [self.study.machines[1]])
            self.bench.do(operations.choose_file, arm_id=arm.id, piece_id=1, chosen=chosen)
        self.tab("Compare")

    def tie(self, face):
        self.pick("tieFace", face)
        self.click("tieView")
        said = [self.texts()]
        canvas = self.find("lookCanvas")
        for corner in CORNERS:
            QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=canvas.place_on_screen(*corner).toPoint())
            self.settle()
            said.append(self.texts())
        return said

    def test_the_corners_are_asked_for_as_the_face_has_them(self):
        said = self.tie(Face.FRONT)
        for text, corner in zip(
            said, ("bottom left, as you see it", "bottom right", "top left"), strict=False
        ):
            self.assertIn(f"corner at the {corner}", text)
        self.assertIn("Tied", self.find("scarsTold").text())
        ties = self.study.index.views[1].ties
        self.assertEqual({round(tie.model_z_mm, 3) for tie in ties}, {0.0, 4.0})
        self.assertIn("front left, as it lay on the plate", self.tie(Face.UNDERSIDE)[0])

    def test_bridges_of_both_files_are_counted_and_laid_over_the_underside(self):
        self.tie(Face.UNDERSIDE)
        canvas = self.find("lookCanvas")
        plain = canvas.grab().toImage()
        self.click("showScars")
        self.settle()
        told = self.find("scarsTold").text()
        self.assertRegex(told, r"on bridges \d+ and \d+; on overhangs beyond 45° \d+ and \d+")
        first, second = (int(word) for word in told.split("on bridges ")[1].split(";")[0].split(" and "))
        self.assertGreater(max(first, second), 1.3 * min(first, second))
        self.assertNotEqual(canvas.grab().toImage(), plain)
        self.click("showScars")
        canvas.setFocus()
        self.settle()
        self.assertEqual(canvas.grab().toImage(), plain)

    def test_a_top_without_breaks_says_so(self):
        self.tie(Face.TOP)
        self.click("showScars")
        self.settle()
        self.assertIn("foretell no line beside a line that had cooled", self.find("scarsTold").text())
