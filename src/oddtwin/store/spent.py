"""What prints took, of all studies: summed by the lab book, so that no study needs to be read for it."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Final

from sqlalchemy import Connection, Select, and_, case, func, select

from oddtwin.core.quantities import UNITS, write_moment
from oddtwin.core.study import Role, Spent, Spool, grams_left
from oddtwin.store.schema import BLOCK, ESTIMATE, PIECE, PLATE, READING, RESPONSE, RUN

_DAY_MIN: Final = 1440.0


def load_spent(
    connection: Connection, *, since: datetime | None = None, spool: str = "", machine_id: int | None = None
) -> list[Spent]:
    """Sum what prints took by machine and spool, set aside or not: what lies on the floor was printed too.

    Parameters
    ----------
    connection : Connection
        For reading.
    since : datetime, optional
        Only prints that were started then or later.
    spool : str
        Only of this spool.
    machine_id : int, optional
        Only on this machine.
    """
    # What differs by machine inside a block stands with the run.
    machine = func.coalesce(RUN.c.machine_id, BLOCK.c.machine_id)
    began = func.julianday(PLATE.c.started)
    query = (
        select(
            RUN.c.id,
            RUN.c.spool,
            machine.label("machine_id"),
            BLOCK.c.piece_id,
            # A clock that was set back makes no hours that never were.
            func.max(0.0, func.coalesce(func.julianday(PLATE.c.finished) - began, 0.0)).label("days"),
            # The nozzle was used as long as the plate took, not once for every piece on it.
            _together(),
        )
        .join(PLATE, PLATE.c.id == RUN.c.plate_id)
        .join(BLOCK, BLOCK.c.id == RUN.c.block_id)
        .where(PLATE.c.started != "")
    )
    if since is not None:
        # Moments are texts with an offset of their own: as texts they do not compare.
        query = query.where(began >= func.julianday(write_moment(since)))
    if spool:
        query = query.where(RUN.c.spool == spool)
    if machine_id is not None:
        query = query.where(machine == machine_id)
    return [Spent(**row) for row in connection.execute(_summed(query)).mappings()]


def left_on(connection: Connection, spool: Spool) -> float | None:
    """Return the grams left on a spool after the prints since it was weighed; None where it never was."""
    if spool.weighed is None:
        return spool.left_g
    return grams_left(spool, load_spent(connection, since=spool.weighed, spool=spool.name))


def _together() -> Any:
    """Count the pieces on the plate of a run."""
    other = RUN.alias("other")
    count = select(func.count()).where(other.c.plate_id == RUN.c.plate_id)
    return count.correlate(RUN).scalar_subquery().label("together")


def _summed(runs: Select[Any]) -> Select[Any]:
    """Sum runs by machine and spool: weighed where their part was, else what the piece should take."""
    one = runs.cte("one")
    weighed = _weighed(select(one.c.id)).cte("weighed")
    usual = func.coalesce(ESTIMATE.c.part_g + ESTIMATE.c.waste_g, PIECE.c.part_g + PIECE.c.waste_g, 0.0)
    grams = case((weighed.c.parts > 0, weighed.c.grams), else_=usual)
    here = and_(ESTIMATE.c.piece_id == one.c.piece_id, ESTIMATE.c.machine_id == one.c.machine_id)
    return (
        select(
            one.c.machine_id,
            one.c.spool,
            func.count().label("prints"),
            func.sum(_DAY_MIN * one.c.days / one.c.together).label("minutes"),
            func.sum(grams).label("grams"),
        )
        .outerjoin(weighed, weighed.c.run_id == one.c.id)
        .outerjoin(PIECE, PIECE.c.id == one.c.piece_id)
        .outerjoin(ESTIMATE, here)
        .group_by(one.c.machine_id, one.c.spool)
    )


def _weighed(runs: Select[Any]) -> Select[Any]:
    """Sum the grams of part and waste of each run, and count the readings of its part."""
    # What was weighed twice weighs no more for it.
    mean = (
        select(READING.c.run_id, RESPONSE.c.role, RESPONSE.c.unit, func.avg(READING.c.value).label("mean"))
        .join(RESPONSE, RESPONSE.c.id == READING.c.response_id)
        .where(RESPONSE.c.role.in_([Role.PART.value, Role.WASTE.value]), RESPONSE.c.unit.in_(UNITS["mass"]))
        .where(READING.c.run_id.in_(runs))
        .group_by(READING.c.run_id, READING.c.response_id, READING.c.zone, READING.c.waste)
        .subquery("mean")
    )
    grams = case(*((mean.c.unit == unit, factor) for unit, factor in UNITS["mass"].items()), else_=0.0)
    return select(
        mean.c.run_id,
        func.sum(mean.c.mean * grams).label("grams"),
        func.sum(case((mean.c.role == Role.PART.value, 1), else_=0)).label("parts"),
    ).group_by(mean.c.run_id)
