"""Tidy readings, and how they become one value for each print and pairs of prints."""

from oddtwin.core.readings.model import (
    GRADES,
    Better,
    Combine,
    Reading,
    ResponseType,
    grade_from_word,
)
from oddtwin.core.readings.reduce import Block, Prints, PrintValue, reduce_prints
from oddtwin.core.readings.table import COLUMNS, TableError, read_table, write_table

__all__ = [
    "COLUMNS",
    "GRADES",
    "Better",
    "Block",
    "Combine",
    "PrintValue",
    "Prints",
    "Reading",
    "ResponseType",
    "TableError",
    "grade_from_word",
    "read_table",
    "reduce_prints",
    "write_table",
]
