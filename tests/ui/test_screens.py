"""Each screen by itself: what goes wrong is said where it happens, and nothing typed is lost."""

import shutil
import unittest
from datetime import datetime, timedelta

from PySide6.QtCore import QSize, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLabel, QScrollBar, QTableWidget

from oddtwin import operations
from oddtwin.core.readings import ResponseKind, read_table, write_table
from oddtwin.core.standing import Stage
from oddtwin.core.study import LookAt, tidy_readings
from oddtwin.store import LabBook, recent_books
from oddtwin.store.exchange import read_study, report_html
from oddtwin.ui.verdict.finding import FindingCard
from tests.builders import SHOES_A, SHOES_B, pairs
from tests.cases import study_in
from tests.ui.window import InWindow


class WelcomeScreen(InWindow):
    def test_what_is_missing_or_wrong_is_said_beneath_the_field_or_above(self):
        self.find("newBookFolder").clear()
        self.click("makeBook")
        self.assertIn("Please type a folder.", self.texts())
        self.click("openBook")
        self.assertIn("Please type or choose a folder.", self.texts())
        self.type_into("openBookFolder", str(self.folder / "nowhere"))
        self.assertIn("is not a lab book", self.message)
        self.click("closeMessage")
        self.assertEqual(self.message, "")
        (self.folder / "full").mkdir()
        (self.folder / "full" / "letter").write_text("x")
        self.type_into("newBookFolder", str(self.folder / "full"))
        self.assertIn("not empty", self.message)

    def test_books_opened_lately_are_offered(self):
        folder = self.type_new_book()
        self.assertEqual(recent_books(), [folder])
        self.window._on_leave_book()
        self.click("recent")
        self.settle()
        self.assertEqual(self.find("home").text(), "Shed")

    def test_the_demo_can_be_looked_at_and_is_not_remembered(self):
        self.click("openDemo")
        self.settle()
        self.assertIn("Seam scattered or in line", self.texts())
        self.assertEqual(recent_books(), [])

    def test_a_damaged_book_is_refused_and_the_open_one_stays(self):
        self.new_study()
        (self.folder / "broken").mkdir()
        (self.folder / "broken" / "labbook.sqlite").write_bytes(b"no database at all" * 50)
        self.assertFalse(self.bench.open_book(self.folder / "broken"))
        self.assertIn("not a lab book", self.message)
        self.assertEqual(self.bench.study.name, "Trial")


class SharedBook(InWindow):
    def test_a_book_that_is_open_elsewhere_is_read_only_and_says_so(self):
        other = LabBook.create(self.folder / "b", "Other shed")
        self.addCleanup(other.close)
        operations.add_study(other, name="Trial")
        self.bench.open_book(self.folder / "b")
        self.settle()
        self.assertIn("open in another window", self.message)
        self.assertFalse(self.find("addStudy").isEnabled())
        self.window.open_study(1)
        self.settle()
        self.assertFalse(self.find("question").isEnabled())
        self.undo()
        self.assertEqual(len(other.summaries()), 1)


