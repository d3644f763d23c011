"""Putting a whole study, as read from a file, into the lab book."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, replace
from typing import Final

from sqlalchemy import Table

from oddtwin.core.quantities import write_moment
from oddtwin.core.study import Machine, Spool, Study
from oddtwin.operations.matching import insert_predictions
from oddtwin.operations.plans import insert_arm, insert_plan, slot_row
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.schema import (
    ARM_FILE,
    BLOCK,
    DEVIATION,
    ESTIMATE,
    FACTOR,
    HELD,
    LEVEL,
    LOOK,
    MACHINE,
    PIECE,
    READING,
    RECHECK,
    RESPONSE,
    RUN,
    SLOT,
    SPOOL,
    STUDY,
    TWIN_CHECK,
)

Ids = dict[int, int]

PART: Final = 1000
"""Readings that go in between two looks at whether to stop."""


def add_whole_study(
    book: LabBook,
    *,
    study: Study,
    progress: Callable[[float], None] = lambda share: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Record | None:
    """Add a study that came from a file, with its runs and readings.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study : Study
        Ids in it are its own; machines and pieces are matched by name and added where
        the lab book has none of that name.
    progress : callable
        Called with the share of the readings that are in, 0 to 1.
    cancelled : callable
        Asked between parts.

    Raises
    ------
    StoreError
        It was cancelled; nothing is kept.
    """

    def change(edit: Edit) -> None:
        machines = {key: _machine(edit, item) for key, item in study.machines.items()}
        pieces = {key: _piece(edit, study, key, machines) for key in study.pieces}
        for spool in study.spools:
            _spool(edit, spool)
        new = _insert_study(edit, study)
        _insert_plan(edit, study, new, machines, pieces)
        edit.insert_all(
            LOOK,
            [
                {
                    "study_id": new,
                    "at": write_moment(look.at),
                    "who": look.who,
                    "what": look.what.value,
                    "advised": look.advised,
                }
                for look in study.looks
            ],
        )
        levels = _insert_asked(edit, study, new)
        arms = {
            arm.id: insert_arm(edit, new, replace(arm, level_ids=tuple(levels[key] for key in arm.level_ids)))
            for arm in study.arms
        }
        responses = _insert_responses(edit, study, new)
        blocks = _insert_blocks(edit, study, new, machines, pieces)
        runs = _insert_runs(edit, study, new, blocks, arms, machines)
        for start in range(0, len(study.readings), PART):
            if cancelled():
                raise StoreError("The import was stopped; nothing of it is kept.")
            progress(start / len(study.readings))
            edit.insert_all(
                READING,
                [
                    {
                        "run_id": runs[reading.run_id],
                        "response_id": responses[reading.response_id],
                        "zone": reading.zone,
                        "value": reading.value,
                    }
                    for reading in study.readings[start : start + PART]
                ],
            )
        _insert_files(edit, study, new, arms, machines, pieces)
        edit.insert_all(
            DEVIATION, [{"run_id": runs[item.run_id], "text": item.text} for item in study.deviations]
        )
        edit.insert_all(
            SLOT,
            [{"run_id": runs[run.id], **slot_row(run.slot)} for run in study.runs if run.slot is not None],
        )
        edit.insert_all(
            RECHECK,
            [
                {
                    "run_id": runs[item.run_id],
                    "text": item.text,
                    "at": write_moment(item.at),
                    "waived": item.waived,
                }
                for item in study.rechecks
            ],
        )

    return book.edit(f"import study {study.name}", change)


def _insert_study(edit: Edit, study: Study) -> int:
    decision = study.decision
    return edit.insert(
        STUDY,
        name=study.name,
        question=study.question,
        created=write_moment(study.created),
        decision=decision.kind.value if decision else "",
        decision_reason=decision.reason if decision else "",
        decided=write_moment(decision.at) if decision else "",
    )


def _insert_plan(edit: Edit, study: Study, new: int, machines: Ids, pieces: Ids) -> None:
    if study.plan is not None:
        plan = replace(
            study.plan,
            machine_ids=tuple(machines[key] for key in study.plan.machine_ids),
            piece_ids=tuple(pieces[key] for key in study.plan.piece_ids),
        )
        insert_plan(edit, new, plan)


def _insert_asked(edit: Edit, study: Study, new: int) -> Ids:
    """Insert factors, levels and what must stay the same; returns the levels' new ids."""
    levels = {}
    for position, factor in enumerate(study.factors):
        factor_id = edit.insert(
            FACTOR,
            study_id=new,
            position=position,
            kind=factor.kind,
            name=factor.name,
            disturbs=factor.disturbs,
            disturbs_by_hand=factor.disturbs_by_hand,
        )
        for place, level in enumerate(factor.levels):
            values = {name: value for name, value in asdict(level).items() if name != "id"}
            levels[level.id] = edit.insert(LEVEL, factor_id=factor_id, position=place, **values)
    for position, item in enumerate(study.held):
        edit.insert(HELD, study_id=new, position=position, text=item.text)
    return levels


