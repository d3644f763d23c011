"""Edits of plans of every design, of times, checks and the workshop: made, refused, undone."""

from datetime import UTC, datetime, timedelta

from oddtwin import operations
from oddtwin.core.customs import CARDS
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.judgement import study_threats
from oddtwin.core.quantities import now
from oddtwin.core.study import ArmRole, DecisionKind, Slot
from oddtwin.store import StoreError, load_machine_changes, load_pieces, load_rates, load_spools
from oddtwin.store.exchange import read_study, write_study
from tests.cases import InBook


class WithStudy(InBook):
    def asked(self, *names, kind="slicer setting", levels=("low", "high")):
        operations.add_study(self.book, name="Trial")
        for name in names:
            operations.add_factor(self.book, study_id=1, kind=kind, name=name, levels=levels)
        operations.add_machine(self.book, name="Marlow")
        operations.add_piece(self.book, name="Ring", minutes=60.0, part_g=20.0)

    def draw(self, kind=DesignKind.PAIRS, repeats=2, twins=0, seed=3, spools=(), **options):
        operations.draw_runs(
            self.book,
            study_id=1,
            repeats=repeats,
            twins=twins,
            seed=seed,
            machine_ids=[1],
            piece_ids=[1],
            design=Design(kind, **options),
            spools=spools,
        )
        return self.study()

    def print_run(self, run):
        operations.start_run(self.book, run_id=run.id, code=run.code)
        operations.finish_run(self.book, run_id=run.id, code=run.code)


