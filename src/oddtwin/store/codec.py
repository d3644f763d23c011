"""One codec between the values of the core and the rows of the lab book.

A field and its column have one name, so a new field needs no line here: its type says how it is
written. What a value holds that is no column of its own row (a plan's machines, a factor's levels)
is left out of the row and given by whoever reads it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import fields, is_dataclass
from datetime import datetime
from enum import StrEnum
from functools import cache
from types import UnionType
from typing import Any, Final, TypeVar, get_args, get_origin, get_type_hints

from sqlalchemy import RowMapping

from oddtwin.core.design import Design, design_from_values, design_values
from oddtwin.core.quantities import read_moment, write_moment
from oddtwin.store.columns import PLAIN, TEXTS, ranges_of
from oddtwin.store.record import Row

T = TypeVar("T")
Decode = Callable[[Any], Any]

_PLAIN: Final = (int, float, str, bool)


def row_of(value: Any) -> Row:
    """Return the columns of a value, without its id and without what is no column of its own row."""
    return {
        name: encode(getattr(value, name)) for name, encode, _ in _columns(value.__class__) if name != "id"
    }


def value_of(kind: type[T], row: RowMapping | Mapping[str, Any], **given: Any) -> T:
    """Make a value of its row.

    Parameters
    ----------
    kind : type
        A dataclass of the core.
    row : mapping
        With a column for each of its plain fields.
    **given
        What is no column: parts that have rows of their own.

    Raises
    ------
    ValueError
        A column holds what the field cannot.
    """
    found = {name: decode(row[name]) for name, _, decode in _columns(kind) if name not in given}
    return kind(**found, **given)


def reader(kind: type[T]) -> Callable[[RowMapping], T]:
    """Return what makes a value of a row that holds all of it.

    Parameters
    ----------
    kind : type
        A dataclass of the core.
    """
    return lambda row: value_of(kind, row)


def values_of(kind: type[T], rows: Sequence[RowMapping]) -> tuple[T, ...]:
    """Make values of many rows at once; their columns are decoded one by one, not their cells.

    Parameters
    ----------
    kind : type
        A dataclass of the core, all of whose fields are columns.
    rows : sequence of mapping
        Of one query.

    Raises
    ------
    ValueError
        A column holds what the field cannot.
    """
    if not rows:
        return ()
    names, decoded = [], []
    for name, _, decode in _columns(kind):
        column = [row[name] for row in rows]
        names.append(name)
        # Most columns of a reading hold the same in every row, and enumerations are slow to look up.
        known = {cell: decode(cell) for cell in set(column)} if decode is not _same else None
        decoded.append(column if known is None else [known[cell] for cell in column])
    return tuple(kind(**dict(zip(names, cells, strict=True))) for cells in zip(*decoded, strict=True))


def _columns(kind: Any) -> tuple[tuple[str, Decode, Decode], ...]:
    return _plan(kind)


@cache
def _plan(kind: Any) -> tuple[tuple[str, Decode, Decode], ...]:
    """Return name, encoder and decoder of every field that has a column."""
    # Looked up once for each kind: reading annotations costs more than making the value.
    hints = get_type_hints(kind)
    found = []
    for field in fields(kind):
        pair = _codec(hints[field.name])
        if pair is not None:
            found.append((field.name, *pair))
    return tuple(found)


def _codec(hint: Any) -> tuple[Decode, Decode] | None:
    """Return how a type is written and read; None where it is no column."""
    parts = [part for part in get_args(hint) if part is not type(None)]
    optional = get_origin(hint) is UnionType and len(parts) < len(get_args(hint))
    kind = parts[0] if optional and len(parts) == 1 else hint
    if kind in _PLAIN:
        return _same, _same
    if kind is datetime:
        return (_or_empty(write_moment), _or_none(read_moment)) if optional else (write_moment, read_moment)
    if isinstance(kind, type) and issubclass(kind, StrEnum):
        return (_or_empty(_text), _or_none(kind)) if optional else (_text, kind)
    if kind is Design:
        return design_values, lambda value: design_from_values(PLAIN.validate_python(value))
    if get_origin(kind) is tuple:
        return _of_tuple(get_args(kind)[0])
    if get_origin(kind) is Mapping and get_args(kind)[0] is str:
        return dict, PLAIN.validate_python
    return None


def _of_tuple(part: Any) -> tuple[Decode, Decode] | None:
    if part is str:
        return list, lambda value: tuple(TEXTS.validate_python(value))
    if is_dataclass(part) and isinstance(part, type):
        ranges = ranges_of(part)
        return (
            # Moments inside are written as texts.
            lambda value: ranges.dump_python(list(value), mode="json"),
            lambda value: tuple(ranges.validate_python(value)),
        )
    return None


def _same(value: Any) -> Any:
    return value


def _text(value: StrEnum) -> str:
    return value.value


def _or_empty(encode: Decode) -> Decode:
    """Nothing is an empty text in a column of texts."""
    return lambda value: "" if value is None else encode(value)


def _or_none(decode: Decode) -> Decode:
    return lambda value: decode(value) if value else None
