"""The language of the place where the program runs."""

from __future__ import annotations

import locale
from contextlib import suppress
from gettext import translation
from pathlib import Path
from typing import Final

from PySide6.QtCore import QCoreApplication, QLibraryInfo, QLocale, QTranslator

from oddtwin.core.language import speak, spoken

LANGUAGES: Final = Path(__file__).parent / "assets" / "languages"
"""Catalogues: ``LANGUAGE/LC_MESSAGES/oddtwin.mo``, made by ``scripts/catalogue.py``."""


def speak_as_here() -> None:
    """Speak the language that the system asks for, where there is a catalogue of it; else English."""
    speak(translation("oddtwin", LANGUAGES, fallback=True))
    # A locale that is named and not installed leaves the days in English.
    with suppress(locale.Error):
        locale.setlocale(locale.LC_TIME, "")


def translate_dialogs(application: QCoreApplication) -> None:
    """Let Qt's own dialogs and menus speak the language of the window."""
    translator = QTranslator(application)
    place = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
    if translator.load(QLocale(spoken()), "qtbase", "_", place):
        application.installTranslator(translator)
