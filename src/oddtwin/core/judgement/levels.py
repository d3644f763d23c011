"""Curves along ordered levels: a ladder, and an effect at the levels of another factor."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from itertools import takewhile

import numpy as np

from oddtwin.core.decide import Finding, Verdict, measure_unit
from oddtwin.core.design import DesignKind
from oddtwin.core.effects import isotonic, jonckheere, page
from oddtwin.core.judgement.climbing import end_of_margin, in_order, ladder_advice
from oddtwin.core.judgement.contrast import Contrast
from oddtwin.core.judgement.overall import LevelCurve, LevelPoint
from oddtwin.core.language import tr
from oddtwin.core.quantities import after_p, capitalized, format_list
from oddtwin.core.readings import Better, PrintValue, ResponseKind
from oddtwin.core.study.printed import RunState
from oddtwin.core.study.question import Arm, Response
from oddtwin.core.study.tidy import print_values
from oddtwin.core.study.whole import Study

Compared = tuple[Response, Contrast, Finding]


def level_curves(study: Study, compared: Sequence[Compared]) -> tuple[LevelCurve, ...]:
    """Return the curves of a study whose levels have an order.

    Parameters
    ----------
    study : Study
        Whole.
    compared : sequence of (Response, Contrast, Finding)
        All that was compared.
    """
    if study.plan is None:
        return ()
    if study.plan.design.kind is DesignKind.LADDER:
        ordered = sorted(study.judged, key=lambda response: not response.primary)
        found = (_ladder(study, response, compared) for response in ordered)
        return tuple(one for one in found if one is not None)
    return tuple(_effects_by_level(compared))


# ------------------------------------------------------------ a ladder


def _ladder(study: Study, response: Response, compared: Sequence[Compared]) -> LevelCurve | None:
    arms = [arm for arm in sorted(study.arms, key=lambda arm: not arm.is_baseline) if not arm.role]
    names = [dict(study.levels_of(arm))[study.factors[0]].value or arm.name for arm in arms]
    if response.kind is ResponseKind.WORD or not in_order(names):
        return None
    of_levels = {arm.name for arm in arms}
    used = [
        item
        for item in print_values(study)[response.id]
        if item.counts and item.value is not None and item.reach is None and item.arm in of_levels
    ]
    by_level = [[item.value or 0.0 for item in used if item.arm == arm.name] for arm in arms]
    printed = [place for place, values in enumerate(by_level) if values]
    if len(printed) < 2:
        return None
    steps = _steps(by_level, printed)
    own = [one for one in compared if one[0].id == response.id]
    points = tuple(
        LevelPoint(
            name,
            float(np.mean(values)) if values else None,
            None if response.percent else _interval(values, own),
            tuple(values),
            steps.get(place),
        )
        for place, (name, values) in enumerate(zip(names, by_level, strict=True))
    )
    advice = ladder_advice(study) if response.primary else None
    edge = (advice.good, advice.bad) if advice is not None else (None, None)
    said = [_trend(used, [arm.name for arm in arms], by_level), _sure(response, names, arms, own, by_level)]
    said.append(_failed(study, names, arms) if response.primary else "")
    if advice is not None:
        said.append(advice.sentence)
    unit = measure_unit(own[0][2].comparison) if own and not response.percent else response.unit
    return LevelCurve(
        tr("{response} along {factors}", response=response.name, factors=study.factors[0].name),
        unit,
        response.name,
        points,
        _limit(response, by_level[0]),
        edge=edge,
        sure=(advice.low, advice.high) if advice is not None else (None, None),
        said=tuple(line for line in said if line),
    )


def _steps(by_level: Sequence[Sequence[float]], printed: Sequence[int]) -> dict[int, float]:
    """The curve that never turns back, in the direction that lies nearer."""
    means = np.array([np.mean(by_level[place]) for place in printed])
    counts = np.array([float(len(by_level[place])) for place in printed])
    return dict(zip(printed, map(float, isotonic(means, counts)), strict=True))


def _interval(values: Sequence[float], own: Sequence[Compared]) -> tuple[float, float] | None:
    """Interval of a level's mean by the scatter that judges all levels together."""
    from scipy.special import stdtrit

    inferences = [one[2].comparison.inference for one in own]
    known = [(item.sd, item.df) for item in inferences if item.sd and item.df]
    if not values or not known:
        return None
    sd, df = known[0]
    half = float(stdtrit(df, 0.975)) * (sd or 0.0) / math.sqrt(len(values))
    mean = float(np.mean(values))
    return mean - half, mean + half


