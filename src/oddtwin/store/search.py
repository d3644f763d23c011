"""Looking through a lab book: studies, changes of machines, notes, departures and faults."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import reduce
from typing import Any, Final

from sqlalchemy import ColumnElement, Connection, Select, and_, literal, select, text
from sqlalchemy.sql.expression import ColumnClause

from oddtwin.store.schema import DEVIATION, FACTOR, MACHINE, MACHINE_CHANGE, MARK, RUN, STUDY

MOST_WORDS: Final = 8
SAYS: Final = "(run.note <> '' OR run.set_aside <> '' OR run.failed <> '')"


@dataclass(frozen=True, slots=True)
class Hit:
    """Where something was found.

    Parameters
    ----------
    kind : str
        study, factor, print, departure, fault or change.
    title : str
        Of the study, or of the machine.
    text : str
        What it says there.
    study_id : int or None
        Of the study; None where it is of a machine.
    """

    kind: str
    title: str
    text: str
    study_id: int | None


def search(connection: Connection, words: str, most: int = 60) -> list[Hit]:
    """Return where all of some words stand together, studies first and the newest of each kind first.

    Parameters
    ----------
    connection : Connection
        For reading.
    words : str
        Apart by blanks, in any case; parts of words will do.
    most : int
        How many of each kind at most.
    """
    asked = words.split()[:MOST_WORDS]
    if not asked:
        return []
    # A print whose code and note both hold the words is found once, with what is said of it.
    found: dict[tuple[str, int], Hit] = {}
    for kind, query, columns in _places():
        for key, hit in _hits(connection, kind, query, columns, asked, most):
            found.setdefault((kind, key), hit)
    return list(found.values())


def _places() -> tuple[tuple[str, Select[Any], Sequence[ColumnElement[Any]]], ...]:
    """Return everywhere that a person writes: the kind, study or machine of a row, and its texts."""
    of_study = STUDY.c.id, STUDY.c.name
    return (
        (
            "study",
            select(*of_study),
            (STUDY.c.name, STUDY.c.question, STUDY.c.decision_reason, STUDY.c.condition, STUDY.c.tags),
        ),
        ("factor", select(*of_study).join(FACTOR, FACTOR.c.study_id == STUDY.c.id), (FACTOR.c.name,)),
        (
            "change",
            select(literal(None), MACHINE.c.name).join(
                MACHINE_CHANGE, MACHINE_CHANGE.c.machine_id == MACHINE.c.id
            ),
            (
                MACHINE_CHANGE.c.what,
                MACHINE_CHANGE.c.before,
                MACHINE_CHANGE.c.after,
                MACHINE_CHANGE.c.note,
                MACHINE_CHANGE.c.fitting,
            ),
        ),
        (
            "print",
            # The very condition of the index of the few prints that say something.
            select(*of_study).join(RUN, RUN.c.study_id == STUDY.c.id).where(text(SAYS)),
            (RUN.c.code, RUN.c.note, RUN.c.set_aside, RUN.c.failed),
        ),
        (
            "print",
            # Its code is all that most prints say, and the index holds it: no row is read for it.
            select(*of_study).join(RUN, RUN.c.study_id == STUDY.c.id),
            (RUN.c.code,),
        ),
        (
            "departure",
            select(*of_study)
            .join(RUN, RUN.c.study_id == STUDY.c.id)
            .join(DEVIATION, DEVIATION.c.run_id == RUN.c.id),
            (DEVIATION.c.text,),
        ),
        (
            "fault",
            select(*of_study).join(RUN, RUN.c.study_id == STUDY.c.id).join(MARK, MARK.c.run_id == RUN.c.id),
            (MARK.c.fault, MARK.c.note),
        ),
    )


def _hits(
    connection: Connection,
    kind: str,
    query: Select[Any],
    columns: Sequence[ColumnElement[Any]],
    words: Sequence[str],
    most: int,
) -> Iterator[tuple[int, Hit]]:
    # Every word somewhere in the row: a note and a reason together are what somebody remembers.
    # One text of all columns: a hundred thousand runs are looked through once for each word.
    whole = reduce(lambda text, column: text + " " + column, columns)
    wanted = and_(*(whole.contains(word, autoescape=True) for word in words))
    key = _table_of(columns[0])
    newest = query.add_columns(key.label("key"), *columns).where(wanted).order_by(key.desc()).limit(most)
    for study_id, title, found, *texts in connection.execute(newest):
        yield found, Hit(kind, title, " · ".join(text for text in texts if text), study_id)


def _table_of(column: ColumnElement[Any]) -> ColumnClause[Any]:
    """The id of a column's own table: the newest row has the highest."""
    identity: ColumnClause[Any] = column.table.c.id
    return identity