class Bench(InWindow):
    def setUp(self):
        super().setUp()
        self.new_book()

    def test_a_study_needs_a_name(self):
        self.click("addStudy")
        self.assertIn("Please type a name for the study first.", self.texts())
        self.assertEqual(self.bench.book.summaries(), [])

    def test_buttons_answer_to_enter_and_to_space(self):
        for key in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.find("tabMachines").setFocus()
            self.keys(key)
            self.assertTrue(self.is_shown("newMachine"))
            self.find("tabStudies").setFocus()
            self.keys(key)
            self.assertTrue(self.is_shown("newStudyName"))

    def test_removing_a_study_can_be_undone(self):
        self.type_into("newStudyName", "Trial")
        self.settle()
        self.click("home")
        self.settle()
        line = self.find("study-1")
        removing = [b for b in line.children() if getattr(b, "toolTip", str)().startswith("Remove")]
        QTest.mouseClick(removing[0], Qt.MouseButton.LeftButton)
        self.settle()
        self.assertIn("No study yet", self.texts())
        self.assertIn("remove study Trial", self.find("undo").toolTip())
        self.undo()
        self.settle()
        self.assertTrue(self.is_shown("study-1"))

    def test_a_line_opens_with_enter_and_with_a_click(self):
        self.type_into("newStudyName", "Trial")
        self.settle()
        for act in (lambda: self.find("study-1").setFocus() or self.enter(), lambda: self.click("study-1")):
            self.click("home")
            self.settle()
            self.assertIsNone(self.bench.study)
            act()
            self.settle()
            self.assertEqual(self.bench.study.name, "Trial")

    def test_a_book_that_vanishes_is_told_in_a_sentence(self):
        shutil.rmtree(self.bench.book.folder)
        self.click("tabStudies")
        self.assertIn("cannot be read", self.message)
        self.type_into("newStudyName", "Trial")
        self.settle()
        self.assertIn("not kept", self.message)

    def test_many_studies_are_all_listed_in_the_end(self):
        for number in range(40):
            operations.add_study(self.bench.book, name=f"Study {number}")
        self.click("tabStudies")
        for _ in range(100):
            if self.is_shown("study-1"):
                break
            QTest.qWait(20)
        self.assertTrue(self.is_shown("study-1"))
        self.assertTrue(self.is_shown("study-40"))

    def test_machines_and_their_change_log(self):
        self.click("tabMachines")
        self.assertFalse(self.find("logChange").isEnabled())
        self.type_into("newMachine", "Marlow")
        self.type_into("logWhat", "idler tension", enter=False)
        self.type_into("logAfter", "3 turns", enter=False)
        self.click("logChange")
        self.settle()
        self.assertEqual(self.find("changes").item(0, 3).text(), "idler tension")
        self.click("logChange")
        self.assertIn("Please type a name for the change", self.message)

    def test_help_has_a_way_back_to_where_one_was(self):
        self.bench.do(operations.add_study, name="Trial")
        self.window.open_study(1)
        self.stage(2)
        for back in (lambda: self.click("helpBack"), self.escape, lambda: self.keys(Qt.Key.Key_F1)):
            self.keys(Qt.Key.Key_F1)
            self.settle()
            self.assertEqual(self.focused, "helpBack")
            back()
            self.settle()
            self.assertTrue(self.is_shown("planMachine"))

    def test_escape_closes_what_was_opened_beside_the_studies(self):
        for opened, shown in (("importFile", "importPath"), ("questionCardsButton", "questionCards")):
            self.click(opened)
            self.settle()
            self.escape()
            self.assertFalse(self.is_shown(shown))
        self.assertEqual(self.focused, "newStudyName")

    def escape(self):
        self.keys(Qt.Key.Key_Escape)

    def test_history_tells_what_was_done_and_undone(self):
        self.type_into("newStudyName", "Trial")
        self.settle()
        self.undo()
        self.settle()
        self.click("tabHistory")
        table = self.find("history")
        self.settle()
        self.assertEqual([table.item(line, 4).text() for line in range(2)], ["undo", "edit"])
        self.assertEqual(table.item(0, 2).text(), "new study Trial")

    def test_history_keeps_the_lines_that_hold_what_is_typed(self):
        for name in ("Margin of error", "Another"):
            self.bench.do(operations.add_study, name=name)
        self.click("tabHistory")
        self.settle()
        self.find("historyFilter").setText("study margin")
        table = self.find("history")
        self.assertEqual([table.item(0, 1).text(), table.rowCount()], ["Margin of error", 1])
        self.assertIn("1 of the newest", self.find("historyTold").text())


