"""Edits of a lab book: each committed whole, logged with before and after, and undoable."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from functools import cache
from itertools import groupby
from typing import Any, Final

from sqlalchemy import (
    JSON,
    Column,
    Connection,
    DefaultClause,
    Select,
    Table,
    bindparam,
    delete,
    func,
    insert,
    select,
    update,
)

from oddtwin.core.language import tr
from oddtwin.core.quantities import now, write_moment
from oddtwin.store.errors import StoreError
from oddtwin.store.noise import keep_noise
from oddtwin.store.record import Kind, Record, Row, RowChange
from oddtwin.store.schema import BOOK, LOG, TABLES


class Edit:
    """Row changes inside one transaction; handed to operations by the lab book."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        self.changes: list[RowChange] = []

    def insert(self, table: Table, **values: Any) -> int:
        """Add a row and return its id."""
        return self.insert_all(table, [values])[0]

    def insert_all(self, table: Table, rows: Sequence[Row]) -> list[int]:
        """Add rows and return their ids in the same order."""
        if not rows:
            return []
        for row in rows:
            _refuse_odd_texts(row)
        empty = empty_row(table.name)
        full = [{name: row.get(name, usual) for name, usual in empty.items()} for row in rows]
        # Without the order asked for, a database may return the ids of many rows in any.
        adding = insert(table).returning(table.c.id, sort_by_parameter_order=True)
        ids = [int(key) for key in self.connection.execute(adding, full).scalars()]
        self.changes += [
            RowChange(table.name, key, None, {"id": key, **row}) for key, row in zip(ids, full, strict=True)
        ]
        return ids

    def update(self, table: Table, row_id: int, **values: Any) -> None:
        """Change columns of a row; columns that stay the same are not recorded."""
        old = self._row(table, row_id)
        changed = {name: value for name, value in values.items() if old[name] != value}
        if not changed:
            return
        _refuse_odd_texts(changed)
        self.connection.execute(update(table).where(table.c.id == row_id).values(**changed))
        before = {name: old[name] for name in changed}
        self.changes.append(RowChange(table.name, row_id, before, changed))

    def delete(self, table: Table, row_id: int) -> None:
        """Delete a row after all rows that belong to it; rows that outlive it point nowhere then."""
        self._delete(table, [row_id])

    def ids(self, table: Table, column: str, value: Any) -> Sequence[int]:
        """Return the ids of the rows with a value in a column."""
        return self.connection.execute(select(table.c.id).where(table.c[column] == value)).scalars().all()

    def rows(self, table: Table, column: str, value: Any) -> list[Row]:
        """Return the rows with a value in a column, by id."""
        # Sorted here: asked for an order by id, SQLite reads the whole table along its key instead of
        # the few rows that an index names.
        found = self.connection.execute(select(table).where(table.c[column] == value)).mappings()
        return sorted((dict(row) for row in found), key=lambda row: row["id"])

    def every(self, table: Table) -> list[Row]:
        """Return all rows, by id."""
        found = self.connection.execute(select(table).order_by(table.c.id)).mappings()
        return [dict(row) for row in found]

    def get(self, table: Table, row_id: int) -> Row:
        """Return one row."""
        return self._row(table, row_id)

    def find(self, table: Table, row_id: int) -> Row | None:
        """Return one row; None where there is none."""
        row = self.connection.execute(_one_row(table), {"key": row_id}).mappings().first()
        return None if row is None else dict(row)

    def apply(self, changes: Sequence[RowChange]) -> None:
        """Make recorded changes again, or their reverse; rows of one table that follow go together."""
        for (name, new, gone), run in groupby(
            changes, lambda change: (change.table, change.before is None, change.after is None)
        ):
            table, together = TABLES[name], list(run)
            if new:
                empty = empty_row(name)
                self.connection.execute(
                    insert(table), [{**empty, **(change.after or {})} for change in together]
                )
            elif gone:
                self._delete_rows(table, [change.id for change in together])
            else:
                for change in together:
                    values = change.after or {}
                    self.connection.execute(update(table).where(table.c.id == change.id).values(**values))
        self.changes += changes

    def _delete(self, table: Table, ids: Sequence[int]) -> None:
        if not ids:
            return
        # By hand and not by the database's cascade, because every row that goes has to stand in the log to
        # come back.
        for child, column, outlives in _links_to(table):
            for some in _batches(ids):
                query = select(child.c.id).where(column.in_(some)).order_by(child.c.id)
                pointing = self.connection.execute(query).scalars().all()
                if not outlives:
                    self._delete(child, pointing)
                for key in pointing if outlives else ():
                    self.update(child, key, **{column.name: None})
        for some in _batches(ids):
            rows = self.connection.execute(select(table).where(table.c.id.in_(some))).mappings().all()
            self.changes += [RowChange(table.name, row["id"], dict(row), None) for row in rows]
        self._delete_rows(table, ids)

    def _delete_rows(self, table: Table, ids: Sequence[int]) -> None:
        for some in _batches(ids):
            self.connection.execute(delete(table).where(table.c.id.in_(some)))

    def _row(self, table: Table, row_id: int) -> Row:
        return dict(self.connection.execute(_one_row(table), {"key": row_id}).mappings().one())


