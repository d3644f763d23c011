"""Files that leave a lab book: whole or not at all, under names that a file system takes."""

import os
import unittest
from unittest.mock import patch

from oddtwin.store import StoreError, fitting_name, write_file
from tests.cases import InFolder


class WholeOrNotAtAll(InFolder):
    def test_a_full_disk_leaves_the_earlier_file(self):
        path = self.folder / "report.html"
        write_file(path, "earlier")
        for broken in ("os.fsync", "pathlib.Path.replace"):
            with (
                self.subTest(broken),
                patch(broken, side_effect=OSError(28, "No space left on device")),
                self.assertRaisesRegex(StoreError, "No space left"),
            ):
                write_file(path, "later " * 1000)
            self.assertEqual(
                [(item.name, item.read_text()) for item in self.folder.iterdir()],
                [("report.html", "earlier")],
            )

    def test_it_is_written_through_a_file_beside_it(self):
        path = self.folder / "report.html"
        with patch("os.fsync", wraps=os.fsync) as flushed:
            write_file(path, "ü")
        # The content and the name of the folder.
        self.assertEqual(flushed.call_count, 2)
        self.assertEqual(path.read_bytes(), "ü".encode())

    def test_the_umask_holds(self):
        self.addCleanup(os.umask, os.umask(0o027))
        write_file(self.folder / "a", b"x")
        self.assertEqual((self.folder / "a").stat().st_mode & 0o777, 0o640)

    def test_places_that_are_none(self):
        for name in ("none/a", "a\0b"):
            with self.subTest(name), self.assertRaises(StoreError):
                write_file(self.folder / name, b"x")


class Names(unittest.TestCase):
    def test_dots_stay_and_what_no_file_system_takes_goes(self):
        self.assertEqual(fitting_name("report v1.2", ".html"), "report v1.2.html")
        self.assertEqual(fitting_name('a/b\\c:d"e\0', ".csv"), "a-b-c-d-e-.csv")
        self.assertEqual(fitting_name("...", ".csv"), "odd-twin.csv")

    def test_long_names_are_cut_between_letters(self):
        for name in ("x" * 400, "ü" * 200, "🖨" * 100):
            with self.subTest(name[:3]):
                fitting = fitting_name(name, ".html")
                self.assertLessEqual(len(fitting.encode()), 255)
                self.assertTrue(fitting.endswith(name[0] + ".html"))


if __name__ == "__main__":
    unittest.main()
