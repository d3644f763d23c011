"""The one value of a print, for every kind of response, and readings as they are typed."""

import math
import unittest

from oddtwin.core.decide import finding_of
from oddtwin.core.effects import Measure, compare
from oddtwin.core.quantities import QuantityError
from oddtwin.core.readings import (
    Better,
    Bound,
    Combine,
    Reading,
    ResponseKind,
    Rule,
    Spot,
    Typed,
    pooled,
    prints_of,
    read_table,
    read_typed,
    reduce_prints,
    value_of,
    write_table,
    write_typed,
)
from tests.builders import pairs

K = ResponseKind


def value(kind, *readings, combine=Combine.MEAN, **rule):
    rows = [Reading("A", number, kind=kind, **more) for number, more in readings]
    return value_of(rows, Rule(kind, combine, **rule))


class OneValue(unittest.TestCase):
    def test_retakes_of_one_spot_count_once(self):
        read = [(1.0, {"zone": "rim"}), (3.0, {"zone": "rim", "retake": 1}), (4.0, {"zone": "rib"})]
        self.assertEqual(value(K.QUANTITY, *read).value, 3.0)

    def test_a_size_is_its_error_nominal_by_nominal(self):
        # +0.25 and −0.25 are no good mean: each nominal is off by a quarter.
        read = [(8.25, {"zone": "bore", "nominal": 8.0}), (19.75, {"zone": "length", "nominal": 20.0})]
        self.assertAlmostEqual(value(K.SIZE, *read).value, 0.25)
        retaken = [*read, (8.15, {"zone": "bore", "nominal": 8.0, "retake": 1})]
        self.assertAlmostEqual(value(K.SIZE, *retaken).value, (0.2 + 0.25) / 2)

    def test_a_target_is_missed_spot_by_spot_too(self):
        self.assertEqual(
            value(K.DEVIATION, (9.0, {"zone": "a"}), (11.0, {"zone": "b"}), target=10.0).value, 1.0
        )

    def test_grades_by_mean_or_by_the_worst_zone(self):
        read = [(0.0, {"zone": "rim"}), (0.0, {"zone": "rib"}), (4.0, {"zone": "foot"})]
        self.assertAlmostEqual(value(K.GRADE, *read).value, 4 / 3)
        self.assertEqual(value(K.GRADE, *read).worst, 4.0)
        self.assertEqual(value(K.GRADE, *read, combine=Combine.WORST).value, 4.0)

    def test_a_yes_or_no_is_a_share(self):
        self.assertEqual(value(K.YES_NO, (1.0, {})).value, 1.0)
        self.assertEqual(value(K.YES_NO, (5.0, {"out_of": 7}), (0.0, {"out_of": 1})).value, 5 / 8)

    def test_counts_are_added_over_the_zones(self):
        self.assertEqual(value(K.COUNT, (2.0, {"zone": "rim"}), (3.0, {"zone": "rib"})).value, 5.0)

    def test_an_onset_is_the_first_position_that_shows_it(self):
        grades = ((30, 0.0), (45, 1.0), (60, 2.0), (75, 4.0))
        read = [(grade, {"zone": f"{angle}°"}) for angle, grade in grades]
        self.assertEqual((value(K.ONSET, *read).value, value(K.ONSET, *read).reach), (60.0, (45.0, 60.0)))
        self.assertEqual(value(K.ONSET, *read, onset=4.0).value, 75.0)
        self.assertEqual(value(K.ONSET, *read[:2]).reach, (45.0, math.inf))
        self.assertEqual(value(K.ONSET, *read[3:]).reach, (-math.inf, 75.0))
        self.assertIsNone(value(K.ONSET, (2.0, {"zone": "rim"})))

    def test_where_a_value_lies_is_kept(self):
        self.assertEqual(value(K.QUANTITY, (40.0, {"bound": Bound.ABOVE})).reach, (40.0, math.inf))
        self.assertEqual(value(K.QUANTITY, (5.0, {"bound": Bound.BELOW})).reach, (-math.inf, 5.0))
        between = (40.0, {"bound": Bound.BETWEEN, "high": 60.0})
        self.assertEqual(value(K.QUANTITY, between).reach, (40.0, 60.0))
        self.assertEqual(value(K.QUANTITY, between, (50.0, {"retake": 1})).reach, (45.0, 55.0))
        # A bore of 8 that is known to be below 8.5 may be right, or far too narrow.
        size = (8.5, {"bound": Bound.BELOW, "zone": "bore", "nominal": 8.0})
        self.assertEqual(value(K.SIZE, size).reach, (0.0, math.inf))

    def test_a_plate_with_one_unknown_print_is_unknown(self):
        read = [
            Reading("A", 30.0, run="a1", plate="1"),
            Reading("A", 40.0, run="a2", plate="1", bound=Bound.ABOVE),
            Reading("A", 20.0, run="a3", plate="2"),
            Reading("A", 30.0, run="a4", plate="2"),
        ]
        known = {item.run: item for item in pooled(prints_of(read, Rule()), lambda item: item.plate)}
        self.assertEqual(known["1"].reach, (35.0, math.inf))
        self.assertEqual((known["2"].value, known["2"].reach), (25.0, None))

    def test_twins_beyond_the_scale_are_no_noise(self):
        read = [
            Reading("A", number, run=f"a{number}", bound=bound)
            for number, bound in ((40.0, Bound.ABOVE), (12.0, Bound.EXACT), (13.0, Bound.EXACT))
        ]
        self.assertEqual(reduce_prints(read, "A", "B", Rule()).twin_groups(), [[12.0, 13.0]])

    def test_nothing_read_is_no_value(self):
        self.assertIsNone(value_of([], Rule()))
        (lost,) = prints_of([Reading("A", None, run="a")], Rule())
        self.assertFalse(lost.counts)


