"""What must never happen to a lab book: mixed, taken by two, migrated by mistake, given ids again."""

import json
import os
import shutil
import sqlite3
import subprocess
import sys
import unittest
from pathlib import Path
from unittest.mock import patch

from oddtwin import operations
from oddtwin.core.study import DecisionKind
from oddtwin.store import (
    KeptKind,
    LabBook,
    NotALabBookError,
    StoreError,
    go_back,
    load_machine_changes,
    load_study,
    verified_file,
)
from oddtwin.store.access import file_uri
from oddtwin.store.labbook import DATABASE
from oddtwin.store.migrate import migrate
from oddtwin.store.wal import read_wal, stamp_of, wal_of
from oddtwin.work import ChosenFile
from tests.cases import InBook, InFolder, run_module

BOOKS = Path(__file__).parent / "books"
EDITS_AND_KILL = (
    "import os, signal, sys; from pathlib import Path\n"
    "from oddtwin.store import LabBook; from oddtwin import operations\n"
    "book = LabBook.open(Path(sys.argv[1]))\n"
    "for name in sys.argv[2:]: operations.add_study(book, name=name)\n"
    "os.kill(os.getpid(), signal.SIGKILL)\n"
)


def edit_and_kill(folder: Path, *names: str) -> None:
    subprocess.run([sys.executable, "-c", EDITS_AND_KILL, str(folder), *names], check=False)


def names_in(folder: Path) -> list[str]:
    book = LabBook.open(folder)
    try:
        return [item.name for item in book.summaries()]
    finally:
        book.close()


class Ids(InBook):
    def adopt(self, name: str) -> int:
        record = operations.add_study(self.book, name=name)
        study = record.new_id("study")
        operations.add_factor(self.book, study_id=study, kind="part", name="wheel", levels=("old", name))
        operations.draw_runs(
            self.book, study_id=study, repeats=1, twins=0, seed=1, machine_ids=[1], piece_ids=[1]
        )
        with self.book.reading() as connection:
            run = load_study(connection, study).runs[0]
        operations.start_run(self.book, run_id=run.id, code=run.code)
        operations.finish_run(self.book, run_id=run.id, code=run.code)
        operations.settle(self.book, study_id=study, kind=DecisionKind.ADOPT, reason="better")
        return study

    def setUp(self):
        super().setUp()
        operations.add_machine(self.book, name="Marlow")
        operations.add_piece(self.book, name="Ring", minutes=60.0)

    def log(self):
        with self.book.reading() as connection:
            return [(item.after, item.study_id) for item in load_machine_changes(connection)]

    def test_the_newest_study_removed_does_not_give_its_id_to_the_next(self):
        first = self.adopt("first")
        operations.remove_study(self.book, study_id=first, name="first")
        second = self.adopt("second")
        self.assertNotEqual(first, second)
        operations.settle(self.book, study_id=second, kind=DecisionKind.KEEP, reason="no better")
        self.assertEqual(self.log(), [("first", None)])

    def test_undoing_the_removal_gives_the_link_back(self):
        first = self.adopt("first")
        operations.remove_study(self.book, study_id=first, name="first")
        self.assertEqual(self.log(), [("first", None)])
        self.book.undo()
        self.assertEqual(self.log(), [("first", first)])

    def test_every_table_counts_on_and_every_link_is_one_of_the_database(self):
        connection = sqlite3.connect(self.book.folder / DATABASE)
        self.addCleanup(connection.close)
        for name, sql in connection.execute("SELECT name, sql FROM sqlite_master WHERE type = 'table'"):
            if name not in ("alembic_version", "sqlite_sequence"):
                self.assertIn("AUTOINCREMENT", sql, name)
                points = {row[3] for row in connection.execute(f"PRAGMA foreign_key_list({name})")}
                columns = {row[1] for row in connection.execute(f"PRAGMA table_info({name})")}
                links = {item for item in columns if item.endswith("_id") or item == "reprint_of"}
                self.assertEqual(links, points, name)

    def test_an_old_book_gives_no_id_again_that_its_log_speaks_of(self):
        folder = self.folder / "old"
        folder.mkdir()
        shutil.copy(BOOKS / "0004.sqlite", folder / DATABASE)
        book = LabBook.open(folder)
        self.addCleanup(book.close)
        # Study 2 was adopted on Marlow and removed; its line in the log points nowhere now.
        with book.reading() as connection:
            changes = {(item.what, item.study_id) for item in load_machine_changes(connection)}
            value = load_study(connection, 1)
        self.assertEqual(changes, {("drive wheel", 1), ("spring", None)})
        self.assertEqual(operations.add_study(book, name="Next").new_id("study"), 3)
        self.assertEqual(value.plan.machine_ids, (2, 1))
        self.assertEqual(value.files[0].seconds, {1: 3000.0, 2: 3100.0})
        self.assertTrue(all(run.started.tzinfo for run in value.runs if run.started))


