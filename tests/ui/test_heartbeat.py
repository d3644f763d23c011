"""The window of a large study never stands still: its event loop is timed while the screens are used."""

import time
import unittest

from bench.books import wide_study
from PySide6.QtCore import QTimer

from oddtwin import operations
from oddtwin.core.readings import write_table
from oddtwin.core.standing import Stage
from oddtwin.core.study import tidy_readings
from oddtwin.store import LabBook
from tests.ui.window import InWindow

BEAT_MS = 5
LONGEST_MS = 2500
"""What stands still for seconds is caught here on any machine; on a quiet one the longest gap is
under 300 ms, and the goal is 100."""


class Heartbeat(InWindow):
    def setUp(self):
        super().setUp()
        book = LabBook.create(self.folder / "big", "Big")
        operations.add_whole_study(book, study=wide_study(8, 250))
        book.close()
        self.gaps, self.longest = {}, 0.0
        self.last = time.monotonic()
        self.beat = QTimer(self.window, interval=BEAT_MS)
        self.beat.timeout.connect(self.on_beat)
        self.beat.start()

    def on_beat(self):
        now = time.monotonic()
        self.longest = max(self.longest, 1000 * (now - self.last) - BEAT_MS)
        self.last = now

    def timed(self, name, act):
        """Do something and note the longest time without a beat until its work has ended."""
        self.settle()
        self.longest, self.last = 0.0, time.monotonic()
        act()
        self.settle()
        # One beat more, so that the last gap counts too.
        time.sleep(2 * BEAT_MS / 1000)
        self.application.processEvents()
        self.gaps[name] = self.longest

    def test_no_screen_of_a_large_study_holds_the_window_up(self):
        self.timed("open the book", lambda: self.bench.open_book(self.folder / "big", remember=False))
        self.timed("open the study", lambda: self.click("study-1"))
        for number, stage in enumerate(Stage, start=1):
            self.timed(stage.name, lambda number=number: self.stage(number))
        self.stage(2)
        for tab in ("planCan", "planTimetable", "planPaper"):
            self.timed(tab, lambda name=tab: self.click(name))
        run, response = self.bench.study.runs[5], self.bench.study.responses[0]
        self.stage(4)
        reading = {"run_id": run.id, "response_id": response.id, "values": [21.0], "title": "reading"}
        self.timed("a reading", lambda: self.bench.do(operations.enter_readings, **reading))
        self.timed("undo", self.undo)
        self.timed("home", lambda: self.click("home"))
        table = self.folder / "rows.csv"
        table.write_text(write_table(tidy_readings(wide_study(20, 250))), encoding="utf-8")
        self.click("importFile")
        self.timed("read 15 000 rows", lambda: self.type_into("importPath", str(table)))
        self.timed("keep them", lambda: self.click("importGo"))
        self.assertEqual(len(self.bench.study.runs), 500)
        slow = {name: round(gap) for name, gap in self.gaps.items() if gap > LONGEST_MS}
        self.assertEqual(slow, {}, f"all: { {name: round(gap) for name, gap in self.gaps.items()} }")

    def test_the_heart_does_stop_where_something_blocks(self):
        self.timed("asleep", lambda: time.sleep(0.3))
        self.assertGreater(self.gaps["asleep"], 250)


if __name__ == "__main__":
    unittest.main()
