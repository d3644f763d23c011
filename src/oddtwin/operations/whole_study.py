"""Putting a whole study, as read from a file, into the lab book."""

from __future__ import annotations

from sqlalchemy import Table

from oddtwin.core.study import Study
from oddtwin.store import Edit, LabBook, Record
from oddtwin.store.schema import (
    ARM,
    BLOCK,
    DEVIATION,
    FACTOR,
    HELD,
    MACHINE,
    PIECE,
    PLAN,
    READING,
    RESPONSE,
    RUN,
    STUDY,
)

Ids = dict[int, int]


def add_whole_study(book: LabBook, *, study: Study) -> Record | None:
    """Add a study that came from a file, with its runs and readings.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study : Study
        Ids in it are its own; machines and pieces are matched by name and added where
        the lab book has none of that name.
    """

    def change(edit: Edit) -> None:
        machines = {key: _machine(edit, item.name) for key, item in study.machines.items()}
        pieces = {key: _piece(edit, study, key) for key in study.pieces}
        new = _insert_study(edit, study)
        _insert_plan(edit, study, new, machines, pieces)
        arms = {
            arm.id: edit.insert(ARM, study_id=new, name=arm.name, is_baseline=arm.is_baseline)
            for arm in study.arms
        }
        _insert_asked(edit, study, new)
        responses = _insert_responses(edit, study, new)
        blocks = _insert_blocks(edit, study, new, machines, pieces)
        runs = _insert_runs(edit, study, new, blocks, arms)
        edit.insert_all(
            READING,
            [
                {
                    "run_id": runs[reading.run_id],
                    "response_id": responses[reading.response_id],
                    "zone": reading.zone,
                    "value": reading.value,
                }
                for reading in study.readings
            ],
        )
        edit.insert_all(
            DEVIATION, [{"run_id": runs[item.run_id], "text": item.text} for item in study.deviations]
        )

    return book.edit(f"import study {study.name}", change)


def _insert_study(edit: Edit, study: Study) -> int:
    decision = study.decision
    return edit.insert(
        STUDY,
        name=study.name,
        question=study.question,
        created=study.created.isoformat(timespec="seconds"),
        verdict_seen=study.verdict_seen.isoformat(timespec="seconds") if study.verdict_seen else "",
        decision=decision.kind.value if decision else "",
        decision_reason=decision.reason if decision else "",
        decided=decision.at.isoformat(timespec="seconds") if decision else "",
    )


def _insert_plan(edit: Edit, study: Study, new: int, machines: Ids, pieces: Ids) -> None:
    if study.plan is not None:
        edit.insert(
            PLAN,
            study_id=new,
            pairs=study.plan.pairs,
            twins=study.plan.twins,
            seed=study.plan.seed,
            order_version=study.plan.order_version,
            machine_ids=[machines[key] for key in study.plan.machine_ids],
            piece_ids=[pieces[key] for key in study.plan.piece_ids],
        )


def _insert_asked(edit: Edit, study: Study, new: int) -> None:
    for position, factor in enumerate(study.factors):
        edit.insert(
            FACTOR,
            study_id=new,
            position=position,
            kind=factor.kind,
            name=factor.name,
            baseline_level=factor.baseline_level,
            change_level=factor.change_level,
        )
    for position, item in enumerate(study.held):
        edit.insert(HELD, study_id=new, position=position, text=item.text)


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


def _insert_runs(edit: Edit, study: Study, new: int, blocks: Ids, arms: Ids) -> Ids:
    rows = [
        {
            "study_id": new,
            "position": run.position,
            "block_id": blocks[run.block_id],
            "arm_id": arms[run.arm_id],
            "code": run.code,
            "started": run.started.isoformat(timespec="seconds") if run.started else "",
            "finished": run.finished.isoformat(timespec="seconds") if run.finished else "",
            "spool": run.spool,
            "note": run.note,
            "set_aside": run.set_aside,
        }
        for run in study.runs
    ]
    runs = dict(zip((run.id for run in study.runs), edit.insert_all(RUN, rows), strict=True))
    for run in study.runs:
        if run.reprint_of is not None:
            edit.update(RUN, runs[run.id], reprint_of=runs[run.reprint_of])
    return runs


def _machine(edit: Edit, name: str) -> int:
    return _known(edit, MACHINE, name) or edit.insert(MACHINE, name=name)


def _piece(edit: Edit, study: Study, key: int) -> int:
    piece = study.pieces[key]
    return _known(edit, PIECE, piece.name) or edit.insert(
        PIECE,
        name=piece.name,
        zones=list(piece.zones),
        minutes=piece.minutes,
        part_g=piece.part_g,
        waste_g=piece.waste_g,
    )


def _known(edit: Edit, table: Table, name: str) -> int | None:
    return next(iter(edit.ids(table, "name", name)), None)
