"""Another name for a machine, a piece or a spool, everywhere that it is called by its name."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Final

from sqlalchemy import Table

from oddtwin.core.language import mark, tr
from oddtwin.operations.checking import free_name
from oddtwin.operations.workshop import named
from oddtwin.store import Edit, LabBook, Record
from oddtwin.store.record import Row
from oddtwin.store.schema import MACHINE, PIECE, PLAN, RUN, SPOOL, STUDY

_PRICED: Final = {"machine": ("machine_per_h", "power_w"), "spool": ("per_kg",)}
"""What frozen prices are listed by."""
_FOUND: Final = {"machine": "machine", "piece": "piece", "spool": "filament"}
"""What a remembered effect calls it."""


def rename_machine(book: LabBook, *, machine_id: int, name: str) -> Record | None:
    """Give a machine another name; what was settled on it is the same machine's still.

    Raises
    ------
    StoreError
        The name is missing or taken.
    """
    return _rename(book, MACHINE, mark("machine"), machine_id, name)


def rename_piece(book: LabBook, *, piece_id: int, name: str) -> Record | None:
    """Give a piece another name.

    Raises
    ------
    StoreError
        The name is missing or taken.
    """
    return _rename(book, PIECE, mark("piece"), piece_id, name)


def rename_spool(book: LabBook, *, spool_id: int, name: str) -> Record | None:
    """Give a spool another name, also in the plans and prints that name it.

    Raises
    ------
    StoreError
        The name is missing or taken.
    """

    def follow(edit: Edit, before: str, after: str) -> None:
        for run in edit.ids(RUN, "spool", before):
            edit.update(RUN, run, spool=after)
        for row in edit.every(PLAN):
            if before in row["spools"]:
                spools = [after if spool == before else spool for spool in row["spools"]]
                edit.update(PLAN, row["id"], spools=spools)

    return _rename(book, SPOOL, mark("spool"), spool_id, name, follow)


def _rename(
    book: LabBook,
    table: Table,
    noun: str,
    row_id: int,
    name: str,
    follow: Callable[[Edit, str, str], None] = lambda *_: None,
) -> Record | None:
    after = named(name, noun)

    def change(edit: Edit) -> None:
        before = edit.get(table, row_id)["name"]
        if after == before:
            return
        free_name(edit, table, noun, after, row_id)
        edit.update(table, row_id, name=after)
        follow(edit, before, after)
        for study in edit.every(STUDY):
            changed = _remembered(study, noun, before, after)
            if changed:
                edit.update(STUDY, study["id"], **changed)

    return book.edit(tr("rename the {noun} to {after}", noun=tr(noun), after=after), change)


def _remembered(study: Row, noun: str, before: str, after: str) -> dict[str, Any]:
    """Return what a settled study remembers by name, with the new one; nothing where it names another."""
    found = [
        {**effect, _FOUND[noun]: after} if effect.get(_FOUND[noun]) == before else effect
        for effect in study["found"]
    ]
    prices = {
        key: _renamed(value, before, after) if key in _PRICED.get(noun, ()) else value
        for key, value in study["prices"].items()
    }
    changed = {"found": found, "prices": prices}
    return {key: value for key, value in changed.items() if value != study[key]}


def _renamed(listed: Mapping[str, Any], before: str, after: str) -> dict[str, Any]:
    return {after if key == before else key: value for key, value in listed.items()}
