"""Finding something in the lab book: by parts of words, everywhere a person writes, and opened by Enter."""

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from oddtwin import operations
from oddtwin.store import search
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
