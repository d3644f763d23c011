"""Which is better: preferences, ranks and comparative grades."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from oddtwin.core.judge.agreement import concordance
from oddtwin.core.judge.comparative import Grade, comparative
from oddtwin.core.judge.discrimination import exact_share
from oddtwin.core.judge.luck import LEVEL, once_in, uneven
from oddtwin.core.judge.opened import Opened, Told, finite
from oddtwin.core.judge.preference import Ladder, Look, ladder
from oddtwin.core.judge.units import Way, prints_told
from oddtwin.core.judge.votes import LEFT, NONE, RIGHT, Vote
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_list, format_number, format_reading


def preferred(votes: Sequence[Vote], opened: Opened) -> Told:
    """Judge which of two or more arms is preferred.

    Parameters
    ----------
    votes : sequence of Vote
        Questions only.
    opened : Opened
        The key.
    """
    arms, sides = _lying(votes, opened)
    answer = {LEFT: -1, NONE: 0, RIGHT: 1}
    looks = [Look(*side, answer[vote.answer]) for side, vote in zip(sides, votes, strict=True)]
    if len(arms) < 2 or not looks:
        raise ValueError(tr("there is one arm alone, so nothing is compared"))
    wins = Counter(arms[look.left if look.answer < 0 else look.right] for look in looks if look.answer)
    ties = sum(look.answer == 0 for look in looks)
    if len(arms) == 2:
        return _of_two(votes, opened, arms, wins, ties, looks)
    return _of_many(arms, wins, ties, looks)


def _lying(votes: Sequence[Vote], opened: Opened) -> tuple[list[str], list[tuple[int, int]]]:
    """Arms, and the place among them of what lay left and right in each vote."""
    lay = [(opened.arm(vote.left), opened.arm(vote.right)) for vote in votes]
    arms = sorted({arm for both in lay for arm in both})
    place = {arm: number for number, arm in enumerate(arms)}
    return arms, [(place[left], place[right]) for left, right in lay]


def _of_two(
    votes: Sequence[Vote],
    opened: Opened,
    arms: Sequence[str],
    wins: Mapping[str, int],
    ties: int,
    looks: Sequence[Look],
) -> Told:
    from scipy.special import ndtri

    decided = sum(wins.values())
    first, second = sorted(arms, key=lambda arm: -wins.get(arm, 0))
    most = wins.get(first, 0)
    p = uneven(most, decided)
    share = most / decided if decided else 0.5
    low, high = exact_share(most, decided, 0.95) if decided else (0.0, 1.0)
    told = tr(
        "{most} of {decided} that decide prefer {first} to {second}",
        most=most,
        decided=decided,
        first=first,
        second=second,
    )
    told += tr(", and {ties} cannot tell", ties=ties) if ties else ""
    finding = (
        tr("{first} is preferred: {told}.", first=first, told=told)
        if p <= LEVEL
        else tr("Nobody has shown which is preferred: {told}.", told=told)
    )
    ends = tr("95 % interval {low:.0f} to {high:.0f} %", low=100 * low, high=100 * high)
    luck = tr(
        "Luck does that {once_in}; share {share:.0f} % ({ends}).",
        once_in=once_in(p),
        share=100 * share,
        ends=ends,
    )
    shares = [
        (vote, opened.arm(opened.chosen(vote)) == first) for vote in votes if vote.answer in (LEFT, RIGHT)
    ]
    words, units = prints_told(shares, opened.print_of, Way.FOUND)
    d = [math.sqrt(2) * float(ndtri(one)) for one in (share, low, high)]
    return [finding, luck, words, _side_words(looks)], {
        "result": {
            "preferred": first if p <= LEVEL else None,
            "counts": {arm: wins.get(arm, 0) for arm in arms},
            "cannot_tell": ties,
            "share": share,
            "ci95": [low, high],
            "shown": p <= LEVEL,
        },
        "luck": {"chance": p, "fewest_correct": None},
        "d_prime": {"value": finite(d[0]), "ci95": [finite(d[1]), finite(d[2])]},
        "bounds": {"at_most95": exact_share(most, decided, 0.90)[1] if decided else 1.0},
        "ladder": _steps(_fitted(arms, looks)),
        "prints": units,
    }


def _of_many(arms: Sequence[str], wins: Mapping[str, int], ties: int, looks: Sequence[Look]) -> Told:
    fitted = _fitted(arms, looks)
    order = format_list([arms[place] for place in fitted.order])
    sentences = [tr("From the most to the least preferred: {order}.", order=order)]
    apart = [name for place, name in enumerate(arms) if np.isnan(fitted.gaps[place]).any()]
    if apart:
        sentences.append(
            tr(
                "Nothing says how {names} stand to each other: the looks that join them leave it open.",
                names=format_list(apart),
            )
        )
    top, next_ = fitted.order[:2]
    if math.isfinite(fitted.gaps[top, next_]):
        sentences.append(
            tr(
                "{top} is preferred to {next} in {chance:.0f} % of the looks that decide.",
                top=arms[top],
                next=arms[next_],
                chance=100 * fitted.against(top, next_),
            )
        )
    return [*sentences, _side_words(looks)], {
        "result": {"counts": {arm: wins.get(arm, 0) for arm in arms}, "cannot_tell": ties},
        "ladder": _steps(fitted),
    }


def _fitted(arms: Sequence[str], looks: Sequence[Look]) -> Ladder:
    """Fit a ladder of arms; the side too, where pairs lay both ways round."""
    both = len({(look.left, look.right) for look in looks}) > len({frozenset(look[:2]) for look in looks})
    return ladder(arms, looks, sides=both)


def _steps(fitted: Ladder) -> dict[str, Any]:
    """Return a ladder for JSON."""
    return {
        "steps": [
            {
                "name": fitted.names[place],
                "log_worth": finite(fitted.log_worth[place]),
                "error": finite(fitted.errors[place]),
            }
            for place in fitted.order
        ],
        "log_tie": finite(fitted.tie),
        "log_side": finite(fitted.side),
        "log_side_error": finite(fitted.side_error),
    }


def _side_words(looks: Sequence[Look]) -> str:
    ways = {(look.left, look.right) for look in looks}
    if all((right, left) in ways for left, right in ways):
        return ""
    return tr(
        "Some pairs always lay the same way round, so that a liking for one side can pass for a preference."
    )


def ranked(votes: Sequence[Vote], opened: Opened) -> Told:
    """Judge prints that were ranked.

    Parameters
    ----------
    votes : sequence of Vote
        Questions only.
    opened : Opened
        The key.
    """
    items = list(dict.fromkeys(vote.left for vote in votes))
    rows: dict[tuple[str, str], dict[str, float]] = {}
    for vote in votes:
        rows.setdefault((vote.judge, vote.trial), {})[vote.left] = vote.number
    whole = [ranks for ranks in rows.values() if len(ranks) == len(items)]
    left_out = len(rows) - len(whole)
    if len(whole) < 2 or len(items) < 2:
        raise ValueError(tr("ranking needs two judges or more who rank all of two or more prints"))
    found = concordance(np.array([[ranks[item] for item in items] for ranks in whole]))
    named = [f"{item} ({opened.arm(item)})" if opened.arm(item) != item else item for item in items]
    order = sorted(range(len(items)), key=lambda place: found.rank_sums[place])
    steps = format_list([f"{named[place]} {format_reading(found.rank_sums[place])}" for place in order])
    alike = tr("rank alike") if found.p <= LEVEL else tr("do not rank alike more than luck would")
    finding = tr(
        "The judges {alike} (W {w}): rank sums {steps}.",
        alike=alike,
        w=format_number(found.w, 2),
        steps=steps,
    )
    least = format_number(found.least_apart, 1)
    apart = tr(
        "Luck agrees as much {once_in}; rank sums further apart than {least} differ.",
        once_in=once_in(found.p),
        least=least,
    )
    aside = (
        tr("{left_out} did not rank all of them, and are left out.", left_out=left_out) if left_out else ""
    )
    return [finding, apart, aside], {
        "result": {
            "rank_sums": dict(zip(items, found.rank_sums, strict=True)),
            "shown": found.p <= LEVEL,
            "least_apart": found.least_apart,
            "left_out": left_out,
        },
        "luck": {"chance": found.p, "exact": found.exact, "fewest_correct": None},
        "concordance": found.w,
    }


def compared(votes: Sequence[Vote], opened: Opened) -> Told:
    """Judge comparative grades of two arms.

    Parameters
    ----------
    votes : sequence of Vote
        Questions only.
    opened : Opened
        The key.
    """
    arms, sides = _lying(votes, opened)
    if len(arms) != 2:
        raise ValueError(tr("comparative grades are of two arms; give those of two"))
    grades = [Grade(*side, int(vote.number)) for side, vote in zip(sides, votes, strict=True)]
    found = comparative(grades)
    better, worse = (arms[1], arms[0]) if found.mean >= 0 else (arms[0], arms[1])
    told = tr(
        "{mean} grades on average over {grades} looks",
        mean=format_number(abs(found.mean), 2),
        grades=len(grades),
    )
    finding = (
        tr("{better} is better than {worse}: {told}.", better=better, worse=worse, told=told)
        if found.p <= LEVEL
        else tr("Nobody has shown which is better: {told}, for {better}.", told=told, better=better)
    )
    shares = [
        (vote, (vote.number > 0) == (opened.arm(vote.right) == better)) for vote in votes if vote.number
    ]
    words, units = prints_told(shares, opened.print_of, Way.FOUND)
    return [finding, tr("Luck does that {once_in}.", once_in=once_in(found.p)), words], {
        "result": {
            "better": better if found.p <= LEVEL else None,
            "mean": found.mean,
            "of": arms[1],
            "against": arms[0],
            "log_odds": finite(found.better),
            "ci95": [finite(end) for end in found.ci95],
            "log_side": finite(found.side),
            "shown": found.p <= LEVEL,
        },
        "luck": {"chance": found.p, "fewest_correct": None},
        "prints": units,
    }


def graded(votes: Sequence[Vote], opened: Opened) -> Told:
    """Say what grades of single prints come to; the study's verdict judges them as readings.

    Parameters
    ----------
    votes : sequence of Vote
        Questions only.
    opened : Opened
        The key.
    """
    by_arm: dict[str, dict[str, list[float]]] = {}
    for vote in votes:
        by_arm.setdefault(opened.arm(vote.left), {}).setdefault(vote.left, []).append(vote.number)
    # Looks at one print are averaged first: a judge more is no print more.
    means = {
        arm: math.fsum(math.fsum(some) / len(some) for some in own.values()) / len(own)
        for arm, own in sorted(by_arm.items())
    }
    prints = sum(len(own) for own in by_arm.values())
    told = format_list([f"{arm} {format_number(mean, 1)}" for arm, mean in means.items()])
    noun = trn("print", "prints", prints)
    said = tr(
        "{prints} {noun} were graded in {votes} looks; mean grade of a print: {told}.",
        prints=prints,
        noun=noun,
        votes=len(votes),
        told=told,
    )
    figures = {"prints": prints, "mean_grade": means}
    return [
        tr("{said} Whether that is more than twins differ is for the verdict to say.", said=said)
    ], figures
