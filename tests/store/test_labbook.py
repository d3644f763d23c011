"""Lab books on disk: made, opened, locked, refused, undone."""

import json
import shutil
import sqlite3
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

from sqlalchemy import select, text

from oddtwin import operations
from oddtwin.core.judgement import analyse
from oddtwin.core.readings import ResponseKind
from oddtwin.core.study import LookAt
from oddtwin.store import (
    Kind,
    LabBook,
    NewerLabBookError,
    NotALabBookError,
    ReadOnlyError,
    StoreError,
    known_noise,
    load_history,
    load_study,
)
from oddtwin.store.exchange import read_study
from oddtwin.store.labbook import DATABASE
from oddtwin.store.schema import LOG, STUDY, TABLES
from tests.cases import InBook, InFolder


def rows_of(book):
    """Everything in a lab book but its log and the place in it."""
    with book.reading() as connection:
        return {
            name: [tuple(row) for row in connection.execute(select(table).order_by(table.c.id))]
            for name, table in TABLES.items()
            if name not in ("log", "book")
        }


class Making(InFolder):
    def test_a_book_is_a_folder_that_can_be_closed_and_opened(self):
        book = LabBook.create(self.folder / "new" / "book", "Shed")
        operations.add_study(book, name="Trial")
        book.close()
        self.assertEqual(
            {path.name for path in (self.folder / "new" / "book").iterdir()},
            {DATABASE, "photos", "gcode"},
        )
        again = LabBook.open(self.folder / "new" / "book")
        self.addCleanup(again.close)
        self.assertEqual((again.name, again.read_only), ("Shed", False))
        self.assertEqual([item.name for item in again.summaries()], ["Trial"])

    def test_a_folder_with_something_in_it_is_left_alone(self):
        (self.folder / "letter.txt").write_text("mine")
        with self.assertRaises(StoreError):
            LabBook.create(self.folder, "Shed")
        self.assertEqual([path.name for path in self.folder.iterdir()], ["letter.txt"])

    def test_a_place_that_cannot_be_a_folder(self):
        (self.folder / "file").write_text("x")
        with self.assertRaises(StoreError):
            LabBook.create(self.folder / "file" / "book", "Shed")

    def test_the_path_of_the_database_opens_its_folder(self):
        LabBook.create(self.folder / "b", "Shed").close()
        book = LabBook.open(self.folder / "b" / DATABASE)
        self.addCleanup(book.close)
        self.assertEqual(book.folder, self.folder / "b")

    def test_names_with_odd_signs(self):
        folder = self.folder / "50 % #1? née"
        LabBook.create(folder, "Shed").close()
        book = LabBook.open(folder)
        self.addCleanup(book.close)
        operations.add_study(book, name="Trial")
        self.assertEqual(len(book.summaries()), 1)


class Refusing(InFolder):
    def refuse(self, content: bytes | None, kind: type[StoreError] = NotALabBookError):
        if content is not None:
            (self.folder / DATABASE).write_bytes(content)
        with self.assertRaises(kind) as caught:
            LabBook.open(self.folder)
        if content is not None:
            self.assertEqual((self.folder / DATABASE).read_bytes(), content)
            self.assertEqual([path.name for path in self.folder.iterdir()], [DATABASE])
        return str(caught.exception)

    def test_what_is_no_lab_book(self):
        self.assertIn("not a lab book", self.refuse(None))
        self.assertIn(
            "Nothing was changed", self.refuse(b"just a letter, long enough to be a header of some kind")
        )
        self.refuse(b"")

    def test_another_programs_database(self):
        connection = sqlite3.connect(self.folder / DATABASE)
        connection.execute("CREATE TABLE study (id INTEGER)")
        connection.commit()
        connection.close()
        self.refuse((self.folder / DATABASE).read_bytes())

    def test_a_damaged_header_and_missing_parts(self):
        book = LabBook.create(self.folder / "b", "Shed")
        book.close()
        whole = (self.folder / "b" / DATABASE).read_bytes()
        shutil.rmtree(self.folder / "b")
        self.refuse(whole[:3000])
        self.refuse(b"\0" * 100 + whole[100:])

    def test_damage_inside_is_found_by_the_check(self):
        book = LabBook.create(self.folder / "b", "Shed")
        for number in range(40):
            operations.add_study(book, name=f"Study {number}")
        self.assertIsNone(book.check())
        book.close()
        path = self.folder / "b" / DATABASE
        whole = bytearray(path.read_bytes())
        for place in range(len(whole) - 30_000, len(whole) - 2_000, 97):
            whole[place] ^= 0xFF
        path.write_bytes(whole)
        broken = LabBook.open(self.folder / "b")
        self.addCleanup(broken.close)
        self.assertIn("damaged", broken.check() or "")

    def test_a_newer_one(self):
        LabBook.create(self.folder / "b", "Shed").close()
        connection = sqlite3.connect(self.folder / "b" / DATABASE)
        connection.execute("UPDATE alembic_version SET version_num = '9001'")
        connection.commit()
        connection.close()
        before = (self.folder / "b" / DATABASE).read_bytes()
        with self.assertRaisesRegex(NewerLabBookError, "newer version.*9001"):
            LabBook.open(self.folder / "b")
        self.assertEqual((self.folder / "b" / DATABASE).read_bytes(), before)


