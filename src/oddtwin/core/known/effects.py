"""The effects that a settled study found, and what those of one question say together."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from typing import Any, Final

from oddtwin.core.arrays import Interval
from oddtwin.core.decide import Verdict
from oddtwin.core.judgement import Analysis
from oddtwin.core.known.random_effects import Together, random_effects
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import decimals_for, format_list, format_signed, with_unit
from oddtwin.core.study import Arm, Study

_HALF: Final = 1.959964


@dataclass(frozen=True, slots=True)
class Effect:
    """What one study found of one response.

    Parameters
    ----------
    factor : str
        What was changed; several are joined.
    before, after : str
        Levels of the baseline and of the arm.
    response, unit : str
        What was measured.
    machine, piece, filament : str
        Where there was only one; empty for several, or where nobody said.
    estimate : float
        Change minus baseline, in the unit.
    low, high : float
        Its 95 % interval.
    verdict : str
        As it was judged.
    better : str
        ``lower``, ``higher``, or empty.
    graded : bool
        Whether it is of grades, which are counted over studies and not averaged.
    """

    factor: str
    before: str
    after: str
    response: str
    unit: str
    machine: str
    piece: str
    filament: str
    estimate: float
    low: float
    high: float
    verdict: str
    better: str
    graded: bool = False

    @property
    def variance(self) -> float:
        """Of the estimate, by its interval; a t interval of few prints counts for less, as it should."""
        return max(((self.high - self.low) / (2 * _HALF)) ** 2, 1e-24)

    def turned(self) -> Effect:
        """Return the same effect of going the other way."""
        return Effect(
            **{
                **asdict(self),
                "before": self.after,
                "after": self.before,
                "estimate": -self.estimate,
                "low": -self.high,
                "high": -self.low,
            }
        )


@dataclass(frozen=True, slots=True)
class Found:
    """An effect with the study that found it, and when it was settled."""

    study_id: int
    study: str
    at: datetime
    effect: Effect


@dataclass(frozen=True, slots=True)
class Known:
    """What all studies of one question found.

    Parameters
    ----------
    found : tuple of Found
        All turned the same way, newest first.
    together : Together
        Pooled.
    """

    found: tuple[Found, ...]
    together: Together

    @property
    def effect(self) -> Effect:
        """The newest, which the question is named after."""
        return self.found[0].effect

    @property
    def contradicts(self) -> bool:
        """Whether one study shows more and another shows less."""
        return any(one.effect.low > 0 for one in self.found) and any(
            one.effect.high < 0 for one in self.found
        )

    @property
    def sentence(self) -> str:
        """In words, with interval and what the next study would find."""
        one, pooled = self.effect, self.together
        if one.graded and len(self.found) > 1:
            return self._counted()
        decimals = decimals_for((pooled.ci95[1] - pooled.ci95[0]) / 2)
        figure = with_unit(format_signed(pooled.estimate, decimals), one.unit)
        ends = _ends(pooled.ci95, decimals)
        told = tr(
            "{response}, {factor} {before} → {after}: {figure} (95 % interval {ends})",
            response=one.response,
            factor=one.factor,
            before=one.before,
            after=one.after,
            figure=figure,
            ends=ends,
        )
        studies = sorted({item.study for item in self.found})
        told += tr(
            ", by {found} {part}", found=len(self.found), part=trn("study", "studies", len(self.found))
        )
        if pooled.prediction95 is not None:
            told += tr("; the next would find {ends}", ends=_ends(pooled.prediction95, decimals))
        if self.contradicts:
            told += tr(". They contradict one another: {studies}", studies=format_list(studies))
        return f"{told}."

    def _counted(self) -> str:
        """Grades are ranks: how many studies went which way is what they say together."""
        one, all_ = self.effect, len(self.found)
        lower = sum(item.effect.estimate < 0 for item in self.found)
        higher = sum(item.effect.estimate > 0 for item in self.found)
        return tr(
            "{response}, {factor} {before} → {after}: a lower grade in {lower} of {all} "
            "studies, a higher one in {higher}.",
            response=one.response,
            factor=one.factor,
            before=one.before,
            after=one.after,
            lower=lower,
            all=all_,
            higher=higher,
        )


def _ends(ends: Interval, decimals: int) -> str:
    return tr(
        "{ends} to {ends2}", ends=format_signed(ends[0], decimals), ends2=format_signed(ends[1], decimals)
    )


def effects_of(study: Study, analysis: Analysis) -> list[Effect]:
    """Return what a study found, arm by arm against the baseline; nothing of what could not be told.

    Parameters
    ----------
    study : Study
        Whole.
    analysis : Analysis
        Of that study.
    """
    arms = {arm.name: arm for arm in study.arms}
    better = {one.name: one.better.value if one.better else "" for one in study.responses}
    machines = {study.index.places[run.id].machine for run in study.runs if not run.set_aside}
    pieces = {study.index.places[run.id].piece for run in study.runs if not run.set_aside}
    spools = {run.spool for run in study.runs if run.spool and not run.set_aside}
    found = []
    for finding in analysis.findings:
        compared, measure = finding.comparison, finding.comparison.measure
        ends = compared.inference.ci95
        one, other = arms.get(measure.baseline), arms.get(measure.change)
        # What is in percent of a baseline, or of an effect at one level, is no effect of the arm by itself.
        if one is None or other is None or compared.logs is not None or finding.at is not None:
            continue
        if ends is None or compared.estimate is None:
            continue
        factor, before, after = _moved(study, one, other)
        if factor and all(map(_is_finite, (*ends, compared.estimate))):
            found.append(
                Effect(
                    factor, before, after, compared.response, compared.unit,
                    _only(machines), _only(pieces), _only(spools),
                    compared.estimate, ends[0], ends[1],
                    finding.verdict.value, better.get(compared.response, ""), compared.kind.graded,
                )
            )  # fmt: skip
    return found


def _is_finite(value: float) -> bool:
    return abs(value) < float("inf")


def _only(names: Iterable[str]) -> str:
    listed = sorted(name for name in names if name)
    return listed[0] if len(listed) == 1 else ""


def _moved(study: Study, baseline: Arm, change: Arm) -> tuple[str, str, str]:
    """Return the factors that differ between two arms, and their levels; of undrawn arms the last."""
    there = {factor.id: level for factor, level in study.levels_of(baseline)}
    if not change.level_ids and not change.role:
        here = {factor.id: factor.levels[-1] for factor in study.factors if factor.levels}
    else:
        here = {factor.id: level for factor, level in study.levels_of(change)}
    moved = [one for one in study.factors if one.id in here and here[one.id] is not there.get(one.id)]
    return (
        tr(" and ").join(one.name for one in moved),
        ", ".join(there[one.id].value for one in moved if one.id in there),
        ", ".join(here[one.id].value for one in moved),
    )


def what_is_known(found: Iterable[Found], factor: str = "", response: str = "") -> list[Known]:
    """Return what is known, question by question, the best known first.

    Parameters
    ----------
    found : iterable of Found
        Of settled studies.
    factor, response : str
        Only of these, in any case; all where empty.
    """
    groups: dict[tuple[object, ...], list[Found]] = defaultdict(list)
    for one in sorted(found, key=lambda item: (item.at, item.study_id), reverse=True):
        effect = one.effect
        if factor and effect.factor.casefold() != factor.strip().casefold():
            continue
        if response and effect.response.casefold() != response.strip().casefold():
            continue
        levels = frozenset((effect.before.casefold(), effect.after.casefold()))
        key = (effect.factor.casefold(), effect.response.casefold(), effect.unit, levels)
        group = groups[key]
        # Asked the other way round it is the same question, and its effect is turned.
        same = not group or group[0].effect.before.casefold() == effect.before.casefold()
        group.append(one if same else Found(one.study_id, one.study, one.at, effect.turned()))
    known = [Known(tuple(group), _pooled(group)) for group in groups.values()]
    return sorted(known, key=lambda item: (-len(item.found), item.effect.factor, item.effect.response))


def _pooled(group: Sequence[Found]) -> Together:
    pooled = random_effects([one.effect.estimate for one in group], [one.effect.variance for one in group])
    # One study alone says what it said, also where its interval is not the same to both sides.
    only = group[0].effect
    return replace(pooled, ci95=(only.low, only.high)) if len(group) == 1 else pooled


def effect_values(effects: Sequence[Effect]) -> list[dict[str, Any]]:
    """Return effects as plain values, to be kept with the decision."""
    return [asdict(effect) for effect in effects]


def effects_from(values: Sequence[Mapping[str, Any]]) -> list[Effect]:
    """Return effects from plain values.

    Raises
    ------
    ValueError
        One is not as `effect_values` gives it.
    """
    found = []
    for one in values:
        try:
            effect = Effect(**one)
            Verdict(effect.verdict)
            figures = (float(effect.estimate), float(effect.low), float(effect.high))
        except (TypeError, ValueError):
            raise ValueError(tr("an effect that was kept cannot be read")) from None
        if not all(map(_is_finite, figures)) or effect.low > effect.high:
            raise ValueError(tr("an effect that was kept cannot be"))
        found.append(effect)
    return found


def known_json(known: Sequence[Known]) -> list[dict[str, Any]]:
    """Return what is known as plain values."""
    return [
        {
            "factor": one.effect.factor,
            "before": one.effect.before,
            "after": one.effect.after,
            "response": one.effect.response,
            "unit": one.effect.unit,
            "studies": len(one.found),
            "estimate": one.together.estimate,
            "ci95": list(one.together.ci95),
            "tau": one.together.tau,
            "i2": one.together.i2,
            "p_heterogeneity": one.together.p,
            "prediction95": list(one.together.prediction95) if one.together.prediction95 else None,
            "contradicts": one.contradicts,
            "found": [
                {
                    "study": item.study,
                    "settled": item.at.isoformat(),
                    "machine": item.effect.machine,
                    "piece": item.effect.piece,
                    "filament": item.effect.filament,
                    "estimate": item.effect.estimate,
                    "ci95": [item.effect.low, item.effect.high],
                    "verdict": item.effect.verdict,
                }
                for item in one.found
            ],
            "sentence": one.sentence,
        }
        for one in known
    ]