class Importing(InWindow):
    def setUp(self):
        super().setUp()
        self.new_book()
        self.click("importFile")

    def write(self, name, text):
        path = self.folder / name
        path.write_text(text, encoding="utf-8")
        return str(path)

    def test_readings_ask_for_the_baseline(self):
        text = write_table(pairs(SHOES_A, SHOES_B, response="Wear", unit="mm"))
        self.type_into("importPath", self.write("shoes.csv", text))
        self.settle()
        arms = self.find("importBaseline")
        self.assertIsInstance(arms, QComboBox)
        self.assertEqual([arms.itemText(place) for place in range(arms.count())], ["A", "B"])
        self.click("importGo")
        self.settle()
        self.assertEqual((self.bench.study.name, self.bench.study.baseline.name), ("shoes", "A"))
        self.assertEqual(write_table(tidy_readings(self.bench.study)), text)
        self.stage(6)
        self.assertIn("+0.41 mm", self.sentence("Wear"))

    def test_a_study_that_is_no_longer_wanted_does_not_come_after_one(self):
        self.type_into("importPath", "")
        self.type_into("newStudyName", "Trial")
        self.click("home")
        self.settle()
        self.assertIsNone(self.bench.study)
        self.assertTrue(self.is_shown("newStudyName"))

    def test_wrong_files_are_told_with_the_place_and_change_nothing(self):
        self.type_into("importPath", self.write("bad.csv", "arm,value\nA,1\nB,much\n"))
        self.settle()
        self.assertIn("bad.csv, line 3, column value", self.texts())
        self.type_into("importPath", self.write("bad.json", '{"format": "other"}'))
        self.click("importGo")
        self.assertIn("Nothing was imported", self.texts())
        self.type_into("importPath", str(self.folder / "missing.csv"))
        self.settle()
        self.assertIn("cannot be read", self.texts())
        self.type_into("importPath", self.write("one.csv", "arm,value\nA,1\nA,2\nA,3\n"))
        self.settle()
        self.click("importGo")
        self.assertIn("compares two arms", self.texts())
        self.assertEqual(self.bench.book.summaries(), [])


class AskScreen(InWindow):
    def setUp(self):
        super().setUp()
        self.new_study()

    def margins(self):
        return {item.name: item.margin for item in self.bench.study.responses}

    def test_a_wrong_margin_is_kept_in_the_field_until_it_is_right(self):
        self.type_into("margin-Waste", "some")
        self.assertIn("“some” is not a number", self.texts())
        self.assertEqual(self.find("margin-Waste").text(), "some")
        self.assertIsNone(self.margins()["Waste"])
        self.type_into("margin-Waste", "0,5 oz")
        self.assertNotIn("is not a number", self.texts())
        self.assertAlmostEqual(self.margins()["Waste"], 14.1747615625)
        self.type_into("margin-Waste", "0")
        self.assertIn("must be above zero", self.message)

    def test_typing_is_not_lost_to_a_shortcut(self):
        self.type_into("margin-Waste", "2", enter=False)
        self.stage(2)
        self.assertEqual(self.margins()["Waste"], 2.0)
        self.stage(1)
        self.type_into("studyName", "Another name", enter=False)
        self.keys(Qt.Key.Key_Home, alt=True)
        self.settle()
        self.assertEqual(self.bench.book.summaries()[0].name, "Another name")

    def test_undo_reaches_the_fields(self):
        self.type_into("margin-Waste", "2")
        self.type_into("margin-Print time", "10")
        self.undo()
        self.assertEqual(self.find("margin-Print time").text(), "")
        self.undo()
        self.assertEqual(self.find("margin-Waste").text(), "")
        self.redo()
        self.assertEqual(self.find("margin-Waste").text(), "2")

    def test_undo_first_takes_back_what_is_being_typed(self):
        self.type_into("margin-Waste", "2")
        self.type_into("margin-Waste", "37", enter=False)
        self.undo()
        self.assertEqual(self.margins()["Waste"], 2.0)
        self.assertNotEqual(self.find("margin-Waste").text(), "37")

    def test_a_response_is_renamed_in_place(self):
        self.type_into("name-Waste", "Rubbish")
        self.assertEqual(self.bench.study.responses[2].name, "Rubbish")
        self.type_into("name-Waste", "Print time")
        self.assertIn("already", self.message)
        self.assertEqual(self.find("name-Waste").text(), "Print time")
        self.keys(Qt.Key.Key_Escape)
        self.assertEqual((self.find("name-Waste").text(), self.message), ("Rubbish", ""))
        self.type_into("unit-Waste", "kg")
        self.type_into("margin-Waste", "1 lb")
        self.assertAlmostEqual(self.bench.study.responses[2].margin, 0.45359237)

    def test_arms_need_different_names(self):
        self.type_into("changeName", "Baseline")
        self.assertIn("Two arms", self.message)
        self.keys(Qt.Key.Key_Escape)
        self.assertEqual(self.find("changeName").text(), "Change")

    def test_the_deciding_response_and_directions(self):
        self.click("decides-Waste")
        self.assertEqual([r.name for r in self.bench.study.responses if r.primary], ["Waste"])
        self.find("better-Waste").setFocus()
        self.keys(Qt.Key.Key_Down, Qt.Key.Key_Down)
        self.assertEqual(self.bench.study.responses[2].better, "target")
        self.type_into("target-Waste", "3")
        self.assertEqual(self.bench.study.responses[2].target, 3.0)

    def test_two_changes_raise_a_threat_at_once(self):
        for name in ("speed", "cooling"):
            self.type_into("newFactorName", name, enter=False)
            self.click("addFactor")
        self.settle()
        self.assertTrue(self.is_shown("threat-two-changes"))
        self.undo()
        self.settle()
        self.assertFalse(self.is_shown("threat-two-changes"))

    def test_what_has_no_name_is_asked_for(self):
        self.click("addFactor")
        self.assertIn("Please type what differs.", self.texts())
        self.click("addResponse")
        self.assertIn("Please type what to measure.", self.texts())
        self.click("addHeld")
        self.assertIn("what must stay the same", self.message)

    def test_a_held_line_is_added_reworded_and_removed(self):
        self.type_into("newHeld", "Lamp on")
        self.type_into("held-1", "Same lot")
        texts = [item.text for item in self.bench.study.held]
        self.assertEqual((texts[0], texts[-1]), ("Same lot", "Lamp on"))


