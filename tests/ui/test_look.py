"""The stage Look, driven by key and mouse: photographs, flicking, marks, measuring, blind judging, eyes."""

import json
import re
import shutil
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QColor, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QComboBox, QListWidget, QTableWidget

from oddtwin import operations
from oddtwin.core.judge import SizedLook
from oddtwin.core.readings import ResponseKind, Source, Spot
from oddtwin.core.render import PieceFace, render_piece
from oddtwin.core.standing import Stage
from oddtwin.core.study import LookAt
from oddtwin.devices import WatchedFolder
from oddtwin.ui.instruments import Instruments
from oddtwin.ui.look.canvas import Way
from oddtwin.ui.widgets.sheet import SheetView
from oddtwin.work.camera import shoot
from oddtwin.work.photos import write_png
from oddtwin.work.shots import keep_shots
from tests.cases import study_in
from tests.ui.window import InWindow

FACE = PieceFace(width_px=360, height_px=240, px_per_mm=6.0, layer_mm=0.35, seam=14.0)


def printed(do):
    """Three pairs of a ring with two views, all printed and graded."""
    do(operations.add_study, name="Trial")
    do(operations.edit_study, study_id=1, question="Is the seam seen?")
    do(operations.add_factor, study_id=1, kind="slicer setting", name="seam", levels=("line", "scattered"))
    do(operations.add_response, study_id=1, name="Seam", unit="", kind=ResponseKind.GRADE)
    do(operations.edit_response, response_id=4, name="Seam", primary=True, margin=1.0)
    do(operations.add_machine, name="Marlow")
    do(operations.add_piece, name="Ring", zones=["rim", "rib"], minutes=60.0, part_g=20.0)
    do(
        operations.draw_runs,
        study_id=1, repeats=2, twins=1, seed=4, machine_ids=[1], piece_ids=[1],
    )  # fmt: skip
    for run_id in range(1, 6):
        do(operations.start_run, run_id=run_id, code="x")
        do(operations.finish_run, run_id=run_id, code="x")
    do(operations.add_view, piece_id=1, face="lid", lamp="left", zone="rim")
    do(operations.add_view, piece_id=1, face="lid", lamp="right", zone="rim")


def picture(path, seed=1, **face):
    """Write the rendered photograph of a ring."""
    made = PieceFace(**{**{key: getattr(FACE, key) for key in FACE.__slots__}, **face})
    write_png(path, render_piece(made, np.random.default_rng(seed))[0])
    return path


def photographed(do):
    """The same with a photograph of each print in both views, and the arms looked at."""
    printed(do)
    with TemporaryDirectory() as folder:
        paths = [
            picture(Path(folder) / f"p{number}.png", number, turn_deg=0.3 * (number % 3))
            for number in range(10)
        ]
        filed = do(lambda book: keep_shots(book, study_in(book, 1), paths).filed)
    do(operations.add_photographs, filed=filed)
    do(operations.reveal, study_id=1, what=LookAt.ARMS)


