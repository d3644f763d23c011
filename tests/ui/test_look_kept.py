"""Look where something is amiss: photographs gone, a study settled, work stopped, another study opened."""

import dataclasses

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QTableWidget

from oddtwin import operations
from oddtwin.core.judge import SessionDesign
from oddtwin.core.readings import ResponseKind
from oddtwin.core.render import PieceFace, render_piece
from oddtwin.core.standing import Stage
from oddtwin.core.study import DecisionKind, LookAt, MeasuredRegion
from oddtwin.operations import NewSession
from oddtwin.store import KeptKind
from oddtwin.work.photos import write_png
from tests.ui.test_look import FACE, InLook


class Gone(InLook):
    def setUp(self):
        super().setUp()
        self.fill()
        self.lost = self.study.photographs[0]
        self.bench.book.kept(KeptKind.PHOTOGRAPH, self.lost.sha256).unlink()

    def test_a_lost_photograph_is_told_where_it_would_be_shown_and_the_others_are(self):
        self.tab("Compare")
        self.assertIn("not in this lab book any more", self.texts())
        self.tab("Contact sheet")
        self.assertEqual(len(self.find("contactSheet").cells), 4)
        self.assertIn("not in this lab book any more", self.texts())
        self.tab("Measure")
        self.assertIn("not in this lab book any more", self.texts())
        self.tab("Photographs")
        table = self.find("shotTable")
        self.assertIsInstance(table, QTableWidget)
        table.setCurrentCell(0, 1)
        self.assertIn(self.lost.name, self.texts())

    def test_the_photograph_in_hand_is_read_beside_the_window_and_a_lost_one_told_in_its_place(self):
        table = self.find("shotTable")
        shown = []
        picture = self.window.findChild(QLabel, "filedPicture")
        for row in range(table.rowCount()):
            table.setCurrentCell(row, 1)
            self.assertTrue(picture.pixmap().isNull(), "read before the window went on")
            self.settle()
            shown.append("" if not picture.pixmap().isNull() else picture.text())
        told = [place for place, text in enumerate(shown) if "not in this lab book any more" in text]
        self.assertEqual(len(told), 1, shown)
        # Chosen one after another at once: the last one is shown.
        table.setCurrentCell(told[0], 1)
        table.setCurrentCell(shown.index(""), 1)
        self.settle()
        self.assertFalse(picture.pixmap().isNull())

    def test_a_trial_with_a_lost_photograph_says_so_and_can_be_left(self):
        runs = tuple(run.id for run in self.study.runs)
        wish = NewSession(SessionDesign.BETTER, runs, ("Lena",), 1)
        self.bench.do(operations.begin_session, study_id=1, session=wish)
        self.tab("Judge blind")
        self.click("judgeNow")
        self.settle()
        said = []
        for _ in self.study.sessions[0].trials:
            said.append(self.find("trialTold").text())
            self.press("0")
            self.settle()
        self.assertTrue(any("cannot be shown" in text for text in said))
        self.keys(Qt.Key.Key_Escape)
        self.assertTrue(self.is_shown("beginSession"))


class Settled(InLook):
    def setUp(self):
        super().setUp()
        self.fill()
        runs = tuple(run.id for run in self.study.runs)
        wish = NewSession(SessionDesign.BETTER, runs, ("Lena",), 1)
        self.bench.do(operations.begin_session, study_id=1, session=wish)
        self.bench.reveal(LookAt.VERDICT)
        self.bench.do(operations.settle, study_id=1, kind=DecisionKind.KEEP, reason="No use.")
        self.settle()

    def test_a_settled_study_is_looked_at_and_stays_as_it_is(self):
        before = self.study
        self.drop(self.picture("late", 50))
        self.assertIn("nothing is filed", self.find("shotsTold").text())
        self.assertEqual(self.study.photographs, before.photographs)
        self.tab("Compare")
        self.assertTrue(self.is_shown("lookCanvas"))
        canvas = self.find("lookCanvas")
        QTest.mouseClick(canvas, Qt.MouseButton.LeftButton)
        self.assertFalse(self.is_shown("markGrade"))
        self.tab("Judge blind")
        self.assertFalse(self.find("judgeNow").isEnabled())
        self.assertFalse(self.find("beginSession").isEnabled())
        self.tab("Measure")
        self.assertFalse(self.find("addRegion").isEnabled())
        self.assertEqual(self.study.sessions, before.sessions)

    def test_reopened_it_goes_on(self):
        self.bench.do(operations.reopen, study_id=1)
        self.settle()
        self.window.show_stage(Stage.LOOK)
        self.settle()
        self.tab("Judge blind")
        self.assertTrue(self.find("judgeNow").isEnabled())