class Judged(unittest.TestCase):
    def finding(self, rows, **asked):
        import numpy as np

        return finding_of(compare(rows, Measure("A", "B", **asked), np.random.default_rng(1)))

    def test_values_known_only_as_a_limit_are_judged_as_such(self):
        # The gauge ends at 40: the change holds that and more.
        rows = pairs([10.0, 11.0, 12.0, 10.5], [39.0, 38.0, 39.5, 40.0])
        rows[-1] = Reading("B", 40.0, pair="4", run="b4", bound=Bound.ABOVE)
        found = self.finding(rows, margin=1.0, better=Better.HIGHER)
        self.assertEqual(found.verdict.value, "odd-better")
        self.assertTrue(found.sentence.endswith("1 print is known only by limits."))
        exact = self.finding(pairs([10.0, 11.0, 12.0, 10.5], [39.0, 38.0, 39.5, 40.0]), margin=1.0)
        # What lies above 40 may lie far above it.
        self.assertGreater(found.comparison.inference.ci95[1], exact.comparison.inference.ci95[1])

    def test_limits_everywhere_are_told_and_not_guessed(self):
        rows = pairs([10.0, 11.0], [40.0, 40.0])
        for place in (1, 3):
            rows[place] = Reading("B", 40.0, pair=rows[place].pair, run=rows[place].run, bound=Bound.ABOVE)
        found = self.finding(rows, margin=1.0)
        self.assertEqual(found.verdict.value, "undecided")
        self.assertIn("2 prints are known only as above, below or between", found.sentence)
        # Six pairs of which each is certainly better by 25 and more need no distribution.
        many = pairs([10.0 + n for n in range(6)], [40.0] * 6)
        many = [
            Reading("B", 40.0, pair=r.pair, run=r.run, bound=Bound.ABOVE) if r.arm == "B" else r for r in many
        ]
        sure = self.finding(many, margin=1.0, better=Better.HIGHER)
        self.assertEqual(sure.comparison.inference.ci95, (25.0, math.inf))
        self.assertIn("at least +25", sure.sentence)

    def test_words_are_counted_and_not_averaged(self):
        rows = [
            Reading(
                arm,
                None,
                "Surface",
                run=f"{arm}{n}",
                kind=K.WORD,
                word="matt" if arm == "A" or n else "glossy",
            )
            for arm in "AB"
            for n in range(3)
        ]
        found = self.finding(rows)
        self.assertEqual(found.verdict.value, "undecided")
        self.assertIn("matt 3 against glossy 1, matt 2", found.sentence)
        # Of six words one is glossy: it is in either arm with the same chance.
        self.assertAlmostEqual(found.comparison.inference.p_difference, 1.0)

    def test_words_that_go_with_the_arm_are_seen(self):
        rows = [
            Reading(arm, None, "Surface", run=f"{arm}{n}", kind=K.WORD, word=word)
            for arm, words in (("A", ["matt"] * 5), ("B", ["glossy"] * 4 + ["satin"]))
            for n, word in enumerate(words)
        ]
        found = self.finding(rows)
        # One of the two tables that are no more likely than this one, of 252: by hand.
        self.assertAlmostEqual(found.comparison.inference.p_difference, 2 / 252)
        self.assertEqual(found.verdict.value, "leaning")
        self.assertIn("the words go with the arm (p = 0.008)", found.sentence)

    def test_a_yes_or_no_is_judged_exactly(self):
        # McNemar's exact test: six pairs of six one way are 2/64 (two-sided).
        found = self.finding(pairs([1.0] * 6, [0.0] * 6, kind=K.YES_NO))
        self.assertAlmostEqual(found.comparison.inference.p_difference, 2 / 64)
        self.assertEqual(found.comparison.inference.ci95[0], -1.0)

    def test_only_a_quantity_has_a_percent(self):
        for kind, told in ((K.QUANTITY, True), (K.DEVIATION, False), (K.SIZE, False)):
            found = self.finding(pairs([10.0, 11.0, 12.0], [9.0, 9.5, 11.0], kind=kind), margin=1.0)
            self.assertEqual(found.comparison.percent is not None, told, kind)