def two_pairs(do):
    do(operations.edit_study, study_id=1, question="Why?")
    do(operations.add_factor, study_id=1, kind="part", name="hot end", levels=("old", "new"))
    do(operations.edit_response, response_id=1, name="Print time", primary=True, margin=5.0)
    do(operations.add_machine, name="Marlow")
    do(operations.add_piece, name="Ring", zones=["rim"], minutes=60.0)
    do(operations.draw_runs, study_id=1, repeats=2, twins=1, seed=3, machine_ids=[1], piece_ids=[1])


def print_one(do, run, time=60.0):
    at = datetime(2026, 3, 9, 9, 0) + timedelta(hours=2 * run.position)
    do(operations.start_run, run_id=run.id, code=run.code, at=at)
    do(operations.finish_run, run_id=run.id, code=run.code, at=at + timedelta(hours=1))
    for response, value in ((1, time), (2, 20.0), (3, 2.0)):
        do(operations.enter_readings, run_id=run.id, response_id=response, values=[value], title="x")


def printed(do):
    two_pairs(do)
    study = do(study_in, study_id=1)
    for number, run in enumerate(study.runs):
        print_one(do, run, time=60.0 + 0.2 * number - 20.0 * (run.arm_id == study.change.id))


class WithPlan(InWindow):
    """A window with a study whose order of two pairs and a twin is drawn."""

    def setUp(self):
        super().setUp()
        self.new_study("Trial", two_pairs)

    def print_run(self, run):
        print_one(self.bench.do, run)


class WithPrints(InWindow):
    """A window with a study whose prints are all made and measured: the change saves 20 minutes."""

    def setUp(self):
        super().setUp()
        self.new_study("Trial", printed)


