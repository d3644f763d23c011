"""What looks cost, against published bounds."""

import unittest
from dataclasses import replace

import numpy as np

from oddtwin.core.decide import findings_of
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import Measure, Shape, Studies, level_for_looks, method_for, price_of_looks
from oddtwin.core.judgement import analyse, look_level, look_pairs, look_words, refuse_looks, study_threats
from oddtwin.core.outlook import Aim, power_of_plan
from oddtwin.core.readings import Better, ResponseKind
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from oddtwin.core.study import Look
from tests.builders import drawn, filled, pairs, response

QUANTITY = ResponseKind.QUANTITY


class Looks(unittest.TestCase):
    def test_pococks_constants(self):
        # Two-sided nominal levels of 2 and 3 equal looks at 5 %, from z = 2.1782721 and 2.2894781
        # (R package ldbounds): 0.0294 and 0.0221. Many pairs are nearly normal.
        for looks, level in (((500, 1000), 0.0294), ((500, 1000, 1500), 0.0221)):
            self.assertAlmostEqual(level_for_looks(looks), level, delta=0.002)

    def test_a_look_after_each_pair(self):
        # Simulated for the specification of this program: looks after each of 3 to 12 pairs, .0105.
        self.assertAlmostEqual(level_for_looks(tuple(range(3, 13))), 0.0105, delta=0.001)
        self.assertAlmostEqual(price_of_looks(tuple(range(2, 13))), 0.21, delta=0.01)

    def test_one_look_costs_nothing(self):
        self.assertAlmostEqual(price_of_looks((6,)), 0.05, delta=0.005)
        self.assertAlmostEqual(level_for_looks((6, 6)), 0.05, delta=0.005)
        self.assertEqual(price_of_looks((0, 1)), 0.0)

    def test_a_planned_look_asks_for_more(self):
        rows = {"Force": pairs([10.0, 10.4, 9.8, 10.1], [9.0, 10.2, 9.1, 9.4], response="Force")}
        measure = Measure("A", "B", 0.6, Better.HIGHER)
        (alone,), (one_of_many,) = (findings_of(rows, measure, 0, look) for look in (None, (4, 12)))
        self.assertTrue(alone.verdict.leaning)
        self.assertEqual(one_of_many.verdict.value, "undecided")
        self.assertIn("among 12 looks one", one_of_many.sentence)
        # Four pairs at the fourth look: one pair a look, from the first to the twelfth.
        spent = 0.05 / level_for_looks(tuple(range(1, 13)))
        self.assertAlmostEqual(one_of_many.family.difference, alone.comparison.inference.p_difference * spent)


