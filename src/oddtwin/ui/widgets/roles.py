"""What a widget that Qt does not know is to a screen reader: a tab, a group of choices, a picture."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QObject
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtWidgets import QAbstractButton, QAccessibleWidget, QWidget

Role = QAccessible.Role

_SPOKEN_AS: Final = "spokenAs"
_PRESS: Final = QAccessibleWidget.pressAction()


def speak_as(widget: QWidget, role: Role) -> None:
    """Let a screen reader call a widget something else than what its class is to Qt.

    Parameters
    ----------
    widget : QWidget
        Named by its accessible name, or as a button by its text.
    role : QAccessible.Role
        Of it. Of a tab it is told whether it is the one that is open.
    """
    widget.setProperty(_SPOKEN_AS, role.value)


def install_roles() -> None:
    """Let screen readers hear of the roles that `speak_as` gave."""
    QAccessible.installFactory(_interface)


def _interface(_: str, thing: QObject) -> QAccessibleInterface | None:
    if not isinstance(thing, QWidget) or (role := thing.property(_SPOKEN_AS)) is None:
        return None
    if isinstance(thing, QAbstractButton):
        return _Choice(thing, r=Role(role))
    return QAccessibleWidget(thing, r=Role(role))


class _Choice(QAccessibleWidget):
    """One of several buttons of which one is chosen, such as a tab."""

    # Qt owns what the factory returns and PySide never lets go of an instance of a class of Python: there is
    # one for each such button, and none for pictures, which come and go.

    def state(self) -> QAccessible.State:
        found = super().state()
        button = self.object()
        if isinstance(button, QAbstractButton) and button.isCheckable():
            found.selectable = found.checkable = True
            found.selected = found.checked = button.isChecked()
        return found

    def text(self, kind: QAccessible.Text) -> str:
        told = super().text(kind)
        button = self.object()
        if kind is QAccessible.Text.Name and not told and isinstance(button, QAbstractButton):
            return button.text().replace("&&", "&")
        return told

    def actionNames(self) -> list[str]:
        return [_PRESS, *super().actionNames()]

    def doAction(self, name: str) -> None:
        button = self.object()
        if name == _PRESS and isinstance(button, QAbstractButton):
            button.click()
        else:
            super().doAction(name)
