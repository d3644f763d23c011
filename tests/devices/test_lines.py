"""What instruments send, line by line; and lines that break, stall or fill the disk."""

import itertools
import os
import random
import tempfile
import unittest
from pathlib import Path

from oddtwin.core.readings import Bound
from oddtwin.devices import Health, Instrument, Line, NoValue, RawStream, Setup, Stopwatch, said_by
from oddtwin.devices.printer import FollowedPrint, PrinterEvent, printer_line


class Clock:
    def __init__(self):
        self.now = 100.0

    def __call__(self):
        return self.now


class Port:
    """A port whose bytes are given."""

    def __init__(self, *chunks):
        self.chunks = list(chunks)
        self.sent = b""
        self.closed = False

    def read(self):
        if not self.chunks:
            return b""
        chunk = self.chunks.pop(0)
        if isinstance(chunk, Exception):
            raise chunk
        return chunk

    def write(self, data):
        self.sent += data

    def close(self):
        self.closed = True


class Stopwatches(unittest.TestCase):
    def setUp(self):
        self.at = 100.0
        self.watch = Stopwatch(lambda: self.at)

    def test_it_runs_stands_goes_on_and_is_taken_once(self):
        self.assertIsNone(self.watch.sample())
        self.watch.press()
        self.at += 12.34
        self.assertTrue(self.watch.runs)
        self.assertIsNone(self.watch.sample(), "it runs")
        self.watch.press()
        self.at += 50
        self.assertEqual((self.watch.sample().value, self.watch.sample().unit), (12.3, "s"))
        self.watch.press()
        self.at += 10
        self.watch.press()
        self.assertEqual(self.watch.sample().value, 22.3)
        self.watch.clear()
        self.assertEqual((self.watch.seconds, self.watch.sample()), (0.0, None))


class Scales(unittest.TestCase):
    def said(self, text, kind="scale"):
        return said_by(kind, text)[0]

    def test_common_lines_are_read_in_grams_with_their_flag(self):
        for text, grams, stable in (
            ("ST,GS,+  123.45g", 123.45, True),
            ("US,GS,+  123.45g", 123.45, False),
            ("ST,NT,-    0.02 g", -0.02, True),
            ("S S      12.34 g", 12.34, True),
            ("S D      12.34 g", 12.34, False),
            ("  12,5 g", 12.5, None),
            ("1.250 kg", 1250.0, None),
            ("ST,GS, 1.0oz", 28.349523125, True),
            ("US,GS, 2 lb", 907.18474, False),
            ("250 mg", 0.25, None),
            ("+ 0.3 g ?", 0.3, False),
            ("17.2", 17.2, None),
        ):
            sample = self.said(text)
            self.assertAlmostEqual(sample.value, grams, places=6, msg=text)
            self.assertEqual((sample.unit, sample.stable), ("g", stable), text)

    def test_a_stopwatch_is_read_in_seconds(self):
        for text, seconds, decimals in (
            ("1:23.45", 83.45, 2),
            ("0:01:23", 83.0, 0),
            ("2:00:00.5", 7200.5, 1),
            ("83.4 s", 83.4, 1),
            ("LAP 3 0:05,2", 5.2, 1),
        ):
            sample = self.said(text, "stopwatch")
            self.assertAlmostEqual(sample.value, seconds, msg=text)
            self.assertEqual((sample.unit, sample.decimals), ("s", decimals), text)
        self.assertIsInstance(self.said("ready", "stopwatch"), NoValue)

    def test_an_overload_is_no_value_and_says_so(self):
        for text in ("OL", "ST,OL,+++++++g", "S +", "+++++++", "OVERLOAD"):
            found = self.said(text)
            self.assertIsInstance(found, NoValue, text)
            self.assertIn("more lies on the scale", found.why)
        self.assertIn("relieved", self.said("S -").why)
        self.assertIn("no mass", self.said("12.3 mm").why)
        self.assertEqual(self.said("hello").why, "")

    def test_other_instruments(self):
        self.assertAlmostEqual(self.said("1.0 in", "calliper").value, 25.4)
        self.assertEqual(self.said("12.34 mm", "calliper").stable, True)
        self.assertAlmostEqual(self.said("45.3 dBA", "sound level").value, 45.3)
        self.assertAlmostEqual(self.said("1 kgf", "force").value, 9.80665)
        over = self.said("OL 40.0 N", "force")
        self.assertEqual((over.value, over.bound), (40.0, Bound.ABOVE))
        self.assertIs(self.said(">40 N", "force").bound, Bound.ABOVE)
        self.assertIn("type it", self.said("OL", "force").why)
        climate = said_by("climate", "T=23.4C H=45%")
        self.assertEqual(
            [(one.value, one.about) for one in climate], [(23.4, "temperature"), (45.0, "humidity")]
        )
        turned = said_by("climate", "RH: 45 % , T: 23.4 C")
        self.assertEqual({one.about: one.value for one in turned}, {"humidity": 45.0, "temperature": 23.4})

    def test_any_text_gives_a_sample_or_none_and_never_an_error(self):
        random.seed(4)
        signs = '0123456789.,+-gGkKoOzZlLbBSTUD nN%?><=:\tdBmi"°'
        for _ in range(4000):
            text = "".join(random.choices(signs, k=random.randint(0, 24)))
            for kind in ("scale", "calliper", "sound level", "force", "climate"):
                for one in said_by(kind, text):
                    self.assertTrue(isinstance(one, NoValue) or abs(one.value) < 1e9, (kind, text))
            printer_line(text)


