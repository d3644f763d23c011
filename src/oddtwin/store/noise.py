"""What twins differed, kept as rows that follow from the readings: earlier studies lend it to later ones."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Sequence
from functools import cache
from typing import Any, Final

from sqlalchemy import Connection, RowMapping, Select, bindparam, delete, func, insert, select

from oddtwin.core.effects import NoiseFloor
from oddtwin.core.readings import value_of
from oddtwin.core.study import Response, RunReading, Study
from oddtwin.store.codec import value_of as read_row
from oddtwin.store.record import RowChange
from oddtwin.store.schema import BLOCK, NOISE, READING, RESPONSE, RUN

_OF_VALUES: Final = frozenset({"set_aside", "arm_id", "block_id", "machine_id"})
"""Columns of a run that decide whether and where its values count."""


def keep_noise(connection: Connection, changes: Iterable[RowChange]) -> None:
    """Work out anew what the twins of every response differ that some changes touch."""
    _keep(connection, _touched(connection, changes))


def keep_all_noise(connection: Connection) -> None:
    """Work out what all twins of a lab book differ, for one that has no such rows yet."""
    _keep(connection, connection.execute(select(RESPONSE.c.id)).scalars().all())


def _keep(connection: Connection, response_ids: Iterable[int]) -> None:
    for response_id in response_ids:
        connection.execute(delete(NOISE).where(NOISE.c.response_id == response_id))
        rows = _noise_rows(connection, response_id)
        if rows:
            connection.execute(insert(NOISE), rows)


def known_noise(connection: Connection, study: Study, anywhere: bool = False) -> dict[int, NoiseFloor]:
    """Pool the twins of other studies, for each response of one study.

    Parameters
    ----------
    connection : Connection
        For reading.
    study : Study
        Whose responses are asked for; its own twins are left out.
    anywhere : bool
        Whether twins on other machines and of other pieces will do: good enough to plan
        with, and to be called so; not to judge with.

    Returns
    -------
    dict of response id to NoiseFloor
        From measured numbers of the same name and unit, on the same machines and
        pieces; set-aside prints left out.
    """
    places = {(block.machine_id, block.piece_id) for block in study.blocks}
    asked = {(item.name, item.unit): item for item in study.responses if _lends(item)}
    query = (
        select(RESPONSE.c.name, RESPONSE.c.unit, NOISE.c.machine_id, NOISE.c.piece_id)
        .add_columns(NOISE.c.squares, NOISE.c.df)
        .join(RESPONSE, RESPONSE.c.id == NOISE.c.response_id)
        .where(NOISE.c.study_id != study.id, RESPONSE.c.name.in_({name for name, _ in asked}))
    )
    sums: dict[int, list[float]] = defaultdict(lambda: [0.0, 0.0])
    for row in connection.execute(query):
        response = asked.get((row.name, row.unit))
        if response is not None and (anywhere or (row.machine_id, row.piece_id) in places):
            sums[response.id][0] += row.squares
            sums[response.id][1] += row.df
    return {key: NoiseFloor(math.sqrt(squares / df), df) for key, (squares, df) in sums.items()}


def _lends(response: Response) -> bool:
    # Of what is measured alone can one study lend another its scatter.
    return response.kind.measured and response.target is None


def _touched(connection: Connection, changes: Iterable[RowChange]) -> set[int]:
    """Return the ids of the responses whose twins may differ otherwise than before."""
    found: set[int] = set()
    studies: set[int] = set()
    readings: set[int] = set()
    for change in changes:
        row: dict[str, Any] = {**(change.before or {}), **(change.after or {})}
        if change.table == "reading":
            if "response_id" in row:
                found.add(row["response_id"])
            else:
                readings.add(change.id)
        elif change.table == "response" and change.after is not None:
            found.add(change.id)
        # A note or a code changes nothing that twins differ by; most edits at the machine end here.
        elif change.table == "run" and change.before is not None and _OF_VALUES & row.keys():
            studies.update(_study_of_run(connection, change, row))
    for some in (list(readings)[start : start + 500] for start in range(0, len(readings), 500)):
        query = select(READING.c.response_id).where(READING.c.id.in_(some)).distinct()
        found.update(connection.execute(query).scalars())
    for study_id in studies:
        found.update(
            connection.execute(select(RESPONSE.c.id).where(RESPONSE.c.study_id == study_id)).scalars()
        )
    return found


def _study_of_run(connection: Connection, change: RowChange, row: dict[str, Any]) -> Sequence[int]:
    if "study_id" in row:
        return [row["study_id"]]
    return connection.execute(select(RUN.c.study_id).where(RUN.c.id == change.id)).scalars().all()


def _noise_rows(connection: Connection, response_id: int) -> list[dict[str, Any]]:
    head = connection.execute(select(RESPONSE).where(RESPONSE.c.id == response_id)).mappings().first()
    if head is None:
        return []
    try:
        response = read_row(Response, head, piece_ids=())
        if not _lends(response):
            return []
        prints = _prints(connection, response)
    except (ValueError, KeyError, TypeError):
        # A row that cannot be is told when its study is opened; it lends nothing.
        return []
    squares: dict[tuple[int | None, int | None], list[float]] = defaultdict(lambda: [0.0, 0.0])
    for (machine, piece, *_), values in prints.items():
        if len(values) > 1:
            mean = math.fsum(values) / len(values)
            squares[machine, piece][0] += math.fsum((value - mean) ** 2 for value in values)
            squares[machine, piece][1] += len(values) - 1
    return [
        {
            "study_id": head["study_id"],
            "response_id": response_id,
            "machine_id": machine,
            "piece_id": piece,
            "squares": total,
            "df": df,
        }
        for (machine, piece), (total, df) in squares.items()
    ]


@cache
def _twins() -> Select[Any]:
    """The readings of one response of which there are twins; made once, for every reading asks for it."""
    other = RUN.alias()
    # Only what has a twin is read: most prints have none, and an edit waits for this.
    twins = (
        select(other.c.id)
        .where(
            other.c.block_id == RUN.c.block_id,
            other.c.arm_id == RUN.c.arm_id,
            other.c.id != RUN.c.id,
            other.c.set_aside == "",
        )
        .exists()
    )
    # Copies that have a plate for themselves share its luck: they are one print of their arm.
    arms = (
        select(func.count(other.c.arm_id.distinct()))
        .where(other.c.study_id == RUN.c.study_id, other.c.plate_id == RUN.c.plate_id)
        .scalar_subquery()
    )
    return (
        select(READING, RUN.c.block_id, RUN.c.arm_id, RUN.c.plate_id, BLOCK.c.piece_id)
        .add_columns(func.coalesce(RUN.c.machine_id, BLOCK.c.machine_id).label("machine_id"))
        .add_columns(arms.label("arms"))
        .join(RUN, RUN.c.id == READING.c.run_id)
        .join(BLOCK, BLOCK.c.id == RUN.c.block_id)
        .where(READING.c.response_id == bindparam("response"), RUN.c.set_aside == "", twins)
    )


def _prints(
    connection: Connection, response: Response
) -> dict[tuple[int | None, int | None, int, int], list[float]]:
    """Return the values of a response's twins by machine, piece, block and arm."""
    by_run: dict[int, list[RowMapping]] = defaultdict(list)
    for row in connection.execute(_twins(), {"response": response.id}).mappings():
        by_run[row["run_id"]].append(row)
    units: dict[tuple[int | None, int | None, int, int], dict[int, list[float]]] = {}
    for run_id, rows in by_run.items():
        value = value_of((read_row(RunReading, row) for row in rows), response.rule)
        if value is not None and value.reach is None:
            first = rows[0]
            key = (first["machine_id"], first["piece_id"], first["block_id"], first["arm_id"])
            unit = first["plate_id"] if first["arms"] == 1 else -run_id
            units.setdefault(key, {}).setdefault(unit, []).append(value.value)
    return {
        key: [math.fsum(values) / len(values) for values in plates.values()] for key, plates in units.items()
    }
