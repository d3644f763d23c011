"""What was typed and could not be stored: it stays, with its reason, until it is stored or given up."""

import unittest
from unittest.mock import patch

from PySide6.QtCore import Qt

from oddtwin import operations
from oddtwin.core.readings import ResponseKind
from oddtwin.store import LabBook, StoreError
from tests.ui.window import InWindow

FULL = StoreError("The disk is full. The last edit was not kept; make room and try again.")


def two_pairs(do):
    do(operations.add_machine, name="Marlow")
    do(operations.add_piece, name="Ring", zones=["rim"], minutes=60.0)
    do(operations.add_factor, study_id=1, kind="slicer setting", name="height", levels=("1", "2"))
    do(operations.add_response, study_id=1, name="Force", unit="N", kind=ResponseKind.QUANTITY)
    do(operations.add_response, study_id=1, name="Strings", unit="", kind=ResponseKind.GRADE)
    do(operations.draw_runs, study_id=1, repeats=2, twins=0, seed=3, machine_ids=[1], piece_ids=[1])


class FullDisk(InWindow):
    def setUp(self):
        super().setUp()
        self.new_study("Trial", two_pairs)

    def measured(self):
        run = self.bench.study.runs[0]
        self.bench.do(operations.start_run, run_id=run.id, code=run.code)
        self.bench.do(operations.finish_run, run_id=run.id, code=run.code)
        self.stage(4)

    def stored(self, name: str):
        study = self.bench.study
        wanted = next(item.id for item in study.responses if item.name == name)
        return [item.value for item in study.readings if item.response_id == wanted]

    def test_a_reading_stays_with_its_reason_until_it_is_stored(self):
        self.measured()
        with patch.object(LabBook, "edit", side_effect=FULL):
            self.type_into("reading-Force", "12.5")
            self.settle()
            self.assertEqual((self.find("reading-Force").text(), self.focused), ("12.5", "reading-Force"))
            self.assertIn("disk is full", self.message)
            self.assertIn("disk is full", self.texts().replace(self.message, "", 1))
            # Leaving by Tab tries again, and comes back.
            self.keys(Qt.Key.Key_Tab)
            self.settle()
            self.assertEqual((self.find("reading-Force").text(), self.focused), ("12.5", "reading-Force"))
            self.stage(1)
            self.assertTrue(self.is_shown("reading-Force"))
        self.assertEqual(self.stored("Force"), [])
        # Another edit that succeeds takes neither text nor reason away.
        self.bench.do(operations.edit_study, study_id=1, question="Why?")
        self.settle()
        self.assertIn("disk is full", self.message)
        self.assertEqual(self.find("reading-Force").text(), "12.5")
        self.find("reading-Force").setFocus()
        self.enter()
        self.settle()
        self.assertEqual(self.stored("Force"), [12.5])
        self.assertEqual(self.message, "")
        self.assertNotEqual(self.focused, "reading-Force")

    def test_escape_gives_it_up(self):
        self.measured()
        with patch.object(LabBook, "edit", side_effect=FULL):
            self.type_into("reading-Force", "12.5")
            self.settle()
            self.keys(Qt.Key.Key_Escape)
        self.assertEqual((self.find("reading-Force").text(), self.message), ("", ""))
        self.stage(1)
        self.assertFalse(self.is_shown("reading-Force"))

    def test_the_next_run_waits_for_it(self):
        self.measured()
        code = self.find("runCode").text()
        with patch.object(LabBook, "edit", side_effect=FULL):
            self.type_into("reading-Force", "12.5")
            self.settle()
            self.click("nextRun")
            self.settle()
        self.assertEqual(self.find("runCode").text(), code)
        self.assertEqual(self.find("reading-Force").text(), "12.5")
        self.keys(Qt.Key.Key_Escape)

    def test_a_grade_that_is_not_stored_is_not_shown_and_keeps_the_keys(self):
        self.measured()
        self.find("reading-Strings-rim").setFocus()
        with patch.object(LabBook, "edit", side_effect=FULL):
            self.keys(Qt.Key.Key_3)
            self.settle()
        self.assertIsNone(self.find("reading-Strings-rim").step)
        self.assertEqual(self.focused, "reading-Strings-rim")
        self.assertIn("disk is full", self.message)
        self.keys(Qt.Key.Key_3)
        self.settle()
        self.assertEqual((self.stored("Strings"), self.message), ([3.0], ""))

    def test_several_lines_of_text_stay_too(self):
        self.stage(1)
        with patch.object(LabBook, "edit", side_effect=FULL):
            self.type_into("question", "Does it help?", enter=False)
            self.keys(Qt.Key.Key_Return, control=True)
            self.settle()
            self.assertEqual(self.find("question").toPlainText(), "Does it help?")
            self.assertEqual(self.focused, "question")
        self.assertEqual(self.bench.study.question, "")
        self.keys(Qt.Key.Key_Return, control=True)
        self.settle()
        self.assertEqual((self.bench.study.question, self.message), ("Does it help?", ""))

    def test_a_choice_that_is_not_stored_goes_back(self):
        self.stage(1)
        box = self.find("kind-1")
        before = box.currentText()
        with patch.object(LabBook, "edit", side_effect=FULL):
            box.setFocus()
            self.keys(Qt.Key.Key_Down)
            self.settle()
        self.assertEqual(box.currentText(), before)
        self.assertIn("disk is full", self.message)

    def test_a_failed_look_says_nothing_of_an_edit(self):
        other = self.bench.book.folder / "other"
        other.write_bytes((self.bench.book.folder / "labbook.sqlite").read_bytes())
        other.replace(self.bench.book.folder / "labbook.sqlite")
        self.bench.open_study(1)
        self.assertIn("was replaced", self.message)
        self.assertNotIn("edit was not kept", self.message)

    def test_closing_with_it_asks_once(self):
        self.measured()
        with patch.object(LabBook, "edit", side_effect=FULL):
            self.type_into("reading-Force", "12.5")
            self.settle()
            self.window.close()
            self.settle()
            self.assertTrue(self.window.isVisible())
            self.assertIn("Escape", self.message)
            self.window.close()
        self.assertFalse(self.window.isVisible())


if __name__ == "__main__":
    unittest.main()
