"""Checks of instruments, belts held against waves, and prints of a found fault written as a study."""

import math
import unittest
from datetime import UTC, datetime

import numpy as np

from oddtwin.core.calibrate import JOBS, CalibrationError, calibration, fault_study, read_rows
from oddtwin.core.customs import ChangeKind
from oddtwin.core.design import DesignKind
from oddtwin.core.judgement import analyse

BY_NAME = {job.name: job for job in JOBS}
WHEN = datetime(2026, 3, 9, 12, tzinfo=UTC)


def rows(*lines):
    return "\n".join(lines)


class Checks(unittest.TestCase):
    def check(self, standard, readings, **options):
        text = rows("standard,reading", *(f"{standard},{value}" for value in readings))
        return calibration(BY_NAME["check"], text, options)

    def test_scatter_step_and_standard_enter_as_the_guide_to_uncertainty_has_them(self):
        # By hand, after JCGM 100:2008 5.1.2 and G.4.1 (from memory): three squares, Welch and Satterthwaite.
        found = self.check("100", ["100.01", "100.05", "100.03", "100.03"], step=0.01, u=0.005)
        # s² = 0.0008/3, u² = s²/4 + 0.01²/12 + 0.005² = 0.0001, degrees of freedom 3·(u²/(s²/4))² = 6.75.
        self.assertAlmostEqual(found.value, 0.03)
        k = (found.ci95[1] - found.ci95[0]) / 2 / 0.01
        # Between t(.975, 6) = 2.447 and t(.975, 7) = 2.365 of the usual tables (handbook, from memory).
        self.assertTrue(2.365 < k < 2.447, k)
        self.assertAlmostEqual(found.more["sd"], math.sqrt(0.0008 / 3))

    def test_equal_readings_are_no_surer_than_the_step(self):
        found = self.check("50", ["50.1"] * 5)
        self.assertAlmostEqual(found.ci95[1] - found.value, 1.959964 * 0.1 / math.sqrt(12))
        self.assertIn("It repeats to 0.029", found.sentence)

    def test_intervals_hold_the_true_error_in_nineteen_of_twenty(self):
        rng = np.random.default_rng(11)
        held = 0
        for _ in range(400):
            off = rng.normal(0, 0.005)
            read = np.round(20 + 0.03 + off + rng.normal(0, 0.02, 5), 2)
            found = self.check("20", [f"{value:.2f}" for value in read], step=0.01, u=0.005)
            held += found.ci95[0] <= 0.03 <= found.ci95[1]
        self.assertGreaterEqual(held / 400, 0.93)
        self.assertLessEqual(held / 400, 0.985)

    def test_what_is_to_be_done_follows_the_limit(self):
        off = ["100.20", "100.21", "100.19", "100.20", "100.21"]
        self.assertIn("adjust it", self.check("100", off, limit=0.05).advice)
        self.assertIn("nothing: with all doubt", self.check("100", off, limit=0.5).advice)
        loose = ["100.00", "100.30", "100.10", "100.20"]
        self.assertIn("is open", self.check("100", loose, limit=0.2).advice)
        self.assertIn("too high", self.check("100", off).sentence)
        self.assertEqual(self.check("100", ["100.0", "99.9", "100.1"]).advice, "")

    def test_an_error_that_grows_is_told(self):
        text = rows("standard,reading", *["10,10.00"] * 3, *["100,100.30"] * 3, *["10,10.01"] * 2)
        found = calibration(BY_NAME["check"], text, {})
        self.assertIn("no one figure corrects it", found.warnings[0])
        self.assertEqual([line["standard"] for line in found.table], [10.0, 100.0])

    def test_another_standard_and_too_few_readings_are_refused(self):
        for standard, readings, said in (
            ("100", ["100.0", "100.1"], "was read 2 times"),
            ("100", ["50.0", "100.1", "100.0"], "more than 20 % off its standard"),
            ("0", ["1", "1", "1"], "not above zero"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                self.check(standard, readings)


class Waves(unittest.TestCase):
    def held(self, *lines, **options):
        text = rows("level,frequency_hz,wave", *lines)
        return calibration(BY_NAME["belt-waves"], text, {"span": 168.0, "density": 8.4, **options})

    def test_the_least_tension_without_worse_waves_is_proposed(self):
        # T = μ·(2Lf)² (vibrating string, textbook): 80 Hz on 168 mm of 8.4 g/m are 6.07 N.
        many = [f"slack,,{grade}" for grade in (3, 3, 3, 2)]
        many += [f"found,,{grade}" for grade in (0, 0, 1, 0)] + [f"tight,,{grade}" for grade in (0, 0, 0, 0)]
        notes = [f"{level},{note}," for level, note in (("slack", 60), ("found", 80), ("tight", 100))]
        found = self.held(*notes, *many, margin=1.0)
        self.assertAlmostEqual(found.value, 0.0084 * (2 * 0.168 * 80) ** 2)
        self.assertEqual([line["level"] for line in found.table], ["slack", "found", "tight"])
        self.assertEqual([line["not_worse"] for line in found.table], [False, True, True])
        self.assertIn("set the belts to", found.advice)
        beyond = self.held(*notes, *many, margin=1.0, most=5.0)
        self.assertIn("above the maker’s limit of 5 N", beyond.warnings[0])

    def test_a_level_without_note_or_grade_is_refused_by_name(self):
        with self.assertRaisesRegex(CalibrationError, "“tight” has no grade of its waves"):
            self.held("slack,60,3", "tight,80,")
        with self.assertRaisesRegex(CalibrationError, "“tight” has no note"):
            self.held("slack,60,3", "tight,,2")
        with self.assertRaisesRegex(CalibrationError, "one level only"):
            self.held("slack,60,3", "Slack,61,2")


class Faults(unittest.TestCase):
    def written(self, *lines):
        job = BY_NAME["fault"]
        text = rows(*lines)
        found = calibration(job, text, {})
        return found, fault_study(read_rows(text, job.columns), found.sentence, WHEN)

    def test_prints_become_runs_and_suspects_factors(self):
        found, study = self.written(
            "machine,filament,came_out",
            "Tarn,chalk,bad", "tarn,chalk,bad", "Tarn,slate,good", "Marlow,chalk,good", "Marlow,slate,good",
        )  # fmt: skip
        self.assertIn("the pair", found.sentence)
        self.assertIn(found.sentence, study.question)
        self.assertEqual([factor.kind for factor in study.factors], [ChangeKind.MACHINE, ChangeKind.FILAMENT])
        self.assertEqual(study.plan.design.kind, DesignKind.FACTORIAL)
        self.assertEqual(len(study.arms), 4)
        self.assertEqual(study.baseline.name, "Tarn, slate")
        self.assertEqual([item.value for item in study.readings], [0.0, 0.0, 1.0, 1.0, 1.0])
        self.assertEqual([run.code for run in study.runs], ["P1", "P2", "P3", "P4", "P5"])
        self.assertTrue(analyse(study).findings)

    def test_one_suspect_makes_plain_arms(self):
        _, study = self.written("filament,came_out", "chalk,bad", "slate,good", "slate,good")
        self.assertEqual([arm.name for arm in study.arms if arm.is_baseline], ["slate"])
        self.assertEqual(len(study.runs), 3)

    def test_prints_that_are_all_alike_are_no_study(self):
        job = BY_NAME["fault"]
        with self.assertRaisesRegex(CalibrationError, "made alike"):
            fault_study(read_rows("filament,came_out\nchalk,bad\nchalk,good\n", job.columns), "", WHEN)


if __name__ == "__main__":
    unittest.main()
