"""All findings and threats of one study: comparisons, then verdicts, then threats; sentences when read."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from oddtwin.core.decide import Finding, finding_of
from oddtwin.core.effects import Comparison, Measure, NoiseFloor, compare_prints
from oddtwin.core.judgement.contrast import Contrast, contrasts, whole_plots
from oddtwin.core.judgement.threats import all_threats
from oddtwin.core.readings import PrintValue, Reading, arranged
from oddtwin.core.study.question import Response
from oddtwin.core.study.tidy import print_values
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
    made, values = contrasts(study), print_values(study)
    ordered = sorted(study.responses, key=lambda response: not response.primary)
    findings = []
    for response in ordered:
        for contrast in made:
            prints = contrast.values(values[response.id], whole_plots(study))
            if any(item.value is not None or item.words for item in prints):
                comparison, borrowed = _compared(study, response, contrast, prints, known_noise)
                about = "" if len(made) == 1 else contrast.about
                findings.append(_judged(comparison, response, contrast, about, borrowed))
    return Analysis(tuple(findings), tuple(all_threats(study, findings)))


def measure_of(contrast: Contrast, response: Response, noise: NoiseFloor | None = None) -> Measure:
    """Return what is asked of one response in one comparison."""
    return Measure(
        baseline=contrast.baseline,
        change=contrast.change,
        margin=response.margin,
        better=response.better,
        target=response.target,
        noise=noise,
        onset=response.onset,
        step=response.resolution,
    )


def typed_noise(response: Response) -> NoiseFloor | None:
    """Return the noise floor that the user typed in for a response, if any."""
    if response.noise_sd is None or response.noise_df is None:
        return None
    return NoiseFloor(response.noise_sd, response.noise_df)


def _compared(
    study: Study,
    response: Response,
    contrast: Contrast,
    prints: Sequence[PrintValue],
    known_noise: KnownNoise | None,
) -> tuple[Comparison, list[Threat]]:
    """Compare, with a borrowed noise floor where the prints have none of their own."""
    # A stream of its own for each response: adding one must not change the permutation figures of the
    # others.
    rng = np.random.default_rng([study.plan.seed if study.plan else 0, response.id])
    template = Reading("", None, response.name, response.unit, kind=response.kind, combine=response.combine)
    sides = arranged(prints, contrast.baseline, contrast.change)
    own = compare_prints(template, sides, measure_of(contrast, response), rng)
    # Noise between prints says nothing of the noise between fittings of a part.
    if contrast.plots or own.noise is not None:
        return own, []
    typed = typed_noise(response)
    borrowed = typed or (known_noise(response.id) if known_noise else None)
    if borrowed is None:
        return own, []
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
    return compare_prints(template, sides, measure_of(contrast, response, borrowed), rng), [threat]


def _judged(
    comparison: Comparison, response: Response, contrast: Contrast, about: str, borrowed: Sequence[Threat]
) -> Finding:
    found = finding_of(comparison, response.resolution, borrowed, about)
    if not contrast.plots:
        return found
    # The whole plots of one level are its twins.
    return found.without(ThreatCode.NO_TWINS)
