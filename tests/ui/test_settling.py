"""Settle: arms weighed up, decisions with their condition and prices, and studies that go on."""

from datetime import timedelta
from unittest import mock

from PIL import Image
from PySide6.QtCore import Qt
from sqlalchemy import select

from oddtwin import operations
from oddtwin.core.quantities import now, write_moment
from oddtwin.core.study import DecisionKind, FollowUp, LookAt, make_up
from oddtwin.core.tradeoff import prices_of
from oddtwin.store import StoreError, StudyFilter, load_known, load_machine_changes, load_study
from oddtwin.store.exchange import read_study, write_study
from oddtwin.store.schema import PLATE, RUN
from oddtwin.work.verifying import verify_pack
from tests.ui.test_screens import WithPrints


class AtTheEnd(WithPrints):
    """All prints are measured; the change saves 20 minutes, and its hot end cost 12."""

    def setUp(self):
        super().setUp()
        do = self.bench.do
        levels = self.bench.study.factors[0].levels
        do(operations.edit_level, level_id=levels[1].id, value="new", cost=12.0)
        do(operations.edit_machine, machine_id=1, name="Marlow", cost_per_h=0.9, power_w=100.0)
        do(operations.edit_rates, energy_per_kwh=0.3, labour_per_h=24.0)
        do(operations.add_spool, name="Chalk")
        do(operations.edit_spool, spool_id=1, name="Chalk", price_per_kg=20.0)
        self.bench.reveal(LookAt.VERDICT)
        self.stage(7)
        self.settle()

    def cells(self, row):
        table = self.find("scorecard")
        return [table.item(row, column).text() for column in range(table.columnCount())]


class Weighing(AtTheEnd):
    def test_the_scorecard_and_what_follows_are_told(self):
        self.assertIn("Baseline is beaten by Change", self.texts())
        self.assertIn("Change saves 0.3", self.texts())
        self.assertEqual((self.cells(0)[0], self.cells(0)[-1]), ("Baseline", "beaten by Change"))
        self.assertEqual(self.cells(1)[-1], "not beaten")
        self.assertIn("pays back after", self.texts())
        self.type_into("printsAMonth", "20")
        self.settle()
        self.assertIn("months at 20 prints a month", self.texts())

    def test_the_picture_shows_any_two(self):
        along = self.find("weighAlong")
        along.setCurrentIndex(along.findData("time"))
        up = self.find("weighUp")
        up.setCurrentIndex(up.findData("money"))
        self.settle()
        card = self.find("weighAlong").parentWidget()
        told = [one.accessibleName() for one in card.findChildren(type(self.window).__mro__[-3]) if one]
        self.assertTrue(any("Print time, min against Money" in text for text in told), told)

    def test_at_another_size_every_arm_is_told_with_its_interval_and_its_limits(self):
        self.assertNotIn("To be trusted from", self.texts())
        self.find("otherPieces").setValue(2)
        self.type_into("otherSize", "140")
        self.settle()
        table = self.find("atSize")
        self.assertEqual([table.item(row, 0).text() for row in (0, 1)], ["Baseline", "Change"])
        self.assertRegex(table.item(0, 3).text(), r"^[\d.]+  \([\d.]+ to [\d.]+\)$")
        self.assertIn("squared or cubed", self.find("atSizeTold").text())
        self.type_into("otherSize", "5")
        self.settle()
        self.assertEqual(self.find("atSizeTold").text(), "Give a size of 10 to 1000 % of the printed one.")
        self.assertFalse(table.isVisibleTo(self.window))
        # What cannot be read is refused, and the next size is reckoned without it.
        self.type_into("otherSize", "120")
        with mock.patch("PySide6.QtWidgets.QFileDialog.getOpenFileName", return_value=("/no.gcode", "")):
            self.click("otherSizeFile")
            self.settle()
        self.assertIn("/no.gcode", self.find("atSizeTold").text())
        self.click("reckonSize")
        self.settle()
        self.assertTrue(table.isVisibleTo(self.window))

    def test_the_slider_tells_the_cheapest_at_other_prices(self):
        slider = self.find("perKg")
        slider.setFocus()
        before = self.find("cheapest").text()
        self.assertIn("Change is the cheapest", before)
        self.keys(Qt.Key.Key_End)
        self.settle()
        self.assertIn("If a kilogram of filament cost 100.00", self.texts())
        self.assertNotEqual(self.find("cheapest").text(), before)

    def test_a_gate_shuts_an_arm_out(self):
        run = next(run for run in self.bench.study.runs if run.arm_id == self.bench.study.change.id)
        self.bench.do(operations.note_failure, run_id=run.id, code=run.code, how="broke while cleaning")
        self.settle()
        self.click("gate-no print fails")
        self.settle()
        self.assertIn("Change is out: 1 of", self.texts())
        self.assertIn("broke while cleaning", self.cells(1)[-1])


