"""All findings and threats of one study."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from oddtwin.core.decide import Finding, Threat, find, held_threat, order_threat
from oddtwin.core.effects import Measure, NoiseFloor
from oddtwin.core.readings import Reading
from oddtwin.core.study.model import Response, Run, Study
from oddtwin.core.study.tidy import tidy_readings

KnownNoise = Callable[[int], NoiseFloor | None]


@dataclass(frozen=True, slots=True)
class Analysis:
    """What a study says so far.

    Parameters
    ----------
    findings : tuple of Finding
        Of every response that has readings; the primary one first.
    threats : tuple of Threat
        Of the study and of its responses, each said once.
    """

    findings: tuple[Finding, ...]
    threats: tuple[Threat, ...]


def analyse(study: Study, known_noise: KnownNoise | None = None) -> Analysis:
    """Judge every response of a study.

    Parameters
    ----------
    study : Study
        Whole.
    known_noise : callable, optional
        Takes a response id and returns the noise floor of earlier studies, or None; asked
        only where the study has no twins of its own.

    Returns
    -------
    Analysis
        The same study always gives the same figures: draws start from its seed.
    """
    rows: dict[str, list[Reading]] = defaultdict(list)
    for reading in tidy_readings(study):
        rows[reading.response].append(reading)
    ordered = sorted(study.responses, key=lambda response: not response.primary)
    findings = [
        _find(study, response, rows[response.name], known_noise)
        for response in ordered
        if any(reading.value is not None for reading in rows[response.name])
    ]
    return Analysis(tuple(findings), tuple(_merge(study_threats(study), findings)))


def study_threats(study: Study) -> list[Threat]:
    """Return the threats that show in the question, the plan and the log, before any figure.

    Parameters
    ----------
    study : Study
        Whole.
    """
    found = [*_asked(study), *_planned(study)]
    codes = {run.id: run.code for run in study.runs}
    held = held_threat((codes[item.run_id], item.text) for item in study.deviations)
    return found + ([held] if held else []) + _orders(study)


def measure_of(study: Study, response: Response, noise: NoiseFloor | None = None) -> Measure:
    """Return what is asked of one response of a study."""
    return Measure(
        baseline=study.baseline.name,
        change=study.change.name,
        margin=response.margin,
        better=response.better,
        target=response.target,
        noise=noise,
    )


def _find(study: Study, response: Response, rows: list[Reading], known_noise: KnownNoise | None) -> Finding:
    rng = np.random.default_rng([study.plan.seed if study.plan else 0, response.id])
    own = find(rows, measure_of(study, response), rng, response.resolution)
    if own.comparison.noise is not None or known_noise is None:
        return own
    borrowed = known_noise(response.id)
    if borrowed is None:
        return own
    threat = Threat(
        "borrowed-noise",
        "No twins were printed here; the noise floor comes from earlier studies of the same "
        "machine and piece.",
        "Print the baseline a second time to see that it still holds.",
    )
    return find(rows, measure_of(study, response, borrowed), rng, response.resolution, [threat])


def _asked(study: Study) -> list[Threat]:
    found = []
    if len(study.factors) > 1:
        names = ", ".join(factor.name for factor in study.factors)
        found.append(
            Threat(
                "two-changes",
                f"More than one thing differs between the arms: {names}.",
                "Change one thing at a time, or take the result for the whole pack only.",
            )
        )
    moved = [response.name for response in study.responses if response.margin_moved]
    if moved:
        found.append(
            Threat(
                "margin-moved",
                f"The margin was changed after the verdict had been seen: {', '.join(moved)}.",
                "Say so when you tell others; a margin fits best when it is set first.",
            )
        )
    found += _early_look(study)
    unset = [response.name for response in study.responses if response.margin is None]
    if unset:
        found.append(
            Threat(
                "no-margin",
                f"No margin is stated for {', '.join(unset)}, so nothing there can be called twin "
                "or enough to matter.",
                "State the smallest difference that would matter, before looking at the result.",
            )
        )
    return found


def _early_look(study: Study) -> list[Threat]:
    """Looking while printing goes on invites stopping at a lucky moment."""
    seen = study.verdict_seen
    counting = [run for run in study.runs if run.finished and not run.set_aside]
    later = sum(run.finished > seen for run in counting if run.finished) if seen else 0
    if not later:
        return []
    return [
        Threat(
            "early-look",
            f"The verdict was first looked at after {len(counting) - later} of {len(counting)} prints.",
            "Print all that was planned whatever it says: stopping when it looks good finds chance.",
        )
    ]


def _planned(study: Study) -> list[Threat]:
    if study.plan is None or study.plan.twins or not study.runs or study.readings:
        return []
    return [
        Threat(
            "no-twins",
            "No twins are planned, so there will be no noise floor.",
            "Plan at least one true twin of the baseline.",
        )
    ]


def _orders(study: Study) -> list[Threat]:
    by_machine: dict[int, list[Run]] = defaultdict(list)
    machine_of = {block.id: block.machine_id for block in study.blocks}
    for run in study.runs:
        machine = machine_of[run.block_id]
        if run.started and machine is not None and study.plan is not None:
            by_machine[machine].append(run)
    found = []
    for runs in by_machine.values():
        planned = [run.code for run in sorted(runs, key=lambda run: run.position)]
        printed = [run.code for run in sorted(runs, key=lambda run: (str(run.started), run.position))]
        threat = order_threat(planned, printed)
        if threat:
            found.append(threat)
    return found


def _merge(general: list[Threat], findings: list[Finding]) -> list[Threat]:
    """Say each threat once, with the names of the responses that it touches."""
    merged = {(threat.code, threat.sentence): threat for threat in general}
    general_codes = {threat.code for threat in general}
    touched: dict[tuple[str, str], list[str]] = defaultdict(list)
    for finding in findings:
        for threat in finding.threats:
            if threat.code in general_codes:
                continue
            key = (threat.code, threat.sentence)
            merged.setdefault(key, threat)
            touched[key].append(finding.comparison.response)
    return [
        threat
        if not touched[key] or len(touched[key]) == len(findings)
        else Threat(threat.code, f"{', '.join(touched[key])}: {threat.sentence}", threat.remedy)
        for key, threat in merged.items()
    ]
