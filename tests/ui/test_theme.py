"""The look from any folder: icons and the style sheet."""

import os
import subprocess
import sys
from pathlib import Path

from tests.cases import InFolder

ODD = (
    "Bücher", "it's", "a & b", "cash $5", "50 %", "a#b", "q?", "(round)", "[square]", "{curly}", 'say "so"',
    "semi;colon",
)  # fmt: skip

# In a process of its own: a style sheet is laid over every widget that an application ever had.
DRESSED = """
import shutil, sys
from pathlib import Path
from PySide6.QtCore import QDir
from PySide6.QtWidgets import QCheckBox
from oddtwin.ui import theme
from oddtwin.ui.app import make_application

application, own, folder = make_application(), theme.ASSETS, Path(sys.argv[1])

def ticked(assets):
    theme.ASSETS = assets
    application.setStyleSheet("")
    theme.Theme(application)
    box = QCheckBox("Ticked")
    box.setChecked(True)
    box.resize(box.sizeHint())
    return box.grab().toImage()

expected = ticked(own)
for name in sys.argv[2:]:
    shutil.copytree(own, folder / name, ignore=shutil.ignore_patterns("fonts"))
    print(name, ticked(folder / name) == expected, name in application.styleSheet())
for icon in (folder / sys.argv[2] / "icons").iterdir():
    icon.write_text('<svg xmlns="http://www.w3.org/2000/svg"/>')
print("without icons", ticked(folder / sys.argv[2]) == expected)
"""


class Folders(InFolder):
    """The style sheet is whole, wherever the program lies."""

    def test_twelve_odd_folders_look_alike(self):
        paths = {"PYTHONPATH": os.pathsep.join(sys.path), "QT_QPA_PLATFORM": "offscreen"}
        script = Path(self.folder) / "dressed.py"
        script.write_text(DRESSED, encoding="utf-8")
        run = subprocess.run(
            [sys.executable, script, self.folder, *ODD],
            env={**os.environ, **paths, "PYTHONIOENCODING": "utf-8"},
            capture_output=True,
            encoding="utf-8",
            check=False,
        )
        self.assertEqual(run.returncode, 0, run.stderr[-2000:])
        wanted = [*(f"{name} True False" for name in ODD), "without icons False"]
        self.assertEqual(run.stdout.splitlines(), wanted)
