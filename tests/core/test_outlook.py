"""A study of any design: its comparisons, checks, budget, and what it says before printing."""

import dataclasses
import itertools
import re
import unittest
from datetime import datetime, timedelta

from scipy import stats

from oddtwin.core.customs import CARDS, ChangeKind
from oddtwin.core.design import Design, DesignKind, DriftGuard
from oddtwin.core.effects import NoiseFloor
from oddtwin.core.judgement import analyse, contrasts, study_threats
from oddtwin.core.outlook import (
    Aim,
    EarlierNoise,
    budget_of,
    certainty,
    known_scatter,
    plan_as_json,
    plan_lines,
    power_of_plan,
    power_sentence,
    workload_of,
)
from oddtwin.core.readings import ResponseKind
from oddtwin.core.runlist import checks_by_run, draw_plan, extend_ladder, extend_plan, open_checks
from oddtwin.core.schedule import make_timetable
from oddtwin.core.study import (
    Arm,
    ArmRole,
    Factor,
    Level,
    Machine,
    MachineChange,
    Piece,
    Rates,
    Recheck,
    RunReading,
    Spool,
    changed_since_frozen,
    make_up,
)
from tests.builders import NOON, plan, response, study


def factors(*names, minutes=0.0, kind="slicer setting", disturbs="", mass_g=0.0):
    return tuple(
        Factor(
            n,
            ChangeKind(kind),
            name,
            (Level(2 * n - 1, "low"), Level(2 * n, "high", minutes=minutes, mass_g=mass_g, cost=3.0)),
            disturbs,
        )
        for n, name in enumerate(names, 1)
    )


def drawn(kind=DesignKind.PAIRS, names=("a",), repeats=2, twins=0, options=None, made=None, **more):
    value = study(plan=None, blocks=(), factors=made or factors(*names), **more)
    design = Design(kind, **(options or {}))
    return draw_plan(value, plan(repeats=repeats, twins=twins, design=design, frozen=NOON))


def measured(value, amount, scatter=0.01):
    """Print every run and read one value of it, given by its arm's levels."""
    runs, readings = [], []
    for number, run in enumerate(value.runs):
        start = NOON + timedelta(hours=number + 1)
        runs.append(run.with_plate(started=start, finished=start + timedelta(minutes=50)))
        levels = {factor.name: level.value for factor, level in value.levels_of(value.arm_of(run))}
        reading = amount(levels, value.block_of(run)) + scatter * ((number * 7) % 5)
        readings.append(RunReading(number + 1, run.id, 1, reading))
    return dataclasses.replace(value, runs=tuple(runs), readings=tuple(readings))


AIM = Aim(response(), 1.0, 0.6)


