"""From a table of answers to what it says: every design, its catches, and rows that cannot count."""

import json
import math
import random
import unittest

from oddtwin.core.judge import JudgeDesign, judge_session, read_key, read_votes
from oddtwin.core.readings import TableError
from tests.fuzzing import bent_text

KEY = json.dumps(
    {
        letter: {"arm": arm, "print": f"{letter}{number}"}
        for number, (letter, arm) in enumerate(
            {"A": "old", "B": "new", "C": "old", "D": "new", "E": "old", "F": "new"}.items()
        )
    }
)


def judged(design, header, *rows, key=None):
    votes, apart = read_votes("\n".join([header, *rows]), JudgeDesign(design))
    found = judge_session(votes, JudgeDesign(design), read_key(key)[0].letters if key else None)
    json.dumps(found.figures, allow_nan=False)
    return found.figures, apart


class Pairs(unittest.TestCase):
    HEAD = "judge,trial,left,right,odd,answer,twin,repeat"

    def test_which_is_the_change(self):
        rows = [f"ann,{n},A,B,right,{'B' if n < 9 else 'left'},," for n in range(10)]
        found, apart = judged("pair", self.HEAD, *rows, "ann,t,A,A,,none,yes,", "ann,u,A,A,,left,yes,")
        self.assertEqual((found["result"]["correct"], found["result"]["of"], apart), (9, 10, []))
        # 9 of 10 at one half: 11/1024.
        self.assertAlmostEqual(found["luck"]["chance"], 11 / 1024)
        self.assertIn("can tell them apart: 9 of 10 right", found["sentence"])
        self.assertEqual((found["catches"]["twins"], found["catches"]["false_alarms"]), (2, 1))

    def test_which_is_better_over_pairs_of_prints(self):
        rows = [f"j{n},{p},{p[n % 2]},{p[1 - n % 2]},,{p[1]},," for p in ("AB", "CD", "EF") for n in range(6)]
        found, _ = judged("pair", self.HEAD, *rows, key=KEY)
        self.assertEqual(found["result"]["preferred"], "new")
        # Either way would have counted: 2 of 2³ ways.
        self.assertEqual(
            found["prints"], {"pairs": 3, "apart": 3, "same_way": 3, "chance": 0.25, "shown": False}
        )
        # Eighteen looks are sure of these prints; three pairs of prints are not yet of the change.
        self.assertIn("whether the change itself does so is open", " ".join(found["sentences"]))
        one, _ = judged("pair", self.HEAD, *rows[:6], key=KEY)
        self.assertIn("All looks were at one pair of prints", " ".join(one["sentences"]))
        self.assertEqual(one["agreement"]["alpha"], None)

    def test_a_liking_for_one_side_and_repeats(self):
        rows = [
            f"ann,{n},{'AB' if n % 2 else 'BA'},,left,,r{n // 2}".replace("AB", "A,B").replace("BA", "B,A")
            for n in range(12)
        ]
        found, _ = judged("pair", "judge,trial,left,right,odd,answer,twin,repeat", *rows)
        self.assertEqual((found["sides"]["left"], found["sides"]["right"]), (12, 0))
        said = " ".join(found["sentences"])
        self.assertIn("The left side was chosen in 12 of 12 looks", said)
        # The same pair the other way round got the other answer each time.
        self.assertEqual((found["repeats"]["same"], found["repeats"]["of"]), (0, 6))

    def test_several_arms_make_a_ladder(self):
        rows = ["a,1,x,y,,y,,", "a,2,y,x,,y,,", "a,3,y,z,,z,,", "a,4,z,y,,y,,", "a,5,x,z,,z,,",
                "a,6,z,x,,x,,", "a,7,x,y,,none,,", "a,8,z,x,,z,,"]  # fmt: skip
        found, _ = judged("pair", self.HEAD, *rows)
        self.assertEqual(found["ladder"]["steps"][0]["name"], "y")
        self.assertIsNotNone(found["ladder"]["log_tie"])
        y, z, _ = (step["log_worth"] for step in found["ladder"]["steps"])
        # Worths of e^1.7955 and e^1.6274: odds of 1.183 to 1.
        self.assertAlmostEqual(y - z, math.log(1.1831), places=4)
        self.assertIn("y is preferred to z in 54 % of the looks that decide.", found["sentences"])

    def test_mixed_questions_and_unknown_letters_are_refused(self):
        with self.assertRaisesRegex(ValueError, "ask one thing"):
            judged("pair", self.HEAD, "a,1,A,B,left,left,,", "a,2,A,B,,left,,")
        with self.assertRaisesRegex(ValueError, "no letter Z"):
            judged("pair", self.HEAD, "a,1,A,Z,,left,,", key=KEY)
        with self.assertRaisesRegex(ValueError, "nothing was asked"):
            judged("pair", self.HEAD, "a,1,A,A,,none,yes,")


