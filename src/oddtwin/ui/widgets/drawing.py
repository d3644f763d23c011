"""Painting a drawing of plain shapes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.language import shown
from oddtwin.core.picture import Circle, Drawing, Line, Rect, Text, word_picture
from oddtwin.ui.theme import FAMILY, Theme, px, zoom
from oddtwin.ui.widgets.roles import Role, speak_as


class Colours(Protocol):
    """Where the colours of a drawing come from: the theme, or what suits paper."""

    def colour(self, role: str) -> QColor:
        """Return the colour of a role."""


def paint(painter: QPainter, drawing: Drawing, theme: Colours) -> None:
    """Paint a drawing at the painter's origin in the colours in force."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for shape in drawing.shapes:
        colour = theme.colour(shape.role)
        if isinstance(shape, Text):
            _paint_text(painter, shape, colour)
            continue
        colour.setAlphaF(shape.opacity)
        if isinstance(shape, Rect):
            painter.fillRect(QRectF(shape.x, shape.y, shape.width, shape.height), colour)
        elif isinstance(shape, Line):
            painter.setPen(_pen(colour, shape.width, shape.dashed))
            painter.drawLine(QPointF(shape.x1, shape.y1), QPointF(shape.x2, shape.y2))
        else:
            _paint_circle(painter, shape, colour)


def _paint_text(painter: QPainter, shape: Text, colour: QColor) -> None:
    font = QFont(FAMILY)
    font.setPixelSize(max(1, round(shape.size)))
    font.setBold(shape.bold)
    painter.setFont(font)
    painter.setPen(colour)
    text = shown(shape.text)
    share = {"start": 0.0, "middle": 0.5, "end": 1.0}[shape.anchor]
    shift = QFontMetricsF(font).horizontalAdvance(text) * share
    painter.drawText(QPointF(shape.x - shift, shape.y), text)


def _paint_circle(painter: QPainter, shape: Circle, colour: QColor) -> None:
    if shape.width:
        painter.setPen(_pen(colour, shape.width, shape.dashed))
        painter.setBrush(Qt.BrushStyle.NoBrush)
    else:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
    painter.drawEllipse(QPointF(shape.x, shape.y), shape.radius, shape.radius)


def _pen(colour: QColor, width: float, dashed: bool) -> QPen:
    pen = QPen(colour, width)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    if dashed:
        pen.setDashPattern([3 / width, 3 / width])
    return pen


def paint_focus(painter: QPainter, widget: QWidget, theme: Theme) -> None:
    """Paint the ring of a widget that paints itself, where it has the keys."""
    if widget.hasFocus():
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("accent"), 2))
        painter.drawRect(widget.rect().adjusted(1, 1, -1, -1))


def explained(theme: Theme, word: str) -> DrawingView:
    """Make the small picture of a word, for the place where it first stands; its tip says it in words."""
    drawing = word_picture(word)
    view = DrawingView(theme, lambda _: drawing, QSize(round(drawing.width), round(drawing.height)))
    view.setToolTip(shown(drawing.description))
    view.setObjectName(f"word-{word}")
    return view


class DrawingView(QWidget):
    """Shows a drawing; one that depends on the width is drawn anew for each width.

    One that ``flows`` is as high as its lines at that width.
    """

    def __init__(
        self,
        theme: Theme,
        draw: Callable[[float], Drawing],
        fixed: QSize | None = None,
        flows: bool = False,
    ) -> None:
        super().__init__()
        speak_as(self, Role.Graphic)
        self._theme = theme
        self._draw = draw
        self._fixed = fixed
        policy = QSizePolicy.Policy.Fixed if fixed else QSizePolicy.Policy.Expanding
        sized = QSizePolicy(policy, QSizePolicy.Policy.Fixed)
        sized.setHeightForWidth(flows)
        self.setSizePolicy(sized)
        self.setAccessibleName(shown(draw(600.0).description))
        theme.changed.connect(self.update)

    def show_anew(self) -> None:
        """Draw again what has changed behind the drawing."""
        self.setAccessibleName(self._draw(600.0).description)
        # What is drawn may be higher than what was.
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        size = self._fixed or QSize(600, round(self._draw(600.0).height))
        return QSize(px(size.width()), px(size.height()))

    def hasHeightForWidth(self) -> bool:
        return self.sizePolicy().hasHeightForWidth()

    def heightForWidth(self, width: int) -> int:
        return px(self._draw(width / zoom()).height)

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.scale(zoom(), zoom())
        paint(painter, self._draw(self.width() / zoom()), self._theme)
        painter.end()