class Comparisons(unittest.TestCase):
    def estimates(self, value):
        return {item.about: item.comparison.estimate for item in analyse(value).findings}

    def test_main_effects_of_a_factorial(self):
        value = measured(
            drawn(DesignKind.FACTORIAL, ("a", "b")),
            lambda level, _: 10 + 3 * (level["a"] == "high") - 2 * (level["b"] == "high"),
        )
        found = self.estimates(value)
        self.assertAlmostEqual(found["a high against a low"], 3.0, delta=0.05)
        self.assertAlmostEqual(found["b high against b low"], -2.0, delta=0.05)
        comparison = analyse(value).findings[0].comparison
        self.assertEqual((comparison.n_pairs, comparison.inference.df), (4, 3))
        self.assertIn("all prints of the design", comparison.inference.method)

    def test_the_pilot_plant_of_box_hunter_and_hunter(self):
        # Statistics for Experimenters, 2^3 pilot plant, run averages and effects (from memory;
        # computed with R 4.2.2): T 23, C −5, K 1.5, TC 1.5, TK 10, CK 0.
        yields = dict(zip(itertools.product("+-", repeat=3), [80, 45, 83, 52, 68, 54, 72, 60], strict=True))
        value = drawn(DesignKind.FACTORIAL, ("T", "C", "K"), repeats=1)
        # Standard order of the book: T fastest, K slowest.
        value = measured(
            value,
            lambda level, _: yields[tuple("+" if level[name] == "high" else "-" for name in "KCT")],
            scatter=0.0,
        )
        found = self.estimates(value)
        for name, effect in (("T", 23.0), ("C", -5.0), ("K", 1.5)):
            self.assertAlmostEqual(found[f"{name} high against {name} low"], effect)
        for names, effect in ((("T", "C"), 1.5), (("T", "K"), 10.0), (("C", "K"), 0.0)):
            # The book's interaction is half of what the two effects differ by.
            self.assertAlmostEqual(found[f"Interaction of {names[0]} and {names[1]}"], 2 * effect)

    def test_additive_figures_have_no_interaction_whatever_the_twins(self):
        # Two parts that save 4 and 7, and three twins in one corner: nothing is left over.
        value = drawn(DesignKind.FACTORIAL, ("a", "b"), repeats=2, twins=3)
        value = measured(
            value,
            lambda level, _: 60 - 4 * (level["a"] == "high") - 7 * (level["b"] == "high"),
            scatter=0.0,
        )
        found = {item.about: item for item in analyse(value).findings}
        whole = found["Interaction of a and b"]
        self.assertAlmostEqual(whole.comparison.estimate, 0.0)
        self.assertIn("cannot tell yet whether one needs the other", whole.sentence)
        self.assertAlmostEqual(found["a high against a low, b high"].comparison.estimate, -4.0)

    def test_a_corner_that_was_never_printed_has_no_interaction(self):
        value = drawn(DesignKind.FACTORIAL, ("a", "b"), repeats=2)
        value = measured(value, lambda level, _: 60.0, scatter=0.1)
        last = value.changed_arms[-1].id
        lost = dataclasses.replace(
            value,
            runs=tuple(
                dataclasses.replace(run, set_aside="jam") if run.arm_id == last else run for run in value.runs
            ),
        )
        said = {item.about: item.sentence for item in analyse(lost).findings}
        self.assertIn("cannot be estimated: no block has prints of all four", said["Interaction of a and b"])

    def test_where_every_block_lost_another_corner_all_prints_together_tell_it(self):
        value = drawn(DesignKind.FACTORIAL, ("a", "b"), repeats=4)
        value = measured(value, lambda level, _: 60.0 + 4.0 * (level["a"] != level["b"]), scatter=0.1)
        blocks = sorted({run.block_id for run in value.runs})
        arms = [arm.id for arm in value.arms]
        gone = set(zip(blocks, arms, strict=True))
        runs = tuple(
            dataclasses.replace(run, set_aside="jam") if (run.block_id, run.arm_id) in gone else run
            for run in value.runs
        )
        found = {item.about: item for item in analyse(dataclasses.replace(value, runs=runs)).findings}
        whole = found["Interaction of a and b"]
        low, high = whole.comparison.inference.ci95
        self.assertTrue(low < whole.comparison.estimate < high)
        # A difference of effects is no share of anything.
        self.assertEqual((whole.comparison.inference.ratio, whole.comparison.percent), (None, None))
        self.assertNotIn("%;", whole.sentence)

    def test_an_effect_at_one_level_only_is_seen_there(self):
        made = (
            Factor(1, ChangeKind.PART, "part", (Level(1, "old"), Level(2, "new"))),
            Factor(2, ChangeKind.SETTING, "speed", tuple(Level(n, str(n)) for n in range(3, 7))),
        )
        value = drawn(DesignKind.FACTORIAL, made=made, repeats=3)
        value = measured(
            value,
            lambda level, _: 1.0 - 0.17 * (level["part"] == "new" and level["speed"] == "6"),
            scatter=0.005,
        )
        value = dataclasses.replace(value, responses=(response(1, margin=0.10),))
        found = {item.about: item for item in analyse(value).findings}
        at = {name: item.verdict.value for name, item in found.items() if name.startswith("part new")}
        self.assertEqual(at["part new against part old, speed 6"], "odd-better")
        self.assertEqual(at["part new against part old, speed 3"], "twin")

    def test_curvature_of_montgomerys_example(self):
        # Design and Analysis of Experiments, 2^2 with five centre points (from memory):
        # A 1.55, B 0.65, AB −0.05; mean of the corners 40.425, of the middle 40.46.
        corners = {("low", "low"): 39.3, ("high", "low"): 40.9, ("low", "high"): 40.0, ("high", "high"): 41.5}
        middle = iter([40.3, 40.5, 40.7, 40.2, 40.6])
        made = tuple(
            Factor(
                n, ChangeKind.SETTING, name, (Level(2 * n - 1, "1", how="low"), Level(2 * n, "2", how="high"))
            )
            for n, name in enumerate("AB", 1)
        )
        value = drawn(DesignKind.FACTORIAL, made=made, repeats=1, options={"centre_points": 5})
        words = {"1": "low", "2": "high"}
        value = measured(
            value,
            lambda level, _: corners[words[level["A"]], words[level["B"]]] if level else next(middle),
            scatter=0.0,
        )
        found = {item.about: item.comparison for item in analyse(value).findings}
        self.assertAlmostEqual(found["A 2 against A 1"].estimate, 1.55)
        self.assertAlmostEqual(found["B 2 against B 1"].estimate, 0.65)
        self.assertAlmostEqual(found["Interaction of A and B"].estimate, 2 * -0.05)
        curvature = found["the middle against the corners"]
        self.assertAlmostEqual(curvature.estimate, 40.46 - 40.425)
        # Only the five middles are twins of one another: pure error 0.043 with 4 degrees of freedom.
        self.assertEqual(curvature.noise.df, 4)
        self.assertAlmostEqual(curvature.noise.sd**2, 0.043)

    def test_a_fraction_mixes_what_its_aliases_say(self):
        value = measured(
            drawn(DesignKind.FRACTION, ("a", "b", "c")),
            lambda level, _: 10 + 4 * ((level["a"] == "high") != (level["b"] == "high")),
        )
        # The Interaction of a and b shows up as an effect of c, as the alias table warns.
        self.assertAlmostEqual(abs(self.estimates(value)["c high against c low"]), 4.0, delta=0.05)

    def test_a_ladder_a_chain_and_a_control(self):
        ladder = (Factor(1, ChangeKind.SETTING, "purge", tuple(Level(n, f"0.{n}") for n in (9, 6, 3))),)
        value = drawn(DesignKind.LADDER, made=ladder)
        self.assertEqual([item.about for item in contrasts(value)], ["0.6 against Old", "0.3 against Old"])
        steps = [item.about for item in contrasts(drawn(DesignKind.CHAIN, ("a", "b")))]
        self.assertEqual(steps, ["a high against Old", "a high + b high against a high",
                                 "a high + b high against Old"])  # fmt: skip
        control = Arm(9, "old, with mass", False, (), ArmRole.CONTROL)
        value = drawn(arms=(*study().arms, control))
        self.assertEqual(
            [item.about for item in contrasts(value)],
            ["New against Old", "old, with mass against Old", "New against old, with mass"],
        )
        self.assertEqual(len(value.runs), 6)

    def test_the_hard_factor_is_judged_by_its_switches_not_by_its_prints(self):
        value = drawn(DesignKind.SPLIT_PLOT, ("part", "speed"), options={"whole_plots": 4}, repeats=3)
        plot_error = {1: 0.0, 2: 1.0, 3: -1.0, 4: 0.5}
        value = measured(value, lambda level, block: 10 + plot_error[int(block.label)])
        by_about = {item.about: item.comparison for item in analyse(value).findings}
        hard, easy = by_about["part high against part low"], by_about["speed high against speed low"]
        # Six prints in each plot, but four plots on one machine: two degrees of freedom.
        self.assertEqual((hard.inference.method, hard.noise.df), ("noise floor", 2))
        self.assertEqual((hard.n_baseline, hard.n_change), (2, 2))
        self.assertEqual(easy.n_pairs, 4)

    def test_three_comparisons_are_a_threat(self):
        threats = study_threats(drawn(DesignKind.FACTORIAL, ("a", "b", "c")))
        (many,) = (threat for threat in threats if threat.code == "many-comparisons")
        # 1 − 0.95^n of n independent comparisons at 5 % (any textbook).
        count = int(re.search(r"makes (\d+) comparisons", many.sentence).group(1))
        self.assertIn(f"not in {100 * (1 - 0.95**count):.0f}\u202f%", many.sentence)
        self.assertNotIn("two-changes", [threat.code for threat in threats])

    def test_the_machine_itself_can_be_the_question(self):
        made = (Factor(1, ChangeKind.MACHINE, "machine", (Level(1, "Marlow"), Level(2, "tessel"))),)
        machines = {1: Machine(1, "Marlow"), 2: Machine(2, "Tessel")}
        value = drawn(made=made, machines=machines)
        for run in value.runs:
            expected = "Marlow" if value.arm_of(run).is_baseline else "Tessel"
            self.assertEqual(value.machine_of(run).name, expected)
        self.assertEqual(len({run.block_id for run in value.runs}), 2)
        value = measured(value, lambda level, _: 10 + 2 * (level["machine"] != "Marlow"))
        (finding,) = analyse(value).findings
        self.assertAlmostEqual(finding.comparison.estimate, 2.0, delta=0.05)
        self.assertFalse([item for item in finding.threats if item.code == "split-machine"])
        with self.assertRaisesRegex(ValueError, "not a machine of this workshop"):
            drawn(made=made)


