"""Drawing studies of every design: arms, names, machines, chains put back, centre points."""

import dataclasses
import itertools
import random
import unittest
from collections import Counter
from datetime import datetime

from oddtwin.core import customs
from oddtwin.core.customs import CARDS, ChangeKind
from oddtwin.core.design import Design, DesignKind, DriftGuard, LadderRule
from oddtwin.core.judgement import (
    analyse,
    contrasts,
    ladder_advice,
    ladder_rungs,
    study_confounding,
    study_threats,
    whole_plots,
)
from oddtwin.core.outlook import budget_of, placed_of, plan_as_json, slots_of, workload_of
from oddtwin.core.readings import Better, Combine, ResponseKind
from oddtwin.core.runlist import checks_by_run, draft_arms, draw_plan, extend_plan, put_back
from oddtwin.core.schedule import make_timetable
from oddtwin.core.standing import Stage, standing_of
from oddtwin.core.study import (
    Arm,
    ArmRole,
    Factor,
    Level,
    Machine,
    Piece,
    Role,
    RunReading,
    faults_unseen,
    plate_of,
    plates_of,
    study_from_readings,
    tidy_readings,
)
from tests.builders import NOON, plan, response, study
from tests.core.test_outlook import drawn, factors, measured


class Arms(unittest.TestCase):
    def test_several_arms_print_every_level(self):
        made = (Factor(1, ChangeKind.FILAMENT, "filament", tuple(Level(n, f"lot {n}") for n in range(1, 5))),)
        value = drawn(DesignKind.SEVERAL, made=made, repeats=2)
        self.assertEqual(Counter(run.arm_id for run in value.runs), {arm.id: 2 for arm in value.arms})
        # None of equals is called the baseline unless the user says so.
        bare = draw_plan(
            dataclasses.replace(value, arms=(Arm(1, "Baseline", True), Arm(2, "Change", False))), value.plan
        )
        self.assertEqual([arm.name for arm in bare.arms], ["lot 1", "lot 2", "lot 3", "lot 4"])
        parts = drawn(DesignKind.SEVERAL, made=made, repeats=1, options={"block_size": 2})
        self.assertEqual(len(parts.runs), 12)
        for contrast in contrasts(parts):
            self.assertEqual(len(contrast.blocks), 1)

    def test_pairs_refuse_more_levels_than_two(self):
        made = (Factor(1, ChangeKind.PART, "fan", tuple(Level(n, f"{n}") for n in range(1, 4))),)
        with self.assertRaisesRegex(ValueError, "here one factor has 3; choose Several arms"):
            drawn(DesignKind.PAIRS, made=made)

    def test_a_machine_that_no_level_names_is_refused(self):
        made = (Factor(1, ChangeKind.MACHINE, "machine", (Level(1, "Marlow"), Level(2, "Tessel"))),)
        machines = {1: Machine(1, "Marlow"), 2: Machine(2, "Tessel"), 3: Machine(3, "Idle")}
        value = study(plan=None, blocks=(), factors=made, machines=machines)
        with self.assertRaisesRegex(ValueError, "Idle would print nothing"):
            draw_plan(value, plan(machine_ids=(1, 3)))

    def test_arms_share_a_plate_where_they_can(self):
        value = drawn(made=factors("a"), options={"copies": 2})
        group = plate_of(value, value.runs[0])
        self.assertEqual((len(group), len({run.arm_id for run in group})), (2, 2))
        timed = dataclasses.replace(value, responses=(response(1, "Print time", role=Role.TIME),))
        self.assertIn("plate-time", [item.code for item in study_threats(timed)])

    def test_parts_and_places_have_a_plate_for_each_arm(self):
        for kind in ("part", "place"):
            value = drawn(made=factors("a", kind=kind), options={"copies": 3}, repeats=2)
            self.assertEqual(len(value.runs), 12)
            groups = plates_of(value, value.runs)
            self.assertEqual([len(group) for group in groups], [3] * 4)
            for group in groups:
                self.assertEqual(len({run.arm_id for run in group}), 1)
                self.assertEqual([run.place for run in group], [1, 2, 3])
                # A plate is printed in one go.
                self.assertEqual([run.position - group[0].position for run in group], [0, 1, 2])
            self.assertEqual({len(whole.prints(value, {})) for whole in contrasts(value)}, {4})
            self.assertNotIn("plate-time", [item.code for item in study_threats(value)])

    def test_a_twin_of_whole_plates_is_a_plate_too(self):
        value = drawn(made=factors("a", kind="part"), options={"copies": 3}, repeats=2, twins=1)
        arms = [[run.arm_id for run in group] for group in plates_of(value, value.runs)]
        self.assertEqual(sorted(arms), [[1] * 3] * 3 + [[2] * 3] * 2)
        more = extend_plan(value, 1)
        self.assertEqual([len(group) for group in plates_of(more, more.runs)], [3] * 7)

    def test_further_pairs_even_out_who_came_first(self):
        for seed in range(6):
            value = drawn(made=factors("a"), repeats=1)
            value = draw_plan(value, dataclasses.replace(value.plan, seed=seed))
            first = [run.arm_id for run in extend_plan(value, 1).runs]
            self.assertEqual(first[:2], first[3:1:-1], seed)

    def test_plates_come_back_from_a_table(self):
        value = drawn(made=factors("a", kind="part"), options={"copies": 3}, repeats=2, twins=1)
        value = measured(value, lambda levels, block: 20.0 + block.id)
        back = study_from_readings(tidy_readings(value), "Back", value.baseline.name, NOON)
        self.assertEqual(
            [len(group) for group in plates_of(back, back.runs)],
            [len(group) for group in plates_of(value, value.runs)],
        )
        one, two = (analyse(each).findings[0].comparison for each in (value, back))
        self.assertEqual((one.n_baseline, one.n_change, one.n_pairs), (3, 2, 2))
        self.assertEqual((two.n_baseline, two.n_change, two.n_pairs), (3, 2, 2))
        self.assertEqual((one.estimate, one.noise), (two.estimate, two.noise))

    def test_a_plate_takes_no_more_prints_than_it_holds(self):
        with self.assertRaisesRegex(ValueError, "a block has 3 prints, and a plate holds 2"):
            drawn(made=factors("a"), options={"copies": 2}, repeats=1, twins=1)
        self.assertEqual(len(drawn(made=factors("a"), options={"copies": 3}, repeats=1, twins=1).runs), 3)

    def test_names_say_what_differs_from_the_baseline(self):
        names = [arm.name for arm in drawn(DesignKind.FACTORIAL, ("heat", "speed")).arms]
        self.assertEqual(names, ["Old", "speed high", "heat high", "heat high + speed high"])
        three = (Factor(1, ChangeKind.SETTING, "height", tuple(Level(n, f"0.{n} mm") for n in (2, 3, 4))),)
        self.assertEqual(
            [arm.name for arm in drawn(DesignKind.LADDER, made=three).arms], ["Old", "0.3 mm", "0.4 mm"]
        )

    def test_a_pair_keeps_the_names_that_the_user_gave(self):
        self.assertEqual([arm.name for arm in drawn().arms], ["Old", "New"])
        back = draw_plan(drawn(DesignKind.FACTORIAL, ("a", "b")), plan())
        self.assertEqual(back.arms[0].name, "Old")
        self.assertEqual(len(back.arms), 2)

    def test_arms_that_are_there_keep_their_ids(self):
        value = drawn(DesignKind.FACTORIAL, ("a", "b"))
        ids = [arm.id for arm in value.arms]
        again = draw_plan(value, dataclasses.replace(value.plan, seed=9))
        self.assertEqual([arm.id for arm in again.arms], ids)
        self.assertEqual(len(set(ids)), 4)

    def test_a_name_that_stands_twice_is_numbered(self):
        clumsy = (Factor(1, ChangeKind.SETTING, "x", (Level(1, "1"), Level(2, "Old"), Level(3, "Old"))),)
        names = [arm.name for arm in drawn(DesignKind.LADDER, made=clumsy).arms]
        self.assertEqual(names, ["Old", "Old (2)", "Old (3)"])

    def test_every_arm_has_a_name_of_its_own_in_every_design(self):
        for kind, names in (
            (DesignKind.FACTORIAL, "abc"),
            (DesignKind.FRACTION, "abcde"),
            (DesignKind.CHAIN, "abcd"),
            (DesignKind.SPLIT_PLOT, "ab"),
            (DesignKind.CROSSOVER, "ab"),
        ):
            arms = drawn(kind, tuple(names), repeats=1).arms
            self.assertEqual(len({arm.name for arm in arms}), len(arms), kind)
            self.assertEqual(sum(arm.is_baseline for arm in arms), 1)


