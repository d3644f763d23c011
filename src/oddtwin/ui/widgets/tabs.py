"""A page with tabs, each made when it is first shown."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial
from typing import Protocol

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets.parts import Page, button
from oddtwin.ui.widgets.roles import Role, speak_as


class Panel(Protocol):
    """What a page asks of a tab."""

    def refresh(self) -> None:
        """Show things as they are now."""


class TabbedPage(Page):
    """Tabs above one panel at a time.

    A subclass makes the panels in ``make_tab``, where it loads their modules.
    """

    def __init__(self, names: Sequence[str], prefix: str, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._panels: dict[str, QWidget] = {}
        self._buttons: dict[str, QPushButton] = {}
        strip = QWidget()
        speak_as(strip, Role.PageTabList)
        tabs = QHBoxLayout(strip)
        tabs.setContentsMargins(0, 0, 0, 0)
        tabs.setSpacing(self.body.spacing())
        for name in names:
            tab = button(name, partial(self.show_tab, name), name=f"{prefix}{name.split()[0]}")
            tab.setProperty("tab", True)
            tab.setCheckable(True)
            speak_as(tab, Role.PageTab)
            self._buttons[name] = tab
            tabs.addWidget(tab)
        tabs.addStretch(1)
        self.body.addWidget(strip)
        self.body.addStretch(1)
        self._shown = names[0]
        self._key: object = None

    def begin(self, key: object) -> None:
        """Begin at the first tab where another thing is shown than before: a tab is no place for all."""
        if key != self._key:
            self._key = key
            self._shown = next(iter(self._buttons))
            if self._panels:
                self.show_tab(self._shown)

    def make_tab(self, name: str) -> QWidget:
        """Make the panel of a tab."""
        raise NotImplementedError

    def refresh(self) -> None:
        """Show the tab that is open as things are now."""
        if self._shown not in self._panels:
            self.show_tab(self._shown)
            return
        panel: Panel = self._panels[self._shown]  # type: ignore[assignment]
        panel.refresh()

    def show_tab(self, name: str) -> None:
        """Show one of the tabs, up to date."""
        self._shown = name
        # The panel with the focus may be about to hide; the focus would fly to the header.
        if self.isVisible():
            self._buttons[name].setFocus()
        if name not in self._panels:
            self._take_in(name, self.make_tab(name))
        self._theme.dress(self._panels[name])
        for other, panel in self._panels.items():
            panel.setVisible(other == name)
        for other, tab in self._buttons.items():
            tab.setChecked(other == name)
        self.first = getattr(self._panels[name], "first", None) or self._buttons[name]
        self.verticalScrollBar().setValue(0)
        self.refresh()

    def ahead(self) -> Iterator[None]:
        """Make, fill and dress the tabs that are not seen; between two steps something else may be done."""
        for name in self._buttons:
            if name not in self._panels:
                made = self.make_tab(name)
                made.hide()
                yield
                panel: Panel = made  # type: ignore[assignment]
                panel.refresh()
                yield
                # Whoever asked for it meanwhile has one of their own.
                if name not in self._panels:
                    self._take_in(name, made)
            self._theme.dress(self._panels[name])
            yield

    def dressed_apart(self) -> Iterator[QWidget]:
        """Yield what is to be dressed: all but the tabs that are not seen; these are when they are shown."""
        away = {panel for panel in self._panels.values() if panel.isHidden()}
        yield from (part for part in super().dressed_apart() if part not in away)

    def _take_in(self, name: str, panel: QWidget) -> None:
        self._panels[name] = panel
        self.body.insertWidget(self.body.count() - 1, panel)
