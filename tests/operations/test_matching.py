"""Sliced files in the lab book: chosen, checked, carried by runs, predicted and undone."""

import json
import math
from datetime import UTC, datetime

from oddtwin import operations, work
from oddtwin.core import predicted
from oddtwin.core.job import CancelledError
from oddtwin.core.judgement import analyse, study_threats
from oddtwin.core.predicted import agreements, calibrations, declared_factors, sliced_arms
from oddtwin.core.readings import Spot
from oddtwin.core.study import LookAt
from oddtwin.core.toolpath.match import as_json, match_files
from oddtwin.core.toolpath.motion import Limits
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.store import KeptKind, StoreError, load_machines, load_predictions
from oddtwin.store.exchange import report_html
from tests.builders import stopped
from tests.cases import InBook

BOX = Solid(height=1)


class InMatch(InBook):
    """A study of two arms that differ in walls, drawn on two machines."""

    def setUp(self):
        super().setUp()
        do = operations
        do.add_study(self.book, name="Trial")
        do.add_factor(self.book, study_id=1, kind="slicer setting", name="walls", levels=("2", "3"))
        self.machines = [
            do.add_machine(self.book, name=name).new_id("machine") for name in ("Marlow", "Tessel")
        ]
        do.edit_machine(self.book, machine_id=self.machines[0], name="Marlow", overhead_min=6.0)
        self.piece = do.add_piece(self.book, name="Hook").new_id("piece")
        do.add_spool(self.book, name="Grey")
        self.draw()

    def draw(self, **more):
        operations.draw_runs(
            self.book,
            study_id=1,
            repeats=2,
            twins=0,
            seed=5,
            machine_ids=self.machines,
            piece_ids=[self.piece],
            spools=["Grey"],
            **more,
        )

    def sliced(self, name, **recipe):
        path = self.folder / f"{name}.gcode"
        path.write_text(slice_solid(BOX, Recipe(**recipe)).text, encoding="utf-8")
        return path

    def choose(self, place, path):
        study = self.study()
        found = work.keep_file(self.book, path, list(study.machines.values()))
        return operations.choose_file(
            self.book, arm_id=study.arms[place].id, piece_id=self.piece, chosen=found
        )

    def choose_both(self):
        self.choose(0, self.sliced("two", walls=2))
        self.choose(1, self.sliced("three", walls=3))

    def check(self):
        study = self.study()
        arms = sliced_arms(study)
        kept = work.kept_files(self.book, study, arms, self.piece)
        files = work.load_files(kept, Limits(), predicted.plan_spool(study))
        found = json.loads(json.dumps(as_json(match_files(files, declared_factors(study, arms)))))
        operations.keep_check(self.book, study_id=1, piece_id=self.piece, result=found)
        return found

    def print_run(self, run, minutes=None, part=None, waste=()):
        for operation in (operations.start_run, operations.finish_run):
            operation(self.book, run_id=run.id, code=run.code)
        responses = {item.role.value: item.id for item in self.study().responses if item.role}
        for role, values in (("time", minutes), ("part", part)):
            if values is not None:
                operations.enter_readings(
                    self.book, run_id=run.id, response_id=responses[role], values=[values], title=role
                )
        for zone, value in waste:
            operations.enter_readings(
                self.book,
                run_id=run.id,
                response_id=responses["waste"],
                spot=Spot(zone),
                values=[value],
                title="waste",
            )

    def predictions(self):
        with self.book.reading() as connection:
            return {item.run_id: item for item in load_predictions(connection)}


