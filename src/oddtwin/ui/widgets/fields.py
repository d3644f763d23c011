"""Fields that are committed when left or on Enter, and say what is wrong beneath themselves."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Final

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLabel, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.core.quantities import (
    QuantityError,
    capitalized,
    format_reading,
)
from oddtwin.core.readings import ResponseKind, Typed, write_typed
from oddtwin.ui.widgets.parts import label, plain_tip
from oddtwin.ui.widgets.place import typed_quantity, typed_reading
from oddtwin.ui.widgets.reading_order import UNIT
from oddtwin.ui.widgets.sizing import fix
from oddtwin.ui.widgets.typing_keys import TypingKeys
from oddtwin.ui.widgets.unsaved import UNSAVED

if TYPE_CHECKING:
    from oddtwin.core.study import RunReading


class LineField(QWidget):
    """One line of text with its own place for an error.

    ``committed`` is emitted with the text when it changed and the field is left or
    Enter is pressed; ``entered`` after every Enter that is not refused, so that the focus
    can move on. What cannot be stored stays in the field, with the focus and the reason, and
    is tried again when it is committed again; Escape gives it up.
    """

    committed = Signal(str)
    entered = Signal()

    def __init__(self, name: str, placeholder: str = "", width: int = 0) -> None:
        super().__init__()
        self.edit = QLineEdit()
        self.edit.setObjectName(name)
        self.edit.setPlaceholderText(placeholder)
        if width:
            fix(self, width=width)
        # Made when there is something wrong: most fields never say anything, and a screen has a hundred.
        self._error: QLabel | None = None
        self._shown = ""
        self._refused: list[str] | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.edit)
        self._column = layout
        TypingKeys(self.edit, lambda: self.edit.text() != self._shown, self.give_up, self._on_left)
        self.edit.returnPressed.connect(self._on_return_pressed)

    def setFocus(self, reason: Qt.FocusReason = Qt.FocusReason.OtherFocusReason) -> None:
        """Put the keys into the line."""
        # A focus proxy would stand in the way of Tab a second time, wherever the field was made.
        self.edit.setFocus(reason)

    def text(self) -> str:
        return self.edit.text()

    def show_text(self, text: str) -> None:
        """Show the stored text, unless the user is in the middle of other typing."""
        # While it is being stored, what comes back is its own edit, perhaps with the figure rewritten.
        storing = self._refused is not None
        typing = self.edit.text() != self._shown and (self.edit.hasFocus() or self.wrong)
        if self._refused or (typing and not storing):
            return
        self._show(text)

    def clear(self) -> None:
        """Empty the field, whatever is being typed."""
        self._show("")

    def give_up(self) -> None:
        """Show what is stored, whatever was typed."""
        self._show(self._shown)

    def show_error(self, sentence: str) -> None:
        """Say what is wrong beneath the field; nothing takes it away."""
        if self._error is None:
            if not sentence:
                return
            self._error = label(role="error")
            self._column.addWidget(self._error)
        if sentence == self._error.text():
            return
        self._error.setText(sentence)
        self._error.setVisible(bool(sentence))
        self.edit.setProperty("wrong", bool(sentence))
        self.edit.style().unpolish(self.edit)
        self.edit.style().polish(self.edit)

    @property
    def wrong(self) -> bool:
        return self._error is not None and not self._error.isHidden()

    def _show(self, text: str) -> None:
        self._shown = text
        if self.edit.text() != text:
            self.edit.setText(text)
            self.edit.setCursorPosition(0)
        self.show_error("")
        UNSAVED.drop(self)

    def _on_left(self) -> None:
        if self.edit.text() != self._shown:
            self._commit(self.edit.text())

    def _commit(self, text: str) -> None:
        self.show_error("")
        with UNSAVED.storing() as self._refused:
            self.committed.emit(text)
        refused, self._refused = self._refused, None
        if refused:
            self.show_error(refused[-1])
            UNSAVED.add(self, refused[-1])
            # A moment later: where the focus is going was decided before the edit was refused.
            QTimer.singleShot(0, self.edit, self.edit.setFocus)
        elif not self.wrong:
            self._shown = self.edit.text()
            UNSAVED.drop(self)

    def _on_return_pressed(self) -> None:
        self._on_left()
        if not self.wrong:
            self.entered.emit()


class QuantityField(LineField):
    """A number with its unit, as typed; several numbers apart by a semicolon if allowed.

    ``quantity_committed`` is emitted with the list of values in the unit of the field;
    an empty list takes the reading out.
    """

    quantity_committed = Signal(list)

    def __init__(
        self, name: str, unit: str, placeholder: str = "", width: int = 0, many: bool = False
    ) -> None:
        super().__init__(name, placeholder, width)
        self.set_unit(unit)
        self._many = many
        self.committed.connect(self._on_text_committed)

    def set_unit(self, unit: str) -> None:
        self._unit = unit
        self.edit.setProperty(UNIT, unit)

    def show_values(self, values: list[float]) -> None:
        """Show stored values in the field's unit."""
        self.show_text("; ".join(format_reading(value) for value in values))

    def value(self, usual: float) -> float:
        """Return what was typed, or ``usual`` where the field is empty.

        Raises
        ------
        ValueError
            What was typed cannot be read; the field says why.
        """
        text = self.edit.text().strip()
        return typed_quantity(text, self._unit) if text else usual

    def _on_text_committed(self, text: str) -> None:
        parts = (
            [part for part in text.split(";") if part.strip()] if self._many else [text][: bool(text.strip())]
        )
        try:
            values = [typed_quantity(part, self._unit) for part in parts]
        except QuantityError as error:
            self.show_error(f"{capitalized(str(error))}.")
            return
        self.quantity_committed.emit(values)


