"""How the place where the program runs writes its days and its decimals."""

from __future__ import annotations

from datetime import date, datetime

from PySide6.QtCore import QLocale

from oddtwin.core.quantities import parse_day, parse_moment, write_decimals_with


def write_as_here() -> None:
    """Let numbers be written with the sign before decimals that is usual here."""
    write_decimals_with("," if QLocale.system().decimalPoint() == "," else ".")


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