class PlanScreen(WithPlan):
    def test_a_seed_must_be_a_whole_number(self):
        self.stage(2)
        for wrong in ("-", "-4", "many", "1.5", "12345678901"):
            self.type_into("seed", wrong, enter=False)
            self.click("draw")
            self.assertIn("Type a whole number", self.texts())
        self.click("anotherSeed")
        self.click("draw")
        self.assertNotIn("Type a whole number", self.texts())

    def test_nothing_ticked_is_no_plan(self):
        self.stage(2)
        self.click("machine-Marlow")
        self.assertIn("Choose at least one machine", self.find("totals").text())
        self.click("draw")
        self.assertIn("at least one machine", self.message)

    def test_after_the_first_start_pairs_are_added(self):
        self.print_run(self.bench.study.runs[0])
        self.stage(2)
        self.assertFalse(self.is_shown("draw"))
        self.type_into("morePairs", "2")
        self.click("addPairs")
        self.assertEqual(len(self.bench.study.runs), 9)

    def test_estimates_are_typed_with_units(self):
        self.stage(2)
        self.type_into("minutes-Ring", "1h30")
        self.assertIn("7 h 30 min", self.find("totals").text().replace("\u202f", " "))
        self.type_into("minutes-Ring", "soon")
        self.assertIn("is not a time", self.texts())


class PressScreen(WithPlan):
    def setUp(self):
        super().setUp()
        self.stage(4)

    def now(self):
        code = self.find("runCode").text()
        return next(run for run in self.bench.study.runs if run.code == code)

    def test_the_minutes_between_the_stamps_are_taken_with_enter(self):
        run = self.now()
        start = datetime(2026, 3, 9, 9, 0)
        self.bench.do(operations.start_run, run_id=run.id, code=run.code, at=start)
        self.bench.do(operations.finish_run, run_id=run.id, code=run.code, at=start + timedelta(minutes=73))
        field = self.find("reading-Print time")
        self.assertIn("73 by the stamps", field.placeholderText())
        field.setFocus()
        self.enter()
        self.assertEqual([item.value for item in self.bench.study.readings], [73.0])
        self.assertEqual(self.focused, "reading-Part mass")

    def test_a_wrong_reading_stays_in_the_field_and_the_focus_with_it(self):
        self.enter(2)
        self.settle()
        self.press("1h")
        self.enter()
        self.press("twelve")
        self.enter()
        self.assertIn("“twelve” is not a number", self.texts())
        self.assertEqual(self.focused, "reading-Part mass")
        self.assertEqual(len(self.bench.study.readings), 1)
        self.find("reading-Part mass").selectAll()
        self.press("3 oz")
        self.enter()
        self.assertAlmostEqual(self.bench.study.readings[1].value, 85.048569375)
        self.assertEqual(self.focused, "reading-Waste")

    def test_a_reading_is_taken_out_by_emptying_its_field(self):
        self.enter(2)
        self.settle()
        self.press("60; 62")
        self.enter()
        self.assertEqual([item.value for item in self.bench.study.readings], [60.0, 62.0])
        self.find("reading-Print time").setFocus()
        self.find("reading-Print time").selectAll()
        self.keys(Qt.Key.Key_Delete)
        self.enter()
        self.assertEqual(self.bench.study.readings, ())

    def test_departures_notes_and_the_spool(self):
        run = self.now()
        self.click("departure-Firmware left alone")
        self.settle()
        self.assertTrue(self.is_shown("threat-not-held"))
        self.click("departure-Firmware left alone")
        self.settle()
        self.assertFalse(self.is_shown("threat-not-held"))
        self.type_into("otherDeparture", "Door open")
        self.assertEqual([item.text for item in self.bench.study.deviations], ["Door open"])
        self.type_into("note", "A click at layer 40", enter=False)
        self.type_into("spool", "lot 7")
        after = next(item for item in self.bench.study.runs if item.id == run.id)
        self.assertEqual((after.note, after.spool), ("A click at layer 40", "lot 7"))

    def test_setting_aside_needs_a_reason(self):
        self.click("setAside")
        self.assertIn("Please say why", self.message)
        self.assertEqual(self.now().set_aside, "")

    def test_undo_goes_through_the_field_of_the_reason(self):
        self.type_into("note", "A click at layer 40", enter=False)
        self.click("reason")
        self.assertEqual((self.focused, self.now().note), ("reason", "A click at layer 40"))
        self.undo()
        self.settle()
        self.assertEqual(self.now().note, "")
        self.redo()
        self.settle()
        self.assertEqual(self.now().note, "A click at layer 40")

    def test_set_aside_can_be_taken_back_and_stamps_cleared(self):
        run = self.now()
        self.enter()
        self.click("clearStamps")
        self.assertIsNone(self.now().started)
        self.bench.do(operations.set_aside, run_id=run.id, code=run.code, reason="fell over")
        self.click("countAgain")
        self.assertEqual(self.now().set_aside, "")

    def test_any_run_can_be_chosen_from_the_list(self):
        listed = self.find("runList")
        last = self.bench.study.runs[-1]
        rect = listed.visualItemRect(listed.item(listed.count() - 1))
        QTest.mouseClick(listed.viewport(), Qt.MouseButton.LeftButton, pos=rect.center())
        self.assertEqual(self.find("runCode").text(), last.code)

    def test_before_an_order_is_drawn_it_says_what_to_do(self):
        self.bench.do(operations.add_study, name="Other")
        self.window.open_study(2)
        self.stage(4)
        self.assertIn("Draw the order under Plan first", self.texts())

    def test_grades_by_key_and_mouse(self):
        self.bench.do(operations.add_response, study_id=1, name="Strings", unit="", kind=ResponseKind.GRADE)
        self.enter(2)
        self.settle()
        field = self.find("reading-Strings-rim")
        field.setFocus()
        self.press("3")
        self.assertEqual(self.bench.study.readings[-1].value, 3.0)
        QTest.mouseClick(field, Qt.MouseButton.LeftButton)
        self.assertEqual(field.step, 2)
        self.keys(Qt.Key.Key_Backspace)
        self.assertEqual((field.step, self.bench.study.readings), (None, ()))
        self.press("7")
        self.assertIsNone(field.step)


