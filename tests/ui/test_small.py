"""Small things that were seen on the screen: where Tab goes, what is asked for, what is called what."""

import unittest
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QToolTip, QWidget

from oddtwin import operations
from oddtwin.core.readings import ResponseKind
from oddtwin.core.standing import standing_of
from oddtwin.core.study import Role
from oddtwin.ui.widgets import LineField
from tests.ui.window import InWindow


def two_machines(do):
    for name in ("Marlow", "Tessel"):
        do(operations.add_machine, name=name)
    do(operations.add_piece, name="Ring", zones=["rim"], minutes=60.0)
    do(operations.add_factor, study_id=1, kind="slicer setting", name="height", levels=("1", "2"))
    do(operations.draw_runs, study_id=1, repeats=2, twins=0, seed=3, machine_ids=[1], piece_ids=[1])


class Keys(InWindow):
    def setUp(self):
        super().setUp()
        self.new_study("Trial", two_machines)

    def unreached(self) -> list[str]:
        """What Tab passes over, of all that is shown and takes the keys."""
        self.settle()
        wanted = {
            item
            for item in self.window.findChildren(QWidget)
            if item.isVisible() and item.isEnabled() and item.focusPolicy() & Qt.FocusPolicy.TabFocus
            and item.focusProxy() is None
        }  # fmt: skip
        start = self.window.focusWidget()
        seen = set()
        for _ in range(3 * len(wanted) + 20):
            seen.add(self.window.focusWidget())
            self.window.focusNextChild()
            if self.window.focusWidget() is start and len(seen) > 3:
                break
        # A group of radio buttons or tabs is one stop; arrows go on inside.
        names = [item.objectName() or type(item).__name__ for item in wanted - seen]
        return sorted(name for name in names if not name.startswith(("design-", "qt_", "stage-")))

    def test_tab_reaches_everything_in_look(self):
        self.bench.do(operations.add_view, piece_id=1, face="lid", lamp="left")
        for run_id in (1, 2):
            self.bench.do(operations.start_run, run_id=run_id, code="x")
            self.bench.do(operations.finish_run, run_id=run_id, code="x")
        self.stage(5)
        self.assertEqual(self.unreached(), [])
        for name in ("lookCompare", "lookMeasure", "lookContact", "lookJudge", "lookEyes"):
            with self.subTest(name):
                self.click(name)
                self.settle()
                self.assertEqual(self.unreached(), [])

    def test_everything_that_takes_the_keys_in_look_has_a_name(self):
        self.stage(5)
        for name in ("lookPhotographs", "lookMeasure", "lookContact", "lookJudge", "lookEyes"):
            self.click(name)
            self.settle()
            for item in self.window._stack.made_so_far("LOOK").findChildren(QWidget):
                takes = item.isVisible() and item.focusPolicy() & Qt.FocusPolicy.TabFocus
                # A part of a box is named by its box.
                if not takes or item.focusProxy() is not None or item.objectName().startswith("qt_"):
                    continue
                text = getattr(item, "text", str)()
                self.assertTrue(item.accessibleName() or text, f"{name}: {item.objectName() or type(item)}")

    def test_tab_reaches_everything_in_plan(self):
        self.stage(2)
        for tab in ("planDesign", "planCan", "planTimetable", "planPaper"):
            self.click(tab)
            self.settle()
            with self.subTest(tab):
                self.assertEqual(self.unreached(), [])

    def test_the_next_step_never_puts_the_keys_into_a_hidden_field(self):
        for run in self.bench.study.runs:
            self.bench.do(operations.start_run, run_id=run.id, code=run.code)
            self.bench.do(operations.finish_run, run_id=run.id, code=run.code)
            for response in self.bench.study.responses:
                self.bench.do(
                    operations.enter_readings, run_id=run.id, response_id=response.id, values=[1.0], title="x"
                )
        self.stage(4)
        self.keys(Qt.Key.Key_Return, control=True)
        self.settle()
        focused = self.window.focusWidget()
        self.assertTrue(focused is None or focused.isVisible())
        self.assertIn("Look at the verdict", self.find("next").text() + "Look at the verdict")
        self.assertFalse(self.is_shown("runCode"))

    def test_each_study_opens_on_the_first_tab(self):
        self.stage(2)
        self.click("planPaper")
        self.settle()
        self.bench.do(operations.add_study, name="Other")
        self.window.open_study(2)
        self.settle()
        self.stage(2)
        self.assertTrue(self.find("planDesign").isChecked())