class StaleLogs(InBook):
    def test_a_copy_put_back_over_a_log_is_not_mixed_with_it(self):
        operations.add_study(self.book, name="Early")
        self.book.close()
        copy = (self.book.folder / DATABASE).read_bytes()
        names_in(self.book.folder)
        edit_and_kill(self.book.folder, "Lost", "Too")
        self.assertTrue(wal_of(self.book.folder / DATABASE).stat().st_size)
        # One more session closes a checkpoint, so that copy and log are of different times.
        LabBook.open(self.book.folder).close()
        edit_and_kill(self.book.folder, "Later")
        (self.book.folder / DATABASE).write_bytes(copy)
        book = LabBook.open(self.book.folder)
        self.addCleanup(book.close)
        self.assertIn("not applied", book.notice)
        self.assertEqual([item.name for item in book.summaries()], ["Early"])
        self.assertIsNone(book.check())
        self.assertEqual(len(list(self.book.folder.glob("labbook-wal-set-aside-*"))), 1)

    def test_a_log_that_belongs_is_applied(self):
        self.book.close()
        edit_and_kill(self.book.folder, "Kept")
        state = read_wal(self.book.folder / DATABASE)
        self.assertEqual(state.stamps, {stamp_of((self.book.folder / DATABASE).read_bytes())})
        self.assertEqual(names_in(self.book.folder), ["Kept"])

    def test_the_log_of_an_older_version_is_tried_on_a_copy_first(self):
        self.book.close()
        folder = self.folder / "old"
        folder.mkdir()
        whole = folder / DATABASE
        shutil.copy(BOOKS / "0004.sqlite", whole)
        raw = sqlite3.connect(whole)
        raw.execute("PRAGMA journal_mode = WAL")
        for number in range(400):
            raw.execute("INSERT INTO held (study_id, text) VALUES (1, ?)", (f"line {number} " * 20,))
        raw.commit()
        copied, log = whole.read_bytes(), wal_of(whole).read_bytes()
        raw.close()
        fitting = {"whole": copied, "other": (BOOKS / "0003.sqlite").read_bytes()}
        for name, content in fitting.items():
            with self.subTest(name):
                place = self.folder / name
                place.mkdir()
                (place / DATABASE).write_bytes(content)
                wal_of(place / DATABASE).write_bytes(log)
                book = LabBook.open(place)
                self.addCleanup(book.close)
                self.assertEqual(bool(book.notice), name == "other")
                self.assertIsNone(book.check())

    def test_a_book_replaced_while_open_takes_no_edit_and_is_not_written_to(self):
        operations.add_study(self.book, name="Early")
        self.book.close()
        database = self.book.folder / DATABASE
        copy = database.read_bytes()
        for how in ("in place", "by another file"):
            with self.subTest(how):
                book = LabBook.open(self.book.folder)
                operations.add_study(book, name="Mine")
                if how == "in place":
                    book.close()
                    book = LabBook.open(self.book.folder)
                    operations.add_study(book, name="Mine too")
                    database.write_bytes(copy)
                else:
                    other = self.book.folder / "other"
                    other.write_bytes(copy)
                    other.replace(database)
                with self.assertRaisesRegex(StoreError, "replaced.*not kept"):
                    operations.add_study(book, name="Gone")
                with self.assertRaisesRegex(StoreError, "replaced"), book.reading():
                    pass
                book.close()
                self.assertEqual(database.read_bytes(), copy)
                again = LabBook.open(self.book.folder)
                self.assertEqual([item.name for item in again.summaries()], ["Early"])
                self.assertIsNone(again.check())
                again.close()

    def test_a_truncated_book_beside_a_log_is_left_as_it_is(self):
        operations.add_study(self.book, name="Early")
        self.book.close()
        edit_and_kill(self.book.folder, "Later")
        database = self.book.folder / DATABASE
        for size in (40_000, 5000, 50, 0):
            with self.subTest(size):
                os.truncate(database, size)
                before = (database.read_bytes(), wal_of(database).read_bytes())
                with self.assertRaises(NotALabBookError):
                    LabBook.open(self.book.folder)
                self.assertEqual((database.read_bytes(), wal_of(database).read_bytes()), before)


