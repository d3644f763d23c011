"""What lay where once the key is opened, and plain values for figures."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from oddtwin.core.judge.key import Lettered
from oddtwin.core.judge.votes import LEFT, RIGHT, Catch, Vote
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list


class Opened:
    """What lay where, by arm and by print.

    Parameters
    ----------
    votes : sequence of Vote
        All of them.
    letters : mapping of str to Lettered or None
        The opened key.

    Raises
    ------
    ValueError
        The key lacks a letter.
    """

    def __init__(self, votes: Sequence[Vote], letters: Mapping[str, Lettered] | None) -> None:
        self._letters = letters
        if letters is not None:
            there = {text for vote in votes for text in (vote.left, vote.right) if text}
            missing = sorted(there - letters.keys())
            if missing:
                raise ValueError(tr("the key has no letter {missing}", missing=format_list(missing[:5])))

    def arm(self, text: str) -> str:
        """Arm of a letter; without a key the text is the arm."""
        return self._letters[text].arm if self._letters is not None and text in self._letters else text

    def print_of(self, text: str) -> str:
        """Print of a letter; empty where nobody tells it."""
        return self._letters[text].print if self._letters is not None and text in self._letters else ""

    def marked(self, vote: Vote) -> Vote:
        """Return a vote marked as of a twin pair where the same arm lay on both sides."""
        alike = bool(vote.left and vote.right) and self.arm(vote.left) == self.arm(vote.right)
        return replace(vote, catch=Catch.TWIN) if alike and vote.catch is Catch.QUESTION else vote

    def chosen(self, vote: Vote) -> str:
        """What an answer means, whichever way round the prints lay."""
        if vote.answer in (LEFT, RIGHT) and vote.left and vote.right:
            return vote.left if vote.answer == LEFT else vote.right
        return vote.answer


Told = tuple[list[str], dict[str, Any]]
"""Sentences, the finding first, and figures as plain values."""


def finite(value: float | None) -> float | None:
    """Return a number for JSON, which knows no infinity; None where there is none."""
    return value if value is not None and math.isfinite(value) else None
