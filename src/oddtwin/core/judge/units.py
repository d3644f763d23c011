"""Looks and prints: a hundred looks at one pair show what these two prints do, not what the change does."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from enum import Enum
from typing import Any, Final

from oddtwin.core.judge.luck import LEVEL, once_in
from oddtwin.core.judge.sorting import labelling_tail
from oddtwin.core.judge.votes import Vote
from oddtwin.core.language import mark, shown, tr

_ONE_PAIR: Final = mark(
    "All looks were at one pair of prints: they show what these two do. Whether the change does so "
    "needs further prints of each arm."
)

FINE: Final = 1e-9
UNKNOWN: Final = mark(
    "Which prints were looked at is not told, so this says something of those "
    "prints and nothing of the change: give a key with the print of each letter."
)


class Way(Enum):
    """How a question points from one arm to the other."""

    KNOWN = "known"
    """Which is the change: right or wrong stands before anybody looks."""
    FOUND = "found"
    """Which is better: the looks themselves say which way to count."""
    NONE = "none"
    """Which is the odd one: that two prints can be told apart points nowhere."""


def prints_told(
    right: Sequence[tuple[Vote, bool]], print_of: Callable[[str], str], way: Way, guessing: float = 0.5
) -> tuple[str, dict[str, Any] | None]:
    """Say what the looks show of the change, apart from the very prints that were looked at.

    Parameters
    ----------
    right : sequence of (Vote, bool)
        Looks that decide, and whether each was right, or for the arm that is preferred.
    print_of : callable
        Print of what lay there; empty where nobody tells it.
    way : Way
        What pairs of prints can have in common.
    guessing : float
        Share that guessing gets right.

    Returns
    -------
    (str, dict or None)
        A sentence, and how many pairs of prints there are, how many of them share no print, how many of those
        point the same way, and how often luck does that; None where the prints are not told.
    """
    looks = _by_pair(right, print_of)
    if not looks or any(one == other for one, other in looks):
        return shown(UNKNOWN), None
    apart = _sharing_none(looks)
    above = [sum(looks[pair]) / len(looks[pair]) - guessing for pair in apart]
    same = sum(share > FINE for share in above)
    # A pair of prints that points neither way says nothing, as in any sign test.
    p = None if way is Way.NONE else _luck(same, sum(abs(share) > FINE for share in above), way)
    figures = {"pairs": len(looks), "apart": len(apart), "same_way": same, **_chance(p)}
    if len(looks) == 1:
        return (
            tr(_ONE_PAIR),
            figures,
        )
    pairs = tr("{looks} pairs of prints", looks=len(looks))
    if len(apart) < len(looks):
        pairs = tr("the {apart} that share no print, out of {pairs},", apart=len(apart), pairs=pairs)
    if p is None:
        return (
            tr(
                "{same} of {pairs} were told apart more often than by guessing. Any two "
                "prints may differ a little: whether the change does it needs the question "
                "which is the change, or which is better.",
                same=same, pairs=pairs,
            ),
            figures,
        )  # fmt: skip
    return tr(
        "{same} of {pairs} point the same way (luck: {once_in}): {change_words}.",
        same=same, pairs=pairs, once_in=once_in(p), change_words=_change_words(p),
    ), figures  # fmt: skip


def _by_pair(
    looks: Iterable[tuple[Vote, bool]], print_of: Callable[[str], str]
) -> dict[tuple[str, str], list[bool]]:
    """Gather what was said of each pair of prints, either way round; nothing where a print is not told."""
    found: dict[tuple[str, str], list[bool]] = {}
    for vote, said in looks:
        one, other = sorted((print_of(vote.left), print_of(vote.right)))
        if not one:
            return {}
        found.setdefault((one, other), []).append(said)
    return found


def _chance(p: float | None) -> dict[str, Any]:
    return {"chance": p, "shown": p is not None and p <= LEVEL}


def _change_words(p: float | None) -> str:
    if p is not None and p <= LEVEL:
        return tr("the change itself does so")
    return tr("whether the change itself does so is open")


def _sharing_none(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Choose pairs that share no print, whatever was answered: of three by three prints they are three."""
    found: list[tuple[str, str]] = []
    every = list(pairs)
    often = Counter(name for pair in every for name in pair)
    # Prints of few pairs first, so that the prints of many are left for others.
    for pair in sorted(every, key=lambda pair: (often[pair[0]] + often[pair[1]], pair)):
        if not any(name in chosen for chosen in found for name in pair):
            found.append(pair)
    return found


