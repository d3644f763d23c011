"""What the studies of a lab book found, as they were settled."""

from __future__ import annotations

from sqlalchemy import Connection, func, select

from oddtwin.core.known import Found, TwinsSeen, effects_from
from oddtwin.core.language import tr
from oddtwin.core.quantities import read_moment
from oddtwin.core.study import DecisionKind
from oddtwin.store.border import telling
from oddtwin.store.schema import MACHINE, NOISE, PIECE, PLATE, READING, RESPONSE, RUN, STUDY


def load_known(connection: Connection) -> list[Found]:
    """Read the effects that settled studies found, oldest first.

    Parameters
    ----------
    connection : Connection
        For reading.

    Raises
    ------
    StoreError
        What was kept of a study cannot be; the sentence names it.
    """
    settled = [kind.value for kind in DecisionKind if kind.settles]
    query = (
        select(STUDY.c.id, STUDY.c.name, STUDY.c.decided, STUDY.c.found)
        .where(STUDY.c.decision.in_(settled))
        .order_by(STUDY.c.id)
    )
    found = []
    for row in connection.execute(query):
        with telling(tr("The study “{row}”", row=row.name)):
            at = read_moment(row.decided)
            found += [Found(row.id, row.name, at, effect) for effect in effects_from(row.found)]
    return found


def load_twins(connection: Connection) -> list[TwinsSeen]:
    """Read what the twins of all studies of a lab book differ.

    Parameters
    ----------
    connection : Connection
        For reading.
    """
    # When the last print of a study began; one that was never stamped is as old as the study.
    begun = (
        select(func.max(PLATE.c.started))
        .join(RUN, RUN.c.plate_id == PLATE.c.id)
        .where(RUN.c.study_id == NOISE.c.study_id)
        .scalar_subquery()
    )
    query = (
        select(RESPONSE.c.name, RESPONSE.c.unit, STUDY.c.name.label("study"), STUDY.c.created)
        .add_columns(NOISE.c.squares, NOISE.c.df, begun.label("begun"))
        .add_columns(MACHINE.c.name.label("machine"), PIECE.c.name.label("piece"), RESPONSE.c.id)
        .select_from(NOISE)
        .join(RESPONSE, RESPONSE.c.id == NOISE.c.response_id)
        .join(STUDY, STUDY.c.id == NOISE.c.study_id)
        .outerjoin(MACHINE, MACHINE.c.id == NOISE.c.machine_id)
        .outerjoin(PIECE, PIECE.c.id == NOISE.c.piece_id)
    )
    with_what = _instruments(connection)
    return [
        TwinsSeen(
            row.name,
            row.unit,
            row.machine or "",
            row.piece or "",
            tr(" and ").join(with_what.get(row.id, ())),
            row.study,
            read_moment(row.begun or row.created),
            row.squares,
            row.df,
        )
        for row in connection.execute(query)
    ]


def _instruments(connection: Connection) -> dict[int, list[str]]:
    """Return what the readings of a response were read with, by its id; nothing where nobody said."""
    named = select(READING.c.response_id, READING.c.instrument).where(READING.c.instrument != "").distinct()
    found: dict[int, list[str]] = {}
    for row in connection.execute(named.order_by(READING.c.instrument)):
        found.setdefault(row.response_id, []).append(row.instrument)
    return found
