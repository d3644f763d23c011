"""What is looked at before a plate is started, and how a plate is drawn."""

import unittest
from dataclasses import replace
from datetime import timedelta

from oddtwin.core.customs import ChangeKind
from oddtwin.core.picture import Placed, plate_picture, plate_squares
from oddtwin.core.picture.shapes import Text
from oddtwin.core.standing import ready_lines, spools_of
from oddtwin.core.study import (
    ArmFile,
    Factor,
    Level,
    MachineChange,
    Plate,
    Recheck,
    Run,
    Spool,
    TwinCheckResult,
    facing,
    place_words,
)
from tests.builders import NOON, study


def run(number, arm=1, plate=0, **more):
    return Run(number, f"R{number}", number, arm, 1, plate=Plate(plate), **more)


class Before(unittest.TestCase):
    def lines(self, runs, changes=(), left=None, which=0, **more):
        self.study = study(runs, **more)
        at = NOON + timedelta(days=3)
        found = ready_lines(self.study, self.study.runs[which], changes, left or {}, at)
        return {line.what: (line.words, line.mark.value) for line in found}

    def part(self, value):
        factor = Factor(1, ChangeKind.PART, "Hot end", (Level(1, "brass"), Level(2, "hardened")))
        change = MachineChange(1, 1, NOON, "part", "hot END", "", value, "")
        arms = tuple(replace(arm, level_ids=(number,)) for number, arm in enumerate(study().arms, 1))
        return {"changes": (change,), "factors": (factor,), "arms": arms}

    def test_make_up_is_held_against_the_log(self):
        told = self.part("brass")
        changes = told.pop("changes")
        words, mark = self.lines([run(1)], changes, **told)["Make-up"]
        self.assertEqual((words, mark), ("Hot end: brass, as logged since 2026-03-09", "fine"))
        words, mark = self.lines([run(1, arm=2)], changes, **told)["Make-up"]
        self.assertEqual(mark, "look")
        self.assertIn("by its log Marlow has brass since 2026-03-09, and this print wants hardened", words)
        self.assertNotIn("Make-up", self.lines([run(1)], (), **told))

    def test_what_is_left_on_the_spool_is_held_against_the_plate(self):
        spool = Spool(1, "Chalk", left_g=60.0, weighed=NOON, dried=NOON)
        both = [run(1, plate=1, place=1, spool="Chalk"), run(2, plate=1, place=2, spool="Chalk")]
        pieces = {1: replace(study().pieces[1], part_g=20.0, waste_g=2.0)}
        told = {"spools": (spool,), "pieces": pieces}
        words, mark = self.lines(both, left={"Chalk": 50.0}, **told)["Spool"]
        self.assertEqual(mark, "fine")
        for part in ("50.0", "(weighed 2026-03-09, prints taken off)", "44.0", "dried 3 days ago"):
            self.assertIn(part, words)
        self.assertEqual(self.lines(both, left={"Chalk": 44.0}, **told)["Spool"][1], "fine", "just enough")
        for left, said in ((99.94, "99.9"), (100.0, "100"), (640.4, "640")):
            self.assertRegex(self.lines(both, left={"Chalk": left}, **told)["Spool"][0], rf"{said}\sg left")
        words, mark = self.lines(both, left={"Chalk": 40.0}, **told)["Spool"]
        self.assertEqual(mark, "wrong")
        self.assertIn("that is not enough", words)
        self.assertEqual(spools_of(self.study, self.study.runs[1]), [spool])
        self.assertIn("what is left is not known", self.lines(both)["Spool"][0])
        bare = replace(spool, left_g=None, weighed=None, dried=None)
        self.assertIn("never weighed", self.lines(both, left={"Chalk": None}, spools=(bare,))["Spool"][0])

    def test_files_are_named_with_their_check(self):
        file = ArmFile(1, 1, 1, "ab" * 32, "old.gcode", mass_g=30.0)
        words, mark = self.lines([run(1)], files=(file,))["File"]
        self.assertEqual(mark, "look")
        self.assertIn("old.gcode, mark abababab; it was not checked in Match yet", words)
        check = TwinCheckResult(1, 1, NOON, {})
        self.assertEqual(self.lines([run(1)], files=(file,), checks=(check,))["File"][1], "fine")
        words, mark = self.lines([run(1, arm=2)], files=(file,))["File"]
        self.assertEqual((words, mark), ("none was chosen for New", "wrong"))

    def test_a_file_lays_all_prints_of_its_plate(self):
        file = ArmFile(1, 1, 1, "ab" * 32, "old.gcode", mass_g=30.0)
        both = [run(1, plate=1, place=1, spool="Chalk"), run(2, plate=1, place=2, spool="Chalk")]
        spool = Spool(1, "Chalk", left_g=29.0, weighed=NOON)
        words, mark = self.lines(both, left={"Chalk": 29.0}, files=(file,), spools=(spool,))["Spool"]
        self.assertEqual(mark, "wrong")
        self.assertIn("this plate takes 30.0", words)

    def test_checks_that_earlier_prints_left_open_are_overdue(self):
        factor = Factor(
            1, ChangeKind.PART, "nozzle", (Level(1, "brass"), Level(2, "steel")), disturbs="nozzle"
        )
        arms = tuple(replace(arm, level_ids=(number,)) for number, arm in enumerate(study().arms, 1))
        begun = replace(run(1, arm=2), plate=Plate(0, NOON, NOON + timedelta(hours=1)))
        told = {"factors": (factor,), "arms": arms}
        words, mark = self.lines([begun, run(2, arm=2)], which=1, **told)["Overdue"]
        self.assertEqual(mark, "wrong")
        self.assertIn("Z offset (before R1)", words)
        done = tuple(
            Recheck(number, 1, text, NOON)
            for number, text in enumerate(
                ("Z offset", "bed mesh", "gantry alignment", "nozzle temperature", "line widths", "flow")
            )
        )
        self.assertNotIn("Overdue", self.lines([begun, run(2, arm=2)], which=1, rechecks=done, **told))