class CentrePoints(unittest.TestCase):
    MADE = (
        Factor(1, ChangeKind.SETTING, "height", (Level(1, "0.20 mm"), Level(2, "0.28 mm"))),
        Factor(2, ChangeKind.SETTING, "speed", (Level(3, "60 mm/s"), Level(4, "100 mm/s"))),
    )

    def test_they_lie_half_way_and_say_so(self):
        value = drawn(DesignKind.FACTORIAL, made=self.MADE, options={"centre_points": 2})
        centre = next(arm for arm in value.arms if arm.role is ArmRole.CENTRE)
        self.assertEqual(centre.name, "Middle: height 0.24 mm, speed 80 mm/s")
        self.assertEqual(sum(run.arm_id == centre.id for run in value.runs), 4)

    def test_curvature_is_a_comparison_of_its_own(self):
        value = drawn(DesignKind.FACTORIAL, made=self.MADE, options={"centre_points": 2})
        about = [item.about for item in contrasts(value)]
        self.assertEqual(about[-1], "the middle against the corners")
        centre = next(arm for arm in value.arms if arm.role is ArmRole.CENTRE)
        middle = {run.block_id for run in value.runs if run.arm_id == centre.id}
        self.assertEqual(len(middle), 2)
        made = measured(value, lambda level, _: 10.0 if level else 12.5)
        found = {item.about: item.comparison.estimate for item in analyse(made).findings}
        self.assertAlmostEqual(found["the middle against the corners"], 2.5, delta=0.05)

    def test_between_names_there_is_no_middle(self):
        with self.assertRaisesRegex(ValueError, "levels of a are names"):
            drawn(DesignKind.FACTORIAL, ("a", "b"), options={"centre_points": 1})
        mix = Factor(1, ChangeKind.SETTING, "mix", (Level(1, "mix 1"), Level(2, "mix 2")))
        with self.assertRaisesRegex(ValueError, "levels of mix are names"):
            drawn(DesignKind.FACTORIAL, made=(mix, self.MADE[1]), options={"centre_points": 1})

    def test_between_numbers_of_two_units_there_is_none_either(self):
        height = Factor(1, ChangeKind.SETTING, "height", (Level(1, "200 µm"), Level(2, "0.28 mm")))
        with self.assertRaisesRegex(ValueError, "levels of height are not written alike"):
            drawn(DesignKind.FACTORIAL, made=(height, self.MADE[1]), options={"centre_points": 1})