class Plans(unittest.TestCase):
    def test_chains_take_the_easiest_step_first(self):
        hard, easy = factors("hard", minutes=40.0)[0], factors("x", "easy", minutes=2.0)[1]
        value = drawn(DesignKind.CHAIN, made=(hard, easy))
        self.assertEqual([arm.name for arm in value.arms][1], "easy high")

    def test_filaments_that_are_spools_are_printed_from_them(self):
        made = (Factor(1, ChangeKind.FILAMENT, "lot", (Level(1, "Red, lot 3"), Level(2, "red, lot 9"))),)
        spools = (Spool(1, "red, lot 3", 20.0, 500.0), Spool(2, "red, lot 9", 24.0, 500.0))
        value = drawn(made=made, spools=spools)
        for run in value.runs:
            lot = "red, lot 3" if value.arm_of(run).is_baseline else "red, lot 9"
            self.assertEqual(run.spool, lot)
        self.assertEqual([use.grams for use in budget_of(value).spools], [44.0, 44.0])

    def test_more_blocks_and_the_next_rung(self):
        value = drawn(repeats=2)
        longer = extend_plan(value, 2, 1)
        self.assertEqual(longer.runs[: len(value.runs)], value.runs)
        self.assertEqual((len(longer.runs), longer.plan.repeats), (9, 4))
        self.assertEqual(len({run.code for run in longer.runs}), 9)
        ladder = (Factor(1, ChangeKind.SETTING, "purge", tuple(Level(n, f"0.{n}") for n in (9, 6, 3))),)
        value = drawn(DesignKind.LADDER, made=ladder, options={"rule": "halve the interval"}, repeats=1)
        value = draw_plan(value, dataclasses.replace(value.plan, design=Design(DesignKind.LADDER, (3,))))
        more = extend_ladder(value, 1)
        self.assertEqual(more.arm_of(more.runs[-1]).name, "0.6")
        with self.assertRaises(ValueError):
            extend_ladder(value, 3)

    def test_the_plan_in_values_and_in_words(self):
        value = drawn(repeats=5, responses=(response(noise_sd=0.5, noise_df=4.0),))
        values = plan_as_json(value)
        self.assertEqual(values["design"]["kind"], "pairs")
        self.assertEqual(values["runs"][0]["machine"], "Marlow")
        self.assertEqual({run["day"] for run in values["runs"]}, {1, 2})
        self.assertEqual([item["pairs"] for item in values["power"]], list(range(1, 13)))
        self.assertEqual([item["pairs"] for item in values["power"] if item["planned"]], [5])
        text = "\n".join(plan_lines(value))
        self.assertIn("5 pairs would find a difference of 1", text.replace("\u202f", " "))
        unknown = "\n".join(plan_lines(drawn()))
        self.assertIn("no noise floor is known", unknown)

    def test_power_of_a_plan_counts_the_prints_behind_each_side(self):
        # A fraction of four prints compares two with two; their own scatter finds 4 sd every other time.
        fraction = drawn(DesignKind.FRACTION, ("a", "b", "c"), repeats=1)
        few = power_of_plan(fraction, Aim(response(), 4.0, 1.0))
        self.assertEqual(few.pairs, 2)
        # Two against two, noncentrality 4, one of three comparisons at a third of 5 % each (SciPy's nct).
        edge = stats.t.isf(0.05 / 6, 2)
        self.assertAlmostEqual(few.p_find_margin, stats.nct.sf(edge, 2, 4) + stats.nct.cdf(-edge, 2, 4), 2)
        # The sentence says the same figures.
        known = response(noise_sd=0.6, noise_df=1e6, margin=1.0)
        said = power_sentence(drawn(repeats=4, twins=0), known, None).replace("\u202f", " ")
        told = power_of_plan(drawn(repeats=4), dataclasses.replace(AIM, noise=NoiseFloor(0.6, 1e6)))
        self.assertIn(f"with {100 * told.p_find_margin:.0f} % chance", said)
        self.assertIn(f"with {100 * told.p_establish_twin:.0f} % (", said)
        ordinary = power_of_plan(drawn(repeats=4), AIM)
        balanced = power_of_plan(drawn(options={"guard": DriftGuard.ABBA}, repeats=4), AIM)
        self.assertEqual((ordinary.pairs, balanced.pairs), (4, 4))
        self.assertGreater(balanced.p_find_margin, ordinary.p_find_margin)
        # Two prints on each side halve the variance of a pair, as one print of 0.6/√2; and they are eight
        # degrees of freedom of twins.
        less = 0.6 / 2**0.5
        half = power_of_plan(drawn(repeats=4), dataclasses.replace(AIM, sd=less, noise=NoiseFloor(less, 8)))
        self.assertAlmostEqual(balanced.p_find_margin, half.p_find_margin)

    def test_what_the_last_pair_adds(self):
        steps = certainty(drawn(), AIM, range(2, 7))
        self.assertEqual([step.budget.runs for step in steps], [4, 6, 8, 10, 12])
        self.assertEqual([step.chance for step in steps], sorted(step.chance for step in steps))
        # More than 2000 runs are no plan, so they are no offer either.
        many = certainty(drawn(), AIM, (999, 1000, 1001))
        self.assertEqual([step.repeats for step in many], [999, 1000])

    def test_scatter_is_typed_borrowed_or_unknown(self):
        self.assertEqual(known_scatter(response(noise_sd=0.4)).source, "as typed in")
        here, other = NoiseFloor(0.4, 5), NoiseFloor(0.9, 8)
        exact = known_scatter(response(), EarlierNoise(here, other))
        self.assertEqual((exact.sd, exact.noise), (0.4, here))
        self.assertIn("on this machine and piece", exact.source)
        similar = known_scatter(response(), EarlierNoise(None, other))
        # From elsewhere it tells the scatter, but carries no interval.
        self.assertEqual((similar.sd, similar.noise), (0.9, None))
        self.assertIn("borrowed from twins on other machines or pieces", similar.source)
        self.assertIsNone(known_scatter(response()))


