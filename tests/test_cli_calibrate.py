"""The command ``calibrate``: each job by its name, its settings, what it asks for, and bad input."""

import json

from oddtwin.cli.calibrating import NAMES
from oddtwin.core.calibrate import JOBS
from tests.test_cli import Command


class Calibrate(Command):
    def json(self, *arguments):
        status, out, err = self.run_cli(*arguments, "--json")
        self.assertEqual(status, 0, err)
        return json.loads(out)

    def test_the_names_of_the_command_are_those_of_the_calibrations(self):
        self.assertEqual(NAMES, tuple(job.name for job in JOBS))

    def test_figures_advice_and_table_as_json(self):
        readings = self.file("commanded,measured\n100,97.0\n100,97.1\n100,96.9\n")
        told = self.json("calibrate", "steps", readings, "--old", "405.2")
        self.assertAlmostEqual(told["value"], 417.73, places=2)
        self.assertEqual((told["unit"], told["job"]), ("steps/mm", "steps"))
        self.assertTrue(told["advice"].startswith("set"))
        slip = self.file("commanded,measured\n100,62\n100,78\n100,71\n100,66\n100,75\n", "s.csv")
        self.assertTrue(self.json("calibrate", "steps", slip, "--old=405.2")["advice"].startswith("slip"))
        times = self.file("predicted_min,measured_min\n60,68\n120,124\n300,295\n420,401\n", "o.csv")
        told = self.json("calibrate", "overhead", times, "--for", "14h")
        self.assertAlmostEqual(told["value"], 793, delta=2)
        self.assertLess(told["ci95"][0], told["value"])
        flow = "setup,flow,expected_g,weighed_g,skip\n" + "".join(
            f"{name},{at},2,{2 - at * at / most:.3f},\n"
            for name, most in (("old", 4000), ("new", 6000))
            for at in (5, 10, 15, 20, 25)
        )
        told = self.json("calibrate", "flow-ceiling", self.file(flow, "f.csv"), "--limit", "5")
        self.assertEqual([row["setup"] for row in told["table"]], ["old", "new"])
        self.assertAlmostEqual(told["table"][0]["ceiling"], 20.0, delta=0.2)

    def test_sentences_warnings_and_cautions_for_a_person(self):
        notes = self.file("axis,frequency_hz\nx,80\nx,81\nx,161\n")
        status, out, _ = self.run_cli("calibrate", "belts", notes, "--span", "150", "--density", "8.5")
        self.assertEqual(status, 0)
        self.assertIn("overtone", out)
        self.assertIn("Wear eye protection", out)

    def test_without_a_file_it_says_what_to_do_and_type(self):
        for name in NAMES:
            status, out, _ = self.run_cli("calibrate", name)
            self.assertEqual(status, 0)
            self.assertIn("Columns:", out)
        status, out, _ = self.run_cli("calibrate", "steps")
        self.assertIn("--old steps/mm: the steps per mm that are set now", out)

    def test_bad_input_is_one_sentence(self):
        good = self.file("commanded,measured\n100,97\n100,97\n100,96\n")
        for arguments, words in (
            (("steps", good), "needs the steps per mm"),
            (("steps", good, "--old", "x"), "--old"),
            (("steps", good, "--old"), "--old"),
            (("steps", good, "--old", "400", "--nonsense", "1"), "does not ask for"),
            (
                ("steps", self.file("commanded,measured\n100,0\n", "z.csv"), "--old", "400"),
                "line 2, column measured",
            ),
            (("steps", self.file("a,b\n1,2\n", "h.csv"), "--old", "400"), "no column “commanded”"),
            (("steps", self.file("", "e.csv"), "--old", "400"), "no column"),
            (("steps", self.folder / "gone.csv", "--old", "400"), "cannot be read"),
            (("steps", good, "--set", "old"), "name=value"),
        ):
            status, _, err = self.run_cli("calibrate", *map(str, arguments))
            self.assertEqual((status, err.count("\n")), (2, 1), err)
            self.assertIn(words, err)
