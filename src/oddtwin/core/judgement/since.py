"""Whether prints still come out as they did: the same arms in two studies, one after the other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from oddtwin.core.decide import Finding, adjusted_for_all, finding_of, in_percent
from oddtwin.core.effects import Comparison, Measure, compare_prints
from oddtwin.core.judgement.logs import by_logs, judged_margin, no_percent
from oddtwin.core.readings import Prints, Reading, Rule, arranged, prints_of
from oddtwin.core.study import Arm, Response, Study, tidy_readings
from oddtwin.core.threat import Threat

THEN: Final = "then"
NOW: Final = "now"


@dataclass(frozen=True, slots=True)
class Since:
    """What became of the arms that two studies share.

    Parameters
    ----------
    findings : tuple of Finding
        One for each response, arm, machine and piece with prints in both; judged as one family (Holm).
    threats : tuple of Threat
        Of margins that could not be held against prints.
    """

    findings: tuple[Finding, ...]
    threats: tuple[Threat, ...]


def since_before(before: Study, after: Study) -> Since:
    """Compare the prints of arms that two studies share, on each machine and piece by itself.

    Pairs are not formed: prints of other weeks share no evening. Machines and pieces are not pooled: one that
    drifted would hide among others.

    Parameters
    ----------
    before, after : Study
        Whole; the second is held against the first, by its own margins.

    Returns
    -------
    Since
        Its findings in the order of arms, responses, machines and pieces.
    """
    then, now = tidy_readings(before), tidy_readings(after)
    held = [
        _held_against(response, about, rows)
        for arm in _shared_arms(before, after)
        for response in _shared_responses(before, after)
        for about, rows in _places(arm, response, then, now)
    ]
    held = [one for one in held if one.comparison.n_baseline and one.comparison.n_change]
    family = adjusted_for_all([one.comparison.inference for one in held]) if held else []
    findings = [
        _told(one, finding_of(one.comparison, about=one.about, family=adjusted if len(held) > 1 else None))
        for one, adjusted in zip(held, family, strict=True)
    ]
    without = [no_percent(one.response.name, one.about) for one in held if one.margin_lost]
    return Since(tuple(findings), tuple(without))


@dataclass(frozen=True)
class _Held:
    """Prints of then and now as they were compared, and as they were read."""

    response: Response
    about: str
    comparison: Comparison
    read: Prints
    margin_lost: bool


def _held_against(response: Response, about: str, rows: Sequence[Reading]) -> _Held:
    template = rows[0]
    read = prints_of(rows, Rule(template.kind, template.combine, response.target, response.onset))
    judged, prints = by_logs(response, read) if response.percent else (response, read)
    measure = Measure(
        THEN,
        NOW,
        margin=judged_margin(judged),
        better=judged.better,
        target=judged.target,
        onset=judged.onset,
        step=judged.resolution,
    )
    found = compare_prints(template, arranged(prints, THEN, NOW), measure, np.random.default_rng(0))
    return _Held(judged, about, found, arranged(read, THEN, NOW), response.percent and not judged.percent)


def _told(one: _Held, finding: Finding) -> Finding:
    return in_percent(finding, one.response.margin, one.read) if one.response.percent else finding


def _shared_arms(before: Study, after: Study) -> list[str]:
    """Return the names of the arms that are the same in both: by name, and by the level of every factor."""
    known = {arm.name: _levels(before, arm) for arm in before.arms}
    return [arm.name for arm in after.arms if known.get(arm.name) == _levels(after, arm)]


def _levels(study: Study, arm: Arm) -> dict[str, str]:
    return {factor.name: level.value for factor, level in study.levels_of(arm)}


def _shared_responses(before: Study, after: Study) -> list[Response]:
    known = {(one.name, one.unit, one.kind) for one in before.judged}
    return [one for one in after.judged if (one.name, one.unit, one.kind) in known]


def _places(
    arm: str, response: Response, then: Sequence[Reading], now: Sequence[Reading]
) -> Iterator[tuple[str, list[Reading]]]:
    """Give the readings of both studies, for each machine and piece that both printed."""
    groups = [
        [one for one in some if one.arm == arm and one.response == response.name and not one.set_aside]
        for some in (then, now)
    ]
    both = {(one.machine, one.piece) for one in groups[0]} & {(one.machine, one.piece) for one in groups[1]}
    for machine, piece in sorted(both):
        about = ", ".join(part for part in (arm, machine, piece) if part)
        yield (
            about,
            [
                _as_of(when, one)
                for when, some in zip((THEN, NOW), groups, strict=True)
                for one in some
                if (one.machine, one.piece) == (machine, piece)
            ],
        )


def _as_of(when: str, one: Reading) -> Reading:
    """Return a reading by its time: codes may come twice, and a print of then has no partner of now."""
    plate = f"{when} {one.plate}" if one.plate else ""
    return replace(one, arm=when, pair="", run=f"{when} {one.run}", plate=plate)
