"""Stand-ins over a pseudo-terminal, read by the real driver."""

import time
import unittest

from oddtwin.core.readings import Bound
from oddtwin.devices import Instrument, SerialPort, Setup, printer_line
from oddtwin.devices.line import Line
from oddtwin.devices.printer import FollowedPrint
from oddtwin.devices.simulated import (
    SimulatedCalliper,
    SimulatedClimate,
    SimulatedForce,
    SimulatedPrinter,
    SimulatedScale,
    SimulatedSound,
)


def until(done, seconds=10.0):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = done()
        if found:
            return found
        time.sleep(0.01)
    raise AssertionError("it did not come")


class Heard(unittest.TestCase):
    def listen(self, stand_in, kind, **setup):
        self.addCleanup(stand_in.close)
        stand_in.start()
        instrument = Instrument(Setup(kind, stand_in.path, **setup))
        self.addCleanup(instrument.close)
        return instrument

    def taken(self, instrument, near, within):
        def now():
            instrument.poll()
            sample, _ = instrument.take()
            return sample if sample is not None and abs(sample.value - near) <= within else None

        return until(now)

    def test_a_scale_settles_and_is_taken_when_it_stands_still(self):
        scale = SimulatedScale(seed=2, pace=20.0)
        instrument = self.listen(scale, "scale")
        scale.put(48.3)
        self.assertAlmostEqual(self.taken(instrument, 48.3, 0.35).value, 48.3, delta=0.35)
        scale.tare()
        self.taken(instrument, 0.0, 0.4)
        scale.put(9999)
        until(lambda: instrument.poll() or "More lies" in instrument.take()[1])
        self.assertIn("More lies", until(lambda: instrument.poll() is not None and instrument.trouble))

    def test_a_scale_that_waits_to_be_asked_is_asked(self):
        scale = SimulatedScale(seed=3, pace=20.0, step_g=0.01, on_demand=True)
        instrument = self.listen(scale, "scale", request="P")
        scale.put(5.0)
        self.taken(instrument, 5.0, 0.06)

    def test_meters_are_heard(self):
        calliper = SimulatedCalliper(seed=1, pace=50.0)
        heard = self.listen(calliper, "calliper")
        heard.poll()
        calliper.press(20.05)
        self.taken(heard, 20.05, 0.04)
        force = SimulatedForce(seed=1, pace=50.0)
        gauge = self.listen(force, "force")
        gauge.poll()
        force.pull(55.0)
        peaks = until(lambda: gauge.poll())
        self.assertEqual((peaks[0].value, peaks[0].bound), (40.0, Bound.ABOVE))
        sound = self.listen(SimulatedSound(seed=1, pace=20.0), "sound level")
        self.assertAlmostEqual(until(sound.poll)[0].value, 42.0, delta=2)
        climate = self.listen(SimulatedClimate(seed=1, pace=20.0), "climate")
        self.assertEqual({one.about for one in until(climate.poll)}, {"temperature", "humidity"})

    def test_pulling_the_plug_is_told_and_nothing_hangs(self):
        scale = SimulatedScale(seed=2, pace=20.0)
        instrument = self.listen(scale, "scale")
        until(instrument.poll)
        scale.close()
        until(lambda: instrument.poll() is not None and "unplugged" in instrument.trouble)
        began = time.monotonic()
        for _ in range(100):
            instrument.poll()
        self.assertLess(time.monotonic() - began, 1.0)
        self.assertIsNone(instrument.take()[0])

    def test_a_second_program_cannot_take_half_of_the_lines(self):
        scale = SimulatedScale(seed=2, pace=5.0)
        first = self.listen(scale, "scale")
        until(first.poll)
        second = Instrument(Setup("scale", scale.path))
        self.addCleanup(second.close)
        second.poll()
        self.assertIn("taken by another program", second.trouble)

    def test_a_printer_prints_a_day_in_seconds(self):
        layers = [60.0] * 600
        printer = SimulatedPrinter("ring.gcode", layers, pace=10_000.0, seed=4)
        self.addCleanup(printer.close)
        line = Line(lambda: SerialPort(printer.path), time.monotonic)
        line.poll()
        printer.start()
        heard = FollowedPrint()

        def done():
            for text in line.poll():
                said = printer_line(text)
                if said is not None:
                    heard.take(said, time.monotonic())
            return heard.finished

        until(done, 30.0)
        self.addCleanup(line.close)
        self.assertEqual(heard.layers, 600)
        self.assertAlmostEqual(heard.z_mm, 120.0)
        self.assertLess(heard.started, heard.first_layer)
        # 36 000 s of printing and some heating at 10 000 times.
        self.assertGreater(heard.finished - heard.started, 3.0)

    def test_a_print_that_fails_says_where(self):
        printer = SimulatedPrinter("x", [1.0] * 20, pace=10_000.0, seed=5, fault=1.0)
        self.addCleanup(printer.close)
        line = Line(lambda: SerialPort(printer.path), time.monotonic)
        line.poll()
        self.addCleanup(line.close)
        printer.start()
        texts = []
        until(lambda: texts.extend(line.poll()) or any(text.startswith("fault") for text in texts))
        self.assertNotIn("done", texts)


if __name__ == "__main__":
    unittest.main()
