"""What in a study could make its conclusion wrong: one list of finders, each cause told once."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from typing import Final

from oddtwin.core.decide import Finding
from oddtwin.core.judgement.asking import covariates, looked, margins, two_changes
from oddtwin.core.judgement.logged import (
    changed_machines,
    checked_files,
    clocks,
    disturbed,
    happenings,
    not_held,
    other_files,
    out_of_order,
)
from oddtwin.core.judgement.looking import eyes, judges_who_knew, unlike_photographs
from oddtwin.core.judgement.planning import carried, many, mixed, twins_planned
from oddtwin.core.study.whole import Study
from oddtwin.core.threat import Threat, merged

FINDERS: Final[tuple[Callable[[Study], Iterable[Threat]], ...]] = (
    two_changes,
    margins,
    covariates,
    looked,
    twins_planned,
    not_held,
    disturbed,
    changed_machines,
    out_of_order,
    clocks,
    happenings,
    carried,
    checked_files,
    other_files,
    mixed,
    many,
    judges_who_knew,
    unlike_photographs,
    eyes,
)
"""Everything that looks for threats in the question, the plan and the log of a study."""


def study_threats(study: Study) -> list[Threat]:
    """Return the threats that show in the question, the plan and the log, before any figure.

    Parameters
    ----------
    study : Study
        Whole.
    """
    return [threat for find in FINDERS for threat in find(study)]


def all_threats(study: Study, findings: Sequence[Finding]) -> list[Threat]:
    """Return all threats of a study and its findings: one line a cause, with the responses it touches.

    Parameters
    ----------
    study : Study
        Whole.
    findings : sequence of Finding
        Of all its responses and comparisons.
    """
    named = {finding.comparison.response for finding in findings}
    compared = [
        replace(threat, responses=(finding.comparison.response,))
        for finding in findings
        for threat in finding.threats
    ]
    told = merged([*study_threats(study), *compared])
    # What touches every response is said without their names.
    return [replace(item, responses=()) if set(item.responses) == named else item for item in told]
