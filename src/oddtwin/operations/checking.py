"""What edits refuse before they are made."""

from __future__ import annotations

from sqlalchemy import Table

from oddtwin.core.language import tr
from oddtwin.store import Edit, StoreError


def next_position(edit: Edit, table: Table, study_id: int) -> int:
    """Return the position after the last row of a study."""
    return max((row["position"] for row in edit.rows(table, "study_id", study_id)), default=-1) + 1


def own_name(
    edit: Edit,
    table: Table,
    parent: str,
    parent_id: int,
    column: str,
    wanted: str,
    taken: str,
    own: int | None = None,
) -> None:
    """Refuse a name that another row of the same parent has; empty ones may repeat.

    Raises
    ------
    StoreError
        The name is taken.
    """
    for row in edit.rows(table, parent, parent_id):
        same = row[column].strip().casefold() == wanted.strip().casefold()
        if wanted.strip() and same and row["id"] != own:
            raise StoreError(tr("{taken}; choose another name.", taken=taken.format(wanted.strip())))


def free_name(edit: Edit, table: Table, noun: str, name: str, own: int | None = None) -> None:
    """Refuse a name of the workshop that another row has.

    Raises
    ------
    StoreError
        The name is taken.
    """
    if set(edit.ids(table, "name", name)) - {own}:
        raise StoreError(tr("There is a {noun} called “{name}” already.", noun=tr(noun), name=name))


def needs(text: str, what: str) -> None:
    """Refuse an empty text.

    Raises
    ------
    StoreError
        There is nothing but blanks.
    """
    if not text.strip():
        raise StoreError(tr("Please type {what} first.", what=what))
