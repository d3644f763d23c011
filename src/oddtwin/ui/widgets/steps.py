"""A fault grade, or a word from a list, entered with one key."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QRadioButton, QSizePolicy, QWidget

from oddtwin.core.language import shown, tr
from oddtwin.core.readings import GRADES
from oddtwin.ui.theme import FAMILY, Theme, px
from oddtwin.ui.widgets.drawing import paint_focus
from oddtwin.ui.widgets.reading_order import PAINTED
from oddtwin.ui.widgets.roles import Role, speak_as
from oddtwin.ui.widgets.unsaved import UNSAVED

_LINE = 44
_RING = 3
"""Pixels around the steps, for the ring where the keys are."""


class StepField(QWidget):
    """A row of steps to choose from; the number before a word chooses it, Backspace clears, Enter moves on.

    ``chosen`` is emitted with the number of the step, or None; ``entered`` when the focus should
    move on. Faults are graded from 0 to 4; other words count from 1.
    """

    chosen = Signal(object)
    entered = Signal()

    def __init__(self, name: str, theme: Theme, words: Sequence[str] = GRADES, first: int = 0) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setProperty(PAINTED, True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._theme = theme
        self._words = tuple(words)
        self._first = first
        self._step: int | None = None
        speak_as(self, Role.Grouping)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(_RING, _RING, _RING, _RING)
        layout.setSpacing(2)
        self._steps = [_Step(shown(word), first + place, theme) for place, word in enumerate(words)]
        for step in self._steps:
            step.clicked.connect(lambda _=False, number=step.number: self._set(number))
            layout.addWidget(step)
        theme.changed.connect(self.update)

    @property
    def step(self) -> int | None:
        return self._step

    def show_step(self, step: float | None) -> None:
        """Show the stored step."""
        self._step = None if step is None else round(step)
        none = tr("not graded") if self._words == GRADES else tr("nothing chosen")
        word = none if self._step is None else self._words[self._step - self._first]
        self.setAccessibleDescription(shown(word))
        for each in self._steps:
            each.setChecked(each.number == self._step)

    def sizeHint(self) -> QSize:
        return QSize(px(78) * len(self._words), px(_LINE))

    def minimumSizeHint(self) -> QSize:
        return QSize(px(60) * len(self._words), px(_LINE))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.text()
        if key in {str(self._first + place) for place in range(len(self._words))}:
            if self._set(int(key)):
                self.entered.emit()
        elif event.key() == Qt.Key.Key_Escape and self in UNSAVED:
            self.give_up()
        elif event.key() in (Qt.Key.Key_Backspace, Qt.Key.Key_Delete):
            self._set(None)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        last = len(self._words) - 1
        place = min(last, max(0, int(event.position().x() / (self.width() / len(self._words)))))
        self._set(self._first + place)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        paint_focus(painter, self, self._theme)
        painter.end()

    def give_up(self) -> None:
        """Leave the stored grade, which is shown, as it is."""
        UNSAVED.drop(self)

    def _set(self, step: int | None) -> bool:
        """Choose, and tell whether it is kept; what cannot be stored is not shown as if it were."""
        if step == self._step:
            self.show_step(step)
            return True
        before = self._step
        self.show_step(step)
        with UNSAVED.storing() as refused:
            self.chosen.emit(step)
        if refused:
            # What was refused must not look as if it were kept.
            self.show_step(before)
            UNSAVED.add(self, refused[-1])
        else:
            UNSAVED.drop(self)
        return not refused


class _Step(QRadioButton):
    """One step, to a screen reader a choice of its own; keys and mouse are taken by the row."""

    def __init__(self, word: str, number: int, theme: Theme) -> None:
        super().__init__(f"{number} {word}".replace("&", "&&"))
        self.number = number
        self._word = f"{number} {word}"
        self._theme = theme
        self.setAccessibleName(self._word)
        speak_as(self, Role.RadioButton)
        # The row says which is chosen: it may be none.
        self.setAutoExclusive(False)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Expanding)

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.isChecked()
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setPen(QPen(self._theme.colour("accent" if chosen else "edge"), 1.5))
        painter.setBrush(self._theme.colour("accent" if chosen else "surface"))
        painter.drawRoundedRect(box, 4, 4)
        font = QFont(FAMILY)
        font.setPixelSize(px(13))
        font.setBold(chosen)
        painter.setFont(font)
        painter.setPen(self._theme.colour("on_accent" if chosen else "ink"))
        elided = painter.fontMetrics().elidedText(self._word, Qt.TextElideMode.ElideRight, self.width() - 10)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, elided)
        painter.end()
