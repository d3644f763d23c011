"""A study weighed up: its arms by quality, minutes, grams, waste and money, and what follows."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.judgement import analyse
from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import format_number, with_unit
from oddtwin.core.readings import Better, PrintValue, ResponseKind
from oddtwin.core.study import Arm, ArmRole, Response, RunState, Study, print_values
from oddtwin.core.tradeoff.costs import COST_ID, PrintCost, costs_as_response, print_costs
from oddtwin.core.tradeoff.figure import DEAREST, MONEY, Figure, mean_figure, noise_of
from oddtwin.core.tradeoff.front import Axis, Pick, by_priorities, undominated
from oddtwin.core.tradeoff.path import LadderPath, ladder_path
from oddtwin.core.tradeoff.payback import Payback, payback
from oddtwin.core.tradeoff.prices import Prices, prices_of
from oddtwin.core.tradeoff.switching import Line, Stretch, winners

FAILS: Final = mark("no print fails")


@dataclass(frozen=True, slots=True)
class Weighed:
    """What a study comes to when it is weighed up.

    Parameters
    ----------
    axes : tuple of Axis
        In the order of priorities: the deciding response first.
    figures : mapping of str to mapping of str to Figure
        By arm, then by axis.
    baseline : str
        Name of the arm that the others are held against.
    front : tuple of str
        Arms that nothing beats; without those that a gate shut out.
    dominated : mapping of str to sequence of str
        The others, with the arms that beat them.
    shut_out : mapping of str to str
        Arms that a gate shut out, and why.
    pick : Pick
        By the order of priorities.
    savings : mapping of str to Figure
        Money that a print of each arm saves against the baseline, compared as every response is; below zero
        where it costs more.
    paybacks : mapping of str to Payback
        By arm; of those that cost something to set up, where there is money to save.
    by_gram, by_grade : tuple of Stretch
        Cheapest arm along the price of a kilogram, to five times the one of today, and along what a grade
        step of the fault is worth; none where the arms do not differ in it beyond the scatter.
    grade_axis : str
        Key of the axis that ``by_grade`` is along; empty where nothing is graded.
    costs : mapping of str to mapping of str to float
        Mean cost of a print of each arm by what it is for.
    prices : Prices
        That it was reckoned with.
    estimated : bool
        Whether some print was not weighed or timed.
    per_kg : float
        Money of a kilogram of what the study is printed of; 0 where no filament has a price.
    path : LadderPath or None
        Of a ladder: its levels in order, and how far they hold.
    """

    axes: tuple[Axis, ...]
    figures: Mapping[str, Mapping[str, Figure]]
    baseline: str
    front: tuple[str, ...]
    dominated: Mapping[str, Sequence[str]]
    shut_out: Mapping[str, str]
    pick: Pick
    savings: Mapping[str, Figure]
    paybacks: Mapping[str, Payback]
    by_gram: tuple[Stretch, ...] = ()
    by_grade: tuple[Stretch, ...] = ()
    grade_axis: str = ""
    costs: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    prices: Prices = field(default_factory=Prices)
    estimated: bool = False
    per_kg: float = 0.0
    path: LadderPath | None = None

    def axis(self, key: str) -> Axis:
        """Return the axis of a key."""
        return next(axis for axis in self.axes if axis.key == key)


def weigh(study: Study, gates: Sequence[str] = (), prices: Prices | None = None) -> Weighed:
    """Weigh the arms of a study up.

    Parameters
    ----------
    study : Study
        Whole; arms without a print that counts are left out.
    gates : sequence of str
        Names from `gates_of`: an arm that breaks one is shut out, however good it is.
    prices : Prices, optional
        Other than those of the study.

    Raises
    ------
    ValueError
        Fewer than two arms were printed.
    """
    arms = [arm for arm in study.arms if arm.role in (ArmRole.LEVELS, ArmRole.CONTROL) and _made(study, arm)]
    if len(arms) < 2:
        raise ValueError(tr("Weighing up needs prints of two arms at least."))
    prices = prices or prices_of(study)
    costs = print_costs(study, prices)
    priced = costs_as_response(study, costs, prices.currency) if prices.known else None
    axes, figures = _figures(study, arms, priced, prices.currency)
    shut_out = {arm.name: why for arm in arms for why in [_shut_out(study, arm, gates)] if why}
    values = _values(figures, shut_out)
    front, dominated = undominated(values, axes)
    graded = next((axis for axis in axes if axis.key.startswith("grade")), None)
    savings = savings_of(priced) if priced else {}
    means, per_kg = _mean_costs(study, arms, costs), prices.usual(study)
    return Weighed(
        tuple(axes),
        figures,
        study.baseline.name,
        tuple(front),
        dominated,
        shut_out,
        by_priorities(values, axes),
        savings,
        _paybacks(study, arms, savings, prices, means),
        _by_kilogram(study, costs, means, shut_out, per_kg),
        _by_grade(figures, graded, shut_out) if graded and prices.known else (),
        graded.key if graded else "",
        means,
        prices,
        any(cost.estimated for cost in costs.values()),
        per_kg,
        ladder_path(study, arms),
    )


def cheapest_at(weighed: Weighed, per_kg: float, per_grade: float) -> tuple[str, float] | None:
    """Return the cheapest arm at other prices, and what a print of it comes to; None where there is none.

    There is none without prices, nor where every arm is shut out.

    Parameters
    ----------
    weighed : Weighed
        From `weigh`.
    per_kg : float
        Money of a kilogram of filament.
    per_grade : float
        Money that a grade step of the fault is worth.
    """
    if not weighed.prices.known:
        return None
    totals = {}
    for name, of in weighed.costs.items():
        grade = weighed.figures[name].get(weighed.grade_axis)
        if name not in weighed.shut_out:
            money = of["energy"] + of["machine"] + of["hands"] + per_kg * of["grams"] / 1000
            totals[name] = money + (per_grade * grade.value if grade is not None else 0.0)
    best = min(totals, key=lambda name: totals[name], default=None)
    return None if best is None else (best, totals[best])


def gates_of(study: Study) -> list[str]:
    """Return what can shut an arm out: prints that fail, and every limit that a response must hold."""
    return [
        FAILS,
        *(tr("{one} holds its limit", one=one.name) for one in study.judged if one.accept is not None),
    ]


def _shut_out(study: Study, arm: Arm, gates: Sequence[str]) -> str:
    mine = [run for run in study.runs if run.arm_id == arm.id and not run.set_aside and run.finished]
    failed = [run for run in mine if run.failed]
    if FAILS in gates and failed:
        return tr(
            "{failed} of {mine} prints failed: {failed2}",
            failed=len(failed), mine=len(mine), failed2=failed[0].failed,
        )  # fmt: skip
    for response in study.judged:
        if response.accept is None or f"{response.name} holds its limit" not in gates:
            continue
        read = [
            item.value
            for item in print_values(study)[response.id]
            if item.arm == arm.name and item.value is not None and not item.set_aside
        ]
        sign = -1.0 if response.better is Better.HIGHER else 1.0
        beyond = [value for value in read if sign * (value - response.accept) > 0]
        if beyond:
            limit = with_unit(format_number(response.accept), response.unit)
            return tr(
                "{beyond} of {read} prints go beyond {limit} of {response}",
                beyond=len(beyond), read=len(read), limit=limit, response=response.name,
            )  # fmt: skip
    return ""


def _made(study: Study, arm: Arm) -> bool:
    return any(run.arm_id == arm.id and run.state is RunState.PRINTED for run in study.runs)


def _figures(
    study: Study, arms: Sequence[Arm], priced: Study | None, currency: str
) -> tuple[list[Axis], dict[str, dict[str, Figure]]]:
    """Return the axes that tell arms apart, and the mean of each arm on them."""
    values = print_values(study)
    figures: dict[str, dict[str, Figure]] = {arm.name: {} for arm in arms}
    axes: list[Axis] = []
    for response in sorted(study.judged, key=lambda one: not one.primary):
        if response.better is None or response.kind is ResponseKind.WORD:
            # Without a direction more is neither better nor worse.
            continue
        by_arm = _by_arm(values[response.id])
        axis = _axis(response, [by_arm[arm.name] for arm in arms])
        _take(axis, by_arm, arms, axes, figures)
    if priced is not None:
        by_arm = _by_arm(print_values(priced)[COST_ID])
        some = [by_arm[arm.name] for arm in arms]
        _take(Axis(MONEY, tr("Money"), currency, 1, noise_of(some)), by_arm, arms, axes, figures)
    return axes, figures


def _by_arm(prints: Iterable[PrintValue]) -> Mapping[str, list[float]]:
    """Return the values that count by the name of their arm; an arm without any has an empty list."""
    found: dict[str, list[float]] = defaultdict(list)
    for item in prints:
        if item.value is not None and not item.set_aside:
            found[item.arm].append(item.value)
    return found


def _values(
    figures: Mapping[str, Mapping[str, Figure]], shut_out: Mapping[str, str]
) -> dict[str, dict[str, float]]:
    """Return the means of the arms that no gate shut out."""
    return {
        name: {key: figure.value for key, figure in of.items()}
        for name, of in figures.items()
        if name not in shut_out
    }


def _take(
    axis: Axis,
    by_arm: Mapping[str, Sequence[float]],
    arms: Sequence[Arm],
    axes: list[Axis],
    figures: dict[str, dict[str, Figure]],
) -> None:
    known = [arm.name for arm in arms if by_arm.get(arm.name)]
    if len(known) < 2:
        return
    axes.append(axis)
    for name in known:
        figures[name][axis.key] = mean_figure(by_arm[name])


def _axis(response: Response, read: Sequence[Sequence[float]]) -> Axis:
    key = response.role.value if response.role is not None else f"response-{response.id}"
    if response.kind.graded:
        key = f"grade-{response.id}"
    better = -1 if response.better is Better.HIGHER else 1
    # A margin in percent is one of the baseline's mean, and not of the unit.
    margin = response.margin if not response.percent else None
    tie = margin if margin is not None else noise_of(read)
    return Axis(key, response.name, response.unit, better, tie)


def _mean_costs(
    study: Study, arms: Sequence[Arm], costs: Mapping[int, PrintCost]
) -> dict[str, dict[str, float]]:
    found = {}
    for arm in arms:
        if mine := [costs[run.id] for run in study.runs if run.arm_id == arm.id and run.id in costs]:
            found[arm.name] = {
                name: sum(getattr(cost, name) for cost in mine) / len(mine)
                for name in ("filament", "energy", "machine", "hands", "grams", "minutes")
            }
    return found


def savings_of(priced: Study) -> dict[str, Figure]:
    """Return what a print of each arm saves against the baseline, in money.

    Parameters
    ----------
    priced : Study
        From `costs_as_response`.
    """
    found: dict[str, Figure] = {}
    # The same comparison as of any response: pairs, blocks and noise as the study has them.
    for finding in analyse(priced).findings:
        compared = finding.comparison
        if compared.measure.baseline == priced.baseline.name and compared.estimate is not None:
            ends = compared.inference.ci95
            saving = None if ends is None else (-ends[1], -ends[0])
            found.setdefault(compared.measure.change, Figure(-compared.estimate, saving, compared.n_change))
    return found


def _paybacks(
    study: Study,
    arms: Sequence[Arm],
    savings: Mapping[str, Figure],
    prices: Prices,
    means: Mapping[str, Mapping[str, float]],
) -> dict[str, Payback]:
    """Return when each arm that costs something to set up has paid for itself, against the baseline."""
    there = {factor.id: level.id for factor, level in study.levels_of(study.baseline)}
    found = {}
    for arm in arms:
        fitted = [
            level
            for factor, level in study.levels_of(arm)
            if there.get(factor.id) != level.id and factor.kind is not ChangeKind.FILAMENT
        ]
        cost = sum(level.cost + level.minutes / 60 * prices.labour_per_h for level in fitted)
        saved = savings.get(arm.name)
        if cost and saved is not None and not arm.is_baseline:
            found[arm.name] = payback(cost, saved.value, saved.ci95, means[arm.name]["minutes"])
    return found


def _by_kilogram(
    study: Study,
    costs: Mapping[int, PrintCost],
    means: Mapping[str, Mapping[str, float]],
    shut_out: Mapping[str, str],
    per_kg: float,
) -> tuple[Stretch, ...]:
    """Return which arm is the cheapest along the price of filament; none where grams are noise."""
    inside = {name: of for name, of in means.items() if name not in shut_out}
    some: dict[str, list[float]] = {name: [] for name in inside}
    for run in study.runs:
        name = study.arm_of(run).name
        if name in some and run.id in costs:
            some[name].append(costs[run.id].grams)
    grams = [of["grams"] for of in inside.values()]
    if not per_kg or len(grams) < 2 or max(grams) - min(grams) <= noise_of(list(some.values())):
        return ()
    lines = [
        Line(name, of["energy"] + of["machine"] + of["hands"], of["grams"] / 1000)
        for name, of in inside.items()
    ]
    return tuple(winners(lines, DEAREST * per_kg))


def _by_grade(
    figures: Mapping[str, Mapping[str, Figure]], graded: Axis, shut_out: Mapping[str, str]
) -> tuple[Stretch, ...]:
    """Return which arm is the cheapest along what a grade step is worth; none where grades tie."""
    lines = [
        Line(name, of[MONEY].value, graded.better * of[graded.key].value)
        for name, of in figures.items()
        if MONEY in of and graded.key in of and name not in shut_out
    ]
    steps = [line.times for line in lines]
    if len(lines) < 2 or max(steps) - min(steps) <= graded.tie:
        return ()
    return tuple(winners(lines))
