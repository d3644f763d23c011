"""What several questions cost each of them: one rule in plan, rehearsal and verdict."""

import math
import unittest
from dataclasses import replace

import numpy as np
from scipy import stats

from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import IN_STEPS, level_of_all
from oddtwin.core.judgement import analyse, asked_together, planned_level
from oddtwin.core.outlook import Aim, power_of_plan, power_sentence
from oddtwin.core.readings import Better, ResponseKind
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from oddtwin.core.study import ArmRole
from tests.builders import drawn, filled, response

KINDS = {
    ResponseKind.QUANTITY: (1.0, 0.8, 6),
    ResponseKind.GRADE: (1.0, 0.45, 10),
    ResponseKind.YES_NO: (1.6, 1.0, 16),
}
"""True difference, scatter of a print, and pairs, of each kind."""


def four_responses(kind, **more):
    """One response that decides, and three that do not; the second is of a kind."""
    plain = [response(number, f"R{number}", margin=None) for number in (1, 3, 4)]
    return (plain[0], response(2, "R2", kind=kind, margin=None, **more), *plain[1:])


class Level(unittest.TestCase):
    def test_dunnett_as_r_has_it(self):
        # PlantGrowth in R 4.2.2: .494 (−.1565, 1.1445) on 27 degrees of freedom, sd .6234, ten a group.
        edge = (1.1445 + 0.1565) / 2 / (0.6234 * math.sqrt(2 / 10))
        level = level_of_all(np.array([[1.0, 0.5], [0.5, 1.0]]), 27, 0.05)
        self.assertAlmostEqual(level, 2 * stats.t.sf(edge, 27), 3)

    def test_the_deciding_response_stands_by_itself(self):
        value = drawn(Design(DesignKind.PAIRS), responses=four_responses(ResponseKind.QUANTITY))
        deciding, other = value.responses[:2]
        self.assertEqual((asked_together(value, deciding), asked_together(value, other)), (1, 3))
        self.assertEqual(planned_level(value, deciding), 0.05)
        self.assertAlmostEqual(planned_level(value, other), 0.05 / 3)

    def test_arms_that_share_a_baseline_cost_less_than_holm(self):
        value = drawn(Design(DesignKind.SEVERAL, (4,)), levels=("1", "2", "3", "4"), factors=1, repeats=3)
        (deciding,) = value.responses
        self.assertEqual(asked_together(value, deciding), 3)
        self.assertTrue(0.05 / 3 < planned_level(value, deciding) < 0.05 / 2)

    def test_what_is_made_bad_on_purpose_is_judged_by_itself(self):
        value = drawn(Design(DesignKind.PAIRS), responses=four_responses(ResponseKind.QUANTITY))
        bad = replace(value.arms[1], id=9, name="bad", role=ArmRole.POSITIVE)
        with_control = replace(value, arms=(*value.arms, bad))
        self.assertEqual(planned_level(with_control, value.responses[1], 1), 0.05)

    def test_the_sentence_counts_it(self):
        asked = four_responses(ResponseKind.QUANTITY, noise_sd=0.8)
        value = drawn(Design(DesignKind.PAIRS), repeats=6, responses=asked)
        said = power_sentence(value, replace(asked[1], margin=1.0), None)
        self.assertIn("one of 3 comparisons of the responses that do not decide", said)
        self.assertNotIn("one of", power_sentence(value, replace(asked[0], margin=1.0, noise_sd=0.8), None))


class OnePromise(unittest.TestCase):
    """A response that does not decide is promised what it will be judged by."""

    def seen(self, value, kind, effect, sd, rng, times):
        """Share of studies that differ, from readings to verdict."""
        baseline = value.baseline.id
        ordered = sorted(value.runs, key=lambda run: run.position)
        moved = np.array([effect * (run.arm_id != baseline) for run in ordered])
        found = 0
        for _ in range(times):
            told = value
            for one in value.responses:
                own = rng.normal(0, sd, len(ordered)) + moved * (one.id == 2)
                if one.id == 2 and kind is ResponseKind.GRADE:
                    own = np.clip(np.round(own + 1.5), 0, 4)
                elif one.id == 2 and kind is ResponseKind.YES_NO:
                    own = (own > 0).astype(float)
                told = filled(told, list(own), one.id)
            (judged,) = [one for one in analyse(told).findings if one.comparison.response == "R2"]
            found += judged.verdict.leaning or judged.verdict.odd
        return found / times

    def test_the_three_agree(self):
        rng = np.random.default_rng(4)
        for kind, (effect, sd, pairs) in KINDS.items():
            value = drawn(Design(DesignKind.PAIRS), repeats=pairs, responses=four_responses(kind))
            asked = value.responses[1]
            promised = power_of_plan(value, Aim(asked, effect, sd)).p_find_margin
            alone = power_of_plan(value, Aim(replace(asked, primary=True), effect, sd)).p_find_margin
            self.assertLess(promised, alone - 0.04, kind)
            made = rehearse_study(value, [Assumed(2, effect, sd)], Conditions(0.0, 0.0), rng, 3000)
            shares = made.rehearsed[0].shares
            rehearsed = sum(share for verdict, share in shares.items() if verdict.odd or verdict.leaning)
            self.assertAlmostEqual(rehearsed, promised, delta=0.03, msg=kind)
            # Holm gives what others leave; with 120 studies the rest is chance.
            self.assertAlmostEqual(
                self.seen(value, kind, effect, sd, rng, 120), promised, delta=0.14, msg=kind
            )
            self.assertTrue(kind in IN_STEPS or len(made.rehearsed[0].examples) == 3)

    def test_a_guard_is_shown_by_itself(self):
        asked = four_responses(ResponseKind.QUANTITY, guard=True, better=Better.LOWER)
        asked = (asked[0], replace(asked[1], margin=1.0), *asked[2:])
        value = drawn(Design(DesignKind.PAIRS), repeats=6, responses=asked)
        rng = np.random.default_rng(6)
        made = rehearse_study(value, [Assumed(2, 0.0, 0.5)], Conditions(0.0, 0.0), rng, 2000)
        shares = {verdict.value: share for verdict, share in made.rehearsed[0].shares.items()}
        # Six pairs at sd .5: one one-sided t test at 5 % finds a guard that is not worse by 1 so often.
        sure = stats.nct.sf(stats.t.isf(0.05, 5), 5, 1.0 / (0.5 * math.sqrt(2 / 6)))
        self.assertAlmostEqual(shares.get("not-worse", 0) + shares.get("twin", 0), sure, delta=0.03)


if __name__ == "__main__":
    unittest.main()
