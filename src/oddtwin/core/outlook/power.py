"""What a plan can find: power by response, and what the last pair adds for its cost."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from oddtwin.core.effects import (
    IN_STEPS,
    Chances,
    NoiseFloor,
    Shape,
    adjusted,
    chances_of,
    judged_as,
    pairs_needed,
)
from oddtwin.core.judgement import (
    PlannedPrint,
    contrasts,
    model_of,
    planned_level,
    planned_rows,
    whole_plots,
)
from oddtwin.core.language import tr
from oddtwin.core.outlook.spending import Budget, budget_of
from oddtwin.core.readings import ResponseKind
from oddtwin.core.runlist import draw_plan
from oddtwin.core.study import Response, Study

PAIRS: Final = tuple(range(1, 13))


@dataclass(frozen=True, slots=True)
class Aim:
    """What is looked for in one response.

    Parameters
    ----------
    response : Response
        In which.
    margin : float
        Smallest difference that matters, in the response's unit, above zero.
    sd : float
        Standard deviation of one print, in the same unit.
    noise : NoiseFloor or None
        Known noise floor that would carry the interval of a single pair.
    """

    response: Response
    margin: float
    sd: float
    noise: NoiseFloor | None = None


@dataclass(frozen=True, slots=True)
class ResponsePower:
    """What the plan can find in one response.

    Parameters
    ----------
    planned : Chances
        With the pairs that are planned.
    table : tuple of Chances
        With 1 to 12 pairs.
    for_80, for_90 : int or None
        Pairs that give 80 and 90 % to find the margin; None beyond a thousand.
    twin_80 : int or None
        Pairs that give 80 % to establish a twin.
    """

    planned: Chances
    table: tuple[Chances, ...]
    for_80: int | None
    for_90: int | None
    twin_80: int | None


@dataclass(frozen=True, slots=True)
class Step:
    """What so many blocks take, and their chance to find the margin of the deciding response."""

    repeats: int
    budget: Budget
    chance: float | None


def power_of(study: Study, aim: Aim, comparison: int = 0) -> ResponsePower:
    """Work out what a planned study can find in one response.

    Parameters
    ----------
    study : Study
        With its runs drawn.
    aim : Aim
        What is looked for.
    comparison : int
        Which of the study's comparisons.

    Raises
    ------
    ValueError
        No runs are drawn, or figures that are not above zero.
    """
    if not study.runs:
        raise ValueError(tr("draw the order first"))
    shape, sd, margin = shape_of(study, aim, comparison), aim.sd, aim.margin
    return ResponsePower(
        planned=_planned(shape, sd, margin),
        table=tuple(chances_of(shape, sd, margin, PAIRS)),
        for_80=pairs_needed(shape, sd, margin, 0.8),
        for_90=pairs_needed(shape, sd, margin, 0.9),
        twin_80=pairs_needed(shape, sd, margin, 0.8, twin=True),
    )


def certainty(study: Study, aim: Aim, repeats: Sequence[int], comparison: int = 0) -> list[Step]:
    """Return what other numbers of blocks would take and find.

    Parameters
    ----------
    study : Study
        With a plan.
    aim : Aim
        What is looked for.
    repeats : sequence of int
        Blocks on each machine and piece, or whole plots where these are compared; those that make
        too many runs are left out.
    comparison : int
        Which of the study's comparisons.
    """
    if study.plan is None:
        raise ValueError(tr("draw the order first"))
    steps = []
    plots = contrasts(study)[comparison].plots
    for count in repeats:
        # A factor that is hard to change is judged by its switches; prints between them help nothing.
        design = replace(study.plan.design, whole_plots=count) if plots else study.plan.design
        plan = replace(study.plan, repeats=study.plan.repeats if plots else count, design=design)
        # A count that the design cannot be made of is left out of the table; the plan itself refuses it
        # with its reason.
        try:
            other = draw_plan(study, plan)
        except ValueError:
            continue
        planned = power_of_plan(other, aim, comparison)
        steps.append(Step(count, budget_of(other), planned.p_find_margin))
    return steps


def power_of_plan(study: Study, aim: Aim, comparison: int = 0) -> Chances:
    """Return the chances of a study as it is drawn, in one of its comparisons."""
    return _planned(shape_of(study, aim, comparison), aim.sd, aim.margin)


def unit_of(study: Study, comparison: int = 0) -> str:
    """Return what the chances count: complete pairs, or prints of each side where none are paired."""
    contrast = contrasts(study)[comparison]
    if contrast.plots:
        return tr("pairs of whole plots")
    shape = _shape_of_prints(study, ResponseKind.QUANTITY, None, comparison)
    return tr("pairs") if shape.pairs else tr("prints of each side")


def pairs_of(study: Study, comparison: int = 0) -> int:
    """Return how many pairs of grades a comparison will have; 0 where none are paired."""
    return _shape_of_prints(study, ResponseKind.GRADE, None, comparison).pairs


def one_of(unit: str) -> str:
    """Return the singular of what chances count."""
    return unit.replace("pairs", "pair").replace("prints", "print")


def shape_of(study: Study, aim: Aim, comparison: int = 0) -> Shape:
    """Return the shape of the prints of a comparison as it is drawn, and the level it will be judged at.

    Parameters
    ----------
    study : Study
        With its runs.
    aim : Aim
        Its noise carries the interval where there is only one pair.
    comparison : int
        Which of the study's comparisons.
    """
    level = planned_level(study, aim.response, comparison)
    return replace(_shape_of_prints(study, aim.response.kind, aim.noise, comparison), level=level)


def _shape_of_prints(study: Study, kind: ResponseKind, noise: NoiseFloor | None, comparison: int) -> Shape:
    contrast = contrasts(study)[comparison]
    df = noise.df if noise is not None and noise.judges else 0.0
    model = None if kind in IN_STEPS else model_of(study, contrast)
    solved = model.solve(planned_rows(study, contrast, model)[1]) if model is not None else None
    if solved is not None:
        # What is known of earlier studies stands in only for want of scatter in this one, as in the verdict.
        own = solved.df
        if own or df or solved.effects:
            return solved.shape(kind, 0.0 if own else df)
    prints = contrast.prints(study, whole_plots(study))
    if contrast.corners:
        # Four prints, or their means, to a block: their variances add up.
        spreads = [sum(1 / len(some) for some in (item.runs, item.less)) for item in prints]
        count, spread = len(prints) // 2, sum(spreads) / max(len(prints), 1)
        judged = judged_as(kind, of_effects=True)
        return Shape(judged, count, count, count, 0.0, spread=math.sqrt(spread))
    blocks: dict[str, list[int]] = {}
    sides = [0, 0]
    for item in prints:
        sides[item.is_change] += 1
        if item.block:
            blocks.setdefault(item.block, [0, 0])[item.is_change] += 1
    complete = [counts for counts in blocks.values() if all(counts)]
    if not complete:
        return _unpaired(kind, prints, sides, df)
    # Twins of the plan are judged by; what is known of earlier ones stands in only for want of them.
    twins = sum(count - 1 for count in Counter(replace(item, unit="", runs=()) for item in prints).values())
    # A side of several prints is a mean, which scatters less than one print.
    share = sum(1 / base + 1 / change for base, change in complete) / len(complete) / 2
    base, change = (sum(counts[side] for counts in complete) for side in (0, 1))
    pairs = sum(map(min, complete)) if kind is ResponseKind.GRADE else len(complete)
    return Shape(kind, pairs, base, change, float(twins or df), spread=math.sqrt(share))


def _unpaired(kind: ResponseKind, prints: Sequence[PlannedPrint], sides: Sequence[int], df: float) -> Shape:
    if kind in IN_STEPS or not all(sides):
        return Shape(kind, 0, sides[0], sides[1], df)
    named: dict[tuple[str, str], int] = {}
    places = np.array([named.setdefault((item.machine, item.piece), len(named)) for item in prints])
    is_change = np.array([item.is_change for item in prints])
    fitted = adjusted(np.zeros((1, len(prints))), is_change, places)
    return Shape(kind, 0, sides[0], sides[1], df, int(fitted.strata[0]), float(fitted.spread[0]))


def _planned(shape: Shape, sd: float, margin: float) -> Chances:
    count = shape.pairs or shape.fewest
    return chances_of(shape, sd, margin, [count])[0] if count else Chances(0, None, None)
