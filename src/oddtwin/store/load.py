"""Reading a lab book: rows become the values that the core knows."""

from __future__ import annotations

from collections import defaultdict
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, RowMapping, Table, func, select

from oddtwin.core.effects import NoiseFloor, noise_from_twins
from oddtwin.core.readings import Better, Combine, ResponseType
from oddtwin.core.study import (
    Arm,
    Decision,
    DecisionKind,
    Deviation,
    Factor,
    HeldItem,
    Machine,
    MachineChange,
    Piece,
    Plan,
    Response,
    Role,
    Run,
    RunReading,
    Study,
    StudyBlock,
)
from oddtwin.store.errors import StoreError
from oddtwin.store.schema import (
    ARM,
    BLOCK,
    DEVIATION,
    FACTOR,
    HELD,
    LOG,
    MACHINE,
    MACHINE_CHANGE,
    PIECE,
    PLAN,
    READING,
    RESPONSE,
    RUN,
    STUDY,
)


def load_study(connection: Connection, study_id: int) -> Study:
    """Read one study whole.

    Raises
    ------
    StoreError
        There is no such study.
    """
    head = connection.execute(select(STUDY).where(STUDY.c.id == study_id)).mappings().first()
    if head is None:
        raise StoreError("That study is no longer in the lab book.")
    of_study = {
        table.name: _rows(connection, table, table.c.study_id == study_id)
        for table in (ARM, FACTOR, RESPONSE, HELD, PLAN, BLOCK, RUN)
    }
    in_run = RUN.c.study_id == study_id
    readings = select(READING).join(RUN, RUN.c.id == READING.c.run_id).where(in_run).order_by(READING.c.id)
    deviations = select(DEVIATION).join(RUN, RUN.c.id == DEVIATION.c.run_id).where(in_run)
    return Study(
        id=study_id,
        name=head["name"],
        question=head["question"],
        created=datetime.fromisoformat(head["created"]),
        arms=tuple(Arm(row["id"], row["name"], row["is_baseline"]) for row in of_study["arm"]),
        factors=tuple(_factor(row) for row in of_study["factor"]),
        responses=tuple(_response(row) for row in of_study["response"]),
        held=tuple(HeldItem(row["id"], row["text"]) for row in of_study["held"]),
        plan=next((_plan(row) for row in of_study["plan"]), None),
        blocks=tuple(
            StudyBlock(row["id"], row["label"], row["machine_id"], row["piece_id"])
            for row in of_study["block"]
        ),
        runs=tuple(_run(row) for row in of_study["run"]),
        readings=tuple(
            RunReading(row["id"], row["run_id"], row["response_id"], row["zone"], row["value"])
            for row in connection.execute(readings).mappings()
        ),
        deviations=tuple(
            Deviation(row["id"], row["run_id"], row["text"])
            for row in connection.execute(deviations.order_by(DEVIATION.c.id)).mappings()
        ),
        decision=_decision(head),
        verdict_seen=_moment(head["verdict_seen"]),
        machines={machine.id: machine for machine in load_machines(connection)},
        pieces={piece.id: piece for piece in load_pieces(connection)},
    )


def load_machines(connection: Connection) -> list[Machine]:
    """Read all machines by name."""
    query = select(MACHINE).order_by(MACHINE.c.name, MACHINE.c.id)
    return [Machine(row["id"], row["name"]) for row in connection.execute(query).mappings()]


def load_pieces(connection: Connection) -> list[Piece]:
    """Read all pieces by name."""
    query = select(PIECE).order_by(PIECE.c.name, PIECE.c.id)
    return [
        Piece(row["id"], row["name"], tuple(row["zones"]), row["minutes"], row["part_g"], row["waste_g"])
        for row in connection.execute(query).mappings()
    ]


def load_machine_changes(connection: Connection) -> list[MachineChange]:
    """Read the change logs of all machines, newest first."""
    query = select(MACHINE_CHANGE).order_by(MACHINE_CHANGE.c.at.desc(), MACHINE_CHANGE.c.id.desc())
    return [
        MachineChange(
            id=row["id"],
            machine_id=row["machine_id"],
            at=datetime.fromisoformat(row["at"]),
            kind=row["kind"],
            what=row["what"],
            before=row["before"],
            after=row["after"],
            note=row["note"],
        )
        for row in connection.execute(query).mappings()
    ]


