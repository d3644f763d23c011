"""What a session of judging by eye says: can these eyes tell, which is better, are these eyes reliable."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final

from oddtwin.core.judge.catches import reliability
from oddtwin.core.judge.discrimination import exact_share
from oddtwin.core.judge.key import Lettered
from oddtwin.core.judge.luck import BlindTest
from oddtwin.core.judge.opened import Opened, Told
from oddtwin.core.judge.preferring import compared, graded, preferred, ranked
from oddtwin.core.judge.telling_apart import called_different, sorted_back, told_apart
from oddtwin.core.judge.votes import Catch, JudgeDesign, Vote, judges_of
from oddtwin.core.language import tr

SIDE_BY_SIDE: Final = (JudgeDesign.PAIR, JudgeDesign.SAME, JudgeDesign.COMPARE)


@dataclass(frozen=True, slots=True)
class JudgedSession:
    """What a session says.

    Parameters
    ----------
    sentences : tuple of str
        The finding first.
    figures : mapping
        As plain values for JSON.
    """

    sentences: tuple[str, ...]
    figures: Mapping[str, Any] = field(default_factory=dict)


def judge_session(
    votes: Sequence[Vote], design: JudgeDesign, letters: Mapping[str, Lettered] | None = None
) -> JudgedSession:
    """Judge the answers of a session.

    Parameters
    ----------
    votes : sequence of Vote
        That count.
    design : JudgeDesign
        What was asked.
    letters : mapping of str to Lettered, optional
        The opened key.

    Raises
    ------
    ValueError
        There is no question among the votes, or a letter that the key does not have.
    """
    opened = Opened(votes, letters)
    votes = [opened.marked(vote) for vote in votes] if design in SIDE_BY_SIDE else votes
    # Of “same or different” the twins are half of the question.
    counted = (Catch.QUESTION, Catch.TWIN) if design is JudgeDesign.SAME else (Catch.QUESTION,)
    asked = [vote for vote in votes if vote.catch in counted]
    if not asked:
        raise ValueError(tr("all trials are catches or controls, so nothing was asked"))
    sentences, figures = JUDGED[design](asked, opened)
    trusted = reliability(votes, design, opened.chosen)
    controls = _controls(votes, design)
    shown = [
        sentence for sentence in (*sentences, controls.pop("sentence", ""), *trusted.sentences) if sentence
    ]
    whole = {
        "design": design.value,
        "judges": len(judges_of(votes)),
        "trials": len(asked),
        "sentence": shown[0],
        "sentences": shown,
        **figures,
        "agreement": trusted.agreement,
        "catches": trusted.catches,
        "repeats": trusted.repeats,
        "sides": trusted.sides,
        "controls": controls or None,
    }
    return JudgedSession(tuple(shown), whole)


def _pairs(votes: Sequence[Vote], opened: Opened) -> Told:
    """Pairs: which is the change, where the right answer is known; else which is better."""
    known = [vote for vote in votes if vote.odd]
    if known and len(known) < len(votes):
        raise ValueError(tr("some rows have an odd one and some have none; ask one thing in one table"))
    return told_apart(votes, opened, BlindTest.PAIR) if known else preferred(votes, opened)


JUDGED: Final[Mapping[JudgeDesign, Callable[[Sequence[Vote], Opened], Told]]] = {
    JudgeDesign.PAIR: _pairs,
    JudgeDesign.TRIANGLE: lambda votes, opened: told_apart(votes, opened, BlindTest.TRIANGLE),
    JudgeDesign.DUO_TRIO: lambda votes, opened: told_apart(votes, opened, BlindTest.DUO_TRIO),
    JudgeDesign.SAME: called_different,
    JudgeDesign.SORT: sorted_back,
    JudgeDesign.RANK: ranked,
    JudgeDesign.COMPARE: compared,
    JudgeDesign.GRADE: graded,
}


def _controls(votes: Sequence[Vote], design: JudgeDesign) -> dict[str, Any]:
    """Say how often a difference that is known to be there was seen."""
    shown = [vote for vote in votes if vote.catch is Catch.CONTROL]
    if not shown:
        return {}
    if design is JudgeDesign.SAME:
        seen = sum(vote.answer == "different" for vote in shown)
    elif design in (JudgeDesign.PAIR, JudgeDesign.TRIANGLE, JudgeDesign.DUO_TRIO):
        seen = sum(bool(vote.odd) and vote.answer == vote.odd for vote in shown)
    else:
        return {}
    low, high = exact_share(seen, len(shown), 0.95)
    return {
        "seen": seen,
        "of": len(shown),
        "ci95": [low, high],
        "sentence": tr(
            "The fault that is known to be there was seen in {seen} of {shown} trials.",
            seen=seen,
            shown=len(shown),
        ),
    }