class Chains(unittest.TestCase):
    def test_a_step_that_is_put_back_is_left_out_of_those_after_it(self):
        value = drawn(DesignKind.CHAIN, ("belt", "gear", "fan"))
        second = value.arms[2]
        self.assertEqual(second.name, "belt high + gear high")
        left = put_back(value, second)
        self.assertEqual(left.arms[3].name, "belt high + fan high")
        self.assertEqual(left.arms[2], second)
        # The next step is compared with what it builds on, and that is the step before.
        about = [item.about for item in contrasts(left)]
        self.assertEqual(about[2], "belt high + fan high against belt high")
        longer = extend_plan(left, 1)
        self.assertEqual(longer.arms, left.arms)

    def test_the_last_is_held_against_the_first_where_other_steps_lie_between(self):
        for steps, asked in (("belt",), 1), (("belt", "gear"), 3):
            value = drawn(DesignKind.CHAIN, steps)
            self.assertEqual(len({item.about for item in contrasts(value)}), asked)
            self.assertEqual(len(contrasts(value)), asked)

    def test_once_a_later_step_was_printed_it_stays(self):
        value = drawn(DesignKind.CHAIN, ("belt", "gear", "fan"))
        value = measured(value, lambda level, _: 10.0)
        with self.assertRaisesRegex(ValueError, "so this step stays"):
            put_back(value, value.arms[1])
        with self.assertRaisesRegex(ValueError, "only a step of a chain"):
            put_back(drawn(), drawn().arms[1])


