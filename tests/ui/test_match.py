"""The stage Match by key and mouse: files, settings, layers, charts, purge, predictions."""

import json
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QScrollArea

from oddtwin import operations
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.study import LookAt
from oddtwin.core.toolpath.gcode import read_gcode
from oddtwin.core.toolpath.match.lines import segments
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.store import KeptKind, LabBook, load_machines, load_predictions, load_spools
from oddtwin.ui.match.canvas import LayerCanvas
from oddtwin.ui.match.waiting import Waiting
from tests.ui.window import InWindow

BOX = Solid(height=2)


def walls(do, pieces):
    do(operations.edit_study, study_id=1, question="Do three walls hold more?")
    do(operations.add_factor, study_id=1, kind="slicer setting", name="walls", levels=("2", "3"))
    do(operations.add_machine, name="Marlow")
    for name in ("Hook", "Lid"):
        do(operations.add_piece, name=name)
    do(operations.add_spool, name="Grey")
    where = {"machine_ids": [1], "piece_ids": pieces, "spools": ["Grey"]}
    do(operations.draw_runs, study_id=1, repeats=3, twins=1, seed=2, **where)


class InMatch(InWindow):
    """A study with two arms that differ by the number of walls, its order drawn."""

    def setUp(self):
        super().setUp()
        self.new_study("Trial", walls, self.pieces((1, 2)))
        self.machine = next(iter(self.bench.study.machines))
        self.stage(3)

    def pieces(self, ids):
        return ids[:1]

    def sliced(self, name, solid=BOX, **recipe):
        path = self.folder / f"{name}.gcode"
        path.write_text(slice_solid(solid, Recipe(**recipe)).text, encoding="utf-8")
        return path

    def choose(self, place, path):
        arm = self.bench.study.arms[place]
        self.type_into(f"file-{arm.id}", str(path))
        self.settle()

    def choose_both(self, solid=BOX, **more):
        self.choose(0, self.sliced("two", solid, walls=2))
        self.choose(1, self.sliced("three", solid, **{"walls": 3, **more}))

    def lead(self):
        return self.find("matchLead").text()

    def tab(self, name):
        self.click(f"match{name}")
        self.settle()


