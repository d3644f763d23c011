"""The border between the database and the program: what cannot be becomes a sentence naming study and row."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import cache
from types import UnionType
from typing import Any, Final, TypeVar, get_args, get_origin, get_type_hints

from pydantic import ValidationError
from sqlalchemy import RowMapping, Table

from oddtwin.core.language import tr
from oddtwin.core.study import Study
from oddtwin.store.codec import value_of, values_of
from oddtwin.store.columns import first_fault
from oddtwin.store.errors import StoreError

T = TypeVar("T")

LARGEST_WHOLE: Final = 2**53
LARGEST_FIGURE: Final = 1e12

# What Python's own types and the core raise at values that they cannot take.
_CANNOT_BE = (ValueError, KeyError, TypeError, IndexError, AttributeError, OverflowError, StopIteration)


def made(table: Table, row: RowMapping, make: Callable[[RowMapping], T]) -> T:
    """Make a value of a row.

    Raises
    ------
    ValueError
        The row cannot be made into one; the message names table and row.
    """
    try:
        value = make(row)
        _check_types(value)
    except _CANNOT_BE as error:
        noun = table.name.replace("_", " ")
        raise ValueError(
            tr("{noun} {row} cannot be read: {reason}", noun=tr(noun), row=row["id"], reason=_reason(error))
        ) from None
    return value


def made_all(table: Table, kind: type[T], rows: Sequence[RowMapping]) -> tuple[T, ...]:
    """Make values of many rows that hold all of them; only where that fails is the row looked for.

    Raises
    ------
    ValueError
        A row cannot be made into one; the message names table and row.
    """
    try:
        if _sound(kind, rows):
            return values_of(kind, rows)
    except _CANNOT_BE:
        # The row that cannot be is found below, by its own sentence.
        pass
    return tuple(made(table, row, lambda row: value_of(kind, row)) for row in rows)


def _sound(kind: Any, rows: Sequence[RowMapping]) -> bool:
    """Whether all plain columns of some rows hold what they say they do, looked at column by column."""
    for name, wanted in _plain_fields(kind) if rows else ():
        column = [row[name] for row in rows]
        # Column by column, because looking at every cell of 28 000 readings took longer than reading them.
        found = set(map(type, column)) - {type(None)}
        if not found <= ({float, int} if wanted is float else {wanted, bool}):
            return False
        if wanted is not str and found:
            largest = LARGEST_FIGURE if wanted is float else LARGEST_WHOLE
            numbers = [cell for cell in column if cell is not None]
            # A sum is finite only where all its parts are, and one call looks at all of them.
            if not math.isfinite(math.fsum(numbers)) or max(map(abs, numbers)) > largest:
                return False
    return True


def _check_types(value: Any) -> None:
    """Refuse a value whose parts are not what it says they are: the database takes any for any."""
    kinds: Any = type(value)
    for name, kind in _plain_fields(kinds):
        part: Any = getattr(value, name)
        if part is None or isinstance(part, bool):
            continue
        if kind is float:
            finite(part)
        elif not isinstance(part, kind):
            raise ValueError(f"{name} is {part!r:.40}")
        elif isinstance(part, int) and abs(part) > LARGEST_WHOLE:
            raise ValueError(tr("{name} is too large", name=name))


@cache
def _plain_fields(kind: Any) -> tuple[tuple[str, type], ...]:
    """Return the fields of a dataclass that are plain numbers and texts, with their types."""
    found = []
    for name, hint in get_type_hints(kind).items():
        known = [part for part in (get_args(hint) or (hint,)) if part in (int, float, str)]
        if len(known) == 1 and get_origin(hint) in (None, UnionType):
            found.append((name, known[0]))
    return tuple(found)


@contextmanager
def telling(what: str) -> Iterator[None]:
    """Turn whatever a damaged book makes the program stumble over into a sentence.

    Parameters
    ----------
    what : str
        What is being read, such as ``The study “Trial”``.
    """
    try:
        yield
    except _CANNOT_BE as error:
        raise StoreError(
            tr(
                "{what} is damaged: {reason}. Nothing was changed; the others can be opened, "
                "and a copy of the lab book may have it whole.",
                what=what,
                reason=_reason(error),
            )
        ) from error


def finite(value: float) -> float:
    """Return a number of the book.

    Raises
    ------
    ValueError
        It is none, or beyond what any reading can be.
    """
    number = float(value)
    if not math.isfinite(number) or abs(number) > LARGEST_FIGURE:
        raise ValueError(tr("{value} is no figure", value=value))
    return number


def check_links(study: Study) -> None:
    """Refuse a study whose rows do not fit together.

    Raises
    ------
    ValueError
        Naming what is missing.
    """
    arms, blocks = {arm.id for arm in study.arms}, {block.id for block in study.blocks}
    runs, responses = {run.id for run in study.runs}, {item.id for item in study.responses}
    if sum(arm.is_baseline for arm in study.arms) != 1:
        raise ValueError(tr("it has not exactly one baseline"))
    if not study.changed_arms:
        raise ValueError(tr("it has no arm on trial"))
    for factor in study.factors:
        if len(factor.levels) < 2:
            raise ValueError(tr("{factor} has fewer than two levels", factor=factor.name))
    for run in study.runs:
        if run.arm_id not in arms or run.block_id not in blocks:
            raise ValueError(
                tr("run {run_code} belongs to an arm or a block that is not there", run_code=run.code)
            )
    for reading in study.readings:
        if reading.run_id not in runs or reading.response_id not in responses:
            raise ValueError(
                tr("reading {id} belongs to a run or a response that is not there", id=reading.id)
            )
    for key in study.plan.machine_ids if study.plan else ():
        if key not in study.machines:
            raise ValueError(tr("its plan names a machine that is not there"))
    for key in study.plan.piece_ids if study.plan else ():
        if key not in study.pieces:
            raise ValueError(tr("its plan names a piece that is not there"))


def _reason(error: BaseException) -> Any:
    if isinstance(error, ValidationError):
        return first_fault(error)
    if isinstance(error, KeyError):
        return tr("{args} is not known", args=error.args[0] if error.args else tr("something"))
    return " ".join(str(error).split()).rstrip(".") or type(error).__name__