def _limit(response: Response, safe: Sequence[float]) -> float | None:
    """What a print may come to and still hold: its own limit, or the safe end's mean and the margin."""
    if response.accept is not None:
        return response.accept
    if response.margin is None or response.better is None or not safe:
        return None
    return end_of_margin(response, float(np.mean(safe)))


def _trend(used: Sequence[PrintValue], arms: Sequence[str], by_level: Sequence[Sequence[float]]) -> str:
    """Say whether there is a trend, inside blocks where the prints stand in blocks."""
    place = {name: number for number, name in enumerate(arms)}
    blocks: dict[tuple[str, str, str], list[tuple[int, float]]] = defaultdict(list)
    for item in used:
        blocks[item.pair, item.machine, item.piece].append((place[item.arm], item.value or 0.0))
    together = [block for block in blocks.values() if len({level for level, _ in block}) > 1]
    if len(used) < 4:
        return ""
    # Days and machines would hide a trend, or make one: inside blocks neither does.
    if sum(map(len, together)) > len(used) / 2:
        ways = [together, [[(level, -value) for level, value in block] for block in together]]
        chances = [page(way)[1] for way in ways]
    else:
        groups = [list(values) for values in by_level if values]
        chances = [jonckheere(groups)[1], jonckheere([[-value for value in one] for one in groups])[1]]
    p = min(1.0, 2 * min(chances))
    way = tr("rises") if chances[0] < chances[1] else tr("falls")
    if p > 0.05:
        return tr("No trend along the levels is shown yet (p {p}).", p=after_p(p))
    return tr("It {way} along the levels (p {p}).", way=way, p=after_p(p))


def _failed(study: Study, names: Sequence[str], arms: Sequence[Arm]) -> str:
    """Say at which levels prints failed: they are no points of the curve."""
    parts = []
    for name, arm in zip(names, arms, strict=True):
        made = [run for run in study.runs if run.arm_id == arm.id and run.state is RunState.PRINTED]
        broken = sum(bool(run.failed) for run in made)
        if broken:
            parts.append(
                tr("{broken} of {made} prints failed at {name}", broken=broken, made=len(made), name=name)
            )
    return capitalized("; ".join(parts)) + "." if parts else ""


def _sure(
    response: Response,
    names: Sequence[str],
    arms: Sequence[Arm],
    own: Sequence[Compared],
    by_level: Sequence[Sequence[float]],
) -> str:
    """Say up to which level the means hold, and from which on they do not, each with 95 % confidence.

    Levels are gone through in their order from either end and the walk stops at the first that does
    not pass, so that each may be judged by itself (a fixed sequence; Maurer, Hothorn and Lehmacher 1995,
    from memory); the two ends share the 5 %.
    """
    if response.better is None:
        return ""
    sign = -1 if response.better is Better.HIGHER else 1
    if response.accept is not None:
        limits = [_interval(values, own) for values in by_level]
        known = [sorted(sign * end for end in ends) if ends else None for ends in limits]
        return _walked(known, sign * response.accept, names)
    if response.margin is None:
        return ""
    against = {}
    for _, contrast, finding in own:
        interval = finding.comparison.inference.ci95
        if interval is not None and contrast.baseline == arms[0].name:
            against[contrast.change] = sorted(sign * end for end in interval)
    return _walked([against.get(arm.name) for arm in arms[1:]], response.margin, names[1:])