class Files(InMatch):
    def test_choosing_both_files_checks_them_and_names_the_threats(self):
        self.assertFalse(self.is_shown("matchLead"))
        self.choose_both(fan=60.0)
        self.assertEqual(self.lead(), "2 settings differ; 1 was declared; 1 can move this result.")
        words = self.texts().replace("\u202f", " ")
        self.assertIn("Walls is in the files as declared", words)
        self.assertTrue(self.is_shown("threat-undeclared-setting"))
        self.assertEqual(self.bench.study.checks[0].result["settings"]["same"], 24)
        kept = {file.sha256 for file in self.bench.study.files}
        self.assertEqual({path.name for path in (self.bench.book.folder / "gcode").iterdir()}, kept)

    def test_the_same_file_is_said_as_such(self):
        same = self.sliced("same")
        self.choose(0, same)
        self.choose(1, same)
        self.assertEqual(self.lead(), "Same file, byte for byte.")
        self.assertTrue(self.is_shown("threat-same-file"))

    def test_what_is_wrong_with_a_file_stands_below_its_field(self):
        bad = self.folder / "bad.gcode"
        bad.write_bytes(b"\x00\x01\x02")
        self.choose(0, bad)
        self.assertIn("not text but a binary file", self.texts())
        self.choose(0, self.folder / "nowhere.gcode")
        self.assertIn("cannot be read", self.texts())
        self.choose(0, "~nobody-at-all/x.gcode")
        self.assertIn("is no place for a file", self.texts())
        self.assertEqual(self.bench.study.files, ())
        self.choose(0, self.sliced("good"))
        self.assertNotIn("cannot be read", self.texts())
        self.assertEqual(len(self.bench.study.files), 1)

    def test_a_file_can_be_chosen_in_a_dialog_taken_out_and_brought_back(self):
        path = self.sliced("two")
        arm = self.bench.study.arms[0]
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.click(f"chooseFile-{arm.id}")
        self.settle()
        self.assertEqual(self.find(f"file-{arm.id}").text(), "two.gcode")
        self.click(f"removeFile-{arm.id}")
        self.assertIn("no file yet", self.texts())
        self.undo()
        self.assertEqual(self.find(f"file-{arm.id}").text(), "two.gcode")

    def test_another_file_drops_the_check_and_makes_a_new_one(self):
        self.choose_both()
        first = self.bench.study.checks[0]
        self.choose(1, self.sliced("four", walls=4))
        second = self.bench.study.checks[0]
        self.assertNotEqual(first.result, second.result)
        self.assertTrue(self.is_shown("threat-not-in-file"))
        self.click("checkAgain")
        self.settle()
        self.assertEqual(self.bench.study.checks[0].result, second.result)

    def test_a_run_carries_the_hash_it_was_printed_from(self):
        self.choose_both()
        study = self.bench.study
        run = study.runs[0]
        self.bench.do(operations.start_run, run_id=run.id, code=run.code)
        started = next(item for item in self.bench.study.runs if item.id == run.id)
        self.stage(4)
        self.assertIn(f"mark {started.sha256[:8]}", self.find("runFile").text())
        self.stage(3)
        piece = study.block_of(run).piece_id
        self.assertEqual(started.sha256, study.file_of(run.arm_id, piece).sha256)
        place = [arm.id for arm in study.arms].index(run.arm_id)
        self.choose(place, self.sliced("other", walls=5))
        self.assertTrue(self.is_shown("threat-other-file"))
        self.bench.do(operations.clear_stamps, run_id=run.id, code=run.code)
        self.settle()
        self.assertFalse(self.is_shown("threat-other-file"))

    def test_a_kept_file_that_is_gone_is_said(self):
        self.choose_both()
        for path in (self.bench.book.folder / "gcode").iterdir():
            path.unlink()
        self.click("checkAgain")
        self.settle()
        self.assertIn("cannot be read", self.texts())

    def test_layers_and_charts_wait_for_the_file_that_was_taken_out(self):
        self.choose_both()
        arm = self.bench.study.arms[1]
        for tab in ("matchLayers", "matchBy"):
            self.click(tab)
            self.settle()
        self.bench.do(operations.remove_file, arm_id=arm.id, piece_id=1, name="x")
        for tab in ("matchLayers", "matchBy"):
            self.click(tab)
            self.settle()
            self.assertIn("files of all arms", self.texts())

    def test_reading_can_be_stopped(self):
        big = self.folder / "big.gcode"
        line = b"G1 X10.123 Y20.456 E0.01234\nG1 X11.123 Y21.456 E0.01234\n"
        big.write_bytes(b"M83\n" + line * 400_000)
        arm = self.bench.study.arms[0]
        self.type_into(f"file-{arm.id}", str(big))
        self.bench.lanes.cancel_all()
        self.settle()
        self.assertEqual(self.bench.study.files, ())
        self.assertEqual(self.errors, [])

    def test_a_file_that_was_cut_off_is_read_and_doubted(self):
        whole = self.sliced("two", walls=2)
        cut = self.folder / "cut.gcode"
        text = self.sliced("three", walls=3).read_text()
        cut.write_text(text[: text.rindex("G1 X") + 9])
        self.choose(0, whole)
        self.choose(1, cut)
        self.assertTrue(self.is_shown("threat-doubtful-file"))
        self.assertIn("may have been cut off", self.texts())

    def test_the_plan_takes_over_minutes_and_grams(self):
        self.choose_both()
        self.click("takeEstimates")
        self.settle()
        (piece,) = (self.bench.study.pieces[key] for key in self.bench.study.plan.piece_ids)
        self.assertGreater(piece.on(self.machine).minutes, 0)
        self.stage(2)
        self.assertIn("7 runs", self.find("totals").text().replace("\u202f", " "))

    def test_a_file_that_is_dropped_on_its_field_is_an_address(self):
        self.choose(0, self.sliced("dropped").as_uri())
        self.assertEqual(self.bench.study.files[0].name, "dropped.gcode")

    def test_a_study_without_an_order_says_what_to_do_first(self):
        self.click("home")
        self.settle()
        self.type_into("newStudyName", "Second")
        self.settle()
        self.stage(3)
        self.assertIn("Draw the order under Plan first", self.find("matchHint").text())


class TwoPieces(InMatch):
    def pieces(self, ids):
        return ids

    def test_every_piece_has_files_and_a_check_of_its_own(self):
        self.choose_both()
        self.find("matchPiece").setCurrentIndex(1)
        self.settle()
        self.assertFalse(self.is_shown("matchLead"))
        self.choose_both(Solid(width=30, height=2))
        self.assertEqual(len(self.bench.study.checks), 2)
        self.assertEqual(len(self.bench.study.files), 4)


