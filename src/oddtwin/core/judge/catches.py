"""Are these eyes reliable: false alarms on twins, a liking for one side, repeats, and agreement."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Final

from oddtwin.core.judge.agreement import Scale, krippendorff, table_of, weighted_kappa
from oddtwin.core.judge.discrimination import exact_share
from oddtwin.core.judge.luck import LEVEL, uneven
from oddtwin.core.judge.votes import LEFT, NONE, RIGHT, Catch, JudgeDesign, Vote, judges_of
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_number

TWO_SIDED: Final = (JudgeDesign.PAIR, JudgeDesign.COMPARE)


@dataclass(frozen=True, slots=True)
class Reliability:
    """How far these eyes can be relied on; figures as plain values, None where nothing tells."""

    sentences: tuple[str, ...]
    agreement: dict[str, Any] | None
    catches: dict[str, Any] | None
    repeats: dict[str, Any] | None
    sides: dict[str, Any] | None


def reliability(votes: Sequence[Vote], design: JudgeDesign, chosen: Callable[[Vote], str]) -> Reliability:
    """Work out how far the judges of a session can be relied on.

    Parameters
    ----------
    votes : sequence of Vote
        All that count, catches included.
    design : JudgeDesign
        What was asked.
    chosen : callable
        What an answer means, whichever way round the prints lay.
    """
    parts = [_catches(votes, design), _sides(votes, design), _repeats(votes, design, chosen)]
    agreed = _agreement(votes, design, chosen)
    sentences = [part.pop("sentence", "") for part in (*parts, agreed) if part]
    catches, sides, repeats = parts
    return Reliability(tuple(filter(None, sentences)), agreed, catches, repeats, sides)


def _catches(votes: Sequence[Vote], design: JudgeDesign) -> dict[str, Any] | None:
    twins = [vote for vote in votes if vote.catch is Catch.TWIN]
    if design not in (JudgeDesign.PAIR, JudgeDesign.COMPARE, JudgeDesign.SAME) or not twins:
        return None
    if design is JudgeDesign.PAIR and not any(vote.answer == NONE for vote in votes):
        # Where everybody must decide, a side that is named of twins is no false alarm.
        return {"twins": len(twins), "false_alarms": None}
    alarms = [_alarm(vote, design) for vote in twins]
    low, high = exact_share(sum(alarms), len(alarms), 0.95)
    by_judge = {
        name: {"twins": len(own), "false_alarms": sum(_alarm(vote, design) for vote in own)}
        for name, own in judges_of(twins).items()
    }
    return {
        "twins": len(twins),
        "false_alarms": sum(alarms),
        "ci95": [low, high],
        "by_judge": by_judge,
        "sentence": (
            tr(
                "Of twins these eyes saw a difference in {alarms} of {twins} looks (95 % "
                "interval {low:.0f} to {high:.0f} %).",
                alarms=sum(alarms),
                twins=len(twins),
                low=100 * low,
                high=100 * high,
            )
        ),
    }


def _alarm(vote: Vote, design: JudgeDesign) -> bool:
    if design is JudgeDesign.SAME:
        return vote.answer == "different"
    if design is JudgeDesign.COMPARE:
        return vote.number != 0
    return vote.answer != NONE


def _sides(votes: Sequence[Vote], design: JudgeDesign) -> dict[str, Any] | None:
    if design not in TWO_SIDED:
        return None
    if design is JudgeDesign.COMPARE:
        left, right = (sum(vote.number * sign > 0 for vote in votes) for sign in (-1, 1))
    else:
        left, right = (sum(vote.answer == side for vote in votes) for side in (LEFT, RIGHT))
    decided = left + right
    if not decided:
        return None
    p = uneven(left, decided)
    more = tr("left") if left > right else tr("right")
    told = (
        tr(
            "The {more} side was chosen in {left} of {decided} looks, more than luck would",
            more=more,
            left=max(left, right),
            decided=decided,
        )
        if p <= LEVEL
        else ""
    )
    return {
        "left": left,
        "right": right,
        "chance": p,
        "sentence": tr("{told}: a liking for one side may pass for a difference.", told=told) if told else "",
    }


def _repeats(
    votes: Sequence[Vote], design: JudgeDesign, chosen: Callable[[Vote], str]
) -> dict[str, Any] | None:
    groups: dict[tuple[str, str], list[str]] = defaultdict(list)
    for vote in votes:
        if vote.repeat:
            groups[vote.judge, vote.repeat].append(_meant(vote, design, chosen))
    again = [answers for answers in groups.values() if len(answers) > 1]
    if not again:
        return None
    # Every two of one judge's looks at the same trial are one repeat.
    pairs = sum(len(answers) * (len(answers) - 1) // 2 for answers in again)
    same = sum(
        answers[one] == answers[two] for answers in again for two in range(len(answers)) for one in range(two)
    )
    low, high = exact_share(same, pairs, 0.95)
    return {
        "same": same,
        "of": pairs,
        "ci95": [low, high],
        "sentence": tr(
            "Shown the same again, these eyes answered the same in {same} of {pairs} cases.",
            same=same,
            pairs=pairs,
        ),
    }


def _meant(vote: Vote, design: JudgeDesign, chosen: Callable[[Vote], str]) -> str:
    if design is JudgeDesign.COMPARE:
        # Turned round, +1 for the right is −1 for the left.
        turned = vote.number if vote.left <= vote.right else -vote.number
        return f"{turned:g}"
    return chosen(vote)


def _agreement(
    votes: Sequence[Vote], design: JudgeDesign, chosen: Callable[[Vote], str]
) -> dict[str, Any] | None:
    judges = judges_of(votes)
    if len(judges) < 2 or design in (JudgeDesign.RANK, JudgeDesign.SORT):
        return None
    units: dict[str, dict[str, str]] = defaultdict(dict)
    for vote in votes:
        if vote.trial:
            units[vote.trial].setdefault(vote.judge, _meant(vote, design, chosen))
    shared = {trial: own for trial, own in units.items() if len(own) > 1}
    if not shared:
        return None
    ordered = design in (JudgeDesign.COMPARE, JudgeDesign.GRADE)
    # Names stand for themselves; comparative grades keep their distances.
    names = sorted({answer for own in shared.values() for answer in own.values()})
    number = {name: float(name) if ordered else float(place) for place, name in enumerate(names)}
    scale = Scale.ORDINAL if ordered else Scale.NOMINAL
    alpha = krippendorff([[number[answer] for answer in own.values()] for own in shared.values()], scale)
    found: dict[str, Any] = {"alpha": alpha, "scale": scale.value, "units": len(shared)}
    if ordered and len(judges) == 2:
        found["weighted_kappa"] = _kappa(list(judges), shared, GRADED[design])
    if alpha is None:
        found["sentence"] = tr(
            "All judges gave the same answer in all of {shared} trials.", shared=len(shared)
        )
    else:
        found["sentence"] = tr(
            "The judges agree with alpha {alpha} over {shared} {trials} (1: always, 0: as by chance).",
            alpha=format_number(alpha, 2),
            shared=len(shared),
            trials=trn("trial", "trials", len(shared)),
        )
    return found


GRADED: Final = {JudgeDesign.COMPARE: range(-2, 3), JudgeDesign.GRADE: range(5)}


def _kappa(judges: Sequence[str], shared: dict[str, dict[str, str]], steps: range) -> dict[str, Any] | None:
    grades = [tuple(round(float(own[name])) for name in judges) for own in shared.values()]
    levels = {grade: place for place, grade in enumerate(steps)}
    try:
        kappa = weighted_kappa(table_of([(one, two) for one, two in grades], levels))
    except ValueError:
        return None
    return {"value": kappa.value, "ci95": list(kappa.ci95)}
