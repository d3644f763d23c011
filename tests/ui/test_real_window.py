"""The journey once more in a real window, on a virtual screen."""

import os
import shutil
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]


class RealWindow(unittest.TestCase):
    @unittest.skipUnless(shutil.which("Xvfb"), "Xvfb is not installed, so there is no real window to test in")
    def test_the_journey_on_a_screen(self):
        told, tell = os.pipe()
        screen = subprocess.Popen(
            ["Xvfb", "-displayfd", str(tell), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
            pass_fds=[tell],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(screen.wait)
        self.addCleanup(screen.terminate)
        os.close(tell)
        with os.fdopen(told, encoding="ascii") as answer:
            display = answer.readline().strip()
        self.assertTrue(display, "the virtual screen did not start")
        run = subprocess.run(
            [sys.executable, "-m", "unittest", "tests.ui.test_journey"],
            cwd=ROOT,
            env={
                **os.environ,
                "DISPLAY": f":{display}",
                "QT_QPA_PLATFORM": "xcb",
                "PYTHONPATH": str(ROOT / "src"),
            },
            capture_output=True,
            text=True,
            timeout=120,
            check=False,
        )
        self.assertEqual(run.returncode, 0, run.stderr[-3000:])


if __name__ == "__main__":
    unittest.main()