class EmptyVerdict(WithPlan):
    def test_before_any_print_it_says_so(self):
        self.stage(6)
        self.assertIn("No print is measured yet", self.texts())
        self.assertIsNone(self.bench.study.verdict_seen)


class VerdictScreen(WithPrints):
    def test_looking_is_marked_and_a_margin_moved_later_is_a_threat(self):
        self.stage(6)
        self.settle()
        self.assertIsNotNone(self.bench.study.verdict_seen)
        self.assertIn("enough to matter", self.sentence("Print time"))
        self.stage(1)
        self.type_into("margin-Print time", "30")
        self.settle()
        self.assertTrue(self.is_shown("threat-margin-moved"))
        self.stage(6)
        self.settle()
        self.assertIn("too small to matter", self.sentence("Print time"))

    def test_the_figures_follow_an_undo_made_on_this_screen(self):
        self.stage(6)
        self.settle()
        before = self.sentence("Print time")
        run = self.bench.study.runs[0]
        self.bench.do(operations.set_aside, run_id=run.id, code=run.code, reason="fell over")
        self.settle()
        self.assertIn("1 print set aside", self.sentence("Print time"))
        self.undo()
        self.settle()
        self.assertEqual(self.sentence("Print time"), before)

    def test_the_deciding_response_is_open_the_others_are_rows_and_stay_as_they_are_put(self):
        self.stage(6)
        self.settle()
        self.assertEqual(self.find("compared").text(), "Hot end: new against old")
        self.assertIn("decides", self.texts())
        others = [one.objectName() for one in self.window.findChildren(FindingCard) if not one.is_open]
        name = others[0].removeprefix("finding-")
        self.click(f"fold-{name}")
        self.assertEqual(self.find(f"fold-{name}").text(), "Less")
        self.click("fold-Print time")
        self.stage(1)
        self.stage(6)
        self.settle()
        self.assertEqual(self.find(f"fold-{name}").text(), "Less")
        self.assertEqual(self.find("fold-Print time").text(), "More")

    def test_terms_of_statistics_are_shown_when_they_are_asked_for(self):
        self.stage(6)
        self.settle()
        self.assertNotIn("degrees of freedom", self.texts())
        self.click("showStatistics-Print time")
        self.assertIn("of freedom", self.texts())

    def test_prints_that_were_set_aside_are_told_once(self):
        run = self.bench.study.runs[0]
        self.bench.do(operations.set_aside, run_id=run.id, code=run.code, reason="fell over")
        self.stage(6)
        self.settle()
        self.assertEqual(self.texts().count("1 print set aside and not counted"), 1)

    def test_a_sentence_that_cannot_stand_is_struck_with_its_reason(self):
        self.stage(6)
        self.settle()
        sentence = self.find("finding-Print time").findChild(QLabel, "sentence")
        self.assertFalse(sentence.font().strikeOut())
        study = self.bench.study
        for run in study.runs:
            spool = "white" if study.arm_of(run).is_baseline else "black"
            self.bench.do(operations.edit_run, run_id=run.id, code=run.code, spool=spool)
        self.settle()
        card = self.find("finding-Print time")
        self.assertTrue(card.findChild(QLabel, "sentence").font().strikeOut())
        self.assertIn("spool cannot be told apart", card.findChild(QLabel, "void").text())
        page = report_html(self.bench.study, self.bench.analysis, datetime(2026, 3, 20))
        self.assertIn("<s>Print time, new against old: ", page)
        self.assertIn("This cannot stand. ", page)

    def test_light_and_dark_paint_differently(self):
        self.stage(6)
        self.settle()
        card = self.find("finding-Print time")
        light = card.grab().toImage()
        self.click("theme")
        self.assertNotEqual(card.grab().toImage(), light)
        self.click("theme")
        self.assertEqual(card.grab().toImage(), light)


