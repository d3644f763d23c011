"""What sliced files predict of every logged run, beside what was measured."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from contextlib import suppress

from sqlalchemy import Connection, RowMapping, func, select

from oddtwin.core.predicted import PredictedRun, said_of_spool
from oddtwin.core.quantities import convert
from oddtwin.core.readings import value_of as print_value
from oddtwin.core.study import Response, Role, RunReading, Spool
from oddtwin.store.codec import value_of
from oddtwin.store.load import load_seconds
from oddtwin.store.load_workshop import load_machines, load_spools
from oddtwin.store.schema import ARM, ARM_FILE, BLOCK, LOOK, PLATE, READING, RESPONSE, RUN, STUDY


def load_predictions(connection: Connection) -> list[PredictedRun]:
    """Read every run that was printed from a kept file and measured; set-aside runs are left out."""
    query = (
        select(RUN, BLOCK.c.machine_id.label("of_block"), STUDY.c.name.label("study"), ARM_FILE.c.filament_mm)
        .add_columns(ARM_FILE.c.volume_mm3, ARM_FILE.c.mass_g)
        .add_columns(ARM_FILE.c.id.label("file_id"), STUDY.c.decision, PLATE.c.sha256)
        .join(BLOCK, BLOCK.c.id == RUN.c.block_id)
        .join(PLATE, PLATE.c.id == RUN.c.plate_id)
        .join(STUDY, STUDY.c.id == RUN.c.study_id)
        .join(ARM, ARM.c.study_id == RUN.c.study_id)
        .join(ARM_FILE, (ARM_FILE.c.arm_id == ARM.c.id) & (ARM_FILE.c.sha256 == PLATE.c.sha256))
        .where(PLATE.c.sha256 != "", PLATE.c.finished != "", RUN.c.set_aside == "")
        .order_by(func.julianday(PLATE.c.finished), RUN.c.id)
    )
    machines = {machine.id: machine for machine in load_machines(connection)}
    spools = {spool.name: spool for spool in load_spools(connection)}
    # By run: the same file chosen for two arms would bring a run twice.
    rows = {row["id"]: row for row in connection.execute(query).mappings()}
    looked_at = set(connection.execute(select(LOOK.c.study_id)).scalars())
    predicted = load_seconds(connection, list({row["file_id"] for row in rows.values()}))
    measured = _measured(connection)
    found = []
    for row in rows.values():
        machine = machines.get(row["machine_id"] or row["of_block"] or 0)
        if machine is None:
            continue
        seconds = predicted[row["file_id"]].get(machine.id)
        values = measured[row["id"]]
        found.append(
            PredictedRun(
                run_id=row["id"],
                code=row["code"],
                study_id=row["study_id"],
                study=row["study"],
                machine_id=machine.id,
                machine=machine.name,
                spool=row["spool"],
                sha256=row["sha256"],
                raw_min=None if seconds is None else seconds / 60 + machine.overhead_min,
                measured_min=values.get(Role.TIME.value),
                predicted_g=_grams(row, spools),
                measured_g=_sum_of(values),
                sealed=row["study_id"] not in looked_at and not row["decision"],
            )
        )
    return found


def _grams(row: RowMapping, spools: Mapping[str, Spool]) -> float:
    said = said_of_spool(spools.get(row["spool"]))
    return said.grams(row["filament_mm"], row["volume_mm3"], row["mass_g"])


def _measured(connection: Connection) -> dict[int, dict[str, float]]:
    """Return minutes and grams of every run by the role of the response."""
    rules = {
        row["id"]: value_of(Response, row, piece_ids=())
        for row in connection.execute(select(RESPONSE).where(RESPONSE.c.role != "")).mappings()
    }
    query = select(READING).where(READING.c.response_id.in_(rules)).order_by(READING.c.id)
    read: dict[tuple[int, int], list[RunReading]] = defaultdict(list)
    for row in connection.execute(query).mappings():
        read[row["run_id"], row["response_id"]].append(value_of(RunReading, row))
    found: dict[int, dict[str, float]] = defaultdict(dict)
    for (run_id, response_id), readings in read.items():
        response = rules[response_id]
        whole = print_value(readings, response.rule)
        if whole is None or whole.reach is not None or response.role in (None, Role.COVARIATE):
            continue
        with suppress(ValueError):
            unit = "min" if response.role is Role.TIME else "g"
            found[run_id][str(response.role)] = convert(whole.value, response.unit, unit)
    return found


def _sum_of(values: Mapping[str, float]) -> float | None:
    part = values.get(Role.PART.value)
    return None if part is None else part + values.get(Role.WASTE.value, 0.0)
