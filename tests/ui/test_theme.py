"""The look from any folder: icons and the style sheet."""

import os
import subprocess
import sys
import time
import unittest
from collections import defaultdict
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from oddtwin import operations
from oddtwin.core.picture import DARK, LIGHT
from oddtwin.ui.theme import ASSETS, px, zoom
from tests.cases import InFolder
from tests.ui.test_screens import printed, two_pairs
from tests.ui.window import InWindow

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
    dressing = theme.Theme(application)
    box = QCheckBox("Ticked")
    dressing.dress(box)
    box.setChecked(True)
    box.resize(box.sizeHint())
    global worn
    worn = box.styleSheet()
    return box.grab().toImage()

expected = ticked(own)
for name in sys.argv[2:]:
    shutil.copytree(own, folder / name, ignore=shutil.ignore_patterns("fonts"))
    print(name, ticked(folder / name) == expected, name in worn)
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


def _luminance(colour):
    """Relative luminance (WCAG 2.2, from memory)."""
    parts = [int(colour[place : place + 2], 16) / 255 for place in (1, 3, 5)]
    red, green, blue = (
        part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts
    )
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one, two):
    """Contrast ratio of two colours (WCAG 2.2, from memory)."""
    low, high = sorted((_luminance(one), _luminance(two)))
    return (high + 0.05) / (low + 0.05)


class Contrast(unittest.TestCase):
    GROUNDS = ("paper", "surface", "sunken")

    def least(self, roles, grounds, wanted):
        for name, palette in (("light", LIGHT), ("dark", DARK)):
            for role in roles:
                for ground in grounds:
                    with self.subTest(f"{name}: {role} on {ground}"):
                        self.assertGreaterEqual(contrast(palette.of(role), palette.of(ground)), wanted)

    def test_black_and_white_are_as_far_apart_as_can_be(self):
        self.assertAlmostEqual(contrast("#000000", "#ffffff"), 21.0)

    def test_text_is_four_and_a_half_to_one_on_every_ground_that_it_lies_on(self):
        self.least(("ink", "muted", "worse", "better", "warning"), self.GROUNDS, 4.5)
        self.least(("ink", "muted"), ("accent_soft", "margin", "warning_soft"), 4.5)
        self.least(("on_accent",), ("accent",), 4.5)

    def test_edges_rings_and_marks_are_three_to_one(self):
        self.least(("edge", "accent", "neutral"), self.GROUNDS, 3.0)
        self.least(("baseline", "change", "noise", "better", "worse"), ("surface", "margin"), 3.0)
        self.least(("accent",), ("accent_soft",), 3.0)

    def test_the_sheet_draws_edges_of_fields_and_rings_of_the_keys_with_these_colours(self):
        sheet = (ASSETS / "style.qss").read_text(encoding="utf-8")
        rules = defaultdict(str)
        for rule in sheet.split("}"):
            heads, _, body = rule.partition("{")
            for selector in heads.split(","):
                rules[selector.strip()] += body
        for field in ("QLineEdit", "QPlainTextEdit", "QComboBox", "QSpinBox", "QPushButton"):
            self.assertIn("$edge", rules[field], field)
        ringed = (
            "QLineEdit:focus", "QPushButton:focus", 'QPushButton[tab="true"]:focus', "QCheckBox:focus",
            "QRadioButton:focus", "QListWidget:focus", "QTableWidget:focus", "QSlider:focus",
            'QFrame[card="true"]:focus',
        )  # fmt: skip
        for field in ringed:
            self.assertIn("$accent", rules[field], field)


class Zoom(InWindow):
    def setUp(self):
        super().setUp()
        self.addCleanup(self.window.theme.zoom_by, 0)
        self.new_study("Trial", two_pairs)
        self.stage(1)
        self.settle()

    def sizes(self):
        tall = self.find("studyName").fontMetrics().height()
        return tall, self.find("header").height(), self.find("stage-plan").height()

    def test_keys_zoom_text_fields_and_marks_and_the_way_back_is_one_key(self):
        before = self.sizes()
        for _ in range(3):
            self.keys(Qt.Key.Key_Plus, control=True)
        self.settle()
        self.assertIn("150 %", self.texts())
        for small, large in zip(before, self.sizes(), strict=True):
            self.assertAlmostEqual(large / small, 1.5, delta=0.09)
        self.keys(Qt.Key.Key_Minus, control=True)
        self.settle()
        self.assertIn("125 %", self.texts())
        self.keys(Qt.Key.Key_0, control=True)
        self.settle()
        self.assertEqual(self.sizes(), before)

    def test_it_ends_at_eighty_and_two_hundred_percent_and_is_remembered(self):
        theme = self.window.theme
        theme.zoom_by(99)
        self.assertEqual(zoom(), 2.0)
        self.assertEqual(float(QSettings().value("zoom")), 2.0)
        theme.zoom_by(-99)
        self.assertEqual(zoom(), 0.8)
        theme.zoom_by(0)
        self.assertIsNone(QSettings().value("zoom"))
        self.assertEqual(px(100), 100)

    def test_what_is_typed_stays_while_it_is_zoomed(self):
        self.find("newResponseName").setFocus()
        self.press("For")
        self.keys(Qt.Key.Key_Plus, control=True)
        self.settle()
        self.assertEqual(self.find("newResponseName").text(), "For")
        self.assertEqual(self.focused, "newResponseName")


