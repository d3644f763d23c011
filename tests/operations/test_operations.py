"""What a user can do, one operation after another, and what is refused."""

import unittest
from datetime import UTC, datetime, timedelta, timezone

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.judgement import study_threats
from oddtwin.core.quantities import minutes_between
from oddtwin.core.readings import ResponseKind, Spot
from oddtwin.core.study import DecisionKind, LookAt, RunState
from oddtwin.store import LabBook, StoreError, load_machine_changes
from oddtwin.store.schema import FACTOR
from tests.cases import InBook


class Asking(InBook):
    def setUp(self):
        super().setUp()
        operations.add_study(self.book, name="  Trial ")

    def test_a_new_study_has_arms_standing_responses_and_the_trades_checklist(self):
        value = self.study()
        self.assertEqual(value.name, "Trial")
        self.assertEqual((value.baseline.name, value.change.name), ("Baseline", "Change"))
        self.assertEqual([item.name for item in value.responses], ["Print time", "Part mass", "Waste"])
        self.assertEqual([item.text for item in value.held], list(customs.HELD_CONSTANT))

    def test_names_are_needed_and_arms_cannot_share_one(self):
        for act in (
            lambda: operations.add_study(self.book, name="  "),
            lambda: operations.edit_study(self.book, study_id=1, name=""),
            lambda: operations.rename_arm(self.book, arm_id=1, name="Change"),
            lambda: operations.rename_arm(self.book, arm_id=1, name=" "),
            lambda: operations.add_factor(self.book, study_id=1, kind="part", name=""),
            lambda: operations.add_held(self.book, study_id=1, text=" "),
            lambda: operations.edit_held(self.book, held_id=1, text=""),
            lambda: operations.add_machine(self.book, name=" "),
            lambda: operations.add_piece(self.book, name=""),
        ):
            with self.assertRaises(StoreError):
                act()
        self.assertEqual(self.book.titles()[0], "new study Trial")

    def test_factors_and_held_lines_come_and_go_in_order(self):
        for name in ("speed", "cooling"):
            operations.add_factor(self.book, study_id=1, kind="slicer setting", name=name)
        operations.edit_factor(self.book, factor_id=1, name="print speed")
        operations.edit_level(self.book, level_id=2, value="80 mm/s", minutes=12.0, way_back="reload")
        operations.add_level(self.book, factor_id=1, value="60 mm/s")
        operations.add_level(self.book, factor_id=1, value="100 mm/s")
        operations.remove_factor(self.book, factor_id=2, name="cooling")
        (factor,) = self.study().factors
        # The first level was still empty, so it took the first value that was added.
        self.assertEqual([level.value for level in factor.levels], ["60 mm/s", "80 mm/s", "100 mm/s"])
        self.assertEqual((factor.name, factor.hard_to_change), ("print speed", True))
        operations.remove_level(self.book, level_id=5, value="100 mm/s")
        with self.assertRaisesRegex(StoreError, "two levels"):
            operations.remove_level(self.book, level_id=2, value="80 mm/s")
        with self.assertRaisesRegex(StoreError, "below zero"):
            operations.edit_level(self.book, level_id=2, value="80 mm/s", minutes=-1.0)
        operations.add_held(self.book, study_id=1, text="Lamp on")
        operations.edit_held(self.book, held_id=1, text="Same lot")
        operations.remove_held(self.book, held_id=2)
        texts = [item.text for item in self.study().held]
        self.assertEqual((texts[0], texts[-1]), ("Same lot", "Lamp on"))

    def test_the_first_own_response_decides_until_another_is_chosen(self):
        operations.add_response(self.book, study_id=1, name="Force", unit="N", kind=ResponseKind.QUANTITY)
        operations.add_response(self.book, study_id=1, name="Strings", unit="", kind=ResponseKind.GRADE)
        self.assertEqual([item.name for item in self.study().responses if item.primary], ["Force"])
        operations.edit_response(self.book, response_id=5, name="Strings", primary=True)
        self.assertEqual([item.name for item in self.study().responses if item.primary], ["Strings"])
        with self.assertRaisesRegex(StoreError, "already"):
            operations.add_response(self.book, study_id=1, name="force", unit="N", kind=ResponseKind.QUANTITY)

    def test_a_name_is_one_line_without_odd_signs(self):
        for name, words in (("Two\nlines", "one line"), ("Two\u2028lines", "one line"), ("Nul\0", "NUL")):
            with self.assertRaisesRegex(StoreError, words):
                operations.add_study(self.book, name=name)
            with self.assertRaisesRegex(StoreError, words):
                operations.add_machine(self.book, name=name)
        with self.assertRaisesRegex(StoreError, "NUL"):
            operations.edit_study(self.book, study_id=1, question="Is it\0 so?")
        operations.edit_study(self.book, study_id=1, question="Is it so?\nReally?")

    def test_names_and_units_of_responses(self):
        operations.edit_response(self.book, response_id=2, name="Part mass", rename=" Shell mass ", unit="kg")
        self.assertEqual(
            (self.study().responses[1].name, self.study().responses[1].unit), ("Shell mass", "kg")
        )
        self.assertEqual(self.book.titles()[0], "edit name, unit of Part mass")
        for wrong in ("", "waste"):
            with self.assertRaises(StoreError):
                operations.edit_response(self.book, response_id=2, name="Shell mass", rename=wrong)

    def test_the_unit_stays_once_there_are_readings(self):
        self.book = LabBook.create(self.folder / "second", "Shed")
        self.addCleanup(self.book.close)
        self.planned()
        self.print_all()
        force = self.ids("response")["Force"]
        with self.assertRaisesRegex(StoreError, "has readings in N"):
            operations.edit_response(self.book, response_id=force, name="Force", unit="kN")

    def test_margins_above_zero_only(self):
        for values in ({"margin": 0.0}, {"margin": -1.0}, {"resolution": 0.0}, {"margin": float("nan")}):
            with self.assertRaises(StoreError):
                operations.edit_response(self.book, response_id=1, name="Print time", **values)
        operations.edit_response(self.book, response_id=1, name="Print time", margin=5.0)
        operations.edit_response(self.book, response_id=1, name="Print time", margin=None)
        self.assertIsNone(self.study().responses[0].margin)

    def test_a_margin_changed_after_the_verdict_was_seen_is_marked(self):
        operations.edit_response(self.book, response_id=1, name="Print time", margin=5.0)
        self.assertFalse(self.study().responses[0].margin_moved)
        operations.reveal(self.book, study_id=1, what=LookAt.VERDICT)
        operations.edit_response(self.book, response_id=1, name="Print time", resolution=1.0)
        self.assertFalse(self.study().responses[0].margin_moved)
        operations.edit_response(self.book, response_id=1, name="Print time", margin=4.0)
        self.assertTrue(self.study().responses[0].margin_moved)

    def test_a_direction_other_than_target_has_no_target(self):
        operations.edit_response(self.book, response_id=1, name="x", better="target", target=20.0)
        self.assertEqual(self.study().responses[0].target, 20.0)
        operations.edit_response(self.book, response_id=1, name="x", better="higher")
        self.assertIsNone(self.study().responses[0].target)


