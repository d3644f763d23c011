"""The command ``devices``: what is plugged in, stand-ins, and listening to one of them."""

import contextlib
import io

from oddtwin import cli
from oddtwin.devices.simulated import SimulatedScale
from oddtwin.store import LabBook, load_study
from oddtwin.store.exchange import write_study
from tests.test_cli import Command


class Devices(Command):
    def test_what_is_plugged_in_is_listed_or_said_to_be_nothing(self):
        status, out, _ = self.run_cli("devices")
        self.assertEqual(status, 0)
        self.assertRegex(out, "/dev/|Nothing is plugged in")

    def test_stand_ins_are_started_and_named(self):
        status, out, _ = self.run_cli("devices", "--simulate", "--seconds", "0.1", "--pace", "100")
        self.assertEqual(status, 0)
        for name in ("scale, 48.3 g on it", "answers to P", "sound level", "climate", "printer"):
            self.assertIn(name, out)
        self.assertIn("/dev/pts/", out)

    def test_an_instrument_is_listened_to(self):
        with SimulatedScale(seed=1, pace=80.0) as scale:
            scale.put(12.0)
            status, out, _ = self.run_cli("devices", "--listen", scale.path, "--seconds", "1")
        self.assertEqual(status, 0)
        self.assertRegex(out, r"1[12]\.\d g\n")

    def test_a_port_that_is_not_there_is_told_and_bad_figures_are_refused(self):
        status, out, _ = self.run_cli("devices", "--listen", "/dev/nothing", "--seconds", "0.2")
        self.assertEqual(status, 0)
        self.assertIn("unplugged", out)
        for arguments in (("--pace", "0"), ("--seconds", "-1"), ("--seed", "-1"), ("--baud", "0")):
            status, _, err = self.run_cli("devices", *arguments)
            self.assertEqual((status, err.count("\n")), (2, 1))
        with contextlib.redirect_stderr(io.StringIO()), self.assertRaises(SystemExit):
            cli.main(["devices", "--kind", "toaster"])


class Simulate(Command):
    def study(self):
        from tests.cases import filled
        from tests.demo.test_played import planned

        book = LabBook.open(filled(planned))
        with book.reading() as connection:
            text = write_study(load_study(connection, 1))
        book.close()
        return self.file(text, "plan.json")

    def test_a_study_is_played_into_a_lab_book(self):
        target = self.folder / "played"
        arguments = ("--seed", "3", "--typed", "--effect", "Part mass=-0.8", "--sd", "Part mass=0,2")
        status, out, err = self.run_cli("simulate", self.study(), *arguments, "-o", str(target))
        self.assertEqual((status, err), (0, ""))
        self.assertIn("runs printed and measured by stand-ins", out)
        book = LabBook.open(target)
        with book.reading() as connection:
            study = load_study(connection, 1)
        book.close()
        self.assertTrue(all(run.finished for run in study.runs))

    def test_what_cannot_be_played_is_one_sentence(self):
        plan, target = self.study(), str(self.folder / "x")
        (self.folder / "full").mkdir()
        (self.folder / "full" / "a.txt").write_text("a", encoding="utf-8")
        for arguments, words in (
            ((plan, "--effect", "Part mass", "-o", target), "write it as"),
            ((plan, "--effect", "Part mass=x", "-o", target), "not a number"),
            ((plan, "--sd", "Part mass=-1", "-o", target), "zero or more"),
            ((plan, "--effect", "Nonsense=1", "-o", target), "no response"),
            ((plan, "--seed", "-1", "-o", target), "--seed"),
            ((plan, "-o", str(self.folder / "full")), "not empty"),
            ((str(self.folder / "gone.json"), "-o", target), "cannot be read"),
        ):
            status, _, err = self.run_cli("simulate", *arguments)
            self.assertEqual((status, err.count("\n")), (2, 1), err)
            self.assertIn(words, err)
