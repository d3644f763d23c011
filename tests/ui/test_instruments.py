"""Instruments in the window: a simulated scale is connected, and Enter takes what it shows."""

import time

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from oddtwin import operations
from oddtwin.core.readings import ResponseKind, Source
from oddtwin.core.standing import Stage
from oddtwin.devices import SerialPort
from oddtwin.devices.simulated import SimulatedForce, SimulatedScale
from oddtwin.ui.instruments import InstrumentsCard, instruments_of
from tests.ui.window import InWindow


class Bench(InWindow):
    """A study of which the first print is done, and a panel to connect instruments in."""

    def setUp(self):
        super().setUp()
        self.assertTrue(self.bench.create_book(self.folder / "shed", "Shed"))
        do = self.bench.do
        do(operations.add_study, name="Trial")
        do(
            operations.add_factor,
            study_id=1,
            kind="slicer setting",
            name="seam",
            levels=("line", "scattered"),
        )
        do(operations.add_response, study_id=1, name="Force", unit="N", kind=ResponseKind.QUANTITY)
        do(operations.add_machine, name="Marlow")
        do(operations.add_piece, name="Ring", minutes=60.0, part_g=20.0)
        do(
            operations.draw_runs,
            study_id=1, repeats=2, twins=1, seed=4, machine_ids=[1], piece_ids=[1],
        )  # fmt: skip
        self.window.open_study(1)
        run = self.bench.study.runs[0]
        do(operations.start_run, run_id=run.id, code=run.code)
        do(operations.finish_run, run_id=run.id, code=run.code)
        self.window.show_stage(Stage.PRINT)
        self.settle()

    def connect(self, kind, path):
        box = self.find("instrumentKind")
        box.setCurrentIndex(box.findData(kind))
        self.find("instrumentPort").setCurrentText(path)
        self.click("connectInstrument")

    def until(self, done, seconds=10.0):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self.application.processEvents()
            if done():
                return
            time.sleep(0.01)
        self.fail("it did not come")

    def enter(self, name):
        field = self.find(name)
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.settle()

    def read(self, name):
        response = next(one for one in self.bench.study.responses if one.name == name)
        return [one for one in self.bench.study.readings if one.response_id == response.id]

    def shown(self):
        return self.find("instrument-scale").text()


