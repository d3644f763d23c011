"""Long work beside the lab book: progress, cancel, failure, and closing the window in the midst of it."""

import threading
import time

from PySide6.QtCore import QEvent, Qt
from PySide6.QtWidgets import QApplication, QProgressBar

from oddtwin import operations
from oddtwin.core.design import Design, DesignKind
from oddtwin.ui.jobs import Lane, RunningJob
from tests.ui.window import InWindow


class Figuring(InWindow):
    def wait_for(self, told, seconds=20):
        limit = time.monotonic() + seconds
        while not told():
            self.assertLess(time.monotonic(), limit)
            time.sleep(0.002)
            self.application.processEvents()

    def test_progress_is_told_and_the_result_comes_back_here(self):
        told, results, threads = [], [], []

        def work(job):
            threads.append(threading.current_thread())
            for step in range(1, 6):
                job.tell(step / 5)
                time.sleep(0.06)
            return "done"

        running = self.bench.figure(
            self, work, lambda result: results.append((result, threading.current_thread()))
        )
        running.moved.connect(told.append, Qt.ConnectionType.QueuedConnection)
        self.settle()
        self.assertEqual(told[-1], 1.0)
        self.assertEqual(results, [("done", threading.main_thread())])
        self.assertIsNot(threads[0], threading.main_thread())

    def test_work_that_is_begun_anew_stops_the_old(self):
        results, ended = [], []

        def work(job):
            while True:
                job.check()
                time.sleep(0.005)

        self.bench.figure(self, work, results.append).ended.connect(lambda: ended.append("old"))
        self.bench.figure(self, lambda job: "new", results.append)
        self.settle()
        # Cancelled is neither failed nor done: nothing is said, and no result comes back.
        self.assertEqual((results, ended, self.message), (["new"], ["old"], ""))

    def test_one_owner_does_not_stop_another(self):
        results, go = [], threading.Event()

        def work(job):
            go.wait(20)
            return "one" if not job.cancelled else "stopped"

        self.bench.figure("one", work, results.append)
        self.bench.figure("other", lambda job: "other", results.append)
        self.bench.lanes.cancel("nobody")
        go.set()
        self.settle()
        self.assertEqual(results, ["one", "other"])

    def test_what_fails_is_said_and_ends(self):
        results, ended = [], []

        def refuse(job):
            raise ValueError("A print fits nowhere; type longer hours.")

        self.bench.figure(self, refuse, results.append).ended.connect(lambda: ended.append(1))
        self.settle()
        self.assertEqual(self.message, "A print fits nowhere; type longer hours.")
        self.bench.figure(self, lambda job: 1 / 0, results.append).ended.connect(lambda: ended.append(2))
        self.settle()
        self.assertIn("Your readings are safe", self.message)
        self.assertEqual((results, ended), ([], [1, 2]))

    def test_the_lab_book_does_not_wait_for_it(self):
        self.new_book()
        stop = threading.Event()
        for lane in (Lane.FIGURES, Lane.HOUSEKEEPING, Lane.DEVICES):
            self.bench.lanes.run(lane, lambda job: stop.wait(20), lambda result: None)
        self.bench.do(operations.add_study, name="Meanwhile")
        self.bench.open_study(1)
        self.wait_for(lambda: self.bench.analysis is not None)
        stop.set()
        self.settle()

    def test_jobs_leave_nothing_behind(self):
        for _ in range(20):
            self.bench.figure(self, lambda job: None, lambda result: None)
        self.settle()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        self.assertEqual(self.bench.lanes.findChildren(RunningJob), [])

    def test_closing_the_window_stops_it(self):
        self.new_book()
        ended = []

        def work(job):
            while not job.cancelled:
                time.sleep(0.005)
            ended.append(True)

        self.bench.figure(self, work, lambda result: None)
        self.wait_for(lambda: self.bench.lanes.busy)
        time.sleep(0.05)
        self.window.close()
        self.assertEqual(ended, [True])


def two_crossed(do):
    do(operations.add_factor, study_id=1, kind="part", name="lid", levels=("thin", "thick"))
    do(operations.add_factor, study_id=1, kind="slicer setting", name="speed", levels=("60", "90"))
    do(operations.edit_response, response_id=1, name="Print time", margin=2.0, noise_sd=1.0)
    do(operations.add_machine, name="Marlow")
    do(operations.add_piece, name="Ring", minutes=50.0, part_g=10.0)
    do(
        operations.draw_runs,
        study_id=1,
        repeats=3,
        twins=1,
        seed=3,
        machine_ids=[1],
        piece_ids=[1],
        design=Design(DesignKind.FACTORIAL),
    )


class PlanWork(InWindow):
    def setUp(self):
        super().setUp()
        self.new_study("Trial", two_crossed)
        self.stage(2)

    def test_the_bar_shows_while_it_rehearses_and_goes_away(self):
        self.click("planCan")
        self.click("rehearse")
        bars = [bar for bar in self.window.findChildren(QProgressBar) if bar.isVisible()]
        self.assertEqual(len(bars), 1)
        self.assertFalse(self.find("rehearse").isEnabled())
        self.settle()
        self.assertFalse(bars[0].isVisible())
        # Three comparisons of one response, the first with its three examples.
        self.assertIn("Interaction of lid and speed", self.texts())
        self.assertEqual(self.texts().count("A low, a middle and a high estimate"), 1)

    def test_another_study_meanwhile_keeps_its_own_times(self):
        self.click("planTimetable")
        self.settle()
        self.type_into("firstDay", "2026-11-30")
        self.click("makeTimetable")
        self.bench.do(operations.add_study, name="Other")
        self.window.open_study(2)
        self.settle()
        self.window.open_study(1)
        self.settle()
        self.assertFalse(any(run.slot for run in self.bench.study.runs))

    def test_a_timetable_that_is_cancelled_changes_nothing(self):
        self.click("planTimetable")
        self.settle()
        self.type_into("firstDay", "2026-11-30")
        self.click("makeTimetable")
        self.click("cancelTimetable")
        self.settle()
        self.assertEqual(self.message, "")
        self.assertTrue(self.find("makeTimetable").isEnabled())

    def test_interactions_and_main_effects_each_have_their_card(self):
        responses = {item.name: item.id for item in self.bench.study.responses}
        for number, run in enumerate(self.bench.study.runs):
            self.bench.do(operations.start_run, run_id=run.id, code=run.code)
            self.bench.do(operations.finish_run, run_id=run.id, code=run.code)
            levels = [level.value for _, level in self.bench.study.levels_of(self.bench.study.arm_of(run))]
            gain = -12.0 if levels == ["thick", "90"] else 0.0
            self.bench.do(
                operations.enter_readings,
                run_id=run.id,
                response_id=responses["Print time"],
                values=[60.0 + gain + 0.1 * (number % 4)],
                title="time",
            )
        self.stage(6)
        sentence = self.sentence("Print time-Interaction of lid and speed")
        # The gain of 12 min shows only with both.
        self.assertRegex(sentence, r"^Print time, interaction of lid and speed: −1[12]\.\d+ min")
        self.assertNotIn("for the better", sentence)
        alone = "Print time-lid thick against lid thin, speed 60"
        self.assertIn("Print time, lid thick against lid thin, speed 60: ", self.sentence(alone))
        self.assertIn("lid thick against lid thin", self.sentence("Print time-lid thick against lid thin"))