class Choosing(InMatch):
    def test_a_file_is_figured_for_every_machine_of_the_plan(self):
        self.choose_both()
        file = self.study().file_of(self.study().baseline.id, self.piece)
        self.assertEqual(set(file.seconds), set(self.machines))
        self.assertEqual((file.name, file.layers), ("two.gcode", 5))
        self.assertEqual(file.size, (self.folder / "two.gcode").stat().st_size)
        self.assertGreater(file.filament_mm, 10)
        # Heating and homing are the machine's and come on top.
        self.assertAlmostEqual(*file.seconds.values())

    def test_choosing_again_replaces_and_undo_brings_back(self):
        self.choose_both()
        first = self.study().files
        self.choose(1, self.sliced("four", walls=4))
        self.assertEqual(len(self.study().files), 2)
        self.assertEqual({file.name for file in self.study().files}, {"two.gcode", "four.gcode"})
        self.book.undo()
        self.assertEqual(self.study().files, first)
        self.book.redo()
        self.assertIn("four.gcode", {file.name for file in self.study().files})

    def test_a_check_is_dropped_with_its_file_and_kept_otherwise(self):
        self.choose_both()
        found = self.check()
        self.assertEqual(self.study().checks[0].result, found)
        operations.edit_study(self.book, study_id=1, question="Still there?")
        self.assertEqual(len(self.study().checks), 1)
        operations.remove_file(
            self.book, arm_id=self.study().arms[1].id, piece_id=self.piece, name="three.gcode"
        )
        self.assertEqual((len(self.study().files), self.study().checks), (1, ()))
        self.book.undo()
        self.assertEqual(self.study().checks[0].result, found)

    def test_drawing_anew_keeps_the_files_of_arms_that_stay(self):
        self.choose_both()
        self.draw()
        self.assertEqual(len(self.study().files), 2)

    def test_a_study_and_its_files_are_removed_together(self):
        self.choose_both()
        self.check()
        operations.remove_study(self.book, study_id=1, name="Trial")
        self.book.undo()
        self.assertEqual((len(self.study().files), len(self.study().checks)), (2, 1))

    def test_what_cannot_be_read_or_is_gone_has_a_sentence(self):
        (self.folder / "bad.gcode").write_bytes(b"\x00")
        with self.assertRaisesRegex(StoreError, "bad.gcode.*binary"):
            self.choose(0, self.folder / "bad.gcode")
        self.choose_both()
        study = self.study()
        self.book.kept(KeptKind.SLICED, study.files[0].sha256).unlink()
        with self.assertRaisesRegex(StoreError, "cannot be read"):
            self.check()

    def test_reading_is_given_up_when_asked(self):
        path = self.sliced("two")
        with self.assertRaises(CancelledError):
            work.keep_file(self.book, path, [], stopped())
        self.choose_both()
        kept = work.kept_files(self.book, self.study(), sliced_arms(self.study()), self.piece)
        filament = predicted.plan_spool(self.study())
        with self.assertRaises(CancelledError):
            work.load_files(kept, Limits(), filament, stopped())

    def test_the_same_content_is_read_once(self):
        path = self.sliced("same")
        self.choose(0, path)
        self.choose(1, path)
        kept = work.kept_files(self.book, self.study(), sliced_arms(self.study()), self.piece)
        one, two = work.load_files(kept, Limits(), predicted.plan_spool(self.study()))
        self.assertIs(one.sliced, two.sliced)
        self.assertEqual(self.check()["sentences"], ["Same file, byte for byte."])


class Estimating(InMatch):
    def test_minutes_and_grams_go_into_the_plan(self):
        with self.assertRaisesRegex(StoreError, "no sliced file yet"):
            operations.take_estimates(self.book, study_id=1, piece_id=self.piece, name="Hook")
        self.choose_both()
        operations.take_estimates(self.book, study_id=1, piece_id=self.piece, name="Hook")
        study = self.study()
        files = study.files
        for key in self.machines:
            takes = study.pieces[self.piece].on(key)
            self.assertAlmostEqual(takes.minutes, sum(file.seconds[key] for file in files) / 120, 1)
            grams = sum(file.filament_mm for file in files) / 2 * math.pi / 4 * 1.75**2 * 1.24 / 1000
            self.assertAlmostEqual(takes.part_g + takes.waste_g, grams, 1)
            self.assertGreater(takes.waste_g, 0)
        self.book.undo()
        self.assertEqual(self.study().pieces[self.piece].on_machines, {})

    def test_what_does_not_stay_on_the_part_is_waste(self):
        self.choose(0, self.sliced("plain", skirt=0))
        self.choose(1, self.sliced("skirted", skirt=3))
        wastes = {file.name: file.waste_mm for file in self.study().files}
        self.assertEqual(wastes["plain.gcode"], 0)
        self.assertGreater(wastes["skirted.gcode"], 1)


def of_files(study):
    """The threats that have to do with sliced files."""
    kinds = ("file", "setting", "show", "differ")
    return [threat for threat in study_threats(study) if threat.code.endswith(kinds)]