class Others(unittest.TestCase):
    def test_triangles_in_any_spelling(self):
        rows = ["ann,1,left,1", "ann,2,2,Middle", "bob,1,right,R", "bob,2,M,left", "bob,3,left,none"]
        found, _ = judged("triangle", "judge,trial,odd,answer", *rows)
        self.assertEqual((found["result"]["correct"], found["result"]["cannot_tell"]), (3, 1))
        self.assertEqual([one["correct"] for one in found["by_judge"]], [2, 1])

    def test_the_fewest_right_show_it_and_one_less_does_not(self):
        for right, shown in ((4, True), (3, False)):
            found, _ = judged("triangle", "odd,answer", *["left,left"] * right, *["left,right"] * (5 - right))
            # 4 or 5 of 5 by luck at one third: 11/243.
            self.assertEqual((found["luck"]["fewest_correct"], found["result"]["shown"]), (4, shown))
            self.assertEqual("can tell them apart" in found["sentence"], shown)
        # To show it, at least 4 of 5 must be right; with three in four of the looks seen that is 5/6 a look:
        # (5/6)⁵ + 5 (5/6)⁴ (1/6) = .804.
        self.assertIn("with 80 % chance if 75 % did", found["sentence"])

    def test_duo_trio(self):
        found, _ = judged("duo-trio", "odd,answer", *["left,left"] * 12)
        self.assertAlmostEqual(found["luck"]["chance"], 0.5**12)
        self.assertIsNone(found["d_prime"]["value"])

    def test_same_or_different_with_twins_and_a_control(self):
        rows = [f"a,{n},different," for n in range(9)] + [f"a,t{n},same,yes" for n in range(9)]
        found, _ = judged("same", "judge,trial,answer,twin", *rows, "a,c,different,control")
        self.assertEqual((found["result"]["odd"], found["result"]["twins"]), (9, 9))
        self.assertIn("can tell them apart", found["sentence"])
        self.assertEqual((found["controls"]["seen"], found["controls"]["of"]), (1, 1))
        told, _ = judged("same", "odd,answer", "same,same", "different,different", "Same,different")
        self.assertEqual((told["result"]["twins"], told["result"]["twins_different"]), (2, 1))
        none, _ = judged("same", "answer", "different", "same")
        self.assertIn("Without twin pairs", none["sentence"])

    def test_sorted_back_by_the_key(self):
        rows = [f"a,1,{letter},{'old' if letter in 'ACE' else 'new'}" for letter in "ABCDEF"]
        found, _ = judged("sort", "judge,trial,left,answer", *rows, key=KEY)
        # One sitting of six prints: both ways of counting are one.
        self.assertEqual(found["prints"], {"prints": 6, "chance": 1 / 20, "shown": True})
        # Three each of two arms: 1 of C(6, 3) = 20, and all right is the fewest that shows anything.
        self.assertAlmostEqual(found["luck"]["chance"], 1 / 20)
        self.assertEqual(found["luck"]["fewest_correct"], 6)
        with self.assertRaisesRegex(ValueError, "no arm that a print is of"):
            judged("sort", "judge,trial,left,answer", "a,1,A,blue", "a,1,B,new", key=KEY)

    def test_ranks_of_judges_who_rank_all(self):
        rows = [f"{judge},1,{item},{rank}" for judge in "abcdef" for rank, item in enumerate("xyz", 1)]
        found, _ = judged("rank", "judge,trial,left,answer", *rows, "g,1,x,1")
        self.assertEqual((found["concordance"], found["result"]["left_out"]), (1.0, 1))
        # All six alike: one of 3!^5 orders once the first judge's is held.
        self.assertAlmostEqual(found["luck"]["chance"], 1 / 6**5)

    def test_comparative_grades_with_signs_of_any_kind(self):
        rows = [
            "a,1,old,new,+2",
            "a,2,new,old,−2",
            "a,3,old,new,1",
            "b,1,old,new,2",
            "b,2,new,old,-1",
            "b,3,old,new,none",
        ]
        found, apart = judged("compare", "judge,trial,left,right,answer", *rows, "b,4,old,new,5")
        self.assertEqual(found["result"]["better"], "new")
        self.assertEqual(found["result"]["of"], "old")
        self.assertAlmostEqual(found["result"]["mean"], -8 / 6)
        self.assertEqual(found["agreement"]["scale"], "ordinal")
        self.assertEqual([one.line for one in apart], [8])
        self.assertIn("no grade from", apart[0].reason)


