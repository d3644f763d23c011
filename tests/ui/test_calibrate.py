"""The calibration bench, driven by keys: readings typed, reckoned, kept, logged, and found again."""

import time

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QListWidget

from oddtwin import operations
from oddtwin.core.calibrate import JOBS
from oddtwin.core.readings import ResponseKind
from oddtwin.core.standing import Stage
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.devices import Setup
from oddtwin.devices.simulated import SimulatedCalliper
from oddtwin.store import StoreError, load_calibrations, load_machine_changes, load_study
from oddtwin.ui.instruments import instruments_of
from oddtwin.work import keep_file, shares_above
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

    def test_the_prints_are_written_as_a_study_and_it_is_opened(self):
        self.choose("fault")
        for line in (
            ("Tarn", "chalk", "white", "brass", "frame", "fine", "bad", "92"),
            ("Marlow", "slate", "white", "brass", "frame", "fine", "good", "95"),
            ("Tarn", "slate", "white", "brass", "frame", "fine", "good", "92"),
        ):
            self.type(*line)
        self.click("faultStudy")
        self.settle()
        study = self.bench.study
        self.assertIn("Which of machine, filament is to blame?", study.question)
        self.assertEqual([item.value for item in study.readings], [0.0, 1.0, 1.0])
        self.assertEqual({machine.name for machine in study.machines.values()}, {"Marlow", "Tarn"})


class Instruments(Bench):
    def test_a_check_is_of_an_instrument_and_has_its_own_history(self):
        self.choose("check")
        self.assertFalse(self.is_shown("calibrateMachine"))
        self.type("100", "100.03")
        self.assertIn("Please say which instrument", self.texts())
        self.find("calibrateInstrument").setEditText("bench scale")
        self.settle()
        self.type("100", "100.03", "100", "100.02", "100", "100.04")
        self.assertIn("At 100 it reads 0.03", self.say())
        self.click("keepCalibration")
        self.settle()
        self.assertEqual([(one.instrument, one.machine_id) for one in self.kept], [("bench scale", None)])
        self.assertIn("At 100 it reads", self.find("calibratePast").text())
        self.find("calibrateInstrument").setEditText("kitchen scale")
        self.settle()
        self.assertFalse(self.is_shown("calibratePast"))
        self.find("calibrateInstrument").setEditText("BENCH scale")
        self.settle()
        self.assertTrue(self.is_shown("calibratePast"))

    def test_enter_in_an_empty_cell_takes_what_an_instrument_shows(self):
        self.choose("nozzle-wear")
        grid = self.find("calibrateReadings")
        with SimulatedCalliper(seed=2) as calliper:
            instruments = instruments_of(self.bench)
            instruments.connect_to(Setup("calliper", calliper.path))
            self.type("0")
            self.assertEqual((grid.currentRow(), grid.currentColumn()), (0, 1))
            QTest.keyClick(grid, Qt.Key.Key_Return)
            self.settle()
            self.assertIn("Calliper", self.message, "nothing was sent yet")
            self.assertEqual(grid.currentColumn(), 1)
            (one,) = instruments.connected
            limit = time.monotonic() + 5
            calliper.press(0.62)
            while one.newest is None and time.monotonic() < limit:
                self.application.processEvents()
            QTest.keyClick(grid, Qt.Key.Key_Return)
            self.settle()
        self.assertRegex(grid.rows()[0][1], r"^0\.6\d$")
        self.assertEqual((grid.currentRow(), grid.currentColumn()), (1, 0))


class Onward(Bench):
    """What a figure is used for: a share of a file above it, a reading of a print."""

    FLOWS = "flow,expected_g,weighed_g\n2,2,2\n4,2,1.98\n6,2,1.9\n8,2,1.7\n10,2,1.4\n2,2,1.99\n8,2,1.72"

    def setUp(self):
        super().setUp()
        do = self.bench.do
        do(operations.add_study, name="Trial")
        do(operations.add_factor, study_id=1, kind="slicer setting", name="walls", levels=("2", "3"))
        do(
            operations.add_response,
            study_id=1, name="Ceiling", unit="mm³/s", kind=ResponseKind.QUANTITY,
        )  # fmt: skip
        do(operations.add_piece, name="Ring", minutes=60.0)
        do(operations.draw_runs, study_id=1, repeats=2, twins=0, seed=3, machine_ids=[1], piece_ids=[1])
        do(operations.type_calibration, job="flow-ceiling", machine_id=1, readings=self.FLOWS, options={})

    def test_the_share_of_a_kept_file_above_the_ceiling_is_told(self):
        self.choose("flow-ceiling")
        self.assertFalse(self.is_shown("ceilingFile"), "no file is kept yet")
        path = self.folder / "fast.gcode"
        path.write_text(slice_solid(Solid(height=2), Recipe()).text, encoding="utf-8")
        with self.bench.book.reading() as connection:
            arm = load_study(connection, 1).arms[0]
        chosen = keep_file(self.bench.book, path, [])
        self.bench.do(operations.choose_file, arm_id=arm.id, piece_id=1, chosen=chosen)
        self.settle()
        files = self.find("ceilingFile")
        self.assertEqual(files.itemText(1), "fast.gcode – Trial")
        files.setCurrentIndex(1)
        self.settle()
        told = self.find("shareAbove").text()
        self.assertRegex(told, r"^Of its printing time \d+ % above \d\.\d mm³/s")
        # What lies above a flow is no more where the flow is higher.
        shares = shares_above(self.bench.book, chosen.sha256, None, [0.001, 5.0, 1e6])
        self.assertEqual((round(shares[0], 6), shares[2]), (1.0, 0.0))
        self.assertTrue(0 <= shares[1] <= 1)

    def test_a_kept_figure_is_the_reading_of_a_print_with_its_uncertainty(self):
        self.bench.do(operations.finish_calibration, job="flow-ceiling", machine_id=1)
        self.window.open_study(1)
        self.window.show_stage(Stage.PRINT)
        self.settle()
        self.assertFalse(self.is_shown("takeReading"), "it is not printed yet")
        self.enter(2)
        self.settle()
        self.assertIn("Flow ceiling of Marlow", self.find("takeFigure").currentText())
        self.click("takeReading")
        self.settle()
        (reading,) = self.bench.study.readings
        kept = self.kept[0]
        self.assertEqual(reading.value, kept.value)
        self.assertAlmostEqual(reading.u, (kept.high - kept.low) / 2 / 1.959964)
        self.assertIn("calibration flow-ceiling of", reading.evidence)
        self.bench.undo()
        self.settle()
        self.assertEqual(self.bench.study.readings, ())
        response = next(one for one in self.bench.study.responses if one.name == "Part mass")
        with self.assertRaisesRegex(StoreError, "is in g, and the calibration in mm³/s"):
            operations.take_calibration(
                self.bench.book,
                calibration_id=kept.id,
                run_id=self.bench.study.runs[0].id,
                response_id=response.id,
                code="x",
            )