class Places(unittest.TestCase):
    def test_a_turn_is_told_by_the_side_that_the_front_faces(self):
        # Counterclockwise as seen from above, as every slicer and mathematics have it.
        self.assertEqual([facing(turn) for turn in (0, 90, 180, 270, 360, -90)],
                         ["front", "right", "back", "left", "front", "left"])  # fmt: skip
        self.assertEqual(facing(45), "45° from front to right")
        self.assertEqual(place_words(run(1)), "")
        self.assertEqual(place_words(run(1, place=2, turn_deg=180)), "place 2, its front to the back")
        self.assertEqual(place_words(run(1, place=2)), "place 2")

    def test_places_count_from_the_front_left(self):
        pieces = [Placed(f"R{number}", number, "front", number == 2, False) for number in range(1, 5)]
        first, second, third, fourth = plate_squares(pieces, 200, 160)
        self.assertLess(first.x, second.x)
        self.assertEqual(first.y, second.y)
        # The front is at the foot of the picture.
        self.assertGreater(first.y, third.y)
        self.assertEqual((third.x, fourth.x), (first.x, second.x))

    def test_nothing_lies_outside_or_over_another_for_any_number_of_pieces(self):
        for count in (1, 2, 3, 5, 7, 12, 30):
            pieces = [Placed(f"R{number}", number + 1, "left", False, True) for number in range(count)]
            squares = plate_squares(pieces, 200, 158)
            for one in squares:
                self.assertGreaterEqual(min(one.x, one.y), 0)
                self.assertLessEqual(one.x + one.width, 200)
                self.assertLessEqual(one.y + one.height, 158 - 20)
                for other in squares:
                    apart = one.x >= other.x + other.width or other.x >= one.x + one.width
                    below = one.y >= other.y + other.height or other.y >= one.y + one.height
                    self.assertTrue(one is other or apart or below)

    def test_the_picture_says_in_words_what_it_shows(self):
        drawing = plate_picture([Placed("K7M", 2, "left", True, True)], 200, 158)
        self.assertEqual(
            drawing.description, "The plate from above: K7M at place 2, its front to the left, set aside"
        )
        self.assertIn("K7M", [shape.text for shape in drawing.shapes if isinstance(shape, Text)])


if __name__ == "__main__":
    unittest.main()
