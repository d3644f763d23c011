"""Putting a whole study, as read from a file, into the lab book."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Final

from sqlalchemy import Table

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.judgement import analyse
from oddtwin.core.known import effect_values, effects_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import write_moment
from oddtwin.core.study import Machine, Spool, Study
from oddtwin.operations.matching import insert_predictions
from oddtwin.operations.plans import insert_arm, insert_plan, insert_runs
from oddtwin.store import Edit, LabBook, Record
from oddtwin.store.codec import row_of
from oddtwin.store.schema import (
    ANSWER,
    ARM_FILE,
    BLOCK,
    DEVIATION,
    ESTIMATE,
    FACTOR,
    HELD,
    LEVEL,
    LOOK,
    MACHINE,
    MARK,
    PHOTOGRAPH,
    PIECE,
    READING,
    RECHECK,
    RESPONSE,
    RESPONSE_PIECE,
    SESSION,
    SPOOL,
    STUDY,
    TWIN_CHECK,
    VIEW,
)

Ids = dict[int, int]

PART: Final = 1000
"""Readings that go in between two looks at whether to stop."""


def add_whole_study(book: LabBook, *, study: Study, job: Job = UNWATCHED) -> Record | None:
    """Add a study that came from a file, with its runs and readings.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study : Study
        Ids in it are its own; machines and pieces are matched by name and added where
        the lab book has none of that name.
    job : Job
        Told the share of the readings that are in; stops the work between parts.

    Raises
    ------
    CancelledError
        The job was cancelled; nothing is kept.
    StoreError
        Something in it does not fit the lab book.
    """

    def change(edit: Edit) -> None:
        machines = {key: _machine(edit, item) for key, item in study.machines.items()}
        pieces = {key: _piece(edit, study, key, machines) for key in study.pieces}
        for spool in study.spools:
            _spool(edit, spool)
        new = _insert_study(edit, study)
        _insert_plan(edit, study, new, machines, pieces)
        # Levels before arms, arms and blocks before runs: each row points only to rows that are there.
        levels = _insert_asked(edit, study, new)
        arms = {
            arm.id: insert_arm(edit, new, replace(arm, level_ids=tuple(levels[key] for key in arm.level_ids)))
            for arm in study.arms
        }
        responses = _insert_responses(edit, study, new, pieces)
        blocks = _insert_blocks(edit, study, new, machines, pieces)
        there = [replace(run, machine_id=machines.get(run.machine_id or 0)) for run in study.runs]
        runs = insert_runs(edit, new, there, arms, blocks)
        for start in range(0, len(study.readings), PART):
            # Stopping here rolls the whole import back: a study is in the book whole, or not at all.
            job.check()
            job.tell(start / len(study.readings))
            some = study.readings[start : start + PART]
            links = [
                {"run_id": runs[item.run_id], "response_id": responses[item.response_id]} for item in some
            ]
            edit.insert_all(
                READING, [{**row_of(item), **link} for item, link in zip(some, links, strict=True)]
            )
        _insert_files(edit, study, new, arms, machines, pieces)
        for table, items in ((DEVIATION, study.deviations), (RECHECK, study.rechecks)):
            edit.insert_all(table, [{**row_of(item), "run_id": runs[item.run_id]} for item in items])
        _insert_looked(edit, study, new, runs, responses, pieces)

    return book.edit(tr("import study {study}", study=study.name), change)


def _insert_study(edit: Edit, study: Study) -> int:
    decision = study.decision
    new = edit.insert(
        STUDY,
        name=study.name,
        question=study.question,
        created=write_moment(study.created),
        decision=decision.kind.value if decision else "",
        decision_reason=decision.reason if decision else "",
        decided=write_moment(decision.at) if decision else "",
        prices=dict(decision.prices) if decision else {},
        condition=decision.condition if decision else "",
        verify_at=write_moment(decision.verify_at) if decision and decision.verify_at else "",
        verify_hours=decision.verify_hours if decision else 0.0,
        parent_id=study.parent_id,
        tags=", ".join(study.tags),
        # What came settled is known here too.
        found=effect_values(effects_of(study, analyse(study)) if decision and decision.kind.settles else []),
    )
    edit.insert_all(LOOK, [{"study_id": new, **row_of(look)} for look in study.looks])
    return new


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
        factor_id = edit.insert(FACTOR, study_id=new, position=position, **row_of(factor))
        for place, level in enumerate(factor.levels):
            levels[level.id] = edit.insert(LEVEL, factor_id=factor_id, position=place, **row_of(level))
    for position, item in enumerate(study.held):
        edit.insert(HELD, study_id=new, position=position, text=item.text)
    return levels


def _insert_responses(edit: Edit, study: Study, new: int, pieces: Ids) -> Ids:
    rows = [
        {"study_id": new, "position": position, **row_of(item)}
        for position, item in enumerate(study.responses)
    ]
    ids = dict(zip((item.id for item in study.responses), edit.insert_all(RESPONSE, rows), strict=True))
    links = [
        {"response_id": ids[item.id], "piece_id": pieces[piece]}
        for item in study.responses
        for piece in item.piece_ids
    ]
    edit.insert_all(RESPONSE_PIECE, links)
    return ids


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


def _insert_files(edit: Edit, study: Study, new: int, arms: Ids, machines: Ids, pieces: Ids) -> None:
    """Insert sliced files and twin checks; the files' content is not in a study file."""
    rows = [
        {
            **row_of(file),
            "arm_id": arms[file.arm_id],
            "piece_id": pieces.get(file.piece_id or 0),
        }
        for file in study.files
    ]
    for key, file in zip(edit.insert_all(ARM_FILE, rows), study.files, strict=True):
        insert_predictions(edit, key, {machines[number]: value for number, value in file.seconds.items()})
    checks = [
        {**row_of(check), "study_id": new, "piece_id": pieces.get(check.piece_id or 0)}
        for check in study.checks
    ]
    edit.insert_all(TWIN_CHECK, checks)