class Retaking(InLook):
    def region(self):
        first = self.study.photographs[0]
        return MeasuredRegion("Width", "size", 10, 100, 340, 40, first.sha256, 6.0)

    def test_retakes_tell_the_camera_and_are_entered_as_retakes_of_one_print(self):
        self.fill()
        run = self.study.runs[0]
        panel = self.screen._panels["Photographs"]
        # Put away, taken out and laid down once more: shifted, and with noise of its own.
        again = [self.picture(f"again{number}", 60 + number, shift_x_px=2.0 * number) for number in range(2)]
        panel.take(again, to=(run.id, 1))
        self.settle()
        self.bench.do(operations.set_regions, view_id=1, name="lid", regions=[self.region()])
        self.tab("Measure")
        self.click("measureAll")
        self.settle()
        told = self.find("measureTold").text()
        self.assertIn("7 of 7 photographs tell it", told)
        self.assertIn("2 retakes", told)
        self.assertIn("3 times more", told)
        self.click("enterMeasured")
        self.settle()
        response = next(item for item in self.study.responses if item.name == "Width")
        retakes = sorted(
            item.retake
            for item in self.study.readings
            if item.response_id == response.id and item.run_id == run.id
        )
        self.assertEqual(retakes, [0, 1, 2])

    def test_measuring_can_be_stopped_and_enters_nothing(self):
        self.fill()
        self.bench.do(operations.set_regions, view_id=1, name="lid", regions=[self.region()])
        self.tab("Measure")
        self.find("measureAll").click()
        self.screen._panels["Measure"]._on_stopped()
        self.settle()
        self.assertIn("Stopped; nothing was entered", self.find("measureTold").text())
        self.assertFalse(self.find("enterMeasured").isEnabled())

    def test_a_response_in_another_unit_is_not_filled_with_millimetres(self):
        self.fill()
        self.bench.do(operations.add_response, study_id=1, name="Width", unit="N", kind=ResponseKind.QUANTITY)
        self.bench.do(operations.set_regions, view_id=1, name="lid", regions=[self.region()])
        self.tab("Measure")
        self.click("measureAll")
        self.settle()
        self.click("enterMeasured")
        self.settle()
        self.assertIn("is read in N, and this is in mm", self.find("measureTold").text())
        response = next(item for item in self.study.responses if item.name == "Width")
        self.assertEqual([one for one in self.study.readings if one.response_id == response.id], [])

    def test_a_region_is_measured_no_more_when_it_is_taken_out_and_undo_brings_it_back(self):
        self.fill()
        self.bench.do(operations.set_regions, view_id=1, name="lid", regions=[self.region()])
        self.tab("Measure")
        self.assertTrue(self.is_shown("measureAll"))
        remove = self.screen._panels["Measure"]._remove
        remove.click()
        self.settle()
        self.assertEqual(self.study.pieces[1].views[0].regions, ())
        self.assertFalse(self.is_shown("measureAll"))
        self.undo()
        self.settle()
        self.assertTrue(self.is_shown("measureAll"))

    def test_the_fit_of_a_chosen_line_is_shown_and_named(self):
        face = dataclasses.replace(
            FACE, width_px=480, height_px=360, px_per_mm=8.0, layer_mm=0.25, ringing=4.0, seam=0.0
        )
        paths = []
        for number in range(4):
            path = self.folder / f"r{number}.png"
            write_png(path, render_piece(face, np.random.default_rng(number))[0])
            paths.append(path)
        self.drop(*paths)
        first = self.study.photographs[0]
        region = MeasuredRegion("Ringing", "ringing", 68, 60, 96, 240, first.sha256, 8.0, layer_mm=0.25)
        self.bench.do(operations.set_regions, view_id=1, name="lid", regions=[region])
        self.tab("Measure")
        self.click("measureAll")
        self.settle()
        fit = self.find("fitView")
        self.assertIn("Ringing 2 mm from the corner", fit.accessibleName())
        table = self.find("measuredTable")
        shown = fit.grab().toImage()
        table.setCurrentCell(1, 0)
        self.assertNotEqual(fit.grab().toImage(), shown)
        self.assertIsInstance(face, PieceFace)


class Walking(InLook):
    def test_every_tab_can_be_shown_before_anything_is_photographed_and_in_the_dark(self):
        for name in ("Compare", "Measure", "Contact sheet", "Judge blind", "Eyes", "Photographs"):
            self.tab(name)
            self.window.theme.set_dark(not self.window.theme.dark)
            self.settle()
        self.assertIn("Next: ", self.find("nextShot").text())

    def test_another_study_begins_at_its_own_photographs(self):
        self.fill()
        self.tab("Judge blind")
        self.type_into("sessionJudges", "Lena")
        self.click("beginSession")
        self.click("judgeNow")
        self.settle()
        self.bench.do(operations.add_study, name="Other")
        self.window.open_study(2)
        self.window.show_stage(Stage.LOOK)
        self.settle()
        self.assertTrue(self.is_shown("lookCompare"))
        self.assertIn("Draw the order under Plan first", self.find("nextShot").text())
        self.window.open_study(1)
        self.window.show_stage(Stage.LOOK)
        self.settle()
        self.assertTrue(self.is_shown("lookCompare"))
        self.assertEqual(len(self.study.sessions), 1)

    def test_the_next_step_leads_to_the_session_that_is_open(self):
        self.fill()
        for run in self.study.runs:
            for response in self.study.judged:
                for spot in self.study.spots_of(response, run):
                    self.bench.do(
                        operations.enter_readings,
                        run_id=run.id,
                        response_id=response.id,
                        spot=spot,
                        values=[1.0],
                        title="x",
                    )
        runs = tuple(run.id for run in self.study.runs)
        wish = NewSession(SessionDesign.BETTER, runs, ("Lena",), 1)
        self.bench.do(operations.begin_session, study_id=1, session=wish)
        self.settle()
        self.assertEqual(self.find("next").text(), "Go on with the blind session")
        self.bench.do(operations.remove_session, session_id=1)
        self.settle()
        self.assertNotEqual(self.find("next").text(), "Go on with the blind session")
