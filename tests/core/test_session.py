"""Sessions of blind judging: drawn, balanced, sealed; and the staircase that finds what eyes see."""

import math
import unittest
from collections import Counter
from itertools import pairwise

import numpy as np

from oddtwin.core.judge import (
    ASKING,
    JudgeDesign,
    Lettered,
    Sample,
    SealedKey,
    SessionDesign,
    SizedLook,
    TrialAnswer,
    Wish,
    draw_letters,
    draw_trials,
    judge_session,
    next_size,
    read_answer,
    read_votes,
    seeing,
    session_votes,
)

PRINTS = [Sample(f"{arm}{number}", arm, f"b{number}") for number in range(6) for arm in ("old", "new")]


def drawn(design, judges=("Ada", "Ben"), repeats=1, controls=0, seed=3, prints=PRINTS, twins=True):
    codes = [one.code for one in prints]
    codes += [f"control {number}{side}" for number in range(1, controls + 1) for side in "ab"]
    letters = draw_letters(codes, np.random.default_rng(11))
    wish = Wish(design, judges, repeats, twins, controls)
    trials = draw_trials(prints, "old", wish, letters, np.random.default_rng(seed))
    return trials, {letter: code for code, letter in letters.items()}


def key_of(codes):
    return {letter: Lettered(code[:3], code) for letter, code in codes.items()}


class Drawing(unittest.TestCase):
    def test_each_judge_sees_the_change_as_often_left_as_right_and_every_block_once(self):
        for seed in range(12):
            trials, codes = drawn(SessionDesign.BETTER, seed=seed)
            for judge in ("Ada", "Ben"):
                asked = [one for one in trials if one.judge == judge and not one.catch]
                left = sum(codes[one.letters[0]].startswith("new") for one in asked)
                self.assertEqual((len(asked), left), (6, 3))
                shown = {frozenset(codes[letter] for letter in one.letters) for one in asked}
                self.assertEqual(shown, {frozenset((f"old{k}", f"new{k}")) for k in range(6)})

    def test_sides_are_not_foretold_by_the_trial_before(self):
        # In turn left and right, a judge would know the next one; of two neighbours only the pair is fixed.
        ways = Counter()
        for seed in range(40):
            trials, codes = drawn(SessionDesign.BETTER, judges=("Ada",), seed=seed, twins=False)
            ways[tuple(codes[one.letters[0]][:3] for one in trials)] += 1
        self.assertGreater(len(ways), 5)

    def test_a_repeat_is_turned_round_and_never_follows_at_once(self):
        for seed in range(8):
            trials, _ = drawn(SessionDesign.BETTER, judges=("Ada",), repeats=2, seed=seed)
            again = {}
            for one in trials:
                if one.repeat:
                    again.setdefault(one.repeat, []).append(one.letters)
            self.assertEqual(len(again), 6)
            for first, second in again.values():
                self.assertEqual(first, second[::-1])
            for one, two in pairwise(trials):
                self.assertNotEqual(set(one.letters), set(two.letters))

    def test_twins_are_mixed_in_and_are_half_where_sameness_is_asked(self):
        trials, codes = drawn(SessionDesign.BETTER, judges=("Ada",))
        catches = [one for one in trials if one.catch == "twin"]
        self.assertEqual(len(catches), 2)
        for one in catches:
            self.assertEqual(len({codes[letter][:3] for letter in one.letters}), 1)
        same, _ = drawn(SessionDesign.SAME, judges=("Ada",))
        self.assertEqual(Counter(one.catch for one in same), {"": 6, "twin": 6})

    def test_the_odd_one_of_three_lies_everywhere_and_is_the_right_answer(self):
        places = Counter()
        for seed in range(20):
            trials, codes = drawn(SessionDesign.TRIANGLE, judges=("Ada",), seed=seed)
            for one in trials:
                arms = [codes[letter][:3] for letter in one.letters]
                lone = next(at for at, arm in enumerate(arms) if arms.count(arm) == 1)
                self.assertEqual(one.odd, ("left", "middle", "right")[lone])
                places[lone] += 1
        self.assertTrue(all(count > 20 for count in places.values()), places)

    def test_of_a_control_the_sound_one_is_better_and_the_faulty_one_the_change(self):
        for design, wanted in ((SessionDesign.BETTER, "b"), (SessionDesign.CHANGE, "a")):
            trials, codes = drawn(design, controls=3)
            controls = [one for one in trials if one.catch == "control"]
            self.assertEqual(len(controls), 6)
            for one in controls:
                chosen = one.letters[0] if one.odd == "left" else one.letters[1]
                self.assertTrue(codes[chosen].endswith(wanted), (design, one))

    def test_letters_do_not_follow_from_the_seed_of_the_order(self):
        codes = [one.code for one in PRINTS]
        found = [draw_letters(codes, np.random.default_rng(seed)) for seed in range(30)]
        self.assertGreater(len({one["old0"] for one in found}), 6)

    def test_what_cannot_be_is_refused_with_a_sentence(self):
        lone = [Sample("o1", "old", "1"), Sample("n1", "new", "1")]
        for design in (SessionDesign.TRIANGLE, SessionDesign.DUO_TRIO, SessionDesign.SAME):
            with self.assertRaisesRegex(ValueError, "print the baseline twice first"):
                drawn(design, prints=lone)
        for design in (SessionDesign.SORT, SessionDesign.RANK):
            with self.assertRaisesRegex(ValueError, "once, all together"):
                drawn(design, repeats=2)
        for design in (SessionDesign.TRIANGLE, SessionDesign.GRADE):
            with self.assertRaisesRegex(ValueError, "does not show two"):
                drawn(design, controls=1)
        with self.assertRaisesRegex(ValueError, "Name who judges"):
            drawn(SessionDesign.BETTER, judges=())
        with self.assertRaisesRegex(ValueError, "named twice"):
            drawn(SessionDesign.BETTER, judges=("Ada", "Ada"))
        with self.assertRaisesRegex(ValueError, "one of the change"):
            drawn(SessionDesign.BETTER, prints=[one for one in PRINTS if one.arm == "old"])
        # Without twins a pair is still judged; nothing is mixed in then.
        self.assertEqual([one.catch for one in drawn(SessionDesign.BETTER, prints=lone)[0]], ["", ""])

    def test_prints_without_blocks_are_each_shown(self):
        loose = [Sample(f"o{k}", "old") for k in range(2)] + [Sample(f"n{k}", "new") for k in range(5)]
        trials, codes = drawn(SessionDesign.BETTER, judges=("Ada",), prints=loose, twins=False)
        self.assertEqual(len(trials), 5)
        shown = Counter(codes[letter] for one in trials for letter in one.letters)
        self.assertEqual(set(shown), {one.code for one in loose})


