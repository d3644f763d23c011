"""Values known only by limits, against other libraries and by simulation."""

import unittest

import numpy as np
from scipy import stats

from oddtwin.core.effects.censored import censored_fit, infer_censored, profile_interval


class Likelihood(unittest.TestCase):
    def test_agrees_with_scipy_where_some_lie_above_or_between(self):
        data = stats.CensoredData(uncensored=[1.0, 2.0, 3.0, 2.5], right=[3.0], interval=[[1.5, 2.0]])
        mean, sd = stats.norm.fit(data)
        low, high = np.array([1.0, 2, 3, 2.5, 3, 1.5]), np.array([1.0, 2, 3, 2.5, np.inf, 2.0])
        fit = censored_fit(np.ones((6, 1)), low, high)
        self.assertAlmostEqual(fit.coefficients[0], mean, places=3)
        self.assertAlmostEqual(fit.sd, sd, places=3)

    def test_known_values_give_students_interval(self):
        values = np.array([1.0, 2.0, 3.0, 2.5, 1.7])
        reference = stats.ttest_1samp(values, 0).confidence_interval(0.9)
        found = profile_interval(np.ones((5, 1)), values, values, 0, 0.9)
        np.testing.assert_allclose(found, (reference.low, reference.high), rtol=1e-4)
        left, right = np.array([3.0, 4.0, 5.5]), np.array([6.0, 7.5, 8.0, 6.5])
        reference = stats.ttest_ind(right, left).confidence_interval(0.95)
        _, inference = infer_censored((left, right), (left, right), False)
        np.testing.assert_allclose(inference.ci95, (reference.low, reference.high), rtol=1e-4)

    def test_scale_does_not_matter(self):
        low, high = np.array([1.0, 2, 3, 2.5, 3]), np.array([1.0, 2, 3, 2.5, np.inf])
        one, other = (
            profile_interval(np.ones((5, 1)), low * scale, high * scale, 0, 0.95) for scale in (1, 1e6)
        )
        np.testing.assert_allclose(np.array(one) * 1e6, other, rtol=1e-3)

    def test_where_all_of_a_side_lie_beyond_a_limit_it_is_told_from_the_limit(self):
        known, limit, open_ = np.array([1.0, 2.0, 3.0]), np.array([10.0] * 3), np.array([np.inf] * 3)
        for sign in (1, -1):
            lows, highs = ((known, limit), (known, open_))
            if sign < 0:
                lows, highs = (-known, -open_), (-known, -limit)
            estimate, found = infer_censored(lows, highs, False)
            self.assertAlmostEqual(estimate, sign * 8.0)
            near, far = found.ci95[::sign]
            self.assertTrue(0.0 < sign * near < 8.0)
            self.assertEqual((far, found.sd), (sign * np.inf, None))

    def test_where_each_is_open_to_one_side_there_is_no_estimate(self):
        # The larger the scatter the likelier: no likelihood has a top, and −53 799 was told of it.
        low = (np.array([50.0, 60, 60]), np.array([60.0, 30, 40]))
        high = (np.array([60.0, np.inf, np.inf]), np.array([np.inf, 40, 50]))
        self.assertIsNone(infer_censored(low, high, True))
        alone = np.array([-np.inf, 1.0, -np.inf]), np.array([10.0, -np.inf, 10.0])
        self.assertIsNone(
            infer_censored(alone, (np.array([0.0, np.inf, 1.0]), np.array([np.inf, 3.0, np.inf])), False)
        )
        # With more pairs the sign test bounds the middle by the ends.
        most = [0, *[1, 2] * 5]
        estimate, found = infer_censored(
            tuple(one[most] for one in low), tuple(one[most] for one in high), True
        )
        self.assertEqual(found.method, "sign test of the limits")
        self.assertEqual((estimate, found.ci95), (-10.0, (-np.inf, -10.0)))

    def test_an_end_that_only_the_bells_shape_says_is_open(self):
        # Three pairs of a pull test that differ by 3.6, by 4.5 at least and by 2.5 at least: the bell's shape
        # puts the upper end at 48.
        known = np.array([3.6, 4.5, 2.5])
        nothing = np.zeros(3)
        estimate, found = infer_censored((nothing, known), (nothing, np.array([3.6, np.inf, np.inf])), True)
        self.assertTrue(-3.0 < found.ci95[0] < 2.5)
        self.assertEqual(found.ci95[1], np.inf)
        self.assertAlmostEqual(estimate, known.mean())

    def test_it_holds_as_often_as_it_says(self):
        rng = np.random.default_rng(1)
        held = 0
        for _ in range(40):
            drawn = rng.normal(0, 1, (2, 5))
            low, high = np.minimum(drawn, 0.8), np.where(drawn > 0.8, np.inf, drawn)
            found = infer_censored((low[0], low[1]), (high[0], high[1]), True)
            held += found is None or found[1].ci95[0] <= 0 <= found[1].ci95[1]
        self.assertGreater(held, 34)


if __name__ == "__main__":
    unittest.main()