def load_log(connection: Connection, limit: int = 500) -> list[tuple[str, str, str]]:
    """Read the newest lines of the log: when, kind and title."""
    query = select(LOG.c.at, LOG.c.kind, LOG.c.title).order_by(LOG.c.id.desc()).limit(limit)
    return [(row.at, row.kind, row.title) for row in connection.execute(query)]


def known_noise(connection: Connection, study: Study) -> dict[int, NoiseFloor]:
    """Pool the twins of other studies, for each response of one study.

    Parameters
    ----------
    connection : Connection
        For reading.
    study : Study
        Whose responses are asked for; its own twins are left out.

    Returns
    -------
    dict of response id to NoiseFloor
        From measured numbers of the same name and unit, on the same machines and
        pieces; set-aside prints left out.
    """
    places = {(block.machine_id, block.piece_id) for block in study.blocks}
    found = {}
    for response in study.responses:
        if response.type is ResponseType.NUMBER and response.target is None:
            noise = _noise_elsewhere(connection, study, response, places)
            if noise is not None:
                found[response.id] = noise
    return found


def _noise_elsewhere(
    connection: Connection, study: Study, response: Response, places: set[tuple[int | None, int | None]]
) -> NoiseFloor | None:
    gathered = func.sum if response.combine is Combine.SUM else func.avg
    query = (
        select(RUN.c.block_id, RUN.c.arm_id, BLOCK.c.machine_id, BLOCK.c.piece_id)
        .add_columns(gathered(READING.c.value).label("value"))
        .join(RESPONSE, RESPONSE.c.id == READING.c.response_id)
        .join(RUN, RUN.c.id == READING.c.run_id)
        .join(BLOCK, BLOCK.c.id == RUN.c.block_id)
        .where(
            RESPONSE.c.name == response.name,
            RESPONSE.c.unit == response.unit,
            RESPONSE.c.study_id != study.id,
            RUN.c.set_aside == "",
            BLOCK.c.machine_id.in_({machine for machine, _ in places}),
        )
        .group_by(RUN.c.id)
    )
    twins: dict[tuple[int, int], list[float]] = defaultdict(list)
    for row in connection.execute(query):
        if (row.machine_id, row.piece_id) in places:
            twins[row.block_id, row.arm_id].append(row.value)
    return noise_from_twins(twins.values())


def _rows(connection: Connection, table: Table, where: Any) -> list[RowMapping]:
    order = [table.c.position, table.c.id] if "position" in table.c else [table.c.id]
    return list(connection.execute(select(table).where(where).order_by(*order)).mappings())


def _factor(row: RowMapping) -> Factor:
    return Factor(row["id"], row["kind"], row["name"], row["baseline_level"], row["change_level"])


def _response(row: RowMapping) -> Response:
    return Response(
        id=row["id"],
        name=row["name"],
        unit=row["unit"],
        type=ResponseType(row["type"]),
        combine=Combine(row["combine"]),
        better=Better(row["better"]) if row["better"] else None,
        target=row["target"],
        margin=row["margin"],
        resolution=row["resolution"],
        primary=row["primary"],
        role=Role(row["role"]) if row["role"] else None,
        margin_moved=row["margin_moved"],
    )


def _plan(row: RowMapping) -> Plan:
    return Plan(
        pairs=row["pairs"],
        twins=row["twins"],
        seed=row["seed"],
        order_version=row["order_version"],
        machine_ids=tuple(row["machine_ids"]),
        piece_ids=tuple(row["piece_ids"]),
    )


def _run(row: RowMapping) -> Run:
    return Run(
        id=row["id"],
        code=row["code"],
        position=row["position"],
        arm_id=row["arm_id"],
        block_id=row["block_id"],
        started=_moment(row["started"]),
        finished=_moment(row["finished"]),
        spool=row["spool"],
        note=row["note"],
        set_aside=row["set_aside"],
        reprint_of=row["reprint_of"],
    )


def _decision(row: RowMapping) -> Decision | None:
    if not row["decision"]:
        return None
    decided = datetime.fromisoformat(row["decided"])
    return Decision(DecisionKind(row["decision"]), row["decision_reason"], decided)


def _moment(text: str) -> datetime | None:
    return datetime.fromisoformat(text) if text else None
