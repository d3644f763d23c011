"""How a session asks: its designs, what is shown in a trial, and the answers that there are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final, NamedTuple

from oddtwin.core.judge.votes import DIFFERENT, LEFT, NONE, RIGHT, SAME, JudgeDesign
from oddtwin.core.language import mark, tr
from oddtwin.core.readings import GRADES


class SessionDesign(StrEnum):
    """What a judge is asked."""

    BETTER = mark("which is better")
    CHANGE = mark("which is the change")
    COMPARE = mark("how much better")
    SAME = mark("same or different")
    TRIANGLE = mark("odd one of three")
    DUO_TRIO = mark("unlike the first")
    GRADE = mark("grade each by itself")
    SORT = mark("sort back")
    RANK = mark("rank")
    OPEN = mark("open side by side")


class Choice(NamedTuple):
    """One answer: the key that gives it, its value, and its words."""

    key: str
    value: str
    words: str


@dataclass(frozen=True, slots=True)
class Asking:
    """How a design asks.

    Parameters
    ----------
    judged : JudgeDesign
        By which its answers are judged.
    shown : int
        Prints in one trial.
    question : str
        As it is put to the judge.
    choices : tuple of Choice
        None where the answer is typed, or is an arm.
    """

    judged: JudgeDesign
    shown: int
    question: str
    choices: tuple[Choice, ...] = ()


_SIDES: Final = (
    Choice("1", LEFT, "left"),
    Choice("2", RIGHT, "right"),
    Choice("0", NONE, mark("cannot tell")),
)
_DEGREES: Final = (
    Choice("1", "-2", mark("left, much")),
    Choice("2", "-1", mark("left, a little")),
    Choice("3", NONE, mark("cannot tell")),
    Choice("4", "1", mark("right, a little")),
    Choice("5", "2", mark("right, much")),
)
_GRADES: Final = tuple(Choice(str(grade), str(grade), word) for grade, word in enumerate(GRADES))

ASKING: Final[Mapping[SessionDesign, Asking]] = {
    SessionDesign.BETTER: Asking(JudgeDesign.PAIR, 2, mark("Which of the two is better?"), _SIDES),
    SessionDesign.CHANGE: Asking(JudgeDesign.PAIR, 2, mark("Which of the two is the change?"), _SIDES),
    SessionDesign.COMPARE: Asking(
        JudgeDesign.COMPARE, 2, mark("Which of the two is better, and how much?"), _DEGREES
    ),
    SessionDesign.SAME: Asking(
        JudgeDesign.SAME,
        2,
        mark("Are the two alike, as twins are?"),
        (Choice("1", SAME, "same"), Choice("2", DIFFERENT, "different")),
    ),
    SessionDesign.TRIANGLE: Asking(
        JudgeDesign.TRIANGLE,
        3,
        mark("Two of the three are twins. Which is the odd one?"),
        (Choice("1", LEFT, "left"), Choice("2", "middle", "middle"), Choice("3", RIGHT, "right")),
    ),
    SessionDesign.DUO_TRIO: Asking(
        JudgeDesign.DUO_TRIO,
        3,
        mark("One of the two at the right is a twin of the first. Which is not?"),
        (Choice("1", LEFT, "middle"), Choice("2", RIGHT, "right")),
    ),
    SessionDesign.GRADE: Asking(JudgeDesign.GRADE, 1, mark("How bad is the fault?"), _GRADES),
    SessionDesign.SORT: Asking(JudgeDesign.SORT, 1, mark("Which arm does it belong to?")),
    SessionDesign.RANK: Asking(JudgeDesign.RANK, 1, mark("Which place has it, 1 for the best?")),
    SessionDesign.OPEN: Asking(JudgeDesign.PAIR, 2, mark("Which of the two is better?"), _SIDES),
}


def read_answer(design: SessionDesign, text: str, arms: Sequence[str], prints: int) -> str:
    """Return an answer as it is kept.

    Parameters
    ----------
    design : SessionDesign
        What was asked.
    text : str
        A key or words of a choice; an arm's name or number; a rank.
    arms : sequence of str
        That can be sorted to.
    prints : int
        That are ranked.

    Raises
    ------
    ValueError
        It is none of the answers; a sentence.
    """
    plain = text.strip().casefold()
    if design is SessionDesign.SORT:
        names = {str(number): arm for number, arm in enumerate(arms, 1)}
        names |= {arm.casefold(): arm for arm in arms}
        if plain not in names:
            raise ValueError(tr("“{text}” is none of the arms.", text=text))
        return names[plain]
    if design is SessionDesign.RANK:
        if not plain.isdecimal() or not 1 <= int(plain) <= prints:
            raise ValueError(tr("“{text}” is no place from 1 to {prints}.", text=text, prints=prints))
        return str(int(plain))
    for choice in ASKING[design].choices:
        if plain in (choice.key, choice.value, choice.words.casefold()):
            return choice.value
    raise ValueError(tr("“{text}” is no answer here.", text=text))


def is_answer(design: SessionDesign, text: str) -> bool:
    """Return whether a text is an answer as it is kept.

    Parameters
    ----------
    design : SessionDesign
        What was asked.
    text : str
        As ``read_answer`` gives it.
    """
    if design is SessionDesign.RANK:
        return text.isdecimal()
    choices = ASKING[design].choices
    return bool(text) if not choices else any(text == choice.value for choice in choices)
