"""Sliced files on disk: every packing read, every damage told, content kept by its hash."""

import gzip
import hashlib
import os
import stat
import zipfile

from oddtwin.core.job import CancelledError, Job
from oddtwin.core.toolpath.gcode import GcodeError
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.store import KeptKind, StoreError
from oddtwin.store.kept import keep
from oddtwin.work import SlicedFile
from tests.builders import stopped
from tests.cases import InBook, InFolder

TEXT = slice_solid(Solid(height=1), Recipe()).text.encode()


class Reading(InFolder):
    def file(self, content, name="a.gcode"):
        path = self.folder / name
        path.write_bytes(content)
        return path

    def zipped(self, files, **options):
        path = self.folder / "a.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, content in files.items():
                archive.writestr(name, content)
        return path

    def refusal(self, path):
        with self.assertRaises(GcodeError) as caught:
            SlicedFile(path).read()
        sentence = str(caught.exception)
        self.assertTrue(sentence.startswith(str(path)), sentence)
        self.assertEqual(sentence.count(str(path)), 1, sentence)
        return sentence

    def test_the_packing_is_told_from_the_content_not_from_the_name(self):
        plain = SlicedFile(self.file(TEXT, "plain.zip")).read()
        packed = SlicedFile(self.file(gzip.compress(TEXT), "packed.gcode")).read()
        zipped = SlicedFile(self.zipped({"folder/inside.gcode": TEXT})).read()
        for other in (packed, zipped):
            self.assertEqual(other.x.tolist(), plain.x.tolist())
            self.assertEqual(other.lines, plain.lines)

    def test_a_folder_entry_in_an_archive_is_no_file(self):
        path = self.zipped({"inside/": b"", "inside/a.gcode": TEXT})
        self.assertEqual(SlicedFile(path).read().layers, 5)

    def test_one_sliced_file_among_others_is_the_one(self):
        beside = {"Metadata/model.json": b"{}", "preview.png": b"\x89PNG", "Metadata/plate.gcode.md5": b"12"}
        path = self.zipped({**beside, "Metadata/plate.GCODE": TEXT})
        self.assertEqual(SlicedFile(path).read().layers, 5)
        self.assertIn("a.gcode, b.g)", self.refusal(self.zipped({"a.gcode": TEXT, "b.g": TEXT})))
        self.assertIn("none of them ends in .gcode", self.refusal(self.zipped(beside)))

    def test_progress_runs_from_nothing_to_all(self):
        big = TEXT * 600
        for path in (self.file(big), self.file(gzip.compress(big), "b.gz")):
            shares = []
            SlicedFile(path).read(Job(shares.append))
            self.assertEqual(shares, sorted(shares))
            self.assertGreater(len(shares), 2)
            self.assertEqual(shares[-1], 1.0)

    def test_it_can_be_stopped(self):
        with self.assertRaises(CancelledError):
            SlicedFile(self.file(TEXT)).read(stopped())

    def test_the_hash_is_that_of_the_file_as_it_lies(self):
        packed = gzip.compress(TEXT)
        self.assertEqual(SlicedFile(self.file(packed)).sha256(), hashlib.sha256(packed).hexdigest())

    def test_each_damage_has_its_sentence(self):
        packed = gzip.compress(TEXT)
        broken = bytearray(packed)
        broken[len(broken) // 2] ^= 0xFF
        for content, words in (
            (packed[:-12], "damaged or cut off"),
            (bytes(broken), "damaged or cut off"),
            (b"PK\x03\x04 and then nothing", "damaged or cut off"),
            (b"", "nothing is printed"),
            (os.urandom(5000), "not text"),
            (b"\xff" * 5000, "nothing is printed"),
        ):
            with self.subTest(words, start=content[:6]):
                self.assertIn(words, self.refusal(self.file(content)))

    def test_archives_of_none_or_several_files_are_refused(self):
        self.assertIn("holds 0 files", self.refusal(self.zipped({"inside/": b""})))
        self.assertIn("holds 2 files", self.refusal(self.zipped({"a": TEXT, "b": TEXT})))

    def test_a_missing_file_and_a_folder(self):
        self.assertIn("cannot be read", self.refusal(self.folder / "nowhere.gcode"))
        self.assertIn("cannot be read", self.refusal(self.folder))
        with self.assertRaisesRegex(GcodeError, "cannot be read"):
            SlicedFile(self.folder / "nowhere.gcode").sha256()

    def test_a_line_without_end_in_a_packed_file_stops_early(self):
        path = self.folder / "long.gz"
        with gzip.open(path, "wb", compresslevel=1) as file:
            for _ in range(30):
                file.write(b"G" * 1_000_000)
        self.assertIn("longer than a million", self.refusal(path))

    def test_what_unpacks_to_far_too_much_is_refused(self):
        path = self.folder / "bomb.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive, archive.open("a", "w") as inside:
            for _ in range(80):
                inside.write(b"G1 X1 Y1 E1\n" * 90_000)
        self.assertIn("unpacks to more than", self.refusal(path))


class Keeping(InBook):
    def test_content_is_kept_once_under_its_hash(self):
        first, second = self.folder / "a.gcode", self.folder / "b.gcode"
        for path in (first, second):
            path.write_bytes(TEXT)
        digest = self.book.keep(KeptKind.SLICED, first)
        self.assertEqual(self.book.keep(KeptKind.SLICED, second), digest)
        self.assertEqual(digest, hashlib.sha256(TEXT).hexdigest())
        kept = self.book.kept(KeptKind.SLICED, digest)
        self.assertEqual(kept.read_bytes(), TEXT)
        self.assertEqual([path.name for path in kept.parent.iterdir()], [digest])
        self.assertTrue(kept.stat().st_mode & stat.S_IRGRP)

    def test_what_cannot_be_kept_leaves_nothing_behind(self):
        folder = self.folder / "kept"
        with self.assertRaisesRegex(StoreError, "nowhere: the file cannot be read"):
            keep(self.folder / "nowhere", folder)
        self.assertFalse(folder.exists() and list(folder.iterdir()))
        blocked = self.folder / "blocked"
        blocked.write_text("a file where a folder is needed")
        source = self.folder / "a.gcode"
        source.write_bytes(TEXT)
        with self.assertRaisesRegex(StoreError, "could not be kept"):
            keep(source, blocked)

    def test_a_book_that_is_read_only_keeps_nothing(self):
        source = self.folder / "a.gcode"
        source.write_bytes(TEXT)
        from oddtwin.store import LabBook

        second = LabBook.open(self.book.folder)
        self.addCleanup(second.close)
        self.assertTrue(second.read_only)
        with self.assertRaisesRegex(StoreError, "Nothing was changed"):
            second.keep(KeptKind.SLICED, source)