class Ladders(unittest.TestCase):
    MADE = (Factor(1, ChangeKind.SETTING, "purge", tuple(Level(n, f"0.{n}") for n in (9, 6, 3))),)

    def ladder(self, rule, amounts, **more):
        value = drawn(DesignKind.LADDER, made=self.MADE, options={"rule": rule}, repeats=1, **more)
        return measured(value, lambda level, _: amounts[level["purge"]])

    def test_advice_rests_on_the_deciding_response_and_its_margin(self):
        value = self.ladder(LadderRule.EXTREMES, {"0.9": 1.0, "0.6": 1.0, "0.3": 5.0})
        advice = ladder_advice(value)
        self.assertEqual((advice.next_level, advice.good, advice.bad), (1, 0, 2))
        fine = self.ladder(LadderRule.EXTREMES, {"0.9": 1.0, "0.6": 1.0, "0.3": 1.5})
        again = ladder_advice(fine)
        self.assertEqual(again.next_level, 2)
        self.assertIn("so few prints cannot prove", again.sentence)

    def test_names_have_no_edge(self):
        made = (
            Factor(
                1,
                ChangeKind.SETTING,
                "fit",
                tuple(Level(n, w) for n, w in enumerate(("loose", "snug", "tight"))),
            ),
        )
        value = drawn(DesignKind.LADDER, made=made, options={"rule": LadderRule.RANDOM}, repeats=1)
        value = measured(value, lambda level, _: {"loose": 1.0, "snug": 1.0, "tight": 5.0}[level["fit"]])
        advice = ladder_advice(value)
        self.assertEqual((advice.next_level, advice.good, advice.low), (None, None, None))
        self.assertIn("there is no edge", advice.sentence)

    def test_a_margin_in_percent_ends_where_the_verdict_has_it_end(self):
        for better, margin, safe, far, holds in (
            (Better.LOWER, 25.0, 10.0, 12.4, True), (Better.LOWER, 25.0, 10.0, 12.6, False),
            # 25 % fewer are four fifths: held against logarithms a margin is as much either way.
            (Better.HIGHER, 25.0, 10.0, 8.1, True), (Better.HIGHER, 25.0, 10.0, 7.9, False),
            # Of nothing there are no percent: what is not worse holds.
            (Better.LOWER, 25.0, 0.0, 0.0, True), (Better.LOWER, 25.0, 0.0, 3.0, False),
        ):  # fmt: skip
            asked = response(better=better, margin=margin, percent=True)
            amounts = {"0.9": safe, "0.6": far, "0.3": far}
            value = drawn(DesignKind.LADDER, made=self.MADE, repeats=1, responses=(asked,))
            value = measured(value, lambda level, _, of=amounts: of[level["purge"]], scatter=0.0)
            rungs = [rung.good for rung in ladder_rungs(value) if rung.level]
            self.assertEqual(rungs, [holds, holds], (better, safe, far))

    def test_numbers_below_zero_rise_and_what_goes_up_and_down_has_no_edge(self):
        for values, edge in ((("−0.05", "0", "0.05"), True), (("0.1", "0.3", "0.2"), False)):
            levels = tuple(Level(number, value) for number, value in enumerate(values))
            made = (Factor(1, ChangeKind.SETTING, "offset", levels),)
            value = drawn(DesignKind.LADDER, made=made, options={"rule": LadderRule.RANDOM}, repeats=1)
            amounts = dict(zip(values, (1.0, 1.0, 5.0), strict=True))
            advice = ladder_advice(measured(value, lambda level, _, of=amounts: of[level["offset"]]))
            self.assertEqual("there is no edge" not in advice.sentence, edge, values)
            self.assertEqual((advice.good, advice.bad), (1, 2) if edge else (None, None))

    def test_a_ruined_zone_does_not_hold_whatever_its_mean(self):
        graded = response(kind=ResponseKind.GRADE, unit="", margin=1.0, combine=Combine.MEAN)
        value = self.ladder(LadderRule.RANDOM, {"0.9": 0.0, "0.6": 0.0, "0.3": 0.0}, responses=(graded,))
        far = next(
            run
            for run in value.runs
            if "0.3" in [level.value for _, level in value.levels_of(value.arm_of(run))]
        )
        zones = [
            RunReading(100 + zone, run.id, 1, 4.0 * (run is far and zone == 7), zone=f"face {zone}")
            for run in value.runs
            for zone in range(8)
        ]
        rungs = ladder_rungs(dataclasses.replace(value, readings=tuple(zones)))
        self.assertEqual({rung.level: rung.good for rung in rungs}, {0: True, 1: True, 2: False})

    def test_one_safe_print_makes_no_certainty(self):
        # Every level is as the safe end, whose one print happened to be poor: all seem to hold.
        rng = random.Random(3)
        wrong = 0
        for _ in range(60):
            value = drawn(DesignKind.LADDER, made=self.MADE, options={"rule": LadderRule.RANDOM}, repeats=8)
            safe = {run.id for run in value.runs if value.arm_of(run).is_baseline}
            first = min(safe)
            kept = tuple(run for run in value.runs if run.id not in safe - {first})
            value = dataclasses.replace(value, runs=kept)
            made = measured(value, lambda level, _: rng.gauss(0, 1) + 3.0 * (level["purge"] == "0.9"))
            wrong += ladder_advice(made).low is not None
        self.assertEqual(wrong, 0)

    def test_without_a_margin_or_a_direction_nothing_is_advised(self):
        for changes in ({"margin": None}, {"better": None}):
            value = self.ladder(
                LadderRule.CLIMB, {"0.9": 1.0, "0.6": 1.0, "0.3": 5.0}, responses=(response(**changes),)
            )
            self.assertIsNone(ladder_advice(value))
        self.assertIsNone(ladder_advice(drawn()))

    def test_adaptive_ladders_begin_with_what_they_need(self):
        self.assertEqual(len(drawn(DesignKind.LADDER, made=self.MADE, repeats=1,
                                   options={"rule": LadderRule.CLIMB}).runs), 1)  # fmt: skip
        self.assertEqual(len(drawn(DesignKind.LADDER, made=self.MADE, repeats=1,
                                   options={"rule": LadderRule.HALVE}).runs), 2)  # fmt: skip


