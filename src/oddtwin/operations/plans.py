"""Edits of the plan: drawing the run list, adding to it, and giving the runs their times."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TypeVar

from oddtwin.core.design import ORDER_VERSION, Design
from oddtwin.core.judgement import refuse_looks
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import capitalized, now
from oddtwin.core.runlist import draw_plan, extend_ladder, extend_plan, put_back
from oddtwin.core.study import Arm, Plan, Run, Slot, Study, plate_key
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError, load_study
from oddtwin.store.codec import row_of
from oddtwin.store.schema import ARM, ARM_LEVEL, BLOCK, PLAN, PLAN_MACHINE, PLAN_PIECE, PLATE, RUN, SLOT

T = TypeVar("T")


def draw_runs(
    book: LabBook,
    *,
    study_id: int,
    repeats: int,
    twins: int,
    seed: int,
    machine_ids: Sequence[int],
    piece_ids: Sequence[int],
    design: Design | None = None,
    spools: Sequence[str] = (),
) -> Record | None:
    """Draw the run list anew; refused once a run was started.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    repeats, twins, seed : int
        Blocks for each machine and piece, further baseline prints in all, and the seed of
        the order.
    machine_ids, piece_ids : sequence of int
        Every machine prints every piece.
    design : Design, optional
        Kind and options; pairs by default.
    spools : sequence of str
        Names of spools that the blocks take in turn.

    Raises
    ------
    StoreError
        Runs were started, the numbers make no plan, or there are too many runs.
    """
    plan = _made(
        lambda: Plan(
            repeats=repeats,
            twins=twins,
            seed=seed,
            order_version=ORDER_VERSION,
            machine_ids=tuple(machine_ids),
            piece_ids=tuple(piece_ids),
            design=design or Design(),
            spools=tuple(spools),
            frozen=now(),
        )
    )

    def change(edit: Edit) -> None:
        study = load_study(edit.connection, study_id)
        if any(run.started or run.set_aside for run in study.runs):
            raise StoreError(tr("Runs were started already, so the order stays; add to it instead."))
        drawn = _made(lambda: _drawn(study, plan))
        for table in (PLAN, BLOCK, PLATE):
            for row_id in edit.ids(table, "study_id", study_id):
                edit.delete(table, row_id)
        if drawn.plan is not None:
            insert_plan(edit, study_id, drawn.plan)
        arms = _keep_arms(edit, study, drawn)
        _insert_runs(edit, study_id, drawn, arms, {})

    return edit_open(book, tr("draw the order of the runs"), change)


def _drawn(study: Study, plan: Plan) -> Study:
    refuse_looks(plan, study.responses)
    return draw_plan(study, plan)


def add_repeats(book: LabBook, *, study_id: int, repeats: int, twins: int = 0) -> Record | None:
    """Add blocks for every machine and piece of the plan, after the runs that are there.

    Raises
    ------
    StoreError
        There is no plan yet, or the numbers make no plan.
    """

    def change(edit: Edit) -> None:
        study = load_study(edit.connection, study_id)
        longer = _made(lambda: extend_plan(study, repeats, twins))
        for row_id in edit.ids(PLAN, "study_id", study_id):
            if longer.plan is not None:
                edit.update(PLAN, row_id, repeats=longer.plan.repeats, twins=longer.plan.twins)
        _append(edit, study, longer)

    return edit_open(
        book,
        tr("add {repeats} {part} to the plan", repeats=repeats, part=trn("block", "blocks", repeats)),
        change,
    )


def add_rung(book: LabBook, *, study_id: int, level: int) -> Record | None:
    """Plan one print of a level of a ladder in every block, after the runs that are there.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        A study whose design is a ladder.
    level : int
        Index of the level, as the ladder's rule proposes it.

    Raises
    ------
    StoreError
        There is no plan, or it has no such level.
    """

    def change(edit: Edit) -> None:
        study = load_study(edit.connection, study_id)
        _append(edit, study, _made(lambda: extend_ladder(study, level)))

    return edit_open(book, tr("add the proposed level"), change)


def put_back_step(book: LabBook, *, study_id: int, arm_id: int, name: str) -> Record | None:
    """Put a step of a chain back: the steps after it go on without it.

    Raises
    ------
    StoreError
        It is no step of a chain, or prints of a later step were started.
    """

    def change(edit: Edit) -> None:
        study = load_study(edit.connection, study_id)
        arm = next(item for item in study.arms if item.id == arm_id)
        _keep_arms(edit, study, _made(lambda: put_back(study, arm)))

    return edit_open(book, tr("put back {name}", name=name), change)


def give_times(book: LabBook, *, study_id: int, slots: Mapping[int, Slot]) -> Record | None:
    """Keep a timetable: when each run is started and done; earlier times are replaced.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    slots : mapping of run id to Slot
        Runs without one have no time any more.
    """

    def change(edit: Edit) -> None:
        plates = {row["id"]: row["plate_id"] for row in edit.rows(RUN, "study_id", study_id)}
        old = {
            row["plate_id"]: row["id"]
            for plate in set(plates.values())
            for row in edit.rows(SLOT, "plate_id", plate)
        }
        new = {plates[run_id]: row_of(slot) for run_id, slot in slots.items()}
        for plate in old.keys() - new.keys():
            edit.delete(SLOT, old[plate])
        for plate, values in new.items():
            if plate in old:
                edit.update(SLOT, old[plate], **values)
            else:
                edit.insert(SLOT, plate_id=plate, **values)

    return edit_open(book, tr("make the timetable"), change)


def insert_plan(edit: Edit, study_id: int, plan: Plan) -> None:
    """Write down a plan inside a larger edit."""
    new = edit.insert(PLAN, study_id=study_id, **row_of(plan))
    for table, column, ids in (
        (PLAN_MACHINE, "machine_id", plan.machine_ids),
        (PLAN_PIECE, "piece_id", plan.piece_ids),
    ):
        rows = [{"plan_id": new, column: key, "position": place} for place, key in enumerate(ids)]
        edit.insert_all(table, rows)


def insert_arm(edit: Edit, study_id: int, arm: Arm) -> int:
    """Add an arm with its levels inside a larger edit."""
    new = edit.insert(ARM, study_id=study_id, **row_of(arm))
    edit.insert_all(ARM_LEVEL, [{"arm_id": new, "level_id": level} for level in arm.level_ids])
    return new


def _made(drawing: Callable[[], T]) -> T:
    try:
        return drawing()
    except ValueError as error:
        raise StoreError(f"{capitalized(str(error))}.") from None


def _keep_arms(edit: Edit, study: Study, drawn: Study) -> dict[int, int]:
    """Bring the arms in line with the design; returns the ids they have by those they were drawn with."""
    there = study.index.arms
    for gone in there.keys() - {arm.id for arm in drawn.arms}:
        edit.delete(ARM, gone)
    ids = {}
    for arm in drawn.arms:
        if arm.id not in there:
            ids[arm.id] = insert_arm(edit, study.id, arm)
            continue
        ids[arm.id] = arm.id
        edit.update(ARM, arm.id, name=arm.name)
        if there[arm.id].level_ids != arm.level_ids:
            for link in edit.ids(ARM_LEVEL, "arm_id", arm.id):
                edit.delete(ARM_LEVEL, link)
            edit.insert_all(ARM_LEVEL, [{"arm_id": arm.id, "level_id": level} for level in arm.level_ids])
    return ids


def _append(edit: Edit, study: Study, longer: Study) -> None:
    """Insert the blocks and runs that a longer study has beyond those that are there."""
    blocks = {block.id: block.id for block in study.blocks}
    _insert_runs(edit, study.id, longer, {arm.id: arm.id for arm in study.arms}, blocks)


def _insert_runs(
    edit: Edit, study_id: int, drawn: Study, arms: Mapping[int, int], blocks: Mapping[int, int]
) -> None:
    new = [block for block in drawn.blocks if block.id not in blocks]
    rows = [{**row_of(block), "study_id": study_id, "position": int(block.label)} for block in new]
    inserted = dict(zip((block.id for block in new), edit.insert_all(BLOCK, rows), strict=True))
    have = len(edit.ids(RUN, "study_id", study_id))
    insert_runs(edit, study_id, drawn.runs[have:], arms, {**blocks, **inserted})


def insert_runs(
    edit: Edit, study_id: int, runs: Sequence[Run], arms: Mapping[int, int], blocks: Mapping[int, int]
) -> dict[int, int]:
    """Add runs with their plates inside a larger edit.

    Parameters
    ----------
    edit : Edit
        The larger edit.
    study_id : int
        Which study.
    runs : sequence of Run
        Whose plates have ids of their own, or none where a run has one for itself.
    arms, blocks : mapping
        Ids in the lab book by those in the runs.

    Returns
    -------
    dict
        Ids of the runs in the lab book by those they had.
    """
    plates = {plate_key(run): run.plate for run in runs}
    # Plates first: their ids are new here, and the runs point to them.
    ids = edit.insert_all(PLATE, [{"study_id": study_id, **row_of(plate)} for plate in plates.values()])
    plate_ids = dict(zip(plates, ids, strict=True))
    rows = [
        {
            **row_of(run),
            "study_id": study_id,
            "plate_id": plate_ids[plate_key(run)],
            "block_id": blocks[run.block_id],
            "arm_id": arms[run.arm_id],
            "reprint_of": None,
        }
        for run in runs
    ]
    found = dict(zip((run.id for run in runs), edit.insert_all(RUN, rows), strict=True))
    for run in runs:
        if run.reprint_of is not None:
            edit.update(RUN, found[run.id], reprint_of=found[run.reprint_of])
    slots = [
        {"plate_id": plate_ids[key], **row_of(plate.slot)} for key, plate in plates.items() if plate.slot
    ]
    edit.insert_all(SLOT, slots)
    return found
