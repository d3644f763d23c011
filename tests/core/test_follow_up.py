"""A study that goes on from another: what is copied, what is not, and what cannot be."""

import unittest
from dataclasses import replace
from datetime import timedelta

from oddtwin.core.customs import ChangeKind
from oddtwin.core.study import Decision, DecisionKind, Factor, FollowUp, Level, Look, Machine, follow_up
from tests.builders import NOON, plan, response, run, study

LATER = NOON + timedelta(days=30)
ADOPTED = Decision(DecisionKind.ADOPT, "stronger", NOON, condition="only below 60 mm/s")


def layers(*values):
    """The heights of a layer as levels of a factor."""
    levels = tuple(Level(number, value) for number, value in enumerate(values, 1))
    return Factor(1, ChangeKind.SETTING, "layer height", levels)


def printed(**more):
    """A study with two prints, looked at and adopted on a condition."""
    made = {"runs": [run(1, 1, 1), run(2, 2, 1)], "looks": (Look(NOON),), "decision": ADOPTED}
    return study(
        **(made | more), responses=(response(margin_moved=True),), plan=plan(frozen=NOON), parent_id=7
    )


def levels_of(fresh, place=0):
    return [level.value for level in fresh.factors[place].levels]


class Again(unittest.TestCase):
    def test_all_that_was_asked_is_copied_and_nothing_that_came_of_it(self):
        before = printed()
        fresh = follow_up(before, FollowUp.AGAIN, LATER)
        self.assertEqual((fresh.id, fresh.name, fresh.created), (0, "Trial, again", LATER))
        self.assertEqual(fresh.parent_id, before.id)
        for name in ("question", "arms", "factors", "machines", "pieces"):
            self.assertEqual(getattr(fresh, name), getattr(before, name), name)
        self.assertEqual((fresh.runs, fresh.blocks, fresh.readings, fresh.looks), ((), (), (), ()))
        self.assertIsNone(fresh.decision)
        self.assertEqual(fresh.plan, replace(before.plan, frozen=None))
        self.assertFalse(fresh.responses[0].margin_moved)

    def test_only_what_was_adopted_is_held_at_its_condition(self):
        texts = [item.text for item in follow_up(printed(), FollowUp.AGAIN, LATER).held]
        self.assertEqual(texts, ["Same spool", "only below 60 mm/s"])
        for decision in (replace(ADOPTED, kind=DecisionKind.KEEP), replace(ADOPTED, condition=""), None):
            fresh = follow_up(printed(decision=decision), FollowUp.AGAIN, LATER)
            self.assertEqual([item.text for item in fresh.held], ["Same spool"])
        ids = [item.id for item in follow_up(printed(), FollowUp.AGAIN, LATER).held]
        self.assertEqual(len(set(ids)), 2)


class OnTheNextMachine(unittest.TestCase):
    def test_it_is_the_first_that_did_not_print(self):
        machines = {
            number: Machine(number, name) for number, name in ((1, "Marlow"), (2, "Tessel"), (3, "Odo"))
        }
        fresh = follow_up(printed(machines=machines), FollowUp.NEXT_MACHINE, LATER)
        self.assertEqual((fresh.plan.machine_ids, fresh.name), ((2,), "Trial, on the next machine"))

    def test_without_another_machine_or_a_plan_it_is_refused(self):
        with self.assertRaisesRegex(ValueError, "no other machine"):
            follow_up(printed(), FollowUp.NEXT_MACHINE, LATER)
        two = {1: Machine(1, "Marlow"), 2: Machine(2, "Tessel")}
        with self.assertRaisesRegex(ValueError, "no other machine"):
            follow_up(study(machines=two, plan=None), FollowUp.NEXT_MACHINE, LATER)


class TheMiddleLevels(unittest.TestCase):
    def between(self, *values, **more):
        return follow_up(printed(factors=(layers(*values),), **more), FollowUp.MIDDLE, LATER)

    def test_a_level_comes_between_every_two_and_the_design_is_chosen_anew(self):
        fresh = self.between("0.2 mm", "0.3 mm", "0.5 mm")
        self.assertEqual(levels_of(fresh), ["0.2 mm", "0.25 mm", "0.3 mm", "0.4 mm", "0.5 mm"])
        self.assertEqual(len({level.id for level in fresh.factors[0].levels}), 5)
        self.assertIsNone(fresh.plan)
        self.assertEqual([arm.name for arm in fresh.arms], ["Old", "New"])

    def test_below_zero_too_and_none_between_two_that_are_alike(self):
        self.assertEqual(levels_of(self.between("−0.05", "0.05")), ["−0.05", "0", "0.05"])
        self.assertEqual(levels_of(self.between("0.2", "0.20", "0.3")), ["0.2", "0.20", "0.25", "0.3"])

    def test_the_first_factor_that_has_numbers_is_taken(self):
        plate = Factor(2, ChangeKind.PART, "plate", (Level(8, "smooth"), Level(9, "rough")))
        fresh = follow_up(printed(factors=(plate, layers("1", "2"))), FollowUp.MIDDLE, LATER)
        self.assertEqual((levels_of(fresh), levels_of(fresh, 1)), (["smooth", "rough"], ["1", "1.5", "2"]))

    def test_names_and_numbers_of_two_units_have_nothing_between_them(self):
        for values in (("smooth", "rough"), ("200 µm", "0.3 mm"), ("0.2 mm", "0.2 mm"), ("0.2 mm",), ()):
            with self.subTest(values), self.assertRaisesRegex(ValueError, "nothing lies between"):
                self.between(*values)


if __name__ == "__main__":
    unittest.main()