class Plots(unittest.TestCase):
    def test_runs_between_two_switches_are_one_plot_on_each_machine(self):
        machines = {1: Machine(1, "Marlow"), 2: Machine(2, "Tessel")}
        pieces = {1: Piece(1, "Ring", (), 60.0, 1.0, 1.0), 2: Piece(2, "Case", (), 60.0, 1.0, 1.0)}
        value = study(
            plan=None, blocks=(), factors=factors("part", "speed"), machines=machines, pieces=pieces
        )
        design = Design(DesignKind.SPLIT_PLOT, whole_plots=3)
        value = draw_plan(value, plan(repeats=1, design=design, machine_ids=(1, 2), piece_ids=(1, 2)))
        plots = whole_plots(value)
        self.assertEqual(set(plots.values()), {"plot 1", "plot 2", "plot 3"})
        for machine, plot in itertools.product((1, 2), set(plots.values())):
            here = [
                run for run in value.runs if plots[run.code] == plot and value.machine_of(run).id == machine
            ]
            # Two pieces and two easy levels, all with one level of the part.
            self.assertEqual(len(here), 4)
            self.assertEqual(len({value.levels_of(value.arm_of(run))[0][1].id for run in here}), 1)
        self.assertEqual(study_confounding(value), [])
        self.assertEqual(whole_plots(drawn()), {})


