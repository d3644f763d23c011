"""A comparison with its verdict, sentence and threats: what a user is shown."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from oddtwin.core.decide.cellwise import Cellwise, JudgedCell, look_into_cells
from oddtwin.core.decide.threats import find_threats
from oddtwin.core.decide.verdict import (
    Adjusted,
    Verdict,
    adjusted_for_all,
    judge,
    not_worse,
    within_family,
    worse_side,
)
from oddtwin.core.decide.wording import sentence
from oddtwin.core.decide.wording_cells import cell_sentence, same_sentence
from oddtwin.core.effects import Cells, Comparison, Measure, NoiseFloor, cells_of, compare, level_for_looks
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number
from oddtwin.core.readings import FAILURES, Better, Reading, ResponseKind, Rule, prints_of
from oddtwin.core.threat import Threat, ThreatCode


@dataclass(frozen=True, slots=True)
class Finding:
    """What is said of one response in one comparison.

    Parameters
    ----------
    comparison : Comparison
        The figures.
    verdict : Verdict
        Judged from them.
    threats : tuple of Threat
        Of this response, worst first.
    about : str
        Which comparison it is, where a study makes several; empty for the only one.
    cellwise : Cellwise or None
        The same cell by cell, where there is more than one.
    family : Adjusted or None
        Its p values as one of several questions, where it is one.
    sensitivity : str
        What a print that was made bad on purpose showed; empty where none was made.
    at : tuple of str, optional
        Another factor and its level that all prints stand at.
    a_print : tuple of float, optional
        What a print takes on average: minutes of machine time, and grams.
    arms : str
        The two arms in words, where a study compares no others.
    """

    comparison: Comparison
    verdict: Verdict
    threats: tuple[Threat, ...]
    about: str = ""
    cellwise: Cellwise | None = None
    family: Adjusted | None = None
    sensitivity: str = ""
    at: tuple[str, str] | None = None
    a_print: tuple[float, float] | None = None
    arms: str = ""

    @property
    def sentence(self) -> str:
        """The verdict in words."""
        return sentence(self.comparison, self.verdict, self.cellwise, self.family, self.about or self.arms)

    @property
    def below_heading(self) -> str:
        """The verdict in words, where the arms are named above it."""
        return replace(self, arms="").sentence

    @property
    def more_pairs(self) -> int | None:
        """Further pairs that would settle it; None where settled or beyond reach.

        A difference without a margin is not settled by prints but by stating one.
        """
        further = None if self.verdict.settled else self.comparison.further
        return None if further is None else further.count

    def of_cell(self, one: JudgedCell) -> Finding:
        """Return what one cell says, as a finding of its own."""
        cell = one.cell
        comparison = replace(
            self.comparison,
            prints=cell.prints,
            n_baseline=cell.n_baseline,
            n_change=cell.n_change,
            n_pairs=len(cell.differences) or None,
            estimate=cell.estimate,
            percent=None,
            inference=cell.inference,
            permutation=None,
            differences=cell.differences,
            cliff=None,
            shape=None,
        )
        return Finding(comparison, one.verdict, (), cell.name)

    def without(self, code: ThreatCode) -> Finding:
        """Return the finding without the threats of one kind."""
        return replace(self, threats=tuple(item for item in self.threats if item.code is not code))


def finding_of(
    comparison: Comparison,
    resolution: float | None = None,
    further_threats: Iterable[Threat] = (),
    about: str = "",
    cells: Cells | None = None,
    family: Adjusted | None = None,
) -> Finding:
    """Judge one comparison.

    Parameters
    ----------
    comparison : Comparison
        The figures.
    resolution : float, optional
        Smallest step of the instrument, in the response's unit.
    further_threats : iterable of Threat
        Found elsewhere, for example in where the noise floor comes from.
    about : str
        Which comparison it is, where a study makes several.
    cells : Cells, optional
        The same cell by cell.
    family : Adjusted, optional
        Its p values as one of several questions.
    """
    inference, measure = comparison.inference, comparison.measure
    verdict = judge(inference.ci95, inference.ci90, measure.margin, measure.better, measure.guard)
    if comparison.kind is ResponseKind.WORD and inference.p_difference is not None:
        # Words have no interval: all that can be said is whether they go with the arm.
        verdict = Verdict.LEANING if inference.p_difference <= 0.05 else Verdict.UNDECIDED
    if family is not None:
        low, high = inference.ci90 or (math.nan, math.nan)
        guarded = not_worse(low, high, measure.margin, worse_side(measure.better, measure.guard))
        verdict = within_family(verdict, family, guarded)
    cellwise = None
    if cells is not None:
        verdict, cellwise = look_into_cells(verdict, comparison, cells)
    threats = (*further_threats, *find_threats(comparison, resolution))
    return Finding(comparison, verdict, threats, about, cellwise, family)


def findings_of(
    groups: Mapping[str, Sequence[Reading]],
    asked: Measure,
    seed: int,
    look: tuple[int, int] | None = None,
    earlier: Mapping[str, NoiseFloor] | None = None,
) -> list[Finding]:
    """Compare and judge the responses of one table, as one family.

    Parameters
    ----------
    groups : mapping of str to sequence of Reading
        The readings of each response, one or more.
    asked : Measure
        What is asked of all of them.
    seed : int
        For draws, zero or more.
    look : tuple of int, optional
        Which of how many looks this is, where they were planned, each after as many further pairs.
    earlier : mapping of str to NoiseFloor, optional
        What twins of earlier studies differ by, by response.
    """
    rows = []
    for name, group in groups.items():
        rng = np.random.default_rng(seed)
        known = (earlier or {}).get(name)
        measure = _measure_of(name, group[0], replace(asked, noise=known) if known else asked)
        comparison = compare(group, measure, rng)
        first = group[0]
        rule = Rule(first.kind, first.combine, measure.target, measure.onset)
        by_zone: dict[str, list[Reading]] = defaultdict(list)
        for item in group:
            by_zone[item.zone].append(item)
        zones = {zone: prints_of(some, rule) for zone, some in by_zone.items()} if len(by_zone) > 1 else {}
        prints = prints_of(group, rule)
        rows.append((comparison, cells_of(first.kind, prints, zones, measure, comparison.noise, rng)))
    family: Sequence[Adjusted | None] = [None]
    if len(rows) > 1:
        family = adjusted_for_all([comparison.inference for comparison, _ in rows])
    if look is not None:
        family = [
            _at_look(one or adjusted_for_all([comparison.inference])[0], comparison, look)
            for (comparison, _), one in zip(rows, family, strict=True)
        ]
    return [
        finding_of(comparison, None, _rests_on((earlier or {}).get(name)), cells=cells, family=one)
        for name, (comparison, cells), one in zip(groups, rows, family, strict=True)
    ]


def _rests_on(earlier: NoiseFloor | None) -> list[Threat]:
    if earlier is None:
        return []
    low, high = earlier.interval(0.95)
    return [
        Threat(
            ThreatCode.BORROWED_NOISE,
            tr(
                "It rests on earlier twins with {df} degrees of freedom: standard deviation "
                "{sd}, 95\u202f% interval {low} to {high}.",
                df=format_number(earlier.df),
                sd=format_number(earlier.sd),
                low=format_number(low),
                high=format_number(high),
            ),
            tr("Print the baseline a second time to see that it still holds."),
        )
    ]


def _measure_of(name: str, first: Reading, asked: Measure) -> Measure:
    """What is asked of one response; of the failures, whether the change makes more of them."""
    if name == FAILURES and first.kind is ResponseKind.YES_NO:
        return Measure(asked.baseline, asked.change, better=Better.LOWER)
    return replace(asked, step=first.step or asked.step)


def _at_look(one: Adjusted, comparison: Comparison, look: tuple[int, int]) -> Adjusted:
    """Spend the error rate over all planned looks, those to come included."""
    this, of = look
    made = comparison.n_pairs or min(comparison.n_baseline, comparison.n_change)
    return one.at_looks(of, level_for_looks(tuple(round(made * place / this) for place in range(1, of + 1))))


def as_json(finding: Finding) -> dict[str, Any]:
    """Return a finding as plain values, figures that do not apply as None.

    Infinite ends of an interval are written as None too: JSON knows no infinity.
    """
    comparison, inference = finding.comparison, finding.comparison.inference
    noise, cliff = comparison.noise, comparison.cliff
    return {
        "response": comparison.response or None,
        "unit": comparison.unit or None,
        "kind": comparison.kind.value,
        "baseline": comparison.measure.baseline,
        "change": comparison.measure.change,
        "n": {
            "baseline": comparison.n_baseline,
            "change": comparison.n_change,
            "pairs": comparison.n_pairs,
        },
        "estimate": comparison.estimate,
        "percent": comparison.percent,
        "ci95": _ends(inference.ci95),
        "ci90": _ends(inference.ci90),
        "p_difference": inference.p_difference,
        "p_permutation": comparison.permutation.p if comparison.permutation else None,
        "p_equivalence": inference.p_equivalence,
        "method": inference.method,
        "noise": {name: getattr(noise, name) if noise else None for name in ("sd", "df", "limit")},
        "margin": comparison.measure.margin,
        "better": comparison.measure.better.value if comparison.measure.better else None,
        "verdict": finding.verdict.value,
        "sentence": finding.sentence,
        "more_pairs": finding.more_pairs,
        "threats": [
            {
                "code": threat.code,
                "weight": threat.weight,
                "sentence": f"{threat.sentence} {threat.remedy}",
            }
            for threat in finding.threats
        ],
        "set_aside": len(comparison.prints.set_aside),
        "cliffs_delta": {"delta": cliff.delta, "ci95": _ends(cliff.ci95)} if cliff else None,
        "worst_zone": _worst(comparison),
        "ratio": inference.ratio,
        "ratio_ci95": _ends(inference.ratio_ci95),
        "smallest_findable": None if finding.verdict.odd else comparison.findable,
        **_family(finding.family),
        **_cells(finding.cellwise, comparison),
    }


def _family(family: Adjusted | None) -> dict[str, Any]:
    if family is None:
        return {}
    looks = {"looks": family.looks} if family.looks > 1 else {}
    together = {"ci95": _ends(family.ci95)} if family.ci95 else {}
    return {"family": {"of": family.of, "p_adjusted": family.difference, **looks, **together}}


def _cells(cellwise: Cellwise | None, comparison: Comparison) -> dict[str, Any]:
    """Return what is told cell by cell; nothing where there is one cell only."""
    if cellwise is None:
        return {}
    found: dict[str, Any] = {
        "cells": [_cell(one, comparison) for one in cellwise.cells],
        "same": [
            {"dimension": item.dimension, "p": item.p, "sentence": same_sentence(item)}
            for item in cellwise.same
        ],
    }
    if cellwise.machines is not None:
        found["next_machine"] = list(cellwise.machines.next95)
    return found


def _cell(one: JudgedCell, comparison: Comparison) -> dict[str, Any]:
    cell = one.cell
    return {
        **cell.place._asdict(),
        "n": {"baseline": cell.n_baseline, "change": cell.n_change, "pairs": len(cell.differences) or None},
        "estimate": cell.estimate,
        "ci95": _ends(cell.inference.ci95),
        "ci90": _ends(cell.inference.ci90),
        "verdict": one.verdict.value,
        "sentence": cell_sentence(one, comparison),
    }


def worst_by_arm(comparison: Comparison) -> tuple[float, float] | None:
    """Return the worst zone's grade of each arm.

    Parameters
    ----------
    comparison : Comparison
        Of any response.

    Returns
    -------
    tuple of float, or None
        Grades 0 to 4, baseline first; None for numbers and where an arm is empty.
    """
    arms = [
        [item.worst for item in arm if item.worst is not None]
        for arm in (comparison.prints.baseline, comparison.prints.change)
    ]
    return (max(arms[0]), max(arms[1])) if all(arms) else None


def _worst(comparison: Comparison) -> dict[str, float] | None:
    worst = worst_by_arm(comparison)
    return {"baseline": worst[0], "change": worst[1]} if worst else None


def _ends(interval: tuple[float, float] | None) -> list[float | None] | None:
    if interval is None:
        return None
    return [end if math.isfinite(end) else None for end in interval]
