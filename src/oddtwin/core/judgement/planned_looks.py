"""Planned looks: how often a plan looks at its verdict, and the level that holds all of them to 5 %."""

from __future__ import annotations

from collections.abc import Sequence

from oddtwin.core.effects import LOOKED_AT_ONCE, level_for_looks
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list
from oddtwin.core.readings import ResponseKind
from oddtwin.core.study import LookAt, Plan, Response, Study


def look_pairs(plan: Plan) -> tuple[int, ...]:
    """Return after how many pairs a plan looks, the last look at its end.

    Parameters
    ----------
    plan : Plan
        Pairs on every machine and piece; equal steps of all of them together.
    """
    pairs = plan.repeats * max(1, len(plan.machine_ids)) * max(1, len(plan.piece_ids))
    looks = plan.design.looks
    return tuple(dict.fromkeys(max(1, round(pairs * place / looks)) for place in range(1, looks + 1)))


def look_level(study: Study) -> float:
    """Return the two-sided p value that each look of a plan is judged at; 0.05 for one look at the end."""
    if study.plan is None or study.plan.design.looks < 2:
        return LOOKED_AT_ONCE
    return level_for_looks(look_pairs(study.plan), LOOKED_AT_ONCE)


def refuse_looks(plan: Plan, responses: tuple[Response, ...]) -> None:
    """Refuse planned looks where a response cannot spend its error rate over them.

    Parameters
    ----------
    plan : Plan
        With its looks.
    responses : tuple of Response
        Of the study.

    Raises
    ------
    ValueError
        A sentence for the user.
    """
    # By simulation over 2 to 40 looks: grades and answers keep to 5 %, counts that come in bursts reach 13 %.
    counted = [response.name for response in responses if response.kind is ResponseKind.COUNT]
    if plan.design.looks > 1 and counted:
        raise ValueError(
            tr(
                "“{counted}” is counted, and what is counted comes in bursts, which several "
                "looks would often take for a difference; look once at the end, or grade it",
                counted=counted[0],
            )
        )
    if plan.design.looks > 1 and look_pairs(plan)[0] < 2:
        raise ValueError(
            tr("the first look would come after one pair, which shows nothing; plan fewer looks")
        )


def unplanned(study: Study, counts: Sequence[int]) -> list[int]:
    """Return the looks that a plan does not have.

    Parameters
    ----------
    study : Study
        Whole.
    counts : sequence of int
        Prints that were made at each look while others were to come.

    Returns
    -------
    list of int
        A planned look is the first that comes when its pairs are made; a second one at the same place is
        not planned.
    """
    left = list(counts)
    for pairs in _before_the_end(study):
        taken = next((count for count in left if count >= 2 * pairs), None)
        if taken is not None:
            left.remove(taken)
    return left


def look_words(study: Study) -> str:
    """Return which looks a plan has, and what a look now would be; nothing where it looks at the end only.

    Parameters
    ----------
    study : Study
        With its prints.
    """
    before = _before_the_end(study)
    if study.plan is None or not before:
        return ""
    made = sum(bool(run.finished) and not run.set_aside for run in study.runs)
    taken = sum(look.what is not LookAt.ARMS for look in study.looks)
    steps = format_list([str(pairs) for pairs in look_pairs(study.plan)])
    due = taken < len(before) and made >= 2 * before[taken]
    now = tr("one of them is due now") if due else tr("none of them is due now, so a look would be one more")
    return tr("The plan looks after {steps} pairs; {now}.", steps=steps, now=now)


def _before_the_end(study: Study) -> tuple[int, ...]:
    """Pairs after which a plan looks before its end."""
    return look_pairs(study.plan)[:-1] if study.plan and study.plan.design.looks > 1 else ()