class Deciding(AtTheEnd):
    def choose(self, name, data):
        box = self.find(name)
        box.setCurrentIndex(box.findData(data))

    def whole(self, study_id):
        with self.bench.book.reading() as connection:
            return load_study(connection, study_id)

    def decide(self, kind, reason="less waste"):
        self.click(f"decide-{kind.name.lower()}")
        self.find("decisionReason").setPlainText(reason)
        self.click("settle")
        self.settle()

    def test_a_condition_goes_into_the_make_up_and_prices_are_kept(self):
        self.choose("whereKind", "above")
        self.find("whereLevel").setText("many")
        self.decide(DecisionKind.ADOPT)
        self.assertIn("as a number with its unit", self.texts())
        self.find("whereLevel").setText("1600")
        self.decide(DecisionKind.ADOPT)
        self.assertIn("Give the unit of 1600", self.texts())
        self.assertIsNone(self.bench.study.decision)
        self.find("whereLevel").setText("1600 mm/s²")
        self.find("verifyWeeks").setValue(6)
        self.decide(DecisionKind.ADOPT)
        decision = self.bench.study.decision
        self.assertEqual(decision.condition, "only above 1600 mm/s²")
        self.assertTrue(timedelta(days=41) < decision.verify_at - now() < timedelta(days=43))
        with self.bench.book.reading() as connection:
            (made,) = make_up(load_machine_changes(connection), 1)
        self.assertEqual(made.value, "new, only above 1600 mm/s²")
        self.assertIn("The baseline is to be printed again by", self.find("settled").text())
        # What filament costs tomorrow changes nothing of what was decided today.
        self.bench.do(operations.edit_spool, spool_id=1, name="Chalk", price_per_kg=99.0)
        self.assertEqual(prices_of(self.bench.study).per_kg, {"Chalk": 20.0})
        self.click("reopen")
        self.settle()
        self.assertIsNone(self.bench.study.decision)
        self.assertEqual(prices_of(self.bench.study).per_kg, {"Chalk": 99.0})

    def test_a_verification_that_is_due_is_said(self):
        self.find("verifyWeeks").setValue(1)
        self.decide(DecisionKind.KEEP)
        later = now() + timedelta(weeks=2)
        with mock.patch("oddtwin.ui.settle.settle.now", lambda: later):
            self.stage(6)
            self.stage(7)
            self.assertIn("was to be printed again by", self.find("settled").text())

    def test_a_verification_that_is_due_stands_on_the_bench_until_it_is_begun(self):
        self.find("verifyWeeks").setValue(1)
        long_ago = now() - timedelta(weeks=2)
        with mock.patch("oddtwin.operations.settling.now", lambda: long_ago):
            self.decide(DecisionKind.KEEP)
        self.keys(Qt.Key.Key_Home, alt=True)
        self.settle()
        self.assertIn("Settled: baseline kept; baseline due again", self.texts())
        self.bench.do(operations.go_on, study_id=1, kind=FollowUp.AGAIN)
        self.settle()
        self.assertEqual([one.due for one in self.bench.book.summaries()], [False, False])

    def test_it_holds_for_one_piece_or_in_words(self):
        self.choose("whereKind", "piece")
        self.decide(DecisionKind.ADOPT)
        self.assertEqual(self.bench.study.decision.condition, "only for the piece Ring")
        self.click("reopen")
        self.settle()
        self.choose("whereKind", "words")
        self.find("condition").setText("while the door is shut")
        self.decide(DecisionKind.ADOPT)
        self.assertEqual(self.bench.study.decision.condition, "while the door is shut")

    def test_a_verification_is_due_after_hours_of_printing_on_its_machine(self):
        self.find("verifyHours").setValue(3)
        long_ago = now() - timedelta(weeks=2)
        with mock.patch("oddtwin.operations.settling.now", lambda: long_ago):
            self.decide(DecisionKind.KEEP)
        self.assertIn("after 3 h of printing", self.find("settled").text())
        self.assertFalse(self.bench.book.summaries()[0].due, "what was printed before does not count")
        self.bench.do(operations.go_on, study_id=1, kind=FollowUp.AGAIN)
        (later,) = [one.id for one in self.bench.book.summaries() if one.id != 1]
        self.assertFalse(self.bench.book.summaries()[-1].due)
        self.bench.do(operations.remove_study, study_id=later, name="again")

        def printed(hours):
            begun = now() - timedelta(weeks=1)
            run = self.bench.study.runs[0]
            with self.bench.book.reading() as connection:
                plate = connection.execute(select(RUN.c.plate_id).where(RUN.c.id == run.id)).scalar_one()
            stamps = {
                "started": write_moment(begun),
                "finished": write_moment(begun + timedelta(hours=hours)),
            }
            self.bench.book.edit("clock", lambda edit: edit.update(PLATE, plate, **stamps))

        printed(2.9)
        self.assertFalse(self.bench.book.summaries()[-1].due)
        printed(3.1)
        self.assertTrue(self.bench.book.summaries()[-1].due)
        (due,) = self.bench.book.summaries(kept=StudyFilter("due"))
        self.assertEqual(due.id, 1)

    def test_what_goes_on_elsewhere_verifies_nothing_here(self):
        self.find("verifyWeeks").setValue(1)
        long_ago = now() - timedelta(weeks=2)
        with mock.patch("oddtwin.operations.settling.now", lambda: long_ago):
            self.decide(DecisionKind.KEEP)
        self.bench.do(operations.add_machine, name="Tessel")
        self.bench.do(operations.go_on, study_id=1, kind=FollowUp.NEXT_MACHINE)
        self.assertFalse(self.bench.book.summaries()[-1].due, "it may still be planned here")
        (later,) = [one.id for one in self.bench.book.summaries() if one.id != 1]
        self.bench.open_study(later)
        self.bench.do(
            operations.draw_runs, study_id=later, repeats=2, twins=0, seed=1, machine_ids=(2,), piece_ids=(1,)
        )
        self.assertTrue(self.bench.book.summaries()[-1].due)

    def test_tags_file_a_study_also_when_it_is_settled_and_filter_the_bench(self):
        self.decide(DecisionKind.KEEP)
        self.type_into("tags", " shelf,drying ,, shelf ")
        self.assertEqual(self.bench.study.tags, ("shelf", "drying"))
        self.bench.do(operations.add_study, name="Another")
        self.keys(Qt.Key.Key_Home, alt=True)
        self.settle()
        self.assertTrue(self.is_shown("study-1") and self.is_shown("study-2"))
        self.choose("tagFilter", "drying")
        self.settle()
        self.assertTrue(self.is_shown("study-1") and not self.is_shown("study-2"))
        self.choose("stateFilter", "open")
        self.settle()
        self.assertTrue(self.is_shown("noneListed") and not self.is_shown("study-1"))
        self.choose("tagFilter", "")
        self.settle()
        self.assertTrue(self.is_shown("study-2") and not self.is_shown("noneListed"))
        self.assertEqual(read_study(write_study(self.whole(1)), "x").tags, ("shelf", "drying"))

    def test_undecided_closes_the_study_too(self):
        self.decide(DecisionKind.UNDECIDED, "eight pairs were the rule; a finer scale would open it")
        self.assertTrue(self.bench.study.decision.kind.settles)
        run = self.bench.study.runs[0]
        with self.assertRaisesRegex(StoreError, "settled"):
            operations.set_aside(self.bench.book, run_id=run.id, code=run.code, reason="x")