class Lines(unittest.TestCase):
    def line(self, *ports, raw=None):
        self.clock = Clock()
        self.ports = list(ports)
        return Line(lambda: self.ports.pop(0) if self.ports else self.fail_open(), self.clock, raw)

    def fail_open(self):
        raise OSError("nothing there")

    def test_half_lines_are_put_together_and_ends_may_be_anything(self):
        line = self.line(Port(b"12.", b"3 g\r\n14", b".5 g\n\r\n", b"", b"9 g\r"))
        found = [line.poll() for _ in range(5)]
        self.assertEqual(found, [[], ["12.3 g"], ["14.5 g"], [], ["9 g"]])

    def test_a_line_that_is_pulled_in_the_middle_gives_no_wrong_value_and_is_taken_up_again(self):
        line = self.line(Port(b"12.3 g\r\n12", OSError("gone")), Port(b".9 g\r\n", b"7 g\r\n"))
        self.assertEqual(line.poll(), ["12.3 g"])
        self.assertEqual(line.poll(), [])
        self.assertIs(line.health, Health.BROKEN)
        self.assertEqual(line.poll(), [])
        self.clock.now += 2
        # What was half sent before is not put before what comes now.
        self.assertEqual(line.poll(), [".9 g"])
        self.assertEqual(line.poll(), ["7 g"])

    def test_a_port_that_is_not_there_is_tried_once_a_second(self):
        line = self.line()
        self.assertEqual(line.poll(), [])
        self.assertIs(line.health, Health.BROKEN)
        self.ports = [Port(b"1 g\n")]
        self.assertEqual(line.poll(), [])
        self.clock.now += 1.1
        self.assertEqual(line.poll(), ["1 g"])

    def test_a_wrong_rate_is_told_as_such(self):
        line = self.line(Port(bytes([200, 255, 13, 129, 240, 250, 10]) * 12))
        line.poll()
        self.assertIs(line.health, Health.GARBAGE)
        fine = self.line(Port("23.4 °C\r\n".encode("latin-1") * 4))
        fine.poll()
        self.assertIs(fine.health, Health.WELL)

    def test_bytes_without_an_end_do_not_grow_for_ever(self):
        line = self.line(Port(*[b"9" * 200] * 50, b"\n5 g\n"))
        texts = list(itertools.chain.from_iterable(line.poll() for _ in range(51)))
        self.assertEqual(texts[-1], "5 g")
        self.assertLess(len(line._half), 600)

    def test_a_silent_line_is_told_to_be_silent(self):
        line = self.line(Port(b"1 g\n"))
        line.poll()
        self.assertIs(line.health, Health.WELL)
        self.clock.now += 10
        line.poll()
        self.assertIs(line.health, Health.QUIET)
        line.close()
        self.assertIs(line.health, Health.CLOSED)

    def test_everything_is_kept_as_it_came_and_a_full_disk_stops_only_that(self):
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "raw" / "scale.txt"
            line = self.line(Port(b"12.3 g\r\n", b"\xff\x00half"), raw=RawStream(path))
            line.poll(), line.poll()
            self.assertEqual(path.read_bytes(), b"12.3 g\r\n\xff\x00half")
        if Path("/dev/full").exists():
            full = self.line(Port(b"1 g\n", b"2 g\n"), raw=RawStream(Path("/dev/full")))
            self.assertEqual([full.poll(), full.poll()], [["1 g"], ["2 g"]])
            self.assertIn("not recorded any more", full.raw.trouble)
            self.assertIn(os.strerror(28), full.raw.trouble)