class Cards(unittest.TestCase):
    def test_every_card_makes_a_design_that_can_be_drawn(self):
        for card in CARDS:
            with self.subTest(card.title):
                self.assertEqual(len(card.design.levels), len(card.factors))
                self.assertTrue(card.design.combinations())
                self.assertTrue(card.responses and card.question.endswith("?"))
                for factor in card.factors:
                    self.assertIn(factor.kind, customs.ChangeKind)
                for item in card.responses:
                    if item.graded:
                        self.assertIn(item.name, customs.FAULTS)

    def test_a_filament_is_tuned_once_on_a_machine(self):
        made = factors("filament", kind="filament or lot", disturbs="filament, lot or colour")
        value = drawn(made=made, repeats=4)
        due = [checks for checks in checks_by_run(value).values() if checks]
        first = customs.DISTURBS["filament, lot or colour"]
        self.assertEqual(due[0], first)
        self.assertEqual(due.count(first), 1)
        self.assertEqual(set(due[1:]), {customs.SWAP_CHECKS})

    def test_the_price_of_a_machine_is_none_of_the_study(self):
        for kind, fittings in ((ChangeKind.MACHINE, 0.0), (ChangeKind.PART, 40.0)):
            made = tuple(
                dataclasses.replace(
                    item, kind=kind, levels=(item.levels[0], dataclasses.replace(item.levels[1], cost=40.0))
                )
                for item in factors("Marlow")
            )
            value = study(factors=made, arms=draft_arms(study(factors=made), Design()))
            self.assertEqual(budget_of(value).fittings, fittings)

    def test_what_a_comparison_of_machines_carries_is_said(self):
        value = drawn(made=tuple(dataclasses.replace(f, kind=ChangeKind.PLACE) for f in factors("a")))
        self.assertNotIn("machine-carries", [item.code for item in study_threats(value)])
        value = dataclasses.replace(
            value, factors=tuple(dataclasses.replace(f, kind=ChangeKind.MACHINE) for f in factors("a"))
        )
        self.assertIn("machine-carries", [item.code for item in study_threats(value)])

    def test_the_recalibration_table_has_its_lines(self):
        # Common practice, no source.
        self.assertEqual(len(customs.DISTURBS), 13)
        self.assertIn("pressure advance", customs.DISTURBS["Bowden to direct drive"])
        self.assertEqual(customs.usually_disturbs("part", "Hardened nozzle"), "nozzle")
        self.assertEqual(customs.usually_disturbs("filament or lot", "lot 4"), "filament, lot or colour")
        self.assertEqual(customs.usually_disturbs("place", "attic"), "where the printer stands")
        self.assertEqual(customs.usually_disturbs("slicer setting", "nozzle temperature"), "")
        self.assertTrue(set(customs.CAUTIONS) <= set(customs.DISTURBS))

    def test_faults_that_no_chosen_piece_can_show(self):
        watched = (
            response(1, "Ringing", kind=ResponseKind.GRADE),
            response(2, "Seam", kind=ResponseKind.GRADE),
        )
        value = study(responses=watched)
        flat = Piece(1, "Plate", (), 1.0, 1.0, 1.0, faults=("Ringing",))
        silent = Piece(2, "Ring", (), 1.0, 1.0, 1.0)
        self.assertEqual(faults_unseen(value, [flat]), ["Seam"])
        self.assertEqual(faults_unseen(value, [flat, silent]), [])
        self.assertEqual(faults_unseen(value, []), [])


