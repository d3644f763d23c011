"""Threats: found in the order and in the log, weighed, and told once a cause."""

import dataclasses
import unittest
from datetime import timedelta

from oddtwin.core.design import Design, DesignKind
from oddtwin.core.judgement import all_threats, analyse, study_threats
from oddtwin.core.study import Deviation, RunReading
from oddtwin.core.threat import Threat, ThreatCode, Weight, merged
from tests.builders import NOON, drawn, response, run, study


def threat(code, sentence="It is so.", **more):
    return Threat(code, sentence, "Do something about it.", **more)


def started_in(order):
    """A study on one machine whose runs 1, 2, … were started in another order."""
    stamps = {number: NOON + timedelta(hours=place) for place, number in enumerate(order)}
    return study(
        [run(number, 1 + number % 2, 1, started=at, finished=None) for number, at in sorted(stamps.items())]
    )


class ManyComparisons(unittest.TestCase):
    def told(self, value):
        return [one.sentence for one in study_threats(value) if one.code == ThreatCode.MANY_COMPARISONS]

    def test_from_three_on_it_is_said_how_often_luck_alone_would_differ(self):
        self.assertEqual(self.told(drawn(Design(DesignKind.SEVERAL), ("0.2", "0.3", "0.4"))), [])
        (said,) = self.told(drawn(Design(DesignKind.SEVERAL), ("0.2", "0.3", "0.4", "0.5")))
        self.assertIn("makes 3 comparisons", said)
        # 1 − .95³.
        self.assertIn("not in 14\u202f%", said)


class Order(unittest.TestCase):
    def told(self, order):
        return [item.sentence for item in study_threats(started_in(order)) if item.code == "order-not-random"]

    def test_the_fewest_prints_that_were_moved_are_counted(self):
        self.assertEqual(self.told([1, 2, 3]), [])
        self.assertIn("1 of 3 prints was", self.told([2, 1, 3])[0])
        twelve = list(range(1, 13))
        self.assertIn("1 of 12 prints was", self.told([*twelve[1:], 1])[0])
        self.assertIn("11 of 12 prints were", self.told(twelve[::-1])[0])


class Departures(unittest.TestCase):
    def test_every_print_is_named_until_the_list_is_long(self):
        runs = [run(number, 1, 1) for number in range(5)]
        value = study(runs, deviations=tuple(Deviation(n, n, "door open") for n in range(5)))
        (found,) = (item for item in study_threats(value) if item.code == "not-held")
        self.assertIn("door open (R0)", found.sentence)
        self.assertIn("and 2 more", found.sentence)
        self.assertEqual(found.runs, ("R0", "R1", "R2", "R3", "R4"))


class Merging(unittest.TestCase):
    def test_one_line_a_cause_with_all_that_it_touches(self):
        first = threat(ThreatCode.SPLIT_SPOOL, cause="spool", responses=("Time",), runs=("R1",))
        again = dataclasses.replace(first, responses=("Mass",), runs=("R2",))
        (told,) = merged([first, again])
        self.assertEqual((told.responses, told.runs), (("Time", "Mass"), ("R1", "R2")))
        self.assertEqual(told.sentence, "It is so.")

    def test_what_touches_everything_names_nothing(self):
        (told,) = merged([threat(ThreatCode.CLOCK), threat(ThreatCode.CLOCK, responses=("Time",))])
        self.assertEqual(told.responses, ())

    def test_the_gravest_of_a_cause_speaks_and_stands_first(self):
        torn = threat(ThreatCode.TORN_SPOOL, "In one pair.", cause="spool")
        split = threat(ThreatCode.SPLIT_SPOOL, "In all.", cause="spool")
        note = threat(ThreatCode.NO_MARGIN, "No margin.")
        told = merged([note, torn, split])
        self.assertEqual([item.sentence for item in told], ["In all.", "No margin."])
        self.assertEqual([item.weight for item in told], [Weight.VOIDS, Weight.NOTE])

    def test_the_like_in_other_comparisons_is_counted(self):
        lost = [threat(ThreatCode.LOST_RUNS, f"{n} were lost.") for n in range(3)]
        (told,) = merged(lost)
        self.assertEqual(told.sentence, "0 were lost. The like holds for 2 more comparisons.")

    def test_each_code_has_a_weight(self):
        weights = {code.weight for code in ThreatCode}
        self.assertEqual(weights, set(Weight))


class OfAStudy(unittest.TestCase):
    def test_a_spool_that_goes_with_the_arm_is_told_once_and_voids(self):
        runs = [run(n, 1 + n % 2, 1 + n // 2, spool=f"lot {n % 2}") for n in range(8)]
        read = tuple(RunReading(n, n, key, 20.0 + n) for key in (1, 2) for n in range(8))
        value = study(runs, responses=(response(), response(2, "Time")), readings=read)
        told = [item for item in analyse(value).threats if "spool" in item.sentence]
        self.assertEqual([item.weight for item in told], [Weight.VOIDS])
        self.assertEqual(told[0].responses, ())

    def test_a_response_without_its_twin_is_named(self):
        runs = [run(n, 1 + n % 2, 1 + n // 2) for n in range(4)]
        read = [RunReading(n, n, 1, 20.0 + n) for n in range(4)]
        read += [RunReading(9 + n, n, 2, 5.0 + n) for n in range(3)]
        value = study(runs, responses=(response(), response(2, "Time")), readings=tuple(read))
        (lost,) = (item for item in analyse(value).threats if item.code == "lost-runs")
        self.assertEqual(lost.responses, ("Time",))
        self.assertEqual(all_threats(study(), ()), [])
