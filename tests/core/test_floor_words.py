"""What Ask says of earlier twins is what Plan says of as many pairs."""

import re
import unittest
from dataclasses import replace

from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import NoiseFloor
from oddtwin.core.outlook import EarlierNoise, floor_sentence, known_scatter, power_of_plan
from tests.builders import drawn, response

FLOOR = EarlierNoise(NoiseFloor(1.0, 12.0))


def pairs_said(text):
    return int(re.search(r": (\d+) pair", text)[1])


class FloorWords(unittest.TestCase):
    def study(self, repeats, levels=("0.2", "0.3"), margin=1.6):
        kind = DesignKind.PAIRS if len(levels) == 2 else DesignKind.SEVERAL
        asked = response(1, margin=margin, primary=True)
        return drawn(Design(kind), levels, responses=(asked,), repeats=repeats)

    def test_it_never_promises_more_than_the_plan_and_of_two_arms_the_very_same(self):
        # With several arms the plan also learns the scatter from the others, so that one block less may do.
        for levels in (("0.2", "0.3"), ("0.2", "0.3", "0.4", "0.5")):
            with self.subTest(levels):
                study = self.study(2, levels)
                told = pairs_said(floor_sentence(study, study.responses[0], FLOOR))
                chance = {}
                for repeats in (told - 1, told):
                    planned = self.study(repeats, levels)
                    one = planned.responses[0]
                    chance[repeats] = power_of_plan(planned, known_scatter(one, FLOOR).aim(one)).p_find_margin
                self.assertGreaterEqual(chance[told], 0.8)
                if len(levels) == 2:
                    self.assertLess(chance[told - 1] or 0.0, 0.8)

    def test_more_arms_ask_for_more(self):
        two, four = (
            pairs_said(floor_sentence(study, study.responses[0], FLOOR))
            for study in (self.study(2), self.study(2, ("0.2", "0.3", "0.4", "0.5")))
        )
        self.assertGreater(four, two)

    def test_nothing_is_said_where_nothing_is_known_and_what_is_out_of_reach_is_told(self):
        study = self.study(2)
        one = study.responses[0]
        self.assertEqual(floor_sentence(study, one, None), "")
        self.assertEqual(floor_sentence(study, replace(one, margin=None), FLOOR), "")
        self.assertEqual(floor_sentence(study, replace(one, noise_sd=2.0), FLOOR), "")
        self.assertIn("12 pairs would not yet find", floor_sentence(study, replace(one, margin=0.1), FLOOR))
        borrowed = floor_sentence(study, one, EarlierNoise(None, NoiseFloor(1.0, 12.0)))
        self.assertIn("borrowed from twins on other machines", borrowed)
