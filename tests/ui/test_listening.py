"""A printer that is listened to stamps the run in hand; what it tells of anything else stamps nothing."""

from oddtwin import operations
from oddtwin.core.standing import Stage
from oddtwin.core.study import EventKind
from oddtwin.devices.simulated import SimulatedPrinter
from oddtwin.ui.instruments import instruments_of
from tests.ui.test_instruments import Bench


class Listening(Bench):
    def setUp(self):
        super().setUp()
        # The first print is done; the second is taken in hand.
        self.find("runList").setCurrentRow(1)
        self.settle()

    def run_at(self, row):
        return self.bench.study.runs[row]

    def listen(self, fault=0.0, seed=1, begin=True):
        printer = SimulatedPrinter("ring", [20.0] * 5, seed=seed, pace=2000.0, fault=fault)
        self.addCleanup(printer.close)
        self.connect("printer", printer.path)
        self.until(lambda: "silent" in self.find("instrument-printer").text())
        if begin:
            printer.start()
        return printer

    def printing(self):
        return self.find("instrument-printer").text()

    def test_start_first_layer_and_end_stamp_the_run_in_hand(self):
        self.listen()
        self.until(lambda: self.run_at(1).finished is not None)
        self.settle()
        run = self.run_at(1)
        self.assertLessEqual(run.started, run.plate.events[0].at)
        self.assertLessEqual(run.plate.events[0].at, run.finished)
        self.assertEqual([one.kind for one in run.plate.events], [EventKind.FIRST_LAYER])
        self.assertEqual(self.printing(), "Printer: “ring” is done, 5 layers.")
        # The others are as they were, and one undo takes back the last stamp alone.
        self.assertIsNone(self.run_at(2).started)
        self.bench.undo()
        self.settle()
        self.assertIsNone(self.run_at(1).finished)
        self.assertIsNotNone(self.run_at(1).started)

    def test_a_fault_is_noted_with_its_height_and_the_end_is_left_to_its_user(self):
        self.listen(fault=1.0, seed=4)
        self.until(lambda: any(one.kind.disturbs and one.z_mm for one in self.run_at(1).plate.events))
        self.settle()
        run = self.run_at(1)
        self.assertIsNone(run.finished)
        (fault,) = [one for one in run.plate.events if one.kind.disturbs]
        self.assertGreater(fault.z_mm, 0)
        self.assertIn(fault.kind.value, self.printing())

    def test_what_is_noted_by_hand_gets_the_height_that_the_printer_tells(self):
        printer = SimulatedPrinter("ring", [600.0] * 5, seed=1, pace=2000.0)
        self.addCleanup(printer.close)
        self.connect("printer", printer.path)
        self.until(lambda: "silent" in self.find("instrument-printer").text())
        printer.start()
        self.until(lambda: "layer 3" in self.printing())
        self.find("go").setFocus()
        self.press("3")
        self.settle()
        (blob,) = [one for one in self.run_at(1).plate.events if one.kind is EventKind.BLOB]
        self.assertIn(blob.z_mm, (0.6, 0.8))

    def test_a_print_that_no_run_waits_for_stamps_nothing_and_says_so(self):
        self.find("runList").setCurrentRow(0)
        self.settle()
        before = [(run.started, run.finished) for run in self.bench.study.runs]
        self.listen()
        self.until(lambda: "is done" in self.printing())
        self.settle()
        self.assertEqual([(run.started, run.finished) for run in self.bench.study.runs], before)
        self.assertIn("The printer began “ring”, and no run was in hand", self.message)

    def test_what_was_stamped_by_hand_meanwhile_stays(self):
        printer = self.listen(begin=False)
        printer.start()
        self.until(lambda: self.run_at(1).started is not None)
        run = self.run_at(1)
        if run.finished is None:
            self.bench.do(operations.finish_run, run_id=run.id, code=run.code)
        finished = self.run_at(1).finished
        self.until(lambda: "is done" in self.printing())
        self.settle()
        self.assertEqual(self.run_at(1).finished, finished)
        self.assertEqual(self.errors, [])

    def test_another_study_in_hand_loses_no_stamp(self):
        self.bench.do(operations.add_study, name="Another")
        printer = self.listen(begin=False)
        run = self.run_at(1)
        printer.start()
        self.until(lambda: self.run_at(1).started is not None)
        self.window.open_study(2)
        heard = instruments_of(self.bench).connected[0]
        self.until(lambda: "is done" in heard.words)
        self.settle()
        self.window.open_study(1)
        self.window.show_stage(Stage.PRINT)
        self.settle()
        self.assertIsNotNone(next(one for one in self.bench.study.runs if one.id == run.id).finished)

    def test_a_printer_gives_no_reading(self):
        self.listen(begin=False)
        self.find("runList").setCurrentRow(0)
        self.settle()
        self.enter("reading-Part mass")
        self.assertEqual(self.read("Part mass"), [])
        self.click("letGoInstrument")
        self.assertEqual(instruments_of(self.bench).connected, [])
