"""Keys inside text fields that belong to what is being typed: undo, and giving up."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QWidget

_HEARD: Final = (QEvent.Type.ShortcutOverride, QEvent.Type.FocusOut, QEvent.Type.KeyPress)


class TypingKeys(QObject):
    """Lets Ctrl+Z through to the lab book while nothing is being typed in a field; Escape gives up typing.

    Text fields of Qt keep the keys of undo to themselves; here they do so only for text
    that is not committed yet.
    """

    def __init__(
        self,
        field: QWidget,
        is_typing: Callable[[], bool],
        give_up: Callable[[], None] = lambda: None,
        left: Callable[[], None] = lambda: None,
    ) -> None:
        super().__init__(field)
        self._is_typing = is_typing
        self._give_up = give_up
        self._left = left
        field.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        # Nearly all that is told here are changes of style and size, a thousand when a screen is dressed.
        if kind not in _HEARD:
            return False
        if kind == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            undoing = event.matches(QKeySequence.StandardKey.Undo) or event.matches(
                QKeySequence.StandardKey.Redo
            )
            if undoing and not self._is_typing():
                event.ignore()
                return True
        # Qt tells that editing has ended once only, also where what was typed is refused.
        if kind == QEvent.Type.FocusOut and _really_left(event):
            self._left()
        pressed = kind == QEvent.Type.KeyPress and isinstance(event, QKeyEvent)
        if pressed and event.key() == Qt.Key.Key_Escape and self._is_typing():  # type: ignore[attr-defined]
            self._give_up()
            return True
        return super().eventFilter(watched, event)


def _really_left(event: QEvent) -> bool:
    """Whether the focus goes to another field, and not just to another window or a menu."""
    aside = (Qt.FocusReason.ActiveWindowFocusReason, Qt.FocusReason.PopupFocusReason)
    return isinstance(event, QFocusEvent) and event.reason() not in aside
