"""Readings that look like a slip are asked about once; and how few keys a whole print takes."""

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from oddtwin import operations
from oddtwin.core.readings import ResponseKind
from oddtwin.core.standing import Stage
from tests.ui.window import InWindow


def planned(do):
    do(operations.add_study, name="Trial")
    do(operations.add_factor, study_id=1, kind="slicer setting", name="seam", levels=("line", "scattered"))
    do(operations.add_response, study_id=1, name="Sizes", unit="mm", kind=ResponseKind.SIZE)
    do(operations.add_response, study_id=1, name="Blobs", unit="", kind=ResponseKind.GRADE)
    do(operations.add_machine, name="Marlow")
    sizes = [{"name": "length", "mm": 40.0}, {"name": "width", "mm": 20.0}]
    do(operations.add_piece, name="Ring", zones=["a", "b", "c", "d"], minutes=60.0, part_g=20.0)
    do(operations.edit_piece, piece_id=1, name="Ring", sizes=sizes)
    do(
        operations.draw_runs,
        study_id=1, repeats=2, twins=1, seed=4, machine_ids=[1], piece_ids=[1],
    )  # fmt: skip
    for run_id in (1, 2):
        do(operations.start_run, run_id=run_id, code="x")
        do(operations.finish_run, run_id=run_id, code="x")


class Typing(InWindow):
    def setUp(self):
        super().setUp()
        self.assertTrue(self.bench.create_book(self.folder / "shed", "Shed"))
        planned(self.bench.do)
        self.window.open_study(1)
        self.window.show_stage(Stage.PRINT)
        self.settle()

    def values(self, name, run_id=None):
        response = next(one for one in self.bench.study.responses if one.name == name)
        return [
            one.value
            for one in self.bench.study.readings
            if one.response_id == response.id and (run_id is None or one.run_id == run_id)
        ]

    def other(self, name, value):
        response = next(one for one in self.bench.study.responses if one.name == name)
        self.bench.do(operations.enter_readings, run_id=2, response_id=response.id, values=[value], title="x")
        self.settle()

    def test_ten_times_the_others_is_asked_about_once_and_kept_if_it_is_meant(self):
        self.other("Part mass", 20.1)
        self.type_into("reading-Part mass", "201")
        self.assertEqual(self.values("Part mass", 1), [])
        self.assertIn("10 times what other prints read (20.1", self.texts())
        self.assertEqual(self.find("reading-Part mass").text(), "201")
        QTest.keyClick(self.find("reading-Part mass"), Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(self.values("Part mass", 1), [201.0])

    def test_what_is_typed_otherwise_is_asked_about_anew(self):
        self.other("Part mass", 20.1)
        self.type_into("reading-Part mass", "201")
        self.type_into("reading-Part mass", "2.01")
        self.assertEqual(self.values("Part mass", 1), [])
        self.assertIn("a 10th of what other prints read", self.texts())
        self.type_into("reading-Part mass", "20.3")
        self.settle()
        self.assertEqual(self.values("Part mass", 1), [20.3])

    def test_a_first_reading_and_one_like_the_others_are_not_asked_about(self):
        self.type_into("reading-Part mass", "201")
        self.settle()
        self.assertEqual(self.values("Part mass", 1), [201.0])
        self.other("Part mass", 190)
        self.type_into("reading-Part mass", "240")
        self.settle()
        self.assertEqual(self.values("Part mass", 1), [240.0])

    def test_a_size_far_from_its_nominal_is_asked_about(self):
        self.type_into("reading-Sizes-length", "20.1")
        self.assertIn("more than 20 % off its nominal of 40", self.texts())
        self.assertEqual(self.values("Sizes"), [])
        self.type_into("reading-Sizes-length", "40.1")
        self.settle()
        self.assertEqual(self.values("Sizes"), [40.1])

    def test_a_whole_print_takes_no_more_than_eighteen_keys_beyond_its_digits(self):
        order = ["63", "20.1", "1.2", "40.05", "19.98", "0", "1", "2", "0"]
        field = self.find("reading-Print time")
        field.setFocus()
        beyond = 0
        for value in order:
            QTest.keyClicks(self.application.focusWidget(), value)
            self.settle()
            # A grade goes on by itself; a number wants Enter.
            if len(value) > 1:
                QTest.keyClick(self.application.focusWidget(), Qt.Key.Key_Return)
                beyond += 1
                self.settle()
            elif not self.focused.startswith("reading-Blobs") and value != order[-1]:
                self.fail(f"a grade led to {self.focused}")
        self.assertEqual(self.values("Print time", 1), [63.0])
        self.assertEqual(self.values("Sizes", 1), [40.05, 19.98])
        self.assertEqual(self.values("Blobs", 1), [0.0, 1.0, 2.0, 0.0])
        self.assertLessEqual(beyond, 18)
