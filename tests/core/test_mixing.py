"""What cannot be told apart in studies, planned and printed, and how it is said beside every screen."""

import dataclasses
import random
import unittest
from datetime import timedelta

from oddtwin.core.confounding import Column, ColumnKind, check_confounding
from oddtwin.core.design import Design, DesignKind, DriftGuard
from oddtwin.core.judgement import analyse, study_columns, study_confounding, study_threats
from oddtwin.core.runlist import draw_plan
from oddtwin.core.study import Arm, ArmRole, Machine, StudyBlock
from tests.builders import NOON, plan, study
from tests.core.test_outlook import drawn, factors, measured

TWO = {1: Machine(1, "Marlow"), 2: Machine(2, "Tessel")}


def changed(value, **of_run):
    """The study with something set for each run by a function of the run."""
    stamps = {"started", "finished"} & of_run.keys()
    runs = []
    for run in value.runs:
        picked = {name: pick(run) for name, pick in of_run.items()}
        stamped = run.with_plate(**{name: picked.pop(name) for name in stamps})
        runs.append(dataclasses.replace(stamped, **picked))
    return dataclasses.replace(value, runs=tuple(runs))


def printed(value):
    return measured(value, lambda level, block: 10.0)


class Columns(unittest.TestCase):
    def names(self, value):
        return {column.name: column for column in study_columns(value, list(value.runs))}

    def test_factors_nuisances_and_the_order(self):
        columns = self.names(drawn(DesignKind.FACTORIAL, ("heat", "speed")))
        self.assertEqual(columns["heat"].kind, ColumnKind.FACTOR)
        self.assertEqual(columns["speed"].levels, list(dict.fromkeys(columns["speed"].values)))
        self.assertEqual(columns["machine"].kind, ColumnKind.NUISANCE)
        order = columns["order of printing"]
        self.assertEqual((order.kind, order.values[0]), (ColumnKind.TREND, "1"))

    def test_a_pack_is_one_change_and_a_control_a_column_of_its_own(self):
        control = Arm(9, "old, with mass", False, (), ArmRole.CONTROL)
        columns = self.names(drawn(names=("a", "b"), arms=(*study().arms, control)))
        self.assertEqual(set(columns["change"].values), {"Old", "New"})
        self.assertEqual(set(columns["control"].values), {"yes", "no"})
        self.assertNotIn("a", columns)

    def test_what_is_asked_about_is_no_nuisance(self):
        spool = self.names(drawn(made=factors("lot", kind="filament or lot")))
        self.assertNotIn("spool", spool)

    def test_the_order_is_that_of_the_stamps(self):
        value = printed(drawn())
        backwards = changed(value, started=lambda run: NOON - timedelta(hours=run.position))
        column = self.names(backwards)["order of printing"]
        self.assertEqual(column.values, tuple(str(n) for n in range(len(value.runs), 0, -1)))


class Scattered(unittest.TestCase):
    def test_nearly_a_value_for_every_print_is_scatter_and_one_for_an_arm_is_not(self):
        for arms, spools, mixed in (("AAABB", "ppqrs", False), ("AABBB", "ppqrs", True)):
            factor = Column("change", ColumnKind.FACTOR, tuple(arms))
            columns = [factor, Column("spool", ColumnKind.NUISANCE, tuple(spools))]
            self.assertEqual(bool(check_confounding(columns, tuple("12345"))), mixed, arms)