class Answering(unittest.TestCase):
    def answered(self, design, choose, **more):
        trials, codes = drawn(design, **more)
        answers = [TrialAnswer(one.judge, one.number, choose(one, codes)) for one in trials]
        votes = session_votes(design, trials, answers)
        return judge_session(votes, ASKING[design].judged, key_of(codes)), votes

    def test_whoever_sees_the_change_is_found_in_every_design(self):
        def side(one, codes):
            return "left" if codes[one.letters[0]].startswith("new") else "right"

        result, _ = self.answered(SessionDesign.CHANGE, side, twins=False)
        self.assertEqual(result.figures["result"]["correct"], 12)
        self.assertTrue(result.figures["result"]["shown"])
        result, _ = self.answered(SessionDesign.TRIANGLE, lambda one, codes: one.odd)
        # All six right by luck: 3^-6 each; twelve of twelve is far beyond.
        self.assertAlmostEqual(result.figures["luck"]["chance"], 3.0**-12, delta=1e-9)
        result, _ = self.answered(SessionDesign.DUO_TRIO, lambda one, codes: one.odd)
        self.assertEqual(result.figures["result"]["correct"], 12)
        self.assertAlmostEqual(result.figures["luck"]["chance"], 2.0**-12, delta=1e-9)
        result, _ = self.answered(SessionDesign.SORT, lambda one, codes: codes[one.letters[0]][:3])
        self.assertEqual(result.figures["result"]["correct"], 24)

    def test_a_triangle_says_which_prints_it_was_and_claims_nothing_of_the_change(self):
        result, _ = self.answered(SessionDesign.TRIANGLE, lambda one, codes: one.odd)
        said = " ".join(result.sentences)
        self.assertNotIn("is not told", said)
        self.assertIn("needs the question which is the change", said)

    def test_graded_prints_count_once_a_print_and_judges_are_compared_by_steps(self):
        result, votes = self.answered(
            SessionDesign.GRADE, lambda one, codes: "3" if codes[one.letters[0]][0] == "o" else "1"
        )
        self.assertEqual(result.figures["prints"], 12)
        self.assertEqual(result.figures["mean_grade"], {"new": 1.0, "old": 3.0})
        self.assertEqual(result.figures["agreement"]["scale"], "ordinal")
        self.assertAlmostEqual(result.figures["agreement"]["alpha"], 1.0)
        self.assertEqual({vote.trial for vote in votes}, {vote.left for vote in votes})

    def test_grades_come_from_a_table_as_well(self):
        text = "judge,trial,left,answer\nAda,1,A,3\nAda,1,B,1\nBen,1,A,9\n"
        votes, apart = read_votes(text, JudgeDesign.GRADE)
        self.assertEqual([vote.number for vote in votes], [3.0, 1.0])
        self.assertIn("no grade from 0 to 4", apart[0].reason)

    def test_answers_are_read_by_key_word_and_arm(self):
        read = read_answer
        self.assertEqual(read(SessionDesign.BETTER, " 1 ", (), 0), "left")
        self.assertEqual(read(SessionDesign.BETTER, "cannot tell", (), 0), "none")
        self.assertEqual(read(SessionDesign.SORT, "2", ("old", "new"), 2), "new")
        self.assertEqual(read(SessionDesign.RANK, "3", (), 4), "3")
        for design, text in (
            (SessionDesign.BETTER, "7"),
            (SessionDesign.SORT, "third"),
            (SessionDesign.RANK, "5"),
            (SessionDesign.RANK, "first"),
        ):
            with self.assertRaises(ValueError):
                read(design, text, ("old", "new"), 4)

    def test_the_commitment_changes_with_every_letter_and_tells_none(self):
        letters = {"A": Lettered("old", "K7M"), "B": Lettered("new", "P3D")}
        key = SealedKey(letters, "ab" * 16)
        swapped = SealedKey({"A": letters["B"], "B": letters["A"]}, "ab" * 16)
        self.assertNotEqual(key.commitment, swapped.commitment)
        self.assertNotEqual(key.commitment, SealedKey(letters, "cd" * 16).commitment)


