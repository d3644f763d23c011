"""Sentences, threats, figures and the JSON of a finding."""

import json
import math
import unittest

import numpy as np

from oddtwin.core.decide import (
    TABLE_HEAD,
    as_json,
    detail_lines,
    table_row,
    worst_by_arm,
)
from oddtwin.core.effects import Measure, NoiseFloor
from oddtwin.core.readings import Better, Reading, ResponseKind
from tests.builders import SHOES_A, SHOES_B, groups, judged, pairs

CLEAR = ([10.0, 10.4, 9.8, 10.1, 10.2, 9.9], [7.0, 7.1, 7.2, 6.8, 7.3, 6.9])
SAME = ([10.0, 10.4, 9.8, 10.1, 10.2, 9.9], [10.1, 10.3, 9.9, 10.1, 10.1, 9.9])


def found(readings, resolution=None, **asked):
    return judged(readings, Measure("A", "B", **asked), resolution)


def spoken(finding):
    return finding.sentence.replace("\u202f", " ")


def codes(finding):
    return {threat.code for threat in finding.threats}


class Sentences(unittest.TestCase):
    def test_odd(self):
        finding = found(pairs(*CLEAR, response="Waste", unit="g"), margin=1.0, better=Better.LOWER)
        self.assertEqual(finding.verdict.value, "odd-better")
        text = spoken(finding)
        self.assertTrue(text.startswith("Waste: −3.02 g (−30.0 %; 95 % interval −3.29 to"), text)
        self.assertTrue(text.endswith("it differs, and enough to matter, for the better."), text)

    def test_worse_and_without_direction(self):
        worse = found(pairs(*CLEAR), margin=1.0, better=Better.HIGHER)
        self.assertIn("for the worse", worse.sentence)
        plain = found(pairs(*CLEAR), margin=1.0)
        self.assertEqual(plain.verdict.value, "odd")
        self.assertNotIn("for the", plain.sentence)

    def test_twin_shows_the_ninety_percent_interval(self):
        finding = found(pairs(*SAME, unit="g"), margin=1.0)
        self.assertIn("90 % interval", spoken(finding))
        self.assertIn("no difference that matters (margin 1 g)", spoken(finding))

    def test_a_real_difference_too_small_to_matter(self):
        finding = found(pairs(*CLEAR), margin=20.0)
        self.assertEqual(finding.verdict.value, "twin")
        self.assertIn("a real difference, too small to matter", finding.sentence)

    def test_leaning_says_how_many_pairs_would_settle_it(self):
        finding = found(pairs(SHOES_A, SHOES_B), margin=0.5, better=Better.LOWER)
        self.assertEqual(finding.verdict.value, "leaning-worse")
        self.assertIn("it differs, for the worse; whether enough to matter is open: ", finding.sentence)
        more = (
            f"if the true difference is what was seen, {finding.more_pairs} more pairs (62 to 239) settle it"
        )
        self.assertIn(more, finding.sentence)

    def test_undecided_with_and_without_a_noise_floor(self):
        finding = found(pairs([1.0, 5.0, 3.0], [4.0, 3.0, 4.5]), margin=1.0)
        self.assertEqual(finding.verdict.value, "undecided")
        self.assertIn("cannot tell yet: if the true difference", finding.sentence)
        single = found(pairs([1.0], [2.0]), margin=1.0)
        self.assertIn("print the baseline again", single.sentence)
        empty = found([Reading("A", 1.0)], margin=1.0)
        self.assertIn("no print that counts", empty.sentence)

    def test_never_says_that_nothing_differs_for_want_of_significance(self):
        rng = np.random.default_rng(2)
        for _ in range(60):
            finding = found(pairs(rng.normal(10, 3, 4), rng.normal(10, 3, 4)), margin=0.5)
            if finding.verdict.value == "undecided":
                self.assertIn("cannot tell", finding.sentence)
                self.assertNotIn("no difference", finding.sentence)

    def test_without_a_margin_it_is_asked_for(self):
        finding = found(pairs(*CLEAR))
        self.assertEqual(finding.verdict.value, "leaning")
        self.assertIn("state the margin", finding.sentence)
        self.assertIsNone(finding.more_pairs)
        self.assertIn("no-margin", codes(finding))

    def test_prints_set_aside_are_counted_in_the_sentence(self):
        rows = [*pairs(*CLEAR), Reading("A", 50.0, pair="1", run="x", set_aside="fell over")]
        self.assertTrue(found(rows, margin=1.0).sentence.endswith("; 1 print set aside and not counted."))
        rows.append(Reading("B", 50.0, pair="1", run="y", set_aside="fell over"))
        self.assertIn("; 2 prints set aside and not counted.", found(rows, margin=1.0).sentence)

    def test_scatter_far_above_the_margin_is_named(self):
        finding = found(pairs([0.0, 900.0, 100.0], [700.0, 0.0, 150.0]), margin=1e-3)
        self.assertIsNone(finding.more_pairs)
        self.assertIn("even 1000 more pairs might not tell", finding.sentence)

    def test_close_to_the_margin_more_pairs_hardly_help(self):
        finding = found(pairs([0.0, 0.0, 0.0, 0.0], [0.9, 1.1, 0.95, 1.05]), margin=1.0)
        self.assertIsNone(finding.more_pairs)
        self.assertIn("hardly settle it", finding.sentence)

    def test_unpaired_prints_and_targets_have_their_words(self):
        unpaired = found(groups([1.0, 2.0, 6.0], [2.0, 4.0, 7.0]), margin=1.0)
        self.assertIn("prints of each arm", unpaired.sentence)
        aimed = found(pairs(*CLEAR, unit="mm"), margin=1.0, better=Better.TARGET, target=7.0)
        self.assertIn("mm from the target", aimed.sentence.replace("\u202f", " "))
        self.assertEqual(aimed.verdict.value, "odd-better")


