"""What an operation changed, as plain frozen values."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from oddtwin.core.language import mark

Row = dict[str, Any]


class Kind(StrEnum):
    """What a line of the log is."""

    EDIT = mark("edit")
    UNDO = mark("undo")
    REDO = mark("redo")
    MARK = mark("mark")
    """Something that happened rather than an edit; it is not undone."""


@dataclass(frozen=True, slots=True)
class RowChange:
    """One row before and after; None where it did not exist. Updates hold changed columns only."""

    table: str
    id: int
    before: Row | None
    after: Row | None

    def reversed(self) -> RowChange:
        """Return the change that takes this one back."""
        return RowChange(self.table, self.id, self.after, self.before)


@dataclass(frozen=True, slots=True)
class Record:
    """What an operation changed.

    Parameters
    ----------
    title : str
        Readable name, such as "set aside run K7M".
    kind : Kind
        Edit, undo, redo or mark.
    changes : tuple of RowChange
        In the order in which they were made.
    """

    title: str
    kind: Kind
    changes: tuple[RowChange, ...]

    @property
    def tables(self) -> frozenset[str]:
        """Names of the tables whose rows were changed."""
        return frozenset(item.table for item in self.changes)

    def new_id(self, table: str) -> int:
        """Return the id of the first row that was added to a table."""
        return next(item.id for item in self.changes if item.table == table and item.before is None)
