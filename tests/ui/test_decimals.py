"""Where a comma stands before decimals it is shown and read so, and never in what a program reads."""

import json
from unittest import mock

from PySide6.QtCore import QLocale

from oddtwin import operations
from oddtwin.core.decide import as_json
from oddtwin.core.judgement import analyse
from oddtwin.core.quantities import format_number, write_decimals_with
from oddtwin.core.readings import ResponseKind
from oddtwin.store.exchange import write_study
from oddtwin.ui.widgets.place import as_typed_here, typed_quantity, typed_reading, write_as_here
from tests.cases import study_in
from tests.ui.window import InWindow


def printed(do):
    do(operations.add_factor, study_id=1, kind="part", name="hot end", levels=("old", "new"))
    do(operations.add_response, study_id=1, name="Force", unit="N", kind=ResponseKind.QUANTITY)
    do(operations.add_machine, name="Heron")
    do(operations.add_piece, name="Ring", zones=["rim"], minutes=60.0)
    do(operations.draw_runs, study_id=1, repeats=3, twins=0, seed=3, machine_ids=[1], piece_ids=[1])
    study = do(study_in, study_id=1)
    force = next(one for one in study.responses if one.name == "Force")
    for number, run in enumerate(study.runs):
        do(operations.start_run, run_id=run.id, code=run.code)
        do(operations.finish_run, run_id=run.id, code=run.code)
        value = 12.5 + 0.25 * (number % 2) - 3 * (run.arm_id == study.change.id)
        do(operations.enter_readings, run_id=run.id, response_id=force.id, values=[value], title="Force")


class Comma(InWindow):
    def setUp(self):
        super().setUp()
        with mock.patch.object(QLocale, "decimalPoint", lambda _: ","):
            write_as_here()
        self.addCleanup(write_decimals_with, ".")

    def test_any_other_sign_is_a_point(self):
        with mock.patch.object(QLocale, "decimalPoint", lambda _: "٫"):
            write_as_here()
        self.assertEqual(format_number(2.5), "2.5")

    def test_the_verdict_has_commas_and_files_have_points(self):
        self.new_study("Trial", printed)
        self.stage(6)
        self.settle()
        self.assertRegex(self.sentence("Force"), r"−\d,\d+ N .*interval −\d,\d+ to −\d,\d+")
        study = self.bench.study
        finding = next(one for one in analyse(study).findings if one.comparison.response == "Force")
        figures = json.loads(json.dumps(as_json(finding)))
        self.assertLess(figures["estimate"], -2.0)
        self.assertIn('"value": 12.5', write_study(study))

    def test_what_is_typed_with_a_comma_is_no_thousand_and_is_shown_so_again(self):
        self.new_study("Trial", printed)
        self.type_into("margin-Force", "1,125")
        self.settle()
        force = next(one for one in self.bench.study.responses if one.name == "Force")
        self.assertEqual(force.margin, 1.125)
        self.assertEqual(self.find("margin-Force").text(), "1,125")

    def test_a_point_that_may_mean_thousands_is_asked_about(self):
        self.new_study("Trial", printed)
        self.type_into("margin-Force", "1.250")
        self.settle()
        force = next(one for one in self.bench.study.responses if one.name == "Force")
        self.assertIsNone(force.margin)
        self.assertIn("can be 1,25 or 1250", self.texts())
        self.type_into("margin-Force", "1.25")
        self.settle()
        force = next(one for one in self.bench.study.responses if one.name == "Force")
        self.assertEqual(force.margin, 1.25)

    def test_what_an_instrument_shows_is_read_as_it_was_sent(self):
        for sent in ("12.345", "0.125", "7", "120.000"):
            self.assertEqual(typed_quantity(as_typed_here(sent), "mm"), float(sent))
        self.assertEqual(typed_reading("1.234,5", ResponseKind.QUANTITY, "mm").value, 1234.5)
        write_decimals_with(".")
        self.assertEqual(as_typed_here("12.345"), "12.345")
        self.assertEqual(typed_quantity("1.250", "mm"), 1.25)
