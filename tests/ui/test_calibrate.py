"""The calibration bench, driven by keys: readings typed, reckoned, kept, logged, and found again."""

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QListWidget

from oddtwin import operations
from oddtwin.core.calibrate import JOBS
from oddtwin.store import StoreError, load_calibrations, load_machine_changes
from tests.ui.window import InWindow


class Bench(InWindow):
    def setUp(self):
        super().setUp()
        self.assertTrue(self.bench.create_book(self.folder / "shed", "Shed"))
        self.settle()
        self.bench.do(operations.add_machine, name="Marlow")
        self.settle()
        self.click("tabCalibrate")
        self.settle()
        self.pick("calibrateMachine", 1)

    def pick(self, name, data):
        box = self.find(name)
        self.assertIsInstance(box, QComboBox)
        box.setCurrentIndex(box.findData(data))
        self.settle()

    def choose(self, job):
        jobs = self.find("calibrateJobs")
        self.assertIsInstance(jobs, QListWidget)
        jobs.setCurrentRow(next(place for place, one in enumerate(JOBS) if one.name == job))
        self.settle()

    @property
    def kept(self):
        with self.bench.book.reading() as connection:
            return load_calibrations(connection)

    @property
    def changes(self):
        with self.bench.book.reading() as connection:
            return load_machine_changes(connection)

    def type(self, *cells):
        """Type into the grid from its first empty row on, Enter after each cell."""
        grid = self.find("calibrateReadings")
        grid.setFocus()
        grid.setCurrentCell(grid.rowCount() - 1, 0)
        for cell in cells:
            for sign in str(cell):
                target = grid.focusProxy() or self.application.focusWidget() or grid
                QTest.keyClick(target, sign)
            QTest.keyClick(self.application.focusWidget() or grid, Qt.Key.Key_Return)
            self.settle()

    def say(self):
        return self.find("calibrateSentence").text()


class Steps(Bench):
    def setUp(self):
        super().setUp()
        self.choose("steps")

    def feed(self, *measured):
        self.type_into("option-old", "405.2")
        self.type(*(cell for one in measured for cell in ("100", one)))

    def test_readings_are_typed_by_keys_alone_and_reckoned_as_they_come(self):
        self.feed("97.0", "97.1")
        self.assertIn("feed 3 times", self.say())
        self.type("100", "96,9")
        self.assertIn("3.00", self.say())
        self.assertIn("set 417.73 steps/mm", self.find("calibrateAdvice").text())
        self.assertEqual(len(self.find("calibrateReadings").rows()), 3)
        # One key a cell beyond the digits: Enter.
        self.assertEqual(self.find("calibrateReadings").currentRow(), 3)

    def test_every_reading_is_kept_as_it_is_typed_and_undo_takes_it_back(self):
        self.feed("97.0")
        (there,) = self.kept
        self.assertIn("100,97.0", there.readings)
        self.assertIsNone(there.at)
        self.undo()
        self.settle()
        self.assertNotIn("97.0", self.kept[0].readings)
        self.find("tabCalibrate").click()
        self.settle()

    def test_a_figure_is_kept_and_logged_on_the_machine_and_the_next_knows_it(self):
        self.feed("97.0", "97.1", "96.9")
        self.assertIn("Marlow", self.find("logCalibration").text())
        self.click("logCalibration")
        self.settle()
        (kept,) = self.kept
        self.assertAlmostEqual(kept.value, 417.73, places=2)
        self.assertTrue(kept.low < kept.value < kept.high)
        (change,) = self.changes
        self.assertEqual((change.kind, change.what, change.before), ("calibration", "extruder steps", ""))
        self.assertIn("417.7", change.after)
        # The grid is empty for the next time, and the figure of before is shown. The old steps are not the
        # old ones any more: carried on they would make the next figure wrong without a word.
        self.assertEqual(self.find("calibrateReadings").rows(), [])
        self.assertEqual(self.find("option-old").text(), "")
        self.assertIn("too little went in", self.find("calibratePast").text())
        self.feed("99.9", "100.0", "100.1")
        self.click("logCalibration")
        self.settle()
        self.assertIn("417.7", self.changes[0].before)

    def test_what_cannot_be_reckoned_says_where_and_cannot_be_kept(self):
        self.feed("97.0", "x", "96.9")
        self.assertIn("line 3, column measured", self.say())
        self.assertFalse(self.find("keepCalibration").isEnabled())
        with self.assertRaisesRegex(StoreError, "line 3"):
            operations.finish_calibration(self.bench.book, job="steps", machine_id=1)
        with self.assertRaisesRegex(StoreError, "Type the readings first"):
            operations.finish_calibration(self.bench.book, job="belts", machine_id=1)
        with self.assertRaisesRegex(StoreError, "no calibration"):
            operations.type_calibration(self.bench.book, job="x", machine_id=1, readings="", options={})

    def test_machines_and_jobs_have_readings_of_their_own(self):
        self.feed("97.0")
        self.bench.do(operations.add_machine, name="Tarn")
        self.settle()
        self.pick("calibrateMachine", 2)
        self.assertEqual(self.find("calibrateReadings").rows(), [])
        self.pick("calibrateMachine", 1)
        self.assertEqual(len(self.find("calibrateReadings").rows()), 1)
        self.choose("belts")
        self.assertEqual(self.find("calibrateReadings").rows(), [])
        self.choose("steps")
        self.assertEqual(self.find("calibrateReadings").rows(), [["100", "97.0"]])


