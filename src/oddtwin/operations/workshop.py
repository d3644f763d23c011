"""Edits of the workshop: machines with their change logs, and pieces."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import datetime
from typing import Any, Final, TypedDict, Unpack

from oddtwin.core.quantities import now, read_moment, write_moment
from oddtwin.core.schedule import parse_hours
from oddtwin.core.study import Rates
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.schema import BLOCK, ESTIMATE, MACHINE, MACHINE_CHANGE, PIECE, RATES, RUN, SPOOL

MOST: Final = 1e9
"""Larger figures are slips of the keys."""


class MachineFigures(TypedDict, total=False):
    """Minutes of heating and homing, cost an hour, and power in watts of a machine."""

    overhead_min: float
    cost_per_h: float
    power_w: float


class ChangeDetails(TypedDict, total=False):
    """What else is told of an alteration; ``mass_g`` is added to the moving axis."""

    note: str
    minutes: float
    cost: float
    mass_g: float
    way_back: str


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


class SpoolDetails(TypedDict, total=False):
    """What is known of a spool; None where it was not weighed, or nobody said."""

    price_per_kg: float
    left_g: float | None
    material: str
    diameter_mm: float
    density_g_cm3: float | None


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
    cleaned = named(name, "machine")

    def change(edit: Edit) -> None:
        if edit.ids(MACHINE, "name", cleaned):
            raise StoreError(f"There is a machine called “{cleaned}” already.")
        edit.insert(MACHINE, name=cleaned)

    return book.edit(f"add machine {cleaned}", change)


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
    return book.edit(f"edit machine {name}", lambda edit: edit.update(MACHINE, machine_id, **values))


def remove_machine(book: LabBook, *, machine_id: int, name: str) -> Record | None:
    """Take out a machine that no run was planned on.

    Raises
    ------
    StoreError
        Runs were planned on it.
    """

    def change(edit: Edit) -> None:
        if edit.ids(BLOCK, "machine_id", machine_id) or edit.ids(RUN, "machine_id", machine_id):
            raise StoreError(f"{name} has runs in a study, so it stays in the lab book.")
        edit.delete(MACHINE, machine_id)

    return book.edit(f"remove machine {name}", change)


def log_machine_change(
    book: LabBook,
    *,
    machine_id: int,
    kind: str,
    what: str,
    before: str,
    after: str,
    at: datetime | None = None,
    **more: Unpack[ChangeDetails],
) -> Record | None:
    """Write one alteration into a machine's change log, now or as of when it was made.

    Raises
    ------
    StoreError
        What was changed is missing, or it lies in the future.
    """
    cleaned = named(what, "change")
    if at is not None and at > now():
        raise StoreError("That is in the future; log a change once it is made.")
    when = {} if at is None else {"at": write_moment(at)}

    def change(edit: Edit) -> None:
        insert_machine_change(
            edit, machine_id=machine_id, kind=kind, what=cleaned, before=before, after=after, **more, **when
        )

    return book.edit(f"log {cleaned}", change)


def insert_machine_change(edit: Edit, **values: Any) -> None:
    """Add a line to a machine's change log inside a larger edit, dated now where it is not told when."""
    edit.insert(MACHINE_CHANGE, **{"at": write_moment(now()), **values})


def put_back(book: LabBook, *, change_id: int) -> Record | None:
    """Log that a change was put back: what it was before is what it is now.

    Raises
    ------
    StoreError
        Nobody wrote what it was before, or it was changed again since.
    """

    def change(edit: Edit) -> None:
        old = edit.get(MACHINE_CHANGE, change_id)
        if not old["before"].strip():
            raise StoreError(f"Nobody wrote what {old['what']} was before; log by hand what it is now.")
        log = edit.rows(MACHINE_CHANGE, "machine_id", old["machine_id"])
        # By the name that the make-up goes by.
        key = old["kind"], old["what"].casefold()
        of_it = [row for row in log if (row["kind"], row["what"].casefold()) == key]
        newest = max(of_it, key=lambda row: (read_moment(row["at"]), row["id"]))
        if newest["id"] != change_id:
            raise StoreError(f"{old['what']} was changed again since; put that back first.")
        insert_machine_change(
            edit,
            machine_id=old["machine_id"],
            kind=old["kind"],
            what=old["what"],
            before=old["after"],
            after=old["before"],
            mass_g=-old["mass_g"],
            note=f"put back as of {old['at'][:10]}",
        )

    return book.edit("put a change back", change)


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
    cleaned = named(name, "piece")

    def change(edit: Edit) -> None:
        if edit.ids(PIECE, "name", cleaned):
            raise StoreError(f"There is a piece called “{cleaned}” already.")
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

    return book.edit(f"add piece {cleaned}", change)