class Threatened(InMatch):
    def codes(self):
        return {threat.code for threat in of_files(self.study())}

    def test_findings_become_threats_of_the_study(self):
        self.choose(0, self.sliced("two", walls=2))
        self.choose(1, self.sliced("still", walls=2, fan=50.0))
        self.check()
        self.assertEqual(self.codes(), {"not-in-file", "undeclared-setting"})

    def test_a_run_from_another_file_is_named(self):
        self.choose_both()
        self.check()
        run = self.study().runs[0]
        self.print_run(run)
        self.assertEqual(self.codes(), set())
        place = [arm.id for arm in self.study().arms].index(run.arm_id)
        self.choose(place, self.sliced("later", walls=6))
        (threat,) = of_files(self.study())
        self.assertIn(run.code, threat.sentence)
        operations.set_aside(self.book, run_id=run.id, code=run.code, reason="wrong file")
        self.assertEqual(self.codes(), set())

    def test_the_report_shows_findings_and_hashes(self):
        self.choose_both()
        self.check()
        page = report_html(self.study(), analyse(self.study()), datetime(2026, 11, 26, 12, 0, tzinfo=UTC))
        self.assertIn("1 setting differs; 1 was declared; no other can move this result.", page)
        for file in self.study().files:
            self.assertIn(file.sha256, page)
            self.assertIn(file.name, page)

    def test_a_report_without_files_does_not_speak_of_them(self):
        page = report_html(self.study(), analyse(self.study()), datetime(2026, 11, 26, 12, 0, tzinfo=UTC))
        self.assertNotIn("SHA-256", page)

    def test_a_settings_pack_is_declared_as_one(self):
        operations.add_factor(
            self.book, study_id=1, kind="settings pack", name="profile", levels=("stock", "tuned")
        )
        study = self.study()
        found = {item.name: item.pack for item in declared_factors(study, sliced_arms(study))}
        self.assertEqual(found, {"walls": False, "profile": True})

    def test_parts_and_places_are_not_declared_of_files(self):
        operations.add_factor(self.book, study_id=1, kind="part", name="plate", levels=("smooth", "textured"))
        study = self.study()
        self.assertEqual([item.name for item in declared_factors(study, sliced_arms(study))], ["walls"])


class Running(InMatch):
    def test_a_started_run_carries_the_hash_and_loses_it_with_its_stamps(self):
        run = self.study().runs[0]
        operations.start_run(self.book, run_id=run.id, code=run.code)
        self.assertEqual(self.study().runs[0].sha256, "")
        operations.clear_stamps(self.book, run_id=run.id, code=run.code)
        self.choose_both()
        operations.start_run(self.book, run_id=run.id, code=run.code)
        file = self.study().file_of(run.arm_id, self.piece)
        self.assertEqual(self.study().runs[0].sha256, file.sha256)
        operations.clear_stamps(self.book, run_id=run.id, code=run.code)
        self.assertEqual(self.study().runs[0].sha256, "")

    def test_a_control_prints_the_baselines_file(self):
        operations.set_control(self.book, study_id=1, name="weight taped on")
        self.draw()
        self.choose_both()
        study = self.study()
        self.assertEqual(len(sliced_arms(study)), 2)
        run = next(run for run in study.runs if run.arm_id == study.control.id)
        operations.start_run(self.book, run_id=run.id, code=run.code)
        started = next(item for item in self.study().runs if item.id == run.id)
        self.assertEqual(started.sha256, study.file_of(study.baseline.id, self.piece).sha256)
        self.assertEqual(of_files(self.study()), [])
        self.choose(0, self.sliced("later", walls=6))
        (threat,) = of_files(self.study())
        self.assertIn(run.code, threat.sentence)


