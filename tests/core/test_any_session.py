"""Sessions of judges of every design, drawn and answered some way, and the formulas behind what is said of
them, stay as they were approved.

``APPROVE=1 python -m unittest tests.core.test_any_session`` writes what comes out now.
"""

import random
import unittest
from functools import partial
from itertools import product

import numpy as np

from oddtwin.core.judge import (
    ASKING,
    AUDIENCE,
    BlindTest,
    Grade,
    Lettered,
    Look,
    Sample,
    Scale,
    SessionDesign,
    SizedLook,
    TrialAnswer,
    Wish,
    comparative,
    concordance,
    d_prime_of,
    discrimination,
    draw_letters,
    draw_trials,
    judge_session,
    krippendorff,
    ladder,
    luck,
    matching_chances,
    next_size,
    read_answer,
    same_different,
    seeing,
    session_votes,
    share_right,
    sorting_chances,
    sorting_tail,
    weighted_kappa,
)
from tests.core.stays import Stays, tried

JUDGES = ("ann", "ben", "cas", "dee")


def samples(rng):
    """Prints of two arms or three, in blocks or not, with twins or without."""
    arms = ("old", "new", "newer")[: rng.choice((2, 2, 3))]
    blocked = rng.random() < 0.5
    return [
        Sample(f"{arm} {number}", arm, f"b{number}" if blocked else "")
        for arm in arms
        for number in range(rng.choice((1, 2, 3)))
    ]


def answered(rng, design, trial, arm_of):
    """What a judge says who sees something three times in four, and now and then nothing at all."""
    if design is SessionDesign.RANK:
        return str(rng.randint(1, len(arm_of)))
    if design is SessionDesign.SORT:
        right = arm_of.get(trial.letters[0], "old")
        return right if rng.random() < 0.75 else rng.choice(("old", "new"))
    values = [choice.value for choice in ASKING[design].choices]
    if design is SessionDesign.SAME and rng.random() < 0.75:
        return "different" if len({arm_of.get(letter) for letter in trial.letters}) > 1 else "same"
    return trial.odd if trial.odd in values and rng.random() < 0.75 else rng.choice(values)


