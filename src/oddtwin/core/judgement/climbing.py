"""Where a ladder stands: which prints held, and what its rule says next."""

from __future__ import annotations

from oddtwin.core.design import DesignKind, LadderAdvice, Rung, advise
from oddtwin.core.readings import Better
from oddtwin.core.study.printed import RunState, printed_order
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
    names = [level.value or f"level {place}" for place, level in enumerate(study.factors[0].levels, 1)]
    return advise(study.plan.design.rule, names, rungs)


def ladder_rungs(study: Study) -> list[Rung] | None:
    """Judge each measured print of a ladder against the safe end, in printed order.

    A print holds where the deciding response is not worse than the mean of the first
    level's prints by more than the margin.

    Returns
    -------
    list of Rung or None
        None where the deciding response has no margin or no direction.
    """
    deciding = next((item for item in study.responses if item.primary), None)
    if deciding is None or deciding.margin is None or deciding.better is None:
        return None
    level_of = {
        arm.id: place for place, arm in enumerate(sorted(study.arms, key=lambda arm: not arm.is_baseline))
    }
    value_of = {item.run: item.value for item in print_values(study)[deciding.id] if item.counts}
    made = [run for run in sorted(study.runs, key=printed_order) if not study.arm_of(run).role]
    values = [
        (level_of[run.arm_id], value)
        for run in made
        if run.state is RunState.PRINTED and (value := value_of.get(run.code)) is not None
    ]
    safe = [value for level, value in values if level == 0]
    if not safe:
        return []
    middle = sum(safe) / len(safe)
    sign = -1 if deciding.better is Better.HIGHER else 1
    return [Rung(level, sign * (value - middle) <= deciding.margin) for level, value in values]
