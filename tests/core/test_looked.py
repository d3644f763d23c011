"""What is looked at, as values: the shot list, where a study stands, threats, tray sheets, departures."""

import dataclasses
import unittest
from datetime import timedelta

from oddtwin.core.judge import SessionDesign, SessionTrial
from oddtwin.core.judgement import session_result, study_threats
from oddtwin.core.picture import TrayLine, tray_pages
from oddtwin.core.standing import Stage, standing_of
from oddtwin.core.study import (
    BlindSession,
    KeyLetter,
    Photograph,
    Piece,
    Rig,
    SessionAnswer,
    StudyBlock,
    View,
    departures,
    exposure_words,
    photographs_of_view,
    place_shot,
    wanted_shots,
)
from tests.builders import NOON, run, study

VIEWS = (View(1, 1, 0, "lid", "left"), View(2, 1, 1, "side"))
PIECE = Piece(1, "Ring", ("rim",), 60.0, 20.0, 1.0, views=VIEWS)


def printed(number, arm, block, late=0, **more):
    """A run that is printed, some hours after noon."""
    made = run(number, arm, block, **more)
    return made.with_plate(started=NOON + timedelta(hours=late), finished=NOON + timedelta(hours=late + 1))


def looked(*runs, **more):
    """A study of one piece with two views."""
    blocks = tuple(StudyBlock(number, str(number), None, 1) for number in range(1, 4))
    return dataclasses.replace(study(runs), pieces={1: PIECE}, blocks=blocks, **more)


def shot(number, run_id, view_id, **more):
    return Photograph(number, run_id, view_id, f"{number:064x}", f"p{number}.jpg", **more)


class ShotList(unittest.TestCase):
    def test_prints_are_asked_for_as_they_were_printed_and_those_to_come_not_yet(self):
        value = looked(
            printed(1, 1, 1, late=5),
            printed(2, 2, 1, late=1),
            run(3, 1, 2).with_plate(started=None, finished=None),
        )
        wanted = [(item.run.id, item.view.id) for item in wanted_shots(value)]
        self.assertEqual(wanted, [(2, 1), (2, 2), (1, 1), (1, 2)])
        partly = value.changed(photographs=(shot(1, 2, 1),))
        self.assertEqual(wanted_shots(partly)[0][1].name, "side")

    def test_what_is_set_aside_needs_no_photograph(self):
        value = looked(printed(1, 1, 1, set_aside="fell over"), printed(2, 2, 1))
        self.assertEqual({item.run.id for item in wanted_shots(value)}, {2})

    def test_without_a_label_the_list_is_filled_in_turn_also_within_one_drop(self):
        value = looked(printed(1, 1, 1), printed(2, 2, 1, late=2))
        taken = []
        for _ in range(4):
            place, why = place_shot(value, "", taken)
            self.assertEqual(why, "")
            taken.append((place.run.id, place.view.id))
        self.assertEqual(taken, [(1, 1), (1, 2), (2, 1), (2, 2)])
        self.assertIsNone(place_shot(value, "", taken)[0])

    def test_a_label_of_a_print_to_come_or_of_none_is_told(self):
        value = looked(printed(1, 1, 1), run(2, 2, 1).with_plate(started=None, finished=None))
        waiting = value.index.runs[2].code
        self.assertIn("not printed yet", place_shot(value, waiting)[1])
        self.assertIn("not of this study", place_shot(value, "???")[1])
        bare = dataclasses.replace(value, pieces={1: dataclasses.replace(PIECE, views=())})
        self.assertIn("no views yet", place_shot(bare, value.index.runs[1].code)[1])

    def test_retakes_go_round_the_views(self):
        value = looked(printed(1, 1, 1), photographs=(shot(1, 1, 1), shot(2, 1, 2), shot(3, 1, 1, retake=1)))
        place, _ = place_shot(value, value.index.runs[1].code)
        self.assertEqual(place.view.id, 2)

    def test_the_baseline_comes_first_and_each_arm_as_printed(self):
        runs = (printed(1, 2, 1, late=0), printed(2, 1, 1, late=3), printed(3, 1, 2, late=1))
        value = looked(*runs, photographs=tuple(shot(number, number, 1) for number in (1, 2, 3)))
        self.assertEqual([item[0].id for item in photographs_of_view(value, 1)], [3, 2, 1])