class Planned(unittest.TestCase):
    def test_drawn_designs_are_clean(self):
        rng = random.Random(6)
        for number in range(40):
            kind = rng.choice([DesignKind.PAIRS, DesignKind.FACTORIAL, DesignKind.CROSSOVER])
            names = ("a",) if kind is DesignKind.PAIRS else ("a", "b")
            value = study(plan=None, blocks=(), factors=factors(*names), machines=TWO)
            design = Design(kind, guard=rng.choice(list(DriftGuard)))
            value = draw_plan(
                value,
                plan(
                    repeats=rng.randint(3, 5),
                    seed=number,
                    machine_ids=(1, 2),
                    design=design,
                    spools=("x", "y"),
                ),
            )
            self.assertEqual([item for item in study_confounding(value) if item.vif is None], [])

    def test_all_new_prints_on_the_second_machine(self):
        value = drawn(machines=TWO)
        new = value.change.id
        split = changed(value, machine_id=lambda run: 2 if run.arm_id == new else 1)
        (found,) = study_confounding(split)
        self.assertEqual(found.columns, ("a", "machine"))
        self.assertRegex(found.sentence, "has machine (Marlow|Tessel)")
        codes = {run.code for run in value.runs}
        self.assertTrue(any(code in found.repair for code in codes), found.repair)
        threat = next(item for item in study_threats(split) if item.code == "confounded")
        self.assertEqual(threat.sentence, found.sentence)

    def test_operator_spool_and_place(self):
        value = drawn(repeats=4)
        new = value.change.id
        for field, noun, old, other in (
            ("operator", "operator", "Ada", "Bo"),
            ("spool", "spool", "red", "blue"),
            ("place", "place on the plate", 1, 2),
        ):
            split = changed(
                value, **{field: lambda run, old=old, other=other: other if run.arm_id == new else old}
            )
            found = [item.columns for item in study_confounding(split)]
            self.assertEqual(found, [("a", noun)])
            mixed = changed(
                value, **{field: lambda run, old=old, other=other: (old, other)[run.block_id % 2]}
            )
            self.assertEqual(study_confounding(mixed), [])

    def test_pairs_that_are_no_pairs(self):
        value = drawn(repeats=4)
        new = value.change.id
        blocks = tuple(StudyBlock(n, str(n), 1, 1) for n in range(1, 5))
        split = dataclasses.replace(value, blocks=blocks)
        split = changed(split, block_id=lambda run: 1 + run.position % 2 + 2 * (run.arm_id == new))
        self.assertIn(("a", "pair"), [item.columns for item in study_confounding(split)])

    def test_all_of_one_arm_first(self):
        value = drawn(repeats=5)
        new = value.change.id
        runs = sorted(value.runs, key=lambda run: run.arm_id == new)
        late = dataclasses.replace(
            value, runs=tuple(dataclasses.replace(run, position=n) for n, run in enumerate(runs))
        )
        found = study_confounding(late)
        self.assertEqual([item.columns for item in found], [("a", "order of printing")])
        threats = [item.code for item in study_threats(late)]
        self.assertIn("confounded", threats)


class Printed(unittest.TestCase):
    def test_only_what_was_made_and_counts_is_looked_at(self):
        value = printed(drawn(repeats=4, machines=TWO))
        new = value.change.id
        # The plan was sound, but the new prints that were not lost all came off one machine.
        lost = changed(
            value,
            machine_id=lambda run: 2 if run.arm_id == new and run.block_id > 2 else 1,
            set_aside=lambda run: "fell over" if run.arm_id == new and run.block_id <= 2 else "",
        )
        self.assertEqual([item.columns for item in study_confounding(lost, made=True)], [("a", "machine")])
        planned = changed(lost, set_aside=lambda run: "")
        self.assertEqual(study_confounding(planned, made=True), [])

    def test_days_come_from_the_stamps(self):
        value = printed(drawn(repeats=4))
        new = value.change.id
        apart = changed(
            value, started=lambda run: NOON + timedelta(days=7 * (run.arm_id == new), minutes=run.position)
        )
        found = study_confounding(apart, made=True)
        self.assertEqual(found[0].columns, ("a", "day"))
        # The findings say the same of a whole arm, so it is told once.
        told = [item.code for item in analyse(apart).threats if item.cause == "day"]
        self.assertEqual(told, ["confounded"])

    def test_an_operator_is_said_even_when_there_are_readings(self):
        value = printed(drawn(repeats=4))
        new = value.change.id
        split = changed(value, operator=lambda run: "Ada" if run.arm_id == new else "Bo")
        sentences = [item.sentence for item in study_threats(split) if item.code == "confounded"]
        self.assertEqual(len(sentences), 1)
        self.assertIn("operator", sentences[0])

    def test_fewer_than_two_prints_say_nothing(self):
        value = drawn(repeats=1)
        self.assertEqual(study_confounding(value, made=True), [])
        self.assertEqual(study_confounding(dataclasses.replace(value, runs=())), [])
        # Of two prints one always comes first, and that is no finding.
        self.assertEqual(study_confounding(value), [])
