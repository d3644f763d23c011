"""What a change of a machine owes, rounds of tuning, and what prints took from spools and nozzles."""

from dataclasses import replace
from datetime import timedelta

from oddtwin import operations
from oddtwin.core.design import Design
from oddtwin.core.judgement import study_threats
from oddtwin.core.quantities import now
from oddtwin.core.runlist import checks_by_run, disturbed_by, open_checks, owed_by_run
from oddtwin.core.study import Round, grams_left, make_up, nozzle_fitted, nozzle_use
from oddtwin.core.threat import ThreatCode, Weight
from oddtwin.store import StoreError, left_on, load_containers, load_machine_changes, load_spent, load_spools
from oddtwin.store.exchange.study_file import read_study, write_study
from tests.cases import InBook

NOZZLE = ("Z offset", "bed mesh", "gantry alignment", "nozzle temperature", "line widths", "flow")


class Logged(InBook):
    def log(self, what="nozzle", kind="part", days=9, **more):
        record = operations.log_machine_change(
            self.book,
            machine_id=1,
            kind=kind,
            what=what,
            before="",
            after="x",
            at=now() - timedelta(days),
            **more,
        )
        return record.new_id("machine_change")

    @property
    def changes(self):
        with self.book.reading() as connection:
            return load_machine_changes(connection)

    def codes(self, study):
        return {one.code: one for one in study_threats(study)}


class Owed(Logged):
    def test_what_was_fitted_before_the_study_is_owed_by_its_first_print(self):
        self.planned(pairs=2, twins=0)
        self.assertEqual(checks_by_run(self.study()), {run.id: () for run in self.study().runs})
        self.log()
        study = self.study()
        first, *others = study.runs
        self.assertEqual(checks_by_run(study)[first.id], NOZZLE)
        self.assertTrue(all(not checks_by_run(study)[run.id] for run in others))
        self.print_all()
        threat = self.codes(self.study())[ThreatCode.RECALIBRATION_OWED]
        self.assertIn("Marlow, nozzle (Z offset", threat.sentence)
        self.assertIs(threat.weight, Weight.NOTE, "both arms stood on it")
        for text in NOZZLE:
            operations.answer_recheck(self.book, run_id=first.id, code=first.code, text=text)
        self.assertEqual(open_checks(self.study()), {})
        self.assertNotIn(ThreatCode.RECALIBRATION_OWED, self.codes(self.study()))

    def test_what_was_changed_meanwhile_is_owed_by_the_next_print_and_weakens(self):
        self.planned(pairs=2, twins=0)
        runs = self.study().runs
        for run in runs[:2]:
            operations.start_run(self.book, run_id=run.id, code=run.code)
            operations.finish_run(self.book, run_id=run.id, code=run.code)
        operations.log_machine_change(
            self.book, machine_id=1, kind="part", what="fan duct", before="", after="wide"
        )
        self.assertEqual(list(owed_by_run(self.study())), [runs[2].id])
        operations.start_run(self.book, run_id=runs[2].id, code=runs[2].code)
        codes = self.codes(self.study())
        self.assertIn("fan power calibration", codes[ThreatCode.RECALIBRATION_OPEN].sentence)
        self.assertNotIn(ThreatCode.RECALIBRATION_OWED, codes)

    def test_what_was_checked_elsewhere_is_owed_no_more(self):
        self.planned(pairs=2, twins=0)
        self.log()
        first = self.study().runs[0]
        operations.answer_recheck(self.book, run_id=first.id, code=first.code, text="Z offset")
        operations.answer_recheck(
            self.book, run_id=first.id, code=first.code, text="bed mesh", waived="no time"
        )
        operations.log_machine_change(
            self.book, machine_id=1, kind="calibration", what="line widths", before="", after="0.45"
        )
        flows = ["flow,expected_g,weighed_g", "5,2,1.99", "10,2,1.95", "15,2,1.9", "20,2,1.7", "25,2,1.5"]
        operations.type_calibration(
            self.book, job="flow-ceiling", machine_id=1, readings="\n".join(flows), options={}
        )
        operations.finish_calibration(self.book, job="flow-ceiling", machine_id=1, log=False)
        operations.add_study(self.book, name="Later")
        operations.add_factor(self.book, study_id=2, kind="slicer setting", name="seam", levels=("a", "b"))
        operations.draw_runs(
            self.book, study_id=2, repeats=2, twins=0, seed=1, machine_ids=[1], piece_ids=[1]
        )
        later = self.study(2)
        # A waived one was not done.
        due = checks_by_run(later)[later.runs[0].id]
        self.assertEqual(due, ("bed mesh", "gantry alignment", "nozzle temperature"))

    def test_ticked_in_the_log_it_is_owed_no_more_and_that_can_be_undone(self):
        self.planned(pairs=2, twins=0)
        change = self.log(checked=["Z offset"])
        first = self.study().runs[0]
        self.assertNotIn("Z offset", checks_by_run(self.study())[first.id])
        operations.check_change(self.book, change_id=change, checked=[*NOZZLE, "something else"])
        self.assertEqual(checks_by_run(self.study())[first.id], ())
        self.assertEqual(self.changes[0].checked, NOZZLE)
        self.book.undo()
        self.assertEqual(len(checks_by_run(self.study())[first.id]), 5)

    def test_calibrations_settings_and_what_the_study_itself_wrote_disturb_nothing(self):
        self.planned(pairs=2, twins=0)
        self.log("extruder steps", kind="calibration")
        self.log("nozzle temperature", kind="slicer setting")
        self.assertEqual(self.study().owed, ())
        heavy = self.log("lamp on the carriage", mass_g=40.0)
        change = next(one for one in self.changes if one.id == heavy)
        self.assertEqual(disturbed_by(change), ("input shaping", "acceleration limits"))


