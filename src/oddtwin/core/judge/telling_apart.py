"""Can these eyes tell them apart: right answers, “different” of twins, prints sorted back."""

from __future__ import annotations

from collections.abc import Sequence

from oddtwin.core.judge.discrimination import d_prime_words, discrimination, exact_share, seen_words
from oddtwin.core.judge.luck import LEVEL, BlindTest, once_in
from oddtwin.core.judge.opened import Opened, Told, finite
from oddtwin.core.judge.same_different import same_different
from oddtwin.core.judge.sorting import sorting_tail
from oddtwin.core.judge.units import Way, alike_told, prints_told, sorted_told
from oddtwin.core.judge.votes import NONE, Catch, Vote, judges_of
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_list


def told_apart(votes: Sequence[Vote], opened: Opened, test: BlindTest) -> Told:
    """Judge answers that are right or wrong.

    Parameters
    ----------
    votes : sequence of Vote
        Questions only.
    opened : Opened
        The key.
    test : BlindTest
        Whose guessing chance holds.
    """
    right = sum(vote.answer == vote.odd for vote in votes)
    none = sum(vote.answer == NONE for vote in votes)
    # Who cannot tell stays among the trials: left out, a judge who answers only when sure would look
    # keen-eyed.
    found = discrimination(test, len(votes), right)
    sentences = [
        seen_words(found),
        tr(
            "Luck does that {once_in}; {d_prime_words}.",
            once_in=once_in(found.chance), d_prime_words=d_prime_words(found),
        ),
    ]  # fmt: skip
    if none:
        sentences.append(tr("{none} said that they cannot tell, which counts as not right.", none=none))
    shares = [(vote, vote.answer == vote.odd) for vote in votes]
    way = Way.KNOWN if test is BlindTest.PAIR else Way.NONE
    words, units = prints_told(shares, opened.print_of, way, 1 / 3 if test is BlindTest.TRIANGLE else 1 / 2)
    sentences.append(words)
    judges = [
        {
            "judge": name,
            "trials": len(own),
            "correct": (correct := sum(vote.answer == vote.odd for vote in own)),
            "chance": discrimination(test, len(own), correct).chance,
        }
        for name, own in judges_of(votes).items()
    ]
    return sentences, {
        "result": {
            "correct": right,
            "of": len(votes),
            "cannot_tell": none,
            "share": found.right,
            "ci95": list(found.right_ci95),
            "shown": found.fewest_correct is not None and right >= found.fewest_correct,
        },
        "luck": {"chance": found.chance, "fewest_correct": found.fewest_correct},
        "d_prime": {"value": finite(found.d_prime), "ci95": [finite(end) for end in found.d_prime_ci95]},
        "bounds": {
            "seeing": found.seeing,
            "ci95": list(found.seeing_ci95),
            "at_least95": found.seeing_at_least,
            "at_most95": found.seeing_at_most,
            "findable80": found.findable,
        },
        "prints": units,
        "by_judge": judges,
    }


def called_different(votes: Sequence[Vote], opened: Opened) -> Told:
    """Judge answers “same” and “different”.

    Parameters
    ----------
    votes : sequence of Vote
        Questions only.
    opened : Opened
        The key.
    """
    odd_pairs = [(vote, vote.answer == "different") for vote in votes if vote.catch is not Catch.TWIN]
    twins = [(vote, vote.answer == "different") for vote in votes if vote.catch is Catch.TWIN]
    called, alarms = (sum(different for _, different in looks) for looks in (odd_pairs, twins))
    found = same_different(len(odd_pairs), called, len(twins), alarms)
    told = tr(
        "“different” of {odd_different} of {odd} odd pairs and of {twins_different} of {twins} twin pairs",
        odd_different=found.odd_different,
        odd=found.odd,
        twins_different=found.twins_different,
        twins=found.twins,
    )
    if found.chance is None:
        finding = tr(
            "Without twin pairs nothing tells how often these eyes say “different” of twins: {told}.",
            told=told,
        )
    else:
        finding = _apart_words(found.chance, told)
    luck = "" if found.chance is None else tr("Luck does that {once_in}.", once_in=once_in(found.chance))
    words, units = alike_told(odd_pairs, twins, opened.print_of)
    return [finding, luck, words], {
        "result": {
            "odd": found.odd,
            "odd_different": found.odd_different,
            "twins": found.twins,
            "twins_different": found.twins_different,
            "hits": found.hits,
            "hits_ci95": list(found.hits_ci95),
            "false_alarms": found.false_alarms,
            "false_alarms_ci95": found.false_alarms_ci95 and list(found.false_alarms_ci95),
            "shown": found.chance is not None and found.chance <= LEVEL,
        },
        "luck": {"chance": found.chance, "fewest_correct": None},
        "d_prime": {"value": finite(found.d_prime), "ci95": None},
        "bounds": {"at_most95": exact_share(found.odd_different, found.odd, 0.90)[1]},
        "prints": units,
    }


def sorted_back(votes: Sequence[Vote], opened: Opened) -> Told:
    """Judge prints that were sorted back to their arms.

    Parameters
    ----------
    votes : sequence of Vote
        Questions only.
    opened : Opened
        The key.
    """
    truth = [vote.odd or opened.arm(vote.left) for vote in votes]
    sittings: dict[tuple[str, str], tuple[list[str], list[str]]] = {}
    for vote, arm in zip(votes, truth, strict=True):
        own = sittings.setdefault((vote.judge, vote.trial), ([], []))
        own[0].append(arm)
        own[1].append(vote.answer)
    arms = set(truth)
    strange = sorted({vote.answer for vote in votes} - arms)
    if strange:
        raise ValueError(
            tr(
                "“{strange}” is no arm that a print is of; the arms are {arms}",
                strange=strange[0],
                arms=format_list(sorted(arms)),
            )
        )
    right = sum(arm == vote.answer for arm, vote in zip(truth, votes, strict=True))
    every = list(sittings.values())
    chance = sorting_tail(every, right)
    noun = trn("sitting", "sittings", len(every))
    told = tr(
        "{right} of {votes} prints sorted back right, in {every} {noun}",
        right=right,
        votes=len(votes),
        every=len(every),
        noun=noun,
    )
    named = [
        # A letter stands for its print where the key names none; without a key what lay there is the arm.
        (opened.print_of(vote.left) or (vote.left if vote.left != arm else ""), arm, vote.answer)
        for vote, arm in zip(votes, truth, strict=True)
    ]
    words, units = sorted_told(named)
    return [_apart_words(chance, told), tr("Luck does that {once_in}.", once_in=once_in(chance)), words], {
        "result": {"correct": right, "of": len(votes), "shown": chance <= LEVEL},
        "luck": {"chance": chance, "fewest_correct": _fewest(every, len(votes))},
        "prints": units,
    }


def _apart_words(chance: float, told: str) -> str:
    shown = (
        tr("These eyes can tell them apart") if chance <= LEVEL else tr("Nobody has shown to tell them apart")
    )
    return f"{shown}: {told}."


def _fewest(sittings: Sequence[tuple[Sequence[str], Sequence[str]]], most: int) -> int | None:
    low, high = 0, most + 1
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if sorting_tail(sittings, middle) <= LEVEL else (middle + 1, high)
    # All but one right cannot be: what cannot be is not what it takes.
    while low < most and sorting_tail(sittings, low + 1) == sorting_tail(sittings, low):
        low += 1
    return low if low <= most else None
