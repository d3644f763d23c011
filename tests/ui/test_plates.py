"""Several pieces on one plate; the card before a print; the room; what prints are weighed in."""

from datetime import timedelta

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from oddtwin import operations
from oddtwin.core.picture import plate_squares
from oddtwin.core.quantities import now
from oddtwin.devices import Setup
from oddtwin.devices.simulated import SimulatedClimate
from oddtwin.ui.instruments import instruments_of
from tests.ui.test_screens import two_pairs
from tests.ui.window import InWindow


class AtTheMachine(InWindow):
    def setUp(self):
        super().setUp()
        self.new_study("Trial", two_pairs)
        self.stage(2)
        self.find("twins").setValue(0)
        self.find("copies").setValue(3)
        self.click("draw")
        self.settle()
        self.stage(4)

    @property
    def runs(self):
        return self.bench.study.runs

    def piece(self, number):
        """Click a piece of the picture, by its number on the plate in hand."""
        view = self.find("plateView")
        square = plate_squares(view._pieces, view.width(), view.height())[number]
        at = QPoint(int(square.x + square.width / 2), int(square.y + square.height / 2))
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=at)
        self.settle()


class Pieces(AtTheMachine):
    def test_a_click_on_a_piece_takes_it_in_hand(self):
        self.assertEqual(self.find("runCode").text(), self.runs[0].code)
        self.piece(2)
        self.assertEqual(self.find("runCode").text(), self.runs[2].code)
        self.assertIn(f"{self.runs[2].code} at place 3", self.find("plateView").accessibleName())
        self.assertIn("Start the plate", self.find("go").text())

    def test_one_start_and_one_finish_then_each_piece_is_marked_and_measured(self):
        self.enter(2)
        self.settle()
        plate = self.runs[0].plate.id
        self.assertTrue(all(run.finished for run in self.runs if run.plate.id == plate))
        self.assertIn(f"Mark it before it leaves the plate: {self.runs[0].code}", self.find("marking").text())
        self.type_into("reading-Print time", "120")
        self.type_into("reading-Part mass", "20.1")
        self.click("nextRun")
        self.settle()
        self.assertEqual(self.find("runCode").text(), self.runs[1].code, "the next piece of the plate")
        self.assertEqual(self.find("reading-Print time").text(), "120")
        self.assertEqual(self.find("reading-Part mass").text(), "")

    def test_one_piece_is_set_aside_and_the_others_go_on(self):
        self.enter(1)
        self.piece(1)
        self.find("reason").setCurrentText("came loose from the bed")
        self.click("setAside")
        self.settle()
        self.assertIn(
            f"{self.runs[1].code} at place 2, its front to the", self.find("plateView").accessibleName()
        )
        self.assertIn("set aside", self.find("plateView").accessibleName())
        self.piece(0)
        self.click("go")
        self.settle()
        first, second, third = self.runs[:3]
        self.assertTrue(first.finished and third.finished)
        self.assertEqual(second.set_aside, "came loose from the bed")
        self.assertFalse(first.set_aside or third.set_aside)

    def test_the_lines_of_one_plate_are_bracketed(self):
        listed = self.find("runList")
        signs = [listed.item(line).text()[0] for line in range(6)]
        self.assertEqual(signs, ["┌", "│", "└", "┌", "│", "└"])