class GoingBack(InBook):
    def test_the_copy_is_in_place_and_what_was_there_is_kept(self):
        operations.add_study(self.book, name="Early")
        self.book.close()
        copy = self.folder / "copy.sqlite"
        shutil.copy(self.book.folder / DATABASE, copy)
        edit_and_kill(self.book.folder, "Later")
        aside = go_back(self.book.folder / DATABASE, copy)
        self.assertEqual(names_in(self.book.folder), ["Early"])
        other = self.folder / "other"
        other.mkdir()
        shutil.copy(aside, other / DATABASE)
        self.assertEqual(names_in(other), ["Later", "Early"])

    def test_a_damaged_or_missing_book_can_be_gone_back_from(self):
        self.book.close()
        copy = self.folder / "copy.sqlite"
        shutil.copy(self.book.folder / DATABASE, copy)
        for left in (b"rubbish" * 100, None):
            database = self.book.folder / DATABASE
            database.unlink() if left is None else database.write_bytes(left)
            aside = go_back(database, copy)
            self.assertEqual(names_in(self.book.folder), [])
            if left is not None:
                self.assertEqual(aside.read_bytes(), left)

    def test_what_cannot_be_is_refused_with_nothing_changed(self):
        database = self.book.folder / DATABASE
        letter = self.folder / "letter"
        letter.write_text("mine")
        copy = self.folder / "copy.sqlite"
        copy.write_bytes(database.read_bytes())
        for wrong, said in ((letter, "not a lab book"), (database, "itself"), (copy, "is open")):
            with self.subTest(said), self.assertRaisesRegex(StoreError, said):
                go_back(database, wrong)
        self.assertEqual(list(self.book.folder.glob("labbook-before-*")), [])


class Locks(InBook):
    def other(self, folder: Path):
        code = (
            "import sys; from pathlib import Path; from oddtwin.store import LabBook\n"
            "print(LabBook.open(Path(sys.argv[1])).reason)"
        )
        run = subprocess.run(
            [sys.executable, "-c", code, str(folder)], capture_output=True, text=True, check=True
        )
        return run.stdout

    def test_no_second_writer_by_a_link_or_after_files_beside_it_were_deleted(self):
        link = self.folder / "link"
        link.symlink_to(self.book.folder)
        hard = self.folder / "hard"
        hard.mkdir()
        os.link(self.book.folder / DATABASE, hard / DATABASE)
        for path in self.book.folder.glob("*.lock"):
            path.unlink()
        for folder in (self.book.folder, link, hard):
            self.assertIn("open in another window", self.other(folder), folder)
        operations.add_study(self.book, name="Still mine")

    def test_opening_it_twice_in_one_program_frees_nothing(self):
        second = LabBook.open(self.book.folder)
        self.assertTrue(second.read_only)
        second.close()
        self.assertIn("open in another window", self.other(self.book.folder))
        operations.add_study(self.book, name="Still mine")
        self.assertIsNone(self.book.check())

    def test_another_program_that_holds_the_database_costs_no_long_wait(self):
        holder = sqlite3.connect(self.book.folder / DATABASE)
        self.addCleanup(holder.close)
        holder.execute("BEGIN IMMEDIATE")
        with self.assertRaisesRegex(StoreError, "Another program holds.*not kept"):
            operations.add_study(self.book, name="Now")
        holder.rollback()
        operations.add_study(self.book, name="Now")


