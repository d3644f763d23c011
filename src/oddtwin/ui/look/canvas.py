"""Two photographs that lie on one another: flicked in place, side by side, wiped, subtracted."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum
from typing import Final, NamedTuple

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.arrays import Floats
from oddtwin.core.language import mark, tr
from oddtwin.core.photo import NEUTRAL, Aid, Picture, Shown, aided, difference
from oddtwin.ui.look.painting import paint_box, paint_name, paint_places, paint_ring
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import at_least, paint_focus
from oddtwin.ui.widgets.roles import Role, speak_as
from oddtwin.ui.widgets.sheet import picture_image

ZOOM: Final = 1.25
STEP_PX: Final = 60
WIPE: Final = 0.05
ARROWS: Final = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class Way(StrEnum):
    """How two photographs are shown."""

    FLICK = mark("Flick")
    SIDE = mark("Side by side")
    WIPE = mark("Wipe")
    DIFFERENCE = mark("Difference")


class Dot(NamedTuple):
    """A mark on the canvas: shares of width and height, its text, and whether it lies on the second."""

    x: float
    y: float
    text: str
    second: bool = False


class PhotoCanvas(QWidget):
    """Shows one photograph, or two that lie on one another.

    Space shows the second while it is held. Plus, minus and 0 zoom, Shift and the arrows move; the wheel
    zooms at the pointer, dragging moves, a double click shows the whole. ``pointed`` is emitted with
    (x, y, second) as shares of the photograph when a place is clicked; ``boxed`` with a rectangle in its
    pixels when one is drawn; ``stepped`` with (views, pairs) for the arrows.
    """

    pointed = Signal(float, float, bool)
    boxed = Signal(QRect)
    stepped = Signal(int, int)
    flicked = Signal(bool)

    def __init__(self, theme: Theme, name: str) -> None:
        super().__init__()
        speak_as(self, Role.Canvas)
        self.setObjectName(name)
        self.setAccessibleName(tr("Photographs"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        at_least(self, height=280)
        self.setMouseTracking(True)
        self._theme = theme
        self._pair: tuple[Shown, Shown] | None = None
        self._names = ("", "")
        self._dots: tuple[Dot, ...] = ()
        self._boxes: tuple[QRect, ...] = ()
        self._places: tuple[Floats, ...] = ()
        self._way, self._aid = Way.FLICK, Aid.NONE
        self._lone = self._marked = False
        self._second = False
        self._wipe = 0.5
        self._scale: float | None = None
        self._corner = QPointF(0, 0)
        self._pressed: QPointF | None = None
        self._moved = False
        self._drawn: QRectF | None = None
        self.boxing = False
        self._images: dict[tuple[object, ...], QImage] = {}
        theme.changed.connect(self.update)

    # ------------------------------------------------------------ what is shown

    def sizeHint(self) -> QSize:
        return QSize(900, 430)

    def show_pair(
        self,
        first: Shown | None,
        second: Shown | None = None,
        names: tuple[str, str] = ("", ""),
        marked: bool = False,
    ) -> None:
        """Show one photograph or two; the part that is looked at stays where their size does.

        ``marked`` puts the ring of the baseline and the disc of the change beside their names: never where
        the arms are not to be told.
        """
        self._marked = marked
        size = self._pair[0].size if self._pair else None
        self._pair = None if first is None else (first, second or first)
        self._lone = second is None
        self._names = names
        self._second = False
        # Kept where the size is the same: one looks at the same corner of print after print.
        if first is None or first.size != size:
            self._scale = None
        self._forget()

    def show_dots(self, dots: tuple[Dot, ...]) -> None:
        """Show marks."""
        self._dots = dots
        self.update()

    def show_boxes(self, boxes: tuple[QRect, ...]) -> None:
        """Show rectangles, in pixels of the photograph."""
        self._boxes = boxes
        self.update()

    def show_places(self, places: Sequence[Floats] | None) -> None:
        """Show many small places as shares of the photograph: one array for the first, one for the second."""
        self._places = tuple(places or ())
        self.update()

    def set_way(self, way: Way) -> None:
        """Choose how two are shown."""
        self._way = way
        self._forget()

    def set_aid(self, aid: Aid) -> None:
        """Choose what helps to see; both are given the same."""
        self._aid = aid
        self._forget()

    def show_second(self, second: bool) -> None:
        """Flick to the second photograph, or back."""
        if second != self._second and self._pair is not None and not self._lone:
            self._second = second
            self.setAccessibleDescription(self._names[second])
            self.flicked.emit(second)
            self.update()

    def show_whole(self) -> None:
        """Fit the whole photograph into the window."""
        self._scale = None
        self._forget()

    def _forget(self) -> None:
        # Drawn anew when it is painted next, once a way and once a size.
        self._images.clear()
        self.update()

    # ------------------------------------------------------------ geometry

    @property
    def _panes(self) -> tuple[QRect, ...]:
        whole = self.rect()
        if self._way is not Way.SIDE or self._lone:
            return (whole,)
        half = (whole.width() - 6) // 2
        return (
            QRect(0, 0, half, whole.height()),
            QRect(whole.width() - half, 0, half, whole.height()),
        )

    def _look(self) -> tuple[float, QPointF]:
        """Scale and upper left corner, in pixels of the photograph."""
        pane = self._panes[0]
        if self._pair is None:
            return 1.0, QPointF(0, 0)
        wide, high = self._pair[0].size
        if self._scale is None:
            scale = min(pane.width() / wide, pane.height() / high)
            return scale, QPointF(-(pane.width() / scale - wide) / 2, -(pane.height() / scale - high) / 2)
        return self._scale, self._corner

    def _place(self, at: QPointF) -> tuple[QPointF, bool]:
        """Pixel of the photograph below a point of the window, and whether it is the second's pane."""
        scale, corner = self._look()
        panes = self._panes
        second = len(panes) > 1 and at.x() >= panes[1].left()
        pane = panes[1] if second else panes[0]
        return corner + (at - QPointF(pane.topLeft())) / scale, second or self._second

    def place_on_screen(self, x: float, y: float) -> QPointF:
        """Point of the window where a place lies that is told in shares of the photograph."""
        if self._pair is None:
            return QPointF(0, 0)
        scale, corner = self._look()
        wide, high = self._pair[0].size
        return (QPointF(x * wide, y * high) - corner) * scale

    def _zoom(self, factor: float, at: QPointF) -> None:
        if self._pair is None:
            return
        scale, corner = self._look()
        panes = self._panes
        pane = panes[-1] if at.x() >= panes[-1].left() else panes[0]
        inside = at - QPointF(pane.topLeft())
        fit = min(pane.width() / self._pair[0].size[0], pane.height() / self._pair[0].size[1])
        # The place under the pointer stays under the pointer.
        new = min(16.0, max(fit / 2, scale * factor))
        self._corner = corner + inside / scale - inside / new
        self._scale = new
        self._forget()

    def _move(self, by: QPointF) -> None:
        scale, corner = self._look()
        self._scale, self._corner = scale, corner - by / scale
        self._forget()

    # ------------------------------------------------------------ painting

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(NEUTRAL, NEUTRAL, NEUTRAL))
        if self._pair is not None:
            for number, pane in enumerate(self._panes):
                self._paint_pane(painter, pane, number)
            self._paint_marks(painter)
        paint_focus(painter, self, self._theme)
        painter.end()

    def _paint_pane(self, painter: QPainter, pane: QRect, number: int) -> None:
        if self._way is Way.SIDE and not self._lone:
            painter.drawImage(pane.topLeft(), self._image(number, pane))
            paint_name(painter, pane, self._names[number], self._mark(number))
            return
        if self._lone or self._way is Way.FLICK:
            painter.drawImage(pane.topLeft(), self._image(int(self._second), pane))
            paint_name(painter, pane, self._names[self._second], self._mark(int(self._second)))
        elif self._way is Way.WIPE:
            at = round(self._wipe * pane.width())
            painter.drawImage(pane.topLeft(), self._image(0, pane))
            painter.setClipRect(QRect(at, 0, pane.width() - at, pane.height()))
            painter.drawImage(pane.topLeft(), self._image(1, pane))
            painter.setClipping(False)
            painter.setPen(QPen(self._theme.colour("change"), 2))
            painter.drawLine(at, 0, at, pane.height())
            paint_name(painter, pane, f"{self._names[0]}  |  {self._names[1]}", self._mark(0))
        else:
            painter.drawImage(pane.topLeft(), self._image(2, pane))
            paint_name(
                painter,
                pane,
                tr("{names} minus {names2}", names=self._names[1], names2=self._names[0]),
                self._mark(0),
            )

    def _mark(self, number: int) -> bool | None:
        return bool(number) if self._marked else None

    def _image(self, which: int, pane: QRect) -> QImage:
        """What a pane shows of the first (0), the second (1), or their difference (2)."""
        key = (which, pane.width(), pane.height())
        if key not in self._images:
            image = picture_image(self._pixels(which, pane))
            image.setDevicePixelRatio(self.devicePixelRatioF())
            self._images[key] = image
        return self._images[key]

    def _pixels(self, which: int, pane: QRect) -> Picture:
        assert self._pair is not None
        scale, corner = self._look()
        ratio = self.devicePixelRatioF()
        size = (round(pane.width() * ratio), round(pane.height() * ratio))

        def cut(number: int) -> Picture:
            shown: tuple[Shown, Shown] = self._pair  # type: ignore[assignment]
            return aided(shown[number].cut(corner.x(), corner.y(), scale * ratio, *size), self._aid)

        return difference(cut(0), cut(1)) if which == 2 else cut(which)

    def _paint_marks(self, painter: QPainter) -> None:
        side = len(self._panes) > 1
        for number, places in enumerate(self._places):
            if side or number == self._second:
                right = self._panes[1].left() if side and number else 0
                paint_places(painter, [self.place_on_screen(x, y) + QPointF(right, 0) for x, y in places])
        for dot in self._dots:
            if not side and dot.second != self._second and not self._lone:
                continue
            at = self.place_on_screen(dot.x, dot.y)
            if side and dot.second:
                at += QPointF(self._panes[1].left(), 0)
            paint_ring(painter, at, dot.text)
        scale, corner = self._look()
        boxes = [QRectF(box) for box in self._boxes]
        for box in boxes + ([self._drawn] if self._drawn is not None else []):
            paint_box(painter, QRectF((box.topLeft() - corner) * scale, box.size() * scale))

    # ------------------------------------------------------------ keys and mouse

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key == Qt.Key.Key_Space:
            if not event.isAutoRepeat():
                self.show_second(True)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._zoom(ZOOM, QPointF(self._panes[0].center()))
        elif key == Qt.Key.Key_Minus:
            self._zoom(1 / ZOOM, QPointF(self._panes[0].center()))
        elif key == Qt.Key.Key_0:
            self.show_whole()
        elif key in ARROWS and shift:
            right, down = ARROWS[Qt.Key(key)]
            self._move(QPointF(-right * STEP_PX, -down * STEP_PX))
        elif key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight):
            self._wipe_to(self._wipe + (WIPE if key == Qt.Key.Key_BracketRight else -WIPE))
        elif key in ARROWS:
            self.stepped.emit(*ARROWS[Qt.Key(key)])
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space:
            if not event.isAutoRepeat():
                self.show_second(False)
        else:
            super().keyReleaseEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._pressed, self._moved = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._way is Way.WIPE and self._pressed is None:
            self._wipe_to(event.position().x() / max(1, self.width()))
        if self._pressed is None:
            return
        by = event.position() - self._pressed
        if not self._moved and by.manhattanLength() < 4:
            return
        self._moved = True
        if self.boxing:
            first, second = self._place(self._pressed)[0], self._place(event.position())[0]
            self._drawn = QRectF(first, second).normalized()
            self.update()
        else:
            self._pressed = event.position()
            self._move(by)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, self._pressed = self._pressed, None
        if self._pair is None or pressed is None:
            return
        if self._drawn is not None:
            box = self._drawn.toAlignedRect().intersected(QRect(0, 0, *self._pair[0].size))
            self._drawn = None
            self.update()
            self.boxed.emit(box)
        elif not self._moved:
            place, second = self._place(event.position())
            x, y = place.x() / self._pair[0].size[0], place.y() / self._pair[0].size[1]
            if 0 <= x <= 1 and 0 <= y <= 1:
                self.pointed.emit(x, y, second)

    def mouseDoubleClickEvent(self, _: QMouseEvent) -> None:
        self.show_whole()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._zoom(ZOOM if event.angleDelta().y() > 0 else 1 / ZOOM, event.position())
        event.accept()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._forget()

    def _wipe_to(self, share: float) -> None:
        self._wipe = min(1.0, max(0.0, share))
        self.update()