def eye(threshold, slope, lapse, looks, seed):
    """A simulated judge: right by the psychometric function, as the staircase asks."""
    rng = np.random.default_rng(seed)
    found = []
    for _ in range(looks):
        size = next_size(found, 8.0, 0.1, 20.0)
        seen = 1 / (1 + math.exp(-slope * (math.log(size) - math.log(threshold))))
        found.append(SizedLook(size, bool(rng.random() < 0.5 + (0.5 - lapse) * seen)))
    return found


class Eyes(unittest.TestCase):
    def test_the_threshold_of_simulated_judges_is_recovered(self):
        # Checked by simulation through the whole path; the interval is to hold nineteen times of twenty.
        for threshold, slope, lapse in ((1.0, 4.0, 0.0), (0.5, 3.0, 0.02), (3.0, 6.0, 0.01)):
            shares, inside = [], 0
            for seed in range(60):
                found = seeing(eye(threshold, slope, lapse, 60, seed))
                shares.append(found.threshold / threshold)
                inside += (found.low or 0.0) <= threshold <= (found.high or math.inf)
            self.assertAlmostEqual(float(np.median(shares)), 1.0, delta=0.15)
            self.assertGreaterEqual(inside, 54)

    def test_the_size_goes_down_quickly_and_gathers_about_the_threshold(self):
        looks = eye(1.0, 6.0, 0.0, 60, 4)
        self.assertEqual([look.size for look in looks[:3]], [8.0, 4.0, 2.0])
        late = [look.size for look in looks[20:]]
        self.assertLess(max(late), 4.0)
        self.assertGreater(min(late), 0.4)

    def test_sizes_stay_within_what_can_be_shown(self):
        right = [SizedLook(0.1, True)] * 30
        self.assertEqual(next_size(right, 8.0, 0.1, 20.0), 0.1)
        wrong = [SizedLook(20.0, False)] * 5
        self.assertEqual(next_size(wrong, 8.0, 0.1, 20.0), 20.0)

    def test_guesses_and_too_few_looks_tell_nothing(self):
        rng = np.random.default_rng(2)
        guesses = [SizedLook(2.0, bool(rng.integers(2))) for _ in range(60)]
        for looks, said in (
            (guesses, "no better than guesses"),
            (guesses[:10], "too little"),
            ([SizedLook(0.1, True)] * 40, "smaller than any shown"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                seeing(looks)