class Migrating(InFolder):
    def test_only_the_file_that_was_meant_is_migrated(self):
        for meant, near in (("a%20b", "a b"), ("what?", "what"), ("x#y", "x")):
            with self.subTest(meant):
                for name in (meant, near):
                    (self.folder / name).mkdir()
                    shutil.copy(BOOKS / "0003.sqlite", self.folder / name / DATABASE)
                other = (self.folder / near / DATABASE).read_bytes()
                book = LabBook.open(self.folder / meant)
                self.addCleanup(book.close)
                operations.add_study(book, name="New")
                self.assertEqual((self.folder / near / DATABASE).read_bytes(), other)

    def test_a_migration_that_reached_another_file_is_not_taken_for_one(self):
        shutil.copy(BOOKS / "0003.sqlite", self.folder / DATABASE)
        with patch("oddtwin.store.migrate._upgrade_file"), self.assertRaisesRegex(StoreError, "up to date"):
            migrate(self.folder / DATABASE, "0003")

    def test_the_same_book_is_not_copied_twice(self):
        shutil.copy(BOOKS / "0003.sqlite", self.folder / DATABASE)
        LabBook.open(self.folder).close()
        shutil.copy(BOOKS / "0003.sqlite", self.folder / DATABASE)
        with patch("oddtwin.store.migrate.now") as clock:
            clock.return_value.__format__ = lambda self, spec: "20990101-000000"
            book = LabBook.open(self.folder)
        self.addCleanup(book.close)
        self.assertEqual(len(list(self.folder.glob("labbook-before-0003-*.sqlite"))), 1)

    def test_paths_that_are_no_text(self):
        folder = Path(os.fsdecode(os.fsencode(self.folder) + b"/ring\xff\xfe"))
        book = LabBook.create(folder, "Shed")
        operations.add_study(book, name="Trial")
        book.close()
        self.assertEqual(names_in(folder), ["Trial"])
        self.assertIn("%FF%FE", file_uri(folder / DATABASE, "ro"))


# A user who may read everything, so that Python is found wherever it lies, and write nothing of root's.
READS = "-all,+dac_read_search"
ORDINARY = ["setpriv", "--reuid=65534", "--regid=65534", "--clear-groups"]
ORDINARY = [*ORDINARY, f"--inh-caps={READS}", f"--ambient-caps={READS}"] * (os.geteuid() == 0)

LOOK = """
import json, sys
from pathlib import Path
from oddtwin.store import LabBook, StoreError, load_study
from oddtwin import operations
book = LabBook.open(Path(sys.argv[1]))
try: operations.add_study(book, name="No"); said = "wrote"
except StoreError as error: said = str(error)
with book.reading() as connection: name = load_study(connection, 1).name
print(json.dumps([book.read_only, book.reason, [item.name for item in book.summaries()], said, name]))
book.close()
"""