class Drawing(WithStudy):
    def test_arms_follow_the_design_and_undo_brings_them_back(self):
        self.asked("heat", "speed")
        first = self.draw(DesignKind.FACTORIAL)
        self.assertEqual(len(first.arms), 4)
        for arm in first.arms:
            self.assertEqual(len(arm.level_ids), 2)
        pairs = self.draw()
        self.assertEqual(pairs.arms[0].name, "Baseline")
        self.assertEqual(len(pairs.arms), 2)
        self.book.undo()
        again = self.study()
        self.assertEqual([arm.name for arm in again.arms], [arm.name for arm in first.arms])
        self.assertEqual([run.code for run in again.runs], [run.code for run in first.runs])
        self.assertEqual([arm.level_ids for arm in again.arms], [arm.level_ids for arm in first.arms])
        self.book.redo()
        self.assertEqual(len(self.study().arms), 2)

    def test_options_and_the_moment_of_the_freeze_are_kept(self):
        self.asked("part", "speed")
        value = self.draw(DesignKind.SPLIT_PLOT, hard_factor=0, whole_plots=4, repeats=1, spools=["red"])
        design = value.plan.design
        self.assertEqual((design.kind, design.whole_plots, design.levels), (DesignKind.SPLIT_PLOT, 4, (2, 2)))
        self.assertLess(now() - value.plan.frozen, timedelta(minutes=1))
        self.assertEqual({run.spool for run in value.runs}, {"red"})

    def test_control_arm_and_centre_points_come_and_go(self):
        self.asked("height", "speed", levels=("1", "3"))
        operations.set_control(self.book, study_id=1, name="old, with mass")
        value = self.draw(DesignKind.FACTORIAL, centre_points=1)
        self.assertEqual({arm.role for arm in value.arms}, set(ArmRole) - {ArmRole.POSITIVE})
        with self.assertRaisesRegex(StoreError, "draw the order anew"):
            operations.set_control(self.book, study_id=1, name="")
        value = self.draw(DesignKind.FACTORIAL)
        self.assertNotIn(ArmRole.CENTRE, {arm.role for arm in value.arms})

    def test_factors_levels_and_arms_have_names_of_their_own(self):
        self.asked("height", levels=("1", "2"))
        for act in (
            lambda: operations.add_factor(self.book, study_id=1, kind="part", name=" Height"),
            lambda: operations.add_factor(self.book, study_id=1, kind="part", name="lid", levels=("a", "A ")),
            lambda: operations.add_level(self.book, factor_id=1, value="2"),
            lambda: operations.set_control(self.book, study_id=1, name="baseline"),
            lambda: operations.edit_factor(self.book, factor_id=1, name=" "),
        ):
            with self.assertRaises(StoreError):
                act()
        operations.edit_level(self.book, level_id=1, value="1", minutes=3.0)
        # A value that another level has: the two swap theirs.
        operations.edit_level(self.book, level_id=1, value="2")
        self.assertEqual([level.value for level in self.study().factors[0].levels], ["2", "1"])
        operations.move_level(self.book, level_id=1, value="2", by=1)
        self.assertEqual([level.value for level in self.study().factors[0].levels], ["1", "2"])
        operations.edit_factor(self.book, factor_id=1, name="height")
        operations.add_factor(self.book, study_id=1, kind="part", name="lid")
        with self.assertRaisesRegex(StoreError, "called “Lid” differs already"):
            operations.edit_factor(self.book, factor_id=1, name="Lid")
        # Levels without a value yet still go out and come back apart.
        value = self.draw()
        back = read_study(write_study(value), "x.json")
        self.assertEqual([level.value for level in back.factors[1].levels], ["level 1", "level 2"])
        self.assertEqual(len({arm.level_ids for arm in back.arms}), 2)

    def test_what_a_change_disturbs_follows_its_name_until_it_is_set_by_hand(self):
        operations.add_study(self.book, name="Trial")
        operations.add_factor(self.book, study_id=1, kind="part", name="part", levels=("old", "new"))
        for name, line in (("belts", "belts, pulleys, rails"), ("duct", "fan, duct"), ("lid", "")):
            operations.edit_factor(self.book, factor_id=1, name=name)
            self.assertEqual(self.study().factors[0].disturbs, line)
        operations.edit_factor(self.book, factor_id=1, disturbs="nozzle")
        operations.edit_factor(self.book, factor_id=1, name="belts")
        self.assertEqual(self.study().factors[0].disturbs, "nozzle")

    def test_a_factor_cannot_come_after_the_start(self):
        self.asked("height")
        run = self.draw().runs[0]
        operations.start_run(self.book, run_id=run.id, code=run.code)
        with self.assertRaisesRegex(StoreError, "started already"):
            operations.add_factor(self.book, study_id=1, kind="part", name="lid")

    def test_a_control_may_stand_on_the_changed_side(self):
        self.asked("height")
        operations.set_control(self.book, study_id=1, name="new part, old weight", of_change=True)
        value = self.draw()
        self.assertEqual(value.control.level_ids, value.change.level_ids)
        operations.set_control(self.book, study_id=1, name="old part, new weight", of_change=False)
        value = self.draw()
        self.assertEqual(value.control.level_ids, value.baseline.level_ids)

    def test_levels_stay_once_runs_were_started(self):
        self.asked("height")
        value = self.draw()
        self.print_run(value.runs[0])
        level = value.factors[0].levels[1].id
        for act in (
            lambda: operations.add_level(self.book, factor_id=1, value="3"),
            lambda: operations.remove_factor(self.book, factor_id=1, name="height"),
        ):
            with self.assertRaisesRegex(StoreError, "Runs were started"):
                act()
        operations.edit_level(self.book, level_id=level, value="high", minutes=20.0)
        self.assertTrue(self.study().factors[0].hard_to_change)

    def test_blocks_and_rungs_are_added_and_a_step_is_put_back(self):
        self.asked("purge", levels=("1.0", "0.8", "0.6"))
        value = self.draw(DesignKind.LADDER, repeats=1)
        before = [run.code for run in value.runs]
        operations.add_rung(self.book, study_id=1, level=2)
        operations.add_repeats(self.book, study_id=1, repeats=1)
        value = self.study()
        self.assertEqual([run.code for run in value.runs][:3], before)
        self.assertEqual(len(value.runs), 7)
        self.assertEqual(value.arm_of(value.runs[3]).name, "0.6")
        with self.assertRaisesRegex(StoreError, "not on the ladder"):
            operations.add_rung(self.book, study_id=1, level=5)
        self.book.undo()
        self.assertEqual(len(self.study().runs), 4)

    def test_putting_back_changes_the_steps_after(self):
        self.asked("belt", "gear", "lamp", kind="part")
        value = self.draw(DesignKind.CHAIN, repeats=1)
        step = value.arms[1]
        operations.put_back_step(self.book, study_id=1, arm_id=step.id, name=step.name)
        self.assertEqual(
            [arm.name for arm in self.study().arms],
            ["Baseline", "belt high", "gear high", "gear high + lamp high"],
        )
        self.book.undo()
        self.assertEqual(self.study().arms[2].name, "belt high + gear high")
        self.draw(repeats=1)
        with self.assertRaisesRegex(StoreError, "Only a step of a chain"):
            operations.put_back_step(self.book, study_id=1, arm_id=self.study().change.id, name="x")


