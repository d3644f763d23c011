"""A fault grade entered with one key."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from oddtwin.core.readings import GRADES
from oddtwin.ui.theme import FAMILY, Theme
from oddtwin.ui.widgets.unsaved import UNSAVED

_LINE = 38


class GradeField(QWidget):
    """Five steps from none to ruined; keys 0 to 4 grade, Backspace clears, Enter moves on.

    ``graded`` is emitted with the grade or None; ``entered`` when the focus should move on.
    """

    graded = Signal(object)
    entered = Signal()

    def __init__(self, name: str, theme: Theme) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._theme = theme
        self._grade: int | None = None
        theme.changed.connect(self.update)

    @property
    def grade(self) -> int | None:
        return self._grade

    def show_grade(self, grade: float | None) -> None:
        """Show the stored grade."""
        self._grade = None if grade is None else round(grade)
        word = "not graded" if self._grade is None else GRADES[self._grade]
        self.setAccessibleDescription(word)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(390, _LINE)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, _LINE)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.text() in {"0", "1", "2", "3", "4"}:
            if self._set(int(event.text())):
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
        self._set(min(4, max(0, int(event.position().x() / (self.width() / 5)))))

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        step = self.width() / 5
        for grade, word in enumerate(GRADES):
            box = QRectF(grade * step + 1, 1, step - 3, _LINE - 2)
            chosen = grade == self._grade
            painter.setPen(QPen(self._theme.colour("accent" if chosen or self.hasFocus() else "line"), 1.5))
            painter.setBrush(self._theme.colour("accent" if chosen else "surface"))
            painter.drawRoundedRect(box, 4, 4)
            font = QFont(FAMILY)
            font.setPixelSize(13)
            font.setBold(chosen)
            painter.setFont(font)
            painter.setPen(self._theme.colour("on_accent" if chosen else "ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{grade} {word}")
        painter.end()

    def give_up(self) -> None:
        """Leave the stored grade, which is shown, as it is."""
        UNSAVED.drop(self)

    def _set(self, grade: int | None) -> bool:
        """Grade, and tell whether it is kept; what cannot be stored is not shown as if it were."""
        if grade == self._grade:
            return True
        before = self._grade
        self.show_grade(grade)
        with UNSAVED.storing() as refused:
            self.graded.emit(grade)
        if refused:
            self.show_grade(before)
            UNSAVED.add(self, refused[-1])
        else:
            UNSAVED.drop(self)
        return not refused
