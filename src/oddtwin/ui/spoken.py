"""The language of the place where the program runs."""

from __future__ import annotations

from gettext import translation
from pathlib import Path
from typing import Final

from oddtwin.core.language import speak

LANGUAGES: Final = Path(__file__).parent / "assets" / "languages"
"""Catalogues: ``LANGUAGE/LC_MESSAGES/oddtwin.mo``, made by ``scripts/catalogue.py``."""


def speak_as_here() -> None:
    """Speak the language that the system asks for, where there is a catalogue of it; else English.

    Called before the first screen is loaded: what tables of screens say is translated as they are.
    """
    speak(translation("oddtwin", LANGUAGES, fallback=True))
