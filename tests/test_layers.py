"""What may not be loaded: Qt below the window, slow libraries before the first screen."""

import os
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]

WITHOUT_QT = """
import importlib, pkgutil, sys
class Refuse:
    def find_spec(self, name, path=None, target=None):
        if name.partition('.')[0] in ('PySide6', 'shiboken6'):
            raise ImportError(f'{name} may not be imported here')
sys.meta_path.insert(0, Refuse())
import oddtwin
names = [item.name for item in pkgutil.walk_packages(oddtwin.__path__, 'oddtwin.', onerror=lambda name: None)]
below = [name for name in names if not name.startswith('oddtwin.ui') and '__main__' not in name]
for name in below:
    if 'migrations' not in name:
        importlib.import_module(name)
print(len(below))
"""

FIRST_SCREEN = """
import sys
from oddtwin.ui.app import make_application, make_window, open_demo
application = make_application()
window = make_window(application)
open_demo(window.workbench)
window.show()
application.processEvents()
slow = ['scipy', 'statsmodels', 'pandas', 'matplotlib', 'pydantic', 'jinja2', 'alembic', 'numpy']
print([name for name in slow if name in sys.modules])
window.close()
"""


class Layers(unittest.TestCase):
    def run_python(self, code, **environment):
        return subprocess.run(
            [sys.executable, "-c", code],
            cwd=ROOT,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src"), **environment},
            capture_output=True,
            text=True,
            check=False,
        )

    def test_everything_below_the_window_loads_where_qt_cannot_be_imported(self):
        # That it also works there, the run of all tests shows: it lets nothing below the window load Qt.
        run = self.run_python(WITHOUT_QT)
        self.assertEqual(run.returncode, 0, run.stderr[-2000:])
        self.assertGreater(int(run.stdout), 150)

    def test_the_first_screen_needs_no_slow_library(self):
        # The demo is built once; only then a start is like a user's.
        built = self.run_python("from oddtwin.demo import fresh_demo; fresh_demo()")
        self.assertEqual(built.returncode, 0, built.stderr[-2000:])
        run = self.run_python(FIRST_SCREEN, QT_QPA_PLATFORM="offscreen")
        self.assertEqual(run.stdout.strip(), "[]", run.stderr[-2000:])

    def test_the_picture_of_the_house_is_true(self):
        drawn = subprocess.run([sys.executable, ROOT / "scripts" / "architecture.py", "--check"], check=False)
        self.assertEqual(drawn.returncode, 0, "run scripts/architecture.py")

    def test_the_command_line_loads_only_what_it_needs(self):
        code = """
import sys
from oddtwin.cli import main
main(["luck", "--test", "matching", "--trials", "4", "--correct", "4"])
slow = ("ortools", "pandas", "sqlalchemy", "pydantic", "scipy", "PySide6")
print([name for name in slow if name in sys.modules])
"""
        run = self.run_python(code)
        self.assertEqual(run.stdout.splitlines()[-1], "[]", run.stderr[-2000:])


REFERENCES = """
import sys
from PySide6.QtWidgets import QApplication, QLabel
application, shown = QApplication([]), QLabel()
before = sys.getrefcount(None)
for _ in range(500):
    application.processEvents()
    shown.setText('x')
print(abs(sys.getrefcount(None) - before) < 100)
"""


class Binding(unittest.TestCase):
    def test_the_pinned_qt_binding_keeps_its_references(self):
        # PySide6 6.12.0 lost one reference to None a call on Python 3.11: a crash within the hour.
        run = subprocess.run(
            [sys.executable, "-c", REFERENCES],
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(run.stdout.strip(), "True", run.stderr[-500:])


class Bench(unittest.TestCase):
    def test_what_is_measured_is_there(self):
        """The bench is not run here, but it follows every move of what it measures."""
        made = subprocess.run(
            [sys.executable, "-c", "import bench.run"], cwd=ROOT, capture_output=True, text=True, check=False
        )
        self.assertEqual(made.returncode, 0, made.stderr)
