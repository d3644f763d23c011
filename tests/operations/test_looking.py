"""Photographs filed, marked and measured; blind sessions drawn, answered and opened."""

import atexit
import dataclasses
import os
import shutil
import tempfile
from functools import cache
from pathlib import Path
from unittest import mock

import numpy as np

from oddtwin import operations
from oddtwin.core.judge import SessionDesign
from oddtwin.core.judgement import session_result, study_threats
from oddtwin.core.readings import ResponseKind, Source, Typed
from oddtwin.core.render import FAULTS, PieceFace, control_text, render_piece
from oddtwin.core.standing import Stage, standing_of
from oddtwin.core.study import MeasuredRegion, departures, place_shot, wanted_shots
from oddtwin.operations import Figure, Flag, Measured, NewSession
from oddtwin.store import KeptKind, LabBook, StoreError
from oddtwin.store.exchange import read_study, write_study
from oddtwin.work.derived import ready_pair, small_copy
from oddtwin.work.measured import measure_view
from oddtwin.work.photos import PhotoError, write_png
from oddtwin.work.shots import Filed, Shot, keep_shots
from oddtwin.work.trials import trial_pictures
from tests.cases import InBook

FACE = PieceFace(width_px=360, height_px=240, px_per_mm=5.0, layer_mm=0.4, seam=14.0)


@cache
def photographed_book() -> Path:
    """A lab book with all prints made, measured, and photographed in both views."""
    place = Path(tempfile.mkdtemp(prefix="odd-twin-photographed-"))
    atexit.register(shutil.rmtree, place, ignore_errors=True)
    maker = Looking()
    maker.setUp()
    maker.print_all()
    count = len(wanted_shots(maker.study()))
    maker.file(*(maker.picture(f"shot{number:02d}", number) for number in range(count)))
    maker.book.close()
    shutil.copytree(maker.folder / "book", place / "book")
    maker.doCleanups()
    return place / "book"


class Looking(InBook):
    def setUp(self):
        super().setUp()
        cache = {"XDG_CACHE_HOME": str(self.folder / "cache")}
        self.enterContext(mock.patch.dict(os.environ, cache))
        self.planned(pairs=2, twins=1)
        operations.add_view(self.book, piece_id=1, face="lid", lamp="left", zone="rim")
        operations.add_view(self.book, piece_id=1, face="side")

    def picture(self, name, seed=1, face=FACE):
        path = self.folder / f"{name}.png"
        write_png(path, render_piece(face, np.random.default_rng(seed))[0])
        return path

    def file(self, *paths, to=None):
        arrived = keep_shots(self.book, self.study(), list(paths), to=to)
        operations.add_photographs(self.book, filed=arrived.filed)
        return arrived

    def photographed(self):
        """All prints printed, measured, and photographed in both views."""
        self.book.close()
        shutil.rmtree(self.folder / "book")
        shutil.copytree(photographed_book(), self.folder / "book")
        self.book = LabBook.open(self.folder / "book")
        self.addCleanup(self.book.close)
        return self.study()

    def refused(self, said, operation, **arguments):
        before = self.study()
        with self.assertRaisesRegex(StoreError, said):
            operation(self.book, **arguments)
        self.assertEqual(self.study(), before)


