"""The scorecard of several arms and the ledger of a chain."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from oddtwin.core.decide import Finding, decimals_of, measure_unit
from oddtwin.core.design import DesignKind
from oddtwin.core.effects import Modelled, may_be_best
from oddtwin.core.judgement.overall import Mark, MarkRow, MarkTable
from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import decimals_for, format_list, format_number, format_signed, with_unit
from oddtwin.core.readings import Better
from oddtwin.core.study.question import Arm, Level, Response
from oddtwin.core.study.whole import Study

AND, OR = mark(" and "), " or "

ByArms = Mapping[tuple[int, str, str], tuple[Finding, Modelled | None]]
"""Findings and models by the response's id and the two arms."""


def mark_tables(study: Study, found: ByArms) -> tuple[MarkTable, ...]:
    """Return the scorecard or the ledger of a study, where its design has one.

    Parameters
    ----------
    study : Study
        Whole.
    found : mapping
        All comparisons of two arms.
    """
    kind = study.plan.design.kind if study.plan else None
    if not found:
        return ()
    if kind is DesignKind.SEVERAL:
        return (_scorecard(study, found),)
    return (_ledger(study, found),) if kind is DesignKind.CHAIN else ()


def _columns(study: Study, found: ByArms) -> list[Response]:
    there = {key[0] for key in found}
    ordered = sorted(study.judged, key=lambda response: not response.primary)
    return [response for response in ordered if response.id in there]


def _head(response: Response, found: ByArms) -> str:
    unit = next(measure_unit(item[0].comparison) for key, item in found.items() if key[0] == response.id)
    return f"{response.name}, {unit}" if unit else response.name


def _figure(finding: Finding) -> str:
    estimate = finding.comparison.estimate
    return "?" if estimate is None else format_signed(estimate, decimals_of(finding.comparison))


# ------------------------------------------------------------ several arms


def _scorecard(study: Study, found: ByArms) -> MarkTable:
    arms = [study.baseline, *study.changed_arms]
    columns = _columns(study, found)
    seen = {response.id: _estimates(arms, found, response) for response in columns}
    leading = {response.id: _leading(response, seen[response.id]) for response in columns}
    beaten = _dominated(arms, columns, seen)
    rows = []
    for arm in arms:
        marks: list[Mark | None] = []
        for response in columns:
            leads = arm.name in leading[response.id]
            if arm.is_baseline:
                marks.append(Mark("–", None, leads))
                continue
            one = found.get((response.id, study.baseline.name, arm.name))
            marks.append(Mark(_figure(one[0]), one[0].verdict, leads) if one else None)
        note = tr("can be left out") if arm.name in beaten else ""
        rows.append(MarkRow(arm.name, note, tuple(marks), arm.name in beaten))
    said = [
        *_best(arms, columns, found),
        *_by_priority(columns, seen),
        *(
            tr(
                "As seen, {by} is as good or better in everything than {beaten}.",
                by=by,
                beaten=format_list([name for name in beaten if beaten[name] == by], AND),
            )
            for by in dict.fromkeys(beaten.values())
        ),
    ]
    return MarkTable(
        tr("All arms against the baseline"),
        tuple(_head(response, found) for response in columns),
        tuple(rows),
        tuple(said),
    )


def _estimates(arms: Sequence[Arm], found: ByArms, response: Response) -> dict[str, float]:
    """Difference of each arm from the baseline, as seen; the baseline's is none."""
    seen = {arms[0].name: 0.0}
    for arm in arms[1:]:
        one = found.get((response.id, arms[0].name, arm.name))
        if one is not None and one[0].comparison.estimate is not None:
            seen[arm.name] = one[0].comparison.estimate
    return seen


def _sign(response: Response) -> float:
    """1 where more is better, −1 where less is (a distance from a target too); 0 where none is."""
    if response.better is None:
        return 0.0
    return 1.0 if response.better is Better.HIGHER else -1.0


def _leading(response: Response, seen: Mapping[str, float]) -> set[str]:
    """The best arm as seen, with those that tie with it inside the margin."""
    sign = _sign(response)
    if not sign or len(seen) < 2:
        return set()
    best = max(sign * value for value in seen.values())
    # Less than the margin is no lead: it does not matter.
    room = response.margin or 0.0
    return {name for name, value in seen.items() if sign * value > best - room or sign * value == best}


def _dominated(
    arms: Sequence[Arm], columns: Sequence[Response], seen: Mapping[int, Mapping[str, float]]
) -> dict[str, str]:
    """Arms that another one is as good as in everything and better than in something, and which one."""
    judged = [response for response in columns if _sign(response)]
    whole = [arm.name for arm in arms if all(arm.name in seen[response.id] for response in judged)]
    found: dict[str, str] = {}
    for name in whole if judged else ():
        for other in whole:
            ahead = [
                _sign(response) * (seen[response.id][other] - seen[response.id][name]) for response in judged
            ]
            matters = any(
                gain >= (response.margin or 0.0) and gain > 0
                for gain, response in zip(ahead, judged, strict=True)
            )
            if other != name and min(ahead) >= 0 and matters:
                found.setdefault(name, other)
    # Named is one that no other beats: who is left out is no reason to leave another out.
    return {name: _unbeaten(found, name) for name in found}


def _unbeaten(beaten: Mapping[str, str], name: str) -> str:
    while name in beaten:
        name = beaten[name]
    return name


