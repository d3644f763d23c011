"""What was looked at, on disk: kept, carried in files, shown in reports and ballots."""

import base64
import contextlib
import io
import json
import os
import re
import shutil
import sqlite3
import unittest
from datetime import datetime
from unittest import mock

import numpy as np
from PIL import Image

from oddtwin import cli, operations
from oddtwin.core.judge import SessionDesign
from oddtwin.core.judgement import analyse, study_threats
from oddtwin.core.readings import Typed
from oddtwin.core.render import PieceFace, render_piece
from oddtwin.core.study import MeasuredRegion
from oddtwin.operations import Figure, Flag, Measured, NewSession
from oddtwin.store import DATABASE, KeptKind, LabBook, StoreError
from oddtwin.store.exchange import read_study, report_html, write_study
from oddtwin.store.exchange.people import unnamed
from oddtwin.work.derived import ready_pair, small_copy
from oddtwin.work.looked_at import looked_at
from oddtwin.work.photos import PhotoError
from oddtwin.work.sealing import PassphraseError, locked, unlocked
from oddtwin.work.shots import Filed, Shot, keep_shots
from tests.cases import InBook, study_in

SECRET = "arm of the change, taken at home"


def camera_file(path, seed, exposure=1 / 40):
    """Write a JPEG as a phone does: with a comment that gives the arm away, a place, and an exposure."""
    face = PieceFace(width_px=300, height_px=200, px_per_mm=5.0, layer_mm=0.5, seam=14.0)
    image = Image.fromarray(render_piece(face, np.random.default_rng(seed))[0])
    exif = image.getexif()
    exif[270] = SECRET
    exif.get_ifd(0x8825)[1] = "N"
    exif.get_ifd(0x8769)[0x829A] = exposure
    exif.get_ifd(0x8769)[0x9003] = "2031:05:06 07:08:09"
    image.save(path, format="JPEG", exif=exif)
    return path


class Photographed(InBook):
    def setUp(self):
        super().setUp()
        cache = {"XDG_CACHE_HOME": str(self.folder / "cache")}
        self.enterContext(mock.patch.dict(os.environ, cache))
        self.planned(pairs=2, twins=1)
        operations.add_view(self.book, piece_id=1, face="lid", lamp="left", zone="rim")
        self.print_all()
        paths = [camera_file(self.folder / f"p{number}.jpg", number) for number in range(5)]
        arrived = keep_shots(self.book, self.study(), paths)
        operations.add_photographs(self.book, filed=arrived.filed)


class Leaving(Photographed):
    def pictures_in(self, page):
        found = re.findall(r"data:image/jpeg;base64,([A-Za-z0-9+/=]+)", page)
        return [Image.open(io.BytesIO(base64.b64decode(text))) for text in found]

    def test_what_the_camera_said_is_read_and_kept_at_home(self):
        shot = self.study().photographs[0]
        self.assertAlmostEqual(shot.exposure_s, 1 / 40)
        self.assertEqual((shot.width, shot.height), (300, 200))
        self.assertEqual(shot.taken.replace(tzinfo=None), datetime(2031, 5, 6, 7, 8, 9))
        self.assertIsNotNone(shot.taken.tzinfo)

    def test_a_report_shows_two_prints_of_each_view_without_what_the_camera_wrote(self):
        study = self.study()
        page = report_html(study, analyse(study), datetime(2026, 3, 20), looked_at(self.book, study))
        pictures = self.pictures_in(page)
        self.assertEqual(len(pictures), 2)
        for picture in pictures:
            self.assertFalse(dict(picture.getexif()))
        self.assertNotIn(SECRET, page)
        self.assertIn("Ring: lid, left", page)
        self.assertIn("Baseline", page)
        self.assertNotRegex(page, "<script|https?://(?!www.w3.org)")

    def test_a_report_tells_what_blind_judges_said_and_what_was_committed_to(self):
        runs = tuple(run.id for run in self.study().runs)
        wish = NewSession(SessionDesign.BETTER, runs, ("Lena <b>",), 1)
        operations.begin_session(self.book, study_id=1, session=wish)
        session = self.study().sessions[0]
        for one in session.trials:
            operations.answer_trial(self.book, session_id=1, judge=one.judge, number=one.number, text="left")
        study = self.study()
        page = report_html(study, analyse(study), datetime(2026, 3, 20))
        self.assertNotIn("judged by", page)
        operations.close_session(self.book, session_id=1)
        operations.open_key(self.book, session_id=1)
        study = self.study()
        page = report_html(study, analyse(study), datetime(2026, 3, 20))
        self.assertIn("judged by judge 1", page)
        self.assertNotIn("Lena", page)
        named = report_html(study, analyse(study), datetime(2026, 3, 20), names=True)
        self.assertIn("judged by Lena &lt;b&gt;", named)
        self.assertIn(session.commitment, page)

    def test_whoever_is_named_in_a_threat_is_numbered_where_it_is_handed_on(self):
        study = self.study()
        runs = tuple(run.id for run in study.runs)
        wish = NewSession(SessionDesign.BETTER, runs, ("Lena", "Lena Moor"), 1, mixed_by="Bo")
        operations.begin_session(self.book, study_id=1, session=wish)
        told = unnamed(self.study())
        self.assertEqual(
            told("Lena Moor and Lena printed; Bo mixed, Bob and Lenas did not."),
            "judge 2 and judge 1 printed; person 1 mixed, Bob and Lenas did not.",
        )
        self.assertEqual(unnamed(study)("Lena printed."), "Lena printed.")

    def test_a_photograph_that_is_gone_leaves_the_report_whole(self):
        for item in self.study().photographs:
            self.book.kept(KeptKind.PHOTOGRAPH, item.sha256).unlink()
        study = self.study()
        self.assertEqual(looked_at(self.book, study), [])
        self.assertIn("What was found", report_html(study, analyse(study), datetime(2026, 3, 20)))

    def test_a_ballot_of_a_lab_book_shows_pairs_and_twins_and_tells_no_arm(self):
        self.book.close()
        out = self.folder / "ballot"
        with contextlib.redirect_stdout(io.StringIO()):
            status = cli.main(["ballot", str(self.folder / "book"), "--seed", "4", "-o", str(out)])
        self.assertEqual(status, 0)
        page = (out / "ballot.html").read_text(encoding="utf-8")
        key = json.loads((out / "key.json").read_text(encoding="utf-8"))
        self.assertEqual(len(self.pictures_in(page)), 5)
        catches = [one["catch"] for one in key["trials"]]
        self.assertEqual((catches.count("yes"), catches.count("")), (1, 3))
        codes = [one["print"] for one in key["letters"].values()]
        for told in [*codes, "Baseline", "Change", SECRET]:
            self.assertNotIn(told, page)

    def test_a_ballot_says_what_there_is_where_it_is_asked_for_something_else(self):
        self.book.close()
        for arguments, said in (
            (["--study", "Other"], "no study “Other”; there are: Trial"),
            (["--view", "back"], "no photographed view “back”; there are: lid, left"),
        ):
            with contextlib.redirect_stderr(io.StringIO()) as told:
                wanted = ["ballot", str(self.folder / "book"), *arguments, "-o", str(self.folder / "x")]
                status = cli.main(wanted)
            self.assertEqual(status, 2)
            self.assertIn(said, told.getvalue())


