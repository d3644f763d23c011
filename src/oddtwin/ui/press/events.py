"""What happens while a plate prints: one key each, and a line for each that was noted."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import shown, tr
from oddtwin.core.quantities import capitalized
from oddtwin.core.study import EventKind, Run, RunState
from oddtwin.ui.widgets import QuantityField, button, clear, label, plain_tip
from oddtwin.ui.workbench import Workbench

_IN_A_ROW = 4
_KEYS = {Qt.Key.Key_1 + number: kind for number, kind in enumerate(EventKind)}


class EventsRow(QWidget):
    """A key for each kind of event while the run prints; beneath, what was noted, with its height.

    ``height_of`` tells at which height a run prints now, in mm, where a printer is listened to.
    """

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self.height_of: Callable[[int], float | None] = lambda _: None
        self._workbench = workbench
        self._run: Run | None = None
        self._listed: tuple[object, ...] = ()
        self._heights: list[QuantityField] = []
        self._keys = QWidget()
        keys = QGridLayout(self._keys)
        keys.setContentsMargins(0, 0, 0, 0)
        for number, kind in enumerate(EventKind, 1):
            key = button(
                f"{number} {shown(kind)}",
                partial(self._on_happened, kind),
                name=f"event-{kind.value}",
                tip=tr(
                    "Note that now, with the time: {kind}. The key {number} does it.",
                    kind=kind.value,
                    number=number,
                ),
            )
            # The keys stay where the next stamp is.
            key.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            keys.addWidget(key, (number - 1) // _IN_A_ROW, (number - 1) % _IN_A_ROW)
        keys.setColumnStretch(_IN_A_ROW, 1)
        self._lines = QGridLayout()
        self._lines.setHorizontalSpacing(12)
        self._lines.setColumnStretch(5, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._keys)
        layout.addLayout(self._lines)

    def show_run(self, run: Run) -> None:
        """Show what was noted of a run's plate, and the keys while it prints."""
        events = run.plate.events
        listed = (run.id, *((event.kind, event.at) for event in events))
        if listed != self._listed:
            self._build(run)
            self._listed = listed
        self._run = run
        for field, event in zip(self._heights, events, strict=True):
            field.show_values([] if event.z_mm is None else [event.z_mm])
        self._keys.setVisible(run.state is RunState.PRINTING)
        self.setVisible(self._keys.isVisibleTo(self) or bool(events))

    def take_key(self, event: QKeyEvent) -> bool:
        """Note what a key stands for; return whether it stands for something now."""
        kind = _KEYS.get(event.key())
        plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
        if kind is None or not plain or event.isAutoRepeat() or not self._keys.isVisibleTo(self):
            return False
        self._on_happened(kind)
        return True

    def _build(self, run: Run) -> None:
        clear(self._lines)
        self._heights = []
        for line, event in enumerate(run.plate.events):
            what = capitalized(event.kind)
            height = QuantityField(f"height-{line}", "mm", tr("height"), 110)
            height.edit.setAccessibleName(tr("Height in mm: {what}", what=what))
            height.quantity_committed.connect(partial(self._on_height, line))
            taken = button(tr("Take back"), partial(self._on_taken_back, line), name=f"takeBack-{line}")
            moment = label(f"{event.at:%H:%M}", "quiet", wrap=False)
            moment.setToolTip(plain_tip(f"{event.at:%Y-%m-%d %H:%M:%S}"))
            unit = label("mm", "quiet", wrap=False)
            # The first layer says by its name how high it is.
            height.setVisible(event.kind.disturbs)
            unit.setVisible(event.kind.disturbs)
            for column, part in enumerate((moment, label(what, wrap=False), height, unit, taken)):
                self._lines.addWidget(part, line, column)
            self._heights.append(height)

    def _on_happened(self, kind: EventKind) -> None:
        if self._run is not None:
            z_mm = self.height_of(self._run.id) if kind.disturbs else None
            self._workbench.do(
                operations.note_event, run_id=self._run.id, code=self._run.code, kind=kind, z_mm=z_mm
            )

    def _on_height(self, number: int, values: list[float]) -> None:
        if self._run is not None:
            self._workbench.do(
                operations.edit_event,
                run_id=self._run.id,
                code=self._run.code,
                number=number,
                z_mm=values[0] if values else None,
            )

    def _on_taken_back(self, number: int) -> None:
        if self._run is not None:
            self._workbench.do(
                operations.remove_event, run_id=self._run.id, code=self._run.code, number=number
            )
