"""Reading the workshop: machines and their logs, pieces and views, spools, rates, rig, faults, eyes."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from sqlalchemy import Connection, RowMapping, Select, func, select

from oddtwin.core.study import (
    Container,
    Estimate,
    KeptCalibration,
    Machine,
    MachineChange,
    Piece,
    Rates,
    Rig,
    Spool,
    Threshold,
    View,
    WorkshopFault,
)
from oddtwin.core.toolpath.motion import limits_from
from oddtwin.store.border import made, made_all
from oddtwin.store.codec import reader, value_of
from oddtwin.store.schema import (
    CALIBRATION,
    CONTAINER,
    ESTIMATE,
    FAULT,
    MACHINE,
    MACHINE_CHANGE,
    PIECE,
    RATES,
    RIG,
    SPOOL,
    THRESHOLD,
    VIEW,
)


def load_machines(connection: Connection) -> list[Machine]:
    """Read all machines by name."""
    query = select(MACHINE).order_by(MACHINE.c.name, MACHINE.c.id)
    return [made(MACHINE, row, _machine) for row in connection.execute(query).mappings()]


def load_pieces(connection: Connection) -> list[Piece]:
    """Read all pieces by name."""
    on_machines: dict[int, dict[int, Estimate]] = defaultdict(dict)
    # All at once: a query for each piece would take longer than the rest of the study.
    for row in connection.execute(select(ESTIMATE)).mappings():
        on_machines[row["piece_id"]][row["machine_id"]] = made(ESTIMATE, row, reader(Estimate))
    views: dict[int, list[View]] = defaultdict(list)
    in_order = select(VIEW).order_by(VIEW.c.position, VIEW.c.id)
    for view in made_all(VIEW, View, list(connection.execute(in_order).mappings())):
        views[view.piece_id].append(view)
    query = select(PIECE).order_by(PIECE.c.name, PIECE.c.id)
    return [
        made(
            PIECE,
            row,
            lambda row: value_of(
                Piece, row, on_machines=on_machines[row["id"]], views=tuple(views[row["id"]])
            ),
        )
        for row in connection.execute(query).mappings()
    ]


def load_spools(connection: Connection) -> tuple[Spool, ...]:
    """Read all spools by name."""
    query = select(SPOOL).order_by(SPOOL.c.name, SPOOL.c.id)
    return made_all(SPOOL, Spool, list(connection.execute(query).mappings()))


def load_containers(connection: Connection) -> tuple[Container, ...]:
    """Read what prints are weighed in, by name."""
    query = select(CONTAINER).order_by(CONTAINER.c.name, CONTAINER.c.id)
    return made_all(CONTAINER, Container, list(connection.execute(query).mappings()))


def load_rates(connection: Connection) -> Rates:
    """Read what the workshop pays and when somebody is there; the usual values where nothing is set."""
    row = connection.execute(select(RATES)).mappings().first()
    return made(RATES, row, reader(Rates)) if row else Rates()


def load_rig(connection: Connection) -> Rig:
    """Read how photographs are taken; the usual where nothing is set."""
    row = connection.execute(select(RIG)).mappings().first()
    return made(RIG, row, reader(Rig)) if row else Rig()


def load_faults(connection: Connection) -> tuple[WorkshopFault, ...]:
    """Read the workshop's own faults, in their order."""
    query = select(FAULT).order_by(FAULT.c.position, FAULT.c.id)
    return made_all(FAULT, WorkshopFault, list(connection.execute(query).mappings()))


def load_thresholds(connection: Connection) -> tuple[Threshold, ...]:
    """Read what each judge's eyes see, oldest first."""
    query = select(THRESHOLD).order_by(THRESHOLD.c.id)
    return made_all(THRESHOLD, Threshold, list(connection.execute(query).mappings()))


def load_calibrations(connection: Connection) -> tuple[KeptCalibration, ...]:
    """Read all calibrations, oldest first."""
    query = select(CALIBRATION).order_by(CALIBRATION.c.id)
    return made_all(CALIBRATION, KeptCalibration, list(connection.execute(query).mappings()))


def load_machine_changes(connection: Connection) -> list[MachineChange]:
    """Read the change logs of all machines, newest first."""
    return changes_of(connection, select(MACHINE_CHANGE))


def changes_of(connection: Connection, query: Select[Any]) -> list[MachineChange]:
    """Read the machine changes that a query asks for, newest first."""
    newest = query.order_by(func.julianday(MACHINE_CHANGE.c.at).desc(), MACHINE_CHANGE.c.id.desc())
    return list(made_all(MACHINE_CHANGE, MachineChange, list(connection.execute(newest).mappings())))


def _machine(row: RowMapping) -> Machine:
    machine = value_of(Machine, row)
    limits_from(machine.motion)
    return machine
