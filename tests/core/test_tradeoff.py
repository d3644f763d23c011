"""Weighing up: costs by hand, fronts and switches by brute force, paybacks by their closed form."""

import itertools
import json
import math
import unittest
from dataclasses import replace
from datetime import timedelta

import numpy as np

from oddtwin.core.customs import ChangeKind
from oddtwin.core.picture import Text, WeighedArm, tradeoff_picture
from oddtwin.core.readings import Better, Combine, ResponseKind, Subject
from oddtwin.core.study import (
    Decision,
    DecisionKind,
    Factor,
    Level,
    Machine,
    Plate,
    Rates,
    Role,
    Run,
    RunReading,
    Spool,
)
from oddtwin.core.tradeoff import (
    MONEY,
    Axis,
    LadderPath,
    Line,
    Prices,
    by_priorities,
    cheapest_at,
    gates_of,
    path_words,
    payback,
    prices_from,
    prices_of,
    prices_values,
    print_costs,
    sentences,
    undominated,
    weigh,
    weighed_json,
    winners,
)
from tests.builders import NOON, response, study

PRICES = Prices("€", 0.30, 24.0, 5.0, {"Chalk": 20.0}, {"Marlow": 0.6}, {"Marlow": 150.0})


def responses():
    return (
        response(1, "Print time", unit="min", role=Role.TIME, margin=2.0),
        response(2, "Part mass", role=Role.PART),
        response(3, "Waste", role=Role.WASTE, combine=Combine.SUM),
        response(4, "Clean-up", unit="min"),
        response(5, "Strings", unit="", kind=ResponseKind.GRADE, combine=Combine.WORST),
    )


