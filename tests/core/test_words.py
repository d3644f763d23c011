"""Words by the exact test of independence, against Fisher's and another library."""

import itertools
import math
import unittest

import numpy as np
from scipy import stats

from oddtwin.core.effects.words import p_of_words

RNG = np.random.default_rng(1)


class Independence(unittest.TestCase):
    def test_two_words_are_fishers_test(self):
        for a, b, c, d in ((3, 1, 1, 3), (5, 0, 1, 6), (2, 2, 2, 2), (7, 3, 1, 8)):
            found = p_of_words(["x"] * a + ["y"] * b, ["x"] * c + ["y"] * d, RNG)
            self.assertAlmostEqual(found, stats.fisher_exact([[a, b], [c, d]]).pvalue, places=10)

    def test_three_words_by_dealing_them_all_out(self):
        old, new = ["m", "m", "g", "s"], ["g", "g", "s", "m", "g"]
        everything = old + new

        def weight(chosen):
            words = [everything[i] for i in chosen]
            return math.prod(math.comb(everything.count(w), words.count(w)) for w in set(everything))

        ways = [weight(chosen) for chosen in itertools.combinations(range(9), 5)]
        own = weight(range(4, 9))
        self.assertAlmostEqual(p_of_words(old, new, RNG), np.mean([way <= own for way in ways]))

    def test_many_words_are_drawn(self):
        words = [f"word {n}" for n in range(20)]
        p = p_of_words(words * 2, words * 2, np.random.default_rng(2))
        self.assertGreater(p, 0.9)

    def test_an_arm_without_words_says_nothing(self):
        self.assertIsNone(p_of_words([], ["matt"], RNG))


if __name__ == "__main__":
    unittest.main()