class InLook(InWindow):
    def setUp(self):
        super().setUp()
        self.open_filled(printed)
        self.window.show_stage(Stage.LOOK)
        self.settle()

    def open_filled(self, fill):
        self.new_book(fill)
        self.window.open_study(1)
        self.settle()

    @property
    def study(self):
        return self.bench.study

    def picture(self, name, seed=1, **face):
        return picture(self.folder / f"{name}.png", seed, **face)

    def drop(self, *paths):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
        event = QDropEvent(
            QPointF(20, 20), Qt.DropAction.CopyAction, data,
            Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        self.screen._panels["Photographs"].dropEvent(event)
        self.settle()

    @property
    def screen(self):
        return self.window._stack.made_so_far("LOOK")

    def fill(self):
        """Go on in a book where all prints are photographed."""
        self.bench.close_book()
        shutil.rmtree(self.folder / "shed")
        self.open_filled(photographed)
        self.window.show_stage(Stage.LOOK)
        self.settle()

    def tab(self, name):
        self.click(f"look{name.split()[0]}")
        self.settle()

    def pick(self, name, data):
        box = self.find(name)
        self.assertIsInstance(box, QComboBox)
        box.setCurrentIndex(box.findData(data))
        self.settle()


class Photographs(InLook):
    def test_it_is_the_fifth_stage_and_the_list_names_the_next_print(self):
        self.stage(4)
        self.stage(5)
        self.assertEqual(self.find("nextShot").text(), f"Next: {self.study.runs[0].code} – lid, left")

    def test_dropped_files_fill_the_list_and_one_undo_takes_them_back(self):
        self.drop(self.picture("a", 1), self.picture("b", 2), self.picture("c", 3))
        placed = [(item.run_id, item.view_id) for item in self.study.photographs]
        self.assertEqual(placed, [(1, 1), (1, 2), (2, 1)])
        self.assertIn("Filed:", self.find("shotsTold").text())
        self.assertIn(self.study.runs[1].code, self.find("nextShot").text())
        self.undo()
        self.assertEqual(self.study.photographs, ())

    def test_what_is_no_photograph_is_told_by_its_name(self):
        (self.folder / "notes.txt").write_text("no picture at all")
        self.drop(self.folder / "notes.txt")
        self.assertIn("notes.txt: it is no picture", self.find("shotsTold").text())
        self.assertEqual(self.study.photographs, ())

    def test_a_watched_folder_takes_what_comes_new_and_has_stopped_growing(self):
        inbox = self.folder / "inbox"
        inbox.mkdir()
        (inbox / "old.png").write_bytes(self.picture("old", 1).read_bytes())
        self.type_into("watchFolder", str(inbox))
        panel = self.screen._panels["Photographs"]
        whole = self.picture("new", 2).read_bytes()
        (inbox / "new.png").write_bytes(whole[:500])
        panel._on_watched()
        self.settle()
        (inbox / "new.png").write_bytes(whole)
        panel._on_watched()
        self.settle()
        self.assertEqual(self.study.photographs, ())
        panel._on_watched()
        self.settle()
        self.assertEqual([item.name for item in self.study.photographs], ["new.png"])
        panel._on_watched()
        self.settle()
        self.assertEqual(len(self.study.photographs), 1)
        self.type_into("watchFolder", str(self.folder / "nowhere"))
        self.assertIn("is no folder", self.texts())

    def test_a_watched_folder_is_watched_again_the_next_time_and_let_go_when_the_field_is_emptied(self):
        inbox = self.folder / "inbox"
        inbox.mkdir()
        self.type_into("watchFolder", str(inbox))
        (inbox / "between.png").write_bytes(self.picture("x", 5).read_bytes())
        # As the next window has it.
        again = Instruments(self.bench)
        self.addCleanup(again.deleteLater)
        self.assertEqual(again.camera.path, inbox)
        # What came between two sittings is of no known print, and is chosen or dropped by hand.
        self.assertEqual([again.camera.poll() for _ in range(3)], [[], [], []])
        self.find("watchFolder").selectAll()
        for key in (Qt.Key.Key_Delete, Qt.Key.Key_Return):
            QTest.keyClick(self.find("watchFolder"), key)
        self.assertEqual(self.find("shotsTold").text() if self.is_shown("shotsTold") else "", "")
        last = Instruments(self.bench)
        self.addCleanup(last.deleteLater)
        self.assertIsNone(last.camera)

    def test_the_folder_is_a_camera_among_the_instruments(self):
        inbox = self.folder / "inbox"
        self.stage(4)
        box = self.find("instrumentKind")
        box.setCurrentIndex(box.findData("camera"))
        self.find("instrumentPort").setCurrentText(str(inbox))
        self.click("connectInstrument")
        self.assertIn(f"{inbox} is no folder.", self.texts())
        inbox.mkdir()
        self.click("connectInstrument")
        self.settle()
        self.assertIn(f"Camera: Watching {inbox}", self.find("instrument-camera").text())
        self.stage(5)
        self.assertEqual(self.find("watchFolder").text(), str(inbox))
        self.stage(4)
        self.click("letGoInstrument")
        self.settle()
        self.assertFalse(self.is_shown("instrument-camera"))
        self.stage(5)
        self.assertEqual(self.find("watchFolder").text(), "")

    def test_a_folder_that_was_not_there_is_waited_for(self):
        inbox = self.folder / "inbox"
        camera = WatchedFolder(inbox)
        self.assertTrue(camera.gone)
        self.assertIn("cannot be read now", camera.words)
        inbox.mkdir()
        (inbox / "old.png").write_bytes(b"x")
        self.assertEqual([camera.poll() for _ in range(3)], [[], [], []])
        (inbox / "new.JPG").write_bytes(b"y")
        (inbox / "notes.txt").write_bytes(b"y")
        self.assertEqual(camera.poll(), [])
        self.assertEqual(camera.poll(), [inbox / "new.JPG"])
        self.assertEqual((camera.poll(), camera.came), ([], 1))

    def test_a_watched_folder_that_goes_away_is_told_and_taken_up_when_it_is_back(self):
        inbox, away = self.folder / "inbox", self.folder / "away"
        inbox.mkdir()
        self.type_into("watchFolder", str(inbox))
        panel = self.screen._panels["Photographs"]
        inbox.rename(away)
        panel._on_watched()
        self.assertIn("nothing is filed from it until it is back", self.find("shotsTold").text())
        (away / "meanwhile.png").write_bytes(self.picture("meanwhile", 2).read_bytes())
        away.rename(inbox)
        panel._on_watched()
        self.assertIn("again", self.find("shotsTold").text())
        panel._on_watched()
        self.settle()
        self.assertEqual([item.name for item in self.study.photographs], ["meanwhile.png"])

    def test_a_camera_that_writes_to_the_folder_is_filed_by_its_labels(self):
        inbox = self.folder / "inbox"
        inbox.mkdir()
        self.type_into("watchFolder", str(inbox))
        codes = [self.study.runs[place].code for place in (3, 1)]
        paths = list(shoot(inbox, codes, "Trial"))
        panel = self.screen._panels["Photographs"]
        panel._on_watched()
        panel._on_watched()
        self.settle()
        filed = [self.study.index.runs[item.run_id].code for item in self.study.photographs]
        self.assertEqual(filed, codes)
        other = list(shoot(inbox, [codes[0]], "Another study", seed=3))
        self.screen._panels["Photographs"].take(other)
        self.settle()
        self.assertIn("of the study “Another study”", self.find("shotsTold").text())
        self.assertEqual(len(paths), 2)

    def test_a_photograph_in_the_wrong_place_is_moved_by_a_drag_or_a_choice(self):
        self.drop(self.picture("a", 1))
        table = self.find("shotTable")
        self.assertIsInstance(table, QTableWidget)
        table.setCurrentCell(0, 1)
        panel = self.screen._panels["Photographs"]
        panel._table.move_to(self.study.photographs[0], 2, 2)
        self.settle()
        moved = self.study.photographs[0]
        self.assertEqual(moved.view_id, 2)
        self.assertNotEqual(moved.run_id, 1)
        table.setCurrentCell(2, 2)
        self.assertIn("a.png", self.texts())
        self.pick("filedRun", 1)
        self.assertEqual(self.study.photographs[0].run_id, 1)
        self.assertEqual(self.study.photographs[0].view_id, 2)

    def test_views_faults_and_the_rig_are_kept_as_typed(self):
        self.type_into("viewFace", "side")
        self.click("addView")
        self.assertEqual(self.study.pieces[1].views[-1].name, "side")
        self.type_into("viewFace", "side")
        self.assertIn("already", self.message)
        self.type_into("rig-check_x_mm", "150,2 mm")
        self.type_into("rig-exposure_s", "0.02")
        self.assertEqual((self.study.rig.check_x_mm, self.study.rig.exposure_s), (150.2, 0.02))
        self.type_into("rig-camera_mm", "3")
        self.assertIn("between 50 and 5000 mm", self.message)
        self.keys(Qt.Key.Key_Escape)
        self.type_into("faultName", "Zits")
        self.click("addFault")
        self.assertIn("Zits", [one.name for one in self.study.faults])
        self.type_into("matPath", str(self.folder / "mat.pdf"))
        self.click("writeMat")
        self.assertTrue((self.folder / "mat.pdf").read_bytes().startswith(b"%PDF"))


class Comparing(InLook):
    def setUp(self):
        super().setUp()
        self.fill()
        self.tab("Compare")

    def test_space_flicks_in_place_and_the_arrows_walk_pairs_and_views(self):
        canvas = self.find("lookCanvas")
        canvas.setFocus()
        first = canvas.grab().toImage()
        QTest.keyPress(canvas, Qt.Key.Key_Space)
        second = canvas.grab().toImage()
        self.assertNotEqual(first, second)
        QTest.keyRelease(canvas, Qt.Key.Key_Space)
        self.assertEqual(canvas.grab().toImage(), first)
        pair = self.find("lookPair").currentText()
        self.assertIn("Baseline", pair)
        self.keys(Qt.Key.Key_Down)
        self.settle()
        self.assertNotEqual(self.find("lookPair").currentText(), pair)
        view = self.find("lookView").currentText()
        canvas.setFocus()
        self.keys(Qt.Key.Key_Right)
        self.settle()
        self.assertNotEqual(self.find("lookView").currentText(), view)
        self.click("rotateLamp")
        self.settle()
        self.assertEqual(self.find("lookView").currentText(), view)

    def test_every_way_and_aid_shows_something_else(self):
        canvas = self.find("lookCanvas")
        shown = []
        for way in Way:
            self.click(f"way{way.name.title()}")
            shown.append(canvas.grab().toImage())
        for one in range(len(shown)):
            for two in range(one):
                self.assertNotEqual(shown[one], shown[two])
        self.click("wayFlick")
        plain = canvas.grab().toImage()
        for place in range(1, self.find("lookAid").count()):
            self.find("lookAid").setCurrentIndex(place)
            self.settle()
            self.assertNotEqual(canvas.grab().toImage(), plain)

    def test_a_zoomed_place_stays_while_it_is_flicked(self):
        canvas = self.find("lookCanvas")
        canvas.setFocus()
        self.keys(Qt.Key.Key_Plus, Qt.Key.Key_Plus, Qt.Key.Key_Plus)
        self.keys(Qt.Key.Key_Left, shift=True)
        at = canvas._look()
        QTest.keyPress(canvas, Qt.Key.Key_Space)
        self.assertEqual(canvas._look(), at)
        QTest.keyRelease(canvas, Qt.Key.Key_Space)
        self.keys(Qt.Key.Key_0)
        self.assertNotEqual(canvas._look(), at)

    def test_a_click_and_a_digit_mark_a_fault_and_grade_its_zone(self):
        canvas = self.find("lookCanvas")
        QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=QPoint(canvas.width() // 2, 200))
        self.settle()
        self.assertEqual(self.focused, "markGrade")
        self.press("3")
        self.settle()
        mark = self.study.marks[0]
        self.assertEqual((mark.fault, mark.grade, mark.zone), ("Seam", 3, "rim"))
        self.assertAlmostEqual(mark.x, 0.5, delta=0.01)
        self.assertAlmostEqual(mark.y, 0.5, delta=0.01)
        read = [item for item in self.study.readings if item.run_id == mark.run_id and item.zone == "rim"]
        self.assertEqual([(item.value, item.source) for item in read], [(3.0, Source.PHOTOGRAPH)])
        self.undo()
        self.assertEqual(self.study.marks, ())

    def test_a_mark_on_the_second_lies_at_its_own_place(self):
        self.click("waySide")
        canvas = self.find("lookCanvas")
        middle = QPoint(canvas.width() - canvas.width() // 4, 200)
        QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=middle)
        self.settle()
        self.press("1")
        self.settle()
        mark = self.study.marks[0]
        pair = self.screen._panels["Compare"]._chosen()
        self.assertEqual(mark.photograph_id, pair[1][1].id)
        self.assertAlmostEqual(mark.x, 0.5, delta=0.05)

    def test_three_points_lay_a_picture_on_by_hand(self):
        canvas = self.find("lookCanvas")
        self.click("layByHand")
        middle = QPointF(canvas.width() / 2, canvas.height() / 2)
        corners = [QPointF(-150, -100), QPointF(150, -100), QPointF(-150, 100)]
        for _ in range(2):
            for corner in corners:
                QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=(middle + corner).toPoint())
                self.settle()
        self.assertIn("Laid on by hand", self.texts())
        self.click("layByHand")
        for step in range(6):
            QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=QPoint(300 + 20 * (step % 3), 200))
        self.assertIn("nearly on one line", self.texts())


