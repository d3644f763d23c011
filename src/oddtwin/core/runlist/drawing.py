"""Drawing a study's runs: arms from the design, blocks and runs in their seeded order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import count
from typing import Final

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import (
    ORDER_VERSION,
    ArmIndex,
    Cell,
    Combination,
    Design,
    DesignKind,
    PlannedRun,
    SeededOrder,
    balanced_blocks,
    lay_out,
)
from oddtwin.core.language import mark, shown, tr
from oddtwin.core.quantities import format_list, half_way, number_in
from oddtwin.core.study.planned import Plan, StudyBlock
from oddtwin.core.study.printed import Plate, Run
from oddtwin.core.study.question import Arm, ArmRole, Factor
from oddtwin.core.study.whole import Study

MOST_RUNS: Final = 2000
BASELINE: Final = mark("Baseline")
"""What the arm that things are as now is called until the user names it."""

_SIGNS: Final = ("-", "+", "\N{MINUS SIGN}")


def draw_plan(study: Study, plan: Plan) -> Study:
    """Draw arms, blocks and runs of a study anew.

    Parameters
    ----------
    study : Study
        With its factors; arms that are there keep their ids, and those of a pair their names.
    plan : Plan
        The design's number of levels and control arm are taken from the study. Where a
        factor is the machine itself, its levels name the machines that print; levels of a
        filament that are called like a spool are printed from it.

    Returns
    -------
    Study
        With the plan, and with ids for new arms, blocks and runs from 1 above those in use.

    Raises
    ------
    ValueError
        The design cannot be made of these factors, or there are too many runs.
    """
    design = _whole(plan.design, study)
    arms = draft_arms(study, design)
    machines = machines_of_levels(study)
    where = tuple(dict.fromkeys(machines.values())) if machines else plan.machine_ids
    _refuse_left_out(study, plan, design, where)
    whole = replace(plan, design=design, machine_ids=where, order_version=ORDER_VERSION)
    planned = _drawn(whole, bool(machines), plan.repeats, plan.twins, plan.seed, 1, ())
    fresh = replace(study, arms=arms, plan=whole, blocks=(), runs=(), readings=(), deviations=())
    return _with_runs(fresh, planned)


def extend_plan(study: Study, repeats: int, twins: int = 0) -> Study:
    """Add blocks for every machine and piece of the plan, after the runs that are there.

    Parameters
    ----------
    study : Study
        With a plan and its runs.
    repeats : int
        Further blocks on each machine and piece, one or more.
    twins : int
        Further prints of the baseline in all.

    Raises
    ------
    ValueError
        There is no plan, or the numbers make none.
    """
    plan = _plan_of(study)
    labels = [int(block.label) for block in study.blocks if block.label.isdigit()]
    first = max(labels, default=0) + 1
    # A seed of its own for each extension, so that the first list stays as it was.
    planned = _drawn(
        plan,
        bool(machines_of_levels(study)),
        repeats,
        twins,
        plan.seed + first,
        first,
        [run.code for run in study.runs],
        _blocks_there(study),
    )
    more = replace(plan, repeats=plan.repeats + repeats, twins=plan.twins + twins)
    return _with_runs(replace(study, plan=more), planned)


def extend_ladder(study: Study, level: int) -> Study:
    """Plan one print of a level of a ladder in every block, after the runs that are there.

    Parameters
    ----------
    study : Study
        With a plan and its runs.
    level : int
        Index of the level, as the ladder's rule proposes it.

    Raises
    ------
    ValueError
        There is no plan, or it has no such level.
    """
    _plan_of(study)
    rungs = [arm for arm in study.arms if arm.role is ArmRole.LEVELS]
    if not 0 <= level < len(rungs):
        raise ValueError(tr("that level is not on the ladder of this plan; draw the order anew"))
    taken = {run.code for run in study.runs}
    order = SeededOrder(study.id * MOST_RUNS + len(study.runs))
    position = max((run.position for run in study.runs), default=-1) + 1
    arm = rungs[level]
    spools = {run.block_id: run.spool for run in study.runs}
    own_spool, machine = _spools_of_arms(study).get(arm.id), _machines_of_arms(study).get(arm.id)
    numbers = count(max((run.id for run in study.runs), default=0) + 1)
    runs = []
    for offset, block in enumerate(study.blocks):
        code = order.code(taken)
        taken.add(code)
        spool = own_spool or spools.get(block.id, "")
        place = position + offset
        runs.append(Run(next(numbers), code, place, arm.id, block.id, spool=spool, machine_id=machine))
    return replace(study, runs=(*study.runs, *runs))


def put_back(study: Study, arm: Arm) -> Study:
    """Put a step of a chain back: the steps after it go on without it.

    Parameters
    ----------
    study : Study
        A chain, with its runs.
    arm : Arm
        The step that is not kept.

    Returns
    -------
    Study
        The arms after it without what it added.

    Raises
    ------
    ValueError
        It is no step of a chain, or prints of a later step were started.
    """
    if study.plan is None or study.plan.design.kind is not DesignKind.CHAIN or arm not in study.changed_arms:
        raise ValueError(tr("only a step of a chain can be put back"))
    steps = [study.baseline, *study.changed_arms]
    place = steps.index(arm)
    later = {item.id for item in steps[place + 1 :]}
    if any(run.started for run in study.runs if run.arm_id in later):
        raise ValueError(tr("prints of a later step were started, so this step stays"))
    before = set(max(steps[:place], key=lambda item: len(set(item.level_ids) & set(arm.level_ids))).level_ids)
    gone = {
        level.id: factor.levels[0].id
        for factor in study.factors
        for level in factor.levels[1:]
        if level.id in arm.level_ids and level.id not in before
    }
    first = {factor.levels[0].id for factor in study.factors}
    arms = []
    for item in study.arms:
        if item.id in later:
            levels = tuple(gone.get(level, level) for level in item.level_ids)
            moved = {level for level in levels if level not in first}
            name = " + ".join(
                f"{factor.name} {level.value}"
                for factor in study.factors
                for level in factor.levels
                if level.id in moved
            )
            arms.append(replace(item, level_ids=levels, name=name or tr("{item}, put back", item=item.name)))
        else:
            arms.append(item)
    return replace(study, arms=tuple(arms))


def draft_arms(study: Study, design: Design) -> tuple[Arm, ...]:
    """Return the arms of a design: the baseline, the others in order, control and centre point last.

    Parameters
    ----------
    study : Study
        Its factors give the levels, its arms their ids and names.
    design : Design
        With the study's numbers of levels.
    """
    index = ArmIndex.of(design)
    there = sorted((arm for arm in study.arms if not arm.role), key=lambda arm: not arm.is_baseline)
    numbers = count(max((arm.id for arm in study.arms), default=0) + 1)
    arms = []
    for place, combination in enumerate(_easiest_first(design, index.combinations, study.factors)):
        old = there[place] if place < len(there) else None
        levels = tuple(f.levels[level].id for f, level in zip(study.factors, combination, strict=True))
        # Where no level is the one of now, none is called the baseline, unless the user says so.
        equals = design.kind is DesignKind.SEVERAL and all(f.kind.chosen for f in study.factors)
        keeps = old is not None and (not place or design.kind is DesignKind.PAIRS)
        keeps = keeps and not (equals and old is not None and old.name in (BASELINE, shown(BASELINE)))
        name = old.name if old and keeps else _name(design, study.factors, combination, equals)
        arms.append(Arm(old.id if old else next(numbers), name, not place, levels))
    if study.control is not None:
        side = arms[min(1, len(arms) - 1)] if study.control.of_change else arms[0]
        arms.append(replace(study.control, level_ids=side.level_ids))
    if index.centre is not None:
        old = next((arm for arm in study.arms if arm.role is ArmRole.CENTRE), None)
        arms.append(Arm(old.id if old else next(numbers), _middle(study.factors), False, (), ArmRole.CENTRE))
    return _with_own_names(arms)


def _with_own_names(arms: Sequence[Arm]) -> tuple[Arm, ...]:
    """Number names that stand twice, so that every arm can be told by its name."""
    taken: set[str] = set()
    named = []
    for arm in arms:
        name = next(
            text for n in count(1) if (text := arm.name if n == 1 else f"{arm.name} ({n})") not in taken
        )
        taken.add(name)
        named.append(replace(arm, name=name))
    return tuple(named)


def machines_of_levels(study: Study) -> dict[int, int]:
    """Return machine id by level id, where a factor is the machine itself; empty elsewhere.

    Raises
    ------
    ValueError
        A level of such a factor names no machine of the workshop.
    """
    # As people compare names: the level was typed, perhaps by another hand than the machine.
    by_name = {machine.name.casefold(): key for key, machine in study.machines.items()}
    for factor in study.factors:
        if factor.kind is ChangeKind.MACHINE:
            for level in factor.levels:
                if level.value.casefold() not in by_name:
                    raise ValueError(tr(
                        "“{level}” is not a machine of this workshop; name the levels of {factor} "
                        "after machines, or add it",
                        level=level.value, factor=factor.name,
                    ))  # fmt: skip
            return {level.id: by_name[level.value.casefold()] for level in factor.levels}
    return {}


def _whole(design: Design, study: Study) -> Design:
    levels = tuple(len(factor.levels) for factor in study.factors)
    together = any(factor.kind.whole_plate for factor in study.factors)
    apart = design.copies > 1 and together
    whole = replace(design, levels=levels, control=study.control is not None, apart=apart)
    whole.combinations()
    return whole


def _plan_of(study: Study) -> Plan:
    if study.plan is None or not study.runs:
        raise ValueError(tr("there is no plan to add to yet; draw the order first"))
    return study.plan


def _easiest_first(
    design: Design, combinations: Sequence[Combination], factors: Sequence[Factor]
) -> list[Combination]:
    """The steps of a chain begin with what takes the fewest minutes, then the least money."""
    if design.kind is not DesignKind.CHAIN:
        return list(combinations)
    # The place comes last, so that what is equally easy stays in the order in which it was asked.
    ease = [(factor.levels[1].minutes, factor.levels[1].cost, place) for place, factor in enumerate(factors)]
    order = [place for *_, place in sorted(ease)]
    steps = []
    for combination in combinations:
        levels = [0] * len(factors)
        for place, level in zip(order, combination, strict=True):
            levels[place] = level
        steps.append(tuple(levels))
    return steps


def _name(design: Design, factors: Sequence[Factor], combination: Combination, equals: bool) -> str:
    if not any(combination) and not equals:
        return shown(BASELINE)
    if design.kind is DesignKind.PAIRS:
        return tr("Change")
    moved = [
        (factor.name, factor.levels[level].value or tr("level {level}", level=level + 1))
        for factor, level in zip(factors, combination, strict=True)
        if level or equals
    ]
    if len(factors) == 1:
        return moved[0][1]
    if design.kind is DesignKind.SEVERAL:
        return ", ".join(value for _, value in moved)
    return " + ".join(f"{name} {value}" for name, value in moved)


def _middle(factors: Sequence[Factor]) -> str:
    """Name the centre point by the middle of the lowest and highest number of each factor."""
    parts = []
    for factor in factors:
        values = [level.value.strip() for level in factor.levels]
        # A name that only holds a number, such as “mix 1”, is still a name.
        begin = [value for value in values if value[:1].isdecimal() or value[:1] in _SIGNS]
        rising = sorted((number, value) for value in begin if (number := number_in(value)) is not None)
        if len(rising) < len(values):
            raise ValueError(tr(
                "centre points lie half-way between numbers, and the levels of {factor} are "
                "names; take none",
                factor=factor.name,
            ))  # fmt: skip
        middle = half_way(rising[0][1], rising[-1][1])
        if middle is None:
            raise ValueError(tr(
                "centre points lie half-way between numbers, and the levels of {factor} are not written "
                "alike; give all of them in one unit, or take none",
                factor=factor.name,
            ))  # fmt: skip
        parts.append(f"{factor.name} {middle}")
    return tr("Middle: ") + ", ".join(parts)


def _drawn(
    plan: Plan,
    machine_differs: bool,
    repeats: int,
    twins: int,
    seed: int,
    first: int,
    taken: Sequence[str],
    before: Sequence[tuple[Cell, Sequence[int]]] = (),
) -> list[PlannedRun]:
    design = plan.design
    machines = (0,) if machine_differs else plan.machine_ids
    cells = [Cell(machine, piece) for machine in machines for piece in plan.piece_ids]
    arms = len(design.combinations()) + design.control + design.centre_points
    times = design.whole_plots if design.kind is DesignKind.SPLIT_PLOT else 1
    if design.kind is DesignKind.SEVERAL and design.block_size:
        times = len(balanced_blocks(len(design.combinations()), design.block_size))
        arms = design.block_size + design.control
    planned = len(cells) * arms * times * max(repeats, 0) + max(twins, 0)
    if planned * (design.copies if design.apart else 1) > MOST_RUNS:
        raise ValueError(tr("that would be more than {MOST_RUNS} runs; plan fewer", MOST_RUNS=MOST_RUNS))
    return lay_out(design, cells, repeats, twins, seed, first, taken, before)


def _blocks_there(study: Study) -> list[tuple[Cell, list[int]]]:
    """Return the arms of each block that is drawn already, as indices into the design, in their order."""
    index = {arm.id: number for number, arm in _by_index(study).items()}
    cells = {block.id: Cell(block.machine_id or 0, block.piece_id or 0) for block in study.blocks}
    orders: dict[int, list[int]] = {}
    for run in sorted(study.runs, key=lambda run: run.position):
        if run.reprint_of is None:
            orders.setdefault(run.block_id, []).append(index[run.arm_id])
    return [(cells[block], order) for block, order in orders.items()]


def _refuse_left_out(study: Study, plan: Plan, design: Design, where: Sequence[int]) -> None:
    """Refuse what would be left out of a plan without a word."""
    left_out = [study.machines[key].name for key in plan.machine_ids if key not in where]
    if left_out:
        raise ValueError(tr(
            "{left_out} would print nothing, since the levels name the machines; make it "
            "a level, or untick it",
            left_out=format_list(left_out),
        ))  # fmt: skip


def _with_runs(study: Study, planned: Sequence[PlannedRun]) -> Study:
    """Append blocks and runs to those that are there."""
    block_ids = count(max((block.id for block in study.blocks), default=0) + 1)
    run_ids = count(max((run.id for run in study.runs), default=0) + 1)
    position = max((run.position for run in study.runs), default=-1) + 1
    cells = {run.block: run.cell for run in planned}
    blocks = {
        number: StudyBlock(
            next(block_ids), str(number), cells[number].machine_id or None, cells[number].piece_id
        )
        for number in sorted(cells)
    }
    arms = _by_index(study)
    machines = _machines_of_arms(study)
    spools = study.plan.spools if study.plan else ()
    own_spools = _spools_of_arms(study)
    runs = [
        Run(
            id=next(run_ids),
            code=run.code,
            position=position + offset,
            arm_id=arms[run.arm].id,
            block_id=blocks[run.block].id,
            spool=own_spools.get(arms[run.arm].id)
            or (spools[(run.block - 1) % len(spools)] if spools else ""),
            place=run.place,
            turn_deg=run.turn_deg,
            machine_id=machines.get(arms[run.arm].id),
        )
        for offset, run in enumerate(planned)
    ]
    if study.plan is not None and study.plan.design.copies > 1:
        runs = _on_plates(study, runs)
    return replace(study, blocks=(*study.blocks, *blocks.values()), runs=(*study.runs, *runs))


def _on_plates(study: Study, runs: Sequence[Run]) -> list[Run]:
    """Lay the copies of a block on one plate; what holds for a whole plate has a plate for each arm."""
    whole = study.plan is not None and study.plan.design.apart
    numbers = count(max((run.plate.id for run in study.runs), default=0) + 1)
    copies = study.plan.design.copies if study.plan is not None else 1
    together: dict[tuple[int, int | None, int], list[Run]] = {}
    for number, run in enumerate(runs):
        # The copies of a whole plate were drawn one after another.
        key = (run.block_id, run.machine_id, number // copies if whole else -1)
        together.setdefault(key, []).append(run)
    first = min((run.position for run in runs), default=0)
    laid: list[Run] = []
    for group in together.values():
        plate = Plate(next(numbers))
        for place, run in enumerate(group, 1):
            there = place if whole and len(group) > 1 else 0 if whole else run.place
            # A plate is printed in one go, so its runs follow one another.
            laid.append(replace(run, plate=plate, place=there, position=first + len(laid)))
    return laid


def _by_index(study: Study) -> dict[int, Arm]:
    """Arms by their index in the design's runs."""
    levels = sorted((arm for arm in study.arms if not arm.role), key=lambda arm: not arm.is_baseline)
    found = dict(enumerate(levels))
    for arm in study.arms:
        if arm.role:
            found[len(levels) + (arm.role is ArmRole.CENTRE)] = arm
    return found


def _machines_of_arms(study: Study) -> Mapping[int, int]:
    machines = machines_of_levels(study)
    return {arm.id: machines[level] for arm in study.arms for level in arm.level_ids if level in machines}


def _spools_of_arms(study: Study) -> Mapping[int, str]:
    """The spool of each arm whose filament is called like one."""
    by_name = {spool.name.casefold(): spool.name for spool in study.spools}
    return {
        arm.id: by_name[level.value.casefold()]
        for arm in study.arms
        for factor, level in study.levels_of(arm)
        if factor.kind is ChangeKind.FILAMENT and level.value.casefold() in by_name
    }