class SettleScreen(WithPrints):
    def setUp(self):
        super().setUp()
        self.stage(7)

    def test_a_choice_and_a_reason_are_needed(self):
        self.click("settle")
        self.assertIn("choose what to do", self.message)
        self.click("decide-keep")
        self.click("settle")
        self.assertIn("reason", self.message)
        self.assertIsNone(self.bench.study.decision)

    def test_what_was_found_stands_alone_once_there_is_something(self):
        # What stood there before the figures came is gone with them.
        self.bench.reveal(LookAt.VERDICT)
        self.settle()
        self.assertFalse(self.is_shown("go-print"))
        self.assertIn("Print time, new against old: ", self.texts())

    def test_without_a_print_there_is_a_way_to_where_it_begins(self):
        self.bench.do(operations.add_study, name="Nothing yet")
        self.window.open_study(2)
        self.stage(7)
        self.settle()
        self.click("go-print")
        self.settle()
        self.assertTrue(self.is_shown("go-plan"))
        self.click("go-plan")
        self.settle()
        self.assertTrue(self.is_shown("planMachine"))

    def test_keep_and_reopen(self):
        self.click("decide-keep")
        self.type_into("decisionReason", "no gain", enter=False)
        self.click("settle")
        self.assertIn("keep the baseline. no gain", self.find("settled").text())
        self.click("reopen")
        self.assertIsNone(self.bench.study.decision)
        self.undo()
        self.assertIsNotNone(self.bench.study.decision)

    def test_more_prints_adds_pairs(self):
        self.click("decide-more")
        self.type_into("settlePairs", "3")
        self.type_into("decisionReason", "still noisy", enter=False)
        self.click("settle")
        self.settle_and_check(11)

    def settle_and_check(self, runs):
        self.settle()
        self.assertEqual(len(self.bench.study.runs), runs)
        self.assertTrue(self.find("next").text().startswith("Print run"))

    def test_files_are_written_where_they_are_wanted(self):
        self.type_into("reportPath", str(self.folder / "out.html"), enter=False)
        for name in ("writeReport", "writeCsv", "writeJson"):
            self.click(name)
            self.settle()
        self.assertIn("Waste", (self.folder / "out.html").read_text(encoding="utf-8"))
        rows = read_table((self.folder / "out.csv").read_text(encoding="utf-8"))
        self.assertEqual(rows, tidy_readings(self.bench.study))
        study = read_study((self.folder / "out.json").read_text(encoding="utf-8"), "out.json")
        self.assertEqual(tidy_readings(study), tidy_readings(self.bench.study))

    def test_a_file_that_is_there_is_replaced_only_when_asked_once_more(self):
        path = self.folder / "report v1.2.html"
        path.write_text("mine", encoding="utf-8")
        self.type_into("reportPath", str(self.folder / "report v1.2"), enter=False)
        self.click("writeReport")
        self.assertIn("report v1.2.html is there already", self.texts())
        self.assertEqual(path.read_text(encoding="utf-8"), "mine")
        self.type_into("reportPath", str(self.folder / "report v1.3"), enter=False)
        self.click("writeReport")
        self.settle()
        self.assertTrue((self.folder / "report v1.3.html").exists())
        self.assertEqual(path.read_text(encoding="utf-8"), "mine")
        self.type_into("reportPath", str(path), enter=False)
        self.click("writeReport")
        self.assertEqual(path.read_text(encoding="utf-8"), "mine")
        self.click("writeReport")
        self.settle()
        self.assertIn("<html", path.read_text(encoding="utf-8"))

    def test_a_bare_name_is_written_into_the_users_folder(self):
        self.type_into("reportPath", "mine")
        self.settle()
        self.assertTrue((self.folder / "home" / "mine.html").exists())
        self.find("reportPath").clear()
        self.click("writeReport")
        self.assertIn("Please type where to write it.", self.texts())

    def test_a_place_that_cannot_be_written_is_told(self):
        self.type_into("reportPath", str(self.folder / "no" / "such" / "place.html"))
        self.settle()
        self.assertIn("could not be written", self.texts())
        self.assertEqual(self.find("written").text(), "")


