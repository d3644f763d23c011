"""Answers of judges as a table: one row a look, or a print that was sorted or ranked."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.quantities import QuantityError, parse_number
from oddtwin.core.readings import BLANK, TableError, need_columns, plain_names, table_rows, unguarded

COLUMNS: Final = ("judge", "trial", "left", "right", "odd", "answer", "twin", "repeat")
MOST_VOTES: Final = 200_000


class JudgeDesign(StrEnum):
    """How something is judged by eye."""

    PAIR = "pair"
    TRIANGLE = "triangle"
    DUO_TRIO = "duo-trio"
    SAME = "same"
    SORT = "sort"
    RANK = "rank"
    COMPARE = "compare"
    GRADE = "grade"


class Catch(StrEnum):
    """What a trial is there for."""

    QUESTION = ""
    TWIN = "twin"
    CONTROL = "control"


LEFT, RIGHT, NONE = "left", "right", "none"
SAME, DIFFERENT = "same", "different"
NEEDED: Final[Mapping[JudgeDesign, tuple[str, ...]]] = {
    JudgeDesign.PAIR: ("left", "right", "answer"),
    JudgeDesign.TRIANGLE: ("odd", "answer"),
    JudgeDesign.DUO_TRIO: ("odd", "answer"),
    JudgeDesign.SAME: ("answer",),
    JudgeDesign.SORT: ("left", "answer"),
    JudgeDesign.RANK: ("left", "answer"),
    JudgeDesign.COMPARE: ("left", "right", "answer"),
    JudgeDesign.GRADE: ("left", "answer"),
}
ONE_BY_ONE: Final = (JudgeDesign.SORT, JudgeDesign.RANK, JudgeDesign.GRADE)
"""Designs whose rows are prints, and not looks at two or three of them."""
_SIDES: Final = {
    "l": LEFT,
    "left": LEFT,
    "1": LEFT,
    "first": LEFT,
    "r": RIGHT,
    "right": RIGHT,
    "2": RIGHT,
    "second": RIGHT,
}
TWO: Final = {**_SIDES, LEFT: LEFT, RIGHT: RIGHT}
THREE: Final = {
    **dict.fromkeys(("l", "left", "1", "first"), LEFT),
    **dict.fromkeys(("m", "middle", "centre", "center", "2", "second"), "middle"),
    **dict.fromkeys(("r", "right", "3", "third"), RIGHT),
}
_NONE: Final = frozenset(
    {"none", "same", "no difference", "cannot tell", "can't tell", "tie", "neither", "=", "0", "n", "-"}
)
_SAME: Final = frozenset({"same", "s", "no", "equal", "twins", "=", "0"})
_DIFFERENT: Final = frozenset({"different", "d", "yes", "odd", "differ", "differs", "1"})
_TWIN: Final = {
    **dict.fromkeys(("", "0", "no", "false", "n"), Catch.QUESTION),
    **dict.fromkeys(("1", "yes", "true", "y", "x", "twin", "twins"), Catch.TWIN),
    **dict.fromkeys(("control", "positive", "positive control"), Catch.CONTROL),
}


@dataclass(frozen=True, slots=True)
class Vote:
    """One answer.

    Parameters
    ----------
    line : int
        Of the file.
    judge, trial : str
    left, right : str
        What lay there: a letter, a print or an arm.
    odd : str
        The right answer, where there is one.
    answer : str
        In the words of the design: a side or none, a letter, same or different, an arm, or a number.
    catch : Catch
        Whether it was a question, a twin pair or a positive control.
    repeat : str
        Looks of a judge with the same mark are the same trial again.
    """

    line: int
    judge: str
    trial: str
    left: str
    right: str
    odd: str
    answer: str
    catch: Catch = Catch.QUESTION
    repeat: str = ""

    @property
    def number(self) -> float:
        """The answer as a number: a rank, or a comparative grade."""
        return 0.0 if self.answer == NONE else float(self.answer)


@dataclass(frozen=True, slots=True)
class SetApart:
    """A row that is not counted: its line, and why."""

    line: int
    reason: str


def read_votes(text: str, design: JudgeDesign) -> tuple[list[Vote], list[SetApart]]:
    """Read the answers of judges.

    Parameters
    ----------
    text : str
        A header and one row an answer; separated by comma, semicolon or tab. Other columns than
        ``COLUMNS`` are passed over.
    design : JudgeDesign
        What was asked.

    Returns
    -------
    (list of Vote, list of SetApart)
        What counts, and rows that cannot be understood or come twice.

    Raises
    ------
    TableError
        The header lacks a column, or there is no answer at all.
    """
    votes: list[Vote] = []
    apart: list[SetApart] = []
    seen: dict[tuple[str, ...], int] = {}
    for line, row in _filled(text, design):
        # Hundreds of answers come from many hands: one that cannot be read is counted, and spoils no other.
        try:
            vote = _vote(row, line, design)
        except ValueError as error:
            apart.append(SetApart(line, str(error)))
            continue
        same = _once(vote, design)
        if same and same in seen:
            apart.append(SetApart(line, tr("it answers again what line {seen} answers", seen=seen[same])))
            continue
        if same:
            seen[same] = line
        votes.append(vote)
    if not votes:
        first = tr(" (line {line}: {reason})", line=apart[0].line, reason=apart[0].reason) if apart else ""
        raise TableError(tr("there is no answer that can be counted{first}", first=first), 1)
    return votes, apart


def _filled(text: str, design: JudgeDesign) -> Iterator[tuple[int, dict[str, str]]]:
    """Yield line and cells of every row that is not empty."""
    rows = table_rows(text)
    header_line, header = next(rows, (1, []))
    names = plain_names(header)
    need_columns(NEEDED[design], names, header_line)
    places: dict[str, int] = {name: names.index(name) for name in COLUMNS if name in names}
    for line, cells in rows:
        if line > MOST_VOTES:
            raise TableError(
                tr("there are more than {MOST_VOTES} rows; give a part of them", MOST_VOTES=MOST_VOTES), line
            )
        if any(cell.strip() for cell in cells):
            yield (
                line,
                {
                    name: unguarded(cells[place].strip(BLANK)) if place < len(cells) else ""
                    for name, place in places.items()
                },
            )


def _once(vote: Vote, design: JudgeDesign) -> tuple[str, ...]:
    """What a judge can answer only once; nothing where the trials are not told apart."""
    if not vote.trial or not vote.judge:
        return ()
    if design in ONE_BY_ONE:
        return (vote.judge, vote.trial, vote.left)
    return (vote.judge, vote.trial)


def _vote(row: Mapping[str, str], line: int, design: JudgeDesign) -> Vote:
    twin = row.get("twin", "").casefold()
    if twin not in _TWIN:
        raise ValueError(
            tr("“{row}” says not whether it was a twin pair; write yes, no or control", row=row["twin"])
        )
    left, right, odd, raw = (row.get(name, "") for name in ("left", "right", "odd", "answer"))
    for name in NEEDED[design]:
        if not row.get(name) and not (name == "odd" and twin not in ("", "0", "no", "false", "n")):
            raise ValueError(tr("its {name} is empty", name=name))
    if design is JudgeDesign.PAIR:
        odd, answer = (side_of(one, left, right, empty=True) for one in (odd, raw))
    elif design in (JudgeDesign.TRIANGLE, JudgeDesign.DUO_TRIO):
        places = THREE if design is JudgeDesign.TRIANGLE else TWO
        odd, answer = (_place(one, left, right, places) for one in (odd, raw))
    elif design is JudgeDesign.SAME:
        answer = _same(raw)
    elif design is JudgeDesign.SORT:
        answer = raw
    else:
        answer = _number(raw, design)
    catch = _TWIN[twin]
    if design is JudgeDesign.SAME and odd and catch is Catch.QUESTION:
        # The right answer may be told as such.
        catch = Catch.TWIN if _same(odd) == SAME else catch
    return Vote(
        line,
        row.get("judge", ""),
        row.get("trial", ""),
        left,
        right,
        odd,
        answer,
        catch,
        row.get("repeat", ""),
    )


def side_of(text: str, left: str, right: str, *, empty: bool) -> str:
    """Return the side that an answer names: by its word, or by what lay there."""
    plain = text.casefold()
    if not plain and empty:
        return ""
    if left != right:
        # What lay there may itself be called 1 or 2.
        for side, there in ((LEFT, left), (RIGHT, right)):
            if plain == there.casefold():
                return side
    if plain in _SIDES:
        return _SIDES[plain]
    if plain in _NONE:
        return NONE
    raise ValueError(tr("“{text}” is neither left, right nor none, and did not lie there", text=text))


def _place(text: str, left: str, right: str, places: Mapping[str, str]) -> str:
    """Return the place that an answer names, or the letter that lay there."""
    plain = text.casefold()
    if plain in _NONE - {"n"}:
        return NONE
    if (
        left
        and right
        and plain in (left.casefold(), right.casefold())
        and left.casefold() != right.casefold()
    ):
        return LEFT if plain == left.casefold() else RIGHT
    return places.get(plain, plain)


def _same(text: str) -> str:
    plain = text.casefold()
    if plain in _SAME:
        return SAME
    if plain in _DIFFERENT:
        return DIFFERENT
    raise ValueError(tr("“{text}” is neither same nor different", text=text))


def _number(text: str, design: JudgeDesign) -> str:
    if design is JudgeDesign.COMPARE and text.casefold() in _NONE:
        return NONE
    try:
        value = parse_number(text.replace("−", "-"))
    except QuantityError:
        raise ValueError(tr("“{text}” is no number", text=text)) from None
    if design is JudgeDesign.COMPARE and value not in (-2, -1, 0, 1, 2):
        raise ValueError(tr("“{text}” is no grade from −2 to +2", text=text))
    if design is JudgeDesign.GRADE and value not in (0, 1, 2, 3, 4):
        raise ValueError(tr("“{text}” is no grade from 0 to 4", text=text))
    return f"{value:g}"


def judges_of(votes: Sequence[Vote]) -> dict[str, list[Vote]]:
    """Return the votes of every judge, in the order in which they come."""
    found: dict[str, list[Vote]] = {}
    for vote in votes:
        found.setdefault(vote.judge, []).append(vote)
    return found
