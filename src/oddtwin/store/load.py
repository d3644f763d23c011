"""Reading a lab book: rows become the values that the core knows."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from sqlalchemy import Connection, RowMapping, Select, Table, func, select

from oddtwin.core.effects import NoiseFloor, noise_from_twins
from oddtwin.core.quantities import read_moment
from oddtwin.core.readings import Combine, ResponseType
from oddtwin.core.study import (
    Arm,
    ArmFile,
    ArmRole,
    Deviation,
    Estimate,
    Factor,
    HeldItem,
    Level,
    Look,
    LookAt,
    Machine,
    MachineChange,
    Piece,
    Plan,
    Rates,
    Recheck,
    Response,
    Run,
    Spool,
    Study,
    StudyBlock,
    TwinCheckResult,
)
from oddtwin.store.border import check_links, made, telling
from oddtwin.store.errors import StoreError
from oddtwin.store.rows import (
    check_of,
    decision_of,
    machine_of,
    piece_of,
    plan_of,
    readings_of,
    response_of,
    run_of,
    slot_of,
)
from oddtwin.store.schema import (
    ARM,
    ARM_FILE,
    ARM_LEVEL,
    BLOCK,
    DEVIATION,
    ESTIMATE,
    FACTOR,
    HELD,
    LEVEL,
    LOG,
    LOOK,
    MACHINE,
    MACHINE_CHANGE,
    PIECE,
    PLAN,
    PLAN_MACHINE,
    PLAN_PIECE,
    PREDICTION,
    RATES,
    READING,
    RECHECK,
    RESPONSE,
    RUN,
    SLOT,
    SPOOL,
    STUDY,
    TWIN_CHECK,
)


def load_study(connection: Connection, study_id: int) -> Study:
    """Read one study whole.

    Raises
    ------
    StoreError
        There is no such study, or something in it cannot be: the sentence names study and row.
    """
    head = connection.execute(select(STUDY).where(STUDY.c.id == study_id)).mappings().first()
    if head is None:
        raise StoreError("That study is no longer in the lab book.")
    with telling(f"The study “{head['name']}”"):
        study = _load(connection, study_id, head)
        check_links(study)
    return study


def _load(connection: Connection, study_id: int, head: RowMapping) -> Study:
    of_study = {
        table.name: _rows(connection, table, table.c.study_id == study_id)
        for table in (ARM, FACTOR, RESPONSE, HELD, PLAN, BLOCK, RUN)
    }
    plan = next((made(PLAN, row, lambda row: _plan(connection, row)) for row in of_study["plan"]), None)
    in_run = RUN.c.study_id == study_id
    readings = select(READING).join(RUN, RUN.c.id == READING.c.run_id).where(in_run).order_by(READING.c.id)
    deviations = select(DEVIATION).join(RUN, RUN.c.id == DEVIATION.c.run_id).where(in_run)
    return Study(
        id=study_id,
        name=head["name"],
        question=head["question"],
        created=read_moment(head["created"]),
        arms=_arms(connection, of_study["arm"]),
        factors=_factors(connection, of_study["factor"]),
        responses=tuple(made(RESPONSE, row, response_of) for row in of_study["response"]),
        held=tuple(HeldItem(row["id"], row["text"]) for row in of_study["held"]),
        plan=plan,
        blocks=tuple(
            StudyBlock(row["id"], row["label"], row["machine_id"], row["piece_id"])
            for row in of_study["block"]
        ),
        runs=_runs(connection, study_id, of_study["run"]),
        readings=readings_of(connection.execute(readings).mappings().all()),
        deviations=tuple(
            Deviation(row["id"], row["run_id"], row["text"])
            for row in connection.execute(deviations.order_by(DEVIATION.c.id)).mappings()
        ),
        decision=decision_of(head),
        looks=_looks(connection, study_id),
        rechecks=_rechecks(connection, study_id),
        machines={machine.id: machine for machine in load_machines(connection)},
        pieces={piece.id: piece for piece in load_pieces(connection)},
        spools=load_spools(connection),
        rates=load_rates(connection),
        changes=_changes_since(connection, plan) if plan else (),
        files=_files(connection, study_id),
        checks=_checks(connection, study_id),
    )


def load_machines(connection: Connection) -> list[Machine]:
    """Read all machines by name."""
    query = select(MACHINE).order_by(MACHINE.c.name, MACHINE.c.id)
    return [made(MACHINE, row, machine_of) for row in connection.execute(query).mappings()]


def load_pieces(connection: Connection) -> list[Piece]:
    """Read all pieces by name."""
    on_machines: dict[int, dict[int, Estimate]] = defaultdict(dict)
    for row in connection.execute(select(ESTIMATE)).mappings():
        takes = Estimate(row["minutes"], row["part_g"], row["waste_g"])
        on_machines[row["piece_id"]][row["machine_id"]] = takes
    query = select(PIECE).order_by(PIECE.c.name, PIECE.c.id)
    return [
        made(PIECE, row, lambda row: piece_of(row, on_machines[row["id"]]))
        for row in connection.execute(query).mappings()
    ]


def load_spools(connection: Connection) -> tuple[Spool, ...]:
    """Read all spools by name."""
    query = select(SPOOL).order_by(SPOOL.c.name, SPOOL.c.id)
    return tuple(made(SPOOL, row, lambda row: Spool(**row)) for row in connection.execute(query).mappings())


def load_rates(connection: Connection) -> Rates:
    """Read what the workshop pays and when somebody is there; the usual values where nothing is set."""
    row = connection.execute(select(RATES)).mappings().first()
    return Rates(**{name: value for name, value in row.items() if name != "id"}) if row else Rates()


def load_machine_changes(connection: Connection) -> list[MachineChange]:
    """Read the change logs of all machines, newest first."""
    return _changes(connection, select(MACHINE_CHANGE))


def load_log(connection: Connection, limit: int = 500) -> list[tuple[str, str, str]]:
    """Read the newest lines of the log: when, kind and title."""
    query = select(LOG.c.at, LOG.c.kind, LOG.c.title).order_by(LOG.c.id.desc()).limit(limit)
    return [(row.at, row.kind, row.title) for row in connection.execute(query)]


def known_noise(connection: Connection, study: Study, anywhere: bool = False) -> dict[int, NoiseFloor]:
    """Pool the twins of other studies, for each response of one study.

    Parameters
    ----------
    connection : Connection
        For reading.
    study : Study
        Whose responses are asked for; its own twins are left out.
    anywhere : bool
        Whether twins on other machines and of other pieces will do: good enough to plan
        with, and to be called so; not to judge with.

    Returns
    -------
    dict of response id to NoiseFloor
        From measured numbers of the same name and unit, on the same machines and
        pieces; set-aside prints left out.
    """
    here = {(block.machine_id, block.piece_id) for block in study.blocks}
    places = None if anywhere else here
    found = {}
    for response in study.responses:
        if response.type is ResponseType.NUMBER and response.target is None:
            noise = _noise_elsewhere(connection, study, response, places)
            if noise is not None:
                found[response.id] = noise
    return found


def _noise_elsewhere(
    connection: Connection,
    study: Study,
    response: Response,
    places: set[tuple[int | None, int | None]] | None,
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
        )
        .group_by(RUN.c.id)
    )
    if places is not None:
        query = query.where(BLOCK.c.machine_id.in_({machine for machine, _ in places}))
    twins: dict[tuple[int, int], list[float]] = defaultdict(list)
    for row in connection.execute(query):
        if places is None or (row.machine_id, row.piece_id) in places:
            twins[row.block_id, row.arm_id].append(row.value)
    return noise_from_twins(twins.values())


def _changes_since(connection: Connection, plan: Plan) -> tuple[MachineChange, ...]:
    """Changes of the plan's machines since their make-up was frozen."""
    if plan.frozen is None:
        return ()
    of_plan = MACHINE_CHANGE.c.machine_id.in_(plan.machine_ids)
    made = _changes(connection, select(MACHINE_CHANGE).where(of_plan))
    return tuple(change for change in made if change.at > plan.frozen)