class AsTyped(unittest.TestCase):
    def test_what_is_typed_and_written_again(self):
        for text, kind, typed, again in (
            (">40", K.QUANTITY, Typed(40.0, Bound.ABOVE), ">40"),
            ("< 5 N", K.QUANTITY, Typed(5.0, Bound.BELOW), "<5"),
            ("40..60", K.QUANTITY, Typed(40.0, Bound.BETWEEN, 60.0), "40..60"),
            ("40 – 60", K.QUANTITY, Typed(40.0, Bound.BETWEEN, 60.0), "40..60"),
            ("-0,2", K.DEVIATION, Typed(-0.2), "−0.2"),
            ("y", K.YES_NO, Typed(1.0), "1"),
            ("No", K.YES_NO, Typed(0.0), "0"),
            ("5 of 7", K.YES_NO, Typed(5.0, out_of=7), "5 of 7"),
            ("12", K.COUNT, Typed(12.0), "12"),
            ("0", K.COUNT, Typed(0.0), "0"),
            ("2", K.WORD, Typed(0.0, word="satin"), "satin"),
            ("MATT", K.WORD, Typed(0.0, word="matt"), "matt"),
            ("bad", K.GRADE, Typed(3.0), "3"),
        ):
            found = read_typed(text, kind, "N" if kind is K.QUANTITY else "", ("matt", "satin"))
            self.assertEqual(found, typed, text)
            self.assertEqual(write_typed(found), again, text)

    def test_what_cannot_be_is_refused_with_a_sentence(self):
        for text, kind in (
            ("60..40", K.QUANTITY),
            (">", K.QUANTITY),
            ("> lots", K.QUANTITY),
            ("8 of 7", K.YES_NO),
            ("0 of 0", K.YES_NO),
            ("perhaps", K.YES_NO),
            ("1.5", K.COUNT),
            ("-2", K.COUNT),
            ("3", K.WORD),
            ("", K.WORD),
            ("5", K.GRADE),
        ):
            with self.subTest(text, kind=kind), self.assertRaises(QuantityError) as caught:
                read_typed(text, kind, "N" if kind is K.QUANTITY else "", ("matt", "satin"))
            self.assertGreater(len(str(caught.exception)), 12)

    def test_a_table_carries_every_kind(self):
        rows = [
            Reading("A", 40.0, "Force", "N", run="a1", bound=Bound.ABOVE, by="Bo", instrument="gauge"),
            Reading("B", 40.0, "Force", "N", run="b1", bound=Bound.BETWEEN, high=60.0, retake=1),
            Reading("A", 8.1, "Bore", "mm", run="a1", kind=K.SIZE, zone="bore", nominal=8.0),
            Reading("A", 5.0, "Fits", run="a1", kind=K.YES_NO, out_of=7),
            Reading("A", None, "Surface", run="a1", kind=K.WORD, word="=matt"),
            Reading("A", 1.5, "Waste", "g", run="a1", combine=Combine.SUM, waste="brim"),
        ]
        self.assertEqual(read_table(write_table(rows)), rows)

    def test_older_tables_name_kinds_of_waste_as_zones(self):
        (old,) = read_table("arm,value,response,combine,zone,type\nA,1.5,Waste,sum,brim,number\n")
        self.assertEqual((old.spot, old.kind), (Spot(waste="brim"), K.QUANTITY))


if __name__ == "__main__":
    unittest.main()
