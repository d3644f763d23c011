"""The run list of a design: which arm in which block, in which order."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import count
from typing import Final

from oddtwin.core.design.balance import BalancedOrder
from oddtwin.core.design.blueprint import ArmIndex, Design, DesignKind, DriftGuard
from oddtwin.core.design.incomplete import balanced_blocks
from oddtwin.core.design.ladder import LadderRule
from oddtwin.core.design.latin import latin_square
from oddtwin.core.design.order import SeededOrder
from oddtwin.core.design.split_plot import whole_plot_levels
from oddtwin.core.language import tr

TURNS_DEG: Final = (0, 90, 180, 270)


@dataclass(frozen=True, slots=True)
class Cell:
    """One machine printing one piece (their ids)."""

    machine_id: int
    piece_id: int


@dataclass(frozen=True, slots=True)
class PlannedRun:
    """One print to make.

    Parameters
    ----------
    code : str
        Short, unique in the study, silent about the arm.
    arm : int
        Index into the design's combinations; the next two after them stand for the control
        arm and for the centre point.
    block : int
        Number of its block, from 1 over the whole study.
    cell : Cell
        Machine and piece.
    place : int
        Place on the plate, from 1; 0 where the print has the plate to itself.
    turn_deg : int
        Orientation on the plate, in degrees.
    """

    code: str
    arm: int
    block: int
    cell: Cell
    place: int = 0
    turn_deg: int = 0


@dataclass(frozen=True, slots=True)
class _Block:
    """Arms to print on one machine and piece, in this order or shuffled."""

    cell: Cell
    arms: Sequence[int]
    shuffled: bool = True


def lay_out(
    design: Design,
    cells: Sequence[Cell],
    repeats: int,
    twins: int,
    seed: int,
    first_block: int = 1,
    taken: Collection[str] = (),
    before: Iterable[tuple[Cell, Sequence[int]]] = (),
) -> list[PlannedRun]:
    """Draw the run list of a design.

    Parameters
    ----------
    design : Design
        What is varied, and how.
    cells : sequence of Cell
        Every combination of machine and piece; each gets its own blocks.
    repeats : int
        Blocks in each cell (prints of each step of a chain; prints of each combination
        in each whole plot of a split plot), one or more.
    twins : int
        Further prints of the baseline over the whole study, zero or more; each is
        printed inside a block, spread evenly over the blocks in drawn order.
    seed : int
        The same seed gives the same list for ever.
    first_block : int
        Number of the first block.
    taken : collection of str
        Codes already in use.
    before : iterable of (Cell, sequence of int)
        Blocks that are there already, with their arms in printed order: the new ones even
        them out.

    Returns
    -------
    list of PlannedRun
        In the order to print.

    Raises
    ------
    ValueError
        No cell, no repeat, negative twins or seed, or a design that cannot be made.
    """
    if not cells:
        raise ValueError(tr("choose at least one machine and one piece"))
    if repeats < 1:
        raise ValueError(tr("plan at least one pair, or one print of each arm"))
    if twins < 0 or seed < 0:
        raise ValueError(tr("twins and seed must be zero or more"))
    if twins and design.no_twins:
        raise ValueError(design.no_twins)
    order = SeededOrder(seed)
    fair = BalancedOrder(order)
    for cell, there in before:
        fair.seen(cell, there)
    arms = ArmIndex.of(design)
    blocks = _blocks(design, arms, cells, repeats, twins, order, fair)
    used = set(taken)
    runs = []
    for number, block in enumerate(blocks, first_block):
        drawn = fair.draw(block.cell, block.arms) if block.shuffled else block.arms
        # What holds for a whole plate is drawn plate by plate: a twin is a plate too.
        for arm in (arm for arm in drawn for _ in range(design.copies if design.apart else 1)):
            code = order.code(used)
            used.add(code)
            runs.append(PlannedRun(code, arm, number, block.cell))
    if design.kind is DesignKind.CHAIN:
        runs = _step_by_step(runs)
    return _placed(runs, design, seed)


def _blocks(
    design: Design,
    arms: ArmIndex,
    cells: Sequence[Cell],
    repeats: int,
    twins: int,
    order: SeededOrder,
    fair: BalancedOrder,
) -> list[_Block]:
    if design.kind is DesignKind.CHAIN:
        steps = [*arms.of_a_block, 0]
        return [_Block(cell, steps, shuffled=False) for _ in range(repeats) for cell in cells]
    if design.kind is DesignKind.SPLIT_PLOT:
        return _whole_plots(design, arms, cells, repeats, order)
    if design.walks:
        return [_Block(cell, _first_rungs(design)) for _ in range(repeats) for cell in cells]
    if design.kind is DesignKind.PAIRS and design.guard is DriftGuard.ABBA:
        middle = [] if arms.control is None else [arms.control]
        return [
            _Block(cell, [*way, *middle, *reversed(way)], shuffled=False)
            for _ in range(repeats)
            for cell in order.shuffled(cells)
            for way in [fair.draw(cell, (0, 1))]
        ]
    if design.kind is DesignKind.SEVERAL and 0 < design.block_size < len(arms.combinations):
        return _incomplete(design, arms, cells, repeats, order)
    return _complete(design, arms, cells, repeats, twins, order, fair)


def _incomplete(
    design: Design, arms: ArmIndex, cells: Sequence[Cell], repeats: int, order: SeededOrder
) -> list[_Block]:
    """Balanced sets of blocks, each with the control where there is one."""
    control = [] if arms.control is None else [arms.control]
    blocks = []
    for _ in range(repeats):
        sets = [
            (cell, part)
            for cell in cells
            for part in balanced_blocks(len(arms.combinations), design.block_size)
        ]
        blocks += [_Block(cell, [*part, *control]) for cell, part in order.shuffled(sets)]
    return blocks


def _complete(
    design: Design,
    arms: ArmIndex,
    cells: Sequence[Cell],
    repeats: int,
    twins: int,
    order: SeededOrder,
    fair: BalancedOrder,
) -> list[_Block]:
    """Randomised complete blocks, with the twins spread over them."""
    places = [cell for _ in range(repeats) for cell in order.shuffled(cells)]
    extra = [twins // len(places)] * len(places)
    for index in order.shuffled(range(len(places)))[: twins % len(places)]:
        extra[index] += 1
    centre = [] if arms.centre is None else [arms.centre] * design.centre_points
    blocks = [
        _Block(cell, [*arms.of_a_block, *centre, *[0] * more])
        for cell, more in zip(places, extra, strict=True)
    ]
    if design.guard is DriftGuard.BASELINE_LAST and design.kind is DesignKind.PAIRS:
        for index in range(len(blocks) - len(cells), len(blocks)):
            settled = fair.draw(blocks[index].cell, blocks[index].arms)
            blocks[index] = _Block(blocks[index].cell, [*settled, 0], shuffled=False)
    return blocks


def _whole_plots(
    design: Design, arms: ArmIndex, cells: Sequence[Cell], repeats: int, order: SeededOrder
) -> list[_Block]:
    """Each machine has its own whole plots; inside one, every piece and easy combination."""
    blocks = []
    by_machine: dict[int, list[Cell]] = {}
    for cell in cells:
        by_machine.setdefault(cell.machine_id, []).append(cell)
    for there in by_machine.values():
        for level in whole_plot_levels(design.levels[design.hard_factor], design.whole_plots, order):
            inside = [
                index
                for index, combination in enumerate(arms.combinations)
                if combination[design.hard_factor] == level
            ]
            # The control arm stands in for the baseline's fitting.
            if arms.control is not None and level == 0:
                inside.append(arms.control)
            blocks += [_Block(cell, inside * repeats) for cell in order.shuffled(there)]
    return blocks


def _first_rungs(design: Design) -> list[int]:
    """What an adaptive ladder prints before anything is known; the rest is proposed as prints come in."""
    return [0] if design.rule is LadderRule.CLIMB else [0, design.levels[0] - 1]


def _step_by_step(runs: Sequence[PlannedRun]) -> list[PlannedRun]:
    """Print all of one step before the next; what returns to the baseline comes last."""
    seen: dict[int, int] = {}
    steps = []
    for run in runs:
        steps.append(seen.get(run.block, 0))
        seen[run.block] = steps[-1] + 1
    return [run for _, run in sorted(zip(steps, runs, strict=True), key=lambda pair: pair[0])]


def _placed(runs: list[PlannedRun], design: Design, seed: int) -> list[PlannedRun]:
    """Rotate places on a shared plate by a Latin square, and turn each plate."""
    if design.copies < 2 or design.apart:
        return runs
    most = max(Counter(run.block for run in runs).values())
    if most > design.copies:
        raise ValueError(
            tr(
                "a block has {most} prints, and a plate holds {copies}; let {most} share a "
                "plate, or plan fewer twins",
                most=most,
                copies=design.copies,
            )
        )
    columns = _columns(runs)
    size = max(design.copies, max(columns) + 1)
    # A draw of its own, so that codes and order are the same with and without a shared plate.
    order = SeededOrder(seed + 2**32)
    square, turns = latin_square(size, order), order.shuffled(TURNS_DEG)
    return [
        replace(
            run,
            place=square[(run.block - 1) % size][column] + 1,
            turn_deg=turns[(run.block - 1) // size % len(turns)],
        )
        for run, column in zip(runs, columns, strict=True)
    ]


def _columns(runs: Sequence[PlannedRun]) -> list[int]:
    """Column of the square for each print: its arm's, or a free one beyond for a further print."""
    arms = max(run.arm for run in runs) + 1
    taken: dict[int, set[int]] = {}
    columns = []
    for run in runs:
        there = taken.setdefault(run.block, set())
        column = run.arm if run.arm not in there else next(c for c in count(arms) if c not in there)
        there.add(column)
        columns.append(column)
    return columns
