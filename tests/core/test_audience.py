"""Votes of an audience as trials and answers of a session, and tables out of a forum."""

import unittest
from datetime import datetime, timedelta

import numpy as np

from oddtwin.core.judge import (
    AUDIENCE,
    Answer,
    Cast,
    JudgeDesign,
    Lettered,
    Sample,
    SessionDesign,
    Wish,
    ballot_trials,
    collect,
    draw_letters,
    draw_trials,
    judge_session,
    read_forum,
    session_votes,
    taken_votes,
    voter_name,
)
from oddtwin.core.readings import TableError

NOON = datetime(2026, 11, 27, 12).astimezone()
CODES = [Sample(f"o{n}", "old", f"b{n}") for n in range(4)] + [
    Sample(f"n{n}", "new", f"b{n}") for n in range(4)
]


def drawn(design=SessionDesign.BETTER, repeats=1):
    rng = np.random.default_rng(3)
    letters = draw_letters([one.code for one in CODES], rng)
    wish = Wish(design, (AUDIENCE,), repeats, twins=True)
    return draw_trials(CODES, "old", wish, letters, rng), {
        letters[one.code]: Lettered(one.arm, one.code) for one in CODES
    }


def cast(trials, voter, choose, rng, at=NOON):
    """A vote as the page makes it: trials shuffled, sides drawn by the voter's own dice."""
    answers = []
    for place in rng.permutation(len(trials)).tolist():
        left, right = trials[place].letters[:: 1 if rng.integers(2) else -1]
        answers.append(Answer(trials[place].name, left, right, choose(left, right)))
    return Cast("key", voter, at, tuple(answers))


class Drawing(unittest.TestCase):
    def test_one_list_is_drawn_for_everybody(self):
        trials, _ = drawn()
        self.assertEqual({one.judge for one in trials}, {AUDIENCE})
        self.assertEqual(len(ballot_trials(trials)), len(trials))
        self.assertTrue(any(one.catch == "twin" for one in trials))

    def test_a_ballot_asks_for_a_side_only(self):
        for design in (SessionDesign.GRADE, SessionDesign.TRIANGLE, SessionDesign.RANK):
            with self.assertRaisesRegex(ValueError, "name who judges"):
                drawn(design)


class Voting(unittest.TestCase):
    def result(self, choose, voters=12, design=SessionDesign.BETTER):
        rng = np.random.default_rng(8)
        trials, key = drawn(design)
        asked = ballot_trials(trials)
        casts = [
            cast(asked, f"v{n}", lambda left, right: choose(key, left, right, rng), rng)
            for n in range(voters)
        ]
        taken = taken_votes(trials, collect(casts, "key", asked).rows)
        votes = session_votes(design, (*trials, *taken.trials), taken.answers)
        return judge_session(votes, JudgeDesign.PAIR, key), taken

    def test_a_liking_for_the_change_is_found_whichever_side_it_lay_on(self):
        def new(key, left, right, rng):
            arms = key[left].arm, key[right].arm
            return "none" if arms[0] == arms[1] else "left" if arms[0] == "new" else "right"

        result, taken = self.result(new)
        self.assertIn("prefer new to old", result.sentences[0])
        self.assertEqual(len({one.judge for one in taken.answers}), 12)
        # Sides were drawn anew by each voter, or a liking for one side would pass for a liking.
        self.assertGreater(len({one.letters for one in taken.trials if one.number == 1}), 1)

    def test_a_thousand_who_agree_are_judged_as_ten_are(self):
        # 2 to the power of −1200 is no number any more, and luck was divided by it.
        def new(key, left, right, rng):
            return "left" if key[left].arm == "new" else "right"

        for design in (SessionDesign.BETTER, SessionDesign.CHANGE):
            result, _ = self.result(new, voters=1200, design=design)
            self.assertIn("less than once in a million", " ".join(result.sentences))

    def test_a_liking_for_the_left_is_no_liking_for_an_arm(self):
        result, _ = self.result(lambda key, left, right, rng: "left")
        self.assertNotIn("better", result.sentences[0].casefold().replace("nobody has shown which is", ""))
        self.assertIn("side", " ".join(result.sentences))

    def test_which_is_the_change_has_its_right_answer_on_the_side_that_was_seen(self):
        def right(key, left, right, rng):
            return "left" if key[left].arm == "new" else "right"

        result, taken = self.result(right, design=SessionDesign.CHANGE)
        asked = [one for one in taken.trials if not one.catch]
        for trial in asked:
            self.assertIn(trial.odd, ("left", "right"))
        self.assertIn("can tell them apart: 48 of 48 right", result.sentences[0])

    def test_a_second_answer_to_a_pair_and_voters_of_before_are_set_apart(self):
        trials, _ = drawn()
        asked = ballot_trials(trials)
        one = Answer(asked[0].name, *asked[0].letters, "left")
        again = Cast("key", "v", NOON, (one, one._replace(answer="right")))
        found = collect([again], "key", asked)
        self.assertEqual([row[4] for row in found.rows], ["left"])
        self.assertEqual(found.apart, {"a second answer to one pair": 1})
        before = collect([again], "key", asked, voted=lambda voter: voter == "v")
        self.assertEqual((before.rows, before.apart), ((), {"a voter for the second time": 1}))
        late = collect([again], "key", asked, NOON - timedelta(hours=1))
        self.assertEqual(late.apart, {"after the close": 1})

    def test_a_voter_is_called_by_nothing_that_they_chose(self):
        for voter in ("", "=cmd()", "Lena", "x" * 10_000, "\ud800"):
            name = voter_name(voter)
            self.assertRegex(name, r"^voter [0-9a-f]{12}$")
            self.assertEqual(name, voter_name(voter))
        self.assertNotEqual(voter_name("a"), voter_name("b"))


class Forum(unittest.TestCase):
    def setUp(self):
        self.trials = ballot_trials(drawn()[0])

    def read(self, text):
        return read_forum(text, self.trials, "key", NOON)

    def test_left_right_and_same_are_read_by_name_and_pair(self):
        found = self.read("judge;trial;answer\nAnn;1;Left\nAnn;t2;same\nBob;1;R\n")
        self.assertEqual([one.voter for one in found.casts], ["Ann", "Bob"])
        ann = found.casts[0].answers
        self.assertEqual([(one.trial, one.answer) for one in ann], [("t1", "left"), ("t2", "none")])
        self.assertEqual((ann[0].left, ann[0].right), self.trials[0].letters)

    def test_without_names_each_row_is_a_voter(self):
        found = self.read("trial,answer\n1,left\n1,right\n")
        self.assertEqual(len(found.casts), 2)

    def test_rows_that_say_nothing_are_counted_and_spoil_no_other(self):
        found = self.read(
            "judge,trial,answer\nAnn,99,left\nAnn,1,dunno\nAnn,,left\n,,\nAnn,2,left\n'=Bob,1\n"
        )
        self.assertEqual((found.unread, len(found.casts)), (4, 1))

    def test_a_header_without_its_columns_is_refused(self):
        with self.assertRaisesRegex(TableError, "no column “trial”"):
            self.read("name,answer\nAnn,left\n")
        with self.assertRaisesRegex(TableError, "more than"):
            self.read("trial,answer\n" + "1,left\n" * 50_001)


if __name__ == "__main__":
    unittest.main()
