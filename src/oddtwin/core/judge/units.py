"""Looks and prints: a hundred looks at one pair show what these two prints do, not what the change does."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from oddtwin.core.judge.luck import LEVEL, once_in
from oddtwin.core.judge.votes import Vote


def prints_told(
    right: Sequence[tuple[Vote, bool]], print_of: Callable[[str], str], guessing: float
) -> tuple[str, dict[str, Any] | None]:
    """Say what the looks show of the change, apart from the very prints that were looked at.

    Parameters
    ----------
    right : sequence of (Vote, bool)
        Looks that decide, and whether each was right, or for the arm that is preferred.
    print_of : callable
        Print of what lay there; empty where nobody tells it.
    guessing : float
        Share that guessing gets right.

    Returns
    -------
    (str, dict or None)
        A sentence, and how many pairs of prints there are and how many point the same way; None where
        the prints are not told.
    """
    from scipy.special import bdtrc

    pairs: dict[frozenset[str], list[bool]] = {}
    for vote, is_right in right:
        both = frozenset((print_of(vote.left), print_of(vote.right)))
        if "" in both or len(both) < 2:
            return _unknown(), None
        pairs.setdefault(both, []).append(is_right)
    if not pairs:
        return _unknown(), None
    count = len(pairs)
    shares = [sum(own) / len(own) for own in pairs.values()]
    up = sum(share > guessing + 1e-9 for share in shares)
    # A pair of prints that points neither way says nothing, as in any sign test.
    ties = sum(abs(share - guessing) <= 1e-9 for share in shares)
    p = float(bdtrc(up - 1, count - ties, 0.5)) if up else 1.0
    figures = {"pairs": count, "same_way": up, "chance": p, "shown": p <= LEVEL}
    if count == 1:
        return (
            "All looks were at one pair of prints: they show what these two do. Whether the change does "
            "so needs further prints of each arm.",
            figures,
        )
    shown = "the change itself does so" if p <= LEVEL else "whether the change itself does so is open"
    return f"{up} of {count} pairs of prints point the same way (luck: {once_in(p)}): {shown}.", figures


def _unknown() -> str:
    return (
        "Which prints were looked at is not told, so this says something of those prints and nothing of the "
        "change: give a key with the print of each letter."
    )
