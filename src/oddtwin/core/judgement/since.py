"""Whether prints still come out as they did: the same arms in two studies, one after the other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Final

import numpy as np

from oddtwin.core.decide import Finding, adjusted_for_all, finding_of
from oddtwin.core.effects import Comparison, Measure, compare
from oddtwin.core.readings import Reading
from oddtwin.core.study import Arm, Response, Study, tidy_readings

THEN: Final = "then"
NOW: Final = "now"


def since_before(before: Study, after: Study) -> list[Finding]:
    """Compare the prints of arms that two studies share, on each machine and piece by itself.

    Pairs are not formed: prints of other weeks share no evening. Machines and pieces are not pooled: one that
    drifted would hide among others.

    Parameters
    ----------
    before, after : Study
        Whole; the second is held against the first, by its own margins.

    Returns
    -------
    list of Finding
        One for each response, arm, machine and piece with prints in both; judged as one family (Holm).
    """
    then, now = tidy_readings(before), tidy_readings(after)
    compared: list[tuple[str, Comparison]] = []
    for arm in _shared_arms(before, after):
        for response in _shared_responses(before, after):
            for about, rows in _places(arm, response, then, now):
                found = compare(rows, _asked(response, rows), np.random.default_rng(0))
                if found.n_baseline and found.n_change:
                    compared.append((about, found))
    family = adjusted_for_all([found.inference for _, found in compared]) if compared else []
    return [
        finding_of(found, about=about, family=one if len(compared) > 1 else None)
        for (about, found), one in zip(compared, family, strict=True)
    ]


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


def _asked(response: Response, rows: Sequence[Reading]) -> Measure:
    margin = response.margin
    if margin is not None and response.percent:
        # Unpaired prints are compared in the unit: the percent are those of the mean of then.
        read = [one.value for one in rows if one.arm == THEN and one.value is not None]
        margin = abs(float(np.mean(read))) * margin / 100 if read else None
    return Measure(
        THEN,
        NOW,
        margin=margin or None,
        better=response.better,
        target=response.target,
        onset=response.onset,
        step=response.resolution,
    )