def _luck(same: int, of: int, way: Way) -> float:
    """Chance that so many pairs point the same way; either way, where the looks chose it."""
    from scipy.special import bdtrc

    p = float(bdtrc(same - 1, of, 0.5)) if same else 1.0
    return min(1.0, 2 * p) if way is Way.FOUND else p


def alike_told(
    odd: Sequence[tuple[Vote, bool]], twins: Sequence[tuple[Vote, bool]], print_of: Callable[[str], str]
) -> tuple[str, dict[str, Any] | None]:
    """Say what “different” of odd and of twin pairs shows of the change, apart from these very prints.

    Parameters
    ----------
    odd, twins : sequence of (Vote, bool)
        Looks at odd and at twin pairs, and whether each was called different.
    print_of : callable
        Print of what lay there; empty where nobody tells it.

    Returns
    -------
    (str, dict or None)
        A sentence, and how many odd and twin pairs there are that share no print and how often luck makes as
        much of a difference between them (rank sum, exact); None where the prints are not told.
    """
    from scipy.stats import rankdata

    of_odd, of_twins = _by_pair(odd, print_of), _by_pair(twins, print_of)
    if (odd and not of_odd) or (twins and not of_twins) or of_odd.keys() & of_twins.keys():
        return shown(UNKNOWN), None
    said = of_odd | of_twins
    # A print beside itself is no twin: it tells of the eyes, and nothing of how far prints differ.
    apart = _sharing_none([pair for pair in said if pair[0] != pair[1]])
    kinds = ["odd" if pair in of_odd else "twin" for pair in apart]
    counts = {"odd_pairs": kinds.count("odd"), "twin_pairs": kinds.count("twin")}
    # Doubled mid-ranks are whole numbers.
    ranks = (2 * rankdata([sum(said[pair]) / len(said[pair]) for pair in apart])).astype(int).tolist()
    p = labelling_tail(kinds, [{"odd": rank} for rank in ranks]) if all(counts.values()) else None
    pairs = tr("{odd_pairs} odd and {twin_pairs} twin pairs of prints that share no print").format(**counts)
    luck = (
        tr("There were {pairs}", pairs=pairs)
        if p is None
        else tr("Over {pairs} luck does as much {once_in}", pairs=pairs, once_in=once_in(p))
    )
    return f"{luck}: {_change_words(p)}.", {**counts, **_chance(p)}


def sorted_told(votes: Sequence[tuple[str, str, str]]) -> tuple[str, dict[str, Any] | None]:
    """Say what prints that were sorted back show of the change, apart from these very prints.

    Parameters
    ----------
    votes : sequence of (str, str, str)
        Print (empty where nobody tells it), its arm, and the arm that it was sorted to.

    Returns
    -------
    (str, dict or None)
        A sentence, and how many prints there are and how often luck shares them out as well; None where the
        prints are not told.
    """
    arm_of: dict[str, str] = {}
    said: dict[str, Counter[str]] = {}
    for name, arm, answer in votes:
        # A letter that is dealt anew in each sitting is no print.
        if not name or arm_of.setdefault(name, arm) != arm:
            return shown(UNKNOWN), None
        said.setdefault(name, Counter())[answer] += 1
    p = labelling_tail(list(arm_of.values()), list(said.values()))
    figures = {"prints": len(said), **_chance(p)}
    if p is None:
        return tr("There are too many ways to share these prints out to count what luck does."), figures
    return (
        tr(
            "Were these {said} prints shared out between the arms by luck, as many would "
            "be right {once_in}: {change_words}.",
            said=len(said),
            once_in=once_in(p),
            change_words=_change_words(p),
        ),
        figures,
    )
