"""How the place where the program runs writes its days and its decimals."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime

from PySide6.QtCore import QCoreApplication, QLibraryInfo, QLocale, QTranslator

from oddtwin.core.language import spoken
from oddtwin.core.quantities import (
    comma_is_decimal,
    parse_day,
    parse_moment,
    parse_quantity,
    write_decimals_with,
)
from oddtwin.core.readings import ResponseKind, Typed, read_typed


def write_as_here() -> None:
    """Let numbers be written with the sign before decimals that is usual here."""
    write_decimals_with("," if QLocale.system().decimalPoint() == "," else ".")


def translate_dialogs(application: QCoreApplication) -> None:
    """Let Qt's own dialogs and menus speak the language of the window."""
    translator = QTranslator(application)
    place = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
    if translator.load(QLocale(spoken()), "qtbase", "_", place):
        application.installTranslator(translator)


def as_typed_here(text: str) -> str:
    """Return a number that has a point as somebody here would have typed it."""
    return text.replace(".", ",") if comma_is_decimal() else text


def typed_quantity(text: str, unit: str) -> float:
    """Return the quantity that a person typed here, in a unit.

    Raises
    ------
    QuantityError
        It is none, or may be a thousand times another one.
    """
    return parse_quantity(text, unit, _doubted())


def typed_reading(text: str, kind: ResponseKind, unit: str, words: Sequence[str] = ()) -> Typed:
    """Return the reading that a person typed here.

    Raises
    ------
    QuantityError
        It is none, or may be a thousand times another one.
    """
    return read_typed(text, kind, unit, words, _doubted())


def _doubted() -> str:
    # What does not stand before decimals here may stand between thousands.
    return "." if comma_is_decimal() else ","


def day_first() -> bool:
    """Whether days stand before months here."""
    shown = QLocale.system().dateFormat(QLocale.FormatType.ShortFormat)
    return shown.find("d") < shown.find("M")


def typed_moment(text: str) -> datetime | None:
    """Return the moment that a person typed as a day, with a time or without; None where nothing is typed.

    Raises
    ------
    QuantityError
        It is no day.
    """
    return parse_moment(text, day_first()) if text.strip() else None


def typed_day(text: str) -> date:
    """Return the day that a person typed.

    Raises
    ------
    QuantityError
        It is no day.
    """
    return parse_day(text, day_first())