class WithoutRights(InBook):
    """As an ordinary user: in a child that gives its rights up, where these tests run as root."""

    def look(self):
        folder = self.book.folder
        for path in (self.folder, *folder.rglob("*")):
            path.chmod(path.stat().st_mode | 0o444)
        folder.chmod(0o555)
        self.addCleanup(folder.chmod, 0o755)
        call = [*ORDINARY, sys.executable, "-c", LOOK, str(folder)]
        run = subprocess.run(call, capture_output=True, text=True, check=False)
        self.assertEqual(run.returncode, 0, run.stderr)
        return json.loads(run.stdout)

    def test_a_book_where_nothing_can_be_written_opens_for_reading(self):
        operations.add_study(self.book, name="Trial")
        self.book.close()
        read_only, reason, names, said, name = self.look()
        self.assertTrue(read_only)
        self.assertIn("cannot be written", reason)
        self.assertIn("Nothing was changed", said)
        self.assertEqual((names, name), (["Trial"], "Trial"))

    def test_edits_that_lie_in_its_log_are_seen(self):
        operations.add_study(self.book, name="Trial")
        self.book.close()
        edit_and_kill(self.book.folder, "In the log")
        before = {path.name: path.read_bytes() for path in self.book.folder.iterdir() if path.is_file()}
        self.assertEqual(self.look()[2], ["In the log", "Trial"])
        after = {path.name: path.read_bytes() for path in self.book.folder.iterdir() if path.is_file()}
        self.assertEqual(before, after)


class HalfMade(InFolder):
    def test_a_disk_that_is_full_leaves_no_half_made_book(self):
        with (
            patch(
                "oddtwin.store.engine.metadata.create_all", side_effect=OSError(28, "No space left on device")
            ),
            self.assertRaisesRegex(StoreError, "No space left"),
        ):
            LabBook.create(self.folder / "book", "Shed")
        self.assertFalse((self.folder / "book").exists())
        LabBook.create(self.folder / "book", "Shed").close()

    def test_what_a_kill_left_half_made_is_no_obstacle(self):
        (self.folder / "gcode").mkdir()
        (self.folder / ".odd-twin-labbook.sqlite").write_bytes(b"half")
        LabBook.create(self.folder, "Shed").close()
        self.assertFalse((self.folder / ".odd-twin-labbook.sqlite").exists())


class KeptFiles(InBook):
    def test_content_is_checked_when_it_is_read(self):
        source = self.folder / "ring.gcode"
        source.write_text("G1 X1\n")
        name = self.book.keep(KeptKind.SLICED, source)
        kept = verified_file(self.book.kept(KeptKind.SLICED, name))
        self.assertEqual(kept.read_text(), "G1 X1\n")
        kept.write_text("G1 X2\n")
        with self.assertRaisesRegex(StoreError, "was changed since"):
            verified_file(kept)
        kept.unlink()
        with self.assertRaisesRegex(StoreError, "cannot be read"):
            verified_file(kept)

    def test_the_users_umask_is_respected(self):
        source = self.folder / "ring.gcode"
        source.write_text("G1 X1\n")
        self.addCleanup(os.umask, os.umask(0o077))
        kept = verified_file(self.book.kept(KeptKind.SLICED, self.book.keep(KeptKind.SLICED, source)))
        self.assertEqual(kept.stat().st_mode & 0o777, 0o600)

    def test_only_what_nothing_names_is_cleared(self):
        self.planned()
        source = self.folder / "ring.gcode"
        hashes = []
        for number in range(3):
            source.write_text(f"G1 X{number}\n")
            hashes.append(self.book.keep(KeptKind.SLICED, source))
        for arm, place in ((1, 0), (2, 1)):
            operations.choose_file(
                self.book,
                arm_id=arm,
                piece_id=1,
                chosen=ChosenFile("ring.gcode", hashes[place], 6, 1, 1.0, 0.0, True, 2.4, 0.003, {1: 10.0}),
            )
        operations.remove_file(self.book, arm_id=2, piece_id=1, name="ring.gcode")
        self.assertEqual(self.book.clear_orphans(), 1)
        # The removal can be undone, so its file stays.
        self.assertEqual(
            [verified_file(self.book.kept(KeptKind.SLICED, one)).name for one in hashes[:2]], hashes[:2]
        )


class Kills(unittest.TestCase):
    def test_a_handful_of_kills_loses_nothing(self):
        run = run_module("tests.killing", "6", "5")
        self.assertEqual(run.returncode, 0, run.stdout + run.stderr)


if __name__ == "__main__":
    unittest.main()