class Budgets(unittest.TestCase):
    def test_hours_grams_and_money_added_up_by_hand(self):
        value = drawn(
            made=factors("part", minutes=30.0, kind="part", disturbs="nozzle"),
            machines={1: Machine(1, "Marlow", overhead_min=8.0, cost_per_h=0.6, power_w=150.0)},
            pieces={1: Piece(1, "Ring", (), 52.0, 20.0, 2.0)},
            spools=(Spool(1, "white", 25.0, 60.0),),
            rates=Rates(energy_per_kwh=0.4, labour_per_h=30.0, hands_min=6.0, check_min=5.0),
        )
        spooled = tuple(dataclasses.replace(run, spool="white") for run in value.runs)
        value = dataclasses.replace(value, runs=spooled)
        budget = budget_of(value)
        self.assertEqual((budget.runs, budget.printing_min, budget.overhead_min), (4, 208.0, 32.0))
        self.assertEqual((budget.part_g, budget.waste_g), (80.0, 8.0))
        self.assertEqual(budget.spools[0].short_g, 28.0)
        self.assertAlmostEqual(budget.filament, 88 / 1000 * 25)
        self.assertAlmostEqual(budget.energy, 4.0 * 0.150 * 0.4)
        self.assertAlmostEqual(budget.machine, 4.0 * 0.6)
        entered = 0
        before = value.baseline.id
        for run in value.runs:
            entered += run.arm_id != before
            before = run.arm_id
        into_new = sum(
            run.arm_id != value.baseline.id and (n == 0 or value.runs[n - 1].arm_id == value.baseline.id)
            for n, run in enumerate(value.runs)
        )
        self.assertEqual(budget.switching_min, 30.0 * into_new)
        # The nozzle line of the table has six checks, each time an arm is entered.
        self.assertEqual(budget.checking_min, entered * 6 * 5.0)
        self.assertAlmostEqual(budget.labour, (budget.switching_min + budget.checking_min + 24.0) / 60 * 30.0)
        self.assertEqual(budget.fittings, 3.0)

    def test_a_piece_has_its_own_estimate_on_a_machine(self):
        from oddtwin.core.study import Estimate

        piece = Piece(1, "Ring", (), 60.0, 20.0, 2.0, on_machines={1: Estimate(30.0, 18.0, 1.0)})
        self.assertEqual(budget_of(drawn(pieces={1: piece})).printing_min, 120.0)
        nothing = budget_of(drawn(pieces={1: Piece(1, "Ring", (), 0.0, 0.0, 0.0)}))
        self.assertEqual(nothing.unknown, ("Ring",))

    def test_a_study_becomes_work_for_the_timetable(self):
        value = drawn(made=factors("part", minutes=30.0))
        work = workload_of(value, datetime(2026, 11, 30))
        self.assertEqual(len(work.plates), 4)
        made = make_timetable(work, 1.0)
        self.assertEqual([item.key for item in made.placed], [run.id for run in value.runs])
        with self.assertRaisesRegex(ValueError, "no estimate of minutes for Ring"):
            workload_of(drawn(pieces={1: Piece(1, "Ring", (), 0.0, 0.0, 0.0)}), datetime(2026, 11, 30))


