"""The command ``devices``: what is plugged in, stand-ins, and listening to one of them."""

import contextlib
import io

from oddtwin import cli
from oddtwin.devices.simulated import SimulatedScale
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
        with SimulatedScale(seed=1, pace=20.0) as scale:
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