class Filing(Looking):
    def test_the_list_is_filled_print_by_print_and_undo_empties_it(self):
        self.assertEqual(wanted_shots(self.study()), ())
        self.print_all()
        wanted = wanted_shots(self.study())
        first = self.study().runs[0]
        self.assertEqual([item.view.name for item in wanted[:2]], ["lid, left", "side"])
        self.assertEqual({item.run.id for item in wanted[:2]}, {first.id})
        self.file(self.picture("a", 1), self.picture("b", 2))
        self.assertEqual(wanted_shots(self.study()), wanted[2:])
        self.book.undo()
        self.assertEqual(wanted_shots(self.study()), wanted)
        self.assertEqual(self.book.clear_orphans(), 0)

    def test_a_full_list_takes_retakes_only_where_a_label_names_the_print(self):
        study = self.photographed()
        self.assertEqual(wanted_shots(study), ())
        self.assertIn("choose the print", place_shot(study, "")[1])
        run = study.runs[1]
        place, why = place_shot(study, run.code)
        self.assertEqual((place.run.id, place.view.name, why), (run.id, "lid, left", ""))
        self.assertIn("not of this study", place_shot(study, "XXX")[1])
        self.file(self.picture("again", 99), to=(run.id, place.view.id))
        takes = [item.retake for item in self.study().photographs if item.run_id == run.id]
        self.assertEqual(sorted(takes), [0, 0, 1])

    def test_an_original_is_kept_as_it_came_and_checked_when_it_is_read(self):
        self.print_all()
        path = self.picture("a")
        self.file(path)
        sha = self.study().photographs[0].sha256
        kept = self.book.kept(KeptKind.PHOTOGRAPH, sha)
        self.assertEqual(kept.read_bytes(), path.read_bytes())
        small = small_copy(self.book, sha)
        self.assertEqual(small.shape[1], 360)
        kept.write_bytes(path.read_bytes() + b" ")
        with self.assertRaisesRegex(PhotoError, "changed since"):
            ready_pair(self.book, sha, sha)

    def test_files_that_are_no_pictures_are_told_and_spoil_no_other(self):
        self.print_all()
        (self.folder / "letter.jpg").write_text("no picture")
        arrived = self.file(self.folder / "letter.jpg", self.picture("a"))
        self.assertEqual(len(arrived.filed), 1)
        self.assertIn("letter.jpg", arrived.apart[0])

    def test_one_picture_is_of_one_print_and_of_the_right_piece(self):
        study = self.photographed()
        shot = study.photographs[0]
        twice = Shot(shot.sha256, "twice.png")
        runs = study.runs
        self.refused(
            "filed under run",
            operations.add_photographs,
            filed=[Filed(runs[1].id, 1, twice)],
        )
        operations.add_piece(self.book, name="Lid", zones=[])
        operations.add_view(self.book, piece_id=2, face="top")
        self.refused(
            "another piece",
            operations.add_photographs,
            filed=[Filed(runs[1].id, 3, Shot("0" * 64, "x.png"))],
        )
        self.refused("so the view stays", operations.remove_view, view_id=1, name="lid, left")
        self.refused("already", operations.add_view, piece_id=1, face="lid", lamp="left")

    def test_a_picture_that_departs_from_the_rig_is_pointed_out(self):
        operations.edit_rig(self.book, exposure_s=1 / 40)
        self.print_all()
        run = self.study().runs[0]
        shot = Shot("0" * 64, "x.jpg", run.finished.replace(year=2020), 1 / 20, 10, 10, hdr=True)
        operations.add_photographs(self.book, filed=[Filed(run.id, 1, shot)])
        said = " ".join(departures(self.study(), self.study().photographs[0]))
        for part in ("1/20 s, the others for 1/40 s", "HDR", "before this print was finished"):
            self.assertIn(part, said)
        self.refused("between 100 and 200 mm", operations.edit_rig, check_x_mm=15.0)

    def test_where_look_stands_follows_what_was_begun(self):
        self.print_all()
        self.assertIs(standing_of(self.study()).stage, Stage.VERDICT)
        self.file(self.picture("a"))
        standing = standing_of(self.study())
        self.assertIs(standing.stage, Stage.LOOK)
        self.assertIn("Photograph run", standing.next_step)

    def test_a_study_file_carries_views_photographs_marks_and_sessions(self):
        self.photographed()
        first = self.study().photographs[0]
        region = MeasuredRegion("Ringing", "ringing", 1, 2, 30, 40, first.sha256, 5.0)
        operations.set_regions(self.book, view_id=1, name="lid", regions=[region])
        code = self.study().index.runs[first.run_id].code
        flag = Flag(0.25, 0.5, "Strings", 2, "rib", "low light", "Ada")
        operations.mark_fault(self.book, photograph_id=first.id, code=code, flag=flag)
        runs = tuple(run.id for run in self.study().runs)
        wish = NewSession(SessionDesign.BETTER, runs, ("Ada",), 1)
        operations.begin_session(self.book, study_id=1, session=wish)
        operations.answer_trial(self.book, session_id=1, judge="Ada", number=1, text="left")
        text = write_study(self.study())
        other = LabBook.create(self.folder / "other", "Other")
        self.addCleanup(other.close)
        operations.add_whole_study(other, study=read_study(text, "x"))
        with other.reading() as connection:
            from oddtwin.store import load_study

            again = load_study(connection, 1)
        self.assertEqual(write_study(again), text)
        mine, theirs = self.study(), again
        self.assertEqual(
            [dataclasses.replace(item, id=0) for item in theirs.index.views.values()],
            [dataclasses.replace(item, id=0) for item in mine.index.views.values()],
        )
        self.assertEqual(theirs.sessions[0].trials, mine.sessions[0].trials)
        self.assertEqual(len(theirs.answers), 1)