class Tabs(InMatch):
    def test_settings_are_folded_and_shown(self):
        self.choose_both(fan=60.0, note="a note")
        self.tab("Settings")
        table = self.find("settingsTable")
        rows = [[table.item(line, column).text() for column in range(4)] for line in range(table.rowCount())]
        self.assertEqual(
            rows, [["fan", "100", "60", "not declared, can move the result"], ["walls", "2", "3", "declared"]]
        )
        self.click("showHarmless")
        self.assertEqual(table.item(2, 0).text(), "note")
        self.assertEqual(table.item(2, 3).text(), "harmless: a note")

    def test_settings_exported_apart_take_the_place_of_those_that_are_missing(self):
        for place, walls in enumerate((2, 3)):
            path = self.sliced(f"bare{walls}", walls=walls)
            code = [line for line in path.read_text().splitlines() if " = " not in line]
            path.write_text("\n".join(code) + "\n")
            self.choose(place, path)
        self.assertIn("carries no settings", self.lead())
        self.tab("Settings")
        ours, theirs = (arm.id for arm in self.bench.study.arms)
        (self.folder / "a.ini").write_text("[print]\nwalls = 2\nfan = 100\n")
        (self.folder / "b.json").write_text(json.dumps({"walls": 3, "fan": 80}))
        (self.folder / "c.json").write_text("{")
        self.type_into(f"settings-{ours}", str(self.folder / "a.ini"))
        self.type_into(f"settings-{theirs}", str(self.folder / "c.json"))
        self.assertIn("not valid JSON", self.texts())
        self.type_into(f"settings-{theirs}", str(self.folder / "b.json"))
        self.settle()
        sentence = self.find("settingsSentence").text()
        self.assertEqual(sentence, "2 settings differ; 1 was declared; 1 can move this result.")
        self.assertTrue(self.is_shown("threat-undeclared-setting"))

    def test_layers_are_walked_by_slider_and_keys(self):
        self.choose_both()
        self.tab("Layers")
        self.assertIn("Layer 6 of 10", self.find("layerSays").text())
        self.assertIn("part where they are marked", self.find("layerParted").text())
        canvas = self.find("layerCanvas")
        canvas.setFocus()
        self.keys(Qt.Key.Key_Up)
        self.assertIn("Layer 7 of 10", self.find("layerSays").text())
        self.keys(Qt.Key.Key_PageDown)
        self.assertIn("Layer 1 of 10", self.find("layerSays").text())
        self.find("layerSlider").setFocus()
        self.keys(Qt.Key.Key_End)
        self.assertIn("Layer 10 of 10", self.find("layerSays").text())
        self.click("showTravel")

    def test_the_canvas_draws_both_paths_where_they_lie(self):
        self.choose_both()
        self.tab("Layers")
        canvas = self.find("layerCanvas")
        self.assertIsInstance(canvas, LayerCanvas)
        picture = canvas.grab().toImage()
        path = read_gcode([self.sliced("two", walls=2).read_bytes()])
        begin, end, _ = segments(path, 5)
        middle = (begin[0] + end[0]) / 2
        spot = canvas.transform().map(QPointF(*middle))
        orange = self.window.theme.colour("change")
        colours = [
            picture.pixelColor(round(spot.x()) + dx, round(spot.y()) + dy)
            for dx in range(-3, 4)
            for dy in range(-3, 4)
        ]
        near = [c for c in colours if abs(c.red() - orange.red()) + abs(c.blue() - orange.blue()) < 60]
        self.assertTrue(near)

    def test_the_canvas_zooms_at_the_pointer_and_moves(self):
        self.choose_both()
        self.tab("Layers")
        canvas = self.find("layerCanvas")
        point = QPointF(200, 150)
        before = canvas.transform().inverted()[0].map(point)
        wheel = QWheelEvent(
            point, canvas.mapToGlobal(point), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        self.application.sendEvent(canvas, wheel)
        after = canvas.transform().inverted()[0].map(point)
        self.assertAlmostEqual(before.x(), after.x(), 6)
        scale = canvas.transform().m11()
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=QPoint(100, 100))
        QTest.mouseMove(canvas, QPoint(140, 100))
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=QPoint(140, 100))
        QTest.mouseDClick(canvas, Qt.MouseButton.LeftButton, pos=QPoint(50, 50))
        self.assertLess(canvas.transform().m11(), scale)

    def test_charts_and_features(self):
        self.choose_both()
        self.tab("By")
        table = self.find("featureTable")
        features = {table.item(line, 0).text(): line for line in range(table.rowCount())}
        inner = features["inner wall"]
        self.assertGreater(float(table.item(inner, 2).text()), float(table.item(inner, 1).text()))
        self.assertGreater(self.find("layerChart").height(), 300)
        reached = self.find("reachTable")
        rows = {
            reached.item(line, 0).text(): reached.item(line, 2).text() for line in range(reached.rowCount())
        }
        self.assertEqual(rows["Longest bridge"], "none")
        self.assertIn("mm³/s", rows["Greatest flow"])
        self.type_into("reachFlow", "5")
        self.settle()
        self.assertEqual(reached.item(reached.rowCount() - 1, 0).text(), "Time above 5 mm³/s")

    def test_purge_needs_colours_and_finds_its_floor(self):
        self.choose_both()
        self.tab("Purge")
        self.assertIn("no change of colour", self.find("purgeSentence").text())
        self.tab("Files")
        self.choose_both(Solid(height=2, colours=2, band_layers=2))
        self.tab("Purge")
        self.assertIn("4 changes of colour", self.find("purgeSentence").text())
        self.assertRegex(self.find("purgeSentence").text(), r"The tower takes 0\.4\d")
        self.type_into("purgeMinimum", "46")
        self.assertIn("Below a multiplier of 0.51", self.find("purgeFloor").text())
        table = self.find("purgeMultiplied")
        column = [table.item(line, 3).text() for line in range(table.rowCount())]
        self.assertEqual(column, ["0", "0", "0", "4", "4", "4", "4", "4"])
        matrix = self.find("purgeMatrix")
        self.assertEqual(matrix.item(0, 1).text(), "90.0")
        self.type_into("purgeMultiplier", "0.4")
        self.assertEqual(matrix.item(0, 1).text(), "46.0 · least")
        # A volume that is typed is one at the multiplier shown.
        matrix.item(0, 1).setText("80")
        self.assertEqual(matrix.item(0, 1).text(), "80.0")
        self.type_into("purgeMultiplier", "1")
        self.assertEqual(matrix.item(0, 1).text(), "200.0")
        matrix.item(1, 0).setText("none")
        self.assertIn("Tool 1 to tool 0", self.find("purgeFloor").text())
        # A least of its own for one pair, and what cannot be is not kept.
        self.find("purgeTable").setCurrentIndex(1)
        self.assertEqual(matrix.item(0, 1).text(), "46.0")
        matrix.item(1, 0).setText("60")
        self.assertEqual(matrix.item(1, 0).text(), "60.0 · own")
        self.find("purgeTable").setCurrentIndex(2)
        matrix.item(1, 0).setText("50")
        self.assertEqual(matrix.item(1, 0).text(), "no limit")
        self.assertIn("Tool 1 to tool 0: give a least purge", self.find("purgeFloor").text())
        self.find("purgeTable").setCurrentIndex(0)
        self.type_into("purgeMultiplier", "0.1")
        self.assertEqual(matrix.item(1, 0).text(), "60.0 · least")
        self.find("purgeTable").setCurrentIndex(1)
        matrix.item(1, 0).setText("")
        self.assertEqual(matrix.item(1, 0).text(), "46.0")
        self.find("purgeTable").setCurrentIndex(0)
        self.type_into("purgeMaximum", "10")
        self.assertIn("below the least", self.texts())
        self.type_into("purgeMaximum", "")
        self.find("purgeFile").setCurrentIndex(1)
        self.find("purgeCopies").setValue(2)
        self.assertIn("for each useful piece (1 there, 2 here)", self.find("purgeAgainst").text())
        shared = self.find("purgeShared")
        self.assertEqual(shared.item(1, 0).text(), "2 (this plate)")
        self.type_into("purgeMinimum", "lots")
        self.assertIn("is not a number", self.texts())


