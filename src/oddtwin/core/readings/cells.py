"""Delimited text: rows, the names of its columns, cells that a spreadsheet must not take for a formula."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from typing import Final

from oddtwin.core.language import tr

FORMULA: Final = frozenset("=+-@\t\r")
"""Spreadsheets take a cell that begins with one of these for a formula."""

BLANK: Final = " \u00a0"
"""What stands around a cell by accident; a line separator or a tab inside a name is meant."""


class TableError(ValueError):
    """A table of readings cannot be understood.

    Parameters
    ----------
    problem : str
        What is wrong and what to do, as the end of a sentence.
    line : int
        Line of the file, from 1.
    column : str
        Name of the column; empty where the whole line is meant.
    """

    def __init__(self, problem: str, line: int, column: str = "") -> None:
        place = (
            tr("line {line}, column {column}", line=line, column=column)
            if column
            else tr("line {line}", line=line)
        )
        super().__init__(f"{place}: {problem}")
        self.problem = problem
        self.line = line
        self.column = column


def table_rows(text: str) -> Iterator[tuple[int, list[str]]]:
    """Yield line number and cells; the separator is the one that the header uses most.

    Parameters
    ----------
    text : str
        A header and rows, separated by comma, semicolon or tab.

    Raises
    ------
    TableError
        The cells cannot be separated.
    """
    cleaned = text.removeprefix("\ufeff")
    reader = csv.reader(io.StringIO(cleaned, newline=""), delimiter=delimiter(text), strict=True)
    line = 1
    try:
        for cells in reader:
            yield line, cells
            line = reader.line_num + 1
    except csv.Error as error:
        raise TableError(tr("the cells cannot be separated ({error})", error=error), line) from None


def table_text(rows: Iterable[Iterable[object]]) -> str:
    """Return rows as comma-separated text that ``table_rows`` reads back.

    Parameters
    ----------
    rows : iterable of iterables
        The header first; texts that others wrote are ``guarded`` already.
    """
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(rows)
    return out.getvalue()


def delimiter(text: str) -> str:
    """Return the separator that the header of a table uses most."""
    return max(",;\t", key=text.partition("\n")[0].count)


def plain_names(header: Sequence[str]) -> list[str]:
    """Return the names of columns in one spelling: small letters, and no blanks inside."""
    return [cell.strip().lower().replace(" ", "_") for cell in header]


def need_columns(needed: Iterable[str], names: Sequence[str], line: int) -> None:
    """Refuse a table whose header lacks a column.

    Parameters
    ----------
    needed : iterable of str
        Columns that must be there.
    names : sequence of str
        As ``plain_names`` gives them.
    line : int
        Of the header.

    Raises
    ------
    TableError
        Naming the first that is missing.
    """
    for column in needed:
        if column not in names:
            raise TableError(tr("the header has no column “{column}”; add it", column=column), line, column)


def guarded(text: str) -> str:
    """Put an apostrophe before a text that a spreadsheet would take for a formula, or that begins blank."""
    return f"'{text}" if _needs_guard(text) else text


def unguarded(text: str) -> str:
    """Take the apostrophe of ``guarded`` away again."""
    return text[1:] if text.startswith("'") and _needs_guard(text[1:]) else text


def _needs_guard(text: str) -> bool:
    # Also what only looks guarded already, so that it comes back as it was. Blanks before a cell are
    # those of whoever typed the table, unless a text begins with them.
    first = text.lstrip("'")[:1]
    return bool(first) and (first in FORMULA or first.isspace())