class Connected(Bench):
    def test_enter_takes_what_the_scale_shows_once_it_stands_still(self):
        with SimulatedScale(seed=2, pace=20.0) as scale:
            scale.put(20.4)
            self.connect("scale", scale.path)
            self.until(lambda: "20." in self.shown() and "…" not in self.shown())
            self.enter("reading-Part mass")
            (reading,) = self.read("Part mass")
            self.assertAlmostEqual(reading.value, 20.4, delta=0.4)
            self.assertIs(reading.source, Source.DEVICE)
            self.assertIn("Scale: 20.", self.find("instrumentsNow").text())
            # Everything that it sent lies in a file of the lab book, as it came.
            (raw,) = (self.folder / "shed" / "streams").iterdir()
            self.assertIn(b"ST,GS,", raw.read_bytes())

    def test_while_it_moves_or_is_overloaded_nothing_is_taken_and_it_says_so(self):
        with SimulatedScale(seed=2, pace=20.0) as scale:
            scale.put(9999.0)
            self.connect("scale", scale.path)
            self.until(lambda: "More lies on the scale" in self.shown())
            self.enter("reading-Part mass")
            self.assertEqual(self.read("Part mass"), [])
            self.assertIn("More lies on the scale", self.texts())
            # What is typed still counts.
            self.type_into("reading-Part mass", "20.1")
            self.settle()
            (reading,) = self.read("Part mass")
            self.assertEqual((reading.value, reading.source), (20.1, Source.TYPED))

    def test_a_gauge_that_ended_gives_a_reading_from_above(self):
        with SimulatedForce(seed=1, pace=50.0, most_n=40.0) as force:
            self.connect("force", force.path)
            self.until(lambda: "silent" in self.find("instrument-force").text())
            self.settle()
            force.pull(70.0)
            self.until(lambda: "40.0" in self.find("instrument-force").text())
            self.enter("reading-Force")
            (reading,) = self.read("Force")
            self.assertEqual((reading.value, reading.bound), (40.0, ">"))

    def test_a_window_that_closes_lets_go_of_its_ports(self):
        with SimulatedScale(seed=2, pace=20.0) as scale:
            self.connect("scale", scale.path)
            self.until(lambda: " g" in self.shown().replace("\N{NARROW NO-BREAK SPACE}", " "))
            with self.assertRaises(OSError):
                SerialPort(scale.path)
            self.window.close()
            self.settle()
            SerialPort(scale.path).close()

    def test_what_is_sent_is_kept_in_the_book_that_is_open(self):
        with SimulatedScale(seed=2, pace=20.0) as scale:
            self.connect("scale", scale.path)
            self.until(lambda: list((self.folder / "shed" / "streams").glob("scale*")))
            self.assertTrue(self.bench.create_book(self.folder / "loft", "Loft"))
            self.settle()
            self.until(lambda: list((self.folder / "loft" / "streams").glob("scale*")))
            (old,) = (self.folder / "shed" / "streams").iterdir()
            length = old.stat().st_size
            time.sleep(0.3)
            self.settle()
            self.assertEqual(old.stat().st_size, length)

    def test_a_pulled_plug_is_told_and_the_window_goes_on(self):
        scale = SimulatedScale(seed=2, pace=20.0).start()
        self.addCleanup(scale.close)
        self.connect("scale", scale.path)
        self.until(lambda: " g" in self.shown().replace("\N{NARROW NO-BREAK SPACE}", " "))
        scale.close()
        self.until(lambda: "unplugged" in self.shown())
        self.enter("reading-Part mass")
        self.assertEqual(self.read("Part mass"), [])
        self.assertIn("unplugged", self.texts())
        self.click("letGoInstrument")
        self.assertFalse(self.is_shown("instrument-scale"))
        # Without an instrument Enter goes on, as ever.
        self.enter("reading-Part mass")
        self.assertNotEqual(self.focused, "reading-Part mass")

    def test_what_was_connected_is_taken_up_the_next_time(self):
        with SimulatedScale(seed=2, pace=20.0) as scale:
            self.connect("scale", scale.path)
            instruments = instruments_of(self.bench)
            self.assertEqual(len(instruments.connected), 1)
            again = type(instruments)(self.bench)
            self.addCleanup(again.deleteLater)
            self.assertEqual(again.connected[0].setup, instruments.connected[0].setup)
            again.let_go(again.connected[0])

    def test_a_port_must_be_named(self):
        self.find("instrumentPort").setCurrentText("")
        self.click("connectInstrument")
        self.assertIn("/dev/ttyUSB0", self.texts())
        card = InstrumentsCard(self.bench)
        self.addCleanup(card.deleteLater)
        card.refresh_ports()


class Timing(Bench):
    def setUp(self):
        super().setUp()
        self.assertFalse(self.is_shown("stopwatch"), "nothing but the print is timed")
        self.bench.do(
            operations.add_response,
            study_id=1, name="Clean-up", unit="min", kind=ResponseKind.QUANTITY,
        )  # fmt: skip
        self.settle()

    def test_the_stopwatch_is_started_and_stopped_by_a_key_and_taken_by_enter(self):
        field = self.find("reading-Clean-up")
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_F8)
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.settle()
        self.assertIn("The stopwatch still runs", self.texts())
        self.until(lambda: "0:00:01" in self.find("stopwatch").text())
        QTest.keyClick(field, Qt.Key.Key_F8)
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.settle()
        (reading,) = self.bench.study.readings
        self.assertTrue(0.9 / 60 < reading.value < 0.2, reading.value)
        self.assertEqual(reading.source, Source.DEVICE)
        self.assertIn("0:00:00", self.find("stopwatch").text(), "the next print is timed anew")
