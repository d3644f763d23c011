"""Threats in the plan: what is mixed, how much is compared, what is carried along."""

from __future__ import annotations

from collections import Counter

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.judgement.listing import contrasts, whole_plots
from oddtwin.core.judgement.mixing import study_confounding
from oddtwin.core.language import tr
from oddtwin.core.study.plates import shares_plates
from oddtwin.core.study.question import Role
from oddtwin.core.study.whole import Study
from oddtwin.core.threat import Threat, ThreatCode


def twins_planned(study: Study) -> list[Threat]:
    """Find a plan without twins."""
    prints = Counter((run.block_id, run.arm_id) for run in study.runs if run.reprint_of is None)
    # In a split plot the plots of one level are the twins.
    planned = bool(prints) and (max(prints.values()) > 1 or bool(whole_plots(study)))
    if study.plan is None or not study.runs or study.readings or planned:
        return []
    return [
        Threat(
            ThreatCode.NO_TWINS,
            tr("No twins are planned, so there will be no noise floor."),
            tr("Plan at least one true twin of the baseline."),
        )
    ]


def mixed(study: Study) -> list[Threat]:
    """Find what cannot be told apart in the plan; from the fourth print on, in what was printed."""
    made = [run for run in study.runs if run.finished and not run.set_aside]
    # Of three prints almost anything can be mixed with anything; until then the plan is what is looked at.
    done = bool(made) and len({run.arm_id for run in made}) > 1 and len(made) > 3
    return [
        Threat(
            ThreatCode.CONFOUNDED if item.vif is None else ThreatCode.NEARLY_CONFOUNDED,
            item.sentence,
            item.repair,
            # Findings say it of the same nuisance, each for its own comparison.
            cause=tr(" and ").join(item.columns[1:]),
        )
        for item in study_confounding(study, made=done)
    ]


def many(study: Study) -> list[Threat]:
    """Find a design that makes many comparisons."""
    count = len(contrasts(study)) if study.plan else 1
    if count < 3:
        return []
    return [
        Threat(
            ThreatCode.MANY_COMPARISONS,
            tr(
                "The design makes {count} comparisons of each response. They are judged together, so "
                "that with no effect at all one of them differs by luck in 5\u202f% of studies and not "
                "in {count2:.0f}\u202f%; each has to be clearer for it.",
                count=count,
                count2=100 * (1 - 0.95**count),
            ),
            tr("Ask only what will be acted on, or print more of each arm."),
        )
    ]


def carried(study: Study) -> list[Threat]:
    """Find what a comparison carries along by its very nature."""
    found = []
    if any(factor.kind is ChangeKind.MACHINE for factor in study.factors):
        found.append(
            Threat(
                ThreatCode.MACHINE_CARRIES,
                tr(
                    "Whatever goes with a machine (its profile, its slicer, its place, its wear) "
                    "is compared with it, and cannot be told from it."
                ),
                tr(
                    "Say “this machine as it is set up”; to know what makes the difference, swap "
                    "one thing at a time."
                ),
            )
        )
    timed = any(response.role is Role.TIME for response in study.responses)
    if timed and shares_plates(study):
        found.append(
            Threat(
                ThreatCode.PLATE_TIME,
                tr(
                    "Prints that share a plate take their minutes together, so print time cannot "
                    "tell their arms apart."
                ),
                tr("Compare the minutes of the sliced files, or print a plate of each arm."),
            )
        )
    return found
