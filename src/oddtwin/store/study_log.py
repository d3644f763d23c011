"""The edits of one study, out of the log of the whole lab book."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Connection, select

from oddtwin.core.study import Study
from oddtwin.store.schema import LOG


def load_study_log(connection: Connection, study: Study) -> list[tuple[str, str, str]]:
    """Read the edits that touched a study, oldest first: when, kind and title.

    Parameters
    ----------
    connection : Connection
        For reading.
    study : Study
        Whole.
    """
    own: Mapping[str, set[int]] = {
        "study": {study.id},
        "arm": {one.id for one in study.arms},
        "factor": {one.id for one in study.factors},
        "response": {one.id for one in study.responses},
        "run": {one.id for one in study.runs},
        "plate": {one.plate.id for one in study.runs},
        "session": {one.id for one in study.sessions},
    }
    query = select(LOG.c.at, LOG.c.kind, LOG.c.title, LOG.c.changes).order_by(LOG.c.id)
    return [
        (row.at, row.kind, row.title)
        for row in connection.execute(query)
        if any(_touches(change, own) for change in row.changes)
    ]


def _touches(change: Mapping[str, Any], own: Mapping[str, set[int]]) -> bool:
    if change.get("id") in own.get(str(change.get("table")), ()):
        return True
    row = {**(change.get("before") or {}), **(change.get("after") or {})}
    # What hangs below a study names it, or its run, plate, response, arm or factor.
    return any(row.get(f"{noun}_id") in ids for noun, ids in own.items())