class LooksAndPrints(unittest.TestCase):
    """A hundred looks at prints that differ by chance must not become a finding on the change."""

    HEAD = "judge,trial,left,right,odd,answer"

    def told(self, pairs, chosen, *, design="pair", known=False, looks=4):
        """Judges who all see the same; ``chosen`` says which letter of a pair they take."""
        prints = {letter: letter.lower() for pair in pairs for letter in pair}
        key = json.dumps(
            {one: {"arm": "old" if one < "M" else "new", "print": print_} for one, print_ in prints.items()}
        )
        rows = [
            f"j{n},{a}{b},{a},{b},{'right' if known else ''},{'right' if chosen(a, b) == b else 'left'}"
            for a, b in pairs
            for n in range(looks)
        ]
        return judged(design, self.HEAD, *rows, key=key)[0]

    def test_pairs_that_share_a_print_count_once(self):
        crossed = [(a, b) for a in "ABC" for b in "MNO"]
        found = self.told(crossed, lambda a, b: b)
        self.assertEqual(
            (found["prints"]["pairs"], found["prints"]["apart"], found["prints"]["same_way"]), (9, 3, 3)
        )
        self.assertEqual(found["prints"]["chance"], 0.25)
        self.assertIn(
            "3 of the 3 that share no print, out of 9 pairs of prints,", " ".join(found["sentences"])
        )

    def test_six_pairs_of_their_own_show_it_and_five_do_not(self):
        for count, chance, shown in ((5, 0.0625, False), (6, 0.03125, True)):
            found = self.told(list(zip("ABCDEF", "MNOPQR", strict=True))[:count], lambda a, b: b)
            self.assertAlmostEqual(found["prints"]["chance"], chance)
            self.assertEqual(found["prints"]["shown"], shown)
        # Which one is the change stands before anybody looks: one way only, and five are enough.
        found = self.told(list(zip("ABCDE", "MNOPQ", strict=True)), lambda a, b: b, known=True)
        self.assertAlmostEqual(found["prints"]["chance"], 0.03125)
        self.assertTrue(found["prints"]["shown"])

    def test_comparative_grades_count_prints_by_their_arm(self):
        key = json.dumps({one: {"arm": "old" if one < "M" else "new", "print": one} for one in "ABCMNO"})
        # The grade is of the right one against the left one; the third pair finds the old one better.
        rows = ["j,1,A,M,2", "j,2,N,B,-1", "j,3,C,O,-1", "j,4,A,M,1"]
        found, _ = judged("compare", "judge,trial,left,right,answer", *rows, key=key)
        self.assertEqual((found["prints"]["apart"], found["prints"]["same_way"]), (3, 2))

    def test_odd_ones_point_nowhere(self):
        pairs = list(zip("ABCDEFGH", "MNOPQRST", strict=True))
        found = self.told(pairs, lambda a, b: b, design="triangle", known=True)
        self.assertTrue(found["result"]["shown"])
        self.assertEqual((found["prints"]["chance"], found["prints"]["shown"]), (None, False))
        self.assertIn("Any two prints may differ", " ".join(found["sentences"]))

    def test_judges_who_sort_alike_are_no_further_prints(self):
        rows = [
            f"j{n},1,{letter},{'old' if letter in 'ACF' else 'new'}" for n in range(10) for letter in "ABCDEF"
        ]
        found, _ = judged("sort", "judge,trial,left,answer", *rows, key=KEY)
        self.assertTrue(found["result"]["shown"])
        # Two of three each are right in 9 of the 20 ways to share them out, all in one.
        self.assertEqual(found["prints"], {"prints": 6, "chance": 10 / 20, "shown": False})
        self.assertIn("whether the change itself does so is open", " ".join(found["sentences"]))
        dealt, _ = judged("sort", "judge,trial,left,odd,answer", "a,1,A,x,x", "a,1,B,y,y", "a,2,A,y,y")
        self.assertIsNone(dealt["prints"])
        many = [f"a,1,{n},arm{n},arm{n}" for n in range(18)]
        many, _ = judged("sort", "judge,trial,left,odd,answer", *many)
        self.assertIn("too many ways", " ".join(many["sentences"]))

    def test_odd_pairs_are_held_against_twin_pairs_of_prints(self):
        key = json.dumps(
            {one: {"arm": "old" if one < "M" else "new", "print": one} for one in "ABCDEFGHIMNOPQ"}
        )
        odd, twins = ("AM", "BN", "CO"), ("DE", "FG", "PQ")
        answers = dict.fromkeys(odd, "different") | dict.fromkeys(twins, "same")

        def told(answers):
            rows = [f"j{n},{a}{b},{a},{b},{said}" for (a, b), said in answers.items() for n in range(8)]
            return judged("same", "judge,trial,left,right,answer", *rows, key=key)[0]

        # Three and three: 1 of C(6, 3) = 20 ways, whatever the number of looks.
        self.assertEqual(
            told(answers)["prints"], {"odd_pairs": 3, "twin_pairs": 3, "chance": 1 / 20, "shown": True}
        )
        # One twin pair that is called different as well: 4 of the 20.
        mixed = told(answers | {"DE": "different"})
        self.assertTrue(mixed["result"]["shown"])
        self.assertEqual((mixed["prints"]["chance"], mixed["prints"]["shown"]), (4 / 20, False))
        # A print beside itself is no twin pair of prints.
        self.assertEqual(told(answers | {"II": "same"})["prints"]["twin_pairs"], 3)
        one = told({"AM": "different", "BN": "different", "CC": "same"})
        self.assertEqual((one["prints"]["twin_pairs"], one["prints"]["chance"]), (0, None))

    def test_prints_that_differ_by_chance_are_no_change(self):
        dice = random.Random(5)
        wrong = 0
        for _ in range(300):
            worth = {letter: dice.gauss(0, 1) for letter in "ABCDEFMNOPQR"}
            own = list(zip("ABCDEF", "MNOPQR", strict=True))
            pairs = own + [(a, b) for a, b in zip("ABCDEF", "NOPQRM", strict=True)]
            found = self.told(pairs, lambda a, b, worth=worth: max(a, b, key=worth.get), looks=2)
            wrong += found["prints"]["shown"]
        # At most 5 %, and three standard errors of 300.
        self.assertLessEqual(wrong / 300, 0.05 + 3 * math.sqrt(0.05 * 0.95 / 300))
        self.assertGreater(wrong, 0)


