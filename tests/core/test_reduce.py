"""The print is the unit: how readings become prints, twins and pairs."""

import unittest

from oddtwin.core.readings import Combine, Reading, ResponseKind, Rule, reduce_prints
from tests.builders import groups, pairs


def reduced(readings, target=None):
    first = readings[0]
    return reduce_prints(readings, "A", "B", Rule(first.kind, first.combine, target))


class OneValueForEachPrint(unittest.TestCase):
    def test_repeated_readings_are_averaged_and_are_no_further_prints(self):
        rows = [Reading("A", value, pair="1", run="a1") for value in (10.0, 11.0, 12.0)]
        rows += [Reading("B", value, pair="1", run="b1") for value in (20.0, 22.0)]
        prints = reduced(rows)
        self.assertEqual([item.value for item in prints.baseline], [11.0])
        self.assertEqual([item.value for item in prints.change], [21.0])
        self.assertEqual(prints.twin_groups(), [])

    def test_grades_are_averaged_over_zones_with_the_worst_kept(self):
        rows = [
            Reading("A", value, run="a1", zone=zone, kind=ResponseKind.GRADE)
            for zone, value in (("rim", 0.0), ("rib", 3.0), ("rib", 1.0), ("foot", 1.0))
        ]
        (only,) = reduced(rows).baseline
        # Two graders of the rib count once: (0 + (3 + 1)/2 + 1) / 3.
        self.assertAlmostEqual(only.value, 1.0)
        self.assertEqual(only.worst, 3.0)

    def test_waste_is_summed_over_its_kinds(self):
        rows = [
            Reading("A", value, run="a1", waste=kind, combine=Combine.SUM)
            for kind, value in (("purge", 1.5), ("brim", 0.25), ("brim", 0.25))
        ]
        (only,) = reduced(rows).baseline
        self.assertEqual(only.value, 2.0)
        self.assertIsNone(only.worst)

    def test_a_target_turns_values_into_distances(self):
        rows = groups([19.9, 20.2], [20.05])
        prints = reduced(rows, target=20.0)
        self.assertEqual([round(item.value, 9) for item in prints.baseline], [0.1, 0.2])
        self.assertAlmostEqual(prints.change[0].value, 0.05)

    def test_rows_without_a_run_are_prints_unless_they_name_zones(self):
        rows = [Reading("A", 1.0), Reading("A", 2.0), Reading("B", 3.0)]
        self.assertEqual(len(reduced(rows).baseline), 2)
        zoned = [
            Reading("A", value, pair="1", zone=zone, kind=ResponseKind.GRADE)
            for zone, value in (("rim", 1.0), ("rib", 2.0))
        ]
        self.assertEqual(len(reduced(zoned).baseline), 1)

    def test_the_same_run_name_in_both_arms_is_two_prints(self):
        rows = [Reading("A", 1.0, run="1"), Reading("B", 2.0, run="1")]
        prints = reduced(rows)
        self.assertEqual((len(prints.baseline), len(prints.change)), (1, 1))

    def test_other_arms_are_left_out(self):
        rows = [*pairs([1.0], [2.0]), Reading("C", 99.0, pair="1", run="c1")]
        prints = reduced(rows)
        self.assertEqual(len(prints.baseline) + len(prints.change), 2)


class WhatDoesNotCount(unittest.TestCase):
    def test_a_print_set_aside_in_one_row_is_set_aside_whole(self):
        rows = [
            Reading("A", 1.0, pair="1", run="a1", zone="rim"),
            Reading("A", 2.0, pair="1", run="a1", zone="rib", set_aside="fell over"),
            Reading("B", 2.0, pair="1", run="b1"),
        ]
        prints = reduced(rows)
        self.assertEqual(prints.baseline, ())
        self.assertEqual([item.set_aside for item in prints.set_aside], ["fell over"])
        self.assertEqual(prints.pairs, ())

    def test_a_print_without_a_reading_is_missing_not_zero(self):
        prints = reduced(pairs([1.0, None], [2.0, 3.0]))
        self.assertEqual([item.run for item in prints.missing], ["a2"])
        self.assertEqual(len(prints.pairs), 1)

    def test_a_set_aside_print_without_readings_is_counted_once(self):
        rows = [*pairs([1.0], [2.0]), Reading("A", None, pair="1", run="a9", set_aside="spoilt")]
        prints = reduced(rows)
        self.assertEqual((len(prints.set_aside), len(prints.missing)), (1, 0))


class PairsAndTwins(unittest.TestCase):
    def test_twins_inside_a_pair_are_averaged_and_feed_the_noise(self):
        rows = [
            Reading("A", 10.0, pair="1", run="a1"),
            Reading("A", 12.0, pair="1", run="a1b"),
            Reading("B", 20.0, pair="1", run="b1"),
        ]
        prints = reduced(rows)
        self.assertEqual([block.difference for block in prints.pairs], [9.0])
        # Made one after the other were the first of each; the twin has no partner.
        self.assertEqual(prints.pairs[0].matched, [10.0])
        self.assertEqual(prints.twin_groups(), [[10.0, 12.0]])

    def test_twins_of_the_change_count_too_and_alone(self):
        rows = [Reading("B", 5.0, pair="3", run="b1"), Reading("B", 6.0, pair="3", run="b2")]
        prints = reduced(rows)
        self.assertEqual(prints.pairs, ())
        self.assertEqual(prints.twin_groups(), [[5.0, 6.0]])

    def test_pair_numbers_used_again_on_another_machine_are_other_pairs(self):
        rows = [
            Reading(arm, value, pair="1", machine=machine, run=f"{arm}{machine}")
            for arm, machine, value in (("A", "M", 1.0), ("B", "M", 2.0), ("A", "T", 10.0), ("B", "T", 12.0))
        ]
        prints = reduced(rows)
        self.assertEqual(sorted(block.difference for block in prints.pairs), [1.0, 2.0])
        self.assertEqual(prints.twin_groups(), [])

    def test_a_pair_split_over_machines_is_still_a_pair(self):
        rows = [
            Reading("A", 1.0, pair="1", machine="M", run="a"),
            Reading("B", 2.0, pair="1", machine="T", run="b"),
        ]
        self.assertEqual([block.difference for block in reduced(rows).pairs], [1.0])

    def test_unpaired_prints_of_one_place_are_twins(self):
        rows = groups([1.0, 2.0, 4.0], [5.0], machine="M", piece="ring")
        self.assertEqual(reduced(rows).twin_groups(), [[1.0, 2.0, 4.0]])
        apart = [
            Reading("A", 1.0, machine="M", run="1"),
            Reading("A", 2.0, machine="T", run="2"),
            Reading("B", 2.0, machine="T", run="3"),
        ]
        self.assertEqual(reduced(apart).twin_groups(), [])

    def test_unpaired_prints_among_paired_ones_meet_no_partner(self):
        rows = [*pairs([1.0, 2.0], [2.0, 4.0]), Reading("A", 50.0, run="x"), Reading("B", 70.0, run="y")]
        prints = reduced(rows)
        self.assertEqual([block.difference for block in prints.pairs], [1.0, 2.0])
        self.assertEqual(prints.twin_groups(), [])