class GoingOn(AtTheEnd):
    def test_the_same_is_asked_again_in_a_study_of_its_own(self):
        before = self.bench.study
        self.click("goOn-again")
        self.settle()
        study = self.bench.study
        self.assertEqual((study.name, study.parent_id), ("Trial, again", before.id))
        self.assertEqual([one.name for one in study.responses], [one.name for one in before.responses])
        self.assertEqual([level.value for level in study.factors[0].levels], ["old", "new"])
        self.assertEqual((study.runs, study.readings, study.looks, study.decision), ((), (), (), None))
        self.assertEqual(self.bench.study.plan.machine_ids, before.plan.machine_ids)

    def printed_again(self, minutes_of):
        """The study printed again, and its verdict looked at; minutes by the number of the print."""
        do = self.bench.do
        do(operations.draw_runs, study_id=2, repeats=2, twins=1, seed=5, machine_ids=[1], piece_ids=[1])
        minutes = next(one for one in self.bench.study.responses if one.name == "Print time")
        for number, run in enumerate(self.bench.study.runs):
            do(operations.start_run, run_id=run.id, code=run.code)
            do(operations.finish_run, run_id=run.id, code=run.code)
            do(
                operations.enter_readings,
                run_id=run.id,
                response_id=minutes.id,
                values=[minutes_of(number)],
                title="Print time",
            )
        self.stage(7)
        self.settle()
        self.assertNotIn("Since the study before", self.texts())
        self.bench.reveal(LookAt.VERDICT)
        self.settle()

    def test_what_became_of_the_arms_since_then_is_told(self):
        self.bench.do(operations.go_on, study_id=1, kind=FollowUp.AGAIN)
        self.window.open_study(2)
        self.printed_again(lambda number: 90.0 + number % 2)
        self.assertIn("Prints of the same arm in “Trial” and here.", self.texts())
        self.assertRegex(self.texts(), r"Print time, Baseline, Marlow, .*: \+30")

    def test_a_margin_that_cannot_be_held_against_then_is_told_of(self):
        self.bench.do(operations.go_on, study_id=1, kind=FollowUp.AGAIN)
        self.window.open_study(2)
        minutes = next(one for one in self.bench.study.responses if one.name == "Print time")
        self.bench.do(
            operations.edit_response, response_id=minutes.id, name=minutes.name, margin=5.0, percent=True
        )
        self.printed_again(lambda number: 0.0)
        self.assertIn("has values of zero or below, of which there is no percent", self.texts())
        self.assertIn("State the margin of Print time in its unit.", self.texts())

    def test_a_condition_is_held_the_same_from_then_on(self):
        operations.settle(
            self.bench.book, study_id=1, kind=DecisionKind.ADOPT, reason="x", condition="only on glass"
        )
        operations.go_on(self.bench.book, study_id=1, kind=FollowUp.AGAIN)
        self.window.open_study(2)
        self.assertIn("only on glass", [item.text for item in self.bench.study.held])

    def test_where_there_is_no_way_on_it_says_why(self):
        self.click("goOn-next_machine")
        self.assertIn("There is no other machine in the workshop", self.texts())
        self.click("goOn-middle")
        self.assertIn("No factor has levels that are numbers", self.texts())
        self.bench.do(operations.add_machine, name="Tarn")
        self.click("goOn-next_machine")
        self.settle()
        study = self.bench.study
        self.assertEqual([study.machines[key].name for key in study.plan.machine_ids], ["Tarn"])

    def test_the_middle_levels_lie_between(self):
        levels = self.bench.study.factors[0].levels
        self.click("goOn-again")
        self.settle()
        for level, value in zip(self.bench.study.factors[0].levels, ("0,2 mm", "0.3 mm"), strict=True):
            self.bench.do(operations.edit_level, level_id=level.id, value=value)
        self.stage(7)
        self.click("goOn-middle")
        self.settle()
        self.assertEqual(
            [level.value for level in self.bench.study.factors[0].levels], ["0,2 mm", "0,25 mm", "0.3 mm"]
        )
        self.assertEqual(len(levels), 2)