def _insert_looked(edit: Edit, study: Study, new: int, runs: Ids, responses: Ids, pieces: Ids) -> None:
    """Insert photographs, marks and blind sessions; views are those of the pieces, by their names."""
    # A piece that the lab book knows already keeps its own views; those of the same name are the same.
    views = {
        view.id: row["id"]
        for key, piece in study.pieces.items()
        for row in edit.rows(VIEW, "piece_id", pieces[key])
        for view in piece.views
        if (view.face, view.lamp) == (row["face"], row["lamp"])
    }
    rows = [
        {**row_of(item), "run_id": runs[item.run_id], "view_id": views.get(item.view_id or 0)}
        for item in study.photographs
    ]
    photographs = dict(
        zip((item.id for item in study.photographs), edit.insert_all(PHOTOGRAPH, rows), strict=True)
    )
    marks = [
        {**row_of(item), "run_id": runs[item.run_id], "photograph_id": photographs[item.photograph_id]}
        for item in study.marks
    ]
    edit.insert_all(MARK, marks)
    for session in study.sessions:
        letters = [{**asdict(one), "run_id": runs.get(one.run_id, 0)} for one in session.letters]
        key = edit.insert(
            SESSION,
            **{
                **row_of(session),
                "study_id": new,
                "letters": letters,
                "view_id": views.get(session.view_id or 0),
                "response_id": responses.get(session.response_id or 0),
            },
        )
        own = [item for item in study.answers if item.session_id == session.id]
        edit.insert_all(ANSWER, [{**row_of(item), "session_id": key} for item in own])


def _machine(edit: Edit, machine: Machine) -> int:
    return _known(edit, MACHINE, machine.name) or edit.insert(MACHINE, **row_of(machine))


def _spool(edit: Edit, spool: Spool) -> None:
    if _known(edit, SPOOL, spool.name) is None:
        edit.insert(SPOOL, **row_of(spool))


def _piece(edit: Edit, study: Study, key: int, machines: Ids) -> int:
    piece = study.pieces[key]
    known = _known(edit, PIECE, piece.name)
    if known is not None:
        return known
    new = edit.insert(PIECE, **row_of(piece))
    edit.insert_all(VIEW, [{**row_of(view), "piece_id": new} for view in piece.views])
    for machine, takes in piece.on_machines.items():
        edit.insert(ESTIMATE, piece_id=new, machine_id=machines[machine], **row_of(takes))
    return new


def _known(edit: Edit, table: Table, name: str) -> int | None:
    return next(iter(edit.ids(table, "name", name)), None)