class Rounds(Logged):
    def setUp(self):
        super().setUp()
        operations.add_machine(self.book, name="Marlow")

    def try_(self, what, profile="Fast PETG"):
        record = operations.log_round(self.book, machine_id=1, profile=profile, what=what)
        return record.new_id("machine_change")

    def end(self, change, kept, why="looks right"):
        operations.end_round(self.book, change_id=change, kept=kept, why=why)

    def test_rounds_are_numbered_and_the_kept_ones_are_what_it_is_made_of(self):
        self.end(self.try_("retraction 0.8 to 0.6 mm"), True)
        second = self.try_("fan 40 to 60 %")
        self.assertEqual(make_up(self.changes, 1)[0].value, "round 2: fan 40 to 60 %")
        self.end(second, False, "corners lift")
        self.assertEqual(make_up(self.changes, 1)[0].value, "round 1: retraction 0.8 to 0.6 mm")
        third = self.try_("fan 40 to 50 %")
        newest = next(one for one in self.changes if one.id == third)
        self.assertEqual((newest.before, newest.after[:8]), ("round 1: retraction 0.8 to 0.6 mm", "round 3:"))
        self.assertEqual(next(one for one in self.changes if one.id == second).note, "corners lift")

    def test_an_open_round_is_ended_first_and_with_a_reason(self):
        first = self.try_("a")
        with self.assertRaisesRegex(StoreError, "Round 1 is still open"):
            self.try_("b")
        with self.assertRaisesRegex(StoreError, "still open"):
            operations.freeze_profile(self.book, machine_id=1, profile="Fast PETG")
        with self.assertRaisesRegex(StoreError, "say why"):
            self.end(first, True, "  ")
        self.end(first, True)
        with self.assertRaisesRegex(StoreError, "ended already"):
            self.end(first, False)

    def test_a_frozen_profile_is_tried_no_more_until_it_is_thawed(self):
        with self.assertRaisesRegex(StoreError, "never tried"):
            operations.freeze_profile(self.book, machine_id=1, profile="Fast PETG")
        self.end(self.try_("a"), True)
        operations.freeze_profile(self.book, machine_id=1, profile="fast petg")
        with self.assertRaisesRegex(StoreError, "frozen since"):
            self.try_("b", "FAST PETG")
        with self.assertRaisesRegex(StoreError, "frozen already"):
            operations.freeze_profile(self.book, machine_id=1, profile="Fast PETG")
        # Another profile, and another machine, are free.
        self.end(self.try_("a", "Slow"), False)
        operations.thaw_profile(self.book, machine_id=1, profile="Fast PETG")
        with self.assertRaisesRegex(StoreError, "not frozen"):
            operations.thaw_profile(self.book, machine_id=1, profile="Fast PETG")
        self.assertTrue(self.try_("b"))
        kinds = [one.round for one in reversed(self.changes) if one.what == "Fast PETG"]
        self.assertEqual(kinds, [Round.KEPT, Round.FROZEN, Round.THAWED, Round.TRIAL])

    def test_tuning_while_a_study_runs_is_a_threat_and_freezing_is_none(self):
        self.end(self.try_("a"), True)
        operations.add_study(self.book, name="Trial")
        operations.add_factor(self.book, study_id=1, kind="slicer setting", name="seam", levels=("a", "b"))
        operations.add_piece(self.book, name="Ring")
        operations.draw_runs(
            self.book, study_id=1, repeats=2, twins=0, seed=1, machine_ids=[1], piece_ids=[1]
        )
        operations.freeze_profile(self.book, machine_id=1, profile="Fast PETG")
        self.assertNotIn(ThreatCode.MACHINE_CHANGED, self.codes(self.study()))
        operations.thaw_profile(self.book, machine_id=1, profile="Fast PETG")
        self.try_("b")
        self.assertIn("Fast PETG", self.codes(self.study())[ThreatCode.MACHINE_CHANGED].sentence)


