"""The onset of an overhang in the window: steps drawn one by one, measured, looked at and entered."""

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from oddtwin.core.photo import What
from oddtwin.core.readings import Better, Bound
from oddtwin.core.render.faces import Face, render_onset
from oddtwin.work.photos import write_png
from tests.ui.test_look import InLook

FACE = Face(width_mm=14.0, height_mm=12.0, px_per_mm=10.0, droop_mm=1.2, steps=6)
WIDE, HIGH = 140, 120


class Onset(InLook):
    def setUp(self):
        super().setUp()
        paths = []
        for number in range(10):
            # The change hangs from 44° on, in place of 38°.
            begin = 38.0 + 6.0 * (number % 2)
            path = self.folder / f"o{number}.png"
            face = Face(**{**{name: getattr(FACE, name) for name in FACE.__slots__}, "begin_deg": begin})
            write_png(path, render_onset(face, np.random.default_rng(number))[0])
            paths.append(path)
        self.drop(*paths)
        self.tab("Measure")
        self.pick("regionWhat", What.ONSET)

    def step(self, number, angle):
        for name, value in (("left", number * WIDE), ("top", 36), ("width", WIDE), ("height", HIGH - 36)):
            self.type_into(f"region-{name}", str(value))
        if angle is not None:
            self.type_into("stepAngle", str(angle))
        self.click("addStep")

    def test_steps_are_taken_one_by_one_and_the_next_angle_is_proposed(self):
        self.assertTrue(self.is_shown("stepAngle"))
        self.click("addStep")
        self.assertIn("Drag a box", self.find("regionTold").text())
        self.step(0, 30)
        self.step(1, 35)
        self.assertEqual(self.find("stepAngle").text(), "40")
        self.step(2, None)
        self.assertEqual(self.find("stepsTold").text(), "Steps: 30°, 35°, 40°")
        self.step(3, 35)
        self.assertIn("a step of 35° already", self.find("regionTold").text())
        self.step(3, 95)
        self.assertIn("from upright", self.find("regionTold").text())
        self.click("takeStepBack")
        self.assertEqual(self.find("stepsTold").text(), "Steps: 30°, 35°")

    def test_one_step_and_a_limit_below_what_is_seen_are_refused(self):
        self.type_into("regionScale", "10")
        self.step(0, 30)
        self.click("addRegion")
        self.assertIn("two or more", self.find("regionTold").text())
        self.step(1, 35)
        self.type_into("stepLimit", "0.01")
        self.click("addRegion")
        self.assertIn("0.05 mm or more", self.find("regionTold").text())
        self.assertEqual(self.study.pieces[1].views[0].regions, ())

    def test_all_prints_are_measured_looked_at_and_entered(self):
        self.type_into("regionScale", "10")
        for number in range(6):
            self.step(number, 30 + 5 * number if number < 2 else None)
        self.click("addRegion")
        (region,) = self.study.pieces[1].views[0].regions
        self.assertEqual([step.angle_deg for step in region.steps], [30, 35, 40, 45, 50, 55])
        self.assertEqual((region.left, region.top, region.width, region.height), (0, 36, 840, 84))
        self.assertEqual(region.limit_mm, 0.3)
        self.click("measureAll")
        self.settle()
        table = self.find("measuredTable")
        told = [table.item(row, 4).text() for row in range(table.rowCount())]
        self.assertTrue(all("Droop by step" in text for text in told), told)
        fit = self.find("fitView")
        self.assertTrue(fit.isVisible())
        self.assertIn("The overhang hangs 0.30\N{NARROW NO-BREAK SPACE}mm or more from", fit.accessibleName())
        self.click("enterMeasured")
        response = next(item for item in self.study.responses if item.name == region.name)
        self.assertEqual((response.unit, response.better), ("°", Better.HIGHER))
        self.click("enterMeasured")
        read = [one for one in self.study.readings if one.response_id == response.id]
        self.assertTrue(read)
        self.assertTrue(all(one.bound is Bound.EXACT and 45 < one.value < 56 for one in read), read)
        self.assertIn("steps:30@0,36,140,84;35@140,36,140,84", read[0].evidence)
        self.assertIn("limit:0.3", read[0].evidence)

    def test_a_box_is_dragged_and_enter_after_the_angle_takes_it(self):
        self.settle()
        canvas = self.find("measureCanvas")
        middle = canvas.rect().center()
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=middle)
        QTest.mouseMove(canvas, middle + QPoint(60, 30))
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=middle + QPoint(60, 30))
        angle = self.find("stepAngle")
        angle.setFocus()
        QTest.keyClicks(angle, "45")
        QTest.keyClick(angle, Qt.Key.Key_Return)
        self.assertEqual(self.find("stepsTold").text(), "Steps: 45°")
        self.assertEqual(self.find("region-left").text(), "")