def _changes(connection: Connection, query: Select[Any]) -> list[MachineChange]:
    newest = query.order_by(func.julianday(MACHINE_CHANGE.c.at).desc(), MACHINE_CHANGE.c.id.desc())
    return [
        made(MACHINE_CHANGE, row, lambda row: MachineChange(**{**row, "at": read_moment(row["at"])}))
        for row in connection.execute(newest).mappings()
    ]


def _arms(connection: Connection, rows: list[RowMapping]) -> tuple[Arm, ...]:
    levels: dict[int, list[int]] = defaultdict(list)
    query = (
        select(ARM_LEVEL).where(ARM_LEVEL.c.arm_id.in_([row["id"] for row in rows])).order_by(ARM_LEVEL.c.id)
    )
    for link in connection.execute(query).mappings():
        levels[link["arm_id"]].append(link["level_id"])
    return tuple(
        Arm(
            row["id"],
            row["name"],
            row["is_baseline"],
            tuple(levels[row["id"]]),
            ArmRole(row["role"]),
            row["of_change"],
        )
        for row in rows
    )


def _factors(connection: Connection, rows: list[RowMapping]) -> tuple[Factor, ...]:
    levels: dict[int, list[Level]] = defaultdict(list)
    of_factors = LEVEL.c.factor_id.in_([row["id"] for row in rows])
    for item in connection.execute(
        select(LEVEL).where(of_factors).order_by(LEVEL.c.position, LEVEL.c.id)
    ).mappings():
        values = {name: value for name, value in item.items() if name not in ("factor_id", "position")}
        levels[item["factor_id"]].append(Level(**values))
    return tuple(
        Factor(
            row["id"],
            row["kind"],
            row["name"],
            tuple(levels[row["id"]]),
            row["disturbs"],
            row["disturbs_by_hand"],
        )
        for row in rows
    )