class Views(InLook):
    def test_the_choice_of_the_view_that_comes_with_a_tab_wears_what_all_wear(self):
        self.fill()
        for name, dark in (("Compare", True), ("Measure", False)):
            self.window.theme.set_dark(dark)
            self.tab(name)
            choice, button = self.find("lookView"), self.find(f"look{name}")
            palette = self.window.theme.palette
            drawn = choice.grab().toImage().pixelColor(choice.width() // 2, choice.height() - 5)
            self.assertEqual(drawn, QColor(palette.surface), name)
            self.assertGreater(choice.height(), 28)
            self.assertTrue(button.isChecked())


class Sealed(InLook):
    def test_prints_that_are_to_be_judged_are_compared_by_code_alone(self):
        self.drop(*(self.picture(f"p{number}", number) for number in range(6)))
        self.tab("Compare")
        told = self.find("lookPair").currentText()
        self.assertIn(self.study.runs[0].code, told)
        self.assertNotRegex(told, "Baseline|Change")
        # The ring and disc of the product would say which is the baseline.
        self.assertFalse(self.find("lookCanvas")._marked)


class ContactSheets(InLook):
    def test_all_prints_leave_as_one_file_without_exif_and_arms_while_sealed(self):
        self.drop(*(self.picture(f"p{number}", number) for number in range(4)))
        self.tab("Contact sheet")
        sheet = self.find("contactSheet")
        self.assertEqual(len(sheet.cells), 2)
        for cell in sheet.cells:
            self.assertNotIn("Baseline", cell.label)
            self.assertNotIn("Change", cell.label)
        self.type_into("contactHtml", str(self.folder / "sheet.html"))
        self.click("writeContactHtml")
        page = (self.folder / "sheet.html").read_text(encoding="utf-8")
        self.assertEqual(page.count("data:image/jpeg;base64,"), 2)
        self.assertNotRegex(page, "https?://")
        self.type_into("contactPng", str(self.folder / "sheet.png"))
        self.click("writeContactPng")
        self.assertTrue((self.folder / "sheet.png").read_bytes().startswith(b"\x89PNG"))


class Measuring(InLook):
    def setUp(self):
        super().setUp()
        self.fill()
        self.tab("Measure")

    def test_a_region_drawn_once_is_measured_in_all_prints_and_entered(self):
        canvas = self.find("measureCanvas")
        self.pick("regionWhat", "size")
        begin, end = (canvas.place_on_screen(*at).toPoint() for at in ((0.05, 0.45), (0.95, 0.55)))
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=begin)
        QTest.mouseMove(canvas, (begin + end) / 2)
        QTest.mouseMove(canvas, end)
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=end)
        self.type_into("regionScale", "6")
        self.type_into("regionName", "Width of the lid")
        self.click("addRegion")
        region = self.study.pieces[1].views[0].regions[0]
        self.assertEqual((region.what, region.name), ("size", "Width of the lid"))
        self.assertAlmostEqual(region.width, 0.9 * 360, delta=8)
        self.click("measureAll")
        self.settle()
        self.assertIn("5 of 5 photographs tell it", self.find("measureTold").text())
        self.click("enterMeasured")
        self.settle()
        response = next(item for item in self.study.responses if item.name == "Width of the lid")
        read = [item for item in self.study.readings if item.response_id == response.id]
        self.assertEqual(len(read), 5)
        for item in read:
            # 0.72 of 360 pixels at 6 a millimetre.
            self.assertAlmostEqual(item.value, 43.2, delta=0.15)
            self.assertTrue(item.evidence.startswith("photo:"))
        self.undo()
        self.assertEqual([one for one in self.study.readings if one.response_id == response.id], [])

    def test_what_is_missing_is_said_before_anything_is_kept(self):
        self.click("addRegion")
        self.assertIn("Drag a box", self.find("regionTold").text())
        for name, value in (("left", "20"), ("top", "40"), ("width", "200"), ("height", "100")):
            self.type_into(f"region-{name}", value)
        self.type_into("regionScale", "-3")
        self.click("addRegion")
        self.assertIn("above zero", self.find("regionTold").text())
        self.assertEqual(self.study.pieces[1].views[0].regions, ())

    def test_a_scale_by_two_clicks_says_that_the_mat_is_better(self):
        canvas = self.find("measureCanvas")
        self.type_into("regionLength", "20")
        self.click("scaleByClicks")
        for share in (0.2, 0.6):
            place = canvas.place_on_screen(share, 0.5).toPoint()
            QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=place)
        self.assertAlmostEqual(float(self.find("regionScale").text()), 0.4 * 360 / 20, delta=0.2)
        self.assertIn("worse than the mat", self.find("regionTold").text())
        self.click("scaleFromMat")
        self.settle()
        self.assertIn("markers", self.find("regionTold").text())