class Planning(InBook):
    def test_the_same_seed_draws_the_same_runs(self):
        value = self.planned(pairs=3, twins=2, seed=4)
        first = [(run.code, run.arm_id) for run in value.runs]
        self.assertEqual(len(first), 8)
        operations.draw_runs(
            self.book, study_id=1, repeats=3, twins=2, seed=5, machine_ids=[1], piece_ids=[1]
        )
        self.assertNotEqual([(run.code, run.arm_id) for run in self.study().runs], first)
        operations.draw_runs(
            self.book, study_id=1, repeats=3, twins=2, seed=4, machine_ids=[1], piece_ids=[1]
        )
        self.assertEqual([(run.code, run.arm_id) for run in self.study().runs], first)

    def test_plans_that_make_no_sense(self):
        operations.add_study(self.book, name="Trial")
        good = {"study_id": 1, "repeats": 1, "twins": 0, "seed": 1, "machine_ids": [1], "piece_ids": [1]}
        operations.add_machine(self.book, name="M")
        operations.add_piece(self.book, name="P")
        with self.assertRaisesRegex(StoreError, "what differs"):
            operations.draw_runs(self.book, **good)
        operations.add_factor(self.book, study_id=1, kind="part", name="lid", levels=("a", "b"))
        for wrong in (
            {"repeats": 0},
            {"twins": -1},
            {"machine_ids": []},
            {"piece_ids": []},
            {"repeats": 5000},
        ):
            with self.subTest(wrong), self.assertRaises(StoreError):
                operations.draw_runs(self.book, **{**good, **wrong})
        with self.assertRaisesRegex(StoreError, "no plan"):
            operations.add_repeats(self.book, study_id=1, repeats=1)

    def test_once_started_the_order_stays_and_pairs_are_added(self):
        value = self.planned()
        before = [run.code for run in value.runs]
        operations.start_run(self.book, run_id=value.runs[0].id, code=before[0])
        with self.assertRaisesRegex(StoreError, "add to it instead"):
            operations.draw_runs(
                self.book, study_id=1, repeats=3, twins=0, seed=9, machine_ids=[1], piece_ids=[1]
            )
        operations.add_repeats(self.book, study_id=1, repeats=2, twins=1)
        after = self.study()
        self.assertEqual([run.code for run in after.runs][: len(before)], before)
        self.assertEqual(len(after.runs), len(before) + 5)
        self.assertEqual({block.label for block in after.blocks}, {"1", "2", "3", "4"})
        self.assertEqual((after.plan.repeats, after.plan.twins), (4, 2))


