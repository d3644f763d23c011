"""All findings and threats of one study: comparisons, then verdicts, then threats; sentences when read."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from oddtwin.core.decide import (
    Adjusted,
    Finding,
    adjusted_for_all,
    detail_lines,
    finding_of,
    in_percent,
    sensitivity,
)
from oddtwin.core.effects import (
    LOOKED_AT_ONCE,
    Cells,
    Comparison,
    Measure,
    Modelled,
    NoiseFloor,
    cells_of,
    compare_prints,
    in_logs,
    simultaneous,
    stepped_down,
)
from oddtwin.core.judgement.asked_together import correlation_of
from oddtwin.core.judgement.compared import arms_words
from oddtwin.core.judgement.contrast import Contrast
from oddtwin.core.judgement.course import courses
from oddtwin.core.judgement.levels import level_curves
from oddtwin.core.judgement.listing import contrasts, whole_plots
from oddtwin.core.judgement.logs import by_logs, judged_margin, no_percent
from oddtwin.core.judgement.modelling import modelled, usable_covariates
from oddtwin.core.judgement.overall import Overall
from oddtwin.core.judgement.planned_looks import look_level
from oddtwin.core.judgement.tables import mark_tables
from oddtwin.core.judgement.threats import all_threats
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list
from oddtwin.core.readings import PrintValue, Reading, arranged
from oddtwin.core.study.question import Response
from oddtwin.core.study.tidy import failures, print_values, zone_values
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
    overall : Overall
        What the study says beside each comparison.
    """

    findings: tuple[Finding, ...]
    threats: tuple[Threat, ...]
    overall: Overall = field(default_factory=Overall)


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
    made, values, zones = contrasts(study), print_values(study), zone_values(study)
    plots = whole_plots(study)
    ordered = sorted(study.judged, key=lambda response: not response.primary)
    failing = failures(study)
    ordered += [failing] if failing is not None else []
    values, zones = dict(values), dict(zones)
    compared, told = [], []
    for response in ordered:
        if response.percent:
            response, threat = _by_logs(response, values, zones)
            told += [threat] if threat else []
        for contrast in made:
            prints = contrast.values(values[response.id], plots)
            read = values[response.id] if contrast.corners else prints
            if any(item.value is not None or item.words for item in read):
                of_zones = {
                    zone: contrast.values(some, plots) for zone, some in zones.get(response.id, {}).items()
                }
                whole = modelled(study, contrast, response.kind, values[response.id])
                compared.append(_compared(study, response, contrast, prints, of_zones, known_noise, whole))
    about = len(made) > 1
    families = _at_looks(study, compared, _families(compared))
    findings = [_judged(one, family, about) for one, family in zip(compared, families, strict=True)]
    findings = [_shown(study, one, finding) for one, finding in zip(compared, findings, strict=True)]
    findings = _with_sensitivity(compared, findings)
    cost = _of_a_print(study)
    arms = arms_words(study) if len(made) == 1 else ""
    findings = [replace(finding, a_print=cost, arms=arms) for finding in findings]
    for finding in findings:
        # Worked out here, away from the window, and remembered for when the sentence is read.
        _ = finding.more_pairs, detail_lines(finding)
    return Analysis(
        tuple(findings), (*told, *all_threats(study, findings)), _overall(study, compared, findings)
    )


def _overall(study: Study, compared: Sequence[_Compared], findings: Sequence[Finding]) -> Overall:
    by_arms = {
        (one.response.id, one.contrast.baseline, one.contrast.change): (finding, one.whole)
        for one, finding in zip(compared, findings, strict=True)
    }
    together = [
        (one.response, one.contrast, finding) for one, finding in zip(compared, findings, strict=True)
    ]
    return Overall(mark_tables(study, by_arms), level_curves(study, together), courses(study))


@dataclass(frozen=True, slots=True)
class _Compared:
    """One comparison of one response, before it is judged."""

    response: Response
    contrast: Contrast
    comparison: Comparison
    cells: Cells | None
    borrowed: Sequence[Threat]
    whole: Modelled | None


def _of_a_print(study: Study) -> tuple[float, float] | None:
    """What a print of this study takes, by what its pieces are said to take on its machines."""
    taken = [
        piece.on(study.index.machine_ids[run.id])
        for run in study.runs
        if (piece := study.piece_of(run)) is not None
    ]
    if not taken:
        return None
    return (
        sum(one.minutes for one in taken) / len(taken),
        sum(one.part_g + one.waste_g for one in taken) / len(taken),
    )


