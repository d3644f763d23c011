"""Edits of what lies in the workshop: spools of filament, and containers that prints are weighed in."""

from __future__ import annotations

from datetime import datetime
from typing import Any, TypedDict, Unpack

from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import now, write_moment
from oddtwin.operations.checking import free_name
from oddtwin.operations.workshop import check_figures, named
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.schema import CONTAINER, SPOOL


class SpoolDetails(TypedDict, total=False):
    """What is known of a spool; None where it was not weighed, or nobody said."""

    price_per_kg: float
    left_g: float | None
    material: str
    diameter_mm: float
    density_g_cm3: float | None
    dried: datetime | None
    abrasive: bool


def add_spool(book: LabBook, *, name: str) -> Record | None:
    """Add a spool; names are unique.

    Raises
    ------
    StoreError
        The name is missing or taken.
    """
    cleaned = named(name, mark("spool"))

    def change(edit: Edit) -> None:
        free_name(edit, SPOOL, mark("spool"), cleaned)
        edit.insert(SPOOL, name=cleaned)

    return book.edit(tr("add spool {cleaned}", cleaned=cleaned), change)


def edit_spool(book: LabBook, *, spool_id: int, name: str, **values: Unpack[SpoolDetails]) -> Record | None:
    """Change what is known of a spool; a density that nobody said follows from the material.

    What is left on it is taken for weighed now.

    Raises
    ------
    StoreError
        A figure is below zero or too large.
    """
    check_figures(name, values)
    for figure in (values.get("diameter_mm"), values.get("density_g_cm3")):
        if figure is not None and not 0 < figure < 100:
            raise StoreError(tr("{name}: give diameter and density above zero and below 100.", name=name))
    row: dict[str, Any] = dict(values)
    if "left_g" in values:
        # What prints take from it is counted from here on.
        row["weighed"] = "" if values["left_g"] is None else write_moment(now())
    if "dried" in values:
        row["dried"] = "" if values["dried"] is None else write_moment(values["dried"])
    return book.edit(tr("edit spool {name}", name=name), lambda edit: edit.update(SPOOL, spool_id, **row))


def remove_spool(book: LabBook, *, spool_id: int, name: str) -> Record | None:
    """Take a spool out of the workshop; runs keep its name."""
    return book.edit(tr("remove spool {name}", name=name), lambda edit: edit.delete(SPOOL, spool_id))


def put_container(book: LabBook, *, name: str, tare_g: float) -> Record | None:
    """Keep what a container weighs empty, in grams; a known one is weighed anew.

    Raises
    ------
    StoreError
        The name is missing, or the figure cannot be.
    """
    cleaned = named(name, mark("container"))
    check_figures(cleaned, {"tare_g": tare_g})

    def change(edit: Edit) -> None:
        # Weighed anew, not twice there: two bowls of one name could not be told apart when one is chosen.
        there = edit.ids(CONTAINER, "name", cleaned)
        if there:
            edit.update(CONTAINER, there[0], tare_g=tare_g)
        else:
            edit.insert(CONTAINER, name=cleaned, tare_g=tare_g)

    return book.edit(tr("weigh the container {cleaned}", cleaned=cleaned), change)


def remove_container(book: LabBook, *, container_id: int, name: str) -> Record | None:
    """Forget a container; what was weighed in it stays."""
    return book.edit(
        tr("remove container {name}", name=name), lambda edit: edit.delete(CONTAINER, container_id)
    )
