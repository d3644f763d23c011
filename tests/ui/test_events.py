"""What happens while a plate prints: one key each, with the time; heights are typed beside it."""

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from oddtwin import operations
from oddtwin.core.standing import Stage
from oddtwin.core.study import EventKind
from tests.ui.test_slips import planned
from tests.ui.window import InWindow


class Happening(InWindow):
    def setUp(self):
        super().setUp()
        self.assertTrue(self.bench.create_book(self.folder / "shed", "Shed"))
        planned(self.bench.do)
        self.window.open_study(1)
        self.window.show_stage(Stage.PRINT)
        self.settle()
        # Two prints are done; the third waits.
        self.find("runList").setCurrentRow(2)
        self.settle()

    def events(self, row=2):
        return self.bench.study.runs[row].plate.events

    def strike(self, *keys):
        for key in keys:
            QTest.keyClick(self.window.focusWidget(), key)
            self.settle()

    def test_one_key_notes_what_happened_and_the_next_stamp_stays_at_hand(self):
        self.strike(Qt.Key.Key_2)
        self.assertEqual(self.events(), ())
        self.strike(Qt.Key.Key_Return, Qt.Key.Key_1, Qt.Key.Key_3, Qt.Key.Key_2)
        self.assertEqual(
            [event.kind for event in self.events()],
            [EventKind.FIRST_LAYER, EventKind.BLOB, EventKind.LOOSE],
        )
        run = self.bench.study.runs[2]
        self.assertTrue(all(event.at >= run.started for event in run.plate.events))
        self.strike(Qt.Key.Key_Return)
        self.assertIsNotNone(self.bench.study.runs[2].finished)
        self.assertIn("Came loose", self.texts())

    def test_height_is_typed_beside_it_and_can_be_mended(self):
        self.strike(Qt.Key.Key_Return, Qt.Key.Key_3)
        self.type_into("height-0", "1.2 cm")
        self.assertEqual(self.events()[0].sentence, "blob at 12 mm")
        self.type_into("height-0", "-3")
        self.assertIn("A height lies between 0 and 10000 mm.", self.texts())
        self.assertEqual(self.events()[0].z_mm, 12.0)
        self.find("height-0").selectAll()
        self.keys(Qt.Key.Key_Delete, Qt.Key.Key_Return)
        self.assertIsNone(self.events()[0].z_mm)
        self.click("takeBack-0")
        self.assertEqual(self.events(), ())
        self.bench.undo()
        self.settle()
        self.assertEqual(self.events()[0].kind, EventKind.BLOB)

    def test_first_layer_is_good_once(self):
        self.strike(Qt.Key.Key_Return, Qt.Key.Key_1, Qt.Key.Key_1)
        self.assertEqual(len(self.events()), 1)
        self.assertIn("was noted already", self.texts())

    def test_digits_in_a_field_are_digits(self):
        self.strike(Qt.Key.Key_Return)
        self.type_into("spool", "slate 3")
        self.assertEqual(self.events(), ())
        self.assertEqual(self.bench.study.runs[2].spool, "slate 3")

    def test_what_is_set_aside_takes_no_more_events_and_shows_those_it_has(self):
        self.strike(Qt.Key.Key_Return, Qt.Key.Key_3)
        run = self.bench.study.runs[2]
        self.bench.do(operations.set_aside, run_id=run.id, code=run.code, reason="came loose")
        self.settle()
        self.assertFalse(self.is_shown("event-blob"))
        self.find("height-0")