def edit_piece(book: LabBook, *, piece_id: int, name: str, **values: Unpack[PieceDetails]) -> Record | None:
    """Change what is known of a piece; figures below zero or too large are refused.

    Raises
    ------
    StoreError
        A figure is below zero or too large.
    """
    check_figures(name, values)
    return book.edit(f"edit piece {name}", lambda edit: edit.update(PIECE, piece_id, **values))


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
        f"estimate {name} on a machine", lambda edit: put_estimate(edit, piece_id, machine_id, **values)
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


def add_spool(book: LabBook, *, name: str) -> Record | None:
    """Add a spool; names are unique.

    Raises
    ------
    StoreError
        The name is missing or taken.
    """
    cleaned = named(name, "spool")

    def change(edit: Edit) -> None:
        if edit.ids(SPOOL, "name", cleaned):
            raise StoreError(f"There is a spool called “{cleaned}” already.")
        edit.insert(SPOOL, name=cleaned)

    return book.edit(f"add spool {cleaned}", change)


def edit_spool(book: LabBook, *, spool_id: int, name: str, **values: Unpack[SpoolDetails]) -> Record | None:
    """Change what is known of a spool; a density that nobody said follows from the material.

    Raises
    ------
    StoreError
        A figure is below zero or too large.
    """
    check_figures(name, values)
    for figure in (values.get("diameter_mm"), values.get("density_g_cm3")):
        if figure is not None and not 0 < figure < 100:
            raise StoreError(f"{name}: give diameter and density above zero and below 100.")
    return book.edit(f"edit spool {name}", lambda edit: edit.update(SPOOL, spool_id, **values))


def remove_spool(book: LabBook, *, spool_id: int, name: str) -> Record | None:
    """Take a spool out of the workshop; runs keep its name."""
    return book.edit(f"remove spool {name}", lambda edit: edit.delete(SPOOL, spool_id))


def edit_rates(book: LabBook, **values: Unpack[RatesDetails]) -> Record | None:
    """Change what the workshop pays, or when somebody is there.

    Raises
    ------
    StoreError
        Hours that cannot be read, or a figure that is below zero or too large.
    """
    check_figures("The workshop", values)
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

    return book.edit("edit the workshop’s figures", change)


def remove_piece(book: LabBook, *, piece_id: int, name: str) -> Record | None:
    """Take out a piece that no run was planned with.

    Raises
    ------
    StoreError
        Runs were planned with it.
    """

    def change(edit: Edit) -> None:
        if edit.ids(BLOCK, "piece_id", piece_id):
            raise StoreError(f"{name} has runs in a study, so it stays in the lab book.")
        edit.delete(PIECE, piece_id)

    return book.edit(f"remove piece {name}", change)


def check_figures(name: str, values: Mapping[str, Any]) -> None:
    """Refuse minutes, grams and money that cannot be.

    Raises
    ------
    StoreError
        A figure is below zero or too large.
    """
    figures = [value for value in values.values() if isinstance(value, int | float)]
    if any(value < 0 for value in figures):
        raise StoreError(f"{name}: a figure cannot be below zero.")
    if any(not value <= MOST for value in figures):
        raise StoreError(f"{name}: a figure is too large; check the unit.")


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
        raise StoreError(f"Please type a name for the {noun} first.")
    return cleaned
