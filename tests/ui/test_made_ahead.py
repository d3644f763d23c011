"""What is made before it is asked for: there when it is wanted, up to date, and with nothing given away."""

import time
import unittest

from PySide6.QtCore import QPoint
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QWidget

from oddtwin import operations
from oddtwin.core.picture import DARK, LIGHT
from oddtwin.core.study import revealed
from tests.cases import study_in
from tests.ui.test_screens import print_one, two_pairs
from tests.ui.window import InWindow


def nearly_printed(do):
    """A study whose last print is still to be made, and another without a plan."""
    do(operations.add_study, name="Trial")
    two_pairs(do)
    for run in do(study_in, study_id=1).runs[:-1]:
        print_one(do, run, time=60.0 + run.position)
    do(operations.add_study, name="Another")


class MadeAhead(InWindow):
    def setUp(self):
        super().setUp()
        self.window.work_ahead()

    def made(self, name) -> list[QWidget]:
        return self.window.findChildren(QWidget, name)

    def wait_for(self, *names):
        """Leave the window alone until these parts are there, whether seen or not."""
        limit = time.monotonic() + 30
        while not all(self.made(name) for name in names):
            self.assertLess(time.monotonic(), limit, f"not made: {[n for n in names if not self.made(n)]}")
            time.sleep(0.005)
            self.application.processEvents()

    def rest(self, seconds=1.0):
        until = time.monotonic() + seconds
        while time.monotonic() < until or self.bench.lanes.busy:
            time.sleep(0.005)
            self.application.processEvents()

    def test_tabs_and_stages_are_there_before_a_click_and_follow_what_was_edited_meanwhile(self):
        self.new_book(nearly_printed)
        self.wait_for("machineName-1", "newPiece", "studyName", "decisionReason")
        there = self.made("machineName-1")
        self.assertFalse(there[0].isVisible())
        self.assertTrue(self.find("tabStudies").isChecked())
        self.bench.do(operations.rename_machine, machine_id=1, name="Tessel")
        self.click("tabMachines")
        self.assertEqual(self.made("machineName-1"), there)
        self.assertEqual(self.find("machineName-1").text(), "Tessel")

    def test_what_was_made_for_one_study_is_not_shown_for_another(self):
        self.new_book(nearly_printed)
        self.window.open_study(1)
        self.wait_for("studyName", "planPaper", "decisionReason", "labelPreview")
        self.rest()
        self.click("home")
        self.window.open_study(2)
        self.stage(1)
        self.assertEqual(self.find("studyName").text(), "Another")
        self.stage(4)
        self.assertIn("Nothing to print yet", self.texts())

    def test_nothing_is_written_down_and_no_look_is_taken_by_it(self):
        self.new_book(nearly_printed)
        self.wait_for("machineName-1")
        before = self.bench.undo_titles()
        self.assertEqual(before, ("new study Another", None))
        self.window.open_study(1)
        self.wait_for("decisionReason")
        self.rest()
        self.assertFalse(revealed(self.bench.study))
        self.assertEqual(self.bench.study.looks, ())
        self.assertEqual(self.bench.undo_titles(), before)
        self.assertNotIn("shorter", self.texts())

    def test_the_keys_stay_where_they_are(self):
        self.new_book(nearly_printed)
        self.click("newStudyName")
        self.press("Dry")
        self.wait_for("machineName-1", "studyName", "decisionReason")
        self.rest()
        self.press(" it")
        self.assertEqual(self.find("newStudyName").text(), "Dry it")

    def test_a_tab_that_was_hidden_wears_the_theme_that_was_chosen_meanwhile(self):
        self.new_book(nearly_printed)
        self.wait_for("machineName-1")
        self.window.theme.set_dark(False)
        for dark, palette in ((True, DARK), (False, LIGHT)):
            self.window.theme.set_dark(dark)
            self.click("tabMachines")
            field = self.find("machineName-1")
            drawn = field.grab().toImage().pixelColor(QPoint(field.width() // 2, field.height() - 5))
            self.assertEqual(drawn, QColor(palette.surface))
            self.click("tabStudies")


class Lines(InWindow):
    """The list of studies keeps the lines of studies that are as they were."""

    def lines(self):
        """Names and places of the lines, from above."""
        seen = [one for one in self.window.findChildren(QWidget) if one.objectName().startswith("study-")]
        return [one.objectName() for one in sorted(seen, key=lambda one: one.y()) if one.isVisible()]

    def all_listed(self, count):
        limit = time.monotonic() + 10
        while len(self.lines()) != count:
            self.assertLess(time.monotonic(), limit, str(self.lines()))
            time.sleep(0.005)
            self.settle()
        return self.lines()

    def test_lines_come_newest_first_over_pages_through_filter_edit_and_undo(self):
        self.new_book(lambda do: [do(operations.add_study, name=f"Study {n}") for n in range(1, 24)])
        wanted = [f"study-{n}" for n in range(23, 0, -1)]
        self.assertEqual(self.all_listed(23), wanted)
        kept = self.find("study-7")
        self.bench.do(operations.tag_study, study_id=4, text="shelf")
        self.bench.do(operations.remove_study, study_id=12, name="Study 12")
        self.assertEqual(self.all_listed(22), [one for one in wanted if one != "study-12"])
        self.assertIs(self.find("study-7"), kept)
        self.assertIn("shelf", self.texts())
        self.undo()
        self.assertEqual(self.all_listed(23), wanted)
        self.find("tagFilter").setCurrentIndex(1)
        self.assertEqual(self.all_listed(1), ["study-4"])
        self.find("tagFilter").setCurrentIndex(0)
        self.assertEqual(self.all_listed(23), wanted)
        self.bench.do(operations.edit_study, study_id=7, name="Another name")
        limit = time.monotonic() + 10
        while "Another name" not in self.texts():
            self.assertLess(time.monotonic(), limit, "the old name stays")
            self.settle()
        self.assertEqual(self.all_listed(23), wanted)


if __name__ == "__main__":
    unittest.main()
