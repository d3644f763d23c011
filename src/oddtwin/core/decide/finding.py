"""A comparison with its verdict, sentence and threats: what a user is shown."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from oddtwin.core.decide.threats import find_threats
from oddtwin.core.decide.verdict import Verdict, judge
from oddtwin.core.decide.wording import sentence
from oddtwin.core.effects import Comparison
from oddtwin.core.readings import ResponseKind
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
    """

    comparison: Comparison
    verdict: Verdict
    threats: tuple[Threat, ...]
    about: str = ""

    @property
    def sentence(self) -> str:
        """The verdict in words."""
        said = sentence(self.comparison, self.verdict)
        return f"{self.about}: {said}" if self.about else said

    @property
    def more_pairs(self) -> int | None:
        """Further pairs that would settle it; None where settled or beyond reach.

        A difference without a margin is not settled by prints but by stating one.
        """
        asks_margin = self.comparison.measure.margin is None and self.verdict is not Verdict.UNDECIDED
        return None if self.verdict.settled or asks_margin else self.comparison.inference.further

    def without(self, code: ThreatCode) -> Finding:
        """Return the finding without the threats of one kind."""
        return replace(self, threats=tuple(item for item in self.threats if item.code is not code))


def finding_of(
    comparison: Comparison,
    resolution: float | None = None,
    further_threats: Iterable[Threat] = (),
    about: str = "",
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
    """
    inference, measure = comparison.inference, comparison.measure
    verdict = judge(
        inference.ci95, inference.ci90, measure.margin, measure.better, comparison.kind is ResponseKind.GRADE
    )
    threats = (*further_threats, *find_threats(comparison, resolution))
    return Finding(comparison, verdict, threats, about)


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
        "noise": {
            "sd": noise.sd if noise else None,
            "df": noise.df if noise else None,
            "limit": noise.limit if noise else None,
        },
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
