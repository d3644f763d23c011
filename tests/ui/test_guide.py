"""The first run: a verdict with words at its parts, a finished study, and one to be walked through."""

import time

from oddtwin.core.picture import Text, annotated_verdict
from oddtwin.core.standing import Stage
from oddtwin.core.study import RunState
from tests.ui.window import InWindow


class FirstRun(InWindow):
    def setUp(self):
        super().setUp()
        self.with_demo()

    def wait_for(self, there):
        limit = time.monotonic() + 60
        while not there():
            self.application.processEvents()
            time.sleep(0.02)
            self.assertLess(time.monotonic(), limit)

    def test_a_finished_study_is_one_click_away(self):
        self.click("seeFinished")
        self.wait_for(lambda: self.bench.study is not None)
        self.settle()
        self.assertEqual(self.bench.study.name, "Dry the spool overnight")
        self.assertTrue(self.is_shown("compared"))
        self.assertFalse(self.is_shown("guideSaid"))

    def test_the_parts_of_the_verdict_stay_inside_its_picture(self):
        for width in (560, 720, 1400):
            drawn = annotated_verdict(width)
            for shape in drawn.shapes:
                if isinstance(shape, Text):
                    half = 3.4 * len(shape.text) * (0.5 if shape.anchor == "middle" else 1.0)
                    left = shape.x - half if shape.anchor == "middle" else shape.x
                    self.assertGreaterEqual(left, -4, shape.text)
                    self.assertLessEqual(left + 2 * half, width + 40, shape.text)

    def test_a_first_study_is_walked_through_to_a_verdict_and_a_decision(self):
        self.click("guideFirst")
        self.wait_for(lambda: self.is_shown("guideSaid"))
        self.settle()
        said = []

        def step():
            said.append(self.find("guideSaid").text()[:6])
            self.click("guideAct")
            self.settle()

        self.assertEqual(self.window._stage, Stage.ASK)
        step()
        self.assertEqual(self.window._stage, Stage.PLAN)
        step()
        self.assertEqual(len(self.bench.study.runs), 2)
        step()
        step()
        self.assertEqual({run.state for run in self.bench.study.runs}, {RunState.PRINTED})
        step()
        self.assertEqual(said, ["1 of 5", "2 of 5", "3 of 5", "3 of 5", "4 of 5"])
        self.assertIn("it differs, and enough to matter, for the better", self.sentence("Print time"))
        self.assertIn("Layer height: 0.28 mm against 0.20 mm", self.texts())
        step()
        self.click("decide-keep")
        self.find("decisionReason").setPlainText("only a game")
        self.click("settle")
        self.settle()
        self.assertIn("That was a whole study", self.find("guideSaid").text())
        step()
        self.assertFalse(self.is_shown("guideSaid"))

    def test_the_guide_follows_only_its_study_and_can_be_left(self):
        self.click("guideFirst")
        self.wait_for(lambda: self.is_shown("guideSaid"))
        guided = self.bench.study.id
        self.window.open_study(1)
        self.settle()
        self.assertFalse(self.is_shown("guideSaid"))
        self.window.open_study(guided)
        self.settle()
        self.assertTrue(self.is_shown("guideSaid"))
        self.click("guideLeave")
        self.window.open_study(guided)
        self.assertFalse(self.is_shown("guideSaid"))
