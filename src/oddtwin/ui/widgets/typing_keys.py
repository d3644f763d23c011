"""Keys inside text fields that belong to what is being typed: undo, and giving up."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid


class TypingKeys(QObject):
    """Lets Ctrl+Z through to the lab book while nothing is being typed in a field; Escape gives up typing.

    Text fields of Qt keep the keys of undo to themselves; here they do so only for text
    that is not committed yet. Only the field with the focus is listened to: a screen that is dressed
    tells its fields of thousands of changes of style and size.
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
        self._field = field
        application = QApplication.instance()
        if isinstance(application, QApplication) and application.findChild(_FocusFollower) is None:
            _FocusFollower(application)

    def listen(self, listening: bool) -> None:
        """Hear what the field is told from now on, or no longer."""
        if listening:
            self._field.installEventFilter(self)
        else:
            self._field.removeEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
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


class _FocusFollower(QObject):
    """Lets the field with the focus, and no other, be listened to."""

    def __init__(self, application: QApplication) -> None:
        super().__init__(application)
        self._keys: TypingKeys | None = None
        application.focusChanged.connect(self._on_focus_changed)

    def _on_focus_changed(self, _: QWidget | None, field: QWidget | None) -> None:
        # Comes after the old field was told that it is left.
        if self._keys is not None and isValid(self._keys):
            self._keys.listen(False)
        own = Qt.FindChildOption.FindDirectChildrenOnly
        self._keys = field.findChild(TypingKeys, options=own) if field is not None else None
        if self._keys is not None:
            self._keys.listen(True)


def _really_left(event: QEvent) -> bool:
    """Whether the focus goes to another field, and not just to another window or a menu."""
    aside = (Qt.FocusReason.ActiveWindowFocusReason, Qt.FocusReason.PopupFocusReason)
    return isinstance(event, QFocusEvent) and event.reason() not in aside