class Printing(InBook):
    def setUp(self):
        super().setUp()
        self.run_ = self.planned().runs[0]
        self.key = {"run_id": self.run_.id, "code": self.run_.code}

    def now(self):
        return next(run for run in self.study().runs if run.id == self.run_.id)

    def test_stamps(self):
        with self.assertRaisesRegex(StoreError, "not printing"):
            operations.finish_run(self.book, **self.key)
        start = datetime(2026, 3, 9, 9, 0)
        operations.start_run(self.book, at=start, **self.key)
        self.assertIs(self.now().state, RunState.PRINTING)
        with self.assertRaises(StoreError):
            operations.start_run(self.book, **self.key)
        operations.finish_run(self.book, at=datetime(2026, 3, 9, 10, 30), **self.key)
        self.assertIs(self.now().state, RunState.PRINTED)
        operations.clear_stamps(self.book, **self.key)
        self.assertIs(self.now().state, RunState.PLANNED)

    def test_a_clock_that_was_set_back_is_told_and_stored(self):
        operations.start_run(self.book, at=datetime(2026, 3, 9, 9, 0, tzinfo=UTC), **self.key)
        operations.finish_run(self.book, at=datetime(2026, 3, 9, 8, 0, tzinfo=UTC), **self.key)
        self.assertIs(self.now().state, RunState.PRINTED)
        told = [item.sentence for item in study_threats(self.study()) if item.code == "clock"]
        self.assertEqual(len(told), 1)
        self.assertIn(self.key["code"], told[0])

    def test_a_print_across_the_autumn_change_lasts_as_long_as_it_did(self):
        summer, winter = timezone(timedelta(hours=2)), timezone(timedelta(hours=1))
        operations.start_run(self.book, at=datetime(2026, 10, 25, 2, 50, tzinfo=summer), **self.key)
        operations.finish_run(self.book, at=datetime(2026, 10, 25, 2, 20, tzinfo=winter), **self.key)
        run = self.now()
        self.assertEqual(minutes_between(run.started, run.finished), 30)
        self.assertNotIn("clock", [item.code for item in study_threats(self.study())])
        self.assertEqual(run.finished.isoformat(), "2026-10-25T02:20:00+01:00")

    def test_the_spool_is_taken_over_from_the_last_start(self):
        operations.edit_run(self.book, spool="lot 7", **self.key)
        operations.start_run(self.book, at=datetime(2026, 3, 9, 9, 0), **self.key)
        other = self.study().runs[1]
        operations.start_run(self.book, run_id=other.id, code=other.code)
        self.assertEqual(self.study().runs[1].spool, "lot 7")

    def test_readings_are_replaced_added_and_taken_out(self):
        def enter(*values, zone=""):
            operations.enter_readings(
                self.book, run_id=self.run_.id, response_id=1, spot=Spot(zone), values=values, title="time"
            )

        enter(60.0)
        enter(61.0, 62.0)
        enter(5.0, zone="rim")
        self.assertEqual(
            [(r.zone, r.value) for r in self.study().readings], [("", 61.0), ("", 62.0), ("rim", 5.0)]
        )
        enter()
        self.assertEqual([(r.zone, r.value) for r in self.study().readings], [("rim", 5.0)])

    def test_setting_aside_needs_a_reason_and_allows_one_reprint(self):
        with self.assertRaisesRegex(StoreError, "say why"):
            operations.set_aside(self.book, reason="  ", **self.key)
        with self.assertRaisesRegex(StoreError, "set it aside before"):
            operations.reprint(self.book, **self.key)
        operations.set_aside(self.book, reason="fell over", **self.key)
        operations.reprint(self.book, **self.key)
        new = self.study().runs[-1]
        self.assertEqual(
            (new.reprint_of, new.arm_id, new.block_id), (self.run_.id, self.run_.arm_id, self.run_.block_id)
        )
        self.assertIs(new.state, RunState.PLANNED)
        with self.assertRaisesRegex(StoreError, "already"):
            operations.reprint(self.book, **self.key)
        operations.count_again(self.book, **self.key)
        self.assertIs(self.now().state, RunState.PLANNED)

    def test_departures(self):
        with self.assertRaises(StoreError):
            operations.add_deviation(self.book, text="", **self.key)
        record = operations.add_deviation(self.book, text="door open", **self.key)
        self.assertEqual([item.text for item in self.study().deviations], ["door open"])
        operations.remove_deviation(self.book, deviation_id=record.new_id("deviation"), code=self.run_.code)
        self.assertEqual(self.study().deviations, ())