class Taking(unittest.TestCase):
    def scale(self, *chunks, **setup):
        self.clock = Clock()
        self.port = Port(*chunks)
        return Instrument(Setup("scale", "/dev/x", **setup), None, lambda: self.port, self.clock)

    def test_only_what_stands_still_is_taken(self):
        scale = self.scale(b"US,GS, 5.0g\r\n", b"ST,GS, 12.3g\r\n")
        scale.poll()
        self.assertEqual(scale.take()[0], None)
        self.assertIn("still moves", scale.take()[1])
        scale.poll()
        self.assertEqual(scale.take()[0].value, 12.3)

    def test_a_scale_that_does_not_say_is_steady_once_it_repeats_itself(self):
        scale = self.scale(*[b"12.3 g\r\n"] * 6)
        for number in range(4):
            scale.poll()
            self.assertEqual(scale.stable, number >= 2, number)
            self.clock.now += 0.25
        moving = self.scale(b"1.0 g\n", b"5.0 g\n", b"9.0 g\n")
        for _ in range(3):
            moving.poll()
            self.clock.now += 0.3
        self.assertFalse(moving.stable)

    def test_an_old_value_is_not_taken_for_the_present_one(self):
        scale = self.scale(b"ST, 12.3g\r\n")
        scale.poll()
        self.clock.now += 10
        found, why = scale.take()
        self.assertIsNone(found)
        self.assertIn("connected", why)

    def test_after_an_overload_the_last_good_value_is_gone(self):
        scale = self.scale(b"ST, 12.3g\r\n", b"OL\r\n")
        scale.poll(), scale.poll()
        found, why = scale.take()
        self.assertIsNone(found)
        self.assertIn("More lies on the scale", why)
        self.assertEqual(scale.trouble, why)

    def test_one_that_answers_on_demand_is_asked(self):
        scale = self.scale(b"ST, 1.0g\r\n", b"", request="P")
        scale.poll(), scale.poll()
        self.assertEqual(self.port.sent, b"P\r\n")


class Printers(unittest.TestCase):
    def test_a_print_tells_its_stamps_layers_and_faults(self):
        heard = FollowedPrint()
        for at, text in enumerate(
            (
                "start ring.gcode",
                "temp 210.0",
                "layer 1 0.20",
                "layer 2 0.40",
                "nonsense",
                "fault came loose",
                "done",
            )
        ):
            said = printer_line(text)
            if said is not None:
                heard.take(said, float(at))
        self.assertEqual((heard.started, heard.first_layer, heard.finished), (0.0, 3.0, 6.0))
        self.assertEqual((heard.layers, heard.z_mm), (2, 0.4))
        self.assertEqual(heard.faults, [(5.0, 0.4, "came loose")])
        heard.take(printer_line("start other"), 9.0)
        self.assertEqual((heard.started, heard.finished, heard.layers, heard.faults), (9.0, None, 0, []))

    def test_what_is_no_event_is_none(self):
        for text in ("", "layer", "temp x", "M105", "restart"):
            self.assertIsNone(printer_line(text), text)
        self.assertIs(printer_line("DONE").event, PrinterEvent.DONE)


if __name__ == "__main__":
    unittest.main()
