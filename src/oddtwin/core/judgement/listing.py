"""The comparisons that each design makes, listed from the study."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import DesignKind
from oddtwin.core.judgement.contrast import Contrast, Corners
from oddtwin.core.language import tr
from oddtwin.core.study.question import Arm, ArmRole, Factor
from oddtwin.core.study.whole import Study, derived_from

INTERACTING = (DesignKind.FACTORIAL, DesignKind.CROSSOVER)
MOST_INTERACTING = 4
CROSSED = (DesignKind.FACTORIAL, DesignKind.FRACTION, DesignKind.CROSSOVER, DesignKind.SPLIT_PLOT)


@derived_from("runs", "arms", "factors", "plan", "blocks")
def contrasts(study: Study) -> list[Contrast]:
    """List the comparisons that a study's design makes.

    Parameters
    ----------
    study : Study
        With its arms.

    Returns
    -------
    list of Contrast
        Pairs and ladders: each arm against the baseline. A chain: each step against the
        step before, then the last against the first. Crossed factors: each level of each
        factor against its baseline level, over all combinations of the others; of two factors
        the effect of one at each level of the other; and for up to four two-level factors their
        interactions. A control arm: against the baseline,
        and the change against it.
    """
    design = study.plan.design if study.plan else None
    if design is not None and design.kind in CROSSED and all(arm.level_ids for arm in study.changed_arms):
        found = [
            item for place, factor in enumerate(study.factors) for item in _effects(study, factor, place)
        ]
        if design.kind in INTERACTING and len(study.factors) == 2:
            found += _at_each_level(study)
        if design.kind in INTERACTING and len(study.factors) <= MOST_INTERACTING:
            found += [
                _interaction(study, one, two)
                for one, two in combinations(study.factors, 2)
                if len(one.levels) == len(two.levels) == 2
            ]
    elif design is not None and design.kind is DesignKind.CHAIN:
        steps = [study.baseline, *study.changed_arms]
        found = [
            _two(study, _step_before(steps[:place], steps[place]), steps[place])
            for place in range(1, len(steps))
        ]
        if len(steps) > 2:
            found.append(_two(study, steps[0], steps[-1]))
    else:
        found = [_two(study, study.baseline, arm) for arm in study.changed_arms]
    centre = next((arm for arm in study.arms if arm.role is ArmRole.CENTRE), None)
    if centre is not None:
        found.append(_curvature(study, centre))
    if study.control is not None:
        positive = study.control.role is ArmRole.POSITIVE
        made_bad = tr(
            "Made bad on purpose, {control} against {baseline}",
            control=study.control.name, baseline=study.baseline.name,
        )  # fmt: skip
        found.append(
            replace(
                _two(study, study.baseline, study.control),
                positive=positive,
                title=made_bad if positive else "",
            )
        )
        # What was made bad on purpose shows that a difference can be seen; the change is not held against it.
        if not positive:
            found += [_two(study, study.control, arm) for arm in study.changed_arms[:1]]
    return found


@derived_from("runs", "arms", "factors", "plan", "blocks")
def whole_plots(study: Study) -> dict[str, str]:
    """Return the whole plot of every run by its code: prints of a machine between two switches."""
    if study.plan is None or study.plan.design.kind is not DesignKind.SPLIT_PLOT:
        return {}
    factor = study.factors[study.plan.design.hard_factor]
    level_of = {
        arm.id: next((level.id for level in factor.levels if level.id in arm.level_ids), 0)
        for arm in study.arms
    }
    machine_of = {block.id: block.machine_id for block in study.blocks}
    last: dict[int | None, int] = {}
    number: dict[int | None, int] = defaultdict(int)
    found = {}
    for run in sorted((run for run in study.runs if run.reprint_of is None), key=lambda run: run.position):
        machine, level = machine_of[run.block_id], level_of[run.arm_id]
        if last.get(machine) != level:
            last[machine] = level
            number[machine] += 1
        found[run.code] = tr("plot {number}", number=number[machine])
    by_id = {run.id: run.code for run in study.runs}
    for run in study.runs:
        if run.reprint_of is not None:
            found[run.code] = found.get(by_id.get(run.reprint_of, ""), "")
    return found


def _step_before(steps: Sequence[Arm], arm: Arm) -> Arm:
    """The step that one of a chain builds on: the last one that differs from it in one factor only."""
    levels = set(arm.level_ids)
    return next((item for item in reversed(steps) if len(levels - set(item.level_ids)) == 1), steps[-1])


def _curvature(study: Study, centre: Arm) -> Contrast:
    """The middle against the mean of the corners: apart where effects are not straight lines."""
    corners = [study.baseline, *study.changed_arms]
    sides = {**dict.fromkeys((arm.name for arm in corners), False), centre.name: True}
    return Contrast(tr("the corners"), tr("the middle"), sides, dict.fromkeys(sides, ""), paired=False)


_MEANT = {ChangeKind.MACHINE: "machine", ChangeKind.FILAMENT: "spool"}


def _two(study: Study, baseline: Arm, change: Arm) -> Contrast:
    sides = {baseline.name: False, change.name: True}
    before = dict(study.levels_of(baseline))
    moved = [factor for factor, level in study.levels_of(change) if before.get(factor) != level]
    # Arms that were named without levels differ in every factor.
    moved = moved if change.level_ids else list(study.factors)
    meant = frozenset(_MEANT[factor.kind] for factor in moved if factor.kind in _MEANT)
    return Contrast(
        baseline.name,
        change.name,
        sides,
        dict.fromkeys(sides, ""),
        meant=meant,
        blocks=_blocks_with(study, baseline, change),
    )


def _blocks_with(study: Study, one: Arm, two: Arm) -> frozenset[str] | None:
    """Name the blocks that hold two arms, where the design has blocks that cannot hold all."""
    if study.plan is None or study.plan.design.kind is not DesignKind.SEVERAL:
        return None
    if not study.plan.design.block_size:
        return None
    there: dict[int, set[int]] = defaultdict(set)
    for run in study.runs:
        there[run.block_id].add(run.arm_id)
    return frozenset(block.label for block in study.blocks if {one.id, two.id} <= there[block.id])


def _effects(study: Study, factor: Factor, place: int) -> list[Contrast]:
    """Each level of a factor against its first, over all combinations of the other factors."""
    design = study.plan.design if study.plan else None
    arms = [study.baseline, *study.changed_arms]
    level_of = {
        arm.name: next((level for level in factor.levels if level.id in arm.level_ids), factor.levels[0])
        for arm in arms
    }
    hard = design is not None and design.kind is DesignKind.SPLIT_PLOT and place == design.hard_factor
    fraction = design is not None and design.kind is DesignKind.FRACTION
    found = []
    for level in factor.levels[1:]:
        sides = {
            name: there is level for name, there in level_of.items() if there in (level, factor.levels[0])
        }
        found.append(
            Contrast(
                f"{factor.name} {factor.levels[0].value}".strip(),
                f"{factor.name} {level.value}".strip(),
                sides,
                {arm.name: _others(study, arm, factor) for arm in arms if arm.name in sides},
                paired=not fraction,
                plots=hard,
                meant=frozenset({_MEANT[factor.kind]} if factor.kind in _MEANT else ()),
            )
        )
    return found


def _at_each_level(study: Study) -> list[Contrast]:
    """The effect of one of two factors at each level of the other: what their means may hide."""
    # The one with fewer levels is the one whose effect is asked for: a part, at every speed.
    one, other = sorted(study.factors, key=lambda factor: len(factor.levels))
    arms = [study.baseline, *study.changed_arms]
    found = []
    for level in one.levels[1:]:
        for held in other.levels:
            sides = {}
            for arm in arms:
                own = [item for item in one.levels if item.id in arm.level_ids] or [one.levels[0]]
                beside = [item for item in other.levels if item.id in arm.level_ids] or [other.levels[0]]
                if beside[0] is held and own[0] in (one.levels[0], level):
                    sides[arm.name] = own[0] is level
            if set(sides.values()) == {True, False}:
                before, after, where = (
                    f"{factor.name} {item.value}".strip()
                    for factor, item in ((one, one.levels[0]), (one, level), (other, held))
                )
                found.append(
                    Contrast(
                        before,
                        after,
                        sides,
                        dict.fromkeys(sides, ""),
                        title=tr(
                            "{after} against {before}, {where}", after=after, before=before, where=where
                        ),
                        at=(other.name, held.value),
                    )
                )
    return found


def _interaction(study: Study, one: Factor, two: Factor) -> Contrast:
    """Whether two factors need each other: the effect of one with the other, less its effect without.

    The whole difference of the two effects, of which the interaction of Box, Hunter and Hunter,
    Statistics for Experimenters, is the half; from memory.
    """
    arms = [study.baseline, *study.changed_arms]
    # Of more than two factors each setting of the others has four corners of its own.
    at: dict[str, dict[tuple[bool, bool], str]] = defaultdict(dict)
    for arm in arms:
        others = ", ".join(level.value for other, level in study.levels_of(arm) if other not in (one, two))
        both = (one.levels[1].id in arm.level_ids, two.levels[1].id in arm.level_ids)
        at[others][both] = arm.name
    corners = {
        others: Corners(named[False, False], named[True, False], named[False, True], named[True, True])
        for others, named in at.items()
        if len(named) == 4
    }
    sides = {arm.name: any(arm.name == item.both for item in corners.values()) for arm in arms}
    return Contrast(
        tr("{one} without {two}", one=one.name, two=two.name),
        tr("{one} with {two}", one=one.name, two=two.name),
        sides,
        dict.fromkeys(sides, ""),
        title=tr("Interaction of {one} and {two}", one=one.name, two=two.name),
        corners=corners,
    )


def _others(study: Study, arm: Arm, factor: Factor) -> str:
    return ", ".join(level.value for other, level in study.levels_of(arm) if other is not factor)
