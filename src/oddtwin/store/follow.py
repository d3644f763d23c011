"""A study as an edit left it: only what the edit touched is read again."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any, Final, TypeVar

from sqlalchemy import Connection, Table, select

from oddtwin.core.language import tr
from oddtwin.core.study import Deviation, Look, Mark, Photograph, Plate, Recheck, Run, RunReading, Slot, Study
from oddtwin.store.border import check_links, made, telling
from oddtwin.store.codec import value_of
from oddtwin.store.load import load_answers, load_study
from oddtwin.store.record import Record, RowChange
from oddtwin.store.schema import DEVIATION, LOOK, MARK, PHOTOGRAPH, PLATE, READING, RECHECK, RUN, SLOT

T = TypeVar("T", RunReading, Deviation, Recheck, Photograph, Mark)

OF_RUNS: Final[tuple[tuple[Table, type[Any], str], ...]] = (
    (READING, RunReading, "readings"),
    (DEVIATION, Deviation, "deviations"),
    (RECHECK, Recheck, "rechecks"),
    (PHOTOGRAPH, Photograph, "photographs"),
    (MARK, Mark, "marks"),
)
"""Tables whose rows belong to runs and come in the order of their ids, with their field of a study."""

FOLLOWED: Final = frozenset(
    {"reading", "deviation", "recheck", "look", "run", "plate", "slot", "photograph", "mark", "answer"}
)
"""Tables that work at the machine touches; an edit of others reads the study whole."""


def followed(connection: Connection, study: Study, record: Record) -> Study:
    """Return a study as it is after an edit.

    Parameters
    ----------
    connection : Connection
        For reading, after the edit.
    study : Study
        As it was before.
    record : Record
        Of the edit; of this study or of something else.

    Raises
    ------
    StoreError
        The study is gone, or something in it cannot be.
    """
    # Work at the machine edits a few rows of few tables, and is followed row by row; whatever changes the
    # plan or the question is rare, and not worth a second way of reading it.
    if not record.tables <= FOLLOWED:
        return load_study(connection, study.id)
    rows: dict[str, list[RowChange]] = defaultdict(list)
    for change in record.changes:
        rows[change.table].append(change)
    with telling(tr("The study “{study}”", study=study.name)):
        if rows.keys() & {"run", "plate", "slot"}:
            study = _with_runs(connection, study, rows)
        parts: dict[str, Any] = {
            field: _spliced(connection, study, getattr(study, field), table, kind, rows)
            for table, kind, field in OF_RUNS
            if rows[table.name]
        }
        if rows["look"]:
            query = select(LOOK).where(LOOK.c.study_id == study.id).order_by(LOOK.c.id)
            found = connection.execute(query).mappings()
            parts["looks"] = tuple(made(LOOK, row, lambda row: value_of(Look, row)) for row in found)
        if rows["answer"]:
            parts["answers"] = load_answers(connection, study.id)
        study = study.changed(**parts)
        if rows.keys() & {"run", "plate", "slot"}:
            check_links(study)
    return study


def _spliced(
    connection: Connection,
    study: Study,
    items: tuple[T, ...],
    table: Table,
    kind: type[T],
    rows: Mapping[str, list[RowChange]],
) -> tuple[T, ...]:
    """Return items with those of touched rows read again, and those of gone rows left out."""
    touched = {change.id for change in rows[table.name]}
    read = _read(connection, table, touched, lambda row: value_of(kind, row))
    fresh: list[T] = [item for item in read if item.run_id in study.index.runs]
    kept: list[T] = [item for item in items if item.id not in touched]
    # Almost in order already: what undo brings back has an id of old.
    return tuple(sorted(kept + fresh, key=lambda item: item.id))


def _with_runs(connection: Connection, study: Study, rows: Mapping[str, list[RowChange]]) -> Study:
    plates = {run.plate.id: run.plate for run in study.runs}
    stale = {change.id for change in rows["plate"]} | set(_plates_of_slots(connection, rows["slot"]))
    touched = {change.id for change in rows["run"]}
    query = select(RUN).where(RUN.c.id.in_(touched), RUN.c.study_id == study.id)
    there = list(connection.execute(query).mappings())
    stale |= {row["plate_id"] for row in there if row["plate_id"] not in plates}
    plates |= _plates(connection, stale)
    fresh = [made(RUN, row, lambda row: value_of(Run, row, plate=plates[row["plate_id"]])) for row in there]
    kept = [
        replace(run, plate=plates[run.plate.id]) if run.plate.id in stale else run
        for run in study.runs
        if run.id not in touched
    ]
    return study.changed(runs=tuple(sorted([*kept, *fresh], key=lambda run: (run.position, run.id))))


def _plates_of_slots(connection: Connection, changes: Iterable[RowChange]) -> Iterable[int]:
    lacking = []
    for change in changes:
        row = {**(change.before or {}), **(change.after or {})}
        if "plate_id" in row:
            yield row["plate_id"]
        else:
            lacking.append(change.id)
    yield from connection.execute(select(SLOT.c.plate_id).where(SLOT.c.id.in_(lacking))).scalars()


def _plates(connection: Connection, ids: set[int]) -> dict[int, Plate]:
    query = select(SLOT).where(SLOT.c.plate_id.in_(ids))
    slots = {
        row["plate_id"]: made(SLOT, row, lambda row: value_of(Slot, row))
        for row in connection.execute(query).mappings()
    }
    return {
        plate.id: replace(plate, slot=slots.get(plate.id))
        for plate in _read(connection, PLATE, ids, lambda row: value_of(Plate, row, slot=None))
    }


def _read(connection: Connection, table: Table, ids: Iterable[int], make: Callable[[Any], Any]) -> list[Any]:
    found = []
    listed = sorted(ids)
    # A statement takes a limited number of values.
    for start in range(0, len(listed), 500):
        query = select(table).where(table.c.id.in_(listed[start : start + 500])).order_by(table.c.id)
        found += [made(table, row, make) for row in connection.execute(query).mappings()]
    return found
