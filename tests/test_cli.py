"""The verdict command as it is typed, good input and bad."""

import contextlib
import io
import json
import unittest

from oddtwin import __version__, cli
from oddtwin.core.readings import write_table
from tests.builders import SHOES_A, SHOES_B, pairs
from tests.cases import InFolder

KEYS = [
    "response", "unit", "type", "baseline", "change", "n", "estimate", "percent", "ci95", "ci90",
    "p_difference", "p_permutation", "p_equivalence", "method", "noise", "margin", "better", "verdict",
    "sentence", "more_pairs", "threats",
]  # fmt: skip


class Command(InFolder):
    def run_cli(self, *arguments):
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            try:
                status = cli.main([str(item) for item in arguments])
            except SystemExit as stop:
                status = stop.code
        return status, out.getvalue(), err.getvalue()

    def file(self, text, name="r.csv"):
        path = self.folder / name
        path.write_text(text, encoding="utf-8")
        return path

    def figures(self, text, *arguments):
        status, out, err = self.run_cli("verdict", self.file(text), "--baseline", "A", "--json", *arguments)
        self.assertEqual((status, err), (0, ""))
        return json.loads(out, parse_constant=self.fail)


class Verdicts(Command):
    def test_shoes_figure_by_figure(self):
        # MASS::shoes, computed with R 4.2.2.
        (one,) = self.figures(
            write_table(pairs(SHOES_A, SHOES_B, response="Wear", unit="mm")),
            "--margin", "0.5", "--better", "lower",
        )  # fmt: skip
        self.assertEqual([key for key in one if key in KEYS], KEYS)
        self.assertEqual(one["n"], {"baseline": 10, "change": 10, "pairs": 10})
        self.assertAlmostEqual(one["estimate"], 0.41, places=9)
        self.assertAlmostEqual(one["p_difference"], 0.00853878071759894, places=9)
        self.assertAlmostEqual(one["p_permutation"], 14 / 1024)
        self.assertAlmostEqual(one["p_equivalence"], 0.2404913906, places=7)
        self.assertAlmostEqual(one["ci90"][1], 0.634426399199845, places=7)
        self.assertEqual((one["verdict"], one["baseline"], one["change"]), ("leaning-worse", "A", "B"))
        self.assertEqual(one["method"], "paired t")

    def test_one_object_for_each_response(self):
        text = "arm,value,response\nA,1,Mass\nB,2,Mass\nA,5,Time\nB,6,Time\n"
        self.assertEqual([item["response"] for item in self.figures(text)], ["Mass", "Time"])
        (only,) = self.figures(text, "--response", "Time")
        self.assertEqual(only["estimate"], 1)

    def test_a_known_noise_floor_judges_single_prints(self):
        text = "arm,value,pair\nA,10,1\nB,8,1\n"
        (without,) = self.figures(text, "--margin", "1")
        self.assertEqual(without["verdict"], "undecided")
        self.assertIsNone(without["ci95"])
        (known,) = self.figures(text, "--margin", "1", "--noise-sd", "0.2", "--noise-df", "12")
        self.assertEqual(known["verdict"], "odd")
        self.assertAlmostEqual(known["noise"]["limit"], 1.96 * 2**0.5 * 0.2)

    def test_the_change_is_named_where_there_are_more_arms(self):
        text = "arm,value\nA,1\nB,2\nC,9\n"
        status, _, err = self.run_cli("verdict", self.file(text), "--baseline", "A")
        self.assertEqual(status, 2)
        self.assertIn("--change", err)
        (one,) = self.figures(text, "--change", "C")
        self.assertEqual(one["estimate"], 8)

    def test_the_seed_fixes_the_draws(self):
        text = write_table(
            pairs([float(n * 7 % 11) for n in range(20)], [n * 5 % 13 + 0.5 for n in range(20)])
        )
        first, again, other = (self.figures(text, "--seed", seed)[0] for seed in ("1", "1", "2"))
        self.assertEqual(first, again)
        self.assertNotEqual(first["p_permutation"], other["p_permutation"])

    def test_grades_and_prints_set_aside(self):
        text = "arm,value,type,pair,run,zone,set_aside\n" + "".join(
            f"A,{2 + n % 2},grade,{n},a{n},rim,\nB,{n % 2},grade,{n},b{n},rim,\n" for n in range(7)
        )
        (one,) = self.figures(text + "B,4,grade,1,x,rim,fell over\n", "--margin", "0.5", "--better", "lower")
        self.assertEqual((one["type"], one["verdict"], one["set_aside"]), ("grade", "odd-better", 1))
        self.assertIn("1 print set aside", one["sentence"])
        self.assertIn("lost-runs", [threat["code"] for threat in one["threats"]])
        self.assertEqual(one["p_difference"], 2 / 2**7)

    def test_in_words(self):
        path = self.file(write_table(pairs(SHOES_A, SHOES_B, response="Wear")))
        status, out, _ = self.run_cli("verdict", path, "--baseline", "A")
        self.assertEqual(status, 0)
        self.assertTrue(out.startswith("Wear: "))
        self.assertIn("  ! No twins were printed", out)


class BadInput(Command):
    def check(self, words, *arguments):
        status, out, err = self.run_cli("verdict", *arguments)
        with self.subTest(words):
            self.assertEqual((status, out), (2, ""))
            self.assertEqual(err.count("\n"), 1, err)
            self.assertNotIn("Traceback", err)
            for word in words:
                self.assertIn(word, err)

    def test_each_gets_one_sentence(self):
        good = self.file("arm,value\nA,1\nB,2\n")
        wrong = self.file("arm,value\nA,1\nB,x\n", "wrong.csv")
        self.check(["wrong.csv", "line 3", "column value"], wrong, "--baseline", "A")
        self.check(["missing.csv", "cannot be read"], self.folder / "missing.csv", "--baseline", "A")
        self.check(["cannot be read"], self.folder, "--baseline", "A")
        self.check(["column arm", "“Z”", "“A”, “B”"], good, "--baseline", "Z")
        self.check(["column arm", "“A”"], good, "--baseline", "A", "--change", "A")
        self.check(["column response", "“X”"], good, "--baseline", "A", "--response", "X")
        one = self.file("arm,value\nA,1\nA,2\n", "one.csv")
        self.check(["column arm", "only “A”", "two arms"], one, "--baseline", "A")
        self.check(["margin"], good, "--baseline", "A", "--margin", "0")
        self.check(["margin"], good, "--baseline", "A", "--margin", "nan")
        self.check(["go together"], good, "--baseline", "A", "--noise-sd", "1")
        self.check(["noise floor"], good, "--baseline", "A", "--noise-sd", "-1", "--noise-df", "3")
        self.check(["noise floor"], good, "--baseline", "A", "--noise-sd", "1", "--noise-df", "0")
        self.check(["--seed"], good, "--baseline", "A", "--seed", "-1")

    def test_bytes_that_are_no_text(self):
        path = self.folder / "b.csv"
        path.write_bytes(b"arm,value\nA,1\nB,\xff\xfe\n")
        self.check(["b.csv", "line 3", "UTF-8"], path, "--baseline", "A")

    def test_arguments_that_are_no_numbers(self):
        path = self.file("arm,value\nA,1\nB,2\n")
        self.check(["--margin", "much"], path, "--baseline", "A", "--margin", "much")
        self.check(["--baseline"], path)

    def test_the_version_is_told(self):
        status, out, _ = self.run_cli("--version")
        self.assertEqual((status, out), (0, f"odd-twin {__version__}\n"))


if __name__ == "__main__":
    unittest.main()
