"""Reading a lab book: rows become the values that the core knows."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from sqlalchemy import Connection, RowMapping, Select, Table, func, select

from oddtwin.core.quantities import read_moment
from oddtwin.core.study import (
    Arm,
    ArmFile,
    Decision,
    DecisionKind,
    Deviation,
    Estimate,
    Factor,
    HeldItem,
    Level,
    Look,
    Machine,
    MachineChange,
    Piece,
    Plan,
    Plate,
    Rates,
    Recheck,
    Response,
    Run,
    RunReading,
    Slot,
    Spool,
    Study,
    StudyBlock,
    TwinCheckResult,
)
from oddtwin.core.toolpath.motion import limits_from
from oddtwin.store.border import check_links, made, made_all, telling
from oddtwin.store.codec import value_of
from oddtwin.store.columns import checked_result
from oddtwin.store.errors import StoreError
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
    PLATE,
    PREDICTION,
    RATES,
    READING,
    RECHECK,
    RESPONSE,
    RESPONSE_PIECE,
    RUN,
    SLOT,
    SPOOL,
    STUDY,
    TWIN_CHECK,
)

T = TypeVar("T")


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
    def mine(table: Table) -> list[RowMapping]:
        return _rows(connection, table, table.c.study_id == study_id)

    plan = next((made(PLAN, row, lambda row: _plan(connection, row)) for row in mine(PLAN)), None)
    return Study(
        id=study_id,
        name=head["name"],
        question=head["question"],
        created=read_moment(head["created"]),
        arms=_arms(connection, mine(ARM)),
        factors=_factors(connection, mine(FACTOR)),
        responses=_responses(connection, mine(RESPONSE)),
        held=made_all(HELD, HeldItem, mine(HELD)),
        plan=plan,
        blocks=made_all(BLOCK, StudyBlock, mine(BLOCK)),
        runs=_runs(connection, study_id, mine(RUN)),
        readings=made_all(READING, RunReading, _of_runs(connection, READING, study_id)),
        deviations=made_all(DEVIATION, Deviation, _of_runs(connection, DEVIATION, study_id)),
        decision=decision_of(head),
        looks=made_all(LOOK, Look, mine(LOOK)),
        rechecks=made_all(RECHECK, Recheck, _of_runs(connection, RECHECK, study_id)),
        machines={machine.id: machine for machine in load_machines(connection)},
        pieces={piece.id: piece for piece in load_pieces(connection)},
        spools=load_spools(connection),
        rates=load_rates(connection),
        changes=_changes_since(connection, plan) if plan else (),
        files=_files(connection, study_id),
        checks=tuple(made(TWIN_CHECK, row, _check) for row in mine(TWIN_CHECK)),
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
        on_machines[row["piece_id"]][row["machine_id"]] = made(ESTIMATE, row, _reader(Estimate))
    query = select(PIECE).order_by(PIECE.c.name, PIECE.c.id)
    return [
        made(PIECE, row, lambda row: value_of(Piece, row, on_machines=on_machines[row["id"]]))
        for row in connection.execute(query).mappings()
    ]


def load_spools(connection: Connection) -> tuple[Spool, ...]:
    """Read all spools by name."""
    query = select(SPOOL).order_by(SPOOL.c.name, SPOOL.c.id)
    return made_all(SPOOL, Spool, list(connection.execute(query).mappings()))


def load_rates(connection: Connection) -> Rates:
    """Read what the workshop pays and when somebody is there; the usual values where nothing is set."""
    row = connection.execute(select(RATES)).mappings().first()
    return made(RATES, row, _reader(Rates)) if row else Rates()


def load_machine_changes(connection: Connection) -> list[MachineChange]:
    """Read the change logs of all machines, newest first."""
    return _changes(connection, select(MACHINE_CHANGE))


def load_log(connection: Connection, limit: int = 500) -> list[tuple[str, str, str]]:
    """Read the newest lines of the log: when, kind and title."""
    query = select(LOG.c.at, LOG.c.kind, LOG.c.title).order_by(LOG.c.id.desc()).limit(limit)
    return [(row.at, row.kind, row.title) for row in connection.execute(query)]


def _changes_since(connection: Connection, plan: Plan) -> tuple[MachineChange, ...]:
    """Changes of the plan's machines since their make-up was frozen."""
    if plan.frozen is None:
        return ()
    of_plan = MACHINE_CHANGE.c.machine_id.in_(plan.machine_ids)
    made = _changes(connection, select(MACHINE_CHANGE).where(of_plan))
    # Earlier changes belong to the make-up that was frozen; only what came after it can disturb the study.
    return tuple(change for change in made if change.at > plan.frozen)


def _changes(connection: Connection, query: Select[Any]) -> list[MachineChange]:
    newest = query.order_by(func.julianday(MACHINE_CHANGE.c.at).desc(), MACHINE_CHANGE.c.id.desc())
    return list(made_all(MACHINE_CHANGE, MachineChange, list(connection.execute(newest).mappings())))