class AnySession(Stays):
    def test_sessions_that_were_drawn(self):
        told = []
        for seed, design in product(range(10), SessionDesign):
            rng = random.Random(f"{seed} {design}")
            prints = samples(rng)
            judges = (AUDIENCE,) if rng.random() < 0.1 else JUDGES[: rng.choice((1, 2, 4))]
            wish = Wish(
                design, judges, rng.choice((1, 1, 2, 3)), rng.random() < 0.7, rng.choice((0, 0, 1, 2))
            )
            codes = [one.code for one in prints]
            codes += [f"control {n}{side}" for n in range(1, wish.controls + 1) for side in "ab"]
            letters = draw_letters(codes, np.random.default_rng(seed))
            trials = tried(draw_trials, prints, "old", wish, letters, np.random.default_rng(seed + 1))
            if isinstance(trials, str):
                told.append((f"{seed} {design}", trials, None))
                continue
            arm_of = {letters[one.code]: one.arm for one in prints}
            answers = [
                TrialAnswer(one.judge, one.number, answered(rng, design, one, arm_of))
                for one in trials
                if rng.random() < 0.95
            ]
            votes = session_votes(design, trials, answers)
            key = {letters[one.code]: Lettered(one.arm, one.code) for one in prints}
            key |= {letters[code]: Lettered(f"control {code[-1]}", code) for code in codes[len(prints) :]}
            found = [tried(judge_session, votes, ASKING[design].judged, one) for one in (key, None)]
            said = found[0] if isinstance(found[0], str) else " ".join(found[0].sentences)
            told.append((f"{seed} {design}", said, (trials, votes, found)))
        self.stays("any-session", told)

    def test_answers_as_they_are_typed(self):
        typed = ("", "1", "2", "3", "5", " L ", "right", "none", "same", "D", "odd", "0", "-1", "+2", "2.5",
                 "old", "NEW", "4", "cannot tell", "=", "9")  # fmt: skip
        told = [
            (str(design), "", [tried(read_answer, design, text, ("old", "new"), 4) for text in typed])
            for design in SessionDesign
        ]
        self.stays("every-answer", told)

    def test_chances_of_guessing_and_seeing(self):
        told = []
        for test in BlindTest:
            counts = [(trials, right) for trials in (1, 3, 8, 30, 200) for right in (0, trials // 2, trials)]
            found = [[tried(work, test, *one) for work in (discrimination, luck)] for one in counts]
            told.append((f"{test}", "", found))
            if test is not BlindTest.MATCHING:
                seen = [share_right(test, d) for d in (0.0, 0.5, 1.0, 4.0)]
                told.append((f"{test} d′", "", (seen, [d_prime_of(test, n / 20) for n in range(7, 20)])))
        rng = random.Random(3)
        for number in range(24):
            prints = [rng.choice("abc") for _ in range(rng.choice((1, 2, 5)))]
            sittings = [(prints, rng.sample(prints, len(prints))) for _ in range(rng.choice((1, 2, 3)))]
            right = sum(a == b for one in sittings for a, b in zip(*one, strict=True))
            odd, twins = rng.randint(1, 9), rng.randint(0, 9)
            said = same_different(odd, rng.randint(0, odd), twins, rng.randint(0, twins))
            ways = matching_chances(1 + number % 8), sorting_chances(*sittings[0])
            chances = [[float(one) for one in some] for some in ways]
            told.append((f"sorted {number}", "", (chances, sorting_tail(sittings, right), said)))
        self.stays("every-guess", told)

    def test_agreement_grades_and_ladders(self):
        told = []
        for seed in range(24):
            rng = random.Random(seed)
            size = rng.choice((2, 3, 4))
            table = [[rng.choice((0, 0, 1, 4)) + 3.0 * (a == b) for a in range(size)] for b in range(size)]
            ranks = [rng.sample(range(1, size + 1), size) for _ in range(rng.choice((2, 3, 9)))]
            units = [[float(rng.randint(0, 4)) for _ in range(rng.choice((1, 2, 3)))] for _ in range(6)]
            grades = [
                Grade(left, 1 - left, rng.randint(-1, 2) * (1 - 2 * left))
                for left in rng.choices((0, 0, 1), k=rng.choice((1, 4, 12)))
            ]
            looks = [
                Look(*rng.sample(range(size), 2), rng.choice((0, 0, 1, 1, -1)), rng.choice((1.0, 1.0, 0.5)))
                for _ in range(rng.choice((3, 10, 30)))
            ]
            told.append(
                (
                    str(seed),
                    "",
                    (
                        [tried(weighted_kappa, np.array(table), power) for power in (1, 2)],
                        tried(concordance, np.array(ranks, float)),
                        [krippendorff(units, scale) for scale in Scale],
                        tried(comparative, grades),
                        [tried(partial(ladder, "abcde"[:size], looks, sides=one)) for one in (False, True)],
                    ),
                )
            )
        self.stays("every-agreement", told)

    def test_staircases_of_how_small_a_fault_is_seen(self):
        told = []
        for seed in range(16):
            rng = random.Random(seed)
            edge, looks, sizes = rng.choice((0.2, 0.5, 3.0)), [], []
            for _ in range(rng.choice((0, 10, 20, 60))):
                sizes.append(next_size(looks, 1.0, 0.1, 8.0))
                looks.append(SizedLook(sizes[-1], rng.random() < (0.95 if sizes[-1] > edge else 0.5)))
            told.append((str(seed), "", (sizes, next_size(looks, 1.0, 0.1, 8.0), tried(seeing, looks))))
        self.stays("every-staircase", told)


if __name__ == "__main__":
    unittest.main()
