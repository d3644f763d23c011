"""Sentences in the language of the reader: English templates, and a catalogue that translates them."""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import date
from enum import StrEnum
from gettext import NullTranslations
from typing import Final

_plain: Final[ContextVar[bool]] = ContextVar("plain", default=False)
_ENGLISH: Final = NullTranslations()
_catalogue: NullTranslations = _ENGLISH


class Marked(str):
    """A text that stands in the catalogue, and is translated where it is shown."""

    __slots__ = ()


def speak(catalogue: NullTranslations) -> None:
    """Let every sentence from now on be in the language of a catalogue.

    Parameters
    ----------
    catalogue : gettext.NullTranslations
        Of templates; English where it is a NullTranslations itself.
    """
    # Like the sign before decimals, a thing of the whole program: who makes a sentence knows no reader.
    global _catalogue
    _catalogue = catalogue


@contextmanager
def plainly() -> Iterator[None]:
    """Make what is written for programs here: in English, with a point before decimals, wherever it runs."""
    token = _plain.set(True)
    try:
        yield
    finally:
        _plain.reset(token)


def is_plain() -> bool:
    """Return whether what is written now is for programs."""
    return _plain.get()


def spoken() -> str:
    """Return the language that is written now, as a code such as “en”."""
    return _current().info().get("language", "en")


def mark(text: str) -> str:
    """Mark a text of a table or a constant for the catalogue; ``tr`` and ``shown`` translate it later."""
    return Marked(text)


_DAYS: Final = (
    mark("Monday"), mark("Tuesday"), mark("Wednesday"), mark("Thursday"), mark("Friday"), mark("Saturday"),
    mark("Sunday"),
)  # fmt: skip
_SHORT_DAYS: Final = (
    mark("Mon"), mark("Tue"), mark("Wed"), mark("Thu"), mark("Fri"), mark("Sat"), mark("Sun"),
)  # fmt: skip


def tr(template: str, /, **values: object) -> str:
    """Return a sentence in the language of the reader.

    Parameters
    ----------
    template : str
        In English, with a name in braces for each value, as ``str.format`` takes it.
    **values
        What stands in it. A code of an enum, or a marked text, is translated too.
    """
    # To gettext the empty text is the head of the catalogue.
    text = _current().gettext(template) if template else ""
    return text.format(**{name: _in_place(value) for name, value in values.items()}) if values else text


def trn(one: str, many: str, count: float) -> str:
    """Return a word in the number that a count asks for.

    Parameters
    ----------
    one, many : str
        In English, such as “print” and “prints”.
    count : float
        Of what the word names; languages other than English may have more than two forms.
    """
    whole = math.isfinite(count) and count == int(count)
    return _current().ngettext(one, many, int(count) if whole else 2)


def shown(text: str) -> str:
    """Return a text as people read it: a code of an enum or a marked text translated, any other as it is."""
    return _current().gettext(str(text)) if isinstance(text, StrEnum | Marked) else text


def dated(moment: date, form: str) -> str:
    """Write a moment with the days of the week in the language of the reader.

    Parameters
    ----------
    moment : date
        Or a datetime.
    form : str
        As ``strftime`` takes it.
    """
    # By the catalogue and not by a locale, which the system may lack though it asks for its language.
    long, short = tr(_DAYS[moment.weekday()]), tr(_SHORT_DAYS[moment.weekday()])
    return moment.strftime(form.replace("%A", long).replace("%a", short))


class _Dated:
    """A moment in a template: it writes its days as the sentence around it."""

    def __init__(self, moment: date) -> None:
        self._moment = moment

    def __format__(self, form: str) -> str:
        return dated(self._moment, form) if form else str(self._moment)


def _in_place(value: object) -> object:
    if isinstance(value, date):
        return _Dated(value)
    return shown(value) if isinstance(value, str) else value


def _current() -> NullTranslations:
    return _ENGLISH if _plain.get() else _catalogue
