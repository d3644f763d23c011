"""Input that means harm, or is just broken: a sentence, never a traceback, a hang or a loss."""

import json
import os
import shutil
import sqlite3
import threading
import unittest
from pathlib import Path

from oddtwin.core.judgement import Analysis, analyse
from oddtwin.core.outlook import labels_of
from oddtwin.core.picture import GRIDS, label_sheets
from oddtwin.core.readings import Reading, read_table, write_table
from oddtwin.core.schedule import Timetable, as_icalendar
from oddtwin.core.study import study_from_readings
from oddtwin.core.toolpath.gcode import GcodeError, read_gcode
from oddtwin.core.toolpath.match import SettingsError, read_settings
from oddtwin.core.toolpath.motion import LimitsError, limits_from
from oddtwin.core.toolpath.sliced import analyse as analyse_sliced
from oddtwin.store import LabBook, StoreError, load_study, read_text_file
from oddtwin.store.exchange import read_study, report_html, write_study
from oddtwin.store.labbook import DATABASE
from oddtwin.work import SlicedFile
from tests.builders import NOON, run, study
from tests.cases import InBook, InFolder, run_module

BOOKS = Path(__file__).parent / "books"


class Readers(InFolder):
    def test_a_seeded_share_of_the_fuzz(self):
        made = run_module("tests.fuzzing", "800", "29")
        self.assertEqual(made.returncode, 0, made.stdout[-3000:] + made.stderr[-2000:])

    def test_a_table_without_names_becomes_a_study_that_goes_out_and_back(self):
        rows = read_table("arm,value\nA,1\nA,2\nB,3\nB,4\n")
        value = study_from_readings(rows, "x", "A", NOON)
        self.assertEqual([item.name for item in value.responses], ["Value"])
        self.assertEqual(write_study(read_study(write_study(value), "x")), write_study(value))

    def test_numbers_and_moments_beyond_bounds_are_refused(self):
        good = json.loads((BOOKS / "study-3.json").read_text(encoding="utf-8"))
        for change in (
            lambda s: s["plan"].update(seed=2**70),
            lambda s: s.update(created="0001-01-01T00:00:00+14:00"),
            lambda s: s.update(twin_checks=[{"at": "2026-01-01", "result": {"sentences": 3}}]),
            lambda s: s["runs"][0].update(place=2**40),
            lambda s: s.update(version=True, factors=7),
        ):
            broken = json.loads(json.dumps(good))
            change(broken)
            with self.assertRaisesRegex(StoreError, "Nothing was imported"):
                read_study(json.dumps(broken), "x.json")

    def test_arcs_settings_and_limits(self):
        path = read_gcode([b"G1 X1 Y1 E1 F600\nG2 X5 Y5 R1e155 E1\nG1 X9 Y9 E1\n"])
        self.assertTrue(analyse_sliced(path).raw_s > 0)
        with self.assertRaises(SettingsError):
            read_settings("a\n   indented\n", "x.ini")
        for data in ({"acceleration": None}, {"jerk": {"x": None}}, {"scale": 1e400}, {"max_speed": 10**400}):
            with self.subTest(data), self.assertRaises(LimitsError):
                limits_from(data)
        self.assertIsNone(limits_from({"junction_deviation": None}).junction_deviation)

    def test_pipes_and_paths_that_are_none(self):
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        done = []
        for path in (pipe, self.folder, Path("a\0b"), self.folder / "none"):
            for read in (read_text_file, lambda path: SlicedFile(path).read()):
                thread = threading.Thread(target=lambda p=path, r=read: done.append(self.refused(r, p)))
                thread.daemon = True
                thread.start()
                thread.join(5)
                self.assertFalse(thread.is_alive(), path)
        self.assertTrue(all("cannot be read" in text for text in done), done)

    def refused(self, read, path):
        try:
            read(path)
        except (StoreError, GcodeError) as error:
            return str(error)
        return "read"


class Texts(unittest.TestCase):
    ODD = ("=1+1", "+x", "-x", "@x", "\tx", "'=x", "'", "''=x", "a\u2028b", "\u202eevil", "  a", 'ü;,"')

    def test_cells_are_guarded_and_come_back_equal(self):
        for text in self.ODD:
            rows = [Reading(arm, 1.0, "F", "N", pair=text, spool=text, run=f"r{arm}") for arm in ("A", "B")]
            table = write_table(rows)
            (first, *_) = read_table(table)
            self.assertEqual(first.spool, text.rstrip(" "), table)
            for cell in table.splitlines()[1].split(","):
                self.assertNotIn(cell[:1], ("=", "+", "@", "\t"), table)

    def test_reports_neutralise_what_could_mislead(self):
        value = study(name="a\0b\u202ec<script>", question="\u2066x")
        page = report_html(value, Analysis((), ()), NOON)
        for sign in ("\0", "\u202e", "\u2066", "<script>"):
            self.assertNotIn(sign, page)

    def test_calendars_escape_their_text(self):
        name = "a;b,c\nBEGIN:VEVENT"
        text = as_icalendar(Timetable((), 0, 0, 0, False), {}, {}, name, NOON).decode()
        self.assertEqual(text.count("\nBEGIN:VEVENT"), 0)

    def test_a_long_name_still_fits_on_its_label(self):
        value = study([run(1, 1, 1)], name="x" * 2400)
        self.assertTrue(label_sheets(labels_of(value), GRIDS[0], 1))


class DamagedBooks(InBook):
    def damage(self, *statements: str) -> str:
        """What opening the study says after something was changed by another program."""
        self.planned()
        self.print_all()
        self.book.close()
        folder = self.folder / "damaged"
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir()
        shutil.copy(self.book.folder / DATABASE, folder / DATABASE)
        raw = sqlite3.connect(folder / DATABASE)
        for statement in statements:
            raw.execute(statement)
        raw.commit()
        raw.close()
        book = LabBook.open(folder)
        self.addCleanup(book.close)
        with self.assertRaises(StoreError) as caught, book.reading() as connection:
            analyse(load_study(connection, 1))
        self.assertEqual(len(book.summaries()), 1)
        return str(caught.exception)

    def test_the_sentence_names_study_and_row(self):
        said = self.damage("UPDATE plate SET started = 'yesterday' WHERE id = 2")
        self.assertRegex(said, "The study “Trial” is damaged: plate 2 cannot be read: .*yesterday")

    def test_rows_that_do_not_fit_together(self):
        for statement, words in (
            ("UPDATE response SET kind = 'magic' WHERE id = 1", "response 1"),
            ("UPDATE plan SET design = '{\"kind\": 7}'", "plan 1"),
            ("UPDATE piece SET zones = '{}'", "piece 1"),
            ("UPDATE machine SET motion = '{\"warp\": 9}'", "machine 1.*no such limit"),
            ("UPDATE reading SET value = 9e999 WHERE id = 3", "reading 3"),
            ("UPDATE arm SET is_baseline = 0", "baseline"),
            ("DELETE FROM arm WHERE id = 2", "arm"),
            ("DELETE FROM machine", "machine that is not there"),
        ):
            with self.subTest(statement):
                self.setUp()
                self.assertRegex(self.damage(statement), words)

    def test_a_schema_that_is_no_text(self):
        self.book.close()
        raw = sqlite3.connect(self.book.folder / DATABASE)
        raw.execute("PRAGMA writable_schema = ON")
        raw.execute("UPDATE sqlite_master SET sql = x'ff00ff' WHERE name = 'study'")
        raw.commit()
        raw.close()
        with self.assertRaises(StoreError):
            LabBook.open(self.book.folder)


if __name__ == "__main__":
    unittest.main()
