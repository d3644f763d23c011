"""A tile for each design: its small picture and name, to be chosen like a radio button."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QGridLayout, QSizePolicy, QWidget

from oddtwin.core.design import EXPLAINED, Design, DesignKind
from oddtwin.core.language import shown, tr
from oddtwin.core.picture import design_picture
from oddtwin.core.quantities import capitalized
from oddtwin.ui.theme import FAMILY, Theme, px, zoom
from oddtwin.ui.widgets import paint, plain_tip
from oddtwin.ui.widgets.roles import Role, speak_as

_COLUMNS: Final = 4
_USUAL: Final = {
    DesignKind.PAIRS: (2,),
    DesignKind.SEVERAL: (4,),
    DesignKind.LADDER: (5,),
    DesignKind.CHAIN: (2, 2, 2),
    DesignKind.FACTORIAL: (2, 2),
    DesignKind.FRACTION: (2, 2, 2),
    DesignKind.CROSSOVER: (2, 2),
    DesignKind.SPLIT_PLOT: (2, 2),
}


class DesignTiles(QWidget):
    """All designs; ``chosen`` is emitted when the user takes another one."""

    chosen = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._group = QButtonGroup(self)
        self._tiles: dict[DesignKind, DesignTile] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(8)
        for place, kind in enumerate(DesignKind):
            tile = DesignTile(kind, theme)
            self._tiles[kind] = tile
            self._group.addButton(tile)
            grid.addWidget(tile, place // _COLUMNS, place % _COLUMNS)
        self._tiles[DesignKind.PAIRS].setChecked(True)
        self._group.buttonToggled.connect(self._on_tile_toggled)

    def kind(self) -> DesignKind:
        """Return the design that is chosen."""
        return next(kind for kind, tile in self._tiles.items() if tile.isChecked())

    def show_kind(self, kind: DesignKind) -> None:
        """Choose a design without telling anyone."""
        self._group.blockSignals(True)
        self._tiles[kind].setChecked(True)
        self._group.blockSignals(False)

    def show_levels(self, levels: Sequence[int]) -> None:
        """Draw the designs for a study's factors; those that cannot be made of them say why."""
        for tile in self._tiles.values():
            tile.show_levels(tuple(levels))

    def _on_tile_toggled(self, _: QAbstractButton, on: bool) -> None:
        if on:
            self.chosen.emit()


class DesignTile(QAbstractButton):
    """One design."""

    def __init__(self, kind: DesignKind, theme: Theme) -> None:
        super().__init__()
        self._kind = kind
        self._theme = theme
        self._reason = ""
        self._drawing = design_picture(Design(kind, _USUAL[kind]))
        self.setObjectName(f"design-{kind.name.lower()}")
        self.setAccessibleName(shown(EXPLAINED[kind].title))
        self.setCheckable(True)
        speak_as(self, Role.RadioButton)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        theme.changed.connect(self.update)

    def show_levels(self, levels: tuple[int, ...]) -> None:
        design = Design(self._kind, levels or _USUAL[self._kind])
        if self._kind is DesignKind.FRACTION and len(levels) > 4:
            design = Design(self._kind, levels, fraction_p=len(levels) - 4 if len(levels) < 7 else 3)
        try:
            self._drawing = design_picture(design)
            self._reason = ""
        except ValueError as error:
            self._drawing = design_picture(Design(self._kind, _USUAL[self._kind]))
            self._reason = str(error)
        text = EXPLAINED[self._kind]
        self.setToolTip(
            plain_tip(
                tr("Not for this question: {reason}.", reason=self._reason)
                if self._reason
                else capitalized(text.use)
            )
        )
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(px(168), px(104))

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = self._theme.colour
        lit = self.isChecked()
        frame = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setBrush(colour("accent_soft" if self.isChecked() else "surface"))
        painter.setPen(QPen(colour("accent" if lit else "line"), 2 if lit else 1))
        painter.drawRoundedRect(frame, 5, 5)
        painter.save()
        painter.setOpacity(0.35 if self._reason else 1.0)
        painter.translate((self.width() - self._drawing.width * zoom()) / 2, px(28))
        painter.scale(zoom(), zoom())
        paint(painter, self._drawing, self._theme)
        painter.restore()
        font = QFont(FAMILY)
        font.setPixelSize(px(13))
        font.setBold(True)
        painter.setFont(font)
        painter.setPen(colour("muted" if self._reason else "ink"))
        painter.drawText(QRectF(10, 6, self.width() - 20, px(20)), shown(EXPLAINED[self._kind].title))
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour("accent"), 2))
            painter.drawRoundedRect(frame.adjusted(3, 3, -3, -3), 4, 4)
        painter.end()