class Rechecks(unittest.TestCase):
    def test_checks_are_due_each_time_an_arm_is_entered(self):
        value = drawn(made=factors("belt", kind="part", disturbs="belts, pulleys, rails"), repeats=4)
        due = checks_by_run(value)
        before = value.baseline.id
        for run in value.runs:
            self.assertEqual(bool(due[run.id]), run.arm_id != before)
            before = run.arm_id

    def test_mass_disturbs_the_shaping_too(self):
        value = drawn(made=factors("hot end", kind="part", disturbs="hot end or heater", mass_g=15.0))
        entering = next(run for run in value.runs if checks_by_run(value)[run.id])
        self.assertIn("flow ceiling", checks_by_run(value)[entering.id])
        self.assertIn("acceleration limits", checks_by_run(value)[entering.id])

    def test_open_checks_are_a_threat_until_ticked_or_waived(self):
        value = drawn(made=factors("belt", kind="part", disturbs="mass that moves"))
        value = measured(value, lambda level, _: 10.0)
        self.assertIn("recalibration-open", [threat.code for threat in study_threats(value)])
        answers = [
            Recheck(n, run, text, NOON, "no time" if n == 1 else "")
            for n, (run, text) in enumerate(
                ((run, text) for run, texts in open_checks(value).items() for text in texts), 1
            )
        ]
        answered = dataclasses.replace(value, rechecks=tuple(answers))
        codes = [threat.code for threat in study_threats(answered)]
        self.assertNotIn("recalibration-open", codes)
        self.assertIn("recalibration-waived", codes)