class Departing(unittest.TestCase):
    def test_the_rig_speaks_before_the_first_photograph(self):
        shots = (shot(1, 1, 1, exposure_s=0.02), shot(2, 2, 1, exposure_s=0.04))
        value = looked(printed(1, 1, 1), printed(2, 2, 1), photographs=shots)
        self.assertEqual(departures(value, shots[0]), ())
        self.assertIn("1/25 s, the others for 1/50 s", departures(value, shots[1])[0])
        ruled = dataclasses.replace(value, rig=Rig(exposure_s=0.04))
        self.assertEqual(departures(ruled, shots[1]), ())
        self.assertIn("1/50 s", departures(ruled, shots[0])[0])

    def test_a_tenth_of_exposure_is_nothing_and_nobody_said_is_no_departure(self):
        shots = (shot(1, 1, 1, exposure_s=0.020), shot(2, 2, 1, exposure_s=0.0215), shot(3, 3, 1))
        value = looked(printed(1, 1, 1), printed(2, 2, 1), printed(3, 1, 2), photographs=shots)
        for one in shots:
            self.assertEqual(departures(value, one), ())

    def test_another_size_is_told(self):
        shots = (shot(1, 1, 1, width=300, height=200), shot(2, 2, 1, width=200, height=300))
        value = looked(printed(1, 1, 1), printed(2, 2, 1), photographs=shots)
        self.assertIn("200 × 300 pixels", departures(value, shots[1])[0])

    def test_exposures_are_written_as_photographers_do(self):
        self.assertEqual([exposure_words(one) for one in (0.004, 0.02, 2.5)], ["1/250 s", "1/50 s", "2.5 s"])


def session(**more):
    usual = {
        "id": 1, "design": SessionDesign.BETTER, "view_id": 1, "response_id": None, "zone": "",
        "judges": ("Lena",), "seed": 3, "question": "", "break_after": 0,
        "trials": (SessionTrial("Lena", 1, ("A", "B")), SessionTrial("Lena", 2, ("B", "A"))),
        "letters": (KeyLetter("A", 1, "Baseline", "K7M"), KeyLetter("B", 2, "Change", "P3D")),
        "nonce": "ab", "commitment": "cd", "locked": "", "mixed_by": "Ada", "created": NOON,
    }  # fmt: skip
    return BlindSession(**{**usual, **more})


def answered(number, text):
    return SessionAnswer(number, 1, "Lena", number, text, NOON)


class Sessions(unittest.TestCase):
    def test_a_closed_key_and_a_session_without_answers_say_nothing(self):
        value = looked(printed(1, 1, 1), printed(2, 2, 1), answers=(answered(1, "left"),))
        self.assertIsNone(session_result(value, session()))
        self.assertIsNone(session_result(value.changed(answers=()), session(opened=NOON)))
        self.assertIn("prefer", session_result(value, session(opened=NOON)).sentences[0])

    def test_letters_that_the_key_lacks_end_in_a_sentence(self):
        value = looked(printed(1, 1, 1), printed(2, 2, 1), answers=(answered(1, "left"),))
        lacking = session(opened=NOON, letters=(KeyLetter("A", 1, "Baseline", "K7M"),))
        self.assertRegex(session_result(value, lacking).sentences[0], r"^The key has no letter B\.$")

    def test_answers_to_no_trial_and_no_answers_are_passed_over(self):
        odd = (answered(1, "left"), answered(9, "left"), answered(2, "perhaps"))
        value = looked(printed(1, 1, 1), printed(2, 2, 1), answers=odd)
        self.assertEqual(session_result(value, session(opened=NOON)).figures["trials"], 1)

    def test_an_open_session_blames_nobody(self):
        made = printed(1, 1, 1)
        value = looked(dataclasses.replace(made, operator="Lena"), printed(2, 2, 1))
        blind = [one.code.value for one in study_threats(value.changed(sessions=(session(),)))]
        self.assertIn("judge-knew", blind)
        seen = value.changed(sessions=(session(design=SessionDesign.OPEN),))
        self.assertNotIn("judge-knew", [one.code.value for one in study_threats(seen)])

    def test_look_is_done_when_nothing_of_it_is_left_open(self):
        value = looked(printed(1, 1, 1), printed(2, 2, 1))
        self.assertNotIn(Stage.LOOK, standing_of(value).done)
        shots = tuple(shot(2 * run_id + view, run_id, view) for run_id in (1, 2) for view in (1, 2))
        full = value.changed(photographs=shots)
        self.assertIn(Stage.LOOK, standing_of(full).done)
        begun = full.changed(sessions=(session(),))
        self.assertNotIn(Stage.LOOK, standing_of(begun).done)
        ended = full.changed(sessions=(session(closed=NOON, opened=NOON),))
        self.assertIn(Stage.LOOK, standing_of(ended).done)


class Tray(unittest.TestCase):
    def texts(self, page):
        return [shape.text for shape in page.shapes if hasattr(shape, "text")]

    def test_lines_go_on_as_many_pages_as_they_need_and_none_is_lost(self):
        lines = [TrayLine(f"L{number}", f"print {number}") for number in range(70)]
        pages = tray_pages("Tray", "Lay them out.", lines, "committed to as x")
        self.assertGreater(len(pages), 2)
        written = [text for page in pages for text in self.texts(page)]
        for line in lines:
            self.assertEqual(written.count(line.left), 1)
            self.assertEqual(written.count(line.right), 1)
        self.assertEqual(written.count("committed to as x"), len(pages))

    def test_everything_lies_on_the_page(self):
        page = tray_pages("Tray", "", [TrayLine("A", "K7M")] * 20, "x")[0]
        for shape in page.shapes:
            if hasattr(shape, "text"):
                self.assertTrue(0 < shape.x < page.width and 0 < shape.y < page.height, shape)

    def test_no_line_is_one_empty_page(self):
        self.assertEqual(len(tray_pages("Tray", "", [], "x")), 1)