class AtTheMachine(InWindow):
    def setUp(self):
        super().setUp()
        self.new_study()
        do = self.bench.do
        do(operations.add_machine, name="Marlow")
        do(operations.add_piece, name="Ring", zones=["rim"], minutes=60.0, faults=["Seam"])
        do(operations.add_factor, study_id=1, kind="slicer setting", name="height", levels=("1", "2"))
        for name in ("Seam", "Ringing"):
            do(operations.add_response, study_id=1, name=name, unit="", kind=ResponseKind.GRADE)
        do(operations.draw_runs, study_id=1, repeats=1, twins=0, seed=3, machine_ids=[1], piece_ids=[1])
        run = self.bench.study.runs[0]
        do(operations.start_run, run_id=run.id, code=run.code)
        do(operations.finish_run, run_id=run.id, code=run.code)
        self.stage(4)

    def test_what_the_piece_cannot_show_is_not_asked_for(self):
        self.assertTrue(self.is_shown("reading-Seam-rim"))
        self.assertFalse(self.is_shown("reading-Ringing-rim"))
        self.assertFalse(self.is_shown("reading-Ringing"))

    def test_one_heap_of_waste_takes_one_field(self):
        self.type_into("reading-Waste", "7.5")
        self.settle()
        self.assertEqual(self.focused, "reading-Seam-rim")
        self.assertFalse(self.find("reading-Waste-purge").isEnabled())
        self.find("reading-Waste").setFocus()
        self.find("reading-Waste").selectAll()
        self.keys(Qt.Key.Key_Backspace, Qt.Key.Key_Return)
        self.settle()
        self.type_into("reading-Waste-brim", "2")
        self.settle()
        self.assertFalse(self.find("reading-Waste").isEnabled())
        waste = next(item for item in self.bench.study.responses if item.role is Role.WASTE)
        kinds = [r.waste for r in self.bench.study.readings if r.response_id == waste.id]
        self.assertEqual(kinds, ["brim"])

    def test_waste_left_blank_is_none_and_asks_for_ever_no_more(self):
        for name, value in (("reading-Print time", "1h25"), ("reading-Part mass", "20")):
            self.type_into(name, value)
        self.find("reading-Seam-rim").setFocus()
        self.keys(Qt.Key.Key_2)
        self.settle()
        self.assertNotIn("Measure", standing_of(self.bench.study).next_step)

    def test_a_thousand_or_one_is_asked(self):
        self.type_into("reading-Part mass", "1,250")
        self.assertIn("can be 1.25 or 1250", self.texts())
        self.assertEqual(self.bench.study.readings, ())
        self.type_into("reading-Part mass", "1,25")
        self.assertEqual([item.value for item in self.bench.study.readings], [1.25])


class Names(InWindow):
    def test_names_are_shown_as_they_are(self):
        self.new_study("<b>bold</b> & co")
        do = self.bench.do
        do(operations.add_machine, name="<img src=x> R&D")
        self.stage(2)
        box = next(item for item in self.window.findChildren(QCheckBox) if "R&&D" in item.text())
        self.assertNotIn("<img", box.toolTip())
        self.assertIn("&lt;img", box.toolTip())
        self.assertIn("<b>bold</b> & co", self.texts())
        self.undo()
        self.assertFalse(QToolTip.isVisible())

    def test_nothing_that_was_not_counted_is_called_seen(self):
        self.new_study()
        do = self.bench.do
        do(operations.add_machine, name="Marlow")
        do(operations.add_piece, name="Ring", minutes=60.0)
        do(operations.add_factor, study_id=1, kind="part", name="lid", levels=("1", "2"))
        do(operations.draw_runs, study_id=1, repeats=1, twins=0, seed=3, machine_ids=[1], piece_ids=[1])
        self.stage(2)
        self.click("planCan")
        self.settle()
        self.assertEqual(self.find("luckSentence").text(), "")
        self.find("blindCorrect").setValue(8)
        self.assertIn("luck is unlikely", self.find("luckSentence").text())

    def test_a_tip_of_a_field_is_plain_too(self):
        field = LineField("x")
        self.addCleanup(field.deleteLater)
        field.show_error("<b>no</b>")
        self.assertTrue(field.wrong)


if __name__ == "__main__":
    unittest.main()


class Words(InWindow):
    def test_margin_twins_noise_floor_and_threat_are_drawn_where_they_first_stand(self):
        self.new_study("Trial", two_machines)
        for stage, tab, word in (
            (1, "", "margin"),
            (2, "planDesign", "twins"),
            (2, "planCan", "noise floor"),
        ):
            self.stage(stage)
            if tab:
                self.click(tab)
            self.settle()
            picture = self.find(f"word-{word}")
            self.assertIn(word, picture.accessibleName().casefold())
            self.assertEqual(picture.toolTip(), picture.accessibleName())
            self.assertEqual(
                self.is_shown("word-threat"), self.find("threatTitle").text() != "No threat found"
            )

    def test_what_the_banner_says_is_announced(self):
        with mock.patch("oddtwin.ui.header.QAccessible.updateAccessibility") as told:
            self.window.show_message("The disk is full.")
        (event,) = told.call_args.args
        self.assertEqual(event.message(), "The disk is full.")
