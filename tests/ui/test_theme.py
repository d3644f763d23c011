"""The look from any folder: icons and the style sheet."""

import shutil
from unittest import mock

from PySide6.QtCore import QDir
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QCheckBox

from oddtwin.ui import theme
from oddtwin.ui.app import make_application
from tests.cases import InFolder

ODD = (
    "Bücher", "it's", "a & b", "cash $5", "50 %", "a#b", "q?", "(round)", "[square]", "{curly}", 'say "so"',
    "semi;colon",
)  # fmt: skip


class Folders(InFolder):
    """The style sheet is whole, wherever the program lies."""

    def setUp(self):
        super().setUp()
        self.application = make_application()
        self.addCleanup(self.dress, theme.ASSETS)

    def dress(self, assets):
        """Put on the style sheet of some folder."""
        with mock.patch.object(theme, "ASSETS", assets):
            self.application.setStyleSheet("")
            theme.Theme(self.application).deleteLater()

    def ticked(self) -> QImage:
        box = QCheckBox("Ticked")
        box.setChecked(True)
        box.ensurePolished()
        box.resize(box.sizeHint())
        found = box.grab().toImage()
        box.deleteLater()
        return found

    def test_twelve_odd_folders_look_alike(self):
        self.dress(theme.ASSETS)
        expected = self.ticked()
        # With empty icons there is no tick: the picture tells whether the right ones were found.
        for icon in (theme.ASSETS / "icons").iterdir():
            (self.folder / icon.name).write_text('<svg xmlns="http://www.w3.org/2000/svg"/>')
        QDir.setSearchPaths("oddtwin", [str(self.folder)])
        self.application.setStyleSheet(self.application.styleSheet() + "\n")
        self.assertNotEqual(self.ticked(), expected)
        for name in ODD:
            with self.subTest(name):
                assets = self.folder / name / "assets"
                # Without the fonts: an application never forgets one that it was given.
                shutil.copytree(theme.ASSETS, assets, ignore=shutil.ignore_patterns("fonts"))
                self.dress(assets)
                self.assertNotIn(name, self.application.styleSheet())
                self.assertEqual(self.ticked(), expected)