class Frame(WithPlan):
    def test_the_footer_and_the_titles_name_every_edit(self):
        self.stage(1)
        self.type_into("margin-Waste", "2")
        self.assertEqual(self.find("saved").toolTip(), "Saved: edit margin of Waste")
        self.assertEqual(self.find("undo").toolTip(), "Undo: edit margin of Waste")
        self.undo()
        self.assertEqual(self.find("saved").toolTip(), "Saved: undid edit margin of Waste")
        self.assertEqual(self.find("redo").toolTip(), "Redo: edit margin of Waste")

    def test_threats_fold_to_a_count_in_a_narrow_window(self):
        self.window.resize(QSize(1024, 700))
        self.application.processEvents()
        self.assertFalse(self.is_shown("threat-no-margin"))
        self.click("foldThreats")
        self.assertTrue(self.is_shown("threat-no-margin"))

    def test_help_and_menu(self):
        self.keys(Qt.Key.Key_F1)
        self.assertIn("noise floor", self.texts())
        self.keys(Qt.Key.Key_F10)
        menu = self.application.activePopupWidget()
        self.assertIn("All studies", [action.text() for action in menu.actions()])
        menu.close()

    def test_an_error_inside_is_told_without_a_traceback(self):
        self.bench.figure(self, lambda job: 1 / 0, print)
        self.settle()
        self.assertIn("could not be worked out", self.message)
        self.assertNotIn("Traceback", self.message)

    def test_undo_of_the_study_in_hand_goes_home(self):
        for _ in range(30):
            if self.bench.study is None:
                break
            self.undo()
            self.settle()
        self.assertIsNone(self.bench.study)
        self.assertIn("No study yet", self.texts())


class NarrowWindow(WithPrints):
    def test_nothing_is_wider_than_the_smallest_window(self):
        self.window.resize(QSize(1024, 700))
        tabs = ["planDesign", "planCan", "planTimetable", "planPaper"]
        for stage, tab in [*((stage, "") for stage in Stage), *((Stage.PLAN, tab) for tab in tabs)]:
            self.window.show_stage(stage)
            self.settle()
            if tab:
                self.click(tab)
                self.settle()
            self.assertLessEqual(self.window.width(), 1024)
            for bar in self.window.findChildren(QScrollBar):
                sideways = bar.orientation() == Qt.Orientation.Horizontal and bar.isVisible()
                inside_table = isinstance(bar.parent().parent(), QTableWidget)
                self.assertFalse(sideways and bar.maximum() > 0 and not inside_table, (stage, tab))


if __name__ == "__main__":
    unittest.main()