class Spools(Logged):
    def setUp(self):
        super().setUp()
        self.planned(pairs=2, twins=0)
        operations.add_spool(self.book, name="Chalk")
        operations.edit_spool(self.book, spool_id=1, name="Chalk", left_g=500.0, abrasive=True)

    def print_one(self, number, minutes=60, weighed=None, **stamps):
        run = self.study().runs[number]
        operations.edit_run(self.book, run_id=run.id, code=run.code, spool="Chalk")
        begun = now()
        operations.start_run(self.book, run_id=run.id, code=run.code, at=begun)
        operations.finish_run(self.book, run_id=run.id, code=run.code, at=begun + timedelta(minutes=minutes))
        if weighed is not None:
            for name, value in weighed.items():
                operations.enter_readings(
                    self.book,
                    run_id=run.id,
                    response_id=self.ids("response")[name],
                    values=value,
                    title=name,
                )

    def left(self):
        with self.book.reading() as connection:
            (spool,) = load_spools(connection)
            return left_on(connection, spool)

    def use(self, machine_id=1):
        fitted = nozzle_fitted(self.changes, machine_id)
        with self.book.reading() as connection:
            since = fitted.at if fitted else None
            spent = load_spent(connection, since=since, machine_id=machine_id)
            return nozzle_use(fitted, load_spools(connection), spent)

    def test_prints_are_taken_off_what_was_weighed(self):
        self.print_one(0, weighed={"Part mass": [20.0, 22.0], "Waste": [2.0]})
        self.assertAlmostEqual(self.left(), 477.0)
        # Not weighed: what the piece should take.
        self.print_one(1)
        self.assertAlmostEqual(self.left(), 457.0)
        operations.set_aside(self.book, run_id=1, code="x", reason="it came loose")
        self.assertAlmostEqual(self.left(), 457.0, msg="it lies on the floor")
        operations.set_estimate(self.book, piece_id=1, machine_id=1, name="Ring", part_g=30.0)
        self.assertAlmostEqual(self.left(), 447.0, msg="on this machine it takes more")
        # Weighed again, it begins anew.
        operations.edit_spool(self.book, spool_id=1, name="Chalk", left_g=441.0)
        self.assertEqual(self.left(), 441.0)
        with self.book.reading() as connection:
            self.assertEqual(load_spent(connection, spool="Slate"), [])

    def test_mass_is_taken_in_grams_whatever_it_was_weighed_in(self):
        operations.edit_response(
            self.book, response_id=self.ids("response")["Part mass"], name="Part mass", unit="kg"
        )
        self.print_one(0, weighed={"Part mass": [0.02], "Waste": [2.0]})
        self.assertAlmostEqual(self.left(), 478.0)

    def test_a_spool_is_never_below_nothing_and_unknown_where_it_was_not_weighed(self):
        operations.edit_spool(self.book, spool_id=1, name="Chalk", left_g=10.0)
        self.print_one(0)
        self.assertEqual(self.left(), 0.0)
        operations.edit_spool(self.book, spool_id=1, name="Chalk", left_g=None)
        self.assertIsNone(self.left())
        with self.book.reading() as connection:
            (spool,) = load_spools(connection)
        self.assertIsNone(spool.weighed)
        self.assertEqual(grams_left(replace(spool, left_g=7.0), []), 7.0)

    def test_hours_and_abrasive_grams_of_the_nozzle_begin_with_it(self):
        self.print_one(0, minutes=90)
        use = self.use()
        self.assertEqual((use.since, use.grams, use.abrasive_g), (None, 20.0, 20.0))
        self.assertAlmostEqual(use.minutes, 90.0, places=3)
        self.assertEqual(use.sentence, "Through the nozzle: 1.5\u202fh, 20\u202fg, of it 20\u202fg abrasive")
        operations.log_machine_change(
            self.book, machine_id=1, kind="part", what="Nozzle", before="brass", after="hardened"
        )
        self.print_one(1, minutes=30)
        use = self.use()
        self.assertEqual(use.nozzle, "hardened")
        self.assertAlmostEqual(use.minutes, 30.0, places=3)
        self.assertEqual(self.use(2).sentence, "")

    def test_pieces_of_one_plate_share_its_minutes_and_a_clock_set_back_makes_none(self):
        operations.draw_runs(
            self.book, study_id=1, repeats=2, twins=0, seed=4, machine_ids=[1], piece_ids=[1],
            design=Design(copies=2),
        )  # fmt: skip
        self.print_one(0, minutes=80)
        use = self.use()
        self.assertAlmostEqual(use.minutes, 80.0, places=3)
        self.assertEqual(use.grams, 40.0)
        self.print_one(2, minutes=-30)
        self.assertAlmostEqual(self.use().minutes, 80.0, places=3)