class Apart(unittest.TestCase):
    def test_twice_malformed_and_empty_are_counted(self):
        rows = [
            "a,1,A,B,,left,,",
            "a,1,A,B,,right,,",
            "a,2,A,B,,hmm,,",
            "a,3,A,B,,,,",
            "a,4,A,B,,left,maybe,",
            "",
        ]
        found, apart = judged("pair", Pairs.HEAD, *rows)
        self.assertEqual([one.line for one in apart], [3, 4, 5, 6])
        self.assertIn("answers again what line 2", apart[0].reason)
        self.assertEqual(found["trials"], 1)

    def test_what_cannot_be_read_at_all(self):
        for text, said in (
            ("left,right\nA,B", "no column “answer”"),
            ("", "no column"),
            ("left,right,answer\nA,B,hmm", "no answer that can be counted"),
        ):
            with self.assertRaisesRegex(TableError, said):
                read_votes(text, JudgeDesign.PAIR)

    def test_garbled_tables_give_a_sentence(self):
        dice = random.Random(11)
        text = "\n".join([Pairs.HEAD, *[f"a,{n},A,B,,left,," for n in range(8)]])
        for _ in range(60):
            for design in JudgeDesign:
                try:
                    votes, _ = read_votes(bent_text(text, dice), design)
                    judge_session(votes, design)
                except ValueError as error:
                    self.assertTrue(str(error))


if __name__ == "__main__":
    unittest.main()