class Predictions(InMatch):
    def print_all(self, jam=None):
        """Print every run in the predicted time and mass, one of them half an hour longer."""
        study = self.bench.study
        responses = {item.role.value: item for item in study.responses if item.role}
        for number, run in enumerate(study.runs):
            for operation in (operations.start_run, operations.finish_run):
                self.bench.do(operation, run_id=run.id, code=run.code)
            with self.bench.book.reading() as connection:
                (there,) = [item for item in load_predictions(connection) if item.run_id == run.id]
            minutes = there.raw_min + 2 + 0.05 * (number % 3) + (30 if number == jam else 0)
            for role, value in (("time", minutes), ("part", there.predicted_g + 0.1 * (number % 2))):
                self.bench.do(
                    operations.enter_readings,
                    run_id=run.id,
                    response_id=responses[role].id,
                    values=[value],
                    title=f"{role} of run {run.code}",
                )
        self.settle()

    def test_agreement_names_the_run_that_jammed(self):
        self.choose_both()
        self.tab("Predicted")
        self.assertIn("Nothing to compare yet", self.find("agreementSentence").text())
        self.print_all(jam=4)
        self.tab("Predicted")
        self.assertIn("Over 7 runs of 2 files", self.find("agreementSentence").text())
        self.assertIn("Runs of one file repeat its error", self.texts())
        self.assertIn("95 % intervals of the limits: lower limit", self.find("agreementLimits").text())
        jammed = self.bench.study.runs[4].code
        self.assertIn(jammed, self.find("agreementOutside").text())
        # What is predicted of a run tells its arm, and the verdict was not looked at.
        table = self.find("predictedRuns")
        self.assertEqual(table.item(0, 4).text(), "blind until the verdict")
        self.bench.do(operations.reveal, study_id=self.bench.study.id, what=LookAt.VERDICT)
        self.settle()
        self.assertIn("min", table.item(0, 4).text())
        box = self.find("agreementGroup")
        box.setCurrentIndex(box.findText("Grams, all runs"))
        self.assertIn("measured grams", self.find("agreementSentence").text())

    def test_logged_prints_calibrate_the_machine(self):
        self.choose_both()
        self.print_all()
        self.assertIn("By 7 logged prints of Marlow", self.find("calibratedTimes").text())
        self.tab("Predicted")
        self.assertIn(
            "Marlow: measured = predicted + 2.0", self.find("calibration").text().replace("\u202f", " ")
        )


