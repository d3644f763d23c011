"""The stages of a study as stops on a line: a ring to come, ring and disc when done."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QKeySequence, QPainter, QPaintEvent, QPen, QShortcut
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QHBoxLayout, QSizePolicy, QWidget

from oddtwin.core.language import shown, tr
from oddtwin.core.standing import Stage
from oddtwin.ui.theme import FAMILY, Theme, px, zoom
from oddtwin.ui.widgets.roles import Role, speak_as

if TYPE_CHECKING:
    from oddtwin.core.standing import Standing

_HEIGHT = 58
_SIDE = 8.0


class StageButton(QAbstractButton):
    """One stop; checked when its screen is shown."""

    def __init__(self, stage: Stage, number: int, last: int, theme: Theme) -> None:
        super().__init__()
        self.setText(shown(stage))
        self.setObjectName(f"stage-{stage.name.lower()}")
        self.setCheckable(True)
        speak_as(self, Role.PageTab)
        # A shortcut of the button's own would click only after its animation.
        QShortcut(QKeySequence(f"Alt+{number}"), self, self.click)
        self.setToolTip(tr("{stage} (Alt+{number})", stage=stage, number=number))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._first, self._last = number == 1, number == last
        self._theme = theme
        self._done = self._next = False

    def show_state(self, done: bool, is_next: bool) -> None:
        self._done, self._next = done, is_next
        state = tr("done") if done else tr("next") if is_next else tr("to come")
        self.setAccessibleDescription(state)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(px(132), px(_HEIGHT))

    def minimumSizeHint(self) -> QSize:
        return QSize(px(84), px(_HEIGHT))

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(zoom(), zoom())
        wide = self.width() / zoom()
        middle, level = wide / 2, 20.0
        painter.setPen(QPen(self._theme.colour("line"), 2))
        painter.drawLine(
            QPointF(middle if self._first else 0, level),
            QPointF(middle if self._last else wide, level),
        )
        if self.hasFocus() or self.isChecked():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._theme.colour("accent_soft"))
            painter.drawRoundedRect(QRectF(6, 4, wide - 12, _HEIGHT - 8), 6, 6)
        self._paint_stop(painter, QPointF(middle, level))
        font = QFont(FAMILY)
        font.setPixelSize(13)
        font.setBold(self.isChecked())
        painter.setFont(font)
        painter.setPen(self._theme.colour("ink" if self.isChecked() or self._next else "muted"))
        box = QRectF(0, 31, wide, 20)
        shown = painter.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, round(wide) - 14)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shown)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(self._theme.colour("accent"), 2))
            painter.drawRoundedRect(QRectF(7, 5, wide - 14, _HEIGHT - 10), 6, 6)
        painter.end()

    def _paint_stop(self, painter: QPainter, centre: QPointF) -> None:
        # Squares: rings and discs are what was found, and a stage that is done has found nothing yet.
        box = QRectF(centre.x() - _SIDE, centre.y() - _SIDE, 2 * _SIDE, 2 * _SIDE)
        edge = self._theme.colour("accent" if self._next or self._done else "muted")
        painter.setPen(QPen(edge, 3 if self._next else 2))
        painter.setBrush(self._theme.colour("accent" if self._done else "surface"))
        painter.drawRoundedRect(box, 3, 3)
        if self._done:
            painter.setPen(QPen(self._theme.colour("on_accent"), 2.2))
            painter.drawPolyline(
                [centre + QPointF(-4, 0), centre + QPointF(-1, 3.4), centre + QPointF(4.4, -3.6)]
            )


class Track(QWidget):
    """All stops; ``chosen`` is emitted with the stage whose screen is wanted."""

    chosen = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        speak_as(self, Role.PageTabList)
        self.setAccessibleName(tr("Stages"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self._group = QButtonGroup(self)
        self._buttons: dict[Stage, StageButton] = {}
        for number, stage in enumerate(Stage, 1):
            stop = StageButton(stage, number, len(Stage), theme)
            stop.clicked.connect(lambda _=False, stage=stage: self.chosen.emit(stage))
            self._group.addButton(stop)
            self._buttons[stage] = stop
            layout.addWidget(stop)
            theme.changed.connect(stop.update)

    def show_standing(self, standing: Standing) -> None:
        """Show what is done and what is next."""
        for stage, stop in self._buttons.items():
            stop.show_state(stage in standing.done, stage is standing.stage)

    def show_stage(self, stage: Stage) -> None:
        """Show which screen is open."""
        self._buttons[stage].setChecked(True)
