"""Rows of the lab book as values of the core."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import RowMapping

from oddtwin.core.design import design_from_values
from oddtwin.core.quantities import read_moment
from oddtwin.core.readings import Better, Combine, ResponseType
from oddtwin.core.study import (
    Decision,
    DecisionKind,
    Estimate,
    Machine,
    NominalSize,
    Piece,
    Plan,
    Response,
    Role,
    Run,
    RunReading,
    Slot,
    TwinCheckResult,
)
from oddtwin.core.toolpath.motion import limits_from
from oddtwin.store.border import LARGEST_FIGURE, finite, made
from oddtwin.store.columns import PLAIN, SIZES, TEXTS, checked_result
from oddtwin.store.schema import (
    READING,
)


def response_of(row: RowMapping) -> Response:
    """Make a response of its row; ValueError where it can be none."""
    if any(
        row[name] is not None and not row[name] > 0
        for name in ("margin", "resolution", "noise_sd", "noise_df")
    ):
        raise ValueError("its margin, step and noise are figures above zero")
    if (row["target"] is not None) != (row["better"] == Better.TARGET.value):
        raise ValueError("a target goes with the direction “target”, and only with it")
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
        noise_sd=row["noise_sd"],
        noise_df=row["noise_df"],
    )


def plan_of(row: RowMapping, machines: Sequence[RowMapping], pieces: Sequence[RowMapping]) -> Plan:
    """Make a plan of its row and those of its machines and pieces; ValueError where it can be none."""
    if min(row["seed"], row["twins"], row["repeats"] - 1) < 0:
        raise ValueError("its seed, twins and repeats are no counts")
    return Plan(
        repeats=row["repeats"],
        twins=row["twins"],
        seed=row["seed"],
        order_version=row["order_version"],
        machine_ids=tuple(item["machine_id"] for item in machines),
        piece_ids=tuple(item["piece_id"] for item in pieces),
        design=design_from_values(PLAIN.validate_python(row["design"])),
        spools=tuple(TEXTS.validate_python(row["spools"])),
        frozen=_moment(row["frozen"]),
    )


def run_of(row: RowMapping, slot: Slot | None) -> Run:
    """Make a run of its row and the slot it has on the timetable."""
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
        place=row["place"],
        turn_deg=row["turn_deg"],
        operator=row["operator"],
        machine_id=row["machine_id"],
        slot=slot,
        sha256=row["sha256"],
    )


def readings_of(rows: Sequence[RowMapping]) -> tuple[RunReading, ...]:
    """Make all readings at once; only where that fails is the row looked for that cannot be one."""
    values = [row["value"] for row in rows]
    try:
        sound = math.isfinite(math.fsum(values)) and max(map(abs, values), default=0.0) <= LARGEST_FIGURE
    except (TypeError, ValueError, OverflowError):
        sound = False
    if not sound:
        return tuple(made(READING, row, _reading) for row in rows)
    return tuple(
        RunReading(row["id"], row["run_id"], row["response_id"], row["zone"], value)
        for row, value in zip(rows, values, strict=True)
    )


def _reading(row: RowMapping) -> RunReading:
    return RunReading(row["id"], row["run_id"], row["response_id"], row["zone"], finite(row["value"]))


def machine_of(row: RowMapping) -> Machine:
    """Make a machine of its row; ValueError where its limits can be none."""
    motion = PLAIN.validate_python(row["motion"])
    limits_from(motion)
    return Machine(**{**row, "motion": motion})


def piece_of(row: RowMapping, on_machines: dict[int, Estimate]) -> Piece:
    """Make a piece of its row and what it takes on machines."""
    return Piece(
        id=row["id"],
        name=row["name"],
        zones=tuple(TEXTS.validate_python(row["zones"])),
        minutes=finite(row["minutes"]),
        part_g=finite(row["part_g"]),
        waste_g=finite(row["waste_g"]),
        faults=tuple(TEXTS.validate_python(row["faults"])),
        sizes=tuple(NominalSize(size.name, size.mm) for size in SIZES.validate_python(row["sizes"])),
        on_machines=on_machines,
    )


def slot_of(row: RowMapping) -> Slot:
    """Make a slot of the timetable of its row."""
    return Slot(read_moment(row["start"]), read_moment(row["end"]), row["pinned"])


def check_of(row: RowMapping) -> TwinCheckResult:
    """Make what a twin check found of its row."""
    return TwinCheckResult(row["id"], row["piece_id"], read_moment(row["at"]), checked_result(row["result"]))


def decision_of(row: RowMapping) -> Decision | None:
    """Make a decision of the row of its study; None where it is not settled."""
    if not row["decision"]:
        return None
    decided = read_moment(row["decided"])
    return Decision(DecisionKind(row["decision"]), row["decision_reason"], decided)


def _moment(text: str) -> datetime | None:
    return read_moment(text) if text else None