def _best(arms: Sequence[Arm], columns: Sequence[Response], found: ByArms) -> list[str]:
    """Say which arms may be the best of each response that one model judges."""
    said = []
    for response in columns:
        compared = [found.get((response.id, arms[0].name, arm.name)) for arm in arms[1:]]
        solved = [item[1].solved for item in compared if item is not None and item[1] is not None]
        sign = _sign(response)
        if not sign or len(solved) < len(arms) - 1:
            continue
        comparisons = [item[0].comparison for item in compared if item is not None]
        sds = [one.inference.sd or 0.0 for one in comparisons]
        if not all(sds):
            continue
        weights = np.stack([np.zeros(len(solved[0].weights)), *(one.weights for one in solved)])
        # All arms less the baseline: what they have in common with it falls out of every difference of two.
        scaled = weights * np.array([0.0, *sds])[:, None]
        means = np.array([0.0, *(one.estimate or 0.0 for one in comparisons)])
        df = min(one.inference.df or 1.0 for one in comparisons)
        kept = [
            arm.name
            for arm, may in zip(arms, may_be_best(means, scaled @ scaled.T, df, sign), strict=True)
            if may
        ]
        sure = tr("95\u202f% sure")
        if len(kept) == 1:
            said.append(
                tr(
                    "{response}: {kept} is the best ({sure}).",
                    response=response.name,
                    kept=kept[0],
                    sure=sure,
                )
            )
        elif len(kept) < len(arms):
            said.append(
                tr(
                    "{response}: the best is one of {kept} ({sure}).",
                    response=response.name,
                    kept=format_list(kept, OR),
                    sure=sure,
                )
            )
        else:
            said.append(tr("{response}: any arm may still be the best.", response=response.name))
    return said


def _by_priority(columns: Sequence[Response], seen: Mapping[int, Mapping[str, float]]) -> list[str]:
    """Go through the responses in their order, with ties inside the margin, until one arm is left."""
    judged = [response for response in columns if _sign(response) and len(seen[response.id]) > 1]
    if not judged:
        return []
    left, parts = set(seen[judged[0].id]), []
    for response in judged:
        there = {name: value for name, value in seen[response.id].items() if name in left}
        ahead = _leading(response, there) if len(there) > 1 else set(there)
        if len(ahead) == 1 and len(there) > 1:
            (winner,) = ahead
            sign = _sign(response)
            next_best = max(sign * value for name, value in there.items() if name != winner)
            by = sign * there[winner] - next_best
            unit = response.unit or tr("grades")
            size = with_unit(format_number(by, decimals_for(by / 10)), unit)
            parts.append(
                tr(
                    "{winner} is {size} better than the next on {response}",
                    winner=winner,
                    size=size,
                    response=response.name,
                )
            )
            break
        if ahead and len(ahead) < len(there):
            names = [name for name in seen[response.id] if name in ahead]
            parts.append(
                tr("{names} tie on {response}", names=format_list(names, AND), response=response.name)
            )
        elif len(there) > 1:
            parts.append(tr("all of them tie on {response}", response=response.name))
        left = ahead or left
    order = format_list([response.name for response in judged], tr(" before "))
    return [tr("As seen, taking {order}: {parts}.", order=order, parts="; ".join(parts))] if parts else []


# ------------------------------------------------------------ chains


def _ledger(study: Study, found: ByArms) -> MarkTable:
    """A row for each step against the one that it builds on, and one for all of them together."""
    columns = _columns(study, found)
    steps = [study.baseline, *study.changed_arms]
    kept_at_end = set(steps[-1].level_ids)
    named = {level.id: f"{factor.name}: {level.value}" for factor in study.factors for level in factor.levels}
    rows, said, back = [], [], []
    stays: list[Level] = []
    for place, arm in enumerate(steps[1:], 1):
        before = _before(steps, found, place)
        added = [
            level for factor in study.factors for level in factor.levels
            if level.id in arm.level_ids and level.id not in before.level_ids
        ]  # fmt: skip
        kept = all(level.id in kept_at_end for level in added)
        rows.append(
            MarkRow(
                f"{place}  {format_list([named[level.id] for level in added], AND) or arm.name}",
                _what_it_takes(added, kept, study.rates.currency),
                tuple(_mark(found, response, before, arm) for response in columns),
                greyed=not kept,
            )
        )
        back += [] if kept else [rows[-1].name]
        stays += added if kept else []
    if len(steps) > 2:
        rows.append(
            MarkRow(
                tr("All kept steps together"),
                _what_it_takes(stays, True, study.rates.currency),
                tuple(_mark(found, response, steps[0], steps[-1]) for response in columns),
            )
        )
        if back:
            said.append(tr("Put back: {back}; what follows was printed without.", back=format_list(back)))
    return MarkTable(
        tr("The chain, step by step"),
        tuple(_head(response, found) for response in columns),
        tuple(rows),
        tuple(said),
    )


def _before(steps: Sequence[Arm], found: ByArms, place: int) -> Arm:
    """The step that one was compared with."""
    arm = steps[place]
    named = {baseline for _, baseline, change in found if change == arm.name}
    # The last step is compared with the first too; what it builds on stands nearer.
    return next(item for item in reversed(steps[:place]) if item.name in named or item is steps[0])


def _mark(found: ByArms, response: Response, before: Arm, arm: Arm) -> Mark | None:
    one = found.get((response.id, before.name, arm.name))
    return Mark(_figure(one[0]), one[0].verdict) if one else None


def _what_it_takes(added: Sequence[Level], kept: bool, currency: str) -> str:
    """Minutes to fit, money and mass of a step, and whether it stays."""
    parts = [
        f"{format_number(sum(figures))}{chr(0xA0)}{unit}".strip()
        for figures, unit in (
            ([level.minutes for level in added], tr("min to fit")),
            ([level.cost for level in added], currency),
            ([level.mass_g for level in added], tr("g moving")),
        )
        if sum(figures)
    ]
    return ", ".join([*parts, *([] if kept else [tr("put back")])])
