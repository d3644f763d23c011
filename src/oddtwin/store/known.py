"""What the studies of a lab book found, as they were settled."""

from __future__ import annotations

from sqlalchemy import Connection, select

from oddtwin.core.known import Found, effects_from
from oddtwin.core.quantities import read_moment
from oddtwin.core.study import DecisionKind
from oddtwin.store.border import telling
from oddtwin.store.schema import STUDY


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
        with telling(f"The study “{row.name}”"):
            at = read_moment(row.decided)
            found += [Found(row.id, row.name, at, effect) for effect in effects_from(row.found)]
    return found
