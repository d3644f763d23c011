"""Ballots: letters that tell nothing, a key that is committed to, and votes that count once."""

import base64
import json
import unittest
from datetime import UTC, datetime, timedelta

import numpy as np

from oddtwin.core.judge import (
    HEAD,
    JudgeDesign,
    Pair,
    Shown,
    ballot_json,
    collect,
    judge_session,
    make_ballot,
    read_casts,
    read_key,
    read_votes,
    trials_of,
)

PAIRS = (
    Pair(Shown("a.png", "old", "K7M"), Shown("b.png", "new", "P2Q")),
    Pair(Shown("c.png", "old", "R3T"), Shown("d.png", "new", "S4U")),
    Pair(Shown("a.png", "old", "K7M"), Shown("c.png", "old", "R3T")),
    Pair(Shown("a.png", "old", "K7M"), Shown("e.png", "bad", "V5W"), control=True),
)
NOON = datetime(2026, 11, 27, 12, tzinfo=UTC)


def vote(shown, voter, choose, at=NOON, **more):
    answers = [
        {"trial": one.name, "left": one.letters[0], "right": one.letters[1], "answer": choose(one)}
        for one in shown.trials
    ]
    told = {"ballot": shown.key.commitment, "voter": voter, "at": at.isoformat(), "answers": answers}
    return json.dumps({**told, **more})


def line(text):
    return "see oddtwin-vote:" + base64.urlsafe_b64encode(text.encode()).decode().rstrip("=") + " thanks"


class Ballots(unittest.TestCase):
    def setUp(self):
        self.ballot = make_ballot(PAIRS, np.random.default_rng(4))

    def test_letters_and_catches(self):
        self.assertEqual(len(self.ballot.pictures), 5)
        self.assertEqual([one.catch for one in self.ballot.trials], ["", "", "yes", "control"])
        letter = next(key for key, name in self.ballot.pictures.items() if name == "b.png")
        self.assertEqual(self.ballot.key.letters[letter].print, "P2Q")
        other = make_ballot(PAIRS, np.random.default_rng(5))
        self.assertNotEqual(other.key.commitment, self.ballot.key.commitment)

    def test_what_stays_at_home_is_a_key_and_its_trials(self):
        text = json.dumps(ballot_json(self.ballot))
        key, kept = read_key(text)
        self.assertEqual((key.letters, kept), (self.ballot.key.letters, True))
        self.assertEqual(trials_of(text), self.ballot.trials)
        for bad in ("{}", "[]", '{"trials": [{}]}', "no"):
            with self.assertRaisesRegex(ValueError, "no key of a ballot"):
                trials_of(bad)

    def test_what_cannot_be_shown_is_refused(self):
        same = Pair(Shown("a.png", "old"), Shown("a.png", "old"))
        two = (
            Pair(Shown("a.png", "old"), Shown("b.png", "new")),
            Pair(Shown("a.png", "new"), Shown("c.png", "new")),
        )
        many = tuple(Pair(Shown(f"{n}", "old"), Shown(f"{n}x", "new")) for n in range(101))
        for pairs, words in (
            ((), "nothing"),
            ((same,), "same picture"),
            (two, "two arms"),
            (many, "at most 200"),
        ):
            with self.assertRaisesRegex(ValueError, words):
                make_ballot(pairs, np.random.default_rng(1))
        large = make_ballot(many[:100], np.random.default_rng(1))
        self.assertEqual(len(large.pictures), 200)

    def test_votes_as_file_and_as_pasted_lines(self):
        first, second = (vote(self.ballot, name, lambda _: "left") for name in ("v1", "v2"))
        self.assertEqual(read_casts(first)[0].voter, "v1")
        both = read_casts(f"{line(first)}\n> {line(second)}")
        self.assertEqual([one.voter for one in both], ["v1", "v2"])
        for bad in (
            "",
            "hello",
            "[1]",
            '{"ballot": "x"}',
            "oddtwin-vote:abc",
            "1" * 300_000,
            line('{"a": 1}'),
        ):
            with self.assertRaises(ValueError, msg=bad[:40]):
                read_casts(bad)

    def test_each_counts_once_and_the_rest_is_set_apart_by_why(self):
        texts = [
            vote(self.ballot, "v1", lambda _: "left"),
            vote(self.ballot, "v1", lambda _: "right", NOON + timedelta(minutes=1)),
            vote(self.ballot, "v2", lambda _: "none", NOON + timedelta(hours=2)),
            vote(self.ballot, "v3", lambda _: "left", ballot="00"),
            vote(self.ballot, "v4", lambda one: "middle" if one.name == "t1" else "right"),
        ]
        casts = [one for text in texts for one in read_casts(text)]
        found = collect(casts, self.ballot.key.commitment, self.ballot.trials, NOON + timedelta(hours=1))
        self.assertEqual(found.voters, 2)
        self.assertEqual(len(found.rows), 4 + 3)
        self.assertEqual(
            dict(found.apart),
            {
                "a voter for the second time": 1,
                "after the close": 1,
                "of another ballot": 1,
                "an answer that the ballot does not ask for": 1,
            },
        )

    def test_from_ballot_to_what_it_says(self):
        key = self.ballot.key.letters

        def new_if_there(trial):
            arms = [key[letter].arm for letter in trial.letters]
            return "none" if arms[0] == arms[1] else "left" if arms[0] in ("new", "bad") else "right"

        casts = read_casts("\n".join(line(vote(self.ballot, f"v{n}", new_if_there)) for n in range(6)))
        rows = collect(casts, self.ballot.key.commitment, self.ballot.trials).rows
        table = "\n".join([",".join(HEAD), *(",".join(row) for row in rows)])
        found = judge_session(read_votes(table, JudgeDesign.PAIR)[0], JudgeDesign.PAIR, key).figures
        self.assertEqual(found["result"]["preferred"], "new")
        self.assertEqual(found["prints"]["pairs"], 2)
        self.assertEqual(found["catches"]["false_alarms"], 0)


if __name__ == "__main__":
    unittest.main()
