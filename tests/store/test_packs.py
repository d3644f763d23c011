"""Evidence packs: whole ones hold, one byte of difference is found, hostile ones are refused."""

import csv
import hashlib
import io
import json
import random
import subprocess
import sys
import unittest
import zipfile
from importlib.util import find_spec
from pathlib import Path

from sqlalchemy import text

from oddtwin import operations
from oddtwin.core.study import Photograph
from oddtwin.store import KeptKind, LabBook, StoreError
from oddtwin.store.exchange.archive import write_archive
from oddtwin.store.exchange.pack import PACKAGE, SEAL
from oddtwin.work.backups import back_up, restore
from oddtwin.work.packing import Content, pack_study, unpack_study
from oddtwin.work.verifying import verify_pack
from tests.cases import InBook, study_in


class Packs(InBook):
    def setUp(self):
        super().setUp()
        self.planned(pairs=4, twins=1)
        self.print_all()
        self.path = self.folder / "evidence.zip"
        pack_study(self.path, self.study(), self.book)

    def members(self):
        with zipfile.ZipFile(self.path) as archive:
            return {name: archive.read(name) for name in archive.namelist()}

    def written(self, members, seal=True):
        """Write a pack of other files, its hashes made right, as a forger would."""
        if seal:
            package = json.loads(members[PACKAGE])
            for one in package["resources"]:
                if one["path"] in members:
                    one["hash"] = f"sha256:{hashlib.sha256(members[one['path']]).hexdigest()}"
                    one["bytes"] = len(members[one["path"]])
            members[PACKAGE] = json.dumps(package).encode()
            members[SEAL] = json.dumps(
                {"package_sha256": hashlib.sha256(members[PACKAGE]).hexdigest()}
            ).encode()
        path = self.folder / "forged.zip"
        with path.open("w+b") as file:
            write_archive(file, members)
        return path

    @unittest.skipUnless(find_spec("frictionless"), "frictionless comes with requirements-dev.txt")
    def test_the_tables_of_a_pack_are_as_their_schemas_say(self):
        """Validated by the library of the Frictionless Data Package standard."""
        folder = self.folder / "unpacked"
        with zipfile.ZipFile(self.path) as archive:
            archive.extractall(folder)
        # In a process of its own: the library raises the limits of Python's CSV reader for everybody.
        code = "import sys, frictionless; print(frictionless.validate(sys.argv[1]).valid)"
        command = [sys.executable, "-c", code, str(folder / PACKAGE)]
        runs = folder / "runs.csv"
        told = [subprocess.run(command, capture_output=True, text=True, check=True).stdout]
        runs.write_text(runs.read_text(encoding="utf-8") + "one,line,too,short\n", encoding="utf-8")
        told.append(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
        self.assertEqual([one.strip() for one in told], ["True", "False"])

    def test_a_whole_pack_holds_and_is_the_same_when_it_is_written_again(self):
        found = verify_pack(self.path)
        self.assertTrue(found.holds, found.different)
        self.assertEqual(found.title, "Trial")
        self.assertGreater(found.checked, 30)
        self.assertEqual(found.as_json()["different"], [])
        # The report tells when it was made; all else is of the study alone.
        before = self.members()
        pack_study(self.path, self.study(), self.book)
        after = self.members()
        self.assertEqual(before.keys(), after.keys())
        same = [name for name in before if before[name] == after[name]]
        self.assertTrue({"study.json", "readings.csv", "verdicts.json", "log.csv"} <= set(same))

    def test_one_byte_of_difference_is_found_wherever_it_is(self):
        whole = self.path.read_bytes()
        rng = random.Random(7)
        spoilt = self.folder / "spoilt.zip"
        for _ in range(200):
            at = rng.randrange(len(whole))
            other = bytearray(whole)
            other[at] ^= rng.randrange(1, 256)
            spoilt.write_bytes(other)
            try:
                found = verify_pack(spoilt)
            except StoreError:
                continue
            self.assertFalse(found.holds, f"byte {at} of {len(whole)}")
            self.assertTrue(all(one.sentence for one in found.different))

    def test_a_verdict_that_its_readings_do_not_bear_is_found(self):
        members = self.members()
        said = json.loads(members["verdicts.json"])
        said[0]["verdict"], said[0]["estimate"] = "twin", 0.0
        members["verdicts.json"] = json.dumps(said).encode()
        found = verify_pack(self.written(members))
        told = [one.what for one in found.different if "bytes" not in one.what]
        self.assertEqual(len(told), 2)
        self.assertTrue(all(one.endswith(("verdict", "estimate")) for one in told), told)

    def test_readings_that_are_not_those_of_the_study_are_found(self):
        members = self.members()
        lines = members["readings.csv"].split(b"\n")
        members["readings.csv"] = b"\n".join((lines[0], *lines[2:]))
        found = verify_pack(self.written(members))
        self.assertIn("The readings as a table", [one.what for one in found.different])

    def test_a_file_that_nobody_listed_or_that_is_gone_is_found(self):
        more = self.members() | {"extra.txt": b"x"}
        self.assertIn(
            "The files in the pack", [one.what for one in verify_pack(self.written(more)).different]
        )
        less = self.members()
        del less["log.csv"]
        self.assertIn(
            "The files in the pack", [one.what for one in verify_pack(self.written(less)).different]
        )

    def test_hostile_archives_are_refused_in_a_sentence_and_nothing_is_written(self):
        def made(name, *, packed=False, mode=0o100644, twice=False, text=b"x" * 400):
            file = io.BytesIO()
            with zipfile.ZipFile(file, "w") as archive:
                for key, content in self.members().items():
                    plain = zipfile.ZipInfo(key)
                    plain.create_system, plain.external_attr = 3, 0o100644 << 16
                    archive.writestr(plain, content)
                # Under another case, for the library warns of the very same name.
                for one in (name, name.upper()) if twice else (name,):
                    info = zipfile.ZipInfo(one)
                    info.create_system, info.external_attr = 3, mode << 16
                    info.compress_type = zipfile.ZIP_DEFLATED if packed else zipfile.ZIP_STORED
                    archive.writestr(info, text)
            path = self.folder / "hostile.zip"
            path.write_bytes(file.getvalue())
            return path

        before = set(self.folder.rglob("*"))
        for name, more, said in (
            ("../outside.txt", {}, "which no pack does"),
            ("/etc/passwd", {}, "which no pack does"),
            ("photos/../../x", {}, "which no pack does"),
            ("a\\b", {}, "which no pack does"),
            ("bomb.txt", {"packed": True, "text": b"0" * 5_000_000}, "is packed"),
            ("link", {"mode": 0o120777}, "no plain file"),
            ("twice.txt", {"twice": True}, "twice"),
        ):
            with self.assertRaisesRegex(StoreError, said):
                verify_pack(made(name, **more))
        self.assertEqual(set(self.folder.rglob("*")) - before, {self.folder / "hostile.zip"})

    def test_what_is_no_pack_or_of_another_version_is_refused(self):
        for content, said in ((b"no archive", "no archive"), (b"", "no archive")):
            path = self.folder / "x.zip"
            path.write_bytes(content)
            with self.assertRaisesRegex(StoreError, said):
                verify_pack(path)
        with self.assertRaisesRegex(StoreError, "no evidence pack"):
            verify_pack(self.written({"study.json": b"{}"}, seal=False))
        members = self.members()
        package = json.loads(members[PACKAGE])
        package["odd_twin_pack"] = 99
        members[PACKAGE] = json.dumps(package).encode()
        with self.assertRaisesRegex(StoreError, "another version"):
            verify_pack(self.written(members))
        members[PACKAGE] = b"[" * 100_000
        with self.assertRaises(StoreError):
            verify_pack(self.written(members, seal=False))

    def test_files_go_along_whole_or_by_their_hash(self):
        picture = self.folder / "one.png"
        picture.write_bytes(b"a picture")
        sha256 = self.book.keep(KeptKind.PHOTOGRAPH, picture)
        run = self.study().runs[0]
        study = self.study()
        photographs = (Photograph(1, run.id, None, sha256, "one.png"),)
        study = study.changed(photographs=photographs)
        pack_study(self.path, study, self.book, Content.ALL)
        self.assertIn(f"photos/{sha256}", self.members())
        self.assertTrue(verify_pack(self.path).holds)
        pack_study(self.path, study, self.book, Content.HASHES)
        self.assertNotIn(f"photos/{sha256}", self.members())
        self.assertTrue(verify_pack(self.path).holds)
        self.book.kept(KeptKind.PHOTOGRAPH, sha256).unlink()
        with self.assertRaisesRegex(StoreError, "is gone from the lab book"):
            pack_study(self.path, study, self.book, Content.ALL)

    def test_a_pack_is_taken_into_another_lab_book_with_its_files(self):
        picture = self.folder / "one.png"
        picture.write_bytes(b"a picture")
        sha256 = self.book.keep(KeptKind.PHOTOGRAPH, picture)
        photographs = (Photograph(1, self.study().runs[0].id, None, sha256, "one.png"),)
        pack_study(self.path, self.study().changed(photographs=photographs), self.book)
        other = LabBook.create(self.folder / "other", "Other")
        self.addCleanup(other.close)
        study = unpack_study(self.path, other.keep)
        operations.add_whole_study(other, study=study)
        self.assertEqual(other.kept(KeptKind.PHOTOGRAPH, sha256).read_bytes(), b"a picture")
        self.assertEqual([one.name for one in other.summaries()], ["Trial"])
        again = self.folder / "again.zip"
        pack_study(again, study_in(other, 1), other)
        self.assertTrue(verify_pack(again).holds)
        # What is called otherwise than it is, is not kept.
        members = self.members()
        members[f"photos/{'0' * 64}"] = b"something else"
        with self.assertRaisesRegex(StoreError, "another file than its name says"):
            unpack_study(self.written(members), other.keep)

    def test_the_log_tells_what_was_done_to_this_study_alone(self):
        operations.add_machine(self.book, name="Tarn")
        operations.add_study(self.book, name="Another")
        pack_study(self.path, self.study(), self.book)
        log = self.members()["log.csv"].decode()
        self.assertIn("new study Trial", log)
        self.assertIn("start run", log)
        self.assertNotIn("Tarn", log)
        self.assertNotIn("Another", log)


class Backups(InBook):
    def test_a_backup_is_put_back_whole_into_a_new_folder(self):
        self.planned()
        self.print_all()
        picture = self.folder / "one.png"
        picture.write_bytes(b"a picture")
        sha256 = self.book.keep(KeptKind.PHOTOGRAPH, picture)
        target, gone = back_up(self.book, self.folder / "backups", 3)
        self.assertEqual(gone, [])
        again = restore(target, self.folder / "again")
        self.addCleanup(again.close)
        self.assertEqual([one.name for one in again.summaries()], ["Trial"])
        self.assertEqual(again.kept(KeptKind.PHOTOGRAPH, sha256).read_bytes(), b"a picture")
        with self.assertRaisesRegex(StoreError, "not empty"):
            restore(target, self.folder / "again")

    def test_a_backup_holds_every_table_as_csv_and_they_say_what_the_database_says(self):
        self.planned()
        self.print_all()
        target, _ = back_up(self.book, self.folder / "backups", 3)
        with zipfile.ZipFile(target) as archive:
            tables = {name: archive.read(name) for name in archive.namelist() if name.startswith("tables/")}
        rows = list(csv.DictReader(io.StringIO(tables["tables/run.csv"].decode())))
        self.assertEqual([row["code"] for row in rows], [run.code for run in self.study().runs])
        with self.book.reading() as connection:
            names = connection.execute(text("SELECT name FROM sqlite_master WHERE type='table'")).scalars()
            names = [name for name in names if not name.startswith("sqlite_")]
            self.assertEqual({f"tables/{name}.csv" for name in names}, set(tables))
        for name, altered in (
            ("tables/run.csv", tables["tables/run.csv"].replace(b"R", b"X", 1) + b"1\n"),
            ("tables/study.csv", None),
        ):
            wrong = self.folder / "wrong.zip"
            with zipfile.ZipFile(target) as archive, wrong.open("wb") as into:
                members = {one: archive.read(one) for one in archive.namelist() if one != name}
                write_archive(into, members | ({name: altered} if altered is not None else {}))
            with self.assertRaisesRegex(StoreError, f"{name} says something else than its database"):
                restore(wrong, self.folder / "wrong")
            self.assertFalse((self.folder / "wrong").exists())

    def test_only_so_many_stay_and_those_of_another_book_are_left(self):
        folder = self.folder / "backups"
        folder.mkdir()
        others = [folder / "mine.zip", folder / "Other-20260101-100000.zip"]
        for path in others:
            path.write_bytes(b"x")
        for day in range(1, 5):
            (folder / f"{self.book.name}-2026010{day}-100000.zip").write_bytes(b"old")
        target, gone = back_up(self.book, folder, 2)
        self.assertEqual([path.name[-19:-11] for path in gone], ["20260101", "20260102", "20260103"])
        left = sorted(path.name for path in folder.iterdir())
        self.assertEqual(len(left), 4)
        self.assertTrue({path.name for path in others} <= set(left))
        self.assertIn(target.name, left)
        with self.assertRaisesRegex(StoreError, "one backup at least"):
            back_up(self.book, folder, 0)

    def test_a_damaged_or_foreign_backup_leaves_nothing_behind(self):
        target, _ = back_up(self.book, self.folder / "backups", 1)
        with zipfile.ZipFile(target) as archive:
            members = {name: archive.read(name) for name in archive.namelist()}
        into = self.folder / "new"
        for name, content, said in (
            ("labbook.sqlite", b"no database", "could not be put back"),
            ("evil.sh", b"rm", "which no lab book does"),
        ):
            path = self.folder / "bad.zip"
            with path.open("w+b") as file:
                write_archive(file, {**members, name: content})
            with self.assertRaisesRegex(StoreError, said):
                restore(path, into)
            self.assertFalse(Path(into).exists())
        with self.assertRaisesRegex(StoreError, "no backup"):
            path = self.folder / "none.zip"
            with path.open("w+b") as file:
                write_archive(file, {"a.txt": b"x"})
            restore(path, into)
