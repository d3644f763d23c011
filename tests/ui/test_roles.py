"""What a screen reader is told of what Qt does not know: tabs, choices and pictures."""

import unittest

from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtTest import QTest

from oddtwin import operations
from oddtwin.core.readings import ResponseKind
from oddtwin.core.standing import Stage
from oddtwin.ui.widgets import DrawingView, StepField
from tests.cases import study_in
from tests.ui.test_cells import one_zone_ruined
from tests.ui.window import InWindow

Role = QAccessible.Role
Text = QAccessible.Text


def spoken(widget):
    return QAccessible.queryAccessibleInterface(widget)


def graded(do):
    do(operations.add_factor, study_id=1, kind="part", name="hot end", levels=("old", "new"))
    do(operations.add_response, study_id=1, name="Blobs", unit="", kind=ResponseKind.GRADE)
    do(operations.add_machine, name="Heron")
    do(operations.add_piece, name="Ring", zones=["rim"], minutes=60.0)
    do(operations.draw_runs, study_id=1, repeats=2, twins=0, seed=3, machine_ids=[1], piece_ids=[1])
    run = do(study_in, study_id=1).runs[0]
    do(operations.start_run, run_id=run.id, code=run.code)
    do(operations.finish_run, run_id=run.id, code=run.code)


class Roles(InWindow):
    def test_stages_are_tabs_of_which_one_is_open(self):
        self.new_study("Trial", graded)
        self.stage(2)
        stops = [self.find(f"stage-{stage.name.lower()}") for stage in Stage]
        told = [spoken(stop) for stop in stops]
        self.assertEqual({one.role() for one in told}, {Role.PageTab})
        self.assertEqual([one.text(Text.Name) for one in told], [stage.value for stage in Stage])
        self.assertEqual([bool(one.state().selected) for one in told], [number == 1 for number in range(7)])
        self.assertEqual(spoken(stops[0].parentWidget()).role(), Role.PageTabList)
        told[0].actionInterface().doAction("Press")
        self.settle()
        self.assertEqual([bool(one.state().selected) for one in told], [number == 0 for number in range(7)])

    def test_tabs_of_a_page_are_tabs(self):
        self.new_book()
        tabs = [self.find("tabStudies"), self.find("tabMachines")]
        self.assertEqual([spoken(tab).role() for tab in tabs], [Role.PageTab, Role.PageTab])
        self.assertEqual([bool(spoken(tab).state().selected) for tab in tabs], [True, False])
        spoken(tabs[1]).actionInterface().doAction("Press")
        self.settle()
        self.assertEqual([bool(spoken(tab).state().selected) for tab in tabs], [False, True])

    def test_a_grade_is_a_group_of_choices_and_pictures_tell_what_they_show(self):
        self.new_study("Trial", graded)
        self.stage(4)
        (field,) = [one for one in self.window.findChildren(StepField) if one.isVisible()]
        group = spoken(field)
        self.assertEqual(group.role(), Role.Grouping)
        steps = [group.child(place) for place in range(group.childCount())]
        self.assertEqual({step.role() for step in steps}, {Role.RadioButton})
        self.assertEqual([bool(step.state().checked) for step in steps], [False] * 5)
        QTest.keyClick(field, Qt.Key.Key_3)
        self.settle()
        self.assertEqual([bool(step.state().checked) for step in steps], [False] * 3 + [True, False])
        self.assertTrue(steps[3].text(Text.Name).startswith("3 "))
        steps[1].actionInterface().doAction("Press")
        self.settle()
        self.assertEqual(field.step, 1)
        self.assertEqual([bool(step.state().checked) for step in steps], [False, True] + [False] * 3)

    def test_pictures_are_pictures_with_their_finding_as_name(self):
        self.new_study("Trial", one_zone_ruined)
        self.stage(6)
        self.settle()
        shown = [one for one in self.window.findChildren(DrawingView) if one.isVisible()]
        self.assertTrue(shown)
        for picture in shown:
            self.assertEqual(spoken(picture).role(), Role.Graphic)
            self.assertTrue(spoken(picture).text(Text.Name))


if __name__ == "__main__":
    unittest.main()