class Threats(unittest.TestCase):
    def test_a_clean_study_has_none(self):
        rows = pairs(*CLEAR, machine="M", piece="ring", spool="s", day="2026-03-09")
        rows.append(
            Reading("A", 10.1, pair="1", machine="M", piece="ring", run="t", spool="s", day="2026-03-09")
        )
        self.assertEqual(codes(found(rows, 0.1, margin=1.0)), set())

    def test_no_twins(self):
        self.assertIn("no-twins", codes(found(pairs(*CLEAR), margin=1.0)))
        known = found(pairs(*CLEAR), margin=1.0, noise=NoiseFloor(0.2, 4))
        self.assertNotIn("no-twins", codes(known))

    def test_arms_split_by_machine_spool_or_day(self):
        for attribute in ("machine", "piece", "spool", "day"):
            rows = [
                Reading(arm, value, run=f"{arm}{value}", **{attribute: "one" if arm == "A" else "two"})
                for arm, value in (("A", 1.0), ("A", 2.0), ("B", 3.0), ("B", 4.5))
            ]
            finding = found(rows, margin=1.0)
            self.assertIn(f"split-{attribute}", codes(finding))
            sentence = next(t.sentence for t in finding.threats if t.code == f"split-{attribute}")
            self.assertIn("one", sentence)
            self.assertIn("two", sentence)

    def test_a_pair_torn_over_two_spools(self):
        rows = pairs(*CLEAR, spool="one")
        rows[1] = Reading("B", 7.0, pair="1", run="b1", spool="two")
        rows[3] = Reading("B", 7.1, pair="2", run="b2", spool="one")
        sentence = next(t.sentence for t in found(rows, margin=1.0).threats if t.code == "torn-spool")
        self.assertIn("1 of 6 pairs", sentence)

    def test_balanced_machines_are_no_threat(self):
        rows = [
            Reading(arm, value, pair=f"{machine}1", machine=machine, run=f"{arm}{machine}")
            for machine in ("M", "T")
            for arm, value in (("A", 1.0), ("B", 2.0))
        ]
        self.assertNotIn("split-machine", codes(found(rows, margin=1.0)))

    def test_lost_prints(self):
        rows = [*pairs(*CLEAR), Reading("B", 7.0, pair="7", run="alone")]
        threat = next(t for t in found(rows, margin=1.0).threats if t.code == "lost-runs")
        self.assertIn("1 print without a partner", threat.sentence)
        unequal = found(groups([1.0, 2.0, 3.0], [1.0, 2.0]), margin=1.0)
        self.assertIn("lost-runs", codes(unequal))
        self.assertNotIn("lost-runs", codes(found(groups([1.0, 2.0], [1.0, 3.0]), margin=1.0)))
        unread = found(pairs([1.0, 2.0, None], [2.0, 4.0, 3.0]), margin=1.0)
        self.assertIn("lost-runs", codes(unread))

    def test_coarse_instruments(self):
        # Common practice, no source: the step should be no more than a fifth of the margin.
        for step, coarse in ((0.2, False), (0.1 + 0.1, False), (0.21, True), (1.0, True)):
            finding = found(pairs(*CLEAR, unit="g"), step, margin=1.0)
            self.assertEqual("coarse-instrument" in codes(finding), coarse, step)
        self.assertNotIn("coarse-instrument", codes(found(pairs(*CLEAR), 1.0)))

    def test_hidden_scatter(self):
        finding = found(pairs([1.0, 2.0, 3.0], [2.0, 3.0, 4.0]), margin=1.0)
        self.assertIn("no-scatter", codes(finding))

    def test_zones_read_again_without_a_name_of_the_print(self):
        rows = pairs(*CLEAR)
        zoned = [
            Reading(arm, 1.0 + n, zone=zone) for arm in "AB" for n in range(2) for zone in ("rim", "rib")
        ]
        self.assertIn("unnamed-prints", codes(found(zoned, margin=1.0)))
        self.assertNotIn("unnamed-prints", codes(found([*rows, *rows], margin=1.0)))
        self.assertNotIn("unnamed-prints", codes(found(zoned[:2] + zoned[4:6], margin=1.0)))

    def test_every_threat_says_what_to_do(self):
        rows = [*groups([1.0, 2.0], [5.0], machine="M"), Reading("B", 5.0, run="z", machine="T")]
        for threat in found(rows).threats:
            self.assertGreater(len(threat.remedy), 20)


