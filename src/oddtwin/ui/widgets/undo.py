"""Undo keys inside text fields."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QWidget


class UndoPasser(QObject):
    """Lets Ctrl+Z through to the lab book while nothing is being typed in a field.

    Text fields of Qt keep the keys of undo to themselves; here they do so only for text
    that is not committed yet.
    """

    def __init__(self, field: QWidget, is_typing: Callable[[], bool]) -> None:
        super().__init__(field)
        self._is_typing = is_typing
        field.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            undoing = event.matches(QKeySequence.StandardKey.Undo) or event.matches(
                QKeySequence.StandardKey.Redo
            )
            if undoing and not self._is_typing():
                event.ignore()
                return True
        return super().eventFilter(watched, event)