class Settling(InBook):
    def changes(self):
        with self.book.reading() as connection:
            return load_machine_changes(connection)

    def planned(self, *args, **more):
        value = super().planned(*args, **more)
        operations.start_run(self.book, run_id=value.runs[0].id, code=value.runs[0].code)
        operations.finish_run(self.book, run_id=value.runs[0].id, code=value.runs[0].code)
        return value

    def settle(self, kind, reason="less force"):
        operations.settle(self.book, study_id=1, kind=kind, reason=reason)

    def test_adoption_is_written_into_the_machines_change_log(self):
        self.planned()
        with self.assertRaisesRegex(StoreError, "reason"):
            self.settle(DecisionKind.ADOPT, " ")
        self.settle(DecisionKind.ADOPT)
        (line,) = self.changes()
        self.assertEqual(
            (line.kind, line.what, line.before, line.after),
            ("slicer setting", "layer height", "0.2 mm", "0.3 mm"),
        )
        self.assertIn("less force", line.note)
        self.assertEqual(self.study().decision.kind, DecisionKind.ADOPT)

    def test_changing_ones_mind_takes_it_out_again(self):
        self.planned()
        self.settle(DecisionKind.ADOPT)
        self.settle(DecisionKind.ADOPT, "still")
        self.assertEqual(len(self.changes()), 1)
        self.settle(DecisionKind.KEEP)
        self.assertEqual(self.changes(), [])
        self.settle(DecisionKind.ADOPT)
        operations.reopen(self.book, study_id=1)
        self.assertEqual(self.changes(), [])
        self.assertIsNone(self.study().decision)
        self.book.undo()
        self.assertEqual(len(self.changes()), 1)

    def test_nothing_printed_is_nothing_adopted(self):
        super().planned()
        with self.assertRaisesRegex(StoreError, "nothing to adopt"):
            self.settle(DecisionKind.ADOPT)
        self.settle(DecisionKind.KEEP)

    def test_only_what_is_done_to_a_machine_is_logged_on_the_machines_ticked(self):
        value = self.planned()
        operations.add_machine(self.book, name="Tessel")
        for kind, lines in (("machine", 0), ("filament or lot", 0), ("part", 1), ("place", 1)):
            with self.subTest(kind):
                self.book.edit("kind", lambda edit, kind=kind: edit.update(FACTOR, 1, kind=kind))
                self.settle(DecisionKind.ADOPT)
                self.assertEqual(len(self.changes()), lines)
        operations.settle(self.book, study_id=1, kind=DecisionKind.ADOPT, reason="x", machine_ids=[2])
        self.assertEqual({item.machine_id for item in self.changes()}, {2})
        self.assertEqual(value.plan.machine_ids, (1,))

    def test_a_settled_study_stays_as_it_is(self):
        value = self.planned()
        self.settle(DecisionKind.KEEP)
        run = value.runs[0]
        for act in (
            lambda: operations.edit_study(self.book, study_id=1, name="Other"),
            lambda: operations.add_response(
                self.book, study_id=1, name="X", unit="", kind=ResponseKind.QUANTITY
            ),
            lambda: operations.edit_level(self.book, level_id=1, value="9"),
            lambda: operations.enter_readings(
                self.book, run_id=run.id, response_id=1, values=[1.0], title="x"
            ),
            lambda: operations.set_aside(self.book, run_id=run.id, code=run.code, reason="x"),
            lambda: operations.remove_response(self.book, response_id=1, name="x"),
            lambda: operations.add_repeats(self.book, study_id=1, repeats=1),
        ):
            with self.assertRaisesRegex(StoreError, "settled"):
                act()
        operations.add_machine(self.book, name="Tessel")
        operations.reopen(self.book, study_id=1)
        operations.edit_study(self.book, study_id=1, name="Other")
        self.settle(DecisionKind.MORE)
        operations.add_repeats(self.book, study_id=1, repeats=1)

    def test_the_first_look_at_the_verdict_is_what_counts(self):
        self.planned()
        operations.reveal(self.book, study_id=1, what=LookAt.VERDICT)
        first = self.study().verdict_seen
        self.assertIsNone(operations.reveal(self.book, study_id=1, what=LookAt.VERDICT))
        self.assertEqual(self.study().verdict_seen, first)