class All(Bench):
    def test_every_job_can_be_shown_and_says_what_to_do(self):
        for job in JOBS:
            self.choose(job.name)
            self.assertIn(job.do[:30], self.texts())
            self.assertEqual(self.find("calibrateReadings").columnCount(), len(job.columns))
            self.assertIn("Type readings", self.say())

    def test_what_is_set_on_no_machine_is_kept_without_logging(self):
        self.pick("calibrateMachine", 0)
        self.choose("filament")
        self.type("1200", "200", "", "", "")
        self.assertIn("are left", self.say())
        self.assertFalse(self.is_shown("logCalibration"))
        self.click("keepCalibration")
        self.settle()
        self.assertAlmostEqual(self.kept[0].value, 1000)
        self.assertIsNone(self.kept[0].machine_id)
        with self.assertRaisesRegex(StoreError, "nothing that is set"):
            operations.type_calibration(
                self.bench.book, job="filament", machine_id=None, readings="spool_g,core_g\n5,2\n", options={}
            )
            operations.finish_calibration(self.bench.book, job="filament", machine_id=None, log=True)

    def test_a_cell_is_emptied_by_delete_and_a_row_without_anything_is_none(self):
        self.choose("belts")
        self.type_into("option-span", "150")
        self.type_into("option-density", "8.5")
        self.type("x", "80", "x", "81")
        grid = self.find("calibrateReadings")
        for column in range(2):
            grid.setCurrentCell(1, column)
            QTest.keyClick(grid, Qt.Key.Key_Delete)
            self.settle()
        self.assertEqual(grid.rows(), [["x", "80"]])
        self.assertIn("4.9 N", self.say().replace("\N{NARROW NO-BREAK SPACE}", " "))


class Fault(Bench):
    def test_prints_as_typed_leave_a_cause_and_propose_the_next_print(self):
        self.choose("fault")
        self.type(*["Tarn", "chalk", "white", "brass", "frame", "fine", "bad", "92"])
        self.assertIn("All prints are alike", self.say())
        self.type(*["Marlow", "slate", "white", "brass", "frame", "fine", "good", "95"])
        self.assertIn("2 single causes and 1 pair", self.say())
        self.assertIn("machine Tarn, filament slate", self.find("calibrateAdvice").text())
        self.assertIn("neither cleared nor blamed: colour white", self.texts())
        self.type(*["Tarn", "slate", "white", "brass", "frame", "fine", "good", "92"])
        self.assertIn("1 single cause and 1 pair", self.say())
        # Nothing is set by it, so that nothing is logged on the machine.
        self.assertFalse(self.is_shown("logCalibration"))
        self.click("keepCalibration")
        self.assertIsNotNone(self.kept[0].at)