def _by_logs(
    response: Response,
    values: dict[int, Sequence[PrintValue]],
    zones: dict[int, Mapping[str, Sequence[PrintValue]]],
) -> tuple[Response, Threat | None]:
    """Take the logarithms of what is judged in percent; where that cannot be, there is no margin."""
    judged, prints = by_logs(response, values[response.id])
    of_zones = {zone: in_logs(some) for zone, some in zones.get(response.id, {}).items()}
    known = {zone: some for zone, some in of_zones.items() if some is not None}
    if not judged.percent or len(known) < len(of_zones):
        return replace(response, percent=False, margin=None), no_percent(response.name)
    values[response.id] = prints
    if known:
        zones[response.id] = known
    return judged, None


def _shown(study: Study, one: _Compared, finding: Finding) -> Finding:
    """Tell in percent what was judged by logarithms, beside the prints as they were read."""
    if not one.response.percent:
        return finding
    read = one.contrast.values(print_values(study)[one.response.id], whole_plots(study))
    margin = None if one.contrast.corners else one.response.margin
    return in_percent(finding, margin, arranged(read, one.contrast.baseline, one.contrast.change))


def _with_sensitivity(compared: Sequence[_Compared], findings: Sequence[Finding]) -> list[Finding]:
    """Say beside each finding whether a print made bad on purpose was seen to be so."""
    shown = {
        one.response.id: sensitivity(finding)
        for one, finding in zip(compared, findings, strict=True)
        if one.contrast.positive
    }
    return [
        finding if one.contrast.positive else replace(finding, sensitivity=shown.get(one.response.id, ""))
        for one, finding in zip(compared, findings, strict=True)
    ]


def _families(compared: Sequence[_Compared]) -> list[Adjusted | None]:
    """Adjust for how much was asked: the deciding response by itself, all others together."""
    found: dict[int, Adjusted] = {}
    for deciding in (True, False):
        places = [
            place
            for place, one in enumerate(compared)
            if one.response.primary is deciding and not one.contrast.positive
        ]
        if len(places) > 1:
            inferences = [compared[place].comparison.inference for place in places]
            adjusted = adjusted_for_all(inferences)
            if deciding:
                adjusted = _by_one_error(adjusted, [compared[place] for place in places])
            found.update(zip(places, adjusted, strict=True))
    return [found.get(place) for place in range(len(compared))]


def _at_looks(
    study: Study, compared: Sequence[_Compared], families: Sequence[Adjusted | None]
) -> list[Adjusted | None]:
    """Spend the error rate over the looks that the plan has, those to come included."""
    level = look_level(study)
    if study.plan is None or study.plan.design.looks < 2:
        return list(families)
    found: list[Adjusted | None] = []
    for one, family in zip(compared, families, strict=True):
        alone = family or adjusted_for_all([one.comparison.inference])[0]
        found.append(family if one.contrast.positive else alone.at_looks(study.plan.design.looks, level))
    return found


def _by_one_error(adjusted: Sequence[Adjusted], compared: Sequence[_Compared]) -> list[Adjusted]:
    """Adjust comparisons of one response that share prints and error by what they share (Dunnett)."""
    solved = [one.whole.solved for one in compared if one.whole is not None]
    estimates = [one.comparison.estimate or 0.0 for one in compared]
    sds = [one.comparison.inference.sd or 0.0 for one in compared]
    if len(solved) < len(compared) or not all(sds):
        return list(adjusted)
    errors = [float(sd * np.linalg.norm(one.weights)) for sd, one in zip(sds, solved, strict=True)]
    correlation = correlation_of([one.weights for one in solved])
    df = min(one.comparison.inference.df or 1.0 for one in compared)
    differences = stepped_down(
        [one / error for one, error in zip(estimates, errors, strict=True)], correlation, df
    )
    together = simultaneous(estimates, errors, correlation, df)
    return [
        replace(one, difference=p, ci95=ends)
        for one, p, ends in zip(adjusted, differences, together, strict=True)
    ]


