"""The window in another language: every text is looked up, and nothing is pushed out by longer words."""

import json
import os
import subprocess
import sys
import unittest
from pathlib import Path

from tests.cases import InFolder
from tests.ui.window import KEPT

ROOT = Path(__file__).parent.parent.parent


class InLanguage(InFolder):
    def walk(self, language):
        """Walk through every screen in another process, for tables are translated as they are loaded."""
        home = self.folder / "home"
        home.mkdir()
        environment = {
            **os.environ,
            "HOME": str(home),
            "XDG_CACHE_HOME": str(KEPT.parent),
            "QT_QPA_PLATFORM": "offscreen",
            "PYTHONPATH": os.pathsep.join((str(ROOT / "src"), str(ROOT))),
        }
        done = subprocess.run(
            [sys.executable, "-m", "tests.ui.in_language", language],
            env=environment, capture_output=True, text=True, timeout=300, check=False,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        told = json.loads(done.stdout.splitlines()[-1])
        self.assertEqual(told["failures"], [])
        self.assertGreater(told["shown"], 2000)
        return told["wrong"]

    def test_no_text_that_a_person_sees_or_hears_escapes_the_catalogue(self):
        self.assertEqual(self.walk("brackets"), {})

    def test_nothing_is_pushed_out_of_the_window_by_german_words(self):
        self.assertEqual(self.walk("de"), {})


if __name__ == "__main__":
    unittest.main()