class Before(AtTheMachine):
    def test_spool_and_bed_are_seen_to_before_the_start(self):
        do = self.bench.do
        do(operations.add_spool, name="Chalk")
        do(operations.edit_spool, spool_id=1, name="Chalk", left_g=1.0, dried=now() - timedelta(days=2))
        self.type_into("spool", "Chalk")
        self.settle()
        self.assertIn("1.0\u202fg left", self.texts())
        self.assertIn("dried 2 days ago", self.texts())
        self.assertFalse(self.find("bedCleaned").isChecked())
        self.click("bedCleaned")
        self.settle()
        self.assertTrue(self.runs[0].plate.bed_cleaned)
        self.click("go")
        self.settle()
        self.assertFalse(self.is_shown("bedCleaned"))

    def test_the_room_is_typed_or_taken_from_what_measures_it(self):
        self.type_into("roomTemperature", "21,5")
        self.type_into("roomHumidity", "130")
        self.assertEqual(self.runs[0].plate.temperature_c, 21.5)
        self.assertIn("Relative humidity lies between 0 and 100", self.texts())
        self.keys(Qt.Key.Key_Escape)
        with SimulatedClimate(seed=3, pace=50.0) as meter:
            instruments = instruments_of(self.bench)
            instruments.connect_to(Setup("climate", meter.path))
            while instruments.room().humidity_pct is None:
                self.application.processEvents()
            self.find("go").setFocus()
            self.enter(1)
            self.settle()
            plate = self.runs[0].plate
            self.assertEqual(plate.temperature_c, 21.5, "what was typed stays")
            self.assertTrue(40 < plate.humidity_pct < 50)
            (climate,) = instruments.connected
            self.assertRegex(climate.words, r"^Climate: \d+\.\d\u202f°C, \d+\u202f%$")

    def test_what_was_fitted_before_is_asked_for_by_name(self):
        do = self.bench.do
        do(
            operations.log_machine_change,
            machine_id=1, kind="part", what="bed glass", before="", after="rough",
            at=now() - timedelta(days=4),
        )  # fmt: skip
        self.settle()
        self.assertIn("bed glass was changed on", self.texts())
        self.click("check-level and mesh")
        self.settle()
        self.assertEqual([item.text for item in self.bench.study.rechecks], ["level and mesh"])


class Weighing(AtTheMachine):
    def setUp(self):
        super().setUp()
        self.assertFalse(self.is_shown("tare"), "nothing is known to weigh in")
        self.bench.do(operations.put_container, name="bowl", tare_g=41.0)
        self.enter(2)
        self.settle()

    def mass(self):
        response = next(one for one in self.bench.study.responses if one.name == "Part mass")
        return [one.value for one in self.bench.study.readings if one.response_id == response.id]

    def test_what_the_container_weighs_is_taken_off_and_it_stays_chosen(self):
        self.find("tare").setCurrentIndex(1)
        self.type_into("reading-Part mass", "61.2; 61.3")
        self.settle()
        self.assertEqual(self.mass(), [20.2, 20.3])
        self.assertEqual(self.find("reading-Part mass").text(), "20.2; 20.3")
        self.type_into("reading-Print time", "118")
        self.piece(1)
        self.type_into("reading-Part mass", "61.1")
        self.settle()
        self.assertEqual(self.mass()[-1], 20.1)

    def test_less_than_the_container_alone_is_refused_and_nothing_is_lost(self):
        self.find("tare").setCurrentIndex(1)
        self.type_into("reading-Part mass", "20.2")
        self.settle()
        self.assertEqual(self.mass(), [])
        self.assertIn("The bowl alone weighs 41", self.texts())
        self.assertEqual(self.find("reading-Part mass").text(), "20.2")
        self.find("tare").setCurrentIndex(0)
        self.type_into("reading-Part mass", "20.2")
        self.settle()
        self.assertEqual(self.mass(), [20.2])


class Stock(InWindow):
    def setUp(self):
        super().setUp()
        self.assertTrue(self.bench.create_book(self.folder / "shed", "Shed"))
        self.click("tabWorkshop")
        self.settle()

    def test_a_spool_is_weighed_dried_and_marked_and_a_container_remembered(self):
        self.type_into("newSpool", "Chalk")
        self.type_into("left-1", "1.2 kg")
        self.settle()
        self.assertEqual(self.find("leftNow-1").text(), "1200")
        self.click("dried-1")
        self.click("abrasive-1")
        self.settle()
        self.assertEqual(self.find("dried-1").text(), "Dried today")
        self.type_into("newContainer", "bowl", enter=False)
        self.click("addContainer")
        self.assertIn("Weigh it empty", self.texts())
        self.type_into("newTare", "41,5", enter=False)
        self.click("addContainer")
        self.settle()
        self.assertIn("bowl", self.texts())
        self.assertIn("41.5\u202fg", self.texts())
