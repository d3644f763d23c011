"""The commands as they are typed, good input and bad."""

import contextlib
import gzip
import io
import json
import math
import os
import random
import shutil
import unittest
import zipfile
from unittest import mock

from oddtwin import __version__, cli, operations
from oddtwin.core.readings import write_table
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.store import LabBook
from tests.builders import SHOES_A, SHOES_B, pairs
from tests.cases import InFolder

KEYS = [
    "response", "unit", "kind", "baseline", "change", "n", "estimate", "percent", "ci95", "ci90",
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

    def test_cells_of_machines_and_zones(self):
        rows = ["arm,value,response,machine,zone,pair,run,kind"]
        for machine in ("Heron", "Tarn"):
            for pair in range(4):
                for arm in "AB":
                    bad = 3 * (arm == "B" and machine == "Tarn")
                    end = f"{machine}{pair},{arm}{machine}{pair},grade"
                    rows += [
                        f"{arm},{bad * (zone == 'top')},Blobs,{machine},{zone},{end}"
                        for zone in ("top", "side")
                    ]
        (one,) = self.figures("\n".join(rows), "--margin", "1", "--better", "lower")
        self.assertEqual(
            [(cell["machine"], cell["zone"], cell["estimate"]) for cell in one["cells"]],
            [("Heron", "top", 0), ("Heron", "side", 0), ("Tarn", "top", 3), ("Tarn", "side", 0)],
        )
        self.assertEqual({item["dimension"] for item in one["same"]}, {"machine", "zone"})
        self.assertEqual(one["verdict"], "mixed")
        self.assertIn("Tarn", one["sentence"])
        (worst,) = self.figures("\n".join(rows), "--combine", "worst")
        (mean,) = self.figures("\n".join(rows), "--combine", "mean")
        self.assertEqual((worst["estimate"], mean["estimate"]), (1.5, 0.75))

    def test_planned_looks_and_families(self):
        text = write_table(pairs([10.0, 10.4, 9.8, 10.1], [9.0, 10.2, 9.1, 9.4], response="Force"))
        (alone,) = self.figures(text, "--margin", "0.5")
        (look,) = self.figures(text, "--margin", "0.5", "--look", "4/12")
        self.assertEqual((alone["verdict"], look["verdict"]), ("leaning", "undecided"))
        self.assertNotIn("family", alone)
        self.assertEqual(look["family"]["looks"], 12)
        for wrong in ("0/3", "4/3", "3", "a/b", "1/999", "1/²"):
            status, out, err = self.run_cli("verdict", self.file(text), "--baseline", "A", "--look", wrong)
            self.assertEqual((status, out, err.count("\n")), (2, "", 1))

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
        self.assertEqual((one["kind"], one["verdict"], one["set_aside"]), ("grade", "odd-better", 1))
        self.assertIn("1 print set aside", one["sentence"])
        self.assertIn("lost-runs", [threat["code"] for threat in one["threats"]])
        self.assertEqual(one["p_difference"], 2 / 2**7)

    def test_in_words(self):
        path = self.file(write_table(pairs(SHOES_A, SHOES_B, response="Wear")))
        status, out, _ = self.run_cli("verdict", path, "--baseline", "A")
        self.assertEqual(status, 0)
        self.assertTrue(out.startswith("Wear: "))
        self.assertIn("  ! No twins were printed", out)


class Tables(Command):
    """Several arms, ladders, crossed factors, failures, limits."""

    def ladder(self):
        rows = ["arm,value,response,kind,level,block,order"]
        for block in range(1, 8):
            for place, (arm, level) in enumerate((("A", 40), ("m", 60), ("n", 80), ("far", 100))):
                grade = (0, block % 2, 1, 3 + block % 2)[place]
                rows.append(f"{arm},{grade},Scars,grade,{level} mm/s,{block},{4 * block + place}")
        return "\n".join(rows)

    def test_a_ladder_has_levels_and_an_edge(self):
        found = self.figures(self.ladder(), "--margin", "2", "--better", "lower", "--accept", "trace")
        self.assertEqual([one["change"] for one in found], ["m", "n", "far"])
        one = found[0]
        self.assertEqual([level["level"] for level in one["levels"]][-1], "100 mm/s")
        self.assertEqual([level["n"] for level in one["levels"]], [7, 7, 7, 7])
        self.assertEqual(one["edge"]["between"], ["80 mm/s", "100 mm/s"])
        self.assertEqual((one["edge"]["accept"], one["edge"]["limit"]), (1.0, 1.0))
        # Seven prints of each level, each held to a limit of its own, prove both sides.
        self.assertEqual(one["edge"]["ci"], ["80 mm/s", "100 mm/s"])
        status, out, _ = self.run_cli(
            "verdict", self.file(self.ladder()), "--baseline", "A", "--accept", "1", "--better", "lower"
        )
        self.assertEqual(status, 0)
        self.assertIn("It rises along the levels", out)

    def test_crossed_factors_have_effects_at_each_level_and_an_interaction(self):
        rows = ["arm,value,response,unit,factor:part,factor:speed,pair"]
        for pair in range(1, 5):
            for arm, part, speed, value in (
                ("A", "old", "slow", 10.0), ("b", "new", "slow", 9.0),
                ("c", "old", "fast", 8.0), ("d", "new", "fast", 5.0),
            ):  # fmt: skip
                rows.append(f"{arm},{value + 0.05 * (pair % 3)},Minutes,min,{part},{speed},{pair}")
        found = self.figures("\n".join(rows), "--margin", "0.5", "--better", "lower")
        first = found[0]
        effects = {one["level"]: one["estimate"] for one in first["simple_effects"]}
        self.assertAlmostEqual(effects["slow"], -1.0)
        self.assertAlmostEqual(effects["fast"], -3.0)
        self.assertAlmostEqual(first["interaction"]["estimate"], -2.0)
        self.assertIn("part new against part old", first["about"])

    def test_every_arm_on_demand(self):
        read = {"A": (1.0, 1.3, 1.1), "B": (5.2, 5.1, 5.4), "C": (9.1, 9.0, 9.5)}
        rows = ["arm,value,pair"]
        rows += [f"{arm},{values[pair]},{pair}" for pair in range(3) for arm, values in read.items()]
        text = "\n".join(rows)
        found = self.figures(text, "--all", "--margin", "1")
        self.assertEqual([one["change"] for one in found], ["B", "C"])
        self.assertEqual(found[0]["family"]["of"], 2)
        self.assertLess(found[0]["family"]["ci95"][0], found[0]["ci95"][0])
        status, _, err = self.run_cli("verdict", self.file(text), "--baseline", "A", "--all", "--change", "B")
        self.assertEqual(status, 2)
        self.assertIn("give one of them", err)

    def test_failures_are_counted_for_both_arms(self):
        rows = ["arm,value,response,unit,pair,run,failed"]
        for pair in range(1, 7):
            rows.append(f"A,{10 + pair / 10},Mass,g,{pair},a{pair},")
            rows.append(f"B,,Mass,g,{pair},b{pair},skipped" if pair < 6 else f"B,10,Mass,g,{pair},b{pair},")
        mass, failed = self.figures("\n".join(rows), "--margin", "1", "--better", "lower")
        self.assertEqual(mass["n"], {"baseline": 1, "change": 1, "pairs": 1})
        self.assertEqual(failed["response"], "Prints that failed")
        self.assertAlmostEqual(mass["failures"]["estimate"], 5 / 6)
        # Five of six pairs moved one way: McNemar, exact, 2 × .5 to the fifth.
        self.assertAlmostEqual(mass["failures"]["p_difference"], 2 / 32)

    def test_a_limit_counts_the_prints_that_hold(self):
        rows = ["arm,value,kind,pair"]
        rows += [f"{arm},{grade},grade,{pair}" for pair in range(1, 9) for arm, grade in (("A", 0), ("B", 3))]
        (one,) = self.figures("\n".join(rows), "--better", "lower", "--accept", "clear")
        self.assertEqual(one["accepted"]["estimate"], -1.0)
        self.assertAlmostEqual(one["accepted"]["p_difference"], 2 / 256)

    def test_not_worse_asks_one_side(self):
        text = "arm,value,pair\n" + "".join(
            f"A,{a},{n}\nB,{b},{n}\n" for n, (a, b) in enumerate(((10, 9), (12, 9.5), (9, 9.3), (11, 8)), 1)
        )
        (one,) = self.figures(text, "--margin", "1", "--better", "lower", "--not-worse")
        self.assertEqual(one["verdict"], "not-worse")
        status, _, err = self.run_cli("verdict", self.file(text), "--baseline", "A", "--not-worse")
        self.assertEqual(status, 2)
        self.assertIn("--not-worse needs", err)

    def test_twins_of_another_table_are_the_noise_floor(self):
        earlier = "arm,value,pair\n" + "".join(
            f"X,{v},{n // 2}\n" for n, v in enumerate((5, 5.2, 4.9, 5.1, 5.3, 5.0))
        )
        noise = self.file(earlier, "earlier.csv")
        (one,) = self.figures("arm,value,pair\nA,5,1\nB,8,1\n", "--margin", "1", "--pool-noise", noise)
        self.assertEqual(one["noise"]["df"], 3)
        self.assertTrue(one["verdict"].startswith("odd"))
        self.assertIn("rests on earlier twins with 3 degrees", one["threats"][0]["sentence"])

    def test_twins_that_do_not_scatter_alike_are_refused(self):
        rows = ["arm,value,pair"]
        rows += [
            f"X,{value},{place}"
            for place, spread in ((1, 0.01), (2, 9.0))
            for value in (5, 5 + spread, 5 - spread, 5 + spread / 2)
        ]
        noise = self.file("\n".join(rows), "earlier.csv")
        status, _, err = self.run_cli(
            "verdict", self.file("arm,value,pair\nA,5,1\nB,8,1\n"), "--baseline", "A", "--pool-noise", noise
        )
        self.assertEqual(status, 2)
        self.assertIn("do not scatter alike", err)

    def test_ends_positions_and_steps_of_columns(self):
        text = "arm,value,low,high,pair\n" + "".join(
            f"A,{5 + n / 10},,,{n}\nB,{ends},{n}\n"
            for n, ends in enumerate(("8.1,,", ",8,", ",7,9", "8.2,,", "7.8,,", "8.4,,"), 1)
        )
        (one,) = self.figures(text, "--margin", "1")
        self.assertGreater(one["estimate"], 2)
        onset = "arm,value,kind,position,pair,run\n" + "".join(
            f"{arm},{grade},onset,{place},{pair},{arm}{pair}\n"
            for pair in range(6)
            for arm, begins in (("A", 30), ("B", 50 if pair % 3 else 60))
            for place in (20, 30, 40, 50, 60)
            for grade in [3 if place >= begins else 0]
        )
        (one,) = self.figures(onset)
        self.assertEqual(one["estimate"], 20.0)
        coarse = "arm,value,resolution,pair\n" + "".join(f"A,5,1,{n}\nB,5,1,{n}\n" for n in (1, 2, 3))
        (one,) = self.figures(coarse, "--margin", "2")
        self.assertGreater(one["ci95"][1], 0.3)

    def test_rows_that_contradict_each_other_get_one_sentence(self):
        for text, words in (
            ("arm,value,level\nA,1,1\nA,2,2\nB,3,3\n", "one arm has one level"),
            ("arm,value,level\nA,1,1\nB,2,1\n", "both stand at"),
            ("arm,value,level\nA,1,1\nB,2,\n", "give every row one"),
            ("arm,value,factor:\nA,1,x\nB,2,y\n", "name the factor"),
            ("arm,value,factor:a\nA,1,\nB,2,y\n", "the level is missing"),
            ("arm,value,low\nA,1,3\nB,2,\n", "not both"),
            ("arm,value,resolution\nA,1,-1\nB,2,\n", "above zero"),
            ("arm,value,block,pair\nA,1,1,1\nB,2,1,1\n", "twice"),
        ):
            status, _, err = self.run_cli("verdict", self.file(text), "--baseline", "A")
            self.assertEqual(status, 2, text)
            self.assertIn(words, err)


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


STUDY = {
    "format": "odd-twin-study",
    "version": 2,
    "name": "Hinge",
    "factors": [
        {"kind": "part", "name": "pin", "levels": ["steel", {"value": "brass", "minutes": 25}]},
        {"name": "walls", "levels": [2, 3]},
        {"name": "infill", "levels": ["15 %", "30 %"]},
    ],
    "responses": [{"name": "Force", "unit": "N", "margin": 1.5, "noise_sd": 0.8, "primary": True}],
    "machines": [{"name": "Marlow", "overhead_min": 8}],
    "pieces": [{"name": "Case", "minutes": 95, "part_g": 40, "waste_g": 3}],
    "plan": {
        "repeats": 2,
        "seed": 7,
        "machines": ["Marlow"],
        "pieces": ["Case"],
        "design": {"kind": "fraction"},
    },
}


class Planning(Command):
    def study(self, **changes):
        return self.file(json.dumps({**STUDY, **changes}), "study.json")

    def planned(self, *arguments, **changes):
        status, out, err = self.run_cli("plan", self.study(**changes), "--json", *arguments)
        self.assertEqual((status, err), (0, ""))
        return json.loads(out, parse_constant=self.fail)

    def test_a_fraction_is_drawn_with_its_aliases(self):
        made = self.planned()
        self.assertEqual((made["design"]["kind"], made["design"]["resolution"]), ("fraction", 3))
        self.assertEqual(made["design"]["aliases"]["pin"], ["walls × infill"])
        self.assertEqual(len(made["runs"]), 8)
        first = made["runs"][0]
        self.assertEqual(set(first["levels"]), {"pin", "walls", "infill"})
        self.assertEqual((first["order"], first["machine"], first["piece"]), (1, "Marlow", "Case"))
        self.assertEqual([run["block"] for run in made["runs"]], ["1"] * 4 + ["2"] * 4)
        self.assertEqual(made["budget"]["printing_min"], 8 * 95)
        self.assertTrue(all(item["p_find_margin"] is None for item in made["power"] if item["pairs"] == 1))

    def test_the_same_seed_draws_the_same_and_another_does_not(self):
        orders = [
            [(run["code"], run["arm"]) for run in self.planned(*seed)["runs"]]
            for seed in ((), ("--seed", 7), ("--seed", 8))
        ]
        self.assertEqual(orders[0], orders[1])
        self.assertNotEqual(orders[0], orders[2])

    def test_runs_in_the_file_are_checked_as_they_are(self):
        runs = [
            {"code": f"R{n}", "arm": arm, "pair": "1", "machine": machine, "piece": "Case"}
            for n, (arm, machine) in enumerate((("Old", "Marlow"), ("Old", "Marlow"), ("New", "Tessel"),
                                                ("New", "Tessel")))
        ]  # fmt: skip
        arms = [{"name": "Old", "baseline": True}, {"name": "New"}]
        made = self.planned(runs=runs, arms=arms, plan=None, factors=[])
        self.assertEqual(made["confounding"][0]["columns"], ["change", "machine"])
        self.assertIn("cannot be told apart", made["confounding"][0]["sentence"])
        # A swap alone would leave them mixed with the order.
        self.assertIn("Add a print with change Old and machine Tessel", made["confounding"][0]["repair"])

    def test_hostile_files_get_one_sentence_or_a_plan(self):
        rng = random.Random(11)
        odd = [None, "", 0, -1, 1e308, "nan", "x" * 300, [], {}, True, "\u202eevil", 10**9, "ladder"]

        def bent(value, rate=0.012):
            if isinstance(value, dict):
                kept = {key: item for key, item in value.items() if rng.random() > rate / 2}
                return {
                    key: rng.choice(odd) if rng.random() < rate else bent(item) for key, item in kept.items()
                }
            if isinstance(value, list):
                items = [bent(item) for item in value]
                return items * 2 if rng.random() < rate else items
            return rng.choice(odd) if rng.random() < rate else value

        planned = 0
        for _ in range(120):
            value = bent(STUDY)
            kinds = ("pairs", "chain", "factorial", "fraction", "split-plot", "ladder")
            if isinstance(value.get("plan"), dict):
                value["plan"]["design"] = {"kind": rng.choice(kinds), "copies": rng.choice((1, 2))}
            status, out, err = self.run_cli("plan", self.file(json.dumps(value), "odd.json"), "--json")
            if status:
                self.assertEqual((status, out, err.count("\n")), (2, "", 1), err)
            else:
                planned += 1
                json.loads(out, parse_constant=self.fail)
        self.assertGreater(planned, 15)

    def test_in_words(self):
        status, out, _ = self.run_cli("plan", self.study())
        self.assertEqual(status, 0)
        for words in ("Hinge: fraction", "block 2", "would find a difference of", "of machine time"):
            self.assertIn(words, out)

    def test_a_timetable_with_its_calendar(self):
        path = self.folder / "hinge.ics"
        status, out, err = self.run_cli(
            "timetable", self.study(), "--start", "2026-11-30", "--seconds", "1", "--json", "--ics", path
        )
        self.assertEqual((status, err), (0, ""))
        made = json.loads(out)
        self.assertEqual(len(made["runs"]), 8)
        self.assertLessEqual(made["bound_min"], made["makespan_min"])
        self.assertEqual(path.read_text().count("BEGIN:VEVENT"), 16)
        status, out, _ = self.run_cli("timetable", self.study(), "--seconds", "1", "--any-order")
        self.assertEqual(status, 0)
        self.assertIn("drawn order was given up", out)

    def test_what_cannot_be_planned_is_one_sentence(self):
        nothing = {"plan": None}
        for changes, arguments, words in (
            (nothing, (), "neither runs nor a plan"),
            ({"factors": []}, (), "give the arms"),
            ({}, ("--seed", "-1"), "zero or more"),
            ({"name": ""}, (), "study.json"),
            ({"plan": {**STUDY["plan"], "design": {"kind": "ladder"}}}, (), "a ladder has one factor"),
            ({"plan": {**STUDY["plan"], "machines": []}}, (), "at least one machine"),
            ({"plan": {**STUDY["plan"], "repeats": 9999}}, (), "more than"),
        ):
            with self.subTest(words):
                status, out, err = self.run_cli("plan", self.study(**changes), *arguments)
                self.assertEqual((status, out, err.count("\n")), (2, "", 1))
                self.assertIn(words, err)
        unknown = {"pieces": [{"name": "Case"}]}
        status, _, err = self.run_cli("timetable", self.study(**unknown))
        self.assertEqual(status, 2)
        self.assertIn("no estimate of minutes for Case", err)
        for arguments, words in ((("--start", "soon"), "--start"), (("--seconds", "0"), "--seconds")):
            status, _, err = self.run_cli("timetable", self.study(), *arguments)
            self.assertEqual(status, 2)
            self.assertIn(words, err)


class Ahead(Command):
    def test_power(self):
        figures = ("--sd", "1", "--margin", "0.5", "--pairs", "63-64")
        status, out, _ = self.run_cli("power", *figures, "--unpaired", "--json")
        self.assertEqual(status, 0)
        found = json.loads(out)
        self.assertEqual([item["pairs"] for item in found], [63, 64])
        # R 4.2.2 power.t.test(n = 64, delta = 0.5, strict = TRUE) has equal variances, .80146; Welch a
        # trifle less.
        self.assertAlmostEqual(found[1]["p_find_margin"], 0.8014, places=4)
        paired = ("--sd", "0.70710678118654752", "--margin", "0.8", "--pairs", "10", "--json")
        # R 4.2.2 power.t.test(n = 10, delta = 0.8, type = "paired", strict = TRUE).
        found = json.loads(self.run_cli("power", *paired)[1])
        self.assertAlmostEqual(found[0]["p_find_margin"], 0.616232763475035, places=7)
        status, out, _ = self.run_cli("power", "--sd", "1", "--margin", "2", "--pairs", "1")
        self.assertIn("too few", out)
        status, out, _ = self.run_cli("power", "--sd", "1", "--margin", "2", "--pairs", "1", "--df", "6")
        self.assertIn("% chance to find the margin", out)

    def test_luck(self):
        status, out, _ = self.run_cli("luck", "--test", "matching", "--trials", 4, "--correct", 4, "--json")
        found = json.loads(out)
        self.assertAlmostEqual(found["chance"], 1 / 24)
        self.assertEqual((status, found["fewest_correct"]), (0, 4))
        status, out, _ = self.run_cli("luck", "--test", "triangle", "--trials", 12, "--correct", 8)
        self.assertEqual(out.count("\n"), 1)
        self.assertIn("luck is unlikely", out)

    def test_judge(self):
        votes, key = self.folder / "votes.csv", self.folder / "key.json"
        rows = [f"ann,{n},A,B,{'B' if n % 2 else 'right'}" for n in range(8)]
        votes.write_text("\n".join(["judge,trial,left,right,answer", *rows, "ann,9,A,B,hm"]))
        key.write_text('{"letters": {"A": "old", "B": {"arm": "new", "print": "K7M"}}, "commitment": "00"}')
        status, out, _ = self.run_cli("judge", votes, "--design", "pair", "--key", key)
        self.assertEqual(status, 0)
        self.assertIn("new is preferred: 8 of 8", out)
        self.assertIn("1 row is set apart; the first, line 10: “hm”", out)
        self.assertIn("not the one that was committed to", out)
        found = json.loads(self.run_cli("judge", votes, "--design", "pair", "--key", key, "--json")[1])
        self.assertEqual((found["set_apart"]["count"], found["key"]["kept"]), (1, False))
        # Two-sided: 2 of 256.
        self.assertAlmostEqual(found["luck"]["chance"], 2 / 256)
        for name, text, words in (("votes.csv", "a,b", "no column"), ("key.json", "{", "no JSON")):
            (self.folder / name).write_text(text)
            status, out, err = self.run_cli("judge", votes, "--design", "pair", "--key", key)
            self.assertEqual((status, out, err.count("\n")), (2, "", 1))
            self.assertIn(words if name == "key.json" else "column", err)
            key.write_text('{"A": "old", "B": "new"}') if name == "votes.csv" else None

    def test_a_ballot_and_its_votes(self):
        for name in ("a", "b"):
            self.run_cli(
                "photo",
                "render",
                "view",
                "--width-px=200",
                "--height-px=150",
                "-o",
                self.folder / f"{name}.png",
            )
        pairs = self.folder / "pairs.csv"
        pairs.write_text("one,other,one_arm,other_arm\na.png,b.png,old,new\n")
        out = self.folder / "ballot"
        status, told, _ = self.run_cli("ballot", pairs, "--seed", 5, "-o", out)
        self.assertEqual(status, 0)
        key = json.loads((out / "key.json").read_text())
        self.assertIn(key["commitment"], told)
        letters = key["trials"][0]["letters"]
        cast = {"ballot": key["commitment"], "voter": "v", "at": "2026-11-27T12:00:00+00:00", "answers": [
            {"trial": "t1", "left": letters[0], "right": letters[1], "answer": "left"}]}  # fmt: skip
        (self.folder / "v.json").write_text(json.dumps(cast))
        (self.folder / "w.json").write_text("hello")
        votes = self.folder / "votes.csv"
        files = (self.folder / "v.json", self.folder / "v.json", self.folder / "w.json")
        status, told, _ = self.run_cli("votes", *files, "--key", out / "key.json", "-o", votes)
        self.assertEqual(status, 0)
        self.assertIn("1 answer of 1 voter", told)
        self.assertIn("second time: 1", told)
        self.assertIn("no vote in it", told)
        self.assertEqual(self.run_cli("judge", votes, "--design", "pair", "--key", out / "key.json")[0], 0)
        asked = ("--key", out / "key.json", "-o", votes)
        (self.folder / "v.json").write_text(json.dumps(cast | {"voter": "=1+1"}))
        self.assertEqual(self.run_cli("votes", files[0], *asked)[0], 0)
        self.assertIn("\n'=1+1,t1,", votes.read_text())
        told = self.run_cli("judge", votes, "--design", "pair", "--key", out / "key.json", "--json")[1]
        self.assertEqual(json.loads(told)["judges"], 1)
        for arguments, words in (
            (("votes", files[2], *asked), "no vote that counts"),
            (("votes", files[0], *asked, "--closed", "soon"), "give a time"),
            (("votes", files[0], *asked, "--closed", "2026-11-27T11:00+00:00"), "no vote that counts"),
            (("votes", files[0], "--key", pairs, "-o", votes), "no JSON"),
            (("ballot", pairs, "--seed=-1", "-o", out), "zero or more"),
            (("ballot", votes, "-o", out), "no column"),
        ):
            status, told, err = self.run_cli(*arguments)
            self.assertEqual((status, told, err.count("\n")), (2, "", 1), err)
            self.assertIn(words, err)

    def test_photo(self):
        out = self.folder / "wall.png"
        status, told, _ = self.run_cli("photo", "render", "ringing", "--seed", 3, "--contrast=2", "-o", out)
        self.assertEqual(status, 0)
        truth = json.loads(out.with_suffix(".json").read_text())
        self.assertEqual((truth["contrast"], truth["px_per_mm"]), (2.0, 20.0))
        asked = ("--what", "ringing", "--region", "0,0,480,320", "--layer-height", 0.2)
        status, told, _ = self.run_cli("photo", "measure", out, *asked, "--px-per-mm", 20, "--json")
        (found,) = json.loads(told)
        self.assertEqual((status, found["refused"], found["unit"]), (0, None, "%"))
        self.assertAlmostEqual(found["value"], 2.0, delta=0.3)
        self.assertAlmostEqual(found["detail"]["wavelength_mm"], truth["wavelength_mm"], delta=0.06)
        for name, more in (("a", ("--print-seed=1",)), ("b", ("--print-seed=2", "--turn-deg=1.5"))):
            self.run_cli("photo", "render", "view", *more, "-o", self.folder / f"{name}.png")
        views = (self.folder / "a.png", self.folder / "b.png")
        laid = json.loads(self.run_cli("photo", "align", *views, "--json")[1])
        self.assertTrue(laid["accepted"])
        self.assertAlmostEqual(math.degrees(math.asin(laid["matrix"][0][1])), 1.5, delta=0.1)
        self.assertIn("lies on the first", self.run_cli("photo", "align", *views)[1])
        mat = self.folder / "mat.png"
        self.run_cli("photo", "render", "mat", "--px-per-mm=4", "-o", mat)
        scale = json.loads(
            self.run_cli("photo", "scale", mat, "--check-x", 150, "--check-y", 200, "--json")[1]
        )
        self.assertAlmostEqual(scale["px_per_mm"], 4.0, delta=0.004)
        self.assertEqual((scale["markers"], scale["warnings"], scale["refused"]), (16, [], None))
        self.assertIn("Nobody has measured", self.run_cli("photo", "scale", mat)[1])
        self.assertIn("only 0 markers", self.run_cli("photo", "scale", out)[1])
        # What cannot be told is no failure of the command, and what is no picture is one.
        status, told, _ = self.run_cli("photo", "measure", out, *asked)
        self.assertEqual(status, 0)
        self.assertIn("cannot be told: its scale is not known", told)
        status, told, err = self.run_cli("photo", "measure", views[0].parent / "gone.png", out, *asked)
        self.assertEqual((status, err.count("\n")), (2, 1))
        self.assertIn("gone.png", err)
        self.assertIn("wall.png: ", told)
        for arguments, words in (
            (("measure", key := self.folder / "k.png", *asked), "cannot be read"),
            (("measure", out, "--what", "size", "--region", "1,2"), "left, top"),
            (("measure", out, *asked, "--px-per-mm", 0), "above zero"),
            (("measure", out, *asked, "--gaps", "1,1,9,9"), "goes with"),
            (("render", "ringing", "--contrast=x", "-o", key), "no number"),
            (("render", "mat", "--page=a0", "-o", key), "choose one of"),
            (("scale", out, "--check-x", 15), "between 100"),
            (("scale", out, "--height=-1"), "zero or more"),
            (("render", "ringing", "--seed=-1", "-o", key), "zero or more"),
            (("render", "ringing", "-o", self.folder / "no" / "k.png"), "cannot be written"),
        ):
            status, told, err = self.run_cli("photo", *arguments)
            self.assertEqual((status, told, err.count("\n")), (2, "", 1), err)
            self.assertIn(words, err)

    def test_wrong_figures_are_one_sentence(self):
        for arguments, words in (
            (("power", "--sd", "0", "--margin", "1", "--pairs", "3"), "above zero"),
            (("power", "--sd", "1", "--margin", "nan", "--pairs", "3"), "above zero"),
            (("power", "--sd", "1", "--margin", "1", "--pairs", "few"), "--pairs"),
            (("power", "--sd", "1", "--margin", "1", "--pairs", "9-3"), "smaller one first"),
            (("luck", "--test", "pair", "--trials", "3", "--correct", "4"), "between 0 and"),
            (("luck", "--test", "pair", "--trials", "x", "--correct", "4"), "--trials"),
        ):
            with self.subTest(words):
                status, out, err = self.run_cli(*arguments)
                self.assertEqual((status, out, err.count("\n")), (2, "", 1))
                self.assertIn(words, err)


class Copies(Command):
    def test_going_back_to_a_copy(self):
        book = LabBook.create(self.folder / "shed", "Shed")
        operations.add_study(book, name="Early")
        book.close()
        copy = self.folder / "copy.sqlite"
        shutil.copy(self.folder / "shed" / "labbook.sqlite", copy)
        book = LabBook.open(self.folder / "shed")
        operations.add_study(book, name="Later")
        status, out, err = self.run_cli("go-back", book.folder, copy)
        self.assertEqual((status, out), (2, ""))
        self.assertIn("is open", err)
        book.close()
        status, out, err = self.run_cli("go-back", book.folder, copy)
        self.assertEqual((status, err), (0, ""))
        self.assertIn("as it was before, it lies in", out)
        book = LabBook.open(self.folder / "shed")
        self.addCleanup(book.close)
        self.assertEqual([item.name for item in book.summaries()], ["Early"])
        status, out, err = self.run_cli("go-back", book.folder, self.file("no book"))
        self.assertEqual((status, out), (2, ""))
        self.assertIn("not a lab book", err)


class Desktop(Command):
    def test_menu_entry_goes_in_and_out(self):
        launcher = self.folder / 'odd "twin" $1 100%'
        launcher.write_text("#!/bin/sh\n")
        homes = {"XDG_DATA_HOME": str(self.folder / "data"), "ODD_TWIN_LAUNCHER": str(launcher)}
        with mock.patch.dict(os.environ, homes):
            status, out, _ = self.run_cli("--install-desktop")
            self.assertEqual((status, out.count("\n")), (0, 4))
            entry = (self.folder / "data/applications/odd-twin.desktop").read_text()
            # Quoted for the argument and once more for the value, as the specification says (from memory).
            folder = str(self.folder)
            self.assertIn(f'Exec="{folder}/odd \\\\"twin\\\\" \\\\$1 100%%"\n', entry)
            self.assertTrue((self.folder / "data/icons/hicolor/scalable/apps/odd-twin.svg").is_file())
            self.assertEqual(self.run_cli("--install-desktop")[0], 0)
            self.assertEqual(self.run_cli("--remove-desktop")[0], 0)
            self.assertEqual([path for path in (self.folder / "data").rglob("*") if path.is_file()], [])
            self.assertEqual(self.run_cli("--remove-desktop")[0], 0)
            (self.folder / "data" / "metainfo").rmdir()
            (self.folder / "data" / "metainfo").write_text("in the way")
            status, _, err = self.run_cli("--install-desktop")
            self.assertEqual((status, err.count("\n")), (2, 1))
            self.assertIn("cannot be written", err)


class SlicedFiles(Command):
    def sliced(self, name="a.gcode", solid=None, **recipe):
        return self.file(slice_solid(solid or Solid(height=2), Recipe(**recipe)).text, name)

    def json(self, *arguments):
        status, out, err = self.run_cli(*arguments, "--json")
        self.assertEqual((status, err), (0, ""))
        return json.loads(out, parse_constant=self.fail)

    def test_figures_of_a_file_in_every_packing(self):
        plain = self.sliced()
        packed = self.folder / "b.gz"
        packed.write_bytes(gzip.compress(plain.read_bytes()))
        zipped = self.folder / "c.zip"
        with zipfile.ZipFile(zipped, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.write(plain, "a.gcode")
        figures = self.json("gcode", plain)
        for key in (
            "layers", "lines", "time_s", "time_by_feature", "path_mm", "travel_mm", "filament_mm",
            "volume_mm3", "mass_g", "by_tool", "by_feature", "retractions", "tool_changes", "max_flow_mm3_s",
            "layer_time", "reach", "unknown", "settings",
        ):  # fmt: skip
            self.assertIn(key, figures)
        self.assertEqual(list(figures["layer_time"]), ["min", "median", "max"])
        self.assertEqual(figures["layers"], 10)
        self.assertEqual(self.json("gcode", packed), figures)
        self.assertEqual(self.json("gcode", zipped), figures)

    def test_machine_density_diameter_and_flow(self):
        plain = self.sliced()
        machine = self.file(json.dumps({"acceleration": 500, "overhead_min": 5, "scale": 1.1}), "m.json")
        usual, there = (
            self.json("gcode", plain),
            self.json("gcode", plain, "--machine", machine, "--density", "2.48", "--flow", "5"),
        )
        self.assertAlmostEqual(there["mass_g"], 2 * usual["mass_g"])
        self.assertGreater(there["time_s"], usual["time_s"] + 330)
        self.assertGreater(there["reach"]["time_above_flow"], 0)
        whole = self.file(
            json.dumps({"name": "Marlow", "overhead_min": 2, "motion": {"acceleration": 500}}), "w.json"
        )
        heated = self.json("gcode", plain, "--machine", whole)
        self.assertEqual(heated["time_by_feature"]["heating and homing"], 120)
        thin = self.json("gcode", plain, "--diameter", "0.875")
        self.assertAlmostEqual(thin["mass_g"], usual["mass_g"] / 4)

    def test_sentences_for_people(self):
        status, out, _ = self.run_cli("gcode", self.sliced())
        self.assertEqual(status, 0)
        self.assertIn("10 layers", out)
        self.assertIn("at the speed asked for", out)

    def test_what_cannot_be_used_is_one_sentence(self):
        good = self.sliced()
        damaged = self.folder / "cut.gz"
        damaged.write_bytes(gzip.compress(good.read_bytes())[:-20])
        bomb = self.folder / "bomb.gz"
        with gzip.open(bomb, "wb") as file:
            for _ in range(80):
                file.write(b"G1 X1 E1\n" * 120_000)
        two = self.folder / "two.zip"
        with zipfile.ZipFile(two, "w") as archive:
            archive.writestr("a", "G1")
            archive.writestr("b", "G1")
        for path, word in (
            (self.folder / "none.gcode", "cannot be read"),
            (damaged, "damaged or cut off"),
            (bomb, "unpacks to more than"),
            (two, "holds 2 files"),
            (self.file("hello\n", "h.gcode"), "nothing is printed"),
            (self.folder, "cannot be read"),
        ):
            status, out, err = self.run_cli("gcode", path)
            self.assertEqual((status, out, err.count("\n")), (2, "", 1), path)
            self.assertIn(word, err)
        for bad, word in (
            ("--density=0", "density"),
            ("--diameter=-1", "diameter"),
            ("--flow=0", "--flow"),
            (f"--machine={self.file('{', 'x.json')}", "JSON"),
            (f"--machine={self.file('[1]', 'y.json')}", "one JSON object"),
            (f"--machine={self.file(json.dumps({'jerk': 'x'}), 'z.json')}", "not a number"),
        ):
            status, _, err = self.run_cli("gcode", good, bad)
            self.assertEqual((status, err.count("\n")), (2, 1))
            self.assertIn(word, err)

    def test_match_of_two_files(self):
        ours, theirs = self.sliced(), self.sliced("b.gcode", walls=3, fan=70.0)
        figures = self.json("match", ours, theirs, "--declare", "walls=2:3")
        self.assertFalse(figures["same_bytes"])
        self.assertEqual(figures["settings"]["declared"], {"walls": ["2", "3"]})
        self.assertEqual(figures["settings"]["undeclared"], {"fan": ["100", "70"]})
        self.assertGreater(figures["delta"]["mass_g"], 0)
        self.assertEqual([figures["took_effect"][0]["took"], figures["can_show"][0]["can"]], [True, True])
        self.assertIn("sentences", figures)
        self.assertTrue(self.json("match", ours, ours)["same_bytes"])
        status, out, _ = self.run_cli("match", ours, theirs)
        self.assertEqual(status, 0)
        self.assertIn("2 settings differ; 0 were declared; 2 can move this result.", out)

    def test_match_of_settings_alone(self):
        ours = self.file("layer_height = 0.2\nfan = 100\n", "a.ini")
        theirs = self.file(json.dumps({"layerHeight": "0.20 mm", "fan": 80}), "b.json")
        figures = self.json("match", ours, theirs, "--declare", "fan=100:80")
        self.assertEqual((list(figures["settings"]["declared"]), figures["settings"]["same"]), (["fan"], 1))
        self.assertIsNone(figures["paths"])

    def test_match_needs_two_files_and_whole_declarations(self):
        plain = self.sliced()
        for arguments, word in (
            ([plain], "two files"),
            ([plain, plain, "--declare", "walls"], "key=from:to"),
            ([plain, plain, "--declare", "walls=1:2:3"], "one for each"),
        ):
            status, _, err = self.run_cli("match", *arguments)
            self.assertEqual(status, 2)
            self.assertIn(word, err)
