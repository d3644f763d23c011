"""Edits that were typed and could not be stored: they stay in sight until they are, or are given up."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Final, Protocol

import shiboken6
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from oddtwin.core.language import tr


class Unsaved(QObject):
    """Knows the fields whose edit was refused, in all windows of the program.

    ``changed`` is emitted when a field joins or leaves.
    """

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._fields: dict[QWidget, str] = {}
        self._listening: list[list[str]] = []

    @contextmanager
    def storing(self) -> Iterator[list[str]]:
        """Collect the sentences with which what is stored inside is refused; empty when all is kept."""
        refused: list[str] = []
        # A stack, because storing one field can make another one lose the focus, and be stored inside.
        self._listening.append(refused)
        try:
            yield refused
        finally:
            self._listening.remove(refused)

    def refuse(self, sentence: str) -> None:
        """Tell whoever is storing that an edit was not kept."""
        for refused in self._listening:
            refused.append(sentence)

    def add(self, field: QWidget, sentence: str) -> None:
        """Remember a field whose edit was refused, and why."""
        self._fields[field] = sentence
        self.changed.emit()

    def drop(self, field: QWidget) -> None:
        """Forget a field: its edit is stored, or given up."""
        if self._fields.pop(field, None) is not None:
            self.changed.emit()

    def __contains__(self, field: object) -> bool:
        return field in self._fields

    def within(self, window: QWidget) -> dict[QWidget, str]:
        """Return the fields of a window with their sentences; those that are gone are forgotten."""
        self._fields = {
            # Qt deletes widgets with their parents, whatever Python still holds on to.
            field: sentence
            for field, sentence in self._fields.items()
            if shiboken6.isValid(field)
        }
        return {field: text for field, text in self._fields.items() if field.window() is window}


class GivesUp(Protocol):
    """A field whose typing can be given up."""

    def give_up(self) -> None:
        """Show what is stored, whatever was typed."""


UNSAVED: Final = Unsaved()
"""The one list: an edit is refused once, whoever shows it."""


def commit_typing(window: QWidget) -> None:
    """Let the field that is being typed into commit: fields do when they lose the focus."""
    focused = window.focusWidget()
    if focused is not None:
        focused.clearFocus()


def may_leave(window: QWidget, say: Callable[[str], None]) -> bool:
    """Commit what is being typed; where it cannot be stored, say so and stay with it.

    Parameters
    ----------
    window : QWidget
        With the fields.
    say : callable
        Takes the sentence.
    """
    commit_typing(window)
    for field, sentence in UNSAVED.within(window).items():
        if field.isVisible():
            say(tr("{sentence} Escape in the field gives it up.", sentence=sentence))
            field.setFocus()
            return False
    return True