class Workshop(InMatch):
    def test_limits_of_a_machine_change_what_is_predicted(self):
        self.choose_both()
        file = self.bench.study.files[0]
        self.click("home")
        self.click("tabMachines")
        self.type_into(f"acceleration-{self.machine}", "100")
        self.type_into(f"jerk-{self.machine}", "2")
        self.settle()
        with self.bench.book.reading() as connection:
            (machine,) = load_machines(connection)
        self.assertEqual(machine.motion, {"acceleration": 100.0, "jerk": {"x": 2.0, "y": 2.0}})
        self.type_into(f"acceleration-{self.machine}", "0")
        self.settle()
        self.assertIn("above zero", self.message)
        self.bench.open_study(1)
        self.assertEqual(self.bench.study.files[0].seconds, {})
        self.assertNotEqual(file.seconds, {})

    def test_a_spool_has_its_diameter_and_density(self):
        self.click("home")
        self.click("tabWorkshop")
        with self.bench.book.reading() as connection:
            (spool,) = load_spools(connection)
        self.type_into(f"density-{spool.id}", "1.27")
        self.type_into(f"diameter-{spool.id}", "2.85")
        self.settle()
        with self.bench.book.reading() as connection:
            (spool,) = load_spools(connection)
        self.assertEqual((spool.diameter_mm, spool.density_g_cm3), (2.85, 1.27))
        self.type_into(f"density-{spool.id}", "0")
        self.assertIn("above zero", self.message)


class Exchange(InMatch):
    def test_files_and_checks_travel_with_the_study(self):
        from oddtwin.store.exchange import read_study, write_study

        self.choose_both()
        text = write_study(self.bench.study)
        again = read_study(text, "x.json")
        self.assertEqual(
            [file.sha256 for file in again.files], [file.sha256 for file in self.bench.study.files]
        )
        self.assertEqual(again.checks[0].result, self.bench.study.checks[0].result)
        self.bench.do(operations.add_whole_study, study=again)
        self.bench.open_study(2)
        self.assertEqual(len(self.bench.study.files), 2)
        self.assertEqual(json.loads(write_study(self.bench.study))["arms"], json.loads(text)["arms"])
        self.assertTrue(Path(self.bench.book.kept(KeptKind.SLICED, again.files[0].sha256)).exists())


