"""What a plan can find: power by response, and what the last pair adds for its cost."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Final

from oddtwin.core.effects import Chances, NoiseFloor, Scatter, chances_of, pairs_needed
from oddtwin.core.judgement import Contrast, contrasts, whole_plots
from oddtwin.core.outlook.spending import Budget, budget_of
from oddtwin.core.runlist import draw_plan
from oddtwin.core.study import Study

PAIRS: Final = tuple(range(1, 13))


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


@dataclass(frozen=True, slots=True)
class _Shape:
    """Prints of one comparison: complete pairs, mean prints behind each side, or unpaired counts."""

    pairs: int
    spread: float
    unpaired: tuple[int, int]

    @property
    def count(self) -> int:
        """Pairs, or prints of the smaller side where none are paired."""
        return self.pairs or min(self.unpaired)

    def scatter(self, sd: float) -> Scatter:
        """Return the scatter of the comparison from that of one print."""
        return Scatter(sd * self.spread, paired=self.pairs > 0)


def power_of(
    study: Study, margin: float, noise: NoiseFloor | None, sd: float, comparison: int = 0
) -> ResponsePower:
    """Work out what a planned study can find in one response.

    Parameters
    ----------
    study : Study
        With its runs drawn.
    margin : float
        In the response's unit, above zero.
    noise : NoiseFloor or None
        Known noise floor that would carry the interval of a single pair.
    sd : float
        Standard deviation of one print, in the response's unit.
    comparison : int
        Which of the study's comparisons.

    Raises
    ------
    ValueError
        No runs are drawn, or figures that are not above zero.
    """
    if not study.runs:
        raise ValueError("draw the order first")
    shape = _shape(study, contrasts(study)[comparison])
    scatter = shape.scatter(sd)
    return ResponsePower(
        planned=_chances(scatter, margin, noise, shape.count),
        table=tuple(power_table(scatter, margin, noise, PAIRS)),
        for_80=pairs_needed(scatter, margin, 0.8),
        for_90=pairs_needed(scatter, margin, 0.9),
        twin_80=pairs_needed(scatter, margin, 0.8, twin=True),
    )


def power_table(
    scatter: Scatter, margin: float, noise: NoiseFloor | None, pairs: Iterable[int]
) -> list[Chances]:
    """Return the chances for each number of pairs, as the analysis will judge them.

    Parameters
    ----------
    scatter : Scatter
        Of one print.
    margin : float
        In the response's unit.
    noise : NoiseFloor or None
        Known; it carries the interval where there is only one pair.
    pairs : iterable of int
        One or more each.
    """
    return [_chances(scatter, margin, noise, count) for count in pairs]


def certainty(
    study: Study,
    margin: float,
    noise: NoiseFloor | None,
    sd: float,
    repeats: Sequence[int],
    comparison: int = 0,
) -> list[Step]:
    """Return what other numbers of blocks would take and find.

    Parameters
    ----------
    study : Study
        With a plan.
    margin, sd : float
        In the response's unit.
    noise : NoiseFloor or None
        Known noise floor.
    repeats : sequence of int
        Blocks on each machine and piece, or whole plots where these are compared; those that make
        too many runs are left out.
    comparison : int
        Which of the study's comparisons.
    """
    if study.plan is None:
        raise ValueError("draw the order first")
    steps = []
    plots = contrasts(study)[comparison].plots
    for count in repeats:
        # A factor that is hard to change is judged by its switches; prints between them help nothing.
        design = replace(study.plan.design, whole_plots=count) if plots else study.plan.design
        plan = replace(study.plan, repeats=study.plan.repeats if plots else count, design=design)
        try:
            other = draw_plan(study, plan)
        except ValueError:
            continue
        planned = power_of_plan(other, margin, noise, sd, comparison)
        steps.append(Step(count, budget_of(other), planned.p_find_margin))
    return steps


def power_of_plan(
    study: Study, margin: float, noise: NoiseFloor | None, sd: float, comparison: int = 0
) -> Chances:
    """Return the chances of a study as it is drawn, in one of its comparisons."""
    shape = _shape(study, contrasts(study)[comparison])
    return _chances(shape.scatter(sd), margin, noise, shape.count)


def unit_of(study: Study, comparison: int = 0) -> str:
    """Return what the chances count: complete pairs, or prints of each side where none are paired."""
    contrast = contrasts(study)[comparison]
    if contrast.plots:
        return "pairs of whole plots"
    return "pairs" if _shape(study, contrast).pairs else "prints of each side"


def one_of(unit: str) -> str:
    """Return the singular of what chances count."""
    return unit.replace("pairs", "pair").replace("prints", "print")


def _chances(scatter: Scatter, margin: float, noise: NoiseFloor | None, pairs: int) -> Chances:
    if pairs < 1:
        return Chances(pairs, None, None)
    if pairs == 1 and noise is not None:
        return chances_of(replace(scatter, df=noise.df), margin, [pairs])[0]
    return chances_of(scatter, margin, [pairs])[0]


def _shape(study: Study, contrast: Contrast) -> _Shape:
    prints = contrast.prints(study, whole_plots(study))
    blocks: dict[str, list[int]] = {}
    sides = [0, 0]
    for item in prints:
        sides[item.is_change] += 1
        if item.block:
            blocks.setdefault(item.block, [0, 0])[item.is_change] += 1
    complete = [counts for counts in blocks.values() if all(counts)]
    if not complete:
        return _Shape(0, 1.0, (sides[0], sides[1]))
    # A side of several prints is a mean, which scatters less than one print.
    share = sum(1 / base + 1 / change for base, change in complete) / len(complete) / 2
    return _Shape(len(complete), math.sqrt(share), (sides[0], sides[1]))
