"""The bars around the screens: where one is, what was said, what was saved."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy

from oddtwin.core.language import tr
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import ElidedLabel, IconButton, button, fix, label, plain_caption, plain_tip, row


class Bar(QFrame):
    """A bar across the window."""

    def __init__(self, name: str, height: int) -> None:
        super().__init__()
        self.setObjectName(name)
        if height:
            fix(self, height=height)
        self.line = QHBoxLayout(self)
        self.line.setContentsMargins(12, 0 if height else 6, 12, 0 if height else 6)


class HeaderBar(Bar):
    """The way home, the study in hand, undo and redo, and the menu."""

    def __init__(
        self,
        theme: Theme,
        home: Callable[[], None],
        undo: Callable[[], None],
        redo: Callable[[], None],
        dark: Callable[[], None],
        menu: Callable[[], None],
    ) -> None:
        super().__init__("header", 50)
        self._theme = theme
        self._home = button("Odd Twin", home, name="home", shortcut="Alt+Home", tip=tr("All studies"))
        self._home.setProperty("flat", True)
        self._home.setProperty("iconAt100", 16)
        self._show_icon()
        theme.changed.connect(self._show_icon)
        self._title = ElidedLabel("title")
        self._undo = IconButton(theme, "undo", tr("Undo"), undo, "undo")
        self._redo = IconButton(theme, "redo", tr("Redo"), redo, "redo")
        self.menu = IconButton(theme, "menu", tr("Menu (F10)"), menu, "menu")
        darker = IconButton(theme, "theme", tr("Light or dark"), dark, "theme")
        self.line.addLayout(row(self._home, self._title, self._undo, self._redo, darker, self.menu))
        self._title.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)

    def show_place(self, book: str, study: str) -> None:
        """Show the name of the lab book, and of the study in hand; empty for none."""
        self._home.setText(plain_caption(book))
        self._title.setText(f"›  {study}" if study else "")

    def show_undo(self, undo: str | None, redo: str | None) -> None:
        """Show what undo and redo would touch."""
        named: tuple[tuple[QPushButton, str, str | None], ...] = (
            (self._undo, tr("Undo"), undo),
            (self._redo, tr("Redo"), redo),
        )
        for part, word, title in named:
            part.setEnabled(title is not None)
            part.setToolTip(
                plain_tip(f"{word}: {title}" if title else tr("Nothing to {word}", word=word.lower()))
            )

    def _show_icon(self) -> None:
        self._home.setIcon(self._theme.icon("home", "change"))


class MessageBar(Bar):
    """A sentence above everything until it is closed."""

    def __init__(self, theme: Theme) -> None:
        super().__init__("banner", 0)
        self._message = label()
        self._message.setObjectName("message")
        self.line.addWidget(self._message, 1)
        self.line.addWidget(IconButton(theme, "remove", tr("Close this message"), self.hide, "closeMessage"))
        self.hide()

    def say(self, sentence: str) -> None:
        """Show a sentence."""
        self._message.setText(sentence)
        self.show()
        # Who does not see it hears it, wherever the keys are.
        QAccessible.updateAccessibility(QAccessibleAnnouncementEvent(self._message, sentence))


class FooterBar(Bar):
    """What was saved last, and where the lab book lies."""

    def __init__(self) -> None:
        super().__init__("footer", 28)
        self._saved = ElidedLabel()
        self._saved.setObjectName("saved")
        self._saved.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self._where = ElidedLabel()
        self.line.addLayout(row(self._saved, self._where))

    def show_saved(self, text: str) -> None:
        """Show what was saved last."""
        self._saved.setText(text)

    def show_folder(self, text: str) -> None:
        """Show where the lab book lies."""
        self._where.setText(text)
