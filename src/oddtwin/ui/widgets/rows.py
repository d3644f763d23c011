"""Rows of fields that follow a list of values: kept while their id stays, so that typing goes on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Final, Generic, Protocol, TypeVar

from PySide6.QtWidgets import QGridLayout, QWidget

LAST: Final = 999
"""Grid row for the fields of a new value, below all others."""


class HasId(Protocol):
    """A value with an id."""

    @property
    def id(self) -> int:
        """Its id in the lab book."""


T = TypeVar("T", bound=HasId)


class FieldRow(Generic[T]):
    """The widgets of one row, left to right, and how to show a value in them."""

    def __init__(self, widgets: Sequence[QWidget], show: Callable[[T], Any]) -> None:
        self.widgets = widgets
        self.show = show


class Rows(Generic[T]):
    """Keeps one row of a grid for every value, in their order, below ``first`` header rows."""

    def __init__(self, grid: QGridLayout, make: Callable[[T], FieldRow[T]], first: int = 1) -> None:
        self._grid = grid
        self._make = make
        self._first = first
        self._rows: dict[int, FieldRow[T]] = {}

    def refresh(self, values: Sequence[T]) -> None:
        """Show the values, adding and taking away rows as needed."""
        for gone in set(self._rows) - {value.id for value in values}:
            for widget in self._rows.pop(gone).widgets:
                self._grid.removeWidget(widget)
                widget.hide()
                widget.deleteLater()
        for place, value in enumerate(values, self._first):
            # Fields of the same value are kept and not made anew: the cursor, and what is being typed, stay
            # in them.
            if value.id not in self._rows:
                self._rows[value.id] = self._make(value)
            row = self._rows[value.id]
            for column, widget in enumerate(row.widgets):
                if self._grid.itemAtPosition(place, column) is None or (
                    self._grid.itemAtPosition(place, column).widget() is not widget  # type: ignore[union-attr]
                ):
                    self._grid.addWidget(widget, place, column)
            row.show(value)
