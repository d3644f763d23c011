"""Small parts: labels, buttons, cards, pages, built one way everywhere."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from html import escape
from time import monotonic
from typing import Any, Final

from PySide6.QtCore import QSignalBlocker, QSize, Qt
from PySide6.QtGui import QKeySequence, QResizeEvent, QShortcut
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from oddtwin.core.language import shown
from oddtwin.ui.theme import Theme, px
from oddtwin.ui.widgets.reading_order import Content
from oddtwin.ui.widgets.sizing import at_least, fix
from oddtwin.ui.widgets.typing_keys import TypingKeys

LONGEST_WORD: Final = 18
MOST_SHOWN: Final = 60
FOLLOWED_S: Final = 5.0
"""So long a page follows what moves where one begins; after that it is the reader's."""
_BREAK: Final = "\u200b"
# The parts of a path are words of their own; a hash is copied from here, and nothing may stand in it.
_LONG_WORD: Final = re.compile(rf"(?<![^\s/\\])(?![0-9a-f]{{32,}}\b)[^\s/\\]{{{LONGEST_WORD + 1},}}")


class TextLabel(QLabel):
    """A label whose long words may be broken, so that no name pushes the rest out of the window."""

    def __init__(self, text: str, wrap: bool) -> None:
        super().__init__()
        self.setWordWrap(wrap)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)

    def setText(self, text: str) -> None:
        text = shown(text)
        if self.wordWrap():
            super().setText(_LONG_WORD.sub(_breakable, text))
            return
        cut = _LONG_WORD.sub(lambda found: f"{found[0][: LONGEST_WORD - 1]}…", text)
        super().setText(cut)
        if cut != text:
            self.setToolTip(plain_tip(text))

    def text(self) -> str:
        return super().text().replace(_BREAK, "")


def _breakable(found: re.Match[str]) -> str:
    """A word with places where a line may end in it."""
    word = found[0]
    return _BREAK.join(word[at : at + LONGEST_WORD] for at in range(0, len(word), LONGEST_WORD))


def label(text: str = "", role: str = "", wrap: bool = True) -> QLabel:
    """Make a label in one of the roles of the style sheet."""
    made = TextLabel(text, wrap)
    if role:
        made.setProperty("role", role)
    return made


def plain_tip(text: str) -> str:
    """Return a tip that shows a text as it is: Qt would take what looks like a tag for one."""
    text = shown(text)
    return f"<qt>{escape(text)}</qt>" if "<" in text else text


def plain_caption(text: str) -> str:
    """Return a caption that shows a text as it is: Qt would take an ampersand for a key."""
    return shown(text).replace("&", "&&")


def heading(text: str) -> QLabel:
    return label(text, "heading", wrap=False)


def column_label(text: str, most: int = 40, tip: str = "") -> QLabel:
    """Make a small quiet label; a long text is shortened, with the whole in its tip."""
    text = shown(text)
    made = label(short(text, most), "column", wrap=False)
    made.setToolTip(plain_tip(tip or (text if len(text) > most else "")))
    return made


def short(text: str, most: int) -> str:
    """Shorten a text to so many signs, with dots at its end."""
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"


def button(
    text: str,
    on_click: Callable[[], Any],
    main: bool = False,
    shortcut: str = "",
    name: str = "",
    tip: str = "",
) -> QPushButton:
    """Make a button; its shortcut is shown with its tip."""
    made = QPushButton(shown(text))
    made.setProperty("main", main)
    made.setObjectName(name)
    # Enter presses a button that has the focus, as Space does.
    made.setAutoDefault(True)
    made.clicked.connect(lambda: on_click())
    if shortcut:
        QShortcut(QKeySequence(shortcut), made, made.click)
    made.setToolTip(plain_tip(f"{tip} ({shortcut})".strip() if shortcut else tip))
    return made


class IconButton(QPushButton):
    """A small flat button with an icon; its tip is its accessible name."""

    def __init__(
        self, theme: Theme, icon: str, tip: str, on_click: Callable[[], Any], name: str = ""
    ) -> None:
        super().__init__()
        self._theme = theme
        self._icon = icon
        self.setObjectName(name)
        self.setProperty("flat", True)
        self.setAutoDefault(True)
        self.setToolTip(plain_tip(tip))
        self.setAccessibleName(shown(tip))
        self.setProperty("iconAt100", 18)
        self.setIconSize(QSize(px(18), px(18)))
        self.clicked.connect(lambda: on_click())
        self._show_icon()
        theme.changed.connect(self._show_icon)

    def _show_icon(self) -> None:
        self.setIcon(self._theme.icon(self._icon))


