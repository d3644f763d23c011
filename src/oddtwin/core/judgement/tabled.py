"""A whole table of readings judged at once: several arms, a ladder, or crossed factors."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any, Final

from oddtwin.core.decide import Finding, as_json
from oddtwin.core.effects import Measure, NoiseFloor
from oddtwin.core.judgement.analysis import Analysis, analyse
from oddtwin.core.judgement.overall import LevelCurve
from oddtwin.core.language import tr
from oddtwin.core.readings import Reading
from oddtwin.core.study import Plan, Role, Study, study_from_readings

NEVER: Final = datetime(2000, 1, 1, tzinfo=UTC)
"""Tables tell the order of the prints, and not when each was finished."""


def judge_table(
    readings: Sequence[Reading],
    measure: Measure,
    accept: float | None = None,
    seed: int = 0,
    earlier: Mapping[str, NoiseFloor] | None = None,
    percent: bool = False,
    covariates: Sequence[str] = (),
) -> tuple[Study, Analysis]:
    """Judge every arm of a table against its baseline, as a study is judged.

    Parameters
    ----------
    readings : sequence of Reading
        Of two arms or more, with their levels or factors.
    measure : Measure
        What is asked of every response; ``change`` may be any.
    accept : float, optional
        What a print may come to and still hold, in the unit of the responses.
    seed : int
        For draws, zero or more.
    earlier : mapping of str to NoiseFloor, optional
        What twins of earlier studies differ by, by response.
    percent : bool
        Whether margin and noise are in percent of the baseline.
    covariates : sequence of str
        Responses that are not judged, and whose slope is taken out of the others.

    Returns
    -------
    tuple of Study and Analysis

    Raises
    ------
    ValueError
        Arms and levels contradict each other, or a margin in percent is held against what has none.
    """
    without = next((item for item in readings if percent and not item.kind.has_percent), None)
    if without is not None:
        raise ValueError(tr(
            "{response} is a {kind}, and has no percent; only a quantity with a true zero has",
            response=without.response or tr("the response"), kind=without.kind,
        ))  # fmt: skip
    study = _with_covariates(study_from_readings(readings, "", measure.baseline, NEVER), covariates)
    # Of several, nobody has said which one decides: they share one error rate.
    alone = len(study.judged) == 1
    responses = tuple(
        replace(
            one,
            margin=measure.margin,
            better=measure.better,
            guard=measure.guard,
            percent=percent,
            accept=accept,
            primary=alone,
            noise_sd=measure.noise.sd if measure.noise else None,
            noise_df=measure.noise.df if measure.noise else None,
        )
        if one.role is not Role.COVARIATE
        else one
        for one in study.responses
    )
    plan = replace(study.plan, seed=seed) if study.plan else None
    study = replace(study, responses=responses, plan=plan)
    named = {one.id: (earlier or {}).get(one.name) for one in responses}
    return study, analyse(study, named.get)


def _with_covariates(study: Study, names: Sequence[str]) -> Study:
    """Mark some responses of a table as covariates.

    Raises
    ------
    ValueError
        There is no such response, it is no figure, or nothing is left to judge.
    """
    known = {one.name: one for one in study.responses}
    for name in names:
        if name not in known:
            raise ValueError(tr("there is no response “{name}” that could go along", name=name))
        if not known[name].kind.measured:
            raise ValueError(
                tr("“{name}” is no measured figure; only a figure can be taken out of others", name=name)
            )
    if len(set(names)) == len(known):
        raise ValueError(tr("every response goes along, so that nothing is left to judge"))
    responses = tuple(
        replace(one, role=Role.COVARIATE, primary=False) if one.name in names else one
        for one in study.responses
    )
    # Two arms need no plan to be judged as they are; what is taken out of them is a model of a design.
    plan = study.plan or Plan(1, 0, 0, 1, tuple(study.machines), tuple(study.pieces))
    return replace(study, responses=responses, plan=plan if names else study.plan)


def table_json(study: Study, analysis: Analysis) -> list[dict[str, Any]]:
    """Return all findings of a table as plain values, each with what its response says over the levels.

    Parameters
    ----------
    study : Study
        As `judge_table` made it.
    analysis : Analysis
        Of that study.
    """
    accepts = {one.name: one.accept for one in study.judged}
    found = []
    for finding in analysis.findings:
        response = finding.comparison.response
        curves = [one for one in analysis.overall.curves if one.response == response]
        own = as_json(finding)
        for curve in curves:
            if curve.margin is None and not any(point.verdict for point in curve.points):
                own |= _along(curve, accepts.get(response))
        effects = [one for one in analysis.findings if one.comparison.response == response]
        own |= _crossed(effects)
        found.append({"about": finding.about or None, **own})
    return found


def _along(curve: LevelCurve, accept: float | None) -> dict[str, Any]:
    names = [point.name for point in curve.points]

    def named(ends: tuple[int | None, int | None]) -> list[str | None]:
        return [None if end is None else names[end] for end in ends]

    return {
        "levels": [
            {
                "level": point.name,
                "n": len(point.prints),
                "mean": point.value,
                "ci95": point.ci95 and list(point.ci95),
                "step": point.step,
            }
            for point in curve.points
        ],
        "edge": {
            "between": named(curve.edge),
            "accept": accept,
            "limit": curve.limit,
            "ci": named(curve.sure),
            "sentence": " ".join(curve.said),
        },
    }


def _crossed(findings: Sequence[Finding]) -> dict[str, Any]:
    """Effects at each level of another factor, and the interactions; nothing where none are crossed."""
    simple = [one for one in findings if one.at is not None]
    whole = [one for one in findings if one.comparison.measure.of_effects]
    found: dict[str, Any] = {}
    if simple:
        found["simple_effects"] = [
            {
                "effect": tr(
                    "{change} against {baseline}",
                    change=one.comparison.measure.change,
                    baseline=one.comparison.measure.baseline,
                ),
                "factor": one.at[0] if one.at else None,
                "level": one.at[1] if one.at else None,
                **_figures(one),
            }
            for one in simple
        ]
    if whole:
        found["interaction"] = [{"about": one.about, **_figures(one)} for one in whole]
        if len(whole) == 1:
            found["interaction"] = found["interaction"][0]
    return found


def _figures(finding: Finding) -> dict[str, Any]:
    figures = as_json(finding)
    names = ("estimate", "ci95", "ci90", "p_difference", "verdict", "sentence")
    return {name: figures[name] for name in names}