class Ladder(InMatch):
    """Three levels of one factor: every other arm stands against the baseline."""

    def setUp(self):
        super().setUp()
        study = self.bench.study
        do = self.bench.do
        do(operations.add_level, factor_id=study.factors[0].id, value="4")
        do(
            operations.draw_runs,
            study_id=study.id,
            repeats=2,
            twins=0,
            seed=3,
            machine_ids=[self.machine],
            piece_ids=list(study.plan.piece_ids),
            design=Design(DesignKind.LADDER),
        )
        self.settle()

    def test_three_files_are_checked_together_and_looked_at_two_at_a_time(self):
        walls = {"2": 2, "3": 3, "4": 4}
        for place, arm in enumerate(self.bench.study.arms):
            ((_, level),) = self.bench.study.levels_of(arm)
            self.choose(place, self.sliced(f"w{level.value}", walls=walls[level.value]))
        self.assertEqual(self.lead(), "1 setting differs; 1 was declared; no other can move this result.")
        self.assertEqual(len(self.bench.study.checks[0].result["paths"]), 2)
        self.tab("Settings")
        table = self.find("settingsTable")
        self.assertEqual([table.item(0, column).text() for column in range(1, 4)], ["2", "3", "4"])
        self.tab("Layers")
        before = len(self.find("layerCanvas")._change)
        self.find("layerOther").setCurrentIndex(1)
        self.settle()
        self.assertGreater(len(self.find("layerCanvas")._change), before)
        self.tab("By")
        features = self.find("featureTable")
        names = [features.item(line, 0).text() for line in range(features.rowCount())]
        inner = float(features.item(names.index("inner wall"), 2).text())
        self.find("chartOther").setCurrentIndex(1)
        self.settle()
        self.assertGreater(float(features.item(names.index("inner wall"), 2).text()), inner)


class OtherStates(InMatch):
    def test_a_book_that_is_read_only_shows_and_changes_nothing(self):
        self.choose_both()
        folder = self.bench.book.folder
        study = self.bench.study.id
        self.bench.close_book()
        holder = LabBook.open(folder)
        self.addCleanup(holder.close)
        self.bench.open_book(folder)
        self.window.open_study(study)
        self.settle()
        self.stage(3)
        self.assertTrue(self.lead())
        arm = self.bench.study.arms[0]
        self.assertFalse(self.find(f"file-{arm.id}").isEnabled())
        self.assertFalse(self.find("checkAgain").isEnabled())
        self.tab("Layers")
        self.assertIn("Layer 6 of 10", self.find("layerSays").text())

    def test_long_names_stay_inside_the_window(self):
        arm = self.bench.study.arms[1]
        self.bench.do(
            operations.rename_arm, arm_id=arm.id, name="Three walls with a very long name indeed " * 3
        )
        self.choose_both()
        self.assertIn("Three walls with a very long", self.texts())
        for tab in ("Files", "Settings", "Layers", "By", "Purge"):
            self.tab(tab)
            page = self.window.findChild(QScrollArea, "")
            self.assertLessEqual(self.window.width(), 1300, tab)
            self.assertIsNotNone(page)

    def test_the_dark_theme_redraws_every_tab(self):
        self.choose_both()
        for tab in ("Files", "Settings", "Layers", "By", "Purge", "Predicted"):
            self.tab(tab)
            self.window.theme.set_dark(not self.window.theme.dark)
            self.settle()
            self.assertFalse(self.window.grab().isNull())
        self.assertEqual(self.errors, [])

    def test_a_slow_file_shows_how_far_it_is_and_can_be_stopped(self):
        shelf = self.find(f"file-{self.bench.study.arms[0].id}").window().findChild(Waiting)
        shelf._on_moved(0.25)
        shelf._soon.timeout.emit()
        self.assertTrue(self.is_shown("matchProgress"))
        self.assertEqual(self.find("matchProgress").value(), 250)
        self.click("matchStop")
        shelf._on_moved(1.0)
        self.assertFalse(self.is_shown("matchProgress"))

    def test_going_to_another_study_forgets_the_files_in_hand(self):
        self.choose_both()
        self.tab("Layers")
        self.assertTrue(self.is_shown("layerSlider"))
        self.click("home")
        self.settle()
        self.type_into("newStudyName", "Second")
        self.settle()
        self.stage(3)
        self.tab("Layers")
        self.assertFalse(self.is_shown("layerSlider"))
        self.assertIn("Choose the files of all arms under Files first", self.texts())

    def test_undo_of_a_file_takes_its_findings_back(self):
        self.choose_both()
        self.undo()
        self.settle()
        self.assertFalse(self.is_shown("matchLead"))
        self.assertEqual(len(self.bench.study.files), 2)
        self.redo()
        self.settle()
        self.assertTrue(self.lead())
