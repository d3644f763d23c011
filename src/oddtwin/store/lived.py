"""What a machine lived through: studies printed on it, changes, and calibrations."""

from __future__ import annotations

from sqlalchemy import Connection, func, select

from oddtwin.core.picture import Happening
from oddtwin.core.quantities import read_moment
from oddtwin.store.schema import BLOCK, CALIBRATION, MACHINE_CHANGE, PLATE, RUN, STUDY


def load_lived(connection: Connection, machine_id: int) -> list[Happening]:
    """Read what happened to a machine, oldest first.

    Parameters
    ----------
    connection : Connection
        For reading.
    machine_id : int
        Which one.
    """
    printed = (
        select(STUDY.c.name, func.min(PLATE.c.started).label("begin"), func.max(PLATE.c.started).label("end"))
        .join(RUN, RUN.c.study_id == STUDY.c.id)
        .join(PLATE, PLATE.c.id == RUN.c.plate_id)
        .join(BLOCK, BLOCK.c.id == RUN.c.block_id)
        .where(PLATE.c.started != "", func.coalesce(RUN.c.machine_id, BLOCK.c.machine_id) == machine_id)
        .group_by(STUDY.c.id)
    )
    found = [
        Happening("study", read_moment(row.begin), read_moment(row.end), row.name)
        for row in connection.execute(printed)
    ]
    changed = select(MACHINE_CHANGE).where(MACHINE_CHANGE.c.machine_id == machine_id)
    for row in connection.execute(changed):
        at = read_moment(row.at)
        way = " → ".join(part for part in (row.before, row.after) if part)
        found.append(Happening("change", at, at, f"{row.what}: {way}" if way else row.what))
    tuned = select(CALIBRATION).where(CALIBRATION.c.machine_id == machine_id, CALIBRATION.c.at != "")
    for row in connection.execute(tuned):
        at = read_moment(row.at)
        found.append(Happening("calibration", at, at, f"{row.job}: {row.sentence}"))
    return sorted(found, key=lambda one: one.begin)