def measure_of(
    contrast: Contrast,
    response: Response,
    noise: NoiseFloor | None = None,
    level: float = LOOKED_AT_ONCE,
) -> Measure:
    """Return what is asked of one response in one comparison."""
    if contrast.corners:
        return Measure(contrast.baseline, contrast.change, step=response.resolution, of_effects=True)
    return Measure(
        baseline=contrast.baseline,
        change=contrast.change,
        margin=judged_margin(response),
        better=response.better,
        target=response.target,
        noise=noise,
        onset=response.onset,
        step=response.resolution,
        guard=response.guard,
        level=level,
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
    zones: Mapping[str, Sequence[PrintValue]],
    known_noise: KnownNoise | None,
    whole: Modelled | None,
) -> _Compared:
    """Compare, with a borrowed noise floor where the prints have none of their own."""
    # A stream of its own for each response: adding one must not change the permutation figures of the
    # others.
    rng = np.random.default_rng([study.plan.seed if study.plan else 0, response.id])
    template = Reading("", None, response.name, response.unit, kind=response.kind, combine=response.combine)
    sides = arranged(prints, contrast.baseline, contrast.change)
    level = look_level(study)
    measure = measure_of(contrast, response, level=level)
    made = compare_prints(template, sides, measure, rng, whole)
    threats: list[Threat] = []
    # Noise between prints says nothing of the noise between fittings of a part.
    # A baseline that comes back at the end of a chain is no twin: what drifted lies between the two.
    fitted = made.shape is not None and made.shape.fitted is not None
    by_effects = made.shape is not None and made.shape.effects > 0
    own = (fitted and not by_effects) or (whole is None and made.noise is not None)
    if not (contrast.plots or contrast.corners or own):
        typed = typed_noise(response)
        # What earlier twins differ by is known in the unit, and is no percent.
        asked = None if response.percent else known_noise
        borrowed = typed or (asked(response.id) if asked else None)
        if borrowed is not None:
            made = compare_prints(
                template, sides, measure_of(contrast, response, borrowed, level), rng, whole
            )
            threats.append(_borrowed(typed is not None))
        elif by_effects:
            threats.append(_by_effects())
    alone = contrast.plots or contrast.corners
    threats += _not_taken(study, response, whole)
    cells = None if alone else cells_of(response.kind, prints, zones, measure, made.noise, rng)
    return _Compared(response, contrast, made, cells, threats, whole if fitted else None)


def _borrowed(typed: bool) -> Threat:
    source = (
        tr("is the one that was typed in")
        if typed
        else tr("comes from earlier studies of the same machine and piece")
    )
    return Threat(
        ThreatCode.BORROWED_NOISE,
        tr("No twins were printed here; the noise floor {source}.", source=source),
        tr("Print the baseline a second time to see that it still holds."),
    )


def _not_taken(study: Study, response: Response, whole: Modelled | None) -> list[Threat]:
    """Say which covariates stay in a response that they should be taken out of."""
    asked = [] if whole is None else [one.name for one in usable_covariates(study)]
    left = [name for name in asked if whole is not None and name not in whole.solved.taken]
    if not left:
        return []
    return [
        Threat(
            ThreatCode.COVARIATE,
            tr(
                "{left} cannot be taken out of {response}: too few prints are left to tell "
                "its slope, or it goes with the arms.",
                left=format_list(left),
                response=response.name,
            ),
            tr("Print more, or keep it the same for all prints."),
            cause="covariate",
        )
    ]


def _by_effects() -> Threat:
    return Threat(
        ThreatCode.BORROWED_NOISE,
        tr(
            "Every arm was printed once, so that the scatter is told by the effects "
            "themselves: most of them are taken to be nothing (Lenth)."
        ),
        tr("Print the arms once more, or some of them, to see the scatter itself."),
    )


def _judged(one: _Compared, family: Adjusted | None, several: bool) -> Finding:
    about = one.contrast.about if several else ""
    # A step in percent is another at every size: what it is coarse for is not told of one.
    step = None if one.response.percent else one.response.resolution
    found = finding_of(one.comparison, step, one.borrowed, about, one.cells, family)
    found = replace(found, at=one.contrast.at)
    if not (one.contrast.plots or one.contrast.corners or one.whole is not None):
        return found
    # The whole plots of one level are its twins; effects have none; of several arms all blocks tell the
    # scatter together.
    return found.without(ThreatCode.NO_TWINS)