class Plates(InBook):
    def setUp(self):
        super().setUp()
        self.planned(pairs=2, twins=0)
        self.run_ = self.study().runs[0]

    def edit(self, **values):
        operations.edit_plate(self.book, run_id=self.run_.id, code=self.run_.code, **values)

    @property
    def plate(self):
        return self.study().runs[0].plate

    def test_the_room_is_stamped_with_the_start_and_what_was_typed_stays(self):
        self.edit(temperature_c=21.5, bed_cleaned=True)
        operations.start_run(self.book, run_id=self.run_.id, code="x", room=operations.Room(23.0, 44.0))
        self.assertEqual((self.plate.temperature_c, self.plate.humidity_pct), (21.5, 44.0))
        operations.clear_stamps(self.book, run_id=self.run_.id, code="x")
        self.assertEqual((self.plate.temperature_c, self.plate.bed_cleaned), (None, True))

    def test_what_cannot_be_is_refused(self):
        for wrong in ({"temperature_c": 300.0}, {"humidity_pct": 130.0}, {"humidity_pct": float("nan")}):
            with self.assertRaises(StoreError):
                self.edit(**wrong)
        self.assertIsNone(self.plate.humidity_pct)

    def test_it_goes_out_and_in_with_the_study(self):
        self.edit(temperature_c=21.5, humidity_pct=40.0, bed_cleaned=True)
        plate = read_study(write_study(self.study()), "it").runs[0].plate
        self.assertEqual((plate.temperature_c, plate.humidity_pct, plate.bed_cleaned), (21.5, 40.0, True))


class Containers(InBook):
    def test_a_container_is_weighed_anew_under_its_name(self):
        for tare in (41.0, 40.5):
            operations.put_container(self.book, name="bowl", tare_g=tare)
        with self.book.reading() as connection:
            (bowl,) = load_containers(connection)
        self.assertEqual((bowl.name, bowl.tare_g), ("bowl", 40.5))
        with self.assertRaisesRegex(StoreError, "below zero"):
            operations.put_container(self.book, name="bag", tare_g=-1.0)
        with self.assertRaisesRegex(StoreError, "name"):
            operations.put_container(self.book, name=" ", tare_g=1.0)
        operations.remove_container(self.book, container_id=bowl.id, name="bowl")
        with self.book.reading() as connection:
            self.assertEqual(load_containers(connection), ())