class Figures(unittest.TestCase):
    def test_json_holds_every_figure_and_null_where_none_applies(self):
        finding = found(pairs(SHOES_A, SHOES_B, response="Wear", unit="mm"), margin=0.5, better=Better.LOWER)
        figures = json.loads(json.dumps(as_json(finding), allow_nan=False))
        self.assertEqual(figures["response"], "Wear")
        self.assertEqual(figures["n"], {"baseline": 10, "change": 10, "pairs": 10})
        self.assertAlmostEqual(figures["ci95"][0], 0.1330460942, places=7)
        self.assertEqual(figures["noise"], {"sd": None, "df": None, "limit": None})
        self.assertEqual(figures["verdict"], "leaning-worse")
        self.assertEqual(figures["more_pairs"], finding.more_pairs)
        self.assertEqual([t["code"] for t in figures["threats"]], ["no-twins"])
        self.assertIsNone(figures["cliffs_delta"])

    def test_infinite_ends_become_null(self):
        figures = as_json(found(groups([0, 0], [3, 4], kind=ResponseKind.COUNT), margin=1.0))
        self.assertIsNone(figures["ratio_ci95"][1])
        json.dumps(figures, allow_nan=False)

    def test_the_table_has_a_cell_for_every_head(self):
        for rows in (pairs(*CLEAR), groups(*CLEAR), pairs([1.0], [2.0]), [Reading("A", 1.0)]):
            row = table_row(found(rows, margin=1.0))
            self.assertEqual(len(row), len(TABLE_HEAD))
            self.assertTrue(all(isinstance(cell, str) and cell for cell in row[1:]))

    def test_details_of_noise_and_grades(self):
        rows = pairs([2.0, 3.0, 2.0], [1.0, 1.0, 0.0], kind=ResponseKind.GRADE, zone="rim")
        rows.append(Reading("A", 3.0, pair="1", run="t", zone="rim", kind=ResponseKind.GRADE))
        finding = found(rows, margin=0.5)
        text = " ".join(detail_lines(finding))
        self.assertIn("Cliff’s delta −1.00", text)
        self.assertIn("Worst zone: baseline bad, change trace", text)
        self.assertIn("with 1 degree of freedom", text)
        self.assertEqual(worst_by_arm(finding.comparison), (3.0, 1.0))
        self.assertIsNone(worst_by_arm(found(pairs(*CLEAR)).comparison))
        self.assertTrue(math.isfinite(finding.comparison.noise.limit))