def _ground(field):
    """The colour a field is drawn on."""
    return field.grab().toImage().pixelColor(field.width() // 2, field.height() - 5).name()


class InSight(InWindow):
    """A change of theme dresses what is seen at once, and the rest when that was painted."""

    def setUp(self):
        super().setUp()
        # However slow the machine is.
        self.in_time(10.0)
        self.new_study("Trial", two_pairs)
        self.window.resize(1024, 700)
        self.stage(1)
        self.settle()
        self.near, self.far = self.find("studyName"), self.find("newHeld")
        self.assertTrue(self.far.visibleRegion().isEmpty(), "it is in sight")
        self.window.theme.set_dark(False)
        self.all_in(LIGHT)

    def in_time(self, seconds):
        patched = mock.patch("oddtwin.ui.theme.AT_ONCE_S", seconds)
        patched.start()
        self.addCleanup(patched.stop)

    def all_in(self, palette):
        limit = time.monotonic() + 10
        while {_ground(self.near), _ground(self.far)} != {palette.surface}:
            self.assertLess(time.monotonic(), limit, "not all of it is dressed")
            self.settle()

    def toggle(self):
        QTest.mouseClick(self.find("theme"), Qt.MouseButton.LeftButton)

    def test_what_is_seen_first_and_all_of_it_in_the_end(self):
        self.toggle()
        self.assertEqual((_ground(self.near), _ground(self.far)), (DARK.surface, LIGHT.surface))
        self.all_in(DARK)
        self.toggle()
        self.assertEqual((_ground(self.near), _ground(self.far)), (LIGHT.surface, DARK.surface))
        self.all_in(LIGHT)

    def test_where_what_is_seen_takes_long_the_hand_does_not_wait_for_it(self):
        self.in_time(0.0)
        self.toggle()
        self.assertEqual((_ground(self.near), _ground(self.far)), (LIGHT.surface, LIGHT.surface))
        seen = []
        while _ground(self.far) != DARK.surface:
            QApplication.processEvents()
            seen.append((_ground(self.near), _ground(self.far)))
            self.assertLess(len(seen), 1000)
        # What is seen came first, and events were taken between.
        self.assertIn((DARK.surface, LIGHT.surface), seen)
        self.all_in(DARK)

    def test_a_second_thought_before_the_rest_was_dressed(self):
        for _ in range(4):
            self.toggle()
        self.all_in(LIGHT)
        for _ in range(3):
            self.toggle()
        self.all_in(DARK)

    def test_another_screen_or_zoom_meanwhile_is_whole(self):
        self.toggle()
        self.stage(4)
        self.toggle()
        self.stage(1)
        self.assertEqual((_ground(self.near), _ground(self.far)), (LIGHT.surface, LIGHT.surface))
        self.toggle()
        self.addCleanup(self.window.theme.zoom_by, 0)
        self.window.theme.zoom_by(1)
        self.assertEqual((_ground(self.near), _ground(self.far)), (DARK.surface, DARK.surface))

    def test_the_window_is_closed_before_the_rest_was_dressed(self):
        self.toggle()
        self.window.close()
        self.settle()
        self.assertFalse(self.window.isVisible())


class NewCards(InWindow):
    """What comes into a screen that is seen wears the theme of the screen."""

    def test_findings_that_follow_an_edit(self):
        self.new_study("Trial", printed)
        self.stage(6)
        self.settle()
        for dark, palette in ((True, DARK), (False, LIGHT)):
            self.window.theme.set_dark(dark)
            self.settle()
            before = self.find("finding-Print time")
            run = self.bench.study.runs[0]
            self.bench.do(operations.set_aside, run_id=run.id, code=run.code, reason="fell over")
            self.settle()
            card = self.find("finding-Print time")
            self.assertIsNot(card, before)
            drawn = card.grab().toImage().pixelColor(card.width() // 2, card.height() - 5).name()
            self.assertEqual(drawn, palette.surface)
            self.undo()
            self.settle()
