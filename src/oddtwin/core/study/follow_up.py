"""A study that goes on from another: the same question again, on the next machine, or between two levels."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from enum import StrEnum
from itertools import pairwise
from typing import Final

from oddtwin.core.language import mark, shown, tr
from oddtwin.core.quantities import half_way
from oddtwin.core.study.question import Arm, Factor, HeldItem, Level
from oddtwin.core.study.settled import DecisionKind
from oddtwin.core.study.whole import Study

_NEW: Final = -1
"""Id of a level that no lab book has yet."""


class FollowUp(StrEnum):
    """How a study goes on from another."""

    AGAIN = mark("again")
    NEXT_MACHINE = mark("on the next machine")
    MIDDLE = mark("the middle levels")


def follow_up(study: Study, kind: FollowUp, at: datetime) -> Study:
    """Return a study that goes on from another: question, arms, responses and what is held are copied.

    Nothing is printed of it. Where the study before was adopted on a condition, that is held the same. The
    noise floor comes by itself, from the twins of the study before.

    Parameters
    ----------
    study : Study
        What it goes on from.
    kind : FollowUp
        How.
    at : datetime
        When it is begun.

    Raises
    ------
    ValueError
        There is no other machine, or no two levels between which a middle lies.
    """
    fresh = replace(
        study,
        id=0,
        name=_name(study, kind),
        created=at,
        blocks=(),
        runs=(),
        readings=(),
        deviations=(),
        rechecks=(),
        decision=None,
        looks=(),
        files=(),
        checks=(),
        photographs=(),
        marks=(),
        sessions=(),
        answers=(),
        changes=(),
        owed=(),
        plan=replace(study.plan, frozen=None) if study.plan else None,
        responses=tuple(replace(one, margin_moved=False) for one in study.responses),
        parent_id=study.id,
    )
    fresh = _with_condition(fresh, study)
    if kind is FollowUp.NEXT_MACHINE:
        return _on_next_machine(fresh)
    return _between_levels(fresh) if kind is FollowUp.MIDDLE else fresh


def _name(study: Study, kind: FollowUp) -> str:
    return f"{study.name}, {shown(kind)}"


def _with_condition(fresh: Study, study: Study) -> Study:
    decision = study.decision
    if decision is None or not decision.condition or decision.kind is not DecisionKind.ADOPT:
        return fresh
    # Held the same from now on: what was found holds there, and nowhere else.
    held = HeldItem(max((item.id for item in fresh.held), default=0) + 1, decision.condition)
    return replace(fresh, held=(*fresh.held, held))


def _on_next_machine(fresh: Study) -> Study:
    used = set(fresh.plan.machine_ids) if fresh.plan else set()
    other = [key for key in fresh.machines if key not in used]
    if not other or fresh.plan is None:
        raise ValueError(tr("There is no other machine in the workshop; add it under Machines first."))
    return replace(fresh, plan=replace(fresh.plan, machine_ids=(other[0],)))


def _between_levels(fresh: Study) -> Study:
    """Put a level between every two neighbours of the first factor that has numbers."""
    for place, factor in enumerate(fresh.factors):
        middles = _with_middles(factor)
        if middles is not None:
            factors = (*fresh.factors[:place], middles, *fresh.factors[place + 1 :])
            arms = tuple(
                Arm(arm.id, arm.name, arm.is_baseline, arm.level_ids) for arm in fresh.arms if not arm.role
            )
            # More levels than before: the design is chosen anew, and its arms are drawn with it.
            return replace(fresh, factors=factors, arms=arms, plan=None)
    raise ValueError(
        tr(
            "No factor has levels that are numbers and written alike, such as “0.2 mm” and “0.3 mm”: "
            "nothing lies between them."
        )
    )


def _with_middles(factor: Factor) -> Factor | None:
    levels: list[Level] = list(factor.levels[:1])
    for number, (here, there) in enumerate(pairwise(factor.levels)):
        middle = half_way(here.value, there.value)
        levels += [Level(_NEW - number, middle), there] if middle is not None else [there]
    return replace(factor, levels=tuple(levels)) if len(levels) > len(factor.levels) else None
