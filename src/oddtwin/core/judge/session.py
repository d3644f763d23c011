"""A session of blind judging: what is asked, and which prints each judge is shown in which order.

Order and sides are drawn from a seed and balanced; which letter stands for which print is drawn apart, so
that nobody who knows the seed can tell a letter's arm.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, cycle, islice, pairwise
from typing import Final, NamedTuple

import numpy as np

from oddtwin.core.judge.asking import ASKING, SessionDesign
from oddtwin.core.judge.ballot import letter_at
from oddtwin.core.judge.votes import LEFT, RIGHT, Catch, JudgeDesign
from oddtwin.core.language import tr

MOST_PAIRS: Final = 60
"""More pairs of prints than this are not shown to anybody in one session."""
MOST_JUDGES: Final = 50
AUDIENCE: Final = ""
"""Judge of the trials that a ballot asks everybody; the trials of each voter are added as votes come in."""
CATCHES: Final = 3
"""One twin pair is mixed in for so many questions."""


BY_BALLOT: Final = (SessionDesign.BETTER, SessionDesign.CHANGE)


class Sample(NamedTuple):
    """A print that can be shown: its code, arm, and block (empty where prints are not paired)."""

    code: str
    arm: str
    block: str = ""


@dataclass(frozen=True, slots=True)
class SessionTrial:
    """One trial of one judge.

    Parameters
    ----------
    judge : str
    number : int
        From 1, in the order in which it is shown.
    letters : tuple of str
        From left to right.
    odd : str
        The right answer, where there is one.
    catch : str
        Empty for a question; otherwise a twin pair or a positive control.
    repeat : str
        Trials of a judge with the same mark show the same prints again.
    """

    judge: str
    number: int
    letters: tuple[str, ...]
    odd: str = ""
    catch: str = ""
    repeat: str = ""


class Wish(NamedTuple):
    """What a session is to be like."""

    design: SessionDesign
    judges: tuple[str, ...]
    repeats: int = 1
    twins: bool = True
    controls: int = 0


class _Planned(NamedTuple):
    """Prints of one trial, the odd one last, before sides are drawn."""

    codes: tuple[str, ...]
    catch: str = ""
    repeat: str = ""
    swapped: bool = False


def draw_letters(codes: Sequence[str], secret: np.random.Generator) -> dict[str, str]:
    """Return a letter for every print, by its code.

    Parameters
    ----------
    codes : sequence of str
        Each once.
    secret : numpy.random.Generator
        Not that of the order: who knows the one must not know the other.
    """
    places = secret.permutation(len(codes)).tolist()
    return {code: letter_at(place) for code, place in zip(codes, places, strict=True)}


def draw_trials(
    samples: Sequence[Sample], baseline: str, wish: Wish, letters: Mapping[str, str], rng: np.random.Generator
) -> tuple[SessionTrial, ...]:
    """Draw the trials of every judge.

    Parameters
    ----------
    samples : sequence of Sample
        Prints that can be shown, each once.
    baseline : str
        Name of the arm that the others are compared with.
    wish : Wish
        Design, judges, how often each question comes, whether twins are mixed in, and how many pairs of
        positive controls there are: prints with codes ``control 1a`` (with the fault) and ``control 1b``.
    letters : mapping of str to str
        Of every print and control, by code.
    rng : numpy.random.Generator
        Of order and sides.

    Returns
    -------
    tuple of SessionTrial
        Judge by judge in the order in which they are shown. Every judge sees the change as often left as
        right, as near as can be.

    Raises
    ------
    ValueError
        The prints do not suffice for the design, or there are too many of something; a sentence.
    """
    _refuse(samples, baseline, wish)
    found: list[SessionTrial] = []
    for judge in wish.judges:
        # Each judge has an order of their own: what tires eyes, or trains them, then falls on other trials.
        planned = _planned(samples, baseline, wish, rng)
        for number, one in enumerate(_ordered(planned, rng), 1):
            found.append(_placed(one, judge, number, wish, letters, rng))
    return _balanced(found, wish, rng)


def _refuse(samples: Sequence[Sample], baseline: str, wish: Wish) -> None:
    if wish.judges == (AUDIENCE,):
        if wish.design not in BY_BALLOT:
            raise ValueError(
                tr(
                    "A ballot asks which is better, or which is the change; for anything else "
                    "name who judges."
                )
            )
    elif not wish.judges or any(not judge.strip() for judge in wish.judges):
        raise ValueError(tr("Name who judges."))
    if len(set(wish.judges)) < len(wish.judges):
        raise ValueError(tr("A judge is named twice; give each a name of their own."))
    if wish.repeats > 1 and ASKING[wish.design].judged in (JudgeDesign.SORT, JudgeDesign.RANK):
        raise ValueError(
            tr("Prints are sorted and ranked once, all together; begin another session to repeat it.")
        )
    if wish.controls and ASKING[wish.design].shown != 2:
        raise ValueError(
            tr("Controls are shown side by side with a sound face; this design does not show two.")
        )
    if len(wish.judges) > MOST_JUDGES:
        raise ValueError(
            tr(
                "A session has at most {MOST_JUDGES} judges; a ballot has room for more.",
                MOST_JUDGES=MOST_JUDGES,
            )
        )
    old = [one for one in samples if one.arm == baseline]
    if not old or len(old) == len(samples):
        raise ValueError(
            tr("There must be a print of the baseline and one of the change to show; make them first.")
        )
    if wish.design in (SessionDesign.TRIANGLE, SessionDesign.DUO_TRIO) and not _twins(samples):
        raise ValueError(
            tr("This design shows two twins beside another print: print the baseline twice first.")
        )
    if wish.design is SessionDesign.SAME and not _twins(samples):
        raise ValueError(
            tr("“Same or different” needs twins to be shown as well: print the baseline twice first.")
        )


def _questions(samples: Sequence[Sample], baseline: str, rng: np.random.Generator) -> list[tuple[str, str]]:
    """Pairs of baseline and change: those of one block, or each print with one of the other arm."""
    old = [one for one in samples if one.arm == baseline]
    new = [one for one in samples if one.arm != baseline]
    # Inside a block nothing else differs, neither machine nor day; across blocks the pair says less.
    inside = [(a.code, b.code) for a in old for b in new if a.block and a.block == b.block]
    if not inside:
        # Each print is shown, and no print carries much more than another.
        first, second = ([some[at] for at in rng.permutation(len(some))] for some in (old, new))
        most = max(len(first), len(second))
        inside = [(a.code, b.code) for a, b in islice(zip(cycle(first), cycle(second), strict=False), most)]
    if len(inside) > MOST_PAIRS:
        raise ValueError(
            tr(
                "There are {inside} pairs to show; choose at most {MOST_PAIRS} by taking fewer prints.",
                inside=len(inside),
                MOST_PAIRS=MOST_PAIRS,
            )
        )
    return list(dict.fromkeys(inside))


def _twins(samples: Sequence[Sample]) -> list[tuple[str, str]]:
    """Pairs of two prints of one arm; of one block first, for nothing else differs between them."""
    found = [(a, b) for a, b in combinations(samples, 2) if a.arm == b.arm]
    # A stable sort: twins of one block first, in the order of the prints.
    found.sort(key=lambda pair: not (pair[0].block and pair[0].block == pair[1].block))
    return [(a.code, b.code) for a, b in found]


def _planned(
    samples: Sequence[Sample], baseline: str, wish: Wish, rng: np.random.Generator
) -> list[_Planned]:
    if ASKING[wish.design].shown == 1:
        times = 1 if wish.design in (SessionDesign.SORT, SessionDesign.RANK) else wish.repeats
        codes = [one.code for one in samples]
        return [_Planned((code,), repeat=code if times > 1 else "") for _ in range(times) for code in codes]
    questions, twins = _questions(samples, baseline, rng), _twins(samples)
    # The odd one stands last everywhere until sides are drawn, for all trials of a judge together.
    three = ASKING[wish.design].shown == 3
    shown: list[tuple[str, ...]] = [*_threes(samples, questions)] if three else [*questions]
    asked = [
        _Planned(codes, repeat="+".join(codes) if wish.repeats > 1 else "", swapped=bool(time % 2))
        for time in range(wish.repeats)
        for codes in shown
    ]
    catches: list[_Planned] = []
    if wish.design is SessionDesign.SAME:
        # Half of the trials: otherwise “different” would be the better guess.
        catches = [_Planned(codes, Catch.TWIN) for codes in islice(cycle(twins), len(asked))]
    elif ASKING[wish.design].shown == 2 and wish.twins and twins:
        catches = [
            _Planned(codes, Catch.TWIN) for codes in islice(cycle(twins), max(1, len(asked) // CATCHES))
        ]
    return asked + catches + _controls(wish)


def _controls(wish: Wish) -> list[_Planned]:
    if ASKING[wish.design].shown != 2:
        return []
    return [
        _Planned(
            (tr("control {number}b", number=number), tr("control {number}a", number=number)), Catch.CONTROL
        )
        for number in range(1, wish.controls + 1)
    ]


def _threes(samples: Sequence[Sample], pairs: Sequence[tuple[str, str]]) -> Iterator[tuple[str, str, str]]:
    """Two twins and one odd one, of every question for which there is a twin."""
    arm = {one.code: one.arm for one in samples}
    for number, pair in enumerate(pairs):
        # In turn, so that the odd one is as often a baseline.
        for odd, like in (pair, pair[::-1]) if number % 2 else (pair[::-1], pair):
            twin = next((code for code in arm if arm[code] == arm[like] and code != like), None)
            if twin is not None:
                yield like, twin, odd
                break


def _ordered(planned: Sequence[_Planned], rng: np.random.Generator) -> list[_Planned]:
    """Shuffle, so that the same prints do not come twice in a row where that can be."""
    # Of few pairs there may be no order without neighbours; after twenty tries the best is taken.
    best: list[_Planned] = []
    fewest = len(planned) + 1
    for _ in range(20):
        order = [planned[at] for at in rng.permutation(len(planned))]
        again = sum(set(a.codes) == set(b.codes) for a, b in pairwise(order))
        if again < fewest:
            best, fewest = order, again
        if not again:
            break
    return best


def _placed(
    one: _Planned, judge: str, number: int, wish: Wish, letters: Mapping[str, str], rng: np.random.Generator
) -> SessionTrial:
    shown = [letters[code] for code in one.codes]
    odd = ""
    if len(shown) == 3:
        places = (0, 1, 2) if wish.design is SessionDesign.TRIANGLE else (1, 2)
        at = int(rng.choice(places))
        last = shown.pop()
        shown.insert(at, last)
        words = (LEFT, "middle", RIGHT) if wish.design is SessionDesign.TRIANGLE else ("", LEFT, RIGHT)
        odd = words[at]
    return SessionTrial(judge, number, tuple(shown), odd, str(one.catch), one.repeat)


def _balanced(
    trials: Sequence[SessionTrial], wish: Wish, rng: np.random.Generator
) -> tuple[SessionTrial, ...]:
    """Draw the sides: to each judge what is asked for stands left as often as right, as near as can be."""
    if ASKING[wish.design].shown != 2:
        return tuple(trials)
    found: list[SessionTrial] = []
    turns: dict[tuple[str, str], Iterator[bool]] = {}
    seen: dict[tuple[str, str], tuple[str, ...]] = {}
    for trial in trials:
        key = trial.judge, trial.catch
        if key not in turns:
            turns[key] = _turns(sum((one.judge, one.catch) == key for one in trials), rng)
        before = seen.get((trial.judge, trial.repeat)) if trial.repeat else None
        if before is None:
            shown = trial.letters[::-1] if next(turns[key]) else trial.letters
        else:
            # Shown again, the sides are the other way round: a liking for one side cannot pass for a liking.
            shown = before[::-1]
        if trial.repeat:
            seen[trial.judge, trial.repeat] = shown
        found.append(replace(trial, letters=shown, odd=_right(trial, shown, wish.design)))
    return tuple(found)


def _turns(count: int, rng: np.random.Generator) -> Iterator[bool]:
    """Yield which trials are turned round: one of every two that follow one another."""
    # Blocks of two: balanced at every moment, also where a judge leaves before the end.
    for _ in range(0, count, 2):
        first = bool(rng.integers(2))
        yield first
        yield not first


def _right(trial: SessionTrial, shown: Sequence[str], design: SessionDesign) -> str:
    """Return the right answer; of a better one, asked of a control, the sound one."""
    last = LEFT if shown[0] == trial.letters[-1] else RIGHT
    if trial.catch == Catch.CONTROL and design is not SessionDesign.CHANGE:
        return RIGHT if last == LEFT else LEFT
    return last if design is SessionDesign.CHANGE and trial.catch != Catch.TWIN else ""
