"""What prints took, of all studies: summed by the lab book, so that no study needs to be read for it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from datetime import datetime
from typing import Any, Final

from sqlalchemy import Connection, RowMapping, func, select

from oddtwin.core.quantities import convert, minutes_between, read_moment, write_moment
from oddtwin.core.study import Role, Spent
from oddtwin.store.load_workshop import load_pieces
from oddtwin.store.schema import BLOCK, PLATE, READING, RESPONSE, RUN

_SOME: Final = 500


def load_spent(
    connection: Connection, *, since: datetime | None = None, spool: str = "", machine_id: int | None = None
) -> list[Spent]:
    """Read what every print took that was started, set aside or not: what lies on the floor was printed too.

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
    rows = _started(connection, since, spool, machine_id)
    grams = _weighed(connection, [row["id"] for row in rows])
    pieces = {piece.id: piece for piece in load_pieces(connection)}
    # The nozzle was used as long as the plate took, not once for every piece on it.
    shared: dict[int, int] = defaultdict(int)
    for row in rows:
        shared[row["plate_id"]] += 1
    found = []
    for row in rows:
        started = read_moment(row["started"])
        passed = minutes_between(started, read_moment(row["finished"])) if row["finished"] else 0.0
        piece = pieces.get(row["piece_id"] or 0)
        usual = piece.on(row["machine_id"]) if piece else None
        found.append(
            Spent(
                row["machine_id"],
                row["spool"],
                started,
                # A clock that was set back makes no hours that never were.
                max(0.0, passed) / shared[row["plate_id"]],
                grams.get(row["id"], usual.part_g + usual.waste_g if usual else 0.0),
                row["id"] in grams,
            )
        )
    return found


def _started(
    connection: Connection, since: datetime | None, spool: str, machine_id: int | None
) -> Sequence[RowMapping]:
    # What differs by machine inside a block stands with the run.
    machine = func.coalesce(RUN.c.machine_id, BLOCK.c.machine_id)
    query = (
        select(RUN.c.id, RUN.c.plate_id, RUN.c.spool, machine.label("machine_id"), BLOCK.c.piece_id)
        .add_columns(PLATE.c.started, PLATE.c.finished)
        .join(PLATE, PLATE.c.id == RUN.c.plate_id)
        .join(BLOCK, BLOCK.c.id == RUN.c.block_id)
        .where(PLATE.c.started != "")
        .order_by(RUN.c.id)
    )
    if since is not None:
        # Moments are texts with an offset of their own: as texts they do not compare.
        query = query.where(func.julianday(PLATE.c.started) >= func.julianday(write_moment(since)))
    if spool:
        query = query.where(RUN.c.spool == spool)
    if machine_id is not None:
        query = query.where(machine == machine_id)
    return connection.execute(query).mappings().all()


def _weighed(connection: Connection, run_ids: list[int]) -> dict[int, float]:
    """Return the grams of part and waste by run id, of those whose part was weighed."""
    weighing = RESPONSE.c.role.in_([Role.PART.value, Role.WASTE.value])
    parts: dict[int, float] = defaultdict(float)
    whole = set()
    for start in range(0, len(run_ids), _SOME):
        some = run_ids[start : start + _SOME]
        # What was weighed twice weighs no more for it.
        query: Any = (
            select(
                READING.c.run_id, RESPONSE.c.role, RESPONSE.c.unit, func.avg(READING.c.value).label("mean")
            )
            .join(RESPONSE, RESPONSE.c.id == READING.c.response_id)
            .where(weighing, READING.c.run_id.in_(some))
            .group_by(READING.c.run_id, READING.c.response_id, READING.c.zone, READING.c.waste)
        )
        for row in connection.execute(query):
            try:
                parts[row.run_id] += convert(row.mean, row.unit, "g")
            except ValueError:
                # Somebody named another unit for it, such as pieces: it says nothing of grams.
                continue
            if row.role == Role.PART:
                whole.add(row.run_id)
    return {key: value for key, value in parts.items() if key in whole}