class Keeping(Photographed):
    def test_a_study_that_is_removed_comes_back_with_all_that_was_looked_at(self):
        shot = self.study().photographs[0]
        operations.mark_fault(
            self.book, photograph_id=shot.id, code="x", flag=Flag(0.2, 0.3, "Strings", 2, "rib", "low", "Ada")
        )
        runs = tuple(run.id for run in self.study().runs)
        operations.begin_session(
            self.book, study_id=1, session=NewSession(SessionDesign.BETTER, runs, ("Lena",), 1)
        )
        operations.answer_trial(self.book, session_id=1, judge="Lena", number=1, text="2")
        before = self.study()
        operations.remove_study(self.book, study_id=1, name="Trial")
        self.book.clear_orphans()
        self.book.undo()
        self.assertEqual(self.study(), before)
        # What an undo may bring back is not cleared away.
        small_copy(self.book, shot.sha256)

    def test_originals_that_nothing_names_any_more_are_cleared(self):
        stray = camera_file(self.folder / "stray.jpg", 77)
        sha = self.book.keep(KeptKind.PHOTOGRAPH, stray)
        self.assertEqual(self.book.clear_orphans(), 1)
        self.assertFalse(self.book.kept(KeptKind.PHOTOGRAPH, sha).exists())
        self.assertTrue(self.book.kept(KeptKind.PHOTOGRAPH, self.study().photographs[0].sha256).exists())

    def test_what_was_kept_a_moment_ago_is_spared_and_what_is_old_is_not(self):
        # A photograph is kept first and named a moment later; clearing between both would lose it.
        new = self.book.keep(KeptKind.PHOTOGRAPH, camera_file(self.folder / "new.jpg", 71))
        old = self.book.keep(KeptKind.PHOTOGRAPH, camera_file(self.folder / "old.jpg", 72))
        os.utime(self.book.kept(KeptKind.PHOTOGRAPH, old), (0, 0))
        self.assertEqual(self.book.clear_orphans(spare_s=3600), 1)
        self.assertTrue(self.book.kept(KeptKind.PHOTOGRAPH, new).exists())
        self.assertFalse(self.book.kept(KeptKind.PHOTOGRAPH, old).exists())

    def test_the_reference_of_a_region_is_kept_while_the_region_is_there(self):
        shot = self.study().photographs[0]
        region = MeasuredRegion("Size", "size", 10, 10, 100, 50, shot.sha256, 5.0)
        operations.set_regions(self.book, view_id=1, name="lid", regions=[region])
        operations.remove_photograph(self.book, photograph_id=shot.id, code="x")
        self.book.clear_orphans()
        self.assertTrue(self.book.kept(KeptKind.PHOTOGRAPH, shot.sha256).exists())

    def test_a_book_that_is_copied_whole_shows_the_same(self):
        shots = [item.sha256 for item in self.study().photographs]
        pair = ready_pair(self.book, shots[0], shots[1])
        self.assertTrue(pair.aligned.accepted)
        self.book.close()
        shutil.copytree(self.folder / "book", self.folder / "copy")
        other = LabBook.open(self.folder / "copy")
        self.addCleanup(other.close)
        again = ready_pair(other, shots[0], shots[1])
        self.assertTrue(np.array_equal(pair.second.picture, again.second.picture))

    def test_a_cache_that_cannot_be_written_costs_nothing_but_time(self):
        blocked = self.folder / "file"
        blocked.write_text("in the way")
        with mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(blocked)}):
            self.assertEqual(small_copy(self.book, self.study().photographs[0].sha256).shape, (200, 300, 3))

    def test_the_small_copy_of_a_photograph_that_is_lost_does_not_stand_for_it(self):
        sha = self.study().photographs[0].sha256
        small_copy(self.book, sha)
        self.book.kept(KeptKind.PHOTOGRAPH, sha).unlink()
        with self.assertRaisesRegex(PhotoError, "not in this lab book any more"):
            small_copy(self.book, sha)

    def test_a_damaged_small_copy_is_made_anew(self):
        sha = self.study().photographs[0].sha256
        small_copy(self.book, sha)
        kept = next((self.folder / "cache").rglob(f"{sha}*"))
        kept.write_bytes(kept.read_bytes()[:50])
        self.assertEqual(small_copy(self.book, sha).shape, (200, 300, 3))

    def test_rows_that_cannot_be_are_told_by_table_and_row(self):
        self.book.close()
        place = self.folder / "book" / DATABASE
        for damage, said in (
            ("UPDATE photograph SET width = 'wide' WHERE id = 1", "photograph 1"),
            ("UPDATE view SET regions = '[{\"name\": 3}]' WHERE id = 1", "view 1"),
            ("UPDATE photograph SET taken = 'yesterday' WHERE id = 2", "photograph 2"),
        ):
            with self.subTest(damage):
                copy = self.folder / "damaged"
                shutil.rmtree(copy, ignore_errors=True)
                shutil.copytree(self.folder / "book", copy)
                connection = sqlite3.connect(copy / DATABASE)
                connection.execute(damage)
                connection.commit()
                connection.close()
                book = LabBook.open(copy)
                with self.assertRaisesRegex(StoreError, said):
                    study_in(book, 1)
                book.close()
        self.assertTrue(place.exists())

    def test_a_study_file_refuses_what_was_never_looked_at(self):
        text = write_study(self.study())
        for old, new, said in (
            ('"width": 300', '"width": -300', "width"),
            ('"retake": 0', '"retake": 9999', "retake"),
            ('"face": "lid"', '"face": ""', "face"),
        ):
            self.assertIn(old, text)
            with self.assertRaisesRegex(StoreError, said):
                read_study(text.replace(old, new, 1), "x")

    def test_figures_of_photographs_that_were_not_exposed_alike_are_a_threat(self):
        force = self.ids("response")["Force"]
        runs = self.study().runs
        figures = [Figure(run.id, (Typed(3.0),), (Measured(0.1, "photo:x"),)) for run in runs]
        operations.enter_measured(self.book, response_id=force, name="Force", zone="", figures=figures)
        alike = [one.code.value for one in study_threats(self.study())]
        self.assertNotIn("photographs-unalike", alike)
        other = Shot("0" * 64, "bright.jpg", exposure_s=1 / 20, width=300, height=200)
        operations.add_photographs(self.book, filed=[Filed(runs[0].id, 1, other)])
        threat = next(one for one in study_threats(self.study()) if one.code.value == "photographs-unalike")
        self.assertIn("not exposed alike", threat.sentence)