@cache
def _one_row(table: Table) -> Select[Any]:
    """The row of a table by its id; made once, for every change of a row asks for it."""
    return select(table).where(table.c.id == bindparam("key"))


def _links_to(table: Table) -> Iterator[tuple[Table, Column[Any], bool]]:
    """Yield every column that points to a table, and whether its row outlives what it points to."""
    for child in TABLES.values():
        for column in child.columns:
            for key in column.foreign_keys:
                if key.column.table is table:
                    yield child, column, key.ondelete == "SET NULL"


def write_log(connection: Connection, kind: Kind, title: str, changes: Sequence[RowChange]) -> Record:
    """Append an edit or a mark to the log; an edit becomes what the next undo takes back."""
    entry = {
        "at": write_moment(now()),
        "kind": kind.value,
        "title": title,
        # A parent and not a number in a row: an edit made after an undo begins another branch, and the log
        # keeps both.
        "parent": next_undo(connection),
        "changes": [_as_json(change) for change in changes],
    }
    # In the same transaction as the edit: a noise floor that lags behind would judge by readings that are
    # gone.
    keep_noise(connection, changes)
    new = int(connection.execute(insert(LOG).values(**entry).returning(LOG.c.id)).scalar_one())
    if kind is Kind.EDIT:
        _set_head(connection, new)
    return Record(title, kind, tuple(changes))


def next_undo(connection: Connection) -> int | None:
    """Return the id of the log entry that an undo would take back."""
    head = connection.execute(select(BOOK.c.head)).scalar_one()
    return int(head) if head is not None else None


def next_redo(connection: Connection) -> int | None:
    """Return the id of the log entry that a redo would make again: the newest one begun from here."""
    head = next_undo(connection)
    from_here = LOG.c.parent.is_(None) if head is None else LOG.c.parent == head
    newest = connection.execute(
        select(func.max(LOG.c.id)).where(from_here, LOG.c.kind == Kind.EDIT.value)
    ).scalar_one()
    return int(newest) if newest is not None else None


def title_of(connection: Connection, entry_id: int) -> str:
    """Return the title of a log entry, without reading the changes behind it."""
    return str(connection.execute(select(LOG.c.title).where(LOG.c.id == entry_id)).scalar_one())


def move(connection: Connection, entry_id: int, kind: Kind) -> Record:
    """Take back (undo) or make again (redo) a logged edit, and log that too."""
    entry = connection.execute(select(LOG).where(LOG.c.id == entry_id)).mappings().one()
    changes = [RowChange(**change) for change in entry["changes"]]
    if kind is Kind.UNDO:
        # Backwards, so that rows come back before those that point to them.
        changes = [change.reversed() for change in reversed(changes)]
    edit = Edit(connection)
    edit.apply(changes)
    record = write_log(connection, kind, entry["title"], edit.changes)
    # Moves are logged too, but never undone themselves: undo walks along the edits alone.
    _set_head(connection, entry["parent"] if kind is Kind.UNDO else entry["id"])
    return record


def _as_json(change: RowChange) -> Row:
    # A row that came or went is told without what it holds by default: most of a reading's
    # columns are, and one call writes all of an import out without letting another thread in.
    whole = change.before is None or change.after is None
    before, after = (_told(change.table, row) if whole else row for row in (change.before, change.after))
    return {"table": change.table, "id": change.id, "before": before, "after": after}


def _told(table: str, row: Row | None) -> Row | None:
    if row is None:
        return None
    empty = empty_row(table)
    return {name: value for name, value in row.items() if name == "id" or value != empty[name]}


def _set_head(connection: Connection, head: int | None) -> None:
    connection.execute(update(BOOK).values(head=head))


@cache
def empty_row(table: str) -> Row:
    """Return what the columns of a table hold when nothing is said; the id is none of them."""
    return {column.name: _empty(column) for column in TABLES[table].columns if column.name != "id"}


def _empty(column: Column[Any]) -> Any:
    """Return what a column holds when nothing is said: its default, null, or its type's zero."""
    if isinstance(column.server_default, DefaultClause):
        default = str(column.server_default.arg)
        if isinstance(column.type, JSON):
            return json.loads(default)
        kind = column.type.python_type
        return default == "1" if kind is bool else kind(default)
    return None if column.nullable else column.type.python_type()


def _batches(ids: Sequence[int]) -> Iterator[Sequence[int]]:
    """Cut a long list into pieces that one statement can name."""
    for start in range(0, len(ids), 500):
        yield ids[start : start + 500]


ONE_LINE: Final = frozenset({"name", "value", "unit", "spool", "code"})
"""Columns that are shown as one line everywhere."""


def _refuse_odd_texts(row: Mapping[str, Any]) -> None:
    """Refuse what no text may hold, and names of more than one line.

    Raises
    ------
    StoreError
        There is such a text.
    """
    for column, text in row.items():
        if not isinstance(text, str):
            continue
        if "\0" in text:
            raise StoreError(tr("The text holds a character of no sign (NUL); type it without."))
        if column in ONE_LINE and len(text.splitlines()) > 1:
            first = text.splitlines()[0]
            raise StoreError(
                tr("“{first}” goes on in another line; a name is one line, type it so.", first=first)
            )