class Workshop(AtTheEnd):
    def test_noise_floors_stand_under_workshop(self):
        self.keys(Qt.Key.Key_Home, alt=True)
        self.click("tabWorkshop")
        self.settle()
        table = self.find("noiseFloors")
        rows = [
            [table.item(line, column).text() for column in range(table.columnCount())]
            for line in range(table.rowCount())
        ]
        (minutes,) = [row for row in rows if row[0] == "Print time"]
        self.assertEqual(minutes[1:3], ["Marlow", "Ring"])
        self.assertEqual((minutes[7], minutes[9]), ("1", "one study alone"))
        self.assertIn("borrows the floor of its machine and piece", self.find("floorsSaid").text())

    def test_without_twins_it_says_how_to_get_some(self):
        for run in self.bench.study.runs:
            self.bench.do(operations.set_aside, run_id=run.id, code=run.code, reason="spoilt")
        self.keys(Qt.Key.Key_Home, alt=True)
        self.click("tabWorkshop")
        self.settle()
        self.assertIn("No twins were measured yet", self.find("floorsSaid").text())


class Telling(AtTheEnd):
    def test_the_report_is_written_in_the_form_that_was_chosen(self):
        forms = self.find("reportForm")
        for place, (ending, begins) in enumerate(
            (
                (".html", b"<!DOCTYPE"),
                (".pdf", b"%PDF"),
                (".pdf", b"%PDF"),
                (".png", b"\x89PNG"),
                (".svg", b"<svg"),
                (".md", b"# "),
            )
        ):
            forms.setCurrentIndex(place)
            path = self.folder / f"told{place}"
            self.type_into("reportPath", str(path), enter=False)
            self.click("writeReport")
            self.settle()
            written = path.with_suffix(ending)
            self.assertIn(str(written), self.find("written").text())
            self.assertTrue(written.read_bytes().startswith(begins), forms.currentText())
        with Image.open(self.folder / "told3.png") as image:
            self.assertEqual(image.size, (1200, 675))

    def packed(self):
        self.type_into("reportPath", str(self.folder / "evidence"), enter=False)
        self.click("writePack")
        self.settle()
        return self.folder / "evidence.zip"

    def test_a_pack_is_written_and_taken_into_another_lab_book_once(self):
        path = self.packed()
        self.assertRegex(self.find("written").text(), r"evidence\.zip, 0\.\d MB, SHA-256 [0-9a-f]{64}")
        self.assertTrue(verify_pack(path).holds)
        self.click("writePack")
        self.settle()
        self.assertIn("is there already", self.texts())
        self.assertTrue(self.bench.create_book(self.folder / "other", "Other"))
        self.settle()
        for _ in range(2):
            self.click("importFile")
            self.type_into("importPath", str(path))
            self.settle()
            self.click("importGo")
            self.settle()
            self.assertEqual([one.name for one in self.bench.book.summaries()], ["Trial"])
            if self.bench.study is not None:
                self.click("home")
                self.settle()
        self.assertIn("is in the lab book already", self.texts())

    def test_a_pack_that_was_changed_is_refused_by_name(self):
        path = self.packed()
        spoilt = bytearray(path.read_bytes())
        at = spoilt.index(b"verdicts.json") + 400
        spoilt[at] ^= 1
        path.write_bytes(spoilt)
        with self.assertRaisesRegex(StoreError, "is not as it says|damaged|archive|no pack"):
            operations.take_pack(self.bench.book, path=path)
        self.assertEqual(len(self.bench.book.summaries()), 1)


class Remembering(AtTheEnd):
    def test_what_was_settled_is_shown_where_the_same_is_asked(self):
        with self.bench.book.reading() as connection:
            self.assertEqual(load_known(connection), [])
        self.click("decide-adopt")
        self.find("decisionReason").setPlainText("faster")
        self.click("settle")
        self.settle()
        self.bench.do(operations.add_study, name="Later")
        self.window.open_study(2)
        self.stage(1)
        self.assertFalse(self.is_shown("known-Print time"), "nothing is asked yet")
        self.bench.do(operations.add_factor, study_id=2, kind="part", name="Hot END", levels=("old", "new"))
        self.settle()
        self.assertIn("Print time, hot end old → new: −", self.find("known-Print time").text())
        self.assertIn("by 1 study", self.find("known-Print time").text())
        # Reopened, it is known no more.
        self.bench.do(operations.reopen, study_id=1)
        with self.bench.book.reading() as connection:
            self.assertEqual(load_known(connection), [])
        self.bench.undo()
        with self.bench.book.reading() as connection:
            self.assertTrue(load_known(connection))
