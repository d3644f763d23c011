"""Edits of the workshop: machines, pieces, and what the workshop pays."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any, Final, TypedDict, Unpack

from oddtwin.core.language import mark, tr
from oddtwin.core.schedule import parse_hours
from oddtwin.core.study import Rates
from oddtwin.operations.checking import free_name
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.schema import BLOCK, ESTIMATE, MACHINE, PIECE, RATES, RUN

MOST: Final = 1e9
"""Larger figures are slips of the keys."""


class MachineFigures(TypedDict, total=False):
    """Minutes of heating and homing, cost an hour, and power in watts of a machine."""

    overhead_min: float
    cost_per_h: float
    power_w: float


class Size(TypedDict):
    """One nominal size of a piece."""

    name: str
    mm: float


class Estimate(TypedDict, total=False):
    """What one print takes: minutes and grams."""

    minutes: float
    part_g: float
    waste_g: float


class PieceDetails(Estimate, total=False):
    """What is known of a piece besides its name."""

    zones: list[str]
    faults: list[str]
    sizes: list[Size]


class RatesDetails(TypedDict, total=False):
    """Fields of ``Rates``."""

    energy_per_kwh: float
    labour_per_h: float
    hands_min: float
    check_min: float
    weekdays: str
    weekend: str
    overnight: bool
    currency: str


def add_machine(book: LabBook, *, name: str) -> Record | None:
    """Add a machine; names are unique.

    Raises
    ------
    StoreError
        The name is missing or taken.
    """
    cleaned = named(name, mark("machine"))

    def change(edit: Edit) -> None:
        free_name(edit, MACHINE, mark("machine"), cleaned)
        edit.insert(MACHINE, name=cleaned)

    return book.edit(tr("add machine {cleaned}", cleaned=cleaned), change)


def edit_machine(
    book: LabBook, *, machine_id: int, name: str, **values: Unpack[MachineFigures]
) -> Record | None:
    """Change figures of a machine; one below zero or too large is refused.

    Raises
    ------
    StoreError
        A figure is below zero or too large.
    """
    check_figures(name, values)
    return book.edit(
        tr("edit machine {name}", name=name), lambda edit: edit.update(MACHINE, machine_id, **values)
    )


def remove_machine(book: LabBook, *, machine_id: int, name: str) -> Record | None:
    """Take out a machine that no run was planned on.

    Raises
    ------
    StoreError
        Runs were planned on it.
    """

    def change(edit: Edit) -> None:
        if edit.ids(BLOCK, "machine_id", machine_id) or edit.ids(RUN, "machine_id", machine_id):
            raise StoreError(tr("{name} has runs in a study, so it stays in the lab book.", name=name))
        edit.delete(MACHINE, machine_id)

    return book.edit(tr("remove machine {name}", name=name), change)


def add_piece(
    book: LabBook,
    *,
    name: str,
    zones: list[str] | None = None,
    minutes: float = 0.0,
    part_g: float = 0.0,
    waste_g: float = 0.0,
    faults: list[str] | None = None,
) -> Record | None:
    """Add a piece with its zones, what one print takes (minutes, grams), and the faults it can show.

    Raises
    ------
    StoreError
        The name is missing or taken.
    """
    cleaned = named(name, mark("piece"))

    def change(edit: Edit) -> None:
        free_name(edit, PIECE, mark("piece"), cleaned)
        edit.insert(
            PIECE,
            name=cleaned,
            zones=zones or [],
            minutes=minutes,
            part_g=part_g,
            waste_g=waste_g,
            faults=faults or [],
            sizes=[],
        )

    return book.edit(tr("add piece {cleaned}", cleaned=cleaned), change)


def edit_piece(book: LabBook, *, piece_id: int, name: str, **values: Unpack[PieceDetails]) -> Record | None:
    """Change what is known of a piece; figures below zero or too large are refused.

    Raises
    ------
    StoreError
        A figure is below zero or too large.
    """
    check_figures(name, values)
    return book.edit(tr("edit piece {name}", name=name), lambda edit: edit.update(PIECE, piece_id, **values))


def set_estimate(
    book: LabBook, *, piece_id: int, machine_id: int, name: str, **values: Unpack[Estimate]
) -> Record | None:
    """Say what one print of a piece takes on one machine.

    What is not given is taken over from the piece; with no values at all the machine has
    no estimate of its own any more.

    Raises
    ------
    StoreError
        A figure is below zero or too large.
    """
    check_figures(name, values)

    return book.edit(
        tr("estimate {name} on a machine", name=name),
        lambda edit: put_estimate(edit, piece_id, machine_id, **values),
    )


def put_estimate(edit: Edit, piece_id: int, machine_id: int, **values: Unpack[Estimate]) -> None:
    """Put the estimate of a piece on a machine in place inside a larger edit; no values take it out."""
    there = [row for row in edit.rows(ESTIMATE, "piece_id", piece_id) if row["machine_id"] == machine_id]
    if not values:
        for row in there:
            edit.delete(ESTIMATE, row["id"])
    elif there:
        edit.update(ESTIMATE, there[0]["id"], **values)
    else:
        piece = edit.get(PIECE, piece_id)
        usual = {key: piece[key] for key in ("minutes", "part_g", "waste_g")}
        edit.insert(ESTIMATE, piece_id=piece_id, machine_id=machine_id, **{**usual, **values})


def edit_rates(book: LabBook, **values: Unpack[RatesDetails]) -> Record | None:
    """Change what the workshop pays, or when somebody is there.

    Raises
    ------
    StoreError
        Hours that cannot be read, or a figure that is below zero or too large.
    """
    check_figures(tr("The workshop"), values)
    for hours in (values.get("weekdays"), values.get("weekend")):
        if hours is not None:
            try:
                parse_hours(hours)
            except ValueError as error:
                raise StoreError(str(error)) from None

    def change(edit: Edit) -> None:
        row = next(iter(edit.rows(RATES, "id", 1)), None)
        if row is None:
            edit.insert(RATES, **{**asdict(Rates()), **values})
        else:
            edit.update(RATES, row["id"], **values)

    return book.edit(tr("edit the workshop’s figures"), change)


def remove_piece(book: LabBook, *, piece_id: int, name: str) -> Record | None:
    """Take out a piece that no run was planned with.

    Raises
    ------
    StoreError
        Runs were planned with it.
    """

    def change(edit: Edit) -> None:
        if edit.ids(BLOCK, "piece_id", piece_id):
            raise StoreError(tr("{name} has runs in a study, so it stays in the lab book.", name=name))
        edit.delete(PIECE, piece_id)

    return book.edit(tr("remove piece {name}", name=name), change)


def check_figures(name: str, values: Mapping[str, Any]) -> None:
    """Refuse minutes, grams and money that cannot be.

    Raises
    ------
    StoreError
        A figure is below zero or too large.
    """
    figures = [value for value in values.values() if isinstance(value, int | float)]
    if any(value < 0 for value in figures):
        raise StoreError(tr("{name}: a figure cannot be below zero.", name=name))
    if any(not value <= MOST for value in figures):
        raise StoreError(tr("{name}: a figure is too large; check the unit.", name=name))


def named(text: str, noun: str) -> str:
    """Return a name without needless blanks.

    Raises
    ------
    StoreError
        There is none.
    """
    # Blanks only: a line break is refused where it is stored, and not taken for one.
    cleaned = " ".join(part for part in text.strip().split(" ") if part)
    if not cleaned:
        raise StoreError(tr("Please type a name for the {noun} first.", noun=tr(noun)))
    return cleaned
