"""The look: fonts, colours and the style sheet, light and dark, all shipped with the program."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from functools import cache
from pathlib import Path
from string import Template
from time import monotonic
from typing import Final

from PySide6.QtCore import QByteArray, QDir, QObject, QSettings, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid

from oddtwin.core.picture import DARK, LIGHT, Palette

ASSETS: Final = Path(__file__).parent / "assets"
FAMILY: Final = "B612"


AT_ONCE_S = 0.02
"""So long a change of theme may dress before what is dressed so far is painted."""
LEAST_ZOOM, MOST_ZOOM = 0.8, 2.0
_DRESSED: Final = "dressedIn"
_THICKEST_LINE: Final = 4
ZOOM_STEPS: Final = (0.8, 0.9, 1.0, 1.1, 1.25, 1.5, 1.75, 2.0)
ZOOM_KEYS: Final = (("Ctrl++", 1), ("Ctrl+=", 1), ("Ctrl+-", -1), ("Ctrl+0", 0))
_USUAL_POINTS: Final = 10.0
"""Of the letters of most desktops; what a person has set beyond is honoured."""
_zoom = 1.0


def px(pixels: float) -> int:
    """Return pixels at the zoom in force of what takes so many at 100 %."""
    return round(pixels * _zoom)


def zoom() -> float:
    """Return the zoom in force; 1 is 100 %."""
    return _zoom


def load_fonts() -> None:
    """Bring the shipped letters, for the window and for what is painted without one."""
    for font in sorted((ASSETS / "fonts").glob("*.otf")):
        QFontDatabase.addApplicationFont(str(font))


class Theme(QObject):
    """The colours in force; views ask it, and repaint on ``changed``."""

    changed = Signal()
    zoomed = Signal()

    def __init__(self, application: QApplication) -> None:
        super().__init__(application)
        self._icons: dict[tuple[str, str], QIcon] = {}
        self._application = application
        self._later: list[QWidget] = []
        self._until = 0.0
        # Without a delay: what is to be painted comes before it all the same.
        self._painted = QTimer(self)
        self._painted.setSingleShot(True)
        self._painted.timeout.connect(self._on_painted)
        # The sheet names icons by this prefix: a folder's own name may hold what a sheet reads as its own.
        QDir.setSearchPaths("oddtwin", [str(ASSETS / "icons")])
        self._usual = _system_zoom(application)
        self._take_zoom(_number(QSettings().value("zoom")) or self._usual)
        # Under a style sheet Qt's own style is hidden, so that it cannot be asked for its name.
        if not application.property("isFusion"):
            application.setStyle("Fusion")
            application.setProperty("isFusion", True)
        kept = QSettings().value("dark")
        system = application.styleHints().colorScheme() is Qt.ColorScheme.Dark
        self._dark = system if kept is None else kept == "true"
        self._apply()

    @property
    def palette(self) -> Palette:
        return DARK if self._dark else LIGHT

    @property
    def dark(self) -> bool:
        return self._dark

    def set_dark(self, dark: bool) -> None:
        """Change between light and dark, and remember it."""
        if dark == self._dark:
            return
        self._dark = dark
        # Writing to the disk can wait until the colours are seen.
        QTimer.singleShot(0, self, self._keep_dark)
        self._apply()
        self._later.clear()
        self._until = monotonic() + AT_ONCE_S
        self.changed.emit()

    def _keep_dark(self) -> None:
        QSettings().setValue("dark", "true" if self._dark else "false")

    def zoom_by(self, steps: int) -> None:
        """Make text and marks larger or smaller by some steps, and remember it; 0 goes back to the usual."""
        if steps:
            at = min(range(len(ZOOM_STEPS)), key=lambda place: abs(ZOOM_STEPS[place] - _zoom))
            wanted = ZOOM_STEPS[min(len(ZOOM_STEPS) - 1, max(0, at + steps))]
            QSettings().setValue("zoom", str(wanted))
        else:
            wanted = self._usual
            QSettings().remove("zoom")
        if wanted != _zoom:
            self._take_zoom(wanted)
            self._apply()
            self.zoomed.emit()

    def _take_zoom(self, wanted: float) -> None:
        global _zoom
        _zoom = min(MOST_ZOOM, max(LEAST_ZOOM, wanted))
        face = QFont(FAMILY)
        face.setPixelSize(px(14))
        self._application.setFont(face)

    def colour(self, role: str) -> QColor:
        return QColor(self.palette.of(role))

    def icon(self, name: str, role: str = "ink") -> QIcon:
        """Return a shipped icon in the colour of a role, sharp at any scale; drawn once a colour."""
        key = (name, self.palette.of(role))
        if key not in self._icons:
            self._icons[key] = _drawn(*key)
        return self._icons[key]

    def _apply(self) -> None:
        colours = self.palette
        self._whole = _sheet(colours, "dark" if self._dark else "light", _zoom)
        palette = QPalette()
        group = QPalette.ColorGroup.Disabled
        for role, colour in (
            (QPalette.ColorRole.Window, colours.paper),
            (QPalette.ColorRole.Base, colours.surface),
            (QPalette.ColorRole.AlternateBase, colours.paper),
            (QPalette.ColorRole.Button, colours.surface),
            (QPalette.ColorRole.ToolTipBase, colours.surface),
            (QPalette.ColorRole.Highlight, colours.accent),
            (QPalette.ColorRole.HighlightedText, colours.on_accent),
            (QPalette.ColorRole.PlaceholderText, colours.muted),
        ):
            palette.setColor(role, QColor(colour))
        for role in (
            QPalette.ColorRole.WindowText,
            QPalette.ColorRole.Text,
            QPalette.ColorRole.ButtonText,
            QPalette.ColorRole.ToolTipText,
        ):
            palette.setColor(role, QColor(colours.ink))
            palette.setColor(group, role, QColor(colours.muted))
        self._application.setPalette(palette)

    def dress(self, root: QWidget) -> None:
        """Lay the sheet in force over a part of the window, unless it lies there already.

        A sheet of the application would be laid over every screen that was ever made, also those that are
        not seen: a second after a change of theme. Each part is dressed when it is shown; one that has
        parts which are dressed by themselves says in ``dressed_apart`` which are.
        """
        for _ in self.dressing(root):
            pass

    def dressing(self, root: QWidget) -> Iterator[None]:
        """Dress a part of the window as ``dress`` does; between two steps something else may be done."""
        for part in self._undressed(root):
            self._lay_over(part)
            yield

    def dress_in_sight(self, root: QWidget) -> None:
        """Dress what is seen of a part of the window, and the rest of it when that was painted.

        Where what is seen takes longer than a hand notices, it is dressed from above in several paintings.
        """
        for part in self._undressed(root):
            if monotonic() < self._until and not _hidden(part):
                self._lay_over(part)
            else:
                self._later.append(part)
        self._later.sort(key=_hidden)
        self._painted.start()

    def _on_painted(self) -> None:
        self._until = monotonic() + AT_ONCE_S
        while self._later:
            part = self._later.pop(0)
            # What was thrown away meanwhile needs no colours.
            if isValid(part) and self._lay_over(part) and monotonic() >= self._until:
                self._painted.start()
                return

    def _undressed(self, root: QWidget) -> list[QWidget]:
        return [part for part in _dressed_apart(root) if part.property(_DRESSED) != self._whole]

    def _lay_over(self, part: QWidget) -> bool:
        """Lay the sheet in force over a part, and return whether another one or none lay there."""
        if part.property(_DRESSED) == self._whole:
            return False
        part.setProperty(_DRESSED, self._whole)
        # Taking one sheet off and putting the other on is five times as fast as changing it.
        part.setStyleSheet("")
        part.setStyleSheet(self._whole)
        return True


@cache
def _sheet(colours: Palette, shade: str, zoomed: float) -> str:
    """Return the sheet in some colours, at a zoom."""
    template = Template((ASSETS / "style.qss").read_text(encoding="utf-8"))
    values = {name: colours.of(name) for name in Palette.__slots__}
    sheet = template.substitute(values, shade=shade)
    # Lines stay as thin as they are; what has a width grows with the letters.
    return re.sub(r"(\d+)px", lambda found: f"{_of_sheet(int(found[1]), zoomed)}px", sheet)


def _hidden(part: QWidget) -> bool:
    return part.visibleRegion().isEmpty()


def _dressed_apart(root: QWidget) -> Iterator[QWidget]:
    """Yield what a part of the window is dressed by: parts of its parts, or itself."""
    apart: Callable[[], Iterable[QWidget]] | None = getattr(root, "dressed_apart", None)
    if apart is None:
        yield root
        return
    for part in apart():
        yield from _dressed_apart(part)


def _of_sheet(pixels: int, zoomed: float) -> int:
    return round(pixels * zoomed) if pixels > _THICKEST_LINE else pixels


def _number(kept: object) -> float:
    try:
        return float(str(kept))
    except ValueError:
        return 0.0


def _system_zoom(application: QApplication) -> float:
    """Return the zoom of the letters that a person has set for the desktop."""
    if application.property("usualZoom") is None:
        # Asked once: the program sets letters of its own.
        points = application.font().pointSizeF()
        unlike = points > 0 and abs(points - _USUAL_POINTS) > 1.5
        application.setProperty("usualZoom", points / _USUAL_POINTS if unlike else 1.0)
    return min(MOST_ZOOM, max(LEAST_ZOOM, float(application.property("usualZoom"))))


def _drawn(name: str, colour: str) -> QIcon:
    drawn = (ASSETS / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    renderer = QSvgRenderer(QByteArray(drawn.replace("currentColor", colour).encode()))
    # Drawn larger than shown, so that it stays sharp at twice the scale.
    pixmap = QPixmap(64, 64)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    renderer.render(painter)
    painter.end()
    return QIcon(pixmap)
