"""Ladders of one setting: which level to print next, when to stop, and how sure the edge is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from oddtwin.core.language import mark, tr, trn

ALPHA: Final = 0.05
"""The interval of the edge misses it at most this often."""

STAKE: Final = 0.9
"""Share of the stake that each print puts against a claim about the edge."""


class LadderRule(StrEnum):
    """In which order a ladder is printed."""

    RANDOM = mark("all levels, in random order")
    EXTREMES = mark("extremes first")
    CLIMB = mark("climb from the safe end")
    HALVE = mark("halve the interval")


@dataclass(frozen=True, slots=True)
class Rung:
    """One print on a ladder.

    Parameters
    ----------
    level : int
        Index of its level; 0 is the safe end.
    good : bool
        Whether it held.
    own : bool
        Whether it was judged by a safe print that judges no other. What shares one stands and falls
        with it, and proves nothing more.
    """

    level: int
    good: bool
    own: bool = True


@dataclass(frozen=True, slots=True)
class LadderAdvice:
    """What to print next on a ladder.

    Parameters
    ----------
    next_level : int or None
        Index of the level to print; None when the rule says to stop.
    sentence : str
        What was found and what to do.
    good, bad : int or None
        Highest level that held and lowest level above it that did not.
    low, high : int or None
        The edge lies above level ``low`` and at or below level ``high``, with 95 %
        confidence; None where nothing can be said on that side.
    """

    next_level: int | None
    sentence: str
    good: int | None
    bad: int | None
    low: int | None
    high: int | None


def advise(rule: LadderRule, names: Sequence[str], rungs: Sequence[Rung]) -> LadderAdvice:
    """Propose the next level from the prints so far.

    Parameters
    ----------
    rule : LadderRule
        How the ladder is walked.
    names : sequence of str
        Values of the levels from the safe end to the far end, two or more.
    rungs : sequence of Rung
        Prints so far, in printed order.

    Returns
    -------
    LadderAdvice

    Raises
    ------
    ValueError
        Fewer than two levels, or a print of a level that is not on the ladder.
    """
    if len(names) < 2:
        raise ValueError(tr("a ladder has at least two levels"))
    if any(not 0 <= rung.level < len(names) for rung in rungs):
        raise ValueError(tr("a print stands on a level that the ladder does not have"))
    good, bad = _bracket(len(names), rungs)
    low, high = edge_interval(len(names), rungs)
    next_level, step = _RULES[rule](names, rungs, good, bad)
    found = _found(names, rungs, good, bad, low, high) if next_level is None else ""
    return LadderAdvice(next_level, f"{step} {found}".strip(), good, bad, low, high)


def edge_interval(levels: int, rungs: Sequence[Rung]) -> tuple[int | None, int | None]:
    """Bound the edge of a ladder with 95 % confidence, at whatever print one stops.

    Parameters
    ----------
    levels : int
        Levels of the ladder.
    rungs : sequence of Rung
        Prints so far, in printed order.

    Returns
    -------
    tuple of int or None
        ``(low, high)``: the highest level shown to hold more often than not, and the
        lowest shown to fail more often than not; None where none is.

    Notes
    -----
    Only prints that were judged by a safe print of their own count. A claim "level j and all above
    fail at least half the time" is tested by a fair bet
    on good prints there (and the reverse), which pays 1 ± 0.9; by Ville's inequality
    (1939) the stake grows to 40-fold with a chance of at most 1/40 if the claim is true,
    whenever one stops (testing by betting, Shafer 2021; both from memory). Half the stake
    bets on every print at level j or beyond, half on those of level j alone, so six prints
    of one kind settle a level, or seven where prints beyond it spoke against.
    """
    # A stake that grows fortyfold has a chance of one in forty without a reason for it, whenever one stops
    # to look (Ville's inequality, from memory); the two ends share the 5 %.
    limit = 2 / ALPHA
    rungs = [rung for rung in rungs if rung.own]
    low = [
        j for j in range(levels) if _stake([(r.level == j, r.good) for r in rungs if r.level >= j]) >= limit
    ]
    high = [
        j
        for j in range(levels)
        if _stake([(r.level == j, not r.good) for r in rungs if r.level <= j]) >= limit
    ]
    return (max(low) if low else None, min(high) if high else None)


def _stake(bets: Sequence[tuple[bool, bool]]) -> float:
    """Grow the stake over bets (at the level itself, won); the best value reached counts."""
    everywhere = here = best = 1.0
    for at_level, won in bets:
        # Of a fair bet the stake grows by nothing on average, so that looking after every print costs no
        # certainty.
        pays = 1 + STAKE if won else 1 - STAKE
        everywhere *= pays
        here *= pays if at_level else 1.0
        # Half on all levels from there on and half on the level itself: whichever speaks more clearly
        # carries the claim.
        best = max(best, (everywhere + here) / 2)
    return best


def _bracket(levels: int, rungs: Sequence[Rung]) -> tuple[int | None, int | None]:
    """Highest level that mostly held and lowest level above it that mostly did not."""
    score = [0] * levels
    for rung in rungs:
        score[rung.level] += 1 if rung.good else -1
    printed = {rung.level for rung in rungs}
    bad = min((j for j in printed if score[j] <= 0), default=None)
    good = max((j for j in printed if score[j] > 0 and (bad is None or j < bad)), default=None)
    return good, bad


Step = tuple[int | None, str]


def _all(names: Sequence[str], rungs: Sequence[Rung], good: int | None, bad: int | None) -> Step:
    left = [j for j in range(len(names)) if j not in {rung.level for rung in rungs}]
    return (
        (left[0], tr("Print every level in the drawn order."))
        if left
        else (None, tr("Every level is printed."))
    )


def _extremes(names: Sequence[str], rungs: Sequence[Rung], good: int | None, bad: int | None) -> Step:
    printed = {rung.level for rung in rungs}
    last = len(names) - 1
    for end in (0, last):
        if end not in printed:
            return end, tr("Print the end {names} first.", names=names[end])
    if good == last:
        # One print of each that look alike prove nothing: that takes as many as an edge takes.
        if edge_interval(len(names), rungs)[0] == last:
            return (
                None,
                tr(
                    "The two ends are alike, as far as six prints of one kind tell: the middle "
                    "needs no print."
                ),
            )
        fewer = min((last, 0), key=lambda end: sum(rung.level == end for rung in rungs))
        return fewer, tr(
            "Both ends held, which so few prints cannot prove: print {names} once more.", names=names[fewer]
        )
    if good is None and bad == 0:
        return None, tr("Not even the safe end holds: begin the ladder further down.")
    return _between(names, rungs, good, bad)


def _climb(names: Sequence[str], rungs: Sequence[Rung], good: int | None, bad: int | None) -> Step:
    if bad is not None:
        return None, tr("{names} did not hold: stop climbing.", names=names[bad])
    step = 0 if good is None else good + 1
    if step == len(names):
        return None, tr("The far end holds: the edge lies beyond the ladder.")
    return step, tr("Print {names}, the next step from the safe end.", names=names[step])


def _halve(names: Sequence[str], rungs: Sequence[Rung], good: int | None, bad: int | None) -> Step:
    printed = {rung.level for rung in rungs}
    last = len(names) - 1
    for end, what in ((0, tr("known good")), (last, tr("known bad"))):
        if end not in printed:
            return end, tr("Print {names} to have an end that is {what}.", names=names[end], what=what)
    if good is None:
        return None, tr("Not even the safe end holds: begin the ladder further down.")
    if bad is None:
        return None, tr("The far end holds: the edge lies beyond the ladder.")
    return _between(names, rungs, good, bad)


def _between(names: Sequence[str], rungs: Sequence[Rung], good: int | None, bad: int | None) -> Step:
    if good is None or bad is None or bad - good <= 1:
        return None, tr("The edge is between two neighbouring levels: stop.")
    middle = (good + bad) // 2
    return middle, tr(
        "{names} holds and {names2} does not: print {names3}, half-way.",
        names=names[good],
        names2=names[bad],
        names3=names[middle],
    )


_RULES: Final = {
    LadderRule.RANDOM: _all,
    LadderRule.EXTREMES: _extremes,
    LadderRule.CLIMB: _climb,
    LadderRule.HALVE: _halve,
}


def _found(
    names: Sequence[str],
    rungs: Sequence[Rung],
    good: int | None,
    bad: int | None,
    low: int | None,
    high: int | None,
) -> str:
    if good is not None and bad is not None:
        seen = tr("As seen, the edge lies between {names} and {names2}", names=names[good], names2=names[bad])
    elif good is not None:
        seen = tr("As seen, everything up to {names} holds", names=names[good])
    else:
        seen = tr("As seen, nothing holds")
    if low is None and high is None:
        return tr(
            "{seen}; print by print no level is sure at 95 % with {rungs} {part} (that "
            "takes six of one kind).",
            seen=seen,
            rungs=len(rungs),
            part=trn("print", "prints", len(rungs)),
        )
    sides = [tr("above {names}", names=names[low])] if low is not None else []
    sides += [tr("at or below {names}", names=names[high])] if high is not None else []
    return tr("{seen}; 95 % sure that it lies {sides}.", seen=seen, sides=tr(" and ").join(sides))