def _insert_responses(edit: Edit, study: Study, new: int) -> Ids:
    return {
        item.id: edit.insert(
            RESPONSE,
            study_id=new,
            position=position,
            name=item.name,
            unit=item.unit,
            type=item.type.value,
            combine=item.combine.value,
            better=item.better.value if item.better else "",
            target=item.target,
            margin=item.margin,
            resolution=item.resolution,
            primary=item.primary,
            role=item.role.value if item.role else "",
            margin_moved=item.margin_moved,
            noise_sd=item.noise_sd,
            noise_df=item.noise_df,
        )
        for position, item in enumerate(study.responses)
    }


def _insert_blocks(edit: Edit, study: Study, new: int, machines: Ids, pieces: Ids) -> Ids:
    rows = [
        {
            "study_id": new,
            "position": position,
            "label": block.label,
            "machine_id": machines.get(block.machine_id or 0),
            "piece_id": pieces.get(block.piece_id or 0),
        }
        for position, block in enumerate(study.blocks)
    ]
    return dict(zip((block.id for block in study.blocks), edit.insert_all(BLOCK, rows), strict=True))


def _insert_runs(edit: Edit, study: Study, new: int, blocks: Ids, arms: Ids, machines: Ids) -> Ids:
    rows = [
        {
            "study_id": new,
            "position": run.position,
            "block_id": blocks[run.block_id],
            "arm_id": arms[run.arm_id],
            "code": run.code,
            "started": write_moment(run.started) if run.started else "",
            "finished": write_moment(run.finished) if run.finished else "",
            "spool": run.spool,
            "note": run.note,
            "set_aside": run.set_aside,
            "place": run.place,
            "turn_deg": run.turn_deg,
            "operator": run.operator,
            "machine_id": machines.get(run.machine_id or 0),
            "sha256": run.sha256,
        }
        for run in study.runs
    ]
    runs = dict(zip((run.id for run in study.runs), edit.insert_all(RUN, rows), strict=True))
    for run in study.runs:
        if run.reprint_of is not None:
            edit.update(RUN, runs[run.id], reprint_of=runs[run.reprint_of])
    return runs


def _insert_files(edit: Edit, study: Study, new: int, arms: Ids, machines: Ids, pieces: Ids) -> None:
    """Insert sliced files and twin checks; the files' content is not in a study file."""
    rows = [
        {
            **{name: value for name, value in asdict(file).items() if name not in ("id", "seconds")},
            "arm_id": arms[file.arm_id],
            "piece_id": pieces.get(file.piece_id or 0),
        }
        for file in study.files
    ]
    for key, file in zip(edit.insert_all(ARM_FILE, rows), study.files, strict=True):
        insert_predictions(edit, key, {machines[number]: value for number, value in file.seconds.items()})
    edit.insert_all(
        TWIN_CHECK,
        [
            {
                "study_id": new,
                "piece_id": pieces.get(check.piece_id or 0),
                "at": write_moment(check.at),
                "result": dict(check.result),
            }
            for check in study.checks
        ],
    )


def _machine(edit: Edit, machine: Machine) -> int:
    values = {name: value for name, value in asdict(machine).items() if name != "id"}
    return _known(edit, MACHINE, machine.name) or edit.insert(MACHINE, **values)


def _spool(edit: Edit, spool: Spool) -> None:
    if _known(edit, SPOOL, spool.name) is None:
        edit.insert(SPOOL, **{name: value for name, value in asdict(spool).items() if name != "id"})


def _piece(edit: Edit, study: Study, key: int, machines: Ids) -> int:
    piece = study.pieces[key]
    known = _known(edit, PIECE, piece.name)
    if known is not None:
        return known
    new = edit.insert(
        PIECE,
        name=piece.name,
        zones=list(piece.zones),
        minutes=piece.minutes,
        part_g=piece.part_g,
        waste_g=piece.waste_g,
        faults=list(piece.faults),
        sizes=[asdict(size) for size in piece.sizes],
    )
    for machine, takes in piece.on_machines.items():
        edit.insert(ESTIMATE, piece_id=new, machine_id=machines[machine], **asdict(takes))
    return new


def _known(edit: Edit, table: Table, name: str) -> int | None:
    return next(iter(edit.ids(table, "name", name)), None)