class Sharing(InBook):
    def test_a_second_process_is_told_and_only_reads(self):
        operations.add_study(self.book, name="Trial")
        code = (
            "import sys, json; from pathlib import Path\n"
            "from oddtwin.store import LabBook, StoreError; from oddtwin import operations\n"
            "book = LabBook.open(Path(sys.argv[1]))\n"
            "try: operations.add_study(book, name='Other'); said = 'wrote'\n"
            "except StoreError as error: said = str(error)\n"
            "print(json.dumps([book.read_only, book.reason, [s.name for s in book.summaries()], said]))\n"
        )
        run = subprocess.run(
            [sys.executable, "-c", code, str(self.book.folder)], capture_output=True, text=True, check=True
        )
        read_only, reason, names, said = json.loads(run.stdout)
        self.assertTrue(read_only)
        self.assertIn("open in another window", reason)
        self.assertEqual(names, ["Trial"])
        self.assertIn("Nothing was changed", said)
        # What was begun here goes on, and the other's closing freed nothing of ours.
        operations.add_study(self.book, name="More")
        self.assertEqual(len(self.book.summaries()), 2)

    def test_a_reader_sees_what_is_written_meanwhile(self):
        reader = LabBook.open(self.book.folder)
        self.addCleanup(reader.close)
        self.assertTrue(reader.read_only)
        operations.add_study(self.book, name="Trial")
        with reader.reading() as connection:
            self.assertEqual(load_study(connection, 1).name, "Trial")
        with self.assertRaises(ReadOnlyError):
            reader.undo()
        self.assertIsNone(reader.titles()[0])

    def test_closing_frees_the_book(self):
        self.book.close()
        other = LabBook.open(self.book.folder)
        self.addCleanup(other.close)
        self.assertFalse(other.read_only)

    def test_an_edit_that_was_committed_survives_a_kill(self):
        self.book.close()
        code = (
            "import os, signal, sys; from pathlib import Path\n"
            "from oddtwin.store import LabBook; from oddtwin import operations\n"
            "book = LabBook.open(Path(sys.argv[1])); operations.add_study(book, name='Kept')\n"
            "os.kill(os.getpid(), signal.SIGKILL)\n"
        )
        subprocess.run([sys.executable, "-c", code, str(self.book.folder)], check=False)
        book = LabBook.open(self.book.folder)
        self.addCleanup(book.close)
        self.assertFalse(book.read_only)
        self.assertEqual([item.name for item in book.summaries()], ["Kept"])


