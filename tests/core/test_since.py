"""Whether prints still come out as they did: the same arm in two studies."""

import unittest
from dataclasses import replace

import numpy as np

from oddtwin.core.judgement import since_before
from tests.core.test_tradeoff import printed

MINUTES = "Print time"


def evenings(rng, drift=0.0, machine=None, prints=8, spread=1.0):
    """Prints in pairs, the change 20 minutes faster; ``drift`` is added to all minutes."""
    rows = [
        (120 - 20 * (number % 2) + drift + rng.normal(0, spread), 40 + rng.normal(0, 0.2), 2, 6, 1)
        for number in range(prints)
    ]
    value = printed(rows)
    return (
        value if machine is None else replace(value, machines={1: replace(value.machines[1], name=machine)})
    )


class Since(unittest.TestCase):
    def found(self, before, after, response=MINUTES):
        return [one for one in since_before(before, after).findings if one.comparison.response == response]

    def test_every_arm_is_held_against_itself(self):
        rng = np.random.default_rng(1)
        before, after = evenings(rng), evenings(rng, drift=4.0)
        both = self.found(before, after)
        self.assertEqual(len(both), 2)
        for one in both:
            self.assertAlmostEqual(one.comparison.estimate, 4.0, delta=2.0)
            self.assertEqual((one.comparison.n_baseline, one.comparison.n_change), (4, 4))
            self.assertIn("+", one.sentence)
            low, high = one.comparison.inference.ci95
            self.assertTrue(low < 4.0 < high)

    def test_it_is_the_unpaired_test_of_every_other_verdict(self):
        from scipy.stats import ttest_ind

        rng = np.random.default_rng(3)
        before, after = evenings(rng), evenings(rng, drift=1.5)
        (one, _) = self.found(before, after)
        then, now = (
            [item.value for item in some.readings if item.response_id == 1][::2] for some in (before, after)
        )
        self.assertAlmostEqual(one.comparison.inference.p_difference, ttest_ind(now, then).pvalue, places=9)

    def test_other_machines_and_other_levels_are_not_compared(self):
        rng = np.random.default_rng(1)
        before, after = evenings(rng), evenings(rng)
        self.assertEqual(since_before(before, evenings(rng, machine="Tarn")).findings, ())
        renamed = (after.arms[0], replace(after.arms[1], name="Something else"))
        self.assertEqual(len(self.found(before, replace(after, arms=renamed))), 1)
        self.assertEqual(
            [one.comparison.response for one in since_before(before, after).findings].count(MINUTES), 2
        )
        aside = tuple(replace(run, set_aside="came loose") for run in after.runs)
        self.assertEqual(since_before(before, replace(after, runs=aside)).findings, ())

    def test_it_seldom_cries_where_nothing_moved(self):
        rng = np.random.default_rng(7)
        cried = 0
        for _ in range(60):
            found = since_before(evenings(rng), evenings(rng)).findings
            cried += any(one.verdict.value.startswith(("odd", "leaning")) for one in found)
        # One family at 5 %: of 60, 3 on the mean; 9 or more come once in two hundred.
        self.assertLess(cried, 9)

    def asked_in_percent(self, then, now, margin=25.0, **other):
        """What became of minutes asked about in percent."""
        studies = [printed([(minutes, 40, 2, 6, 1) for minutes in some]) for some in (then, now)]
        asked = [
            replace(one, responses=tuple(
                replace(item, margin=margin, percent=True, **other) if item.name == MINUTES else item
                for item in one.responses
            ))
            for one in studies
        ]  # fmt: skip
        return since_before(*asked)

    def in_percent(self, then, now, **other):
        """The verdict on the minutes of the first arm."""
        since = self.asked_in_percent(then, now, **other)
        self.assertEqual(since.threats, ())
        found = [one for one in since.findings if one.comparison.response == MINUTES]
        self.assertEqual(len(found), 2)
        return found[0]

    def test_a_margin_in_percent_is_judged_by_logarithms_as_every_verdict_is(self):
        from scipy.stats import ttest_ind

        # The first arm prints every other one.
        then, now = [100.0, 90.0, 104.0, 92.0, 97.0, 88.0], [131.0, 90.0, 124.0, 91.0, 128.0, 93.0]
        one = self.in_percent(then, now)
        logs = ttest_ind(np.log(now[::2]), np.log(then[::2]))
        found = one.comparison
        self.assertAlmostEqual(found.inference.p_difference, logs.pvalue, places=9)
        ends = 100 * np.expm1(logs.confidence_interval(0.95))
        np.testing.assert_allclose(found.inference.ci95, ends, rtol=1e-9)
        ratio = np.exp(np.log(now[::2]).mean() - np.log(then[::2]).mean())
        self.assertAlmostEqual(found.estimate, 100 * (ratio - 1), places=9)
        self.assertEqual((found.unit, found.measure.margin), ("%", 25.0))
        self.assertIn("%", one.sentence)

    def test_a_quarter_more_and_a_fifth_less_are_as_far_away(self):
        then = [100.0, 50.0, 101.0, 50.0, 99.0, 50.0, 100.5, 50.0]

        def verdict(factor):
            return self.in_percent(then, [factor * one for one in then]).verdict.value

        # Of the mean of then, 23 % less would lie within a margin of 25.
        self.assertEqual((verdict(1.3), verdict(1 / 1.3)), ("odd-worse", "odd-better"))
        self.assertEqual((verdict(1.2), verdict(1 / 1.2)), ("twin", "twin"))

    def test_where_a_print_is_not_above_zero_it_is_said_that_there_is_no_margin(self):
        # Of the first arm one print of then is zero; the second, of 90 and 92, is held as ever.
        since = self.asked_in_percent(
            [100.0, 90.0, 0.0, 92.0, 97.0, 88.0], [131.0, 90.0, 124.0, 91.0, 128.0, 93.0]
        )
        first, second = (one.comparison for one in since.findings if one.comparison.response == MINUTES)
        self.assertEqual((first.measure.margin, first.unit), (None, "min"))
        self.assertEqual((second.measure.margin, second.unit), (25.0, "%"))
        (threat,) = since.threats  # Of the one arm, not of the other.
        self.assertIn("Print time (", threat.line)
        self.assertIn(") has values of zero", threat.line)
        self.assertIn("in its unit", threat.remedy)


if __name__ == "__main__":
    unittest.main()
