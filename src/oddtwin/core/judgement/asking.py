"""Threats in the question: what differs, margins, and looks taken too early."""

from __future__ import annotations

from collections.abc import Sequence

from oddtwin.core.decide import no_margin
from oddtwin.core.design import DesignKind
from oddtwin.core.effects import price_of_looks
from oddtwin.core.judgement.modelling import unread_of
from oddtwin.core.judgement.planned_looks import unplanned
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_list, seconds_of
from oddtwin.core.readings import ResponseKind
from oddtwin.core.study.settled import LookAt
from oddtwin.core.study.whole import Study
from oddtwin.core.threat import Threat, ThreatCode


def two_changes(study: Study) -> list[Threat]:
    """Find more than one change between the arms of a pair."""
    pack = study.plan is None or study.plan.design.kind is DesignKind.PAIRS
    if len(study.factors) < 2 or not pack:
        return []
    names = ", ".join(factor.name for factor in study.factors)
    return [
        Threat(
            ThreatCode.TWO_CHANGES,
            tr("More than one thing differs between the arms: {names}.", names=names),
            tr("Change one thing at a time, or take the result for the whole pack only."),
        )
    ]


def margins(study: Study) -> list[Threat]:
    """Find margins that are missing, or were moved after the verdict was seen."""
    found = []
    moved = tuple(response.name for response in study.judged if response.margin_moved)
    if moved:
        found.append(
            Threat(
                ThreatCode.MARGIN_MOVED,
                tr(
                    "The margin was changed after the verdict had been seen: {moved}.", moved=", ".join(moved)
                ),
                tr("Say so when you tell others; a margin fits best when it is set first."),
            )
        )
    judged = [response for response in study.judged if response.kind is not ResponseKind.WORD]
    unset = tuple(response.name for response in judged if response.margin is None)
    return [*found, no_margin(unset)] if unset else found


def looked(study: Study) -> list[Threat]:
    """Find looks while prints were to come: they invite stopping at a lucky moment."""
    counting = [run for run in study.runs if not run.set_aside]
    made = sorted(seconds_of(run.finished) for run in counting if run.finished)
    # Whoever looks and then stops is told it too: stopping when it looks good is the harm.
    unmade = len(made) < len(counting)
    before = [
        (sum(moment <= seconds_of(look.at) for moment in made), look)
        for look in study.looks
        if look.what is not LookAt.ARMS and (unmade or any(moment > seconds_of(look.at) for moment in made))
    ]
    found = []
    every = [count for count, look in before if not look.advised]
    early = unplanned(study, every)
    if early:
        times = tr("once") if len(early) == 1 else tr("{early} times", early=len(early))
        # Two prints are a pair; the look at the end is one more.
        price = price_of_looks((*(count // 2 for count in every), len(counting) // 2))
        found.append(
            Threat(
                ThreatCode.EARLY_LOOK,
                tr(
                    "The verdict was looked at {times} while prints were still to come, first "
                    "after {early} of {counting} prints: so many looks show a false difference "
                    "in about {price:.0f} of 100 studies without any.",
                    times=times, early=early[0], counting=len(counting), price=100 * price,
                ),
                tr("Print all that was planned whatever it says: stopping when it looks good finds chance."),
            )
        )  # fmt: skip
    advised = [count for count, look in before if look.advised and count < len(made)]
    if advised:
        found.append(
            Threat(
                ThreatCode.ADVISED_LOOK,
                tr(
                    "The verdict was looked at, as planned, after {advised} of {made} prints, "
                    "and more prints were made since.",
                    advised=format_list([str(n) for n in advised]), made=len(made),
                ),
                tr(
                    "Nothing is wrong with that; say so when you tell others, since every "
                    "further look is one more chance for luck."
                ),
            )
        )  # fmt: skip
    return [*found, *_arms_shown(study, made)]


def _arms_shown(study: Study, made: Sequence[float]) -> list[Threat]:
    """Find that arms were seen before prints that were graded afterwards; ``made`` is when each was, s."""
    arms = [look for look in study.looks if look.what is LookAt.ARMS]
    graded = any(response.kind.graded for response in study.judged)
    if not (arms and graded and any(moment > seconds_of(arms[0].at) for moment in made)):
        return []
    return [
        Threat(
            ThreatCode.ARMS_SHOWN,
            tr(
                "The arms of the runs were shown before all prints were judged, so grades "
                "were not given by code alone."
            ),
            tr("Let somebody grade again who has not seen the list."),
        )
    ]


def covariates(study: Study) -> list[Threat]:
    """Find covariates that some prints were not read of, and that are therefore taken out of nothing."""
    found = []
    for one in study.covariates:
        without = unread_of(study)[one.id]
        if without:
            count = f"{len(without)} {trn('print', 'prints', len(without))}"
            found.append(
                Threat(
                    ThreatCode.COVARIATE,
                    tr(
                        "{one} was not read at {count}, so it is taken out of nothing.",
                        one=one.name,
                        count=count,
                    ),
                    tr(
                        "Type what it was at {without}, or stop measuring it.",
                        without=format_list(without[:5]),
                    ),
                    cause=f"covariate {one.id}",
                    runs=without,
                )
            )
    return found