def row(*parts: QWidget | int | None, spacing: int = 8) -> QHBoxLayout:
    """Lay widgets out in a row; a number is a fixed gap, None takes up the rest."""
    layout = QHBoxLayout()
    layout.setSpacing(spacing)
    for part in parts:
        if part is None:
            layout.addStretch(1)
        elif isinstance(part, int):
            layout.addSpacing(part)
        else:
            layout.addWidget(part)
    return layout


class Card(QFrame):
    """A framed surface; ``body`` lays its parts below one another."""

    def __init__(self, *parts: QWidget | QLayout) -> None:
        super().__init__()
        self.setProperty("card", True)
        # As wide as the frame that the sheet draws: without one, all that stands in it would be laid out anew
        # whenever a sheet is taken off and another put on.
        self.setFrameShape(QFrame.Shape.Box)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(18, 14, 18, 16)
        self.body.setSpacing(10)
        self.add(*parts)

    def add(self, *parts: QWidget | QLayout) -> None:
        """Put parts below those that are there."""
        for part in parts:
            if isinstance(part, QLayout):
                self.body.addLayout(part)
            else:
                self.body.addWidget(part)


def spin_box(name: str, low: int, high: int, suffix: str = "") -> QSpinBox:
    """Make a field for a small whole number."""
    box = QSpinBox()
    box.setObjectName(name)
    box.setRange(low, high)
    box.setSuffix(suffix)
    fix(box, width=130 + 8 * len(suffix))
    box.lineEdit().setTextMargins(7, 0, 0, 0)
    TypingKeys(box, lambda: False)
    return box


class ElidedLabel(QLabel):
    """One line of text that ends in dots where the room ends; the tip has it whole."""

    def __init__(self, role: str = "") -> None:
        super().__init__()
        self.setProperty("role", role)
        at_least(self, width=40)
        self._text = ""

    def setText(self, text: str) -> None:
        self._text = text
        self.setToolTip(plain_tip(text))
        self._elide()

    def sizeHint(self) -> QSize:
        hint = super().sizeHint()
        return QSize(self.fontMetrics().horizontalAdvance(self._text) + 6, hint.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._elide()

    def _elide(self) -> None:
        room = max(self.width(), 40)
        super().setText(self.fontMetrics().elidedText(self._text, Qt.TextElideMode.ElideRight, room))
        self.updateGeometry()


def parts_of(whole: QWidget) -> list[QWidget]:
    """Return the parts that a widget was laid out of."""
    return whole.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly)


class Page(QScrollArea):
    """A screen that scrolls: ``body`` lays the parts of its ``content``; one begins at ``first``."""

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        # Tab goes from field to field; a page in between would be a stop without a use. A focus
        # proxy would be one too many: Tab would pass over all that stands before it.
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.first: QWidget | None = None
        self._began = 0.0
        self.content = Content()
        self.content.setObjectName("page")
        self.body = QVBoxLayout(self.content)
        self.body.setContentsMargins(22, 18, 22, 22)
        self.body.setSpacing(14)
        self.setWidget(self.content)

    def dressed_apart(self) -> Iterator[QWidget]:
        """Yield what is dressed by itself, for not all of it is seen at once: bars to scroll, and parts."""
        yield from (self.verticalScrollBar(), self.horizontalScrollBar())
        yield from parts_of(self.content)

    def take_focus(self) -> None:
        """Put the keys where one begins on this page."""
        (self.first or self).setFocus()
        if self.first is not None:
            self._began = monotonic()
            self.content.arranged.connect(self._keep_in_sight, Qt.ConnectionType.UniqueConnection)
            self._keep_in_sight()

    def _keep_in_sight(self) -> None:
        """Let where one begins be seen, also when what is worked out meanwhile pushes it down."""
        first = self.first
        if first is not None and first.hasFocus() and monotonic() - self._began < FOLLOWED_S:
            self.ensureWidgetVisible(first)


def clear(layout: QLayout) -> None:
    """Take everything out of a layout."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item else None
        if widget is not None:
            # It is deleted only when events are handled again, and would stand over the new ones until
            # then.
            widget.hide()
            widget.deleteLater()


def choose(box: QComboBox, choices: Sequence[tuple[str, Any]], current: Any) -> None:
    """Fill a combo box with (text, value) and select a value, without telling anyone."""
    blocker = QSignalBlocker(box)
    if any(len(text) > MOST_SHOWN for text, _ in choices):
        # A long name is cut off in the field, and whole in the list that opens.
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setMinimumContentsLength(MOST_SHOWN // 3)
    box.clear()
    for text, value in choices:
        box.addItem(shown(text), value)
    box.setCurrentIndex(max(0, box.findData(current)))
    blocker.unblock()


def set_quietly(widget: QWidget, set_value: Callable[[Any], Any], value: Any) -> None:
    """Set a widget's value without its signals."""
    blocker = QSignalBlocker(widget)
    set_value(value)
    blocker.unblock()
