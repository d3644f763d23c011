"""The demo lab book: the same every time, and each study in its state."""

import os
import subprocess
import sys
import tempfile
import time
import unittest
from datetime import datetime
from functools import cache
from pathlib import Path
from unittest import mock

import numpy as np

from oddtwin.core.design import DesignKind
from oddtwin.core.judgement import analyse, study_confounding, whole_plots
from oddtwin.core.outlook import budget_of, power_sentence, workload_of
from oddtwin.core.quantities import minutes_between, now
from oddtwin.core.runlist import checks_by_run
from oddtwin.core.schedule import make_timetable
from oddtwin.core.standing import Stage, standing_of
from oddtwin.core.study import EventKind, RunState
from oddtwin.core.tradeoff import sentences, weigh, weighed_json
from oddtwin.demo import build_demo, fresh_demo
from oddtwin.store import LabBook, load_study
from oddtwin.store.exchange import write_study
from oddtwin.work.packing import pack_study
from oddtwin.work.verifying import verify_pack
from tests.cases import InFolder

INFILL = "Less infill in the drawer divider"


# Slow enough that the other has begun too; what is built is another test's matter.
AT_ONCE = """
import time
from unittest import mock
from oddtwin.demo import fresh_demo
from oddtwin.store import LabBook

def build(folder, name):
    time.sleep(2)
    return LabBook.create(folder, name)

with mock.patch("oddtwin.demo.build.build_demo", build):
    print((fresh_demo() / "labbook.sqlite").is_file())
"""


@cache
def _built(again):
    """The studies of the demo that is kept for all tests, or of one that is built here and now."""
    with tempfile.TemporaryDirectory() as folder:
        book = build_demo(Path(folder) / "demo", "Shed") if again else LabBook.open(fresh_demo())
        with book.reading() as connection:
            studies = [(item.name, load_study(connection, item.id)) for item in book.summaries()]
        book.close()
    return studies


class Copies(InFolder):
    def test_a_copy_goes_with_the_program(self):
        homes = {"TMPDIR": str(self.folder), "PYTHONPATH": os.pathsep.join(sys.path)}
        code = "from oddtwin.demo import fresh_demo; print(fresh_demo().is_dir())"
        run = subprocess.run(
            [sys.executable, "-c", code],
            env={**os.environ, **homes},
            capture_output=True,
            text=True,
            check=True,
        )
        self.assertEqual(run.stdout.strip(), "True")
        self.assertEqual(list(self.folder.glob("odd-twin-demo-*")), [])

    def test_programs_that_build_it_at_once_do_not_disturb_one_another(self):
        env = {**os.environ, "XDG_CACHE_HOME": str(self.folder), "PYTHONPATH": os.pathsep.join(sys.path)}
        both = [
            subprocess.Popen([sys.executable, "-c", AT_ONCE], env=env, stdout=subprocess.PIPE, text=True)
            for _ in range(2)
        ]
        self.assertEqual([one.communicate()[0].strip() for one in both], ["True", "True"])
        (kept,) = (self.folder / "odd-twin").iterdir()
        self.assertTrue((kept / "book").is_dir())


class Kept(InFolder):
    def test_demos_of_versions_that_nobody_starts_any_more_are_let_go(self):
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder)}))
        cache = self.folder / "odd-twin"
        with mock.patch("oddtwin.demo.build.build_demo", self.built):
            fresh_demo()
            (kept,) = cache.glob("demo-*")
            for name, days in (("demo-0001-old", 31), ("demo-0002-used", 29), ("photos", 99)):
                (cache / name).mkdir()
                os.utime(cache / name, (time.time() - 86_400 * days,) * 2)
            os.utime(kept, (0, 0))
            fresh_demo()
        self.assertEqual({one.name for one in cache.iterdir()}, {kept.name, "demo-0002-used", "photos"})

    @staticmethod
    def built(folder, name):
        """An empty lab book in the place of the demo."""
        return LabBook.create(folder, name)