class Sealing(unittest.TestCase):
    def test_only_its_passphrase_opens_what_was_locked(self):
        text = json.dumps({"letters": ["Ä", "B"]})
        hidden = locked(text, "three small words")
        self.assertEqual(unlocked(hidden, "three small words"), text)
        self.assertNotEqual(locked(text, "three small words"), hidden)
        for wrong in (hidden[:-4] + "AAAA", hidden[8:], "", "no base 64!", hidden.lower()):
            with self.assertRaisesRegex(PassphraseError, "not the passphrase"):
                unlocked(wrong, "three small words")
        with self.assertRaisesRegex(PassphraseError, "not the passphrase"):
            unlocked(hidden, "three small word")
        with self.assertRaisesRegex(PassphraseError, "at least 8 signs"):
            locked(text, "short")


class Gone(Photographed):
    def test_every_use_of_a_lost_photograph_says_so(self):
        shots = [item.sha256 for item in self.study().photographs]
        self.book.kept(KeptKind.PHOTOGRAPH, shots[0]).unlink()
        for use in (
            lambda: ready_pair(self.book, shots[0], shots[1]),
            lambda: ready_pair(self.book, shots[1], shots[0]),
            lambda: small_copy(self.book, shots[0]),
        ):
            with self.assertRaisesRegex(PhotoError, "not in this lab book any more"):
                use()