class Workshop(InBook):
    def test_machines_and_pieces_in_use_stay(self):
        self.planned()
        for act in (operations.remove_machine, operations.remove_piece):
            key = {"machine_id": 1} if act is operations.remove_machine else {"piece_id": 1}
            with self.assertRaisesRegex(StoreError, "has runs"):
                act(self.book, name="It", **key)

    def test_machines_and_pieces_come_and_go(self):
        operations.add_machine(self.book, name=" Mar  low ")
        with self.assertRaisesRegex(StoreError, "already"):
            operations.add_machine(self.book, name="Mar low")
        operations.log_machine_change(
            self.book, machine_id=1, kind="part", what="hot end", before="old", after="new"
        )
        operations.add_piece(self.book, name="Ring")
        with self.assertRaisesRegex(StoreError, "already"):
            operations.add_piece(self.book, name="Ring")
        operations.edit_piece(self.book, piece_id=1, name="Ring", minutes=90.0, zones=["rim"])
        with self.assertRaisesRegex(StoreError, "below zero"):
            operations.edit_piece(self.book, piece_id=1, name="Ring", minutes=-1.0)
        operations.remove_piece(self.book, piece_id=1, name="Ring")
        operations.remove_machine(self.book, machine_id=1, name="Mar low")
        for _ in range(2):
            self.book.undo()
        operations.add_study(self.book, name="Trial")
        self.assertEqual(self.study().pieces[1].zones, ("rim",))
        with self.book.reading() as connection:
            self.assertEqual(load_machine_changes(connection)[0].after, "new")


class Removing(InBook):
    def test_a_response_and_a_study_go_with_all_that_hangs_on_them_and_come_back(self):
        self.planned()
        before = self.print_all()
        force = self.ids("response")["Force"]
        operations.remove_response(self.book, response_id=force, name="Force")
        self.assertNotIn(force, {item.response_id for item in self.study().readings})
        operations.remove_study(self.book, study_id=1, name="Trial")
        self.assertEqual(self.book.summaries(), [])
        self.book.undo()
        self.book.undo()
        self.assertEqual(self.study(), before)


if __name__ == "__main__":
    unittest.main()
