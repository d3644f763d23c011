"""Designs of single prints, judged by their small effects: Lenth's figures, and one rule in all places."""

import itertools
import math
import unittest

import numpy as np

from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import NoiseFloor, every_effect, pseudo_error
from oddtwin.core.judgement import analyse, contrasts
from oddtwin.core.outlook import Aim, power_of_plan
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from oddtwin.core.threat import ThreatCode
from tests.builders import drawn, filled, response

# Montgomery, Design and Analysis of Experiments, example 6-2 (data from memory): filtration rate, 2⁴ once.
FILTRATION = (45, 71, 48, 65, 68, 60, 80, 65, 43, 100, 45, 104, 75, 86, 70, 96)
# Box, Hunter and Hunter, chapter 12 (data from memory): 2^(7−4) of D = AB, E = AC, F = BC, G = ABC.
CYCLING = (69, 52, 60, 83, 71, 50, 59, 88)


def standard(factors):
    """Levels of all runs in standard order, the first factor changing fastest."""
    return [tuple(reversed(run)) for run in itertools.product((0, 1), repeat=factors)]


def effects_of(levels, values):
    signs = every_effect({str(place): run for place, run in enumerate(levels)})
    rows = np.array([signs[str(place)] for place in range(len(levels))])
    return rows.T @ np.array(values, float) * 2 / len(values)


class Figures(unittest.TestCase):
    def test_a_full_factorial_printed_once(self):
        found = effects_of(standard(4), FILTRATION)
        # A, B, C, D first; the sign of a word is that of its first run.
        sizes = np.sort(np.abs(found))[::-1]
        for value, expected in zip(sizes[:5], (21.625, 18.125, 16.625, 14.625, 9.875), strict=True):
            self.assertAlmostEqual(value, expected)
        self.assertAlmostEqual(float(pseudo_error(found[None, :])[0]), 2.625)

    def test_a_saturated_fraction(self):
        base = standard(3)
        # The product of two signs is + where both levels are alike.
        alike = lambda *some: int(sum(some) % 2 == len(some) % 2)  # noqa: E731
        runs = [
            (*run, *(alike(*(run[k] for k in word)) for word in ((0, 1), (0, 2), (1, 2), (0, 1, 2))))
            for run in base
        ]
        found = effects_of(runs, CYCLING)
        self.assertEqual(len(found), 7)
        self.assertEqual(sorted(np.abs(found).round(9).tolist()), [0.5, 1.0, 1.0, 2.5, 3.5, 12.0, 22.5])
        self.assertAlmostEqual(float(pseudo_error(found[None, :])[0]), 1.5)

    def test_what_is_no_such_design(self):
        self.assertIsNone(every_effect({}))
        self.assertIsNone(every_effect({str(n): run for n, run in enumerate(standard(2))}))
        twice = [*standard(2), *standard(2)]
        self.assertIsNone(every_effect({str(n): run for n, run in enumerate(twice)}))
        self.assertIsNone(every_effect({str(n): run for n, run in enumerate(standard(3)[:6])}))


class WholePath(unittest.TestCase):
    """A 2⁴ of single prints, as plan, as rehearsal and as verdict."""

    def planned(self, factors=4, **more):
        asked = (response(1, margin=None, better=None, **more),)
        return drawn(
            Design(DesignKind.FACTORIAL, (2,) * factors),
            levels=("1", "2"), factors=factors, repeats=1, twins=0, responses=asked,
        )  # fmt: skip

    def read(self, value, effect, rng, noise=None):
        contrast, arms = contrasts(value)[0], value.index.arms
        ordered = sorted(value.runs, key=lambda run: run.position)
        moved = [effect * contrast.sides[arms[run.arm_id].name] for run in ordered]
        return analyse(filled(value, list(20 + np.array(moved) + rng.normal(0, 1, len(moved)))), noise)

    def test_it_is_judged_and_said_by_what(self):
        found = self.read(self.planned(), 6.0, np.random.default_rng(1))
        first = found.findings[0]
        self.assertTrue(first.verdict.leaning)
        self.assertIn("small effects", first.comparison.inference.method)
        self.assertAlmostEqual(first.comparison.inference.df, 5.0)
        self.assertIn("Lenth", self.borrowed(found))

    def borrowed(self, found):
        """What is said of the noise that does not come from twins of the study."""
        return " ".join(one.sentence for one in found.threats if one.code is ThreatCode.BORROWED_NOISE)

    def test_a_known_noise_floor_comes_first(self):
        known = NoiseFloor(1.0, 12)
        typed = self.planned(noise_sd=1.0, noise_df=12.0)
        for value, noise, source in (
            (self.planned(), lambda _: known, "comes from earlier studies"),
            (typed, None, "is the one that was typed in"),
            (typed, lambda _: NoiseFloor(9.0, 3), "is the one that was typed in"),
        ):
            found = self.read(value, 6.0, np.random.default_rng(1), noise)
            inference = found.findings[0].comparison.inference
            self.assertEqual(inference.df, 12)
            self.assertNotIn("small effects", inference.method)
            self.assertIn(source, self.borrowed(found))

    def test_arms_printed_twice_tell_the_scatter_themselves(self):
        value = drawn(
            Design(DesignKind.FACTORIAL, (2, 2)), levels=("1", "2"), factors=2, repeats=2, twins=0,
            responses=(response(1, margin=None, better=None),),
        )  # fmt: skip
        found = self.read(value, 6.0, np.random.default_rng(1), lambda _: NoiseFloor(9.0, 3))
        self.assertEqual(self.borrowed(found), "")

    def test_three_factors_or_a_lost_print_are_what_they_are(self):
        value = self.planned(3)
        self.assertIn(
            "small effects",
            self.read(value, 9.0, np.random.default_rng(2)).findings[0].comparison.inference.method,
        )
        ordered = [20.0 + place % 3 for place in range(len(value.runs))]
        found = analyse(filled(value, [None, *ordered[1:]])).findings[0]
        self.assertEqual(found.verdict.value, "undecided")

    def test_no_effect_differs_in_five_of_a_hundred_studies(self):
        value, rng, false = self.planned(3), np.random.default_rng(3), 0
        for _ in range(70):
            false += any(
                one.verdict.leaning or one.verdict.odd for one in self.read(value, 0.0, rng).findings
            )
        # Six comparisons judged together; binomial, three standard deviations up.
        self.assertLess(false, 3.5 + 3 * math.sqrt(70 * 0.05 * 0.95))

    def test_plan_rehearsal_and_verdict_agree(self):
        value, rng = self.planned(), np.random.default_rng(4)
        promised = power_of_plan(value, Aim(value.responses[0], 2.6, 1.0)).p_find_margin
        self.assertTrue(0.3 < promised < 0.95, promised)
        made = rehearse_study(value, [Assumed(1, 2.6, 1.0)], Conditions(0.0, 0.0), rng, 3000)
        shares = made.rehearsed[0].shares
        rehearsed = sum(share for verdict, share in shares.items() if verdict.leaning or verdict.odd)
        self.assertAlmostEqual(rehearsed, promised, delta=0.03)
        seen = sum(self.read(value, 2.6, rng).findings[0].verdict.leaning for _ in range(50)) / 50
        self.assertAlmostEqual(seen, promised, delta=0.2)


if __name__ == "__main__":
    unittest.main()