class Predicting(InMatch):
    def test_predicted_and_measured_stand_side_by_side(self):
        self.choose_both()
        study = self.study()
        run = next(run for run in study.runs if study.machine_of(run).name == "Marlow")
        self.assertEqual(self.predictions(), {})
        self.print_run(run, minutes=9.5, part=1.25, waste=(("tower", 0.25), ("brim", 0.5)))
        there = self.predictions()[run.id]
        file = study.file_of(run.arm_id, self.piece)
        self.assertAlmostEqual(there.raw_min, file.seconds[self.machines[0]] / 60 + 6.0)
        self.assertEqual((there.measured_min, there.measured_g), (9.5, 2.0))
        self.assertEqual((there.machine, there.spool, there.code), ("Marlow", "Grey", run.code))
        self.assertTrue(there.sealed)
        operations.reveal(self.book, study_id=1, what=LookAt.VERDICT)
        self.assertFalse(self.predictions()[run.id].sealed)

    def test_grams_follow_the_spool(self):
        self.choose_both()
        run = self.study().runs[0]
        self.print_run(run, part=1.0)
        usual = self.predictions()[run.id].predicted_g
        spool = self.study().spools[0]
        operations.edit_spool(self.book, spool_id=spool.id, name="Grey", density_g_cm3=2.48)
        self.assertAlmostEqual(self.predictions()[run.id].predicted_g, 2 * usual)
        operations.edit_spool(self.book, spool_id=spool.id, name="Grey", diameter_mm=3.5)
        self.assertAlmostEqual(self.predictions()[run.id].predicted_g, 8 * usual)
        with self.assertRaisesRegex(StoreError, "above zero"):
            operations.edit_spool(self.book, spool_id=spool.id, name="Grey", diameter_mm=0.0)

    def test_what_was_not_measured_or_is_set_aside_is_left_out(self):
        self.choose_both()
        first, second, *_ = self.study().runs
        self.print_run(first, minutes=9.0)
        self.print_run(second, minutes=9.0, part=1.0)
        self.assertIsNone(self.predictions()[first.id].measured_g)
        operations.set_aside(self.book, run_id=second.id, code=second.code, reason="jam")
        self.assertEqual(set(self.predictions()), {first.id})

    def test_groups_by_machine_and_spool_and_a_calibration_each(self):
        self.choose_both()
        for number, run in enumerate(self.study().runs):
            self.print_run(run)
            there = self.predictions()[run.id]
            slow = 4 if there.machine == "Tessel" else 2
            self.print_readings(run, there.raw_min + slow + 0.01 * number, there.predicted_g + 0.02)
        groups = agreements(list(self.predictions().values()))
        about = {(item.unit, item.about): item for item in groups}
        self.assertEqual(
            set(about), {("min", "all runs"), ("min", "Marlow"), ("min", "Tessel"), ("g", "all runs")}
        )
        self.assertAlmostEqual(about["min", "Marlow"].agreement.bias, 2, 1)
        self.assertAlmostEqual(about["min", "Tessel"].agreement.bias, 4, 1)
        self.assertAlmostEqual(about["g", "all runs"].agreement.bias, 0.02, 6)
        found = calibrations(self.predictions().values())
        self.assertEqual({found[key].n for key in self.machines}, {4})

    def print_readings(self, run, minutes, part):
        responses = {item.role.value: item.id for item in self.study().responses if item.role}
        for role, value in (("time", minutes), ("part", part)):
            operations.enter_readings(
                self.book, run_id=run.id, response_id=responses[role], values=[value], title=role
            )


class Limiting(InMatch):
    def test_limits_are_kept_checked_and_forget_old_times(self):
        self.choose_both()
        operations.set_motion(
            self.book,
            machine_id=self.machines[0],
            name="Marlow",
            motion={"acceleration": 500, "jerk": {"x": 5}},
        )
        with self.book.reading() as connection:
            marlow = next(item for item in load_machines(connection) if item.name == "Marlow")
        self.assertEqual(predicted.machine_limits(marlow).acceleration, 500)
        self.assertEqual(predicted.machine_limits(marlow).overhead_s, 360)
        for file in self.study().files:
            self.assertEqual(set(file.seconds), {self.machines[1]})
        for bad in ({"acceleration": 0}, {"speed": 3}, {"jerk": {"q": 1}}, {"acceleration": "x"}):
            with self.assertRaises(StoreError):
                operations.set_motion(self.book, machine_id=self.machines[0], name="Marlow", motion=bad)

    def test_times_can_be_figured_anew(self):
        self.choose_both()
        file = self.study().files[0]
        operations.keep_check(
            self.book, study_id=1, piece_id=self.piece, result={}, seconds={file.id: {self.machines[0]: 12.5}}
        )
        self.assertEqual(self.study().files[0].seconds, {self.machines[0]: 12.5})

    def test_checking_again_predicts_what_was_forgotten(self):
        self.choose_both()
        before = [dict(file.seconds) for file in self.study().files]
        operations.set_motion(
            self.book, machine_id=self.machines[0], name="Marlow", motion={"acceleration": 200}
        )
        found = work.check_files(self.book, self.study(), self.piece)
        operations.keep_check(
            self.book, study_id=1, piece_id=self.piece, result=found.result, seconds=found.seconds
        )
        for file, old in zip(self.study().files, before, strict=True):
            self.assertEqual(set(file.seconds), set(self.machines))
            self.assertGreater(file.seconds[self.machines[0]], 0)
            self.assertEqual(file.seconds[self.machines[1]], old[self.machines[1]])
        self.assertEqual(self.study().checks[0].result["same_bytes"], False)