def _rechecks(connection: Connection, study_id: int) -> tuple[Recheck, ...]:
    query = (
        select(RECHECK)
        .join(RUN, RUN.c.id == RECHECK.c.run_id)
        .where(RUN.c.study_id == study_id)
        .order_by(RECHECK.c.id)
    )
    return tuple(
        Recheck(**{**row, "at": read_moment(row["at"])}) for row in connection.execute(query).mappings()
    )


def _runs(connection: Connection, study_id: int, rows: list[RowMapping]) -> tuple[Run, ...]:
    query = select(SLOT).join(RUN, RUN.c.id == SLOT.c.run_id).where(RUN.c.study_id == study_id)
    slots = {row["run_id"]: made(SLOT, row, slot_of) for row in connection.execute(query).mappings()}
    return tuple(made(RUN, row, lambda row: run_of(row, slots.get(row["id"]))) for row in rows)


def _looks(connection: Connection, study_id: int) -> tuple[Look, ...]:
    return tuple(
        made(
            LOOK,
            row,
            lambda row: Look(read_moment(row["at"]), row["who"], LookAt(row["what"]), row["advised"]),
        )
        for row in _rows(connection, LOOK, LOOK.c.study_id == study_id)
    )


def _files(connection: Connection, study_id: int) -> tuple[ArmFile, ...]:
    query = select(ARM_FILE).join(ARM, ARM.c.id == ARM_FILE.c.arm_id).where(ARM.c.study_id == study_id)
    rows = connection.execute(query.order_by(ARM_FILE.c.id)).mappings().all()
    seconds = load_seconds(connection, [row["id"] for row in rows])
    return tuple(ArmFile(**row, seconds=seconds[row["id"]]) for row in rows)


def load_seconds(connection: Connection, file_ids: Sequence[int]) -> dict[int, dict[int, float]]:
    """Read the predicted seconds of sliced files: by file id, then by machine id."""
    found: dict[int, dict[int, float]] = {key: {} for key in file_ids}
    for row in _rows(connection, PREDICTION, PREDICTION.c.arm_file_id.in_(file_ids)):
        found[row["arm_file_id"]][row["machine_id"]] = row["seconds"]
    return found


def _checks(connection: Connection, study_id: int) -> tuple[TwinCheckResult, ...]:
    return tuple(
        made(TWIN_CHECK, row, check_of)
        for row in _rows(connection, TWIN_CHECK, TWIN_CHECK.c.study_id == study_id)
    )


def _plan(connection: Connection, row: RowMapping) -> Plan:
    machines = _rows(connection, PLAN_MACHINE, PLAN_MACHINE.c.plan_id == row["id"])
    return plan_of(row, machines, _rows(connection, PLAN_PIECE, PLAN_PIECE.c.plan_id == row["id"]))


def _rows(connection: Connection, table: Table, where: Any) -> list[RowMapping]:
    order = [table.c.position, table.c.id] if "position" in table.c else [table.c.id]
    return list(connection.execute(select(table).where(where).order_by(*order)).mappings())