class InThePlan(unittest.TestCase):
    """Looks that a plan has: one rule in plan, rehearsal and verdict."""

    ASKED = (response(1, margin=None, better=None),)

    def planned(self, looks, repeats=12, **more):
        design = Design(DesignKind.PAIRS, (2,), looks=looks)
        asked = {"responses": self.ASKED} | more
        return drawn(design, levels=("1", "2"), factors=1, repeats=repeats, **asked)

    def read(self, value, effect, rng, prints=None):
        baseline = value.baseline.id
        ordered = sorted(value.runs, key=lambda run: run.position)
        moved = np.array([effect * (run.arm_id != baseline) for run in ordered])
        read = list(20 + moved + rng.normal(0, 1, len(ordered)))
        kept = len(read) if prints is None else prints
        return analyse(filled(value, [*read[:kept], *[None] * (len(read) - kept)])).findings[0]

    def test_plan_rehearsal_and_verdict_agree(self):
        value = self.planned(3)
        self.assertEqual(look_pairs(value.plan), (4, 8, 12))
        promised = power_of_plan(value, Aim(value.responses[0], 1.0, 1.0)).p_find_margin
        once = power_of_plan(self.planned(1), Aim(value.responses[0], 1.0, 1.0)).p_find_margin
        self.assertLess(promised, once - 0.1)
        rng = np.random.default_rng(3)
        made = rehearse_study(value, [Assumed(1, 1.0, 1.0)], Conditions(0.0, 0.0), rng, 3000)
        shares = made.rehearsed[0].shares
        rehearsed = sum(share for verdict, share in shares.items() if verdict.odd or verdict.leaning)
        self.assertAlmostEqual(rehearsed, promised, delta=0.03)
        found = [self.read(value, 1.0, rng).verdict for _ in range(150)]
        seen = sum(verdict.odd or verdict.leaning for verdict in found) / len(found)
        self.assertAlmostEqual(seen, promised, delta=0.1)

    def test_all_looks_together_err_once_in_twenty(self):
        value, rng, false = self.planned(3, 6), np.random.default_rng(5), 0
        for _ in range(120):
            seeds = rng.integers(1 << 30)
            # The same prints at every look, more of them each time.
            looks = [self.read(value, 0.0, np.random.default_rng(seeds), prints) for prints in (4, 8, 12)]
            false += any(one.verdict.odd or one.verdict.leaning for one in looks)
        # Binomial: 6 of 120, three standard deviations up.
        self.assertLess(false, 6 + 3 * (120 * 0.05 * 0.95) ** 0.5)

    def test_what_cannot_spend_its_error_rate_is_refused(self):
        counted = (response(1, kind=ResponseKind.COUNT, margin=1.0),)
        value = self.planned(2, responses=counted)
        with self.assertRaisesRegex(ValueError, "comes in bursts"):
            refuse_looks(value.plan, value.responses)
        with self.assertRaisesRegex(ValueError, "after one pair"):
            refuse_looks(self.planned(3, 4).plan, self.ASKED)
        refuse_looks(self.planned(1, responses=counted).plan, counted)

    def test_grades_and_answers_keep_to_their_error_rate(self):
        rng, times = np.random.default_rng(7), 2000
        for kind in (ResponseKind.GRADE, ResponseKind.YES_NO):
            asked = (response(1, kind=kind, margin=None, better=None),)
            value = self.planned(3, responses=asked)
            refuse_looks(value.plan, value.responses)
            read = np.clip(np.round(rng.normal(1.5, 1.0, (2, times, 12))), 0, 4)
            base, change = read if kind is ResponseKind.GRADE else (read > 1).astype(float)
            false = np.zeros(times, bool)
            for pairs_made in look_pairs(value.plan):
                shape = Shape(kind, pairs_made, pairs_made, pairs_made, level=look_level(value))
                some = (side[:, :pairs_made] for side in (change - base, base, change))
                studies = Studies(shape, np.zeros(times), *some, np.zeros(times))
                ends = method_for(shape).infer_many(studies, Measure("A", "B", level=shape.level))
                false |= (ends.low95 > 0) | (ends.high95 < 0)
            self.assertLess(false.mean(), 0.05 + 3 * (0.05 * 0.95 / times) ** 0.5, kind)
            # Fewer looks leave more of the error rate to each.
            chance = power_of_plan(value, Aim(asked[0], 1.5, 0.6)).p_find_margin
            once = power_of_plan(self.planned(1, responses=asked), Aim(asked[0], 1.5, 0.6)).p_find_margin
            self.assertLess(chance, once)
        for design in (Design(DesignKind.LADDER, (4,), looks=2), Design(looks=21), Design(looks=0)):
            with self.assertRaisesRegex(ValueError, "looks are planned for pairs"):
                design.combinations()

    def test_a_planned_look_is_not_early_and_a_further_one_is(self):
        value = self.planned(3, 6)
        done = filled(value, [20.0] * 8 + [None] * 4)
        made = sorted(run.finished for run in done.runs if run.finished)
        early = []
        for places in ((3,), (3, 7), (2,), (3, 4)):
            seen = replace(done, looks=tuple(Look(made[place]) for place in places))
            early.append("early-look" in [threat.code for threat in study_threats(seen)])
        self.assertEqual(early, [False, False, True, True])
        self.assertIn("after 2, 4, 6 pairs; one of them is due now", look_words(done))
        once = replace(done, looks=(Look(made[3]), Look(made[7])))
        self.assertIn("none of them is due now", look_words(once))
        twice = filled(self.planned(2, 6), [20.0] * 6 + [None] * 6)
        self.assertIn("after 3, 6 pairs; one of them is due now", look_words(twice))
        self.assertEqual(look_words(self.planned(1, 6)), "")


if __name__ == "__main__":
    unittest.main()
