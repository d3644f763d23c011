"""Reading a lab book: rows become the values that the core knows."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Any, TypeVar

from sqlalchemy import Connection, RowMapping, Table, select

from oddtwin.core.language import tr
from oddtwin.core.quantities import read_moment
from oddtwin.core.runlist import owed_checks
from oddtwin.core.study import (
    Arm,
    ArmFile,
    BlindSession,
    Decision,
    DecisionKind,
    Deviation,
    Factor,
    HeldItem,
    Level,
    Look,
    Mark,
    Photograph,
    Plan,
    Plate,
    Recheck,
    Response,
    Run,
    RunReading,
    SessionAnswer,
    Slot,
    Study,
    StudyBlock,
    TwinCheckResult,
    tidy_tags,
)
from oddtwin.store.answered import load_answered
from oddtwin.store.border import check_links, made, made_all, telling
from oddtwin.store.codec import reader, value_of
from oddtwin.store.columns import PLAIN, checked_result
from oddtwin.store.errors import StoreError
from oddtwin.store.load_workshop import (
    changes_of,
    load_faults,
    load_machines,
    load_pieces,
    load_rates,
    load_rig,
    load_spools,
    load_thresholds,
)
from oddtwin.store.schema import (
    ANSWER,
    ARM,
    ARM_FILE,
    ARM_LEVEL,
    BLOCK,
    DEVIATION,
    FACTOR,
    HELD,
    LEVEL,
    LOOK,
    MACHINE_CHANGE,
    MARK,
    PHOTOGRAPH,
    PLAN,
    PLAN_MACHINE,
    PLAN_PIECE,
    PLATE,
    PREDICTION,
    READING,
    RECHECK,
    RESPONSE,
    RESPONSE_PIECE,
    RUN,
    SESSION,
    SLOT,
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
        raise StoreError(tr("That study is no longer in the lab book."))
    with telling(tr("The study “{head}”", head=head["name"])):
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
        **_log_of(connection, study_id, plan),
        files=_files(connection, study_id),
        checks=tuple(made(TWIN_CHECK, row, _check) for row in mine(TWIN_CHECK)),
        photographs=made_all(PHOTOGRAPH, Photograph, _of_runs(connection, PHOTOGRAPH, study_id)),
        marks=made_all(MARK, Mark, _of_runs(connection, MARK, study_id)),
        sessions=made_all(SESSION, BlindSession, mine(SESSION)),
        answers=load_answers(connection, study_id),
        rig=load_rig(connection),
        faults=load_faults(connection),
        thresholds=load_thresholds(connection),
        parent_id=head["parent_id"],
        tags=tidy_tags(head["tags"]),
    )


def load_answers(connection: Connection, study_id: int) -> tuple[SessionAnswer, ...]:
    """Read the answers of all blind sessions of a study, oldest first."""
    query = select(ANSWER).join(SESSION, SESSION.c.id == ANSWER.c.session_id)
    found = connection.execute(query.where(SESSION.c.study_id == study_id).order_by(ANSWER.c.id))
    return made_all(ANSWER, SessionAnswer, list(found.mappings()))


def load_sliced_names(connection: Connection) -> list[tuple[str, str]]:
    """Read the sliced files of all studies, newest first: each name with its study, and the hash."""
    query = (
        select(ARM_FILE.c.name, ARM_FILE.c.sha256, STUDY.c.name.label("study"))
        .join(ARM, ARM.c.id == ARM_FILE.c.arm_id)
        .join(STUDY, STUDY.c.id == ARM.c.study_id)
        .order_by(ARM_FILE.c.id.desc())
    )
    # The same file of two arms is one.
    found = {row.sha256: f"{row.name} – {row.study}" for row in connection.execute(query)}
    return [(name, sha256) for sha256, name in found.items()]


def load_instrument_names(connection: Connection) -> list[str]:
    """Read what responses of all studies are measured with, by name."""
    query = select(RESPONSE.c.instrument).where(RESPONSE.c.instrument != "").distinct()
    return sorted(connection.execute(query).scalars())


def _log_of(connection: Connection, study_id: int, plan: Plan | None) -> dict[str, Any]:
    """Read what the logs of the plan's machines mean to a study: changes meanwhile, and checks owed."""
    if plan is None or plan.frozen is None:
        return {}
    frozen = plan.frozen
    # The whole log of these machines, once: changes meanwhile and checks owed are cut from the same rows.
    of_plan = MACHINE_CHANGE.c.machine_id.in_(plan.machine_ids)
    logged = changes_of(connection, select(MACHINE_CHANGE).where(of_plan))
    owed = owed_checks(logged, load_answered(connection, study_id, plan.machine_ids), study_id)
    # Earlier changes belong to the make-up that was frozen; only what came after it can disturb the study.
    return {"changes": tuple(change for change in logged if change.at > frozen), "owed": owed}


def decision_of(head: RowMapping) -> Decision | None:
    """Return how a study was settled, from its own row; None where it is not."""
    if not head["decision"]:
        return None
    return Decision(
        DecisionKind(head["decision"]),
        head["decision_reason"],
        read_moment(head["decided"]),
        PLAIN.validate_python(head["prices"]),
        head["condition"],
        read_moment(head["verify_at"]) if head["verify_at"] else None,
        head["verify_hours"],
    )


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
        levels[row["factor_id"]].append(made(LEVEL, row, reader(Level)))
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
        row["plate_id"]: made(SLOT, row, reader(Slot))
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
