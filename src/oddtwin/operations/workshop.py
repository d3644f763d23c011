"""Edits of the workshop: machines with their change logs, and pieces."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.schema import BLOCK, MACHINE, MACHINE_CHANGE, PIECE


def add_machine(book: LabBook, *, name: str) -> Record | None:
    """Add a machine; names are unique."""
    cleaned = _named(name, "machine")

    def change(edit: Edit) -> None:
        if edit.ids(MACHINE, "name", cleaned):
            raise StoreError(f"There is a machine called “{cleaned}” already.")
        edit.insert(MACHINE, name=cleaned)

    return book.edit(f"add machine {cleaned}", change)


def remove_machine(book: LabBook, *, machine_id: int, name: str) -> Record | None:
    """Take out a machine that no run was planned on."""

    def change(edit: Edit) -> None:
        if edit.ids(BLOCK, "machine_id", machine_id):
            raise StoreError(f"{name} has runs in a study, so it stays in the lab book.")
        edit.delete(MACHINE, machine_id)

    return book.edit(f"remove machine {name}", change)


def log_machine_change(
    book: LabBook, *, machine_id: int, kind: str, what: str, before: str, after: str, note: str = ""
) -> Record | None:
    """Write one alteration into a machine's change log."""
    cleaned = _named(what, "change")

    def change(edit: Edit) -> None:
        insert_machine_change(edit, machine_id, kind, cleaned, before, after, note)

    return book.edit(f"log {cleaned}", change)


def insert_machine_change(
    edit: Edit,
    machine_id: int,
    kind: str,
    what: str,
    before: str,
    after: str,
    note: str,
    study_id: int | None = None,
) -> None:
    """Add a line to a machine's change log inside a larger edit."""
    edit.insert(
        MACHINE_CHANGE,
        machine_id=machine_id,
        at=datetime.now().isoformat(timespec="seconds"),
        kind=kind,
        what=what,
        before=before,
        after=after,
        note=note,
        study_id=study_id,
    )


def add_piece(
    book: LabBook,
    *,
    name: str,
    zones: list[str] | None = None,
    minutes: float = 0.0,
    part_g: float = 0.0,
    waste_g: float = 0.0,
) -> Record | None:
    """Add a piece with its zones and what one print takes (minutes, grams)."""
    cleaned = _named(name, "piece")

    def change(edit: Edit) -> None:
        if edit.ids(PIECE, "name", cleaned):
            raise StoreError(f"There is a piece called “{cleaned}” already.")
        edit.insert(PIECE, name=cleaned, zones=zones or [], minutes=minutes, part_g=part_g, waste_g=waste_g)

    return book.edit(f"add piece {cleaned}", change)


def edit_piece(book: LabBook, *, piece_id: int, name: str, **values: Any) -> Record | None:
    """Change ``zones``, ``minutes``, ``part_g`` or ``waste_g`` of a piece."""
    if any(isinstance(value, float) and value < 0 for value in values.values()):
        raise StoreError(f"The estimates of {name} cannot be below zero.")
    return book.edit(f"edit piece {name}", lambda edit: edit.update(PIECE, piece_id, **values))


def remove_piece(book: LabBook, *, piece_id: int, name: str) -> Record | None:
    """Take out a piece that no run was planned with."""

    def change(edit: Edit) -> None:
        if edit.ids(BLOCK, "piece_id", piece_id):
            raise StoreError(f"{name} has runs in a study, so it stays in the lab book.")
        edit.delete(PIECE, piece_id)

    return book.edit(f"remove piece {name}", change)


def _named(text: str, noun: str) -> str:
    cleaned = " ".join(text.split())
    if not cleaned:
        raise StoreError(f"Please type a name for the {noun} first.")
    return cleaned