class MakeUps(unittest.TestCase):
    CHANGES = (
        MachineChange(1, 1, NOON - timedelta(days=9), "part", "Nozzle", "0.4", "0.6", ""),
        MachineChange(2, 1, NOON - timedelta(days=2), "part", "nozzle", "0.6", "0.4 hard", ""),
        MachineChange(3, 2, NOON - timedelta(days=1), "place", "place", "shelf", "floor", ""),
        MachineChange(4, 1, NOON + timedelta(days=1), "part", "fan", "axial", "radial", ""),
    )

    def test_the_last_logged_value_of_everything_at_a_moment(self):
        self.assertEqual([item.value for item in make_up(self.CHANGES, 1)], ["radial", "0.4 hard"])
        self.assertEqual([item.value for item in make_up(self.CHANGES, 1, NOON)], ["0.4 hard"])
        self.assertEqual(make_up(self.CHANGES, 3), ())

    def test_a_change_while_the_study_runs_is_a_threat(self):
        value = dataclasses.replace(drawn(), changes=self.CHANGES)
        self.assertEqual([change.id for change in changed_since_frozen(value)], [4])
        threat = next(item for item in study_threats(value) if item.code == "machine-changed")
        self.assertIn("Marlow: fan", threat.sentence)
        own = tuple(dataclasses.replace(change, study_id=value.id) for change in self.CHANGES)
        self.assertEqual(changed_since_frozen(dataclasses.replace(value, changes=own)), [])