class AnyDesign(unittest.TestCase):
    def test_whatever_is_drawn_can_be_judged_and_told(self):
        rng = random.Random(12)
        refused = 0
        kinds = list(DesignKind)
        for number in range(60):
            kind = rng.choice(kinds)
            count = {
                DesignKind.LADDER: 1,
                DesignKind.CROSSOVER: 2,
                DesignKind.FRACTION: rng.randint(3, 7),
            }.get(kind, rng.randint(2, 3))
            levels = 2 if kind is not DesignKind.LADDER else rng.randint(2, 6)
            made = tuple(
                Factor(
                    n,
                    rng.choice(list(customs.ChangeKind)[:7]),
                    f"factor {n}",
                    tuple(Level(10 * n + k, f"{k}", minutes=rng.choice((0.0, 25.0))) for k in range(levels)),
                    rng.choice(("", *customs.DISTURBS)),
                )
                for n in range(1, count + 1)
            )
            design = Design(
                kind,
                block_size=2 if kind is DesignKind.SEVERAL else 0,
                guard=rng.choice(list(DriftGuard)),
                rule=rng.choice(list(LadderRule)),
                whole_plots=rng.randint(3, 5),
                copies=rng.choice((1, 1, 3)),
                centre_points=rng.choice((0, 0, 1)) if kind is DesignKind.FACTORIAL else 0,
            )
            control = (Arm(9, "control", False, (), ArmRole.CONTROL),) if rng.random() < 0.3 else ()
            value = study(plan=None, blocks=(), factors=made, arms=(*study().arms, *control))
            repeats, twins = rng.randint(1, 3), rng.randint(0, 2)
            with self.subTest(f"{number}: {design}"):
                try:
                    value = draw_plan(value, plan(repeats=repeats, twins=twins, design=design))
                except ValueError as error:
                    # What cannot be planned is said, and only what the plan would leave out.
                    self.assertRegex(str(error), "twins|one print on a plate|no control")
                    refused += 1
                    continue
                codes = [run.code for run in value.runs]
                self.assertEqual(len(set(codes)), len(codes))
                self.assertEqual([run.position for run in value.runs], list(range(len(codes))))
                self.assertEqual(len(plan_as_json(value)["runs"]), len(codes))
                sliced = any(factor.kind.sliced for factor in made)
                self.assertIs(standing_of(value).stage, Stage.MATCH if sliced else Stage.PRINT)
                scatter = random.Random(number)
                done = measured(value, lambda level, block, s=scatter: s.gauss(10, 1))
                for finding in analyse(done).findings:
                    self.assertTrue(finding.sentence)
        self.assertLess(refused, 45)


class SharedPlates(unittest.TestCase):
    def test_a_plate_is_heated_taken_off_and_planned_once(self):
        options = {"copies": 2}
        made = factors("a", minutes=15.0, kind="slicer setting", disturbs="nozzle")
        machines = {1: Machine(1, "Marlow", overhead_min=8.0)}
        shared = drawn(made=made, repeats=3, options=options, machines=machines)
        alone = drawn(made=made, repeats=3, machines=machines)
        one, two = budget_of(shared), budget_of(alone)
        self.assertEqual((one.runs, one.printing_min), (two.runs, two.printing_min))
        self.assertEqual((one.overhead_min, two.overhead_min), (24.0, 48.0))
        self.assertEqual((one.hands_min, two.hands_min), (15.0, 30.0))
        self.assertEqual((one.switching_min, one.checking_min), (0.0, 0.0))
        work = workload_of(shared, datetime(2026, 11, 30))
        self.assertEqual([plate.print_min for plate in work.plates], [2 * 60 + 8] * 3)
        timetable = make_timetable(work, 0.5)
        slots = slots_of(shared, timetable, set())
        self.assertEqual(set(slots), {run.id for run in shared.runs})
        for block in {run.block_id for run in shared.runs}:
            here = {slots[run.id] for run in shared.runs if run.block_id == block}
            self.assertEqual(len(here), 1)
        kept = tuple(run.with_plate(slot=slots[run.id]) for run in shared.runs)
        self.assertEqual(placed_of(dataclasses.replace(shared, runs=kept)), timetable.placed)

    def test_a_ladder_asks_for_its_next_level(self):
        value = Ladders().ladder(LadderRule.EXTREMES, {"0.9": 1.0, "0.6": 1.0, "0.3": 5.0})
        stands = standing_of(value)
        self.assertIs(stands.stage, Stage.PLAN)
        self.assertEqual(stands.next_step, "Plan the next level of the ladder: 0.6")
        done = Ladders().ladder(LadderRule.RANDOM, {"0.9": 1.0, "0.6": 1.0, "0.3": 5.0})
        self.assertIs(standing_of(done).stage, Stage.VERDICT)
