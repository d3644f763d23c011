"""What a calibration must know besides its readings, as fields."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QWidget

from oddtwin.core.calibrate import Option
from oddtwin.core.quantities import QuantityError, capitalized, format_reading
from oddtwin.ui.widgets import QuantityField, clear, column_label

A_LINE = 5


class OptionFields(QWidget):
    """``changed`` is emitted when a person has changed one of them."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._fields: dict[str, QuantityField] = {}
        self._shown: tuple[Option, ...] = ()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(10)

    def show_options(self, options: Sequence[Option], known: Mapping[str, float]) -> None:
        """Show a field for each option, with what is known of it."""
        if tuple(options) != self._shown:
            self._shown = tuple(options)
            self._make(options)
        for option in options:
            value = known.get(option.name)
            self._fields[option.name].show_values([] if value is None else [value])
        self.setVisible(bool(options))

    def _make(self, options: Sequence[Option]) -> None:
        clear(self._grid)
        self._fields = {}
        for place, option in enumerate(options):
            usual = (
                f"{format_reading(option.usual)} {option.unit}".strip()
                if option.usual is not None
                else option.unit
            )
            field = QuantityField(f"option-{option.name}", option.unit, usual, 130)
            field.edit.setAccessibleName(capitalized(option.says))
            field.setToolTip(capitalized(option.says))
            field.quantity_committed.connect(lambda _: self.changed.emit())
            name = option.name.replace("_", " ")
            shown = column_label(f"{name}, {option.unit}" if option.unit else name)
            shown.setToolTip(capitalized(option.says))
            line, at = divmod(place, A_LINE)
            self._grid.addWidget(shown, 2 * line, at)
            self._grid.addWidget(field, 2 * line + 1, at)
            self._fields[option.name] = field
        self._grid.setColumnStretch(A_LINE, 1)

    def values(self) -> dict[str, float] | None:
        """Return what is typed; None, with the reason below the field, where something cannot be read."""
        found = {}
        for name, field in self._fields.items():
            if not field.text().strip():
                continue
            try:
                found[name] = field.value(0.0)
            except QuantityError as error:
                field.show_error(f"{capitalized(str(error))}.")
                return None
        return found