class Demo(InFolder):
    def studies(self, again=False):
        """The studies of the demo, built once for all tests, or once more here."""
        return dict(_built(again))

    def verdicts(self, study):
        return {item.comparison.response: item.verdict.value for item in analyse(study).findings}

    def test_three_studies_go_on_from_one_another_and_the_first_is_weighed_up(self):
        studies = self.studies()
        chain = [study for name, study in studies.items() if name.startswith(INFILL)]
        first, second, third = sorted(chain, key=lambda study: study.id)
        self.assertEqual((second.parent_id, third.parent_id), (first.id, second.id))
        self.assertEqual([level.value for level in third.factors[0].levels], ["30 %", "22.5 %", "15 %"])
        self.assertIn("only for dividers under 200 mm", [item.text for item in second.held])
        weighed = weigh(first)
        self.assertEqual(weighed_json(weighed)["front"], ["Change"])

    def test_the_ladder_is_weighed_up_to_its_last_level_that_holds(self):
        weighed = weigh(self.studies()["How wide may the lines of the key tag be"])
        path = weighed_json(weighed)["ladder"]
        self.assertEqual(path["arms"], ["Baseline", "0.50 mm", "0.58 mm", "0.66 mm"])
        self.assertEqual((path["holds"], path["beyond"]), ("0.58 mm", "0.66 mm"))
        told = " ".join(sentences(weighed))
        self.assertRegex(
            told, r"0\.58 mm is the last level that holds by Letter height lost; on the mean 2\.7.min less"
        )
        self.assertRegex(told, r"0\.66 mm does not hold, for 1\.\d.min less")

    def test_a_study_of_the_demo_is_packed_and_verified(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "pack.zip"
            pack_study(path, self.studies()[INFILL], None)
            found = verify_pack(path)
        self.assertTrue(found.holds, found.different)
        self.assertGreater(found.checked, 30)

    def test_the_studies_are_in_different_states(self):
        studies = self.studies()
        stages = {name: standing_of(item).stage for name, item in studies.items()}
        self.assertEqual(
            stages,
            {
                "Two walls or three": Stage.ASK,
                "Thicker layers for the drawer divider": Stage.PRINT,
                "Seam scattered or in line": Stage.VERDICT,
                "Dry the spool overnight": Stage.SETTLE,
                "Textured plate and first layer": Stage.MATCH,
                "Slower small layers on the key tag": Stage.PRINT,
                "How wide may the lines of the key tag be": Stage.VERDICT,
                "A sock on the heater block, four tags on a plate": Stage.PRINT,
                INFILL: Stage.SETTLE,
                f"{INFILL}, on the next machine": Stage.SETTLE,
                f"{INFILL}, on the next machine, the middle levels": Stage.PLAN,
            },
        )
        (curve, *_) = analyse(studies["How wide may the lines of the key tag be"]).overall.curves
        self.assertEqual([point.name for point in curve.points][curve.edge[0]], "0.58 mm")
        failed = [run for run in studies["How wide may the lines of the key tag be"].runs if run.failed]
        self.assertEqual(len(failed), 1)
        winner = self.verdicts(studies["Dry the spool overnight"])
        self.assertEqual(winner["Clean-up time"], "odd-better")
        self.assertEqual(winner["Print time"], "twin")
        self.assertEqual(self.verdicts(studies["Seam scattered or in line"])["Opening force"], "twin")
        half = standing_of(studies["Thicker layers for the drawer divider"])
        self.assertTrue(0 < half.printed < half.planned)
        noted = [
            event.sentence
            for run in studies["Thicker layers for the drawer divider"].runs
            for event in run.plate.events
        ]
        self.assertEqual(noted, ["paused at 18.2 mm", "first layer good", "noise at 11.4 mm"])

    def test_a_fresh_copy_has_a_plate_in_the_machine_since_a_while_ago(self):
        book = LabBook.open(fresh_demo())
        self.addCleanup(book.close)
        (half,) = [item.id for item in book.summaries() if "four tags on a plate" in item.name]
        with book.reading() as connection:
            study = load_study(connection, half)
        printing = [run for run in study.runs if run.state is RunState.PRINTING]
        self.assertEqual(len(printing), 4, "all that lies on the plate")
        self.assertEqual(len({run.plate.id for run in printing}), 1)
        plate = printing[0].plate
        self.assertTrue(30 < minutes_between(plate.started, now()) < 90)
        self.assertEqual([event.kind for event in plate.events], [EventKind.FIRST_LAYER, EventKind.NOISE])
        self.assertTrue(plate.bed_cleaned and plate.temperature_c)

    def test_the_same_seed_builds_the_same_prints(self):
        first, second = self.studies(), self.studies(again=True)
        for name in first:
            readings = [
                [(item.run_id, item.response_id, item.zone, item.value) for item in studies[name].readings]
                for studies in (first, second)
            ]
            self.assertEqual(readings[0], readings[1])
            self.assertEqual([r.code for r in first[name].runs], [r.code for r in second[name].runs])

    def test_the_planned_study_shows_what_a_plan_can_say(self):
        study = self.studies()["Textured plate and first layer"]
        self.assertEqual(study.plan.design.kind, DesignKind.SPLIT_PLOT)
        self.assertTrue(study.factors[0].hard_to_change)
        # Two machines, four plots on each, two easy levels in every plot.
        self.assertEqual((len(study.runs), len(set(whole_plots(study).values()))), (16, 4))
        self.assertTrue(any(checks_by_run(study).values()))
        budget = budget_of(study)
        self.assertEqual(budget.unknown, ())
        self.assertGreater(budget.money, 0)
        # The spool does not last: the plan says so before anything is printed.
        self.assertGreater(budget.spools[0].short_g, 0)
        force = next(item for item in study.responses if item.primary)
        self.assertIn("Peel force", power_sentence(study, force, None))
        self.assertEqual(study_confounding(study), [])
        made = make_timetable(workload_of(study, datetime(2026, 11, 30)), 0.5)
        self.assertEqual(len(made.placed), 16)

    def test_the_workshop_has_figures(self):
        study = next(iter(self.studies().values()))
        self.assertEqual(len(study.spools), 3)
        self.assertTrue(all(machine.overhead_min and machine.power_w for machine in study.machines.values()))
        self.assertTrue(all(piece.faults for piece in study.pieces.values()))
        divider = next(piece for piece in study.pieces.values() if piece.name == "Drawer divider")
        self.assertEqual(
            len({takes.minutes for takes in divider.on_machines.values()} | {divider.minutes}), 2
        )

    def test_what_it_shows_is_plausible(self):
        for study in self.studies().values():
            self.assertGreater(len(write_study(study)), 300)
            values = [item.value for item in study.readings]
            self.assertTrue(not values or (np.min(values) >= 0 and np.max(values) < 400))


if __name__ == "__main__":
    unittest.main()
