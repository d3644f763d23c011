"""All findings and threats of one study."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from oddtwin.core.decide import Finding, find
from oddtwin.core.effects import Measure, NoiseFloor
from oddtwin.core.judgement.contrast import Contrast, contrasts, whole_plots
from oddtwin.core.judgement.threats import all_threats
from oddtwin.core.readings import Reading
from oddtwin.core.study.question import Response
from oddtwin.core.study.tidy import tidy_readings
from oddtwin.core.study.whole import Study
from oddtwin.core.threat import Threat, ThreatCode

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
    made, plots = contrasts(study), whole_plots(study)
    ordered = sorted(study.responses, key=lambda response: not response.primary)
    findings = []
    for response in ordered:
        for contrast in made:
            there = contrast.readings(rows[response.name], plots)
            if any(reading.value is not None for reading in there):
                found = _find(study, response, contrast, there, known_noise)
                findings.append(found if len(made) == 1 else about(found, contrast))
    return Analysis(tuple(findings), tuple(all_threats(study, findings)))


def about(finding: Finding, contrast: Contrast) -> Finding:
    """Say before the sentence of a finding which of several comparisons it is about."""
    return replace(finding, about=contrast.about, sentence=f"{contrast.about}: {finding.sentence}")


def measure_of(contrast: Contrast, response: Response, noise: NoiseFloor | None = None) -> Measure:
    """Return what is asked of one response in one comparison."""
    return Measure(
        baseline=contrast.baseline,
        change=contrast.change,
        margin=response.margin,
        better=response.better,
        target=response.target,
        noise=noise,
    )


def typed_noise(response: Response) -> NoiseFloor | None:
    """Return the noise floor that the user typed in for a response, if any."""
    if response.noise_sd is None or response.noise_df is None:
        return None
    return NoiseFloor(response.noise_sd, response.noise_df)


def _find(
    study: Study,
    response: Response,
    contrast: Contrast,
    rows: list[Reading],
    known_noise: KnownNoise | None,
) -> Finding:
    rng = np.random.default_rng([study.plan.seed if study.plan else 0, response.id])
    own = find(rows, measure_of(contrast, response), rng, response.resolution)
    # Noise between prints says nothing of the noise between fittings of a part.
    if contrast.plots:
        # The whole plots of one level are its twins.
        return replace(
            own, threats=tuple(item for item in own.threats if item.code is not ThreatCode.NO_TWINS)
        )
    if own.comparison.noise is not None:
        return own
    typed = typed_noise(response)
    borrowed = typed or (known_noise(response.id) if known_noise else None)
    if borrowed is None:
        return own
    source = (
        "is the one that was typed in"
        if typed
        else "comes from earlier studies of the same machine and piece"
    )
    threat = Threat(
        ThreatCode.BORROWED_NOISE,
        f"No twins were printed here; the noise floor {source}.",
        "Print the baseline a second time to see that it still holds.",
    )
    return find(rows, measure_of(contrast, response, borrowed), rng, response.resolution, [threat])