class Times(WithStudy):
    def test_times_are_kept_replaced_and_undone(self):
        self.asked("height")
        value = self.draw()
        start = datetime(2026, 12, 1, 17, 5, tzinfo=UTC)
        slots = {
            run.id: Slot(start + timedelta(hours=n), start + timedelta(hours=n + 1), n == 0)
            for n, run in enumerate(value.runs)
        }
        operations.give_times(self.book, study_id=1, slots=slots)
        self.assertEqual({run.id: run.slot for run in self.study().runs}, slots)
        fewer = dict(list(slots.items())[:1])
        operations.give_times(self.book, study_id=1, slots=fewer)
        self.assertEqual(sum(run.slot is not None for run in self.study().runs), 1)
        self.book.undo()
        self.assertEqual({run.id: run.slot for run in self.study().runs}, slots)
        self.assertIsNone(operations.give_times(self.book, study_id=1, slots=slots))


class Checks(WithStudy):
    def test_answers_replace_one_another(self):
        self.asked("belt", kind="part")
        run = self.draw().runs[0]
        for waived in ("no tool", ""):
            operations.answer_recheck(
                self.book, run_id=run.id, code=run.code, text="squareness", waived=waived
            )
        (answer,) = self.study().rechecks
        self.assertEqual((answer.text, answer.waived), ("squareness", ""))
        operations.open_recheck(self.book, recheck_id=answer.id, code=run.code)
        self.assertEqual(self.study().rechecks, ())
        self.book.undo()
        self.assertEqual(len(self.study().rechecks), 1)

    def test_operator_and_spool_are_taken_over(self):
        self.asked("height")
        first, second = self.draw().runs[:2]
        operations.edit_run(self.book, run_id=first.id, code=first.code, operator="Ada")
        operations.edit_run(self.book, run_id=first.id, code=first.code, spool="red")
        self.print_run(first)
        self.print_run(second)
        self.assertEqual({run.operator for run in self.study().runs[:2]}, {"Ada"})
        operations.set_aside(self.book, run_id=second.id, code=second.code, reason="fell over")
        operations.reprint(self.book, run_id=second.id, code=second.code)
        self.assertEqual(self.study().runs[-1].spool, "red")

    def test_a_machine_that_is_changed_meanwhile_is_a_threat(self):
        self.asked("height")
        value = self.draw()
        operations.log_machine_change(
            self.book, machine_id=1, kind="part", what="lamp", before="a", after="b", mass_g=4.0, minutes=10.0
        )
        # The log has whole seconds, and so has the freeze: put the change after it.
        with self.book.reading() as connection:
            (change,) = load_machine_changes(connection)
        self.assertEqual((change.mass_g, change.minutes), (4.0, 10.0))
        import dataclasses

        later = dataclasses.replace(change, at=value.plan.frozen + timedelta(hours=1))
        codes = {threat.code for threat in study_threats(dataclasses.replace(value, changes=(later,)))}
        self.assertIn("machine-changed", codes)