class Marking(Looking):
    def grade(self, run_id, zone="rib"):
        return [
            (item.value, item.source)
            for item in self.study().index.readings[run_id]
            if item.zone == zone and item.response_id == self.ids("response")["Strings"]
        ]

    def test_the_worst_mark_of_a_zone_is_its_reading_and_goes_with_it(self):
        study = self.photographed()
        shot = study.photographs[0]
        code = study.index.runs[shot.run_id].code
        for grade in (1, 3):
            flag = Flag(0.5, 0.5, "strings", grade, "rib")
            operations.mark_fault(self.book, photograph_id=shot.id, code=code, flag=flag)
        self.assertEqual(self.grade(shot.run_id), [(3.0, Source.PHOTOGRAPH)])
        worst = next(mark for mark in self.study().marks if mark.grade == 3)
        operations.remove_mark(self.book, mark_id=worst.id, code=code)
        self.assertEqual(self.grade(shot.run_id), [(1.0, Source.PHOTOGRAPH)])
        self.book.undo()
        self.assertEqual(self.grade(shot.run_id), [(3.0, Source.PHOTOGRAPH)])

    def test_the_zone_of_the_view_is_taken_where_none_is_said_and_asked_for_where_there_is_none(self):
        study = self.photographed()
        lid, side = study.photographs[0], study.photographs[1]
        operations.mark_fault(self.book, photograph_id=lid.id, code="x", flag=Flag(0.1, 0.1, "Strings", 4))
        self.assertEqual(self.grade(lid.run_id, "rim"), [(4.0, Source.PHOTOGRAPH)])
        self.refused(
            "in which zone",
            operations.mark_fault,
            photograph_id=side.id,
            code="x",
            flag=Flag(0.1, 0.1, "Strings", 4),
        )
        for flag, said in (
            (Flag(0.1, 0.1, " ", 1, "rib"), "which fault"),
            (Flag(1.2, 0.1, "Strings", 1, "rib"), "on the photograph"),
            (Flag(0.2, 0.1, "Strings", 5, "rib"), "0 to 4"),
        ):
            self.refused(said, operations.mark_fault, photograph_id=side.id, code="x", flag=flag)

    def test_marks_go_with_a_photograph_that_is_moved_and_so_do_their_grades(self):
        study = self.photographed()
        shot, other = study.photographs[0], study.runs[1]
        operations.mark_fault(
            self.book, photograph_id=shot.id, code="x", flag=Flag(0.1, 0.1, "Strings", 4, "rib")
        )
        operations.move_photograph(
            self.book, photograph_id=shot.id, run_id=other.id, view_id=2, code=other.code
        )
        self.assertEqual(self.grade(shot.run_id), [])
        self.assertEqual(self.grade(other.id), [(4.0, Source.PHOTOGRAPH)])
        moved = next(item for item in self.study().photographs if item.id == shot.id)
        self.assertEqual((moved.run_id, moved.view_id, moved.retake), (other.id, 2, 1))

    def test_what_a_reading_was_measured_from_stays(self):
        study = self.photographed()
        shot = study.photographs[0]
        force = self.ids("response")["Force"]
        kept = Measured(0.1, f"photo:{shot.sha256} region:1,2,3,4 method:size/1")
        operations.enter_measured(
            self.book,
            response_id=force,
            name="Force",
            zone="",
            figures=[Figure(shot.run_id, (Typed(3.5), Typed(3.7)), (kept, kept))],
        )
        read = [item for item in self.study().index.readings[shot.run_id] if item.response_id == force]
        self.assertEqual([(item.value, item.retake, item.u) for item in read], [(3.5, 0, 0.1), (3.7, 1, 0.1)])
        self.assertEqual({item.evidence for item in read}, {kept.evidence})
        self.refused(
            "measured from this photograph", operations.remove_photograph, photograph_id=shot.id, code="x"
        )
        self.book.undo()
        operations.remove_photograph(self.book, photograph_id=shot.id, code="x")
        self.assertNotIn(shot.id, [item.id for item in self.study().photographs])

    def test_the_workshop_has_its_own_faults_and_no_code_twice(self):
        operations.add_fault(self.book, name="Zits", code="Z", light="low")
        self.refused("called “zits”", operations.add_fault, name="zits")
        self.refused("is taken", operations.add_fault, name="Zags", code="z")
        self.assertEqual([(one.name, one.code) for one in self.study().faults], [("Zits", "Z")])


