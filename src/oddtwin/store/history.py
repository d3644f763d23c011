"""The history of a lab book: every edit with its study, and what was there before and after."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Final

from sqlalchemy import Connection, select

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_reading
from oddtwin.store.field_words import field_words
from oddtwin.store.schema import ARM, FACTOR, LOG, RESPONSE, RUN, SESSION, STUDY, TABLES

MOST_LINES: Final = 500
_MOST_FIELDS: Final = 3
_MOST_SIGNS: Final = 60
_OF_STUDY: Final = {"run": RUN, "response": RESPONSE, "arm": ARM, "factor": FACTOR, "session": SESSION}
_UNTOLD: Final = ("position", "head", "found", "prices")
"""Columns that a person never typed."""


@dataclass(frozen=True, slots=True)
class LogLine:
    """One line of the log.

    Parameters
    ----------
    at : str
        When, as ISO 8601.
    kind : str
        Edit, undo, redo or mark.
    title : str
        What was done.
    study : str
        In which study; empty for the workshop, and for a study that is gone.
    change : str
        Fields with what was there before and after; empty where something was added or taken out.
    """

    at: str
    kind: str
    title: str
    study: str
    change: str


def load_history(connection: Connection, limit: int = MOST_LINES) -> list[LogLine]:
    """Read the newest lines of the log.

    Parameters
    ----------
    connection : Connection
        For reading.
    limit : int
        How many at most.
    """
    query = select(LOG).order_by(LOG.c.id.desc()).limit(limit)
    rows = connection.execute(query).mappings().all()
    studies = _studies_of(connection, (change for row in rows for change in row["changes"]))
    names = {row.id: row.name for row in connection.execute(select(STUDY.c.id, STUDY.c.name))}
    found = []
    for row in rows:
        touched = {study for change in row["changes"] if (study := _study(change, studies)) is not None}
        told = "; ".join(names[study] for study in sorted(touched) if study in names)
        found.append(LogLine(row["at"], row["kind"], row["title"], told, _change_words(row["changes"])))
    return found


def _studies_of(connection: Connection, changes: Iterable[Mapping[str, Any]]) -> dict[tuple[str, int], int]:
    """Return the study of what the changes point at, by table and id."""
    wanted: dict[str, set[int]] = defaultdict(set)
    for change in changes:
        row = {**(change.get("before") or {}), **(change.get("after") or {})}
        for noun in _OF_STUDY:
            if change.get("table") == noun:
                wanted[noun].add(int(change["id"]))
            if row.get(f"{noun}_id") is not None:
                wanted[noun].add(int(row[f"{noun}_id"]))
        # An update names the changed columns alone: whose row it is has to be asked.
        table = TABLES.get(str(change.get("table")))
        if table is not None and "run_id" in table.c and "run_id" not in row:
            query = select(table.c.run_id).where(table.c.id == change["id"])
            wanted["run"].update(key for key in connection.execute(query).scalars() if key is not None)
        if change.get("table") == "plate":
            wanted["plate"].add(int(change["id"]))
    plates = select(RUN.c.plate_id, RUN.c.study_id).where(RUN.c.plate_id.in_(wanted.pop("plate", set())))
    found = {("plate", key): study for key, study in connection.execute(plates)}
    for noun, ids in wanted.items():
        table = _OF_STUDY[noun]
        listed = sorted(ids)
        for start in range(0, len(listed), MOST_LINES):
            some = select(table.c.id, table.c.study_id).where(
                table.c.id.in_(listed[start : start + MOST_LINES])
            )
            found.update({(noun, key): study for key, study in connection.execute(some)})
    return found


def _study(change: Mapping[str, Any], studies: Mapping[tuple[str, int], int]) -> int | None:
    row = {**(change.get("before") or {}), **(change.get("after") or {})}
    if change.get("table") == "study":
        return int(change["id"])
    if row.get("study_id") is not None:
        return int(row["study_id"])
    keys = [(str(change.get("table")), int(change["id"]))]
    keys += [(noun, int(row[f"{noun}_id"])) for noun in _OF_STUDY if row.get(f"{noun}_id") is not None]
    return next((studies[key] for key in keys if key in studies), None)


def _change_words(changes: Iterable[Mapping[str, Any]]) -> str:
    """Say which fields changed, and how; of many the first few."""
    told = []
    for change in changes:
        before, after = change.get("before"), change.get("after")
        if before is None or after is None:
            continue
        for column in after:
            if column not in _UNTOLD and not column.endswith("_id"):
                told.append(f"{field_words(column)}: {_shown(before.get(column))} → {_shown(after[column])}")
    more = tr("; and {told} more", told=len(told) - _MOST_FIELDS) if len(told) > _MOST_FIELDS else ""
    return "; ".join(told[:_MOST_FIELDS]) + more


def _shown(value: Any) -> str:
    if value is None or value in ("", [], {}):
        return tr("nothing")
    if isinstance(value, bool):
        return tr("yes") if value else tr("no")
    if isinstance(value, float):
        return format_reading(value)
    text = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    return text if len(text) <= _MOST_SIGNS else f"{text[: _MOST_SIGNS - 1]}…"
