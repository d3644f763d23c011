"""The stopwatch beside the readings: one key starts and stops it, Enter in an empty time field takes it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from oddtwin.core.language import tr
from oddtwin.core.quantities import convert, format_clock
from oddtwin.core.study import Response, Role
from oddtwin.ui.instruments import instruments_of
from oddtwin.ui.widgets import button, row
from oddtwin.ui.workbench import Workbench

KEY = "F8"
TICK_MS = 200


class StopwatchButton(QWidget):
    """Shown where a study times something besides the print, such as cleaning it."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._watch = instruments_of(workbench).stopwatch
        self._go = button(
            "",
            self._on_clicked,
            shortcut=KEY,
            name="stopwatch",
            tip=tr("Start and stop; Enter in an empty field of a time takes what it stands at"),
        )
        line = row(self._go)
        line.setContentsMargins(0, 0, 0, 0)
        self.setLayout(line)
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self.show_now)
        self.show_now()

    def refresh(self, responses: Sequence[Response]) -> None:
        """Show it where it is of use."""
        self.setVisible(any(one.role is not Role.TIME and _timed(one.unit) for one in responses))
        self.show_now()

    def show_now(self) -> None:
        """Show what it stands at; where it was taken it stands at nothing again."""
        sign = "■" if self._watch.runs else "▶"
        text = f"{sign}  {format_clock(self._watch.seconds)}"
        if self._go.text() != text:
            self._go.setText(text)
            self._go.setAccessibleName(
                tr("Stopwatch, {part}", part=tr("running") if self._watch.runs else tr("standing"))
            )
        if not self._watch.runs:
            self._timer.stop()

    def _on_clicked(self) -> None:
        self._watch.press()
        if self._watch.runs:
            self._timer.start()
        self.show_now()


def _timed(unit: str) -> bool:
    try:
        convert(1.0, unit, "s")
    except ValueError:
        return False
    return True