class Measuring(Looking):
    def test_a_region_is_carried_to_photographs_that_lie_otherwise(self):
        self.print_all()
        wall = PieceFace(width_px=480, height_px=320, px_per_mm=8.0, layer_mm=0.2, ringing=5.0)
        study = self.study()
        truths = {}
        for number, run in enumerate(study.runs[:3]):
            face = dataclasses.replace(
                wall, ringing=5.0 - 2 * number, shift_x_px=9.0 * number, turn_deg=0.6 * number
            )
            truths[run.id] = 5.0 - 2 * number
            self.file(self.picture(f"m{number}", 40 + number, face), to=(run.id, 1))
        first = self.study().photographs[0]
        region = MeasuredRegion("Ringing", "ringing", 69, 54, 100, 200, first.sha256, 8.0, layer_mm=0.2)
        study = self.study()
        shots = [(study.index.runs[item.run_id], item) for item in study.photographs]
        found = measure_view(self.book, study, region, shots)
        values = [one.measured.value for one in found]
        self.assertEqual([one.measured.refused for one in found], [""] * 3)
        self.assertEqual(values, sorted(values, reverse=True))
        self.assertGreater(values[0], 2 * values[2])
        self.assertIn(f"photo:{first.sha256} region:69,54,100,200 method:ringing/", found[0].evidence)

    def test_relief_of_another_filament_or_under_another_lamp_is_refused(self):
        self.print_all()
        wall = PieceFace(width_px=480, height_px=320, px_per_mm=8.0, layer_mm=0.2, ringing=5.0)
        runs = self.study().runs
        for number, face in enumerate((wall, wall, dataclasses.replace(wall, lamp_deg=140.0))):
            self.file(self.picture(f"m{number}", 40 + number, face), to=(runs[number].id, 1))
        operations.edit_run(self.book, run_id=runs[0].id, code="x", spool="grey, lot 1")
        operations.edit_run(self.book, run_id=runs[1].id, code="x", spool="silk, lot 9")
        study = self.study()
        first = study.photographs[0].sha256
        shots = [(study.index.runs[item.run_id], item) for item in study.photographs]
        region = MeasuredRegion("Ringing", "ringing", 69, 54, 100, 200, first, 8.0, layer_mm=0.2)
        said = [one.measured.refused for one in measure_view(self.book, study, region, shots)]
        self.assertEqual(said[0], "")
        self.assertIn("another filament (silk, lot 9)", said[1])
        self.assertIn("the lamp stood elsewhere", said[2])
        # A size does not follow from light and shade.
        size = MeasuredRegion("Width", "size", 20, 140, 440, 40, first, 8.0)
        self.assertEqual(
            [one.measured.refused for one in measure_view(self.book, study, size, shots)], [""] * 3
        )

    def test_another_piece_in_the_picture_is_refused_with_its_reason(self):
        self.print_all()
        runs = self.study().runs
        self.file(self.picture("a", 1), to=(runs[0].id, 1))
        other = PieceFace(width_px=360, height_px=240, px_per_mm=5.0, layer_mm=0.4, ribs=5, strings=3)
        self.file(self.picture("b", 2, other), to=(runs[1].id, 1))
        study = self.study()
        region = MeasuredRegion("Size", "size", 20, 100, 300, 60, study.photographs[0].sha256, 5.0)
        shots = [(study.index.runs[item.run_id], item) for item in study.photographs]
        found = measure_view(self.book, study, region, shots)
        self.assertEqual(found[0].measured.refused, "")
        self.assertIn("cannot be laid onto", found[1].measured.sentence)
        self.assertIsNone(found[1].patch)

    def test_without_any_scale_it_says_so(self):
        self.print_all()
        self.file(self.picture("a", 1))
        study = self.study()
        region = MeasuredRegion("Size", "size", 20, 100, 300, 60, study.photographs[0].sha256)
        shots = [(study.index.runs[item.run_id], item) for item in study.photographs]
        self.assertIn("scale is not known", measure_view(self.book, study, region, shots)[0].measured.refused)

    def test_two_regions_of_one_name_are_refused(self):
        region = MeasuredRegion("Size", "size", 20, 100, 300, 60, "0" * 64)
        self.refused("another name", operations.set_regions, view_id=1, name="lid", regions=[region, region])


