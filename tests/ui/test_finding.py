"""Finding something in the lab book: by parts of words, everywhere a person writes, and opened by Enter."""

from datetime import UTC, datetime, timedelta

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from oddtwin import operations
from oddtwin.core.picture import Happening, Rect, timeline
from oddtwin.store import load_study, search
from tests.ui.test_screens import two_pairs
from tests.ui.window import InWindow


class Finding(InWindow):
    def setUp(self):
        super().setUp()
        self.new_study("Hardened nozzle", two_pairs)
        run = self.bench.study.runs[0]
        do = self.bench.do
        do(operations.edit_run, run_id=run.id, code=run.code, note="odd squeak at 12 mm")
        do(operations.add_deviation, run_id=run.id, code=run.code, text="window was open")
        do(
            operations.log_machine_change,
            machine_id=1, kind="part", what="idler", before="", after="steel", fitting="bent 30 % of the arm",
        )  # fmt: skip
        self.click("home")
        self.settle()

    def hits(self, words):
        with self.bench.book.reading() as connection:
            return [(hit.kind, hit.title) for hit in search(connection, words)]

    def test_everywhere_that_a_person_writes_is_looked_through(self):
        self.assertEqual(self.hits("harden"), [("study", "Hardened nozzle")])
        self.assertEqual(self.hits("SQUEAK odd"), [("print", "Hardened nozzle")])
        self.assertEqual(self.hits("window open"), [("departure", "Hardened nozzle")])
        self.assertEqual(self.hits("steel idler"), [("change", "Marlow")])
        self.assertEqual(self.hits("hot end"), [("factor", "Hardened nozzle")])
        # All of the words, and signs as they are.
        self.assertEqual(self.hits("odd window"), [])
        self.assertEqual(self.hits("30 %"), [("change", "Marlow")])
        self.assertEqual(self.hits("3_0"), [])
        self.assertEqual(self.hits("  "), [])

    def test_it_is_found_as_it_is_typed_and_opened_by_enter(self):
        field = self.find("findWords")
        field.setFocus()
        self.press("squeak")
        QTest.qWait(260)
        self.settle()
        listed = self.find("findHits")
        self.assertIn("Hardened nozzle:  ", listed.item(0).text())
        self.enter(1)
        QTest.keyClick(self.window.focusWidget(), Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(self.bench.study.name, "Hardened nozzle")

    def test_what_is_nowhere_is_said(self):
        self.find("findWords").setFocus()
        self.press("xyzzy")
        QTest.qWait(260)
        self.settle()
        self.assertIn("Nothing holds all of “xyzzy”", self.find("findTold").text())
        self.assertFalse(self.is_shown("findHits"))

    def test_a_code_is_found_once_with_what_is_said_of_its_print(self):
        code = self.bench.book.summaries() and self.codes()[0]
        with self.bench.book.reading() as connection:
            (hit,) = search(connection, code)
            self.assertIn("odd squeak", hit.text)
            (other,) = search(connection, self.codes()[1])
        self.assertEqual(other.text, self.codes()[1])

    def codes(self):
        with self.bench.book.reading() as connection:
            return [run.code for run in load_study(connection, 1).runs]


class Lived(InWindow):
    def test_a_machine_s_years_stand_along_the_calendar_and_in_a_table(self):
        self.new_book(lambda do: do(operations.add_machine, name="Marlow"))
        self.click("tabMachines")
        self.settle()
        self.assertIn("Nothing was printed on it or changed on it yet.", self.texts())
        for day, what in (("2024-03-01", "idler"), ("2025-03-01", "hot end")):
            self.bench.do(
                operations.log_machine_change,
                machine_id=1,
                kind="part",
                what=what,
                before="",
                after="steel",
                at=datetime.fromisoformat(f"{day}T10:00:00+00:00"),
            )
        self.settle()
        table = self.find("lived")
        self.assertEqual(
            [table.item(row, column).text() for row in (0, 1) for column in (0, 3)],
            ["2025-03-01", "hot end: steel", "2024-03-01", "idler: steel"],
        )

    def test_the_picture_tells_what_it_shows(self):
        at = datetime(2026, 1, 1, tzinfo=UTC)
        later = at + timedelta(days=100)
        drawn = timeline(
            [Happening("study", at, later, "Drying"), Happening("change", later, later, "idler")], 700
        )
        self.assertEqual(drawn.description, "2026-01-01 to 2026-04-11: 1 study, 1 change, 0 calibrations")
        bars = [one for one in drawn.shapes if isinstance(one, Rect)]
        self.assertAlmostEqual(bars[0].x + bars[0].width, bars[1].x)
        self.assertEqual(timeline([], 700).shapes, ())