def decision_of(head: RowMapping) -> Decision | None:
    """Return how a study was settled, from its own row; None where it is not."""
    if not head["decision"]:
        return None
    return Decision(DecisionKind(head["decision"]), head["decision_reason"], read_moment(head["decided"]))


def _machine(row: RowMapping) -> Machine:
    machine = value_of(Machine, row)
    limits_from(machine.motion)
    return machine


def _check(row: RowMapping) -> TwinCheckResult:
    return value_of(TwinCheckResult, row, result=checked_result(row["result"]))


def _arms(connection: Connection, rows: list[RowMapping]) -> tuple[Arm, ...]:
    levels = _links(connection, ARM_LEVEL, "arm_id", "level_id", rows)
    return tuple(
        made(ARM, row, lambda row: value_of(Arm, row, level_ids=tuple(levels[row["id"]]))) for row in rows
    )


def _factors(connection: Connection, rows: list[RowMapping]) -> tuple[Factor, ...]:
    levels: dict[int, list[Level]] = defaultdict(list)
    of_factors = LEVEL.c.factor_id.in_([row["id"] for row in rows])
    for row in _rows(connection, LEVEL, of_factors):
        levels[row["factor_id"]].append(made(LEVEL, row, _reader(Level)))
    return tuple(
        made(FACTOR, row, lambda row: value_of(Factor, row, levels=tuple(levels[row["id"]]))) for row in rows
    )


def _responses(connection: Connection, rows: list[RowMapping]) -> tuple[Response, ...]:
    pieces = _links(connection, RESPONSE_PIECE, "response_id", "piece_id", rows)
    return tuple(
        made(RESPONSE, row, lambda row: value_of(Response, row, piece_ids=tuple(pieces[row["id"]])))
        for row in rows
    )


def _runs(connection: Connection, study_id: int, rows: list[RowMapping]) -> tuple[Run, ...]:
    in_study = PLATE.c.study_id == study_id
    slots = {
        row["plate_id"]: made(SLOT, row, _reader(Slot))
        for row in connection.execute(
            select(SLOT).join(PLATE, PLATE.c.id == SLOT.c.plate_id).where(in_study)
        ).mappings()
    }
    plates = {
        row["id"]: made(PLATE, row, lambda row: value_of(Plate, row, slot=slots.get(row["id"])))
        for row in _rows(connection, PLATE, in_study)
    }
    return tuple(
        made(RUN, row, lambda row: value_of(Run, row, plate=plates[row["plate_id"]])) for row in rows
    )


def _files(connection: Connection, study_id: int) -> tuple[ArmFile, ...]:
    query = select(ARM_FILE).join(ARM, ARM.c.id == ARM_FILE.c.arm_id).where(ARM.c.study_id == study_id)
    rows = connection.execute(query.order_by(ARM_FILE.c.id)).mappings().all()
    seconds = load_seconds(connection, [row["id"] for row in rows])
    return tuple(
        made(ARM_FILE, row, lambda row: value_of(ArmFile, row, seconds=seconds[row["id"]])) for row in rows
    )


def load_seconds(connection: Connection, file_ids: Sequence[int]) -> dict[int, dict[int, float]]:
    """Read the predicted seconds of sliced files: by file id, then by machine id."""
    found: dict[int, dict[int, float]] = {key: {} for key in file_ids}
    for row in _rows(connection, PREDICTION, PREDICTION.c.arm_file_id.in_(file_ids)):
        found[row["arm_file_id"]][row["machine_id"]] = row["seconds"]
    return found


def _plan(connection: Connection, row: RowMapping) -> Plan:
    machines = _rows(connection, PLAN_MACHINE, PLAN_MACHINE.c.plan_id == row["id"])
    pieces = _rows(connection, PLAN_PIECE, PLAN_PIECE.c.plan_id == row["id"])
    return value_of(
        Plan,
        row,
        machine_ids=tuple(item["machine_id"] for item in machines),
        piece_ids=tuple(item["piece_id"] for item in pieces),
    )


def _reader(kind: type[T]) -> Callable[[RowMapping], T]:
    """Return what makes a value of a row that holds all of it."""
    return lambda row: value_of(kind, row)


def _links(
    connection: Connection, table: Table, of: str, to: str, rows: Sequence[RowMapping]
) -> dict[int, list[int]]:
    """Return the ids that some rows are linked to, by their own ids."""
    found: dict[int, list[int]] = defaultdict(list)
    for link in _rows(connection, table, table.c[of].in_([row["id"] for row in rows])):
        found[link[of]].append(link[to])
    return found


def _of_runs(connection: Connection, table: Table, study_id: int) -> list[RowMapping]:
    """Return the rows that belong to the runs of a study."""
    query = select(table).join(RUN, RUN.c.id == table.c.run_id).where(RUN.c.study_id == study_id)
    return list(connection.execute(query.order_by(table.c.id)).mappings())


def _rows(connection: Connection, table: Table, where: Any) -> list[RowMapping]:
    # By id after the position, so that two rows of one position never change places between two readings.
    order = [table.c.position, table.c.id] if "position" in table.c else [table.c.id]
    return list(connection.execute(select(table).where(where).order_by(*order)).mappings())