class Judging(Looking):
    def begin(self, design=SessionDesign.BETTER, judges=("Lena", "Olaf"), view=1, **more):
        runs = tuple(run.id for run in self.study().runs)
        wish = NewSession(design, runs, judges, view, **more)
        operations.begin_session(self.book, study_id=1, session=wish)
        return self.study().sessions[-1]

    def answer(self, session, choose):
        for one in session.trials:
            operations.answer_trial(
                self.book,
                session_id=session.id,
                judge=one.judge,
                number=one.number,
                text=choose(one),
            )

    def test_a_session_goes_its_way_and_nothing_of_it_can_be_turned_back(self):
        self.photographed()
        session = self.begin()
        sealed = session.commitment
        arm = {one.letter: one.arm for one in session.letters}
        self.answer(session, lambda one: "left" if arm[one.letters[0]] == "Change" else "right")
        self.assertIsNone(session_result(self.study(), self.study().sessions[0]))
        self.refused("Close judging first", operations.open_key, session_id=1)
        operations.close_session(self.book, session_id=1)
        self.refused(
            "Judging is closed", operations.answer_trial, session_id=1, judge="Lena", number=1, text="1"
        )
        operations.open_key(self.book, session_id=1, who="Ada")
        opened = self.study().sessions[0]
        self.assertEqual((opened.opened_by, opened.commitment), ("Ada", sealed))
        self.assertTrue(operations.key_kept(opened))
        self.assertIn("Change", session_result(self.study(), opened).sentences[0])
        self.refused("open already", operations.open_key, session_id=1)
        self.refused("stays", operations.remove_session, session_id=1)
        self.assertIn("key of a blind session", [look.what.value for look in self.study().looks])
        # Opening is no edit: undo takes back the closing before it, and not what was seen.
        self.book.undo()
        self.assertIsNotNone(self.study().sessions[0].opened)

    def test_a_key_that_was_changed_is_found_out(self):
        self.photographed()
        session = self.begin()
        self.answer(session, lambda one: "1")
        operations.close_session(self.book, session_id=1)
        operations.open_key(self.book, session_id=1)
        opened = self.study().sessions[0]
        first, second, *rest = opened.letters
        swapped = dataclasses.replace(
            opened,
            letters=(
                dataclasses.replace(first, arm=second.arm, print=second.print),
                dataclasses.replace(second, arm=first.arm, print=first.print),
                *rest,
            ),
        )
        self.assertFalse(operations.key_kept(swapped))

    def test_a_second_persons_passphrase_locks_the_key_of_prints_in_the_hand(self):
        self.print_all()
        session = self.begin(view=None, passphrase="three small words")
        self.assertEqual((session.letters, session.nonce), ((), ""))
        self.assertNotIn("Change", session.locked)
        with self.assertRaisesRegex(StoreError, "not the passphrase"):
            operations.letters_of(session, "three other words")
        told = operations.letters_of(session, "three small words")
        self.assertEqual({one.print for one in told}, {run.code for run in self.study().runs})
        self.answer(session, lambda one: "1")
        operations.close_session(self.book, session_id=1)
        self.refused("not the passphrase", operations.open_key, session_id=1, passphrase="guessed again")
        operations.open_key(self.book, session_id=1, passphrase="three small words")
        opened = self.study().sessions[0]
        self.assertEqual(opened.letters, told)
        self.assertTrue(operations.key_kept(opened))

    def test_what_cannot_be_asked_is_refused(self):
        self.print_all()
        operations.set_aside(self.book, run_id=5, code="x", reason="fell over")
        force, strings = (self.ids("response")[name] for name in ("Force", "Strings"))
        every = tuple(run.id for run in self.study().runs)
        self.refused(
            "set aside",
            operations.begin_session,
            study_id=1,
            session=NewSession(SessionDesign.BETTER, every, ("Ada",)),
        )
        runs = tuple(key for key in every if key != 5)
        for wish, said in (
            (NewSession(SessionDesign.BETTER, runs, ("Ada",), 1), "no photograph of this view"),
            (NewSession(SessionDesign.GRADE, runs, ("Ada",)), "Choose the fault"),
            (NewSession(SessionDesign.BETTER, runs, ("Ada",), passphrase="short"), "at least 8 signs"),
            (
                NewSession(SessionDesign.BETTER, runs, ("Ada",), 1, passphrase="long enough"),
                "in the hand only",
            ),
            (NewSession(SessionDesign.BETTER, runs, ("Ada",), controls=("x",)), "on the screen"),
            (NewSession(SessionDesign.BETTER, runs, ("Ada",), repeats=0), "1 to 10 times"),
            (NewSession(SessionDesign.BETTER, (1, 99), ("Ada",)), "not of this study"),
            (NewSession(SessionDesign.GRADE, runs, ("Ada",), response_id=force), "graded from 0 to 4"),
            (NewSession(SessionDesign.GRADE, runs, ("Ada",), response_id=strings), "which zone"),
        ):
            with self.subTest(said):
                self.refused(said, operations.begin_session, study_id=1, session=wish)

    def test_grades_are_readings_by_judge_and_judges_are_looks_at_a_print(self):
        self.photographed()
        strings = self.ids("response")["Strings"]
        session = self.begin(SessionDesign.GRADE, response_id=strings, zone="rib")
        self.answer(session, lambda one: "3" if one.judge == "Lena" else "1")
        operations.close_session(self.book, session_id=1)
        self.refused("Open the key first", operations.enter_grades, session_id=1)
        operations.open_key(self.book, session_id=1)
        operations.enter_grades(self.book, session_id=1)
        for run in self.study().runs:
            read = [
                item
                for item in self.study().index.readings[run.id]
                if item.response_id == strings and item.zone == "rib"
            ]
            told = {item.by: (item.value, item.source) for item in read}
            self.assertEqual(told, {"Lena": (3.0, Source.SESSION), "Olaf": (1.0, Source.SESSION)})

    def test_whoever_printed_or_mixed_is_a_threat_as_judge(self):
        study = self.photographed()
        operations.edit_run(self.book, run_id=study.runs[0].id, code="x", operator="Lena")
        self.begin(mixed_by="olaf")
        threat = next(one for one in study_threats(self.study()) if one.code.value == "judge-knew")
        self.assertIn("Lena printed", threat.sentence)
        self.assertIn("Olaf mixed the letters", threat.sentence)

    def test_trials_show_photographs_and_rendered_controls_by_letter(self):
        self.photographed()
        controls = (control_text(FAULTS[0], 3.0, 5),)
        session = self.begin(controls=controls)
        study = self.study()
        sizes = set()
        for trial in session.trials:
            pictures = trial_pictures(self.book, study, session, trial.letters)
            self.assertEqual(len(pictures), 2)
            sizes |= {picture.size for picture in pictures}
        self.assertEqual(sizes, {(360, 240), (384, 320)})
        odd = [one for one in session.trials if one.catch == "control"]
        self.assertEqual(len(odd), 2)

    def test_eyes_that_were_tested_warn_of_what_they_do_not_see(self):
        operations.add_response(self.book, study_id=1, name="Ringing", unit="%", kind=ResponseKind.QUANTITY)
        ringing = self.ids("response")["Ringing"]
        operations.edit_response(self.book, response_id=ringing, name="Ringing", margin=0.5)
        seen = {
            "judge": "Ada", "fault": "Ringing", "unit": "%", "value": 1.4, "low": 1.1, "high": 1.8,
            "lapse": 0.0, "trials": 60, "screen": "27 inch",
        }  # fmt: skip
        operations.keep_threshold(self.book, **seen)
        threat = next(one for one in study_threats(self.study()) if one.code.value == "eyes")
        self.assertIn("Ada from 1.4", threat.sentence.replace("\u202f", " "))
        operations.keep_threshold(self.book, **{**seen, "value": 0.3})
        self.assertEqual(len(self.study().thresholds), 1)
        self.assertFalse([one for one in study_threats(self.study()) if one.code.value == "eyes"])
        operations.remove_threshold(self.book, threshold_id=self.study().thresholds[0].id, judge="Ada")
        self.assertEqual(self.study().thresholds, ())