class Workshop(WithStudy):
    def test_estimates_by_machine(self):
        self.asked("height")
        operations.set_estimate(self.book, piece_id=1, machine_id=1, name="Ring", minutes=45.0)
        with self.book.reading() as connection:
            (piece,) = load_pieces(connection)
        # What is not said is taken over from the piece.
        self.assertEqual(
            (piece.on(1).minutes, piece.on(1).part_g, piece.on(None).minutes), (45.0, 20.0, 60.0)
        )
        operations.set_estimate(self.book, piece_id=1, machine_id=1, name="Ring", waste_g=3.0)
        operations.set_estimate(self.book, piece_id=1, machine_id=1, name="Ring")
        with self.book.reading() as connection:
            (piece,) = load_pieces(connection)
        self.assertEqual(piece.on(1).minutes, 60.0)

    def test_spools_and_rates(self):
        operations.add_spool(self.book, name=" red,  lot 3 ")
        operations.edit_spool(self.book, spool_id=1, name="red, lot 3", price_per_kg=22.0, left_g=410.0)
        operations.edit_rates(self.book, labour_per_h=30.0)
        operations.edit_rates(self.book, weekdays="9-12", overnight=True)
        with self.book.reading() as connection:
            spools, rates = load_spools(connection), load_rates(connection)
        self.assertEqual((spools[0].name, spools[0].price_per_kg), ("red, lot 3", 22.0))
        self.assertEqual((rates.labour_per_h, rates.weekdays, rates.overnight), (30.0, "9-12", True))
        self.assertEqual(rates.hands_min, 5.0)
        for act in (
            lambda: operations.add_spool(self.book, name="red, lot 3"),
            lambda: operations.add_spool(self.book, name=" "),
            lambda: operations.edit_spool(self.book, spool_id=1, name="red", left_g=-1.0),
            lambda: operations.edit_rates(self.book, weekend="late"),
            lambda: operations.edit_rates(self.book, energy_per_kwh=-0.1),
            lambda: operations.edit_rates(self.book, labour_per_h=1e300),
            lambda: operations.edit_piece(self.book, piece_id=1, name="Ring", minutes=-1.0),
        ):
            with self.assertRaises(StoreError):
                act()
        operations.remove_spool(self.book, spool_id=1, name="red, lot 3")
        self.book.undo()
        with self.book.reading() as connection:
            self.assertEqual(len(load_spools(connection)), 1)

    def test_machines_that_are_the_question_cannot_be_taken_out(self):
        self.asked()
        operations.add_machine(self.book, name="Tessel")
        operations.add_factor(
            self.book, study_id=1, kind="machine", name="machine", levels=("Marlow", "Tessel")
        )
        value = self.draw()
        self.assertEqual(value.plan.machine_ids, (1, 2))
        with self.assertRaisesRegex(StoreError, "has runs in a study"):
            operations.remove_machine(self.book, machine_id=2, name="Tessel")

    def test_the_arm_that_is_adopted_is_logged_with_its_work(self):
        self.asked("part", "speed")
        value = self.draw(DesignKind.FACTORIAL)
        operations.edit_level(
            self.book, level_id=value.factors[0].levels[1].id, value="high", minutes=25.0, way_back="in a bag"
        )
        arm = next(arm for arm in value.arms if arm.name == "part high")
        run = self.study().runs[0]
        operations.start_run(self.book, run_id=run.id, code=run.code)
        operations.finish_run(self.book, run_id=run.id, code=run.code)
        operations.settle(self.book, study_id=1, kind=DecisionKind.ADOPT, reason="Better", arm_id=arm.id)
        with self.book.reading() as connection:
            (change,) = load_machine_changes(connection)
        self.assertEqual(
            (change.what, change.before, change.after, change.minutes, change.way_back),
            ("part", "low", "high", 25.0, "in a bag"),
        )


class Whole(WithStudy):
    def test_a_study_of_any_card_goes_out_and_comes_back_whole(self):
        operations.add_machine(self.book, name="first")
        operations.add_machine(self.book, name="second")
        operations.add_machine(self.book, name="this one")
        operations.add_machine(self.book, name="another")
        operations.add_piece(self.book, name="Ring", minutes=60.0, faults=["Seam"])
        operations.set_estimate(self.book, piece_id=1, machine_id=2, name="Ring", minutes=50.0)
        operations.edit_piece(self.book, piece_id=1, name="Ring", sizes=[{"name": "slot", "mm": 3.2}])
        operations.add_spool(self.book, name="red")
        for number, card in enumerate(CARDS, 1):
            with self.subTest(card.title):
                new = operations.add_study(self.book, name=card.title, card=card).new_id("study")
                operations.draw_runs(
                    self.book,
                    study_id=new,
                    repeats=card.repeats,
                    twins=card.twins,
                    seed=number,
                    machine_ids=[] if any(item.kind == "machine" for item in card.factors) else [1],
                    piece_ids=[1],
                    design=card.design,
                    spools=["red"],
                )
                value = self.study(new)
                run = value.runs[0]
                operations.answer_recheck(self.book, run_id=run.id, code=run.code, text="flow", waived="x")
                slot = Slot(
                    datetime(2026, 12, 1, 17, 5, tzinfo=UTC), datetime(2026, 12, 1, 18, 5, tzinfo=UTC), True
                )
                operations.give_times(self.book, study_id=new, slots={run.id: slot})
                text = write_study(self.study(new))
                again = read_study(text, "study.json")
                self.assertEqual(write_study(again), text)
                other = operations.add_whole_study(self.book, study=again)
                back = self.study(other.new_id("study"))
                self.assertEqual(write_study(back), text)
                self.book.undo()