def printed(values, plates=None, **more):
    """Runs with readings of time, part, waste, clean-up and a grade: one tuple a print, pairs in turn."""
    runs, readings = [], []
    for number, of in enumerate(values, 1):
        start = NOON + timedelta(hours=2 * number)
        plate = Plate(plates[number - 1] if plates else 0, start, start + timedelta(minutes=50))
        arm = (number - 1) % 2 + 1
        runs.append(Run(number, f"R{number}", number, arm, (number + 1) // 2, plate=plate, spool="Chalk"))
        for key, value in enumerate(of, 1):
            if value is not None:
                readings.append(RunReading(len(readings) + 1, number, key, float(value)))
    told = {"responses": responses(), "readings": tuple(readings), **more}
    return study(runs, **told)


class Costs(unittest.TestCase):
    def test_a_print_costs_filament_energy_machine_and_hands(self):
        value = printed([(120, 40, 2, 6, 1), (100, 40, 2, 6, 1)])
        cost = print_costs(value, PRICES)[1]
        # By hand: 42 g at 20 €/kg; 2 h of 150 W at 0.30 €/kWh; 2 h at 0.60 €; 5 + 6 min of hands at 24 €/h.
        self.assertAlmostEqual(cost.filament, 0.84)
        self.assertAlmostEqual(cost.energy, 0.09)
        self.assertAlmostEqual(cost.machine, 1.2)
        self.assertAlmostEqual(cost.hands, 4.4)
        self.assertAlmostEqual(cost.money, 6.53)
        self.assertFalse(cost.estimated)

    def test_what_was_not_read_is_taken_from_stamps_and_piece_and_told(self):
        value = printed([(None, None, None, None, 1), (100, 40, 2, 6, 1)])
        pieces = {1: replace(value.pieces[1], minutes=70.0, part_g=30.0, waste_g=5.0)}
        value = replace(value, pieces=pieces)
        cost = print_costs(value, PRICES)[1]
        self.assertEqual((cost.minutes, cost.grams, cost.estimated), (50.0, 30.0, True))
        back = value.runs[0].with_plate(finished=value.runs[0].started - timedelta(minutes=5))
        machines = {1: replace(value.machines[1], overhead_min=8.0)}
        value = replace(value, runs=(back, *value.runs[1:]), machines=machines)
        self.assertEqual(print_costs(value, PRICES)[1].minutes, 78.0, "a clock set back tells nothing")

    def test_pieces_of_a_plate_share_what_is_read_of_it(self):
        value = printed([(120, 40, 6, None, 1), (None, 30, None, None, 1)], plates=[7, 7])
        shared = tuple(
            replace(one, subject=Subject.PLATE) if one.role in (Role.TIME, Role.WASTE) else one
            for one in value.responses
        )
        first, second = print_costs(replace(value, responses=shared), PRICES).values()
        self.assertEqual((first.minutes, second.minutes), (60.0, 60.0))
        self.assertEqual((first.grams, second.grams), (43.0, 33.0))
        self.assertAlmostEqual(first.hands, 2.5 / 60 * 24)

    def test_prices_are_those_of_the_day_it_was_settled(self):
        value = printed(
            [(120, 40, 2, 6, 1)],
            rates=Rates("CHF", 0.4, 30.0, 4.0),
            spools=(Spool(1, "Chalk", 25.0), Spool(2, "Slate")),
            machines={1: Machine(1, "Marlow", cost_per_h=0.5, power_w=90.0)},
        )
        today = prices_of(value)
        self.assertEqual(
            (today.currency, today.per_kg, today.power_w), ("CHF", {"Chalk": 25.0}, {"Marlow": 90.0})
        )
        self.assertEqual(prices_from(prices_values(today)), today)
        kept = Decision(DecisionKind.ADOPT, "x", NOON, prices_values(PRICES))
        self.assertEqual(prices_of(replace(value, decision=kept)), PRICES)
        with self.assertRaises(ValueError):
            prices_from({"energy_per_kwh": "dear"})

    def test_a_spool_that_nobody_priced_costs_what_the_others_do(self):
        value = printed([(120, 40, 2, 6, 1)])
        unknown = replace(value.runs[0], spool="Slate")
        value = replace(value, runs=(unknown,))
        self.assertAlmostEqual(print_costs(value, PRICES)[1].filament, 0.84)

    def test_hours_until_it_pays_are_prints_times_minutes(self):
        found = payback(300.0, 0.5, (0.4, 0.6), 90.0)
        self.assertEqual((found.prints, found.hours), (600.0, 900.0))
        self.assertIn("600 prints (95 % interval 500 to 750), 900 h of printing", found.sentence("B", "€"))
        self.assertIsNone(payback(300.0, None, None, 90.0).hours)


class Figures(unittest.TestCase):
    """Means, ties, gates and prices by hand."""

    def weighed(self, *times, **more):
        """Two arms in turn with these minutes; all else alike."""
        return weigh(printed([(time, 40, 2, 6, 1) for time in times], **more), prices=PRICES)

    def responses(self, **first):
        one, *others = responses()
        return {"responses": (replace(one, **first), *others)}

    def test_a_mean_has_its_interval_by_student(self):
        # 100, 101, 105 of the first arm: mean 102, sd 2.6458; t(0.975, 2) = 4.3027.
        figure = self.weighed(100, 90, 101, 91, 105, 92).figures["Old"]["time"]
        self.assertAlmostEqual(figure.value, 102.0)
        self.assertAlmostEqual(figure.ci95[1] - 102.0, 4.302653 * 2.645751 / math.sqrt(3), places=4)
        self.assertEqual(figure.n, 3)

    def test_without_a_margin_what_two_like_means_differ_by_is_a_tie(self):
        # Squares 2 and 8 on 2 degrees of freedom: sd² = 5, two prints each.
        weighed = self.weighed(101, 102, 103, 106, **self.responses(margin=None))
        self.assertAlmostEqual(weighed.axis("time").tie, 4.302653 * math.sqrt(5), places=4)
        self.assertEqual(self.weighed(101, 102, 103, 106).axis("time").tie, 2.0)
        single = weigh(printed([(100, 40, 2, 6, 1), (90, 40, 2, 6, 1)], **self.responses(margin=None)))
        self.assertEqual(single.axis("time").tie, 0.0)

    def test_a_gate_shuts_out_what_lies_beyond_its_limit_and_not_on_it(self):
        times = (100, 90, 101, 95, 102, 96)
        gate = ["Print time holds its limit"]

        def out(accept, better):
            value = printed(
                [(time, 40, 2, 6, 1) for time in times], **self.responses(accept=accept, better=better)
            )
            return dict(weigh(value, gate).shut_out)

        self.assertEqual(out(102.0, Better.LOWER), {})
        self.assertIn("1 of 3 prints go beyond 101.5", out(101.5, Better.LOWER)["Old"])
        self.assertEqual(set(out(95.5, Better.HIGHER)), {"New"})
        self.assertIn("2 of 3 prints go beyond 95.5", out(95.5, Better.HIGHER)["New"])

    def test_at_other_prices_the_cheapest_is_reckoned_anew(self):
        weighed = weigh(printed([(120, 40, 2, 6, 2), (100, 40, 2, 6, 2)] * 2), prices=PRICES)
        # 100 min: .075 of energy, 1 of the machine, 4.4 of hands; 42 g at 50 €/kg; two grade steps of 2.
        name, money = cheapest_at(weighed, 50.0, 2.0)
        self.assertEqual(name, "New")
        self.assertAlmostEqual(money, 0.075 + 1.0 + 4.4 + 2.1 + 4.0)
        self.assertIsNone(cheapest_at(weigh(printed([(1, 1, 1, 1, 1), (2, 1, 1, 1, 1)])), 1.0, 1.0))

    def test_what_a_grade_is_worth_is_asked_only_where_there_is_money(self):
        values = [(100, 40, 2, 6, 3), (160, 40, 2, 6, 0)] * 3
        self.assertEqual(weigh(printed(values)).by_grade, ())
        stretches = weigh(printed(values), prices=PRICES).by_grade
        self.assertEqual([one.name for one in stretches], ["Old", "New"])
        # One hour more costs .6 + .045; it saves three steps.
        self.assertAlmostEqual(stretches[1].low, 0.645 / 3)
        self.assertEqual(
            weigh(printed([(100, 40, 2, 6, 1), (160, 40, 2, 6, 1)] * 3), prices=PRICES).by_grade, ()
        )

    def test_the_price_of_a_kilogram_at_which_another_wins_is_where_two_lines_cross(self):
        # New prints 30 min longer and takes 10 g less: .0225 + .3 more, .01 kg less.
        def lines(more_hands_min):
            arms = [(100, 50, 2, 6, 1), (130, 40, 2, 6 + more_hands_min, 1)]
            values = [(t, g + 0.1 * n, w, h, f) for n in range(3) for t, g, w, h, f in arms]
            weighed = weigh(printed(values), prices=PRICES)
            less = weighed.costs["Old"]["grams"] - weighed.costs["New"]["grams"]
            self.assertEqual([one.name for one in weighed.by_gram], ["Old", "New"])
            return weighed.by_gram[1].low * less / 1000

        values = [(t, g + 0.1 * n, 2, 6, 1) for n in range(3) for t, g in ((100, 50), (130, 40))]
        self.assertEqual(len(weigh(printed(values), prices=PRICES).by_gram), 2)
        free = replace(PRICES, per_kg={})
        self.assertEqual(weigh(printed(values), prices=free).by_gram, (), "nothing to change the price of")
        self.assertAlmostEqual(lines(0.0), 0.3225)
        self.assertAlmostEqual(lines(0.3), 0.3225 + 0.3 / 60 * 24)

    def test_a_kilogram_costs_the_mean_of_the_spools_that_are_printed(self):
        value = printed([(100, 40, 2, 6, 1)] * 2)
        two = replace(value, runs=(value.runs[0], replace(value.runs[1], spool="Slate")))
        prices = replace(PRICES, per_kg={"Chalk": 20.0, "Slate": 30.0, "Umber": 90.0})
        self.assertEqual((prices.usual(two), prices.usual(value)), (25.0, 20.0))
        self.assertEqual(replace(PRICES, per_kg={}).usual(two), 0.0)

    def test_heating_is_shared_by_the_pieces_of_a_plate(self):
        value = printed([(None, 40, 2, 6, 1), (None, 40, 2, 6, 1)], plates=[7, 7])
        pieces = {1: replace(value.pieces[1], minutes=70.0)}
        machines = {1: replace(value.machines[1], overhead_min=8.0)}
        runs = tuple(run.with_plate(started=None, finished=None) for run in value.runs)
        value = replace(value, pieces=pieces, machines=machines, runs=runs)
        made = tuple(run.with_plate(started=NOON, finished=NOON) for run in runs)
        self.assertEqual(
            [one.minutes for one in print_costs(replace(value, runs=made), PRICES).values()], [74.0, 74.0]
        )


class Fronts(unittest.TestCase):
    def test_it_is_the_front_of_brute_force(self):
        rng = np.random.default_rng(4)
        axes = [Axis("a", "A", "", 1), Axis("b", "B", "", -1), Axis("c", "C", "", 1)]
        for _ in range(40):
            drawn = rng.integers(0, 5, (6, 3)).astype(float).tolist()
            arms = {f"arm {n}": dict(zip("abc", of, strict=True)) for n, of in enumerate(drawn)}
            front, beaten = undominated(arms, axes)
            for name, of in arms.items():
                better = []
                for other, there in arms.items():
                    no_worse = there["a"] <= of["a"] and there["b"] >= of["b"] and there["c"] <= of["c"]
                    if no_worse and there != of:
                        better.append(other)
                self.assertEqual(sorted(beaten.get(name, [])), sorted(better))
                self.assertEqual(name in front, not better)

    def test_ties_inside_the_margin_are_no_advantage(self):
        axes = [Axis("min", "Minutes", "min", 1, tie=2.0), Axis("g", "Grams", "g", 1, tie=0.5)]
        arms = {"old": {"min": 60.0, "g": 20.0}, "new": {"min": 58.5, "g": 20.3}}
        self.assertEqual(undominated(arms, axes)[0], ["old", "new"])
        arms["new"]["min"] = 55.0
        self.assertEqual(undominated(arms, axes), (["new"], {"old": ["new"]}))
        # What was not measured of an arm neither saves nor damns it.
        self.assertEqual(undominated({"old": {"min": 60.0}, "new": {"g": 1.0}}, axes)[0], ["old", "new"])

    def test_priorities_go_on_where_arms_tie(self):
        axes = [Axis("q", "Scars", "", 1, tie=0.5), Axis("min", "Minutes", "min", 1, tie=1.0)]
        arms = {
            "A": {"q": 2.0, "min": 40.0}, "B": {"q": 0.2, "min": 70.0},
            "C": {"q": 3.0, "min": 10.0}, "D": {"q": 0.0, "min": 55.0},
        }  # fmt: skip
        pick = by_priorities(arms, axes)
        self.assertEqual((pick.arms, pick.decided_by), (("D",), "min"))
        self.assertEqual(by_priorities({"B": arms["B"], "D": arms["D"]}, axes).tied_on, ("q",))
        self.assertEqual(by_priorities(arms, axes[:1]).arms, ("B", "D"))


class Switches(unittest.TestCase):
    def test_the_cheapest_along_a_price_is_that_of_brute_force(self):
        rng = np.random.default_rng(9)
        for _ in range(60):
            lines = [Line(f"arm {n}", *map(float, rng.integers(0, 9, 2))) for n in range(5)]
            found = winners(lines, 20.0)
            self.assertEqual((found[0].low, found[-1].high), (0.0, 20.0))
            for one, other in itertools.pairwise(found):
                self.assertEqual(one.high, other.low)
            by_name = {line.name: line for line in lines}
            for one in found:
                at = (one.low + one.high) / 2
                line = by_name[one.name]
                least = min(other.fixed + at * other.times for other in lines)
                self.assertAlmostEqual(line.fixed + at * line.times, least)

    def test_nothing_to_weigh_is_refused(self):
        with self.assertRaises(ValueError):
            winners([])


class Paybacks(unittest.TestCase):
    def test_it_is_cost_over_saving_and_its_interval_turned_over(self):
        found = payback(12.0, 0.5, (0.25, 0.75))
        self.assertEqual((found.prints, found.ci95), (24.0, (16.0, 48.0)))
        said = found.sentence("Hardened", "€", 12.0)
        self.assertIn(
            "pays back after 24 prints (95 % interval 16 to 48), 2.0 months at 12 prints a month", said
        )

    def test_never_is_said_as_such(self):
        open_end = payback(12.0, 0.5, (-0.1, 1.1))
        self.assertTrue(math.isinf(open_end.ci95[1]))
        self.assertIn("to never", open_end.sentence("It", "€"))
        lost = payback(12.0, -0.5, (-1.0, -0.1))
        self.assertTrue(math.isinf(lost.prints))
        self.assertIn("never pays back by what was seen.", lost.sentence("It", "€"))
        self.assertIn(
            "it may save enough after 60 prints", payback(12.0, -0.1, (-0.4, 0.2)).sentence("It", "€")
        )
        # What rounding leaves of no saving at all is no saving.
        self.assertIn("never pays back", payback(12.0, 1e-16, (-0.1, 0.1)).sentence("It", "€"))
        self.assertEqual(payback(12.0, 1e-6, None).prints, 12e6)
        self.assertEqual(payback(0.0, 0.5, None).prints, 0.0)
        self.assertEqual(payback(9.0, None, None).sentence("It", "€"), "")

    def test_its_interval_holds_the_true_number_in_nineteen_of_twenty(self):
        from scipy.stats import t

        rng = np.random.default_rng(2)
        held = 0
        for _ in range(800):
            saved = rng.normal(0.5, 0.2, 6)
            reach = t.ppf(0.975, 5) * saved.std(ddof=1) / math.sqrt(6)
            low, high = payback(10.0, saved.mean(), (saved.mean() - reach, saved.mean() + reach)).ci95
            held += low <= 20.0 <= high
        self.assertTrue(0.93 <= held / 800 <= 0.97, held / 800)


class Weighed(unittest.TestCase):
    def study(self, faster=20.0, **more):
        rows = []
        for pair in range(4):
            jitter = 0.3 * pair
            rows.append((120 + jitter, 40, 2, 6, 1))
            rows.append((120 - faster + jitter, 40, 2, 6 + (pair == 2) * 0.5, 1))
        return printed(rows, **more)

    def test_arms_are_weighed_and_what_follows_is_said(self):
        cost = (Level(1, "brass"), Level(2, "hardened", cost=9.0, minutes=15.0))
        value = self.study(factors=(Factor(1, ChangeKind.PART, "hot end", cost),))
        arms = tuple(replace(arm, level_ids=(number,)) for number, arm in enumerate(value.arms, 1))
        weighed = weigh(replace(value, arms=arms), prices=PRICES)
        self.assertEqual(weighed.front, ("New",))
        self.assertEqual(weighed.dominated, {"Old": ["New"]})
        # 20 min of machine and power: 20/60·(0.6 + 0.15·0.3) = 0.215 €, less 0.05 € of hands on the mean.
        saved = weighed.savings["New"]
        self.assertAlmostEqual(saved.value, 0.215 - 0.125 / 60 * 24, places=6)
        self.assertTrue(saved.ci95[0] < saved.value < saved.ci95[1])
        one = weighed.paybacks["New"]
        self.assertAlmostEqual(one.cost, 9.0 + 0.25 * 24)
        self.assertAlmostEqual(one.prints, one.cost / saved.value)
        told = " ".join(sentences(weighed, 30.0))
        for part in ("Old is beaten by New", "New wins by Print time", "New saves 0.1", "pays back after"):
            self.assertIn(part, told)
        figures = json.loads(json.dumps(weighed_json(weighed), allow_nan=False))
        self.assertEqual(figures["front"], ["New"])
        self.assertEqual(set(figures["costs"]), {"Old", "New"})
        self.assertIn("filament", figures["costs"]["New"])

    def test_a_gate_shuts_an_arm_out_however_good_it_is(self):
        value = self.study()
        limit = tuple(replace(one, accept=115.0) if one.role is Role.TIME else one for one in value.responses)
        runs = tuple(replace(run, failed="broke" if run.id == 2 else "") for run in value.runs)
        value = replace(value, responses=limit, runs=runs)
        fails, holds = gates_of(value)
        out = weigh(value, [fails], PRICES)
        self.assertEqual((out.front, out.shut_out), (("Old",), {"New": "1 of 4 prints failed: broke"}))
        out = weigh(value, [holds], PRICES)
        self.assertIn("4 of 4 prints go beyond 115", out.shut_out["Old"])
        # Where no arm is left, none is the cheapest.
        none = replace(
            value, responses=tuple(replace(one, accept=1.0) if one.accept else one for one in limit)
        )
        out = weigh(none, [holds], PRICES)
        self.assertEqual((set(out.shut_out), cheapest_at(out, 20.0, 2.0)), ({"Old", "New"}, None))
        self.assertEqual(weigh(value, (), PRICES).shut_out, {})

    def test_scatter_is_no_saving_and_no_switch(self):
        weighed = weigh(self.study(faster=0.0), prices=PRICES)
        told = " ".join(sentences(weighed))
        self.assertIn("costs as much as the baseline within the scatter", told)
        self.assertNotIn("Cheapest where", told)
        self.assertEqual(weighed.by_gram, ())

    def test_a_price_that_changes_the_choice_is_told_in_both_arms(self):
        rows = []
        for pair in range(4):
            rows += [(120 + pair, 40, 12, 6, 1), (180 + pair, 40, 2, 6, 3)]
        weighed = weigh(printed(rows), prices=PRICES)
        # Ten grams less for an hour more: 0.645 € at 64.5 €/kg.
        self.assertEqual([one.name for one in weighed.by_gram], ["Old", "New"])
        self.assertAlmostEqual(weighed.by_gram[0].high, 64.5)
        self.assertIn("Old less than 64.50 €; New more than 64.50 €", " ".join(sentences(weighed)))

    def test_without_prices_nothing_is_said_of_money(self):
        weighed = weigh(self.study(), prices=Prices())
        self.assertNotIn(MONEY, [axis.key for axis in weighed.axes])
        self.assertEqual((weighed.savings, weighed.paybacks, weighed.by_grade), ({}, {}, ()))
        self.assertEqual(weighed.front, ("New",))

    def test_the_path_of_a_ladder_says_where_it_ends_and_what_each_end_saves(self):
        path = LadderPath(("Safe", "Mid", "Far"), "Mid", "Far", "Strings")
        minutes = {"Safe": 100.0, "Mid": 91.04, "Far": 80.0}
        grams = {"Safe": 40.0, "Mid": 40.04, "Far": 42.0}
        money = {"Safe": 2.0, "Mid": 1.79, "Far": 1.9}
        told = path_words(path, "Safe", minutes, grams, "€", money)
        self.assertEqual(
            [line.replace("\u202f", " ") for line in told],
            [
                "Mid is the last level that holds by Strings; "
                "on the mean 9.0 min less, 0.21 € less a print than Safe.",
                "Far does not hold, for 11.0 min less, 2.0 g more, 0.11 € more still.",
            ],
        )
        (only,) = path_words(replace(path, holds="Safe", beyond=""), "Safe", {}, {}, "€", {})
        self.assertEqual(only, "No level beyond Safe was shown to hold by Strings.")
        self.assertIsNone(weigh(self.study(), prices=PRICES).path)

    def test_the_picture_of_a_ladder_goes_along_its_levels(self):
        arms = [
            WeighedArm(name, float(x), float(y), None, None, name == "Safe", False)
            for name, x, y in (("Safe", 3, 1), ("Mid", 2, 1.2), ("Far", 1, 4))
        ]
        plain = tradeoff_picture(arms, ("Money, €", "Strings"), (1, 1), 520, 250)
        drawn = tradeoff_picture(
            arms, ("Money, €", "Strings"), (1, 1), 520, 250, ("Safe", "Mid", "Far"), "Mid"
        )
        self.assertEqual(len(drawn.shapes) - len(plain.shapes), 4, "two legs, a ring, and its words")
        self.assertIn("the last that holds", [one.text for one in drawn.shapes if isinstance(one, Text)])

    def test_one_arm_alone_cannot_be_weighed(self):
        value = printed([(120, 40, 2, 6, 1)])
        with self.assertRaisesRegex(ValueError, "two arms"):
            weigh(value)

    def test_what_has_no_direction_is_not_weighed(self):
        value = self.study()
        blunt = tuple(replace(one, better=None) if one.role is Role.TIME else one for one in value.responses)
        names = [axis.name for axis in weigh(replace(value, responses=blunt)).axes]
        self.assertNotIn("Print time", names)
        self.assertIn("Strings", names)
        self.assertEqual(Better.LOWER, responses()[0].better)


if __name__ == "__main__":
    unittest.main()