class Judging(InLook):
    def setUp(self):
        super().setUp()
        self.fill()
        self.tab("Judge blind")

    def begin(self, judges="Lena, Olaf"):
        self.type_into("sessionJudges", judges)
        self.click("beginSession")
        self.settle()

    def test_a_session_is_judged_by_keys_alone_closed_and_opened(self):
        self.begin("Lena")
        session = self.study.sessions[0]
        self.assertEqual(len(session.commitment), 64)
        self.click("judgeNow")
        self.settle()
        trials = [one for one in session.trials if one.judge == "Lena"]
        for _ in trials:
            self.assertNotIn("Baseline", self.texts())
            self.press("1")
            self.settle()
        self.assertIn("All trials are answered", self.find("trialTold").text())
        self.assertEqual({one.answer for one in self.study.answers}, {"left"})
        self.keys(Qt.Key.Key_Escape)
        self.click("closeSession")
        self.click("openKey")
        self.settle()
        self.assertIsNotNone(self.study.sessions[0].opened)
        self.assertIn("that decide prefer", self.texts())
        self.assertIn("Key: ", self.texts())

    def test_an_answer_is_taken_back_and_a_pause_goes_on_where_it_was(self):
        self.begin("Lena")
        self.click("judgeNow")
        self.settle()
        self.press("1")
        self.settle()
        self.assertTrue(self.find("trialCount").text().startswith("2 of"))
        self.keys(Qt.Key.Key_Backspace)
        self.settle()
        self.press("2")
        self.settle()
        self.assertEqual([one.answer for one in self.study.answers], ["right"])
        self.keys(Qt.Key.Key_Escape)
        self.click("judgeNow")
        self.settle()
        self.assertTrue(self.find("trialCount").text().startswith("2 of"))

    def test_a_judge_sees_nothing_but_the_trial_and_an_undo_leaves_it(self):
        self.begin("Lena")
        self.click("judgeNow")
        self.settle()
        self.assertFalse(self.is_shown("lookCompare"))
        self.assertFalse(self.is_shown("beginSession"))
        self.undo()
        self.settle()
        self.assertEqual(self.study.sessions, ())
        self.assertTrue(self.is_shown("lookCompare"))
        self.assertTrue(self.is_shown("beginSession"))

    def test_nothing_on_the_screen_of_a_trial_tells_the_arm(self):
        self.begin("Lena")
        self.click("judgeNow")
        self.settle()
        codes = [run.code for run in self.study.runs]
        shown = self.find("trialView").findChildren(type(self.find("trialCount")))
        words = " ".join(item.text() for item in shown if item.isVisible())
        for code in [*codes, "Baseline", "Change", "twin"]:
            self.assertNotRegex(words, rf"\b{re.escape(code)}\b")
        canvas = self.find("trialCanvas0")
        self.assertNotIn(self.study.runs[0].code, json.dumps(canvas._names))
        # The ring and disc of the product would say which is the baseline.
        self.assertFalse(canvas._marked)

    def test_what_is_wrong_is_said_and_nothing_is_begun(self):
        self.click("beginSession")
        self.assertIn("Name who judges", self.message)
        self.assertEqual(self.study.sessions, ())
        self.find("controlSize").setText("9999")
        self.find("sessionControls").setValue(1)
        self.type_into("sessionJudges", "Lena")
        self.click("beginSession")
        self.assertIn("0.1 to 20 %", self.texts())
        self.assertEqual(self.study.sessions, ())

    def test_in_the_hand_a_tray_sheet_and_a_passphrase(self):
        self.pick("sessionView", 0)
        self.find("sessionPassphrase").setText("three small words")
        self.begin("Lena")
        session = self.study.sessions[0]
        self.assertEqual(session.letters, ())
        self.type_into("trayPath", str(self.folder / "tray.pdf"))
        self.click("writeTray")
        self.assertIn("not the passphrase", self.texts())
        card = next(iter(self.screen._panels["Judge blind"]._cards.values()))
        card._passphrase.setText("three small words")
        self.click("writeTray")
        self.assertTrue((self.folder / "tray.pdf").read_bytes().startswith(b"%PDF"))
        self.click("judgeNow")
        self.settle()
        self.assertRegex(self.find("trialLetters").text(), r"^[A-Z]+ left    [A-Z]+ right$")

    def test_the_prints_that_are_shown_can_be_chosen(self):
        prints = self.find("sessionPrints")
        self.assertIsInstance(prints, QListWidget)
        self.assertEqual(prints.count(), 5)
        for place in range(1, 5):
            prints.item(place).setCheckState(Qt.CheckState.Unchecked)
        self.type_into("sessionJudges", "Lena")
        self.click("beginSession")
        self.assertIn("a print of the baseline and one of the change", self.message)
        self.assertIsInstance(self.find("sessionTwins"), QCheckBox)