class NothingToTakeError(Exception):
    """What a field could suggest is there and cannot be taken now; one sentence."""


class ReadingField(LineField):
    """Readings of one kind as typed, several retakes apart by a semicolon.

    ``readings_committed`` is emitted with a list of ``Typed``; an empty one takes the reading
    out. Of a yes or no the key y or n says it all. Enter in an empty field takes what
    ``suggestion`` returns; where it raises ``NothingToTakeError`` the field says why. What
    ``doubt`` has a sentence for is asked about once.
    """

    readings_committed = Signal(list)

    def __init__(self, name: str, kind: ResponseKind, unit: str, words: Sequence[str] = ()) -> None:
        super().__init__(name, _ASKED.get(kind, ""))
        self._kind = kind
        self._unit = unit
        self._words = tuple(words)
        self.suggestion: Callable[[], str | None] = lambda: None
        self.doubt: Callable[[list[Typed]], str] = lambda _: ""
        self._doubted = ""
        self.committed.connect(self._on_text_committed)
        if kind is ResponseKind.YES_NO:
            self.edit.textEdited.connect(self._on_key_typed)

    def show_readings(self, readings: Sequence[RunReading]) -> None:
        """Show stored readings in the field's unit."""
        if self._kind is ResponseKind.YES_NO:
            self.show_text("; ".join(_held(item) for item in readings))
        else:
            self.show_text("; ".join(write_typed(item) for item in readings))

    def _on_text_committed(self, text: str) -> None:
        try:
            read = [
                typed_reading(part, self._kind, self._unit, self._words)
                for part in text.split(";")
                if part.strip()
            ]
        except QuantityError as error:
            self.show_error(f"{capitalized(str(error))}.")
            return
        doubt = self.doubt(read)
        if doubt and text != self._doubted:
            # Asked about once: whoever types it again, or says Enter again, means it.
            self._doubted = text
            UNSAVED.refuse(tr("{doubt} Enter once more keeps it.", doubt=doubt))
            return
        self._doubted = ""
        self.readings_committed.emit(read)

    def _on_key_typed(self, text: str) -> None:
        answers = {"y": tr("yes"), tr("y"): tr("yes"), "n": tr("no"), tr("n"): tr("no")}
        if text.casefold() in answers:
            self.edit.setText(answers[text.casefold()])
            self._on_return_pressed()

    def _on_return_pressed(self) -> None:
        if not self.edit.text().strip():
            # Tried anew: what could not be taken a moment ago may stand still by now.
            self.show_error("")
            try:
                suggested = self.suggestion()
            except NothingToTakeError as error:
                # Going on would look as if it had been taken.
                self.show_error(str(error))
                return
            if suggested is not None:
                self.edit.setText(suggested)
        super()._on_return_pressed()


_ASKED: Final = {
    ResponseKind.YES_NO: tr("y or n, or 5 of 7"),
    ResponseKind.COUNT: tr("how many"),
    ResponseKind.WORD: tr("a word"),
}
"""What stands in an empty field."""


def _held(reading: RunReading) -> str:
    return write_typed(reading) if reading.out_of > 1 else (tr("yes") if reading.value else tr("no"))


class TextField(QPlainTextEdit):
    """A few lines of text, committed when left or with Ctrl+Enter; Tab moves on."""

    committed = Signal(str)

    def __init__(self, name: str, placeholder: str, lines: int = 2) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setPlaceholderText(placeholder)
        self.setTabChangesFocus(True)
        TypingKeys(self, lambda: self.toPlainText() != self._shown, self.give_up)
        self.setFixedHeight(lines * self.fontMetrics().lineSpacing() + 24)
        self._shown = ""
        self._refused: list[str] | None = None

    def show_text(self, text: str) -> None:
        """Show the stored text, unless the user is in the middle of other typing."""
        typing = self.toPlainText() != self._shown and (self.hasFocus() or self in UNSAVED)
        if self._refused or (typing and self._refused is None):
            return
        self._show(text)

    def give_up(self) -> None:
        """Show what is stored, whatever was typed."""
        self._show(self._shown)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._commit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if control and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._commit()
        else:
            super().keyPressEvent(event)

    def _commit(self) -> None:
        text = self.toPlainText()
        if text == self._shown:
            return
        with UNSAVED.storing() as self._refused:
            self.committed.emit(text)
        refused, self._refused = self._refused, None
        if refused:
            self._mark(refused[-1])
            UNSAVED.add(self, refused[-1])
            QTimer.singleShot(0, self, self.setFocus)
        else:
            self._show(self.toPlainText())

    def _show(self, text: str) -> None:
        self._shown = text
        if self.toPlainText() != text:
            self.setPlainText(text)
        self._mark("")
        UNSAVED.drop(self)

    def _mark(self, sentence: str) -> None:
        self.setToolTip(plain_tip(sentence))
        self.setAccessibleDescription(sentence)
        self.setProperty("wrong", bool(sentence))
        self.style().unpolish(self)
        self.style().polish(self)