class Undoing(InBook):
    def test_every_step_back_and_forth_through_a_whole_study(self):
        states = [rows_of(self.book)]
        value = self.planned()
        operations.rename_arm(self.book, arm_id=1, name="Old")
        run = value.runs[0]
        operations.start_run(self.book, run_id=run.id, code=run.code)
        operations.enter_readings(self.book, run_id=run.id, response_id=1, values=[1.0, 2.0], title="t")
        operations.enter_readings(self.book, run_id=run.id, response_id=1, values=[3.0], title="t")
        operations.set_aside(self.book, run_id=run.id, code=run.code, reason="fell over")
        operations.reprint(self.book, run_id=run.id, code=run.code)
        operations.remove_response(self.book, response_id=1, name="Print time")
        operations.remove_study(self.book, study_id=1, name="Trial")
        final = rows_of(self.book)
        titles = []
        while title := self.book.titles()[0]:
            states.append(rows_of(self.book))
            titles.append(title)
            self.assertIs(self.book.undo().kind, Kind.UNDO)
        self.assertEqual(rows_of(self.book), states[0])
        self.assertEqual(titles[0], "remove study Trial")
        self.assertIn(f"set aside run {run.code}", titles)
        for expected, title in zip(reversed(states[1:]), reversed(titles), strict=True):
            self.assertEqual(self.book.titles()[1], title)
            self.book.redo()
            self.assertEqual(rows_of(self.book), expected)
        self.assertEqual(rows_of(self.book), final)
        self.assertIsNone(self.book.redo())

    def test_a_new_edit_ends_redo(self):
        operations.add_study(self.book, name="One")
        operations.add_study(self.book, name="Two")
        self.book.undo()
        self.assertEqual(self.book.titles()[1], "new study Two")
        operations.add_study(self.book, name="Three")
        self.assertIsNone(self.book.titles()[1])
        self.book.undo()
        self.assertEqual(self.book.titles()[1], "new study Three")

    def test_undo_goes_on_after_the_book_was_closed(self):
        operations.add_study(self.book, name="One")
        self.book.close()
        book = LabBook.open(self.book.folder)
        self.addCleanup(book.close)
        self.assertEqual(book.titles()[0], "new study One")
        book.undo()
        self.assertEqual(book.summaries(), [])

    def test_marks_are_logged_but_not_undone(self):
        operations.add_study(self.book, name="One")
        operations.reveal(self.book, study_id=1, what=LookAt.VERDICT)
        self.assertEqual(self.book.titles()[0], "new study One")
        operations.edit_study(self.book, study_id=1, question="Why?")
        self.book.undo()
        self.assertIsNotNone(self.study().verdict_seen)

    def test_the_log_only_grows_and_says_what_was_before_and_after(self):
        operations.add_study(self.book, name="One")
        operations.edit_study(self.book, study_id=1, name="Two")
        self.book.undo()
        with self.book.reading() as connection:
            lines = list(connection.execute(select(LOG).order_by(LOG.c.id)).mappings())
            shown = load_history(connection)
        self.assertEqual([line["kind"] for line in lines], ["edit", "edit", "undo"])
        self.assertEqual(
            lines[1]["changes"],
            [{"table": "study", "id": 1, "before": {"name": "One"}, "after": {"name": "Two"}}],
        )
        self.assertEqual((shown[0].kind, shown[0].title, shown[0].study), ("undo", "edit the name", "One"))
        self.assertEqual((shown[0].change, shown[1].change), ("name: Two → One", "name: One → Two"))

    def test_a_line_of_the_log_names_its_study_by_what_was_touched_below_it(self):
        self.planned()
        self.print_all()
        run = self.study().runs[0]
        operations.edit_run(self.book, run_id=run.id, code=run.code, note="a squeak")
        operations.edit_rates(self.book, labour_per_h=10.0)
        operations.edit_rates(self.book, labour_per_h=20.0)
        with self.book.reading() as connection:
            rates, _, note, *rest = load_history(connection)
        self.assertEqual((note.study, note.change), ("Trial", "note: nothing → a squeak"))
        self.assertEqual((rates.study, rates.change), ("", "labour per h: 10 → 20"))
        self.assertEqual({line.study for line in rest if "run" in line.title}, {"Trial"})

    def test_an_edit_that_changes_nothing_leaves_no_trace(self):
        operations.add_study(self.book, name="One")
        self.assertIsNone(operations.edit_study(self.book, study_id=1, name="One"))
        self.assertEqual(self.book.titles()[0], "new study One")

    def test_an_edit_that_fails_half_way_leaves_no_trace(self):
        def half(edit):
            edit.insert(STUDY, name="Half", created="2026-01-01")
            raise StoreError("stop")

        with self.assertRaises(StoreError):
            self.book.edit("half", half)
        self.assertEqual(self.book.summaries(), [])
        self.assertIsNone(self.book.titles()[0])

    def test_what_does_not_fit_is_said_in_a_sentence(self):
        operations.add_study(self.book, name="One")
        operations.add_response(self.book, study_id=1, name="Force", unit="N", kind=ResponseKind.QUANTITY)
        with self.assertRaisesRegex(StoreError, "would not fit"):
            self.book.edit(
                "twice",
                lambda edit: edit.insert(
                    TABLES["response"], study_id=1, name="Force", type="number", combine="mean", primary=False
                ),
            )

    def test_a_full_disk_costs_only_the_edit_in_hand(self):
        operations.add_study(self.book, name="One")
        with self.book.reading() as connection:
            pages = connection.execute(text("PRAGMA page_count")).scalar()

        def fill(edit):
            edit.connection.execute(text(f"PRAGMA max_page_count = {pages}"))
            for _ in range(400):
                edit.insert(STUDY, name="x" * 2000, created="2026-01-01")

        with self.assertRaisesRegex(StoreError, "full"):
            self.book.edit("fill", fill)
        self.assertEqual([item.name for item in self.book.summaries()], ["One"])


SIZES = {"0001": 15, "0002": 5, "0003": 7, "0004": 10, "0008": 7}
"""Runs of the old books."""