class Eyes(InLook):
    def test_sixty_looks_by_key_are_kept_as_a_threshold(self):
        self.tab("Eyes")
        self.click("eyesBegin")
        self.assertIn("whose eyes", self.texts())
        self.type_into("eyesJudge", "Ada")
        self.type_into("eyesScreen", "27 inch at 60 cm")
        self.click("eyesBegin")
        self.settle()
        panel = self.screen._panels["Eyes"]
        rng = np.random.default_rng(3)
        # What would take minutes of looking is put in; the last looks are given by key.
        for _ in range(57):
            seen = panel._size > 1.0 or rng.random() < 0.5
            panel._looks.append(SizedLook(panel._size, bool(seen)))
            panel._size = max(0.3, panel._size * (0.8 if seen else 1.6))
        for _ in range(3):
            self.assertTrue(self.is_shown("eyesCanvas"))
            self.press("2" if panel._right else "1")
            self.settle()
        kept = self.study.thresholds[0]
        self.assertEqual((kept.judge, kept.fault, kept.unit, kept.trials), ("Ada", "Ringing", "%", 60))
        self.assertTrue(0.3 < kept.value < 3.0, kept)
        self.assertIn("sees ringing from", self.find("eyesTold").text())

    def test_stopping_early_keeps_nothing(self):
        self.tab("Eyes")
        self.type_into("eyesJudge", "Ada")
        self.click("eyesBegin")
        self.settle()
        self.press("1")
        self.settle()
        self.click("eyesStop")
        self.assertIn("too little", self.find("eyesTold").text())
        self.assertEqual(self.study.thresholds, ())


class BesideTheVerdict(InLook):
    def test_the_two_prints_stand_beside_their_figures_once_the_arms_are_known(self):
        self.drop(*(self.picture(f"p{number}", number) for number in range(10)))
        grade = next(item.id for item in self.study.responses if item.name == "Seam")
        for run in self.study.runs:
            for zone in ("rim", "rib"):
                self.bench.do(
                    operations.enter_readings,
                    run_id=run.id, response_id=grade, spot=Spot(zone), values=[1.0], title="Seam",
                )  # fmt: skip
        self.settle()
        self.window.show_stage(Stage.VERDICT)
        self.settle()
        if self.is_shown("lookNow"):
            self.click("lookNow")
            self.settle()
        card = self.find("prints")
        cells = card.findChild(SheetView).cells
        self.assertEqual(len(cells), 4)
        self.assertIn("Baseline, lid, left", cells[0].label)
        self.assertIn("Change, lid, left", cells[1].label)
