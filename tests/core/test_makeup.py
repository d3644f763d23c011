"""What a machine is made of, where two are not alike, and what was changed behind a plan's back."""

import unittest
from dataclasses import replace
from datetime import timedelta

from oddtwin.core.study import Decision, DecisionKind, MachineChange, Round, make_up, make_up_words, unlike
from oddtwin.core.study.makeup import changed_since_frozen, is_frozen, rounds_of
from tests.builders import NOON, plan, study


def change(number, what, after, machine=1, hours=None, **more):
    at = NOON + timedelta(hours=number if hours is None else hours)
    return MachineChange(number, machine, at, more.pop("kind", "part"), what, "", after, "", **more)


class MadeOf(unittest.TestCase):
    LOG = (
        change(3, "Nozzle", "brass 0.4"), change(1, "nozzle", "steel 0.6"), change(2, "springs", "stiff"),
        change(4, "nozzle", "ruby", machine=2),
    )  # fmt: skip

    def test_the_last_value_of_everything_counts_in_whatever_case_it_was_typed(self):
        made = make_up(self.LOG, 1)
        self.assertEqual(
            [(one.what, one.value) for one in made], [("Nozzle", "brass 0.4"), ("springs", "stiff")]
        )
        self.assertEqual(made[0].since, NOON + timedelta(hours=3))
        self.assertEqual(make_up_words(made), "Nozzle brass 0.4; springs stiff")

    def test_at_a_moment_what_came_later_does_not_count_yet(self):
        at = NOON + timedelta(hours=1)
        self.assertEqual(make_up_words(make_up(self.LOG, 1, at)), "nozzle steel 0.6")
        self.assertEqual(make_up(self.LOG, 1, at - timedelta(seconds=1)), ())

    def test_of_two_lines_of_one_moment_the_later_written_counts(self):
        log = (change(2, "nozzle", "second", hours=1), change(1, "nozzle", "first", hours=1))
        self.assertEqual(make_up_words(make_up(log, 1)), "nozzle second")

    def test_only_rounds_that_last_count(self):
        for ended, value in (
            (Round.TRIAL, "round 2"), (Round.KEPT, "round 2"), (Round.THROWN_AWAY, "round 1"),
            (Round.FROZEN, "round 1"), (Round.THAWED, "round 1"),
        ):  # fmt: skip
            log = (change(1, "fast", "round 1", round=Round.KEPT), change(2, "fast", "round 2", round=ended))
            self.assertEqual(make_up_words(make_up(log, 1)), f"fast {value}", ended)

    def test_where_two_machines_are_not_alike(self):
        log = (*self.LOG, change(5, "springs", "stiff", machine=2), change(6, "foot", "cork", machine=2))
        found = unlike(make_up(log, 1), make_up(log, 2))
        told = [(one.what, one.first, one.second) for one in found]
        self.assertEqual(told, [("foot", "", "cork"), ("Nozzle", "brass 0.4", "ruby")])
        kinds = {one.what: one.kind for one in (*make_up(log, 1), *make_up(log, 2))}
        self.assertEqual([one.kind for one in found], [kinds["foot"], kinds["Nozzle"]])
        self.assertEqual(unlike(make_up(log, 1), make_up(log, 1)), ())


class SinceTheFreeze(unittest.TestCase):
    def told(self, *changes, **more):
        made = study(plan=plan(frozen=NOON), changes=changes, **more)
        return [one.id for one in changed_since_frozen(made)]

    def test_changes_of_the_plans_machines_after_it_and_before_the_end(self):
        changes = [change(number, "nozzle", "x", hours=number - 2) for number in range(1, 6)]
        self.assertEqual(self.told(*changes), [3, 4, 5])
        ended = Decision(DecisionKind.KEEP, "", NOON + timedelta(hours=2))
        self.assertEqual(self.told(*changes, decision=ended), [3, 4])

    def test_other_machines_its_own_adoption_and_freezing_do_not_count(self):
        later = change(1, "nozzle", "x", hours=1)
        self.assertEqual(self.told(later), [1])
        for other in (
            replace(later, machine_id=2), replace(later, study_id=1), replace(later, round=Round.FROZEN),
            replace(later, round=Round.THAWED),
        ):  # fmt: skip
            self.assertEqual(self.told(other), [])
        self.assertEqual(self.told(replace(later, study_id=2), replace(later, round=Round.KEPT)), [1, 1])

    def test_without_a_plan_that_is_frozen_there_is_nothing_to_tell(self):
        later = (change(1, "nozzle", "x", hours=1),)
        self.assertEqual(changed_since_frozen(study(changes=later)), [])
        self.assertEqual(changed_since_frozen(study(changes=later, plan=None)), [])


class Rounds(unittest.TestCase):
    def test_those_of_a_profile_oldest_first(self):
        log = (
            change(3, "FAST", "c", round=Round.FROZEN), change(1, "fast", "a", round=Round.KEPT),
            change(2, "fast", "b", round=Round.TRIAL, hours=1), change(4, "slow", "d", round=Round.KEPT),
            change(5, "fast", "e", round=Round.KEPT, machine=2), change(6, "fast", "f"),
        )  # fmt: skip
        found = rounds_of(log, 1, " Fast ")
        self.assertEqual([one.id for one in found], [1, 2, 3])
        self.assertTrue(is_frozen(found))
        self.assertFalse(is_frozen(found[:2]))
        self.assertFalse(is_frozen([]))


if __name__ == "__main__":
    unittest.main()