class OldBooks(InFolder):
    BOOKS = Path(__file__).parent / "books"

    def test_every_older_version_is_backed_up_and_brought_up_to_date(self):
        for old in sorted(self.BOOKS.glob("*.sqlite")):
            with self.subTest(old.stem):
                folder = self.folder / old.stem
                folder.mkdir()
                shutil.copy(old, folder / DATABASE)
                book = LabBook.open(folder)
                self.addCleanup(book.close)
                self.assertEqual(book.backup.parent, folder)
                backup = sqlite3.connect(book.backup)
                revision = backup.execute("SELECT version_num FROM alembic_version").fetchone()[0]
                backup.close()
                self.assertEqual(revision, old.stem)
                with book.reading() as connection:
                    value = load_study(connection, 1)
                names = {
                    "0001": "Thicker layers for the drawer divider",
                    "0002": "Trial",
                    "0003": "Wider lines",
                    "0004": "Softer drive",
                    "0008": "Trial",
                }
                self.assertEqual(value.name, names[old.stem])
                self.assertEqual(len(value.runs), SIZES[old.stem])
                levels = {
                    name: [level.value for _, level in value.levels_of(arm)]
                    for name, arm in (("baseline", value.baseline), ("change", value.change))
                }
                self.assertNotEqual(levels["baseline"], levels["change"])
                # Edits made before 0005 speak of columns that are gone.
                self.assertEqual(book.titles()[0] is None, old.stem < "0005")
                self.assertIsNone(book.titles()[1])
                self.assertEqual((value.photographs, value.sessions), ((), ()))
                operations.reopen(book, study_id=1)
                operations.edit_study(book, study_id=1, question="Still?")
                book.close()
                again = LabBook.open(folder)
                self.addCleanup(again.close)
                self.assertIsNone(again.backup)

    def test_every_older_book_and_file_still_says_what_it_says(self):
        # Sentences that are known; only new rules of judging and of rounding may change them, no migration.
        judged = json.loads((self.BOOKS / "judged.json").read_text(encoding="utf-8"))
        for old in judged.keys() - {"json3"}:
            (self.folder / old).mkdir()
            shutil.copy(self.BOOKS / f"{old}.sqlite", self.folder / old / DATABASE)
        LabBook.create(self.folder / "json3", "Shed").close()
        for old, wanted in judged.items():
            with self.subTest(old):
                book = LabBook.open(self.folder / old)
                self.addCleanup(book.close)
                if old == "json3":
                    path = self.BOOKS / "study-3.json"
                    study = read_study(path.read_text(encoding="utf-8"), path.name)
                    operations.add_whole_study(book, study=study)
                with book.reading() as connection:
                    study = load_study(connection, 1)
                    found = analyse(study, known_noise(connection, study).get).findings
                # What was said then did not name the arms.
                found = [replace(item, arms="") for item in found]
                said = {item.comparison.response: item.sentence.replace("\u202f", " ") for item in found}
                self.assertEqual(said, wanted)

    def test_a_migration_that_fails_leaves_the_book_as_it_was(self):
        shutil.copy(self.BOOKS / "0001.sqlite", self.folder / DATABASE)
        connection = sqlite3.connect(self.folder / DATABASE)
        connection.execute("DROP TABLE response")
        connection.commit()
        before = connection.execute("SELECT name FROM sqlite_master ORDER BY name").fetchall()
        connection.close()
        with self.assertRaisesRegex(StoreError, "could not be brought up to date") as caught:
            LabBook.open(self.folder)
        connection = sqlite3.connect(self.folder / DATABASE)
        self.assertEqual(
            connection.execute("SELECT name FROM sqlite_master ORDER BY name").fetchall(), before
        )
        connection.close()
        # No copy is left of a book that is unchanged, and no statement is told.
        self.assertEqual([path.name for path in self.folder.glob("*.sqlite")], [DATABASE])
        self.assertNotRegex(str(caught.exception), "ALTER|CREATE|SELECT|\\[SQL")

    def test_migrated_and_new_books_have_the_same_schema(self):
        shutil.copy(self.BOOKS / "0001.sqlite", self.folder / DATABASE)
        LabBook.open(self.folder).close()
        LabBook.create(self.folder / "new", "Shed").close()

        def layout(path):
            connection = sqlite3.connect(path)
            names = [
                row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            ]
            found = {
                name: (
                    sorted(tuple(row[1:4]) for row in connection.execute(f"PRAGMA table_info({name})")),
                    sorted(row[1] for row in connection.execute(f"PRAGMA index_list({name})")),
                    sorted(tuple(row[2:5]) for row in connection.execute(f"PRAGMA foreign_key_list({name})")),
                )
                for name in names
            }
            connection.close()
            return found

        self.assertEqual(layout(self.folder / DATABASE), layout(self.folder / "new" / DATABASE))
