"""Where a ladder stands: which prints held, and what its rule says next."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from oddtwin.core.design import DesignKind, LadderAdvice, Rung, advise
from oddtwin.core.language import tr
from oddtwin.core.quantities import number_in
from oddtwin.core.readings import Better, ResponseKind
from oddtwin.core.study.printed import RunState, printed_order
from oddtwin.core.study.question import Arm, Response
from oddtwin.core.study.tidy import print_values
from oddtwin.core.study.whole import Study, derived


@derived
def ladder_advice(study: Study) -> LadderAdvice | None:
    """Say what to print next on a study's ladder.

    Parameters
    ----------
    study : Study
        With its runs and readings.

    Returns
    -------
    LadderAdvice or None
        None where the design is no ladder, or nothing can be judged: no deciding response,
        or one without a margin and a direction.
    """
    if study.plan is None or study.plan.design.kind is not DesignKind.LADDER or not study.factors:
        return None
    rungs = ladder_rungs(study)
    if rungs is None:
        return None
    levels = study.factors[0].levels
    names = [level.value or tr("level {place}", place=place) for place, level in enumerate(levels, 1)]
    if not in_order([level.value for level in levels]):
        return _without_edge(names, rungs)
    return advise(study.plan.design.rule, names, rungs)


def ladder_arms(study: Study) -> list[Arm]:
    """Return the arms of a ladder in the order of its levels, the safe end first."""
    return sorted(study.arms, key=lambda arm: not arm.is_baseline)


def ladder_rungs(study: Study) -> list[Rung] | None:
    """Judge each measured print of a ladder against a safe print, in printed order.

    A print holds where the deciding response is worse than the safe print by less than the margin;
    of a fault its worst zone counts. Each is judged by the safe print of its own block, or by one that
    judges no other; what is left over shares one, and so is the safe end itself, which proves nothing.
    Where the response has a limit of its own, a print holds that does not pass it. One that failed
    because of its level does not hold.

    Returns
    -------
    list of Rung or None
        None where the deciding response has neither margin nor limit, or no direction.
    """
    deciding = next((item for item in study.responses if item.primary), None)
    if deciding is None or deciding.better is None or (deciding.margin is None and deciding.accept is None):
        return None
    level_of = {arm.id: place for place, arm in enumerate(ladder_arms(study))}
    graded = deciding.kind is ResponseKind.GRADE
    value_of = {
        # One ruined face of eight is no print that holds, whatever the mean of the eight.
        item.run: item.worst if graded else item.value
        for item in print_values(study)[deciding.id]
        if item.counts
    }
    sign = -1 if deciding.better is Better.HIGHER else 1
    # What failed by its level did not hold, whatever else could be read of it.
    value_of |= {run.code: sign * math.inf for run in study.runs if run.failed}
    made = [
        (level_of[run.arm_id], run.block_id, value)
        for run in sorted(study.runs, key=printed_order)
        if not study.arm_of(run).role
        and run.state is RunState.PRINTED
        and (value := value_of.get(run.code)) is not None
    ]
    if deciding.accept is not None:
        # A limit asks no safe print, so that each print proves what it shows.
        return [Rung(level, sign * (value - deciding.accept) <= 0) for level, _, value in made]
    free = [(block, value) for level, block, value in made if level == 0 and math.isfinite(value)]
    if not free:
        return []
    middle = sum(value for _, value in free) / len(free)
    rungs = []
    for level, block, value in made:
        if level == 0:
            rungs.append(Rung(0, math.isfinite(value), own=False))
            continue
        if not math.isfinite(value):
            rungs.append(Rung(level, False))
            continue
        mine = next((item for item in free if item[0] == block), free[0] if free else None)
        # One safe print that happened to be poor would let every level hold that is judged by it.
        if mine is not None:
            free.remove(mine)
        safe = middle if mine is None else mine[1]
        end = end_of_margin(deciding, safe)
        holds = sign * (value - (safe if end is None else end)) < 0 or value == safe
        rungs.append(Rung(level, holds, own=mine is not None))
    return rungs


def end_of_margin(response: Response, safe: float) -> float | None:
    """Return the value from which on a print is worse than a safe one by the margin, as the verdict has it.

    Parameters
    ----------
    response : Response
        With a margin and a direction.
    safe : float
        Value of the safe print, in the response's unit.

    Returns
    -------
    float or None
        None where the margin is in percent and the safe print is not above zero.
    """
    sign = -1 if response.better is Better.HIGHER else 1
    if not response.percent:
        return safe + sign * (response.margin or 0.0)
    # As much either way, as logarithms have it: 25 % less is four fifths, for 25 % more takes it back.
    return safe * (1 + (response.margin or 0.0) / 100) ** sign if safe > 0 else None


def in_order(values: Sequence[str]) -> bool:
    """Whether levels are numbers that all rise, or all fall."""
    numbers = [number_in(value) for value in values]
    steps = [
        math.copysign(1.0, other - one)
        for one, other in pairwise(numbers)
        if one is not None and other is not None and other != one
    ]
    return len(steps) == len(values) - 1 and len(set(steps)) == 1


def _without_edge(names: Sequence[str], rungs: Sequence[Rung]) -> LadderAdvice:
    printed = {rung.level for rung in rungs}
    left = next((place for place in range(len(names)) if place not in printed), None)
    return LadderAdvice(
        left,
        tr(
            "These levels are not numbers that rise or fall, so nothing lies between two of them and "
            "there is no edge. Each is compared with the baseline under Verdict."
        ),
        None,
        None,
        None,
        None,
    )