class GradedPlans(unittest.TestCase):
    """What pairs of grades can decide, whatever they scatter: the sign test turned round."""

    def said(self, repeats, kind=DesignKind.PAIRS, levels=(2,), **more):
        asked = (response(1, "Scars", kind=ResponseKind.GRADE, unit="", margin=1.0),)
        value = study(plan=None, blocks=(), responses=asked)
        if levels != (2,):
            factor = value.factors[0]
            found = tuple(Level(60 + place, f"{place} mm") for place in range(levels[0]))
            value = dataclasses.replace(value, factors=(dataclasses.replace(factor, levels=found),))
        drawn_ = draw_plan(value, plan(repeats=repeats, twins=0, design=Design(kind, levels, **more)))
        return power_sentence(drawn_, drawn_.responses[0], None).replace("\u202f", " ")

    def test_too_few_are_called_so_and_what_would_do_is_named(self):
        self.assertIn("4 pairs can decide nothing, however they come out; 6 can", self.said(4))

    def test_six_have_to_agree(self):
        # .8 to the power of a sixth is .963.
        self.assertIn("6 pairs decide where the change does the same in all of them", self.said(6))
        self.assertIn("80 % likely if it does so in 96 % of all pairs", self.said(6))

    def test_of_nine_one_may_not(self):
        self.assertIn("in 8 of them", self.said(9))

    def test_blocks_of_four_are_two_pairs(self):
        self.assertIn("6 pairs decide", self.said(3, guard=DriftGuard.ABBA))

    def test_several_arms_have_to_be_clearer(self):
        said = self.said(6, DesignKind.SEVERAL, (3,))
        self.assertIn("6 pairs, as one of 2 comparisons can decide nothing", said)
        self.assertIn("7 can", said)

    def test_cards_with_graded_pairs_can_decide(self):
        for card in CARDS:
            if card.design.kind in (DesignKind.PAIRS, DesignKind.SEVERAL) and card.responses[0].graded:
                said = self.said(card.repeats, card.design.kind, card.design.levels, guard=card.design.guard)
                self.assertIn("decide where", said, card.title)


class AmongOthers(unittest.TestCase):
    def test_the_chance_of_one_comparison_says_that_it_is_of_one(self):
        known = (response(1, "Force", margin=1.0, noise_sd=0.5),)
        value = dataclasses.replace(drawn(DesignKind.FACTORIAL, ("a", "b")), responses=known)
        said = power_sentence(value, known[0], None)
        self.assertIn("judged as one of 5 comparisons of this response", said)
        alone = dataclasses.replace(drawn(repeats=4), responses=known)
        self.assertNotIn("judged as one", power_sentence(alone, known[0], None))