def _walked(known: Sequence[Sequence[float] | None], limit: float, names: Sequence[str]) -> str:
    """Go through intervals, worse upwards, from both ends until one does not pass."""
    holds = len(list(takewhile(lambda one: one is not None and one[1] < limit, known)))
    fails = len(list(takewhile(lambda one: one is not None and one[0] >= limit, known[::-1])))
    sure = tr("95\u202f% sure")
    parts = [tr("up to {names} the mean holds ({sure})", names=names[holds - 1], sure=sure)] if holds else []
    parts += (
        [tr("from {names} on it does not ({sure})", names=names[len(known) - fails], sure=sure)]
        if fails
        else []
    )
    return capitalized("; ".join(parts)) + "." if parts else ""


# ------------------------------------------------------------ an effect at each level


def _effects_by_level(compared: Sequence[Compared]) -> list[LevelCurve]:
    """The effect of one of two factors at each level of the other, and from where on it is shown."""
    groups: dict[tuple[int, str, str, str], list[Compared]] = defaultdict(list)
    for one in compared:
        response, contrast, _ = one
        if contrast.at is not None:
            groups[response.id, contrast.baseline, contrast.change, contrast.at[0]].append(one)
    found = []
    for (_, baseline, change, factor), members in groups.items():
        points = tuple(
            LevelPoint(
                contrast.at[1] if contrast.at else "",
                finding.comparison.estimate,
                finding.comparison.inference.ci95,
                verdict=finding.verdict,
            )
            for _, contrast, finding in members
        )
        first = members[0][2].comparison
        ordered = in_order([point.name for point in points])
        said = (
            _onset(
                points,
                capitalized(tr("{change} against {baseline}", change=change, baseline=baseline)),
                factor,
            )
            if ordered
            else ()
        )
        found.append(
            LevelCurve(
                tr(
                    "{response}: {change} against {baseline}, at each {factor}",
                    response=first.response,
                    change=change,
                    baseline=baseline,
                    factor=factor,
                ),
                measure_unit(first),
                first.response,
                points,
                margin=first.measure.margin,
                said=said,
            )
        )
    return found


def _onset(points: Sequence[LevelPoint], effect: str, factor: str) -> tuple[str, ...]:
    """Say from which level on an effect is shown.

    Levels are gone through from either end, up to the first that shows none; each is judged as one of
    all comparisons of the response.
    """
    differs = [_differs(point) for point in points]
    if all(differs):
        return (tr("{effect} differs at every {factor}.", effect=effect, factor=factor),)
    if not any(differs):
        return ()
    names = [point.name for point in points]
    for way, word in ((1, "from"), (-1, tr("up to"))):
        shown = list(takewhile(differs.__getitem__, range(len(points))[::-way]))
        if shown:
            edge = shown[-1]
            before = names[edge - way]
            beyond = tr("on") if way > 0 else ""
            twin = points[edge - way].verdict is Verdict.TWIN
            open_ = (
                tr("where no difference that matters is shown") if twin else tr("where it cannot be told yet")
            )
            return (
                tr(
                    "{effect} differs {word} {factor} {names} {beyond}",
                    effect=effect,
                    word=word,
                    factor=factor,
                    names=names[edge],
                    beyond=beyond,
                ).strip()
                + tr("; it sets in between there and {before}, {open}.", before=before, open=open_),
            )
    there = format_list([name for name, one in zip(names, differs, strict=True) if one])
    return (
        tr(
            "{effect} differs at {factor} {there} only, inside the range and not from an end on.",
            effect=effect,
            factor=factor,
            there=there,
        ),
    )


def _differs(point: LevelPoint) -> bool:
    return point.verdict is not None and (point.verdict.odd or point.verdict.leaning)
