"""A settled study stays as it is until it is reopened."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Final

from sqlalchemy import Table, select

from oddtwin.core.language import tr
from oddtwin.core.study import DecisionKind
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.record import Row
from oddtwin.store.schema import STUDY, TABLES

SETTLED: Final = tuple(kind.value for kind in DecisionKind if kind.settles)
_NEAREST: Final = ("study", "run", "session", "plate", "factor", "arm", "plan", "arm_file", "response")


def edit_open(book: LabBook, title: str, change: Callable[[Edit], None]) -> Record | None:
    """Make an edit of studies, none of which is settled.

    Raises
    ------
    StoreError
        A study that it touches is settled; nothing is kept.
    """

    def checked(edit: Edit) -> None:
        change(edit)
        for study_id in set(_studies(edit)):
            row = edit.connection.execute(select(STUDY.c.decision).where(STUDY.c.id == study_id)).first()
            if row is not None and row.decision in SETTLED:
                raise StoreError(
                    tr("The study is settled, so it stays as it is; reopen it under Settle first.")
                )

    return book.edit(title, checked)


def _studies(edit: Edit) -> Iterator[int]:
    """Yield the studies that the changed rows belong to."""
    gone = {(item.table, item.id): item.before for item in edit.changes if item.after is None}
    known: dict[tuple[str, int], int | None] = {}

    def study_of(table: Table, row_id: int) -> int | None:
        if table is STUDY:
            return row_id
        key = (table.name, row_id)
        if key not in known:
            known[key] = _up(table, gone.get(key) or edit.find(table, row_id))
        return known[key]

    def _up(table: Table, row: Row | None) -> int | None:
        for noun in _NEAREST:
            column = f"{noun}_id"
            if row is not None and column in table.c and row[column] is not None:
                return study_of(TABLES[noun], row[column])
        return None

    for item in edit.changes:
        found = study_of(TABLES[item.table], item.id)
        if found is not None:
            yield found
