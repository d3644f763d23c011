"""Readings of a calibration as a table: columns by name, figures with units, refused with line and column."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Final

from oddtwin.core.calibrate.result import CalibrationError
from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import QuantityError, parse_quantity
from oddtwin.core.readings import (
    BLANK,
    ResponseKind,
    TableError,
    Typed,
    need_columns,
    plain_names,
    read_typed,
    table_rows,
    unguarded,
)

MOST_ROWS: Final = 20_000
_SUFFIXES: Final = ("_mm", "_g", "_hz", "_s", "_deg", "_min", "_db")
_DECIMALS: Final = re.compile(r"[.,](\d+)")
_YES: Final = frozenset({"1", "y", "yes", "true", "x", "pass", "passed", "held"})
_NO: Final = frozenset({"", "0", "n", "no", "false", "fail", "failed"})


class Kind(StrEnum):
    """What a column holds."""

    NUMBER = mark("number")
    GRADE = mark("grade")
    BOUNDED = mark("number, or above or below one")
    YES = mark("yes or no")
    TEXT = mark("text")


@dataclass(frozen=True, slots=True)
class Column:
    """One column of a calibration's readings.

    Parameters
    ----------
    name : str
        In the header.
    unit : str
        That a plain number is in.
    kind : Kind
    needed : bool
        Whether every row must have it.
    above_zero : bool
        Whether zero and less are refused.
    says : str
        What it is, for a person who types.
    """

    name: str
    unit: str = ""
    kind: Kind = Kind.NUMBER
    needed: bool = True
    above_zero: bool = False
    says: str = ""

    @property
    def label(self) -> str:
        """Its name for a person, with its unit once."""
        plain = self.name.rpartition("_")[0] if self.name.endswith(_SUFFIXES) else self.name
        return f"{plain.replace('_', ' ')}, {self.unit}" if self.unit else plain.replace("_", " ")


@dataclass(frozen=True, slots=True)
class Row:
    """Readings of one row: values by column, and its line in the file."""

    line: int
    values: Mapping[str, Any]
    decimals: Mapping[str, int]

    def __getitem__(self, name: str) -> Any:
        return self.values[name]


def read_rows(text: str, columns: Sequence[Column]) -> list[Row]:
    """Read the readings of a calibration.

    Parameters
    ----------
    text : str
        A header and rows; columns that nobody asked for are passed over.
    columns : sequence of Column
        What is read.

    Returns
    -------
    list of Row
        An empty cell that is not needed is None, or no.

    Raises
    ------
    TableError
        A column is missing or holds what it cannot; with line and column.
    CalibrationError
        There is no row.
    """
    rows = table_rows(text)
    line, header = next(rows, (1, []))
    names = plain_names(header)
    need_columns((column.name for column in columns if column.needed), names, line)
    places = {column.name: names.index(column.name) for column in columns if column.name in names}
    found = list(_filled(rows, columns, places))
    if not found:
        raise CalibrationError(tr("There are no readings in it; write a row for each."))
    return found


def _filled(
    rows: Iterator[tuple[int, list[str]]], columns: Sequence[Column], places: Mapping[str, int]
) -> Iterator[Row]:
    for count, (line, cells) in enumerate(rows):
        if count >= MOST_ROWS:
            raise TableError(
                tr("there are more than {MOST_ROWS} rows; give a part of them", MOST_ROWS=MOST_ROWS), line
            )
        if not any(cell.strip() for cell in cells):
            continue
        values, decimals = {}, {}
        for column in columns:
            at = places.get(column.name)
            text = unguarded(cells[at].strip(BLANK)) if at is not None and at < len(cells) else ""
            values[column.name] = _value(text, column, line)
            after = _DECIMALS.search(text)
            decimals[column.name] = len(after[1]) if after else 0
        yield Row(line, values, decimals)


def _value(text: str, column: Column, line: int) -> Any:
    if column.kind is Kind.YES:
        plain = text.casefold()
        if plain not in _YES | _NO:
            raise TableError(tr("“{text}” is neither yes nor no", text=text[:40]), line, column.name)
        return plain in _YES
    if not text:
        if column.needed:
            raise TableError(tr("the reading is missing"), line, column.name)
        return None
    if column.kind is Kind.TEXT:
        return text
    try:
        if column.kind is Kind.GRADE:
            return read_typed(text, ResponseKind.GRADE).value
        typed = (
            read_typed(text, ResponseKind.QUANTITY, column.unit)
            if column.kind is Kind.BOUNDED
            else Typed(parse_quantity(text, column.unit))
        )
    except QuantityError as error:
        raise TableError(str(error), line, column.name) from None
    if column.above_zero and typed.value <= 0:
        raise TableError(
            tr("“{text}” is not above zero; measure it again", text=text[:40]), line, column.name
        )
    return typed if column.kind is Kind.BOUNDED else typed.value


def step_of(rows: Sequence[Row], name: str) -> float:
    """Return the smallest step that the readings of a column were typed in, in its unit.

    Parameters
    ----------
    rows : sequence of Row
        One at least.
    name : str
        Of the column.
    """
    # A scale that shows 12.0 is typed as 12 by some: the finest of all rows tells its step.
    return float(10.0 ** -max(row.decimals[name] for row in rows))
