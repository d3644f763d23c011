"""Edits of the plan: drawing the run list, and adding pairs to it."""

from __future__ import annotations

from collections.abc import Sequence

from oddtwin.core.design import ORDER_VERSION, Cell, PlannedRun, plan_pairs
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.schema import ARM, BLOCK, PLAN, RUN

MOST_RUNS = 2000


def draw_runs(
    book: LabBook,
    *,
    study_id: int,
    pairs: int,
    twins: int,
    seed: int,
    machine_ids: Sequence[int],
    piece_ids: Sequence[int],
) -> Record | None:
    """Draw the run list anew; refused once a run was started.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    pairs, twins, seed : int
        Pairs in each block of machine and piece, further baseline prints in all, and
        the seed of the order.
    machine_ids, piece_ids : sequence of int
        Every machine prints every piece.

    Raises
    ------
    StoreError
        Runs were started, the numbers make no plan, or there are too many runs.
    """
    cells = [Cell(machine, piece) for machine in machine_ids for piece in piece_ids]
    drawn = _drawn(cells, pairs, twins, seed, 1, ())

    def change(edit: Edit) -> None:
        if any(run["started"] or run["set_aside"] for run in edit.rows(RUN, "study_id", study_id)):
            raise StoreError("Runs were started already, so the order stays; add pairs instead.")
        for table in (PLAN, BLOCK):
            for row_id in edit.ids(table, "study_id", study_id):
                edit.delete(table, row_id)
        edit.insert(
            PLAN,
            study_id=study_id,
            pairs=pairs,
            twins=twins,
            seed=seed,
            order_version=ORDER_VERSION,
            machine_ids=list(machine_ids),
            piece_ids=list(piece_ids),
        )
        _insert_runs(edit, study_id, drawn, 0)

    return book.edit(f"draw the order of {len(drawn)} runs", change)


def add_pairs(book: LabBook, *, study_id: int, pairs: int, twins: int = 0) -> Record | None:
    """Add pairs for every machine and piece of the plan, after the runs that are there.

    Raises
    ------
    StoreError
        There is no plan yet, or the numbers make no plan.
    """

    def change(edit: Edit) -> None:
        plans = edit.rows(PLAN, "study_id", study_id)
        if not plans:
            raise StoreError("There is no plan to add pairs to yet; draw the order first.")
        plan = plans[0]
        cells = [Cell(machine, piece) for machine in plan["machine_ids"] for piece in plan["piece_ids"]]
        runs = edit.rows(RUN, "study_id", study_id)
        labels = [row["label"] for row in edit.rows(BLOCK, "study_id", study_id)]
        first = max((int(label) for label in labels if label.isdigit()), default=0) + 1
        taken = [run["code"] for run in runs]
        # A seed of its own for each extension, so that the first list stays as it was.
        drawn = _drawn(cells, pairs, twins, plan["seed"] + first, first, taken)
        edit.update(PLAN, plan["id"], pairs=plan["pairs"] + pairs, twins=plan["twins"] + twins)
        _insert_runs(edit, study_id, drawn, max((run["position"] for run in runs), default=-1) + 1)

    return book.edit(f"add {pairs} {'pair' if pairs == 1 else 'pairs'}", change)


def _drawn(
    cells: list[Cell], pairs: int, twins: int, seed: int, first: int, taken: Sequence[str]
) -> list[PlannedRun]:
    try:
        if len(cells) * 2 * max(pairs, 0) + max(twins, 0) > MOST_RUNS:
            raise StoreError(f"That would be more than {MOST_RUNS} runs; plan fewer pairs.")
        return plan_pairs(cells, pairs, twins, seed, first, taken)
    except ValueError as error:
        raise StoreError(f"{str(error)[:1].upper()}{str(error)[1:]}.") from None


def _insert_runs(edit: Edit, study_id: int, drawn: Sequence[PlannedRun], position: int) -> None:
    arms = {row["is_baseline"]: row["id"] for row in edit.rows(ARM, "study_id", study_id)}
    cells = {run.pair: run.cell for run in drawn}
    blocks = [
        {
            "study_id": study_id,
            "position": pair,
            "label": str(pair),
            "machine_id": cell.machine_id,
            "piece_id": cell.piece_id,
        }
        for pair, cell in cells.items()
    ]
    block_ids = dict(zip(cells, edit.insert_all(BLOCK, blocks), strict=True))
    runs = [
        {
            "study_id": study_id,
            "position": position + offset,
            "block_id": block_ids[run.pair],
            "arm_id": arms[run.is_baseline],
            "code": run.code,
        }
        for offset, run in enumerate(drawn)
    ]
    edit.insert_all(RUN, runs)
