"""What was checked on machines outside of a study: in other studies, by calibrations, by their logs."""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime

from sqlalchemy import Connection, func, select

from oddtwin.core.customs import CALIBRATES, ChangeKind
from oddtwin.core.quantities import read_moment
from oddtwin.store.schema import BLOCK, CALIBRATION, MACHINE_CHANGE, RECHECK, RUN

Answer = tuple[int, str, datetime]


def load_answered(connection: Connection, study_id: int, machine_ids: Collection[int]) -> list[Answer]:
    """Read which recalibration checks of some machines were done elsewhere; a waived one was not done.

    Parameters
    ----------
    connection : Connection
        For reading.
    study_id : int
        Whose own checks are left out.
    machine_ids : collection of int
        Of the machines.

    Returns
    -------
    list of tuple
        Id of the machine, what was checked, and when.
    """
    machine = func.coalesce(RUN.c.machine_id, BLOCK.c.machine_id)
    query = (
        select(machine.label("machine_id"), RECHECK.c.text, RECHECK.c.at)
        .join(RUN, RUN.c.id == RECHECK.c.run_id)
        .join(BLOCK, BLOCK.c.id == RUN.c.block_id)
        .where(RUN.c.study_id != study_id, machine.in_(machine_ids), RECHECK.c.waived == "")
    )
    found = [(row.machine_id, row.text, read_moment(row.at)) for row in connection.execute(query)]
    # A calibration is a check with a figure; what it is a check of stands in one table.
    done = select(CALIBRATION.c.machine_id, CALIBRATION.c.job, CALIBRATION.c.at)
    for row in connection.execute(
        done.where(CALIBRATION.c.machine_id.in_(machine_ids), CALIBRATION.c.at != "")
    ):
        found += [(row.machine_id, text, read_moment(row.at)) for text in CALIBRATES.get(row.job, ())]
    logged = select(MACHINE_CHANGE.c.machine_id, MACHINE_CHANGE.c.what, MACHINE_CHANGE.c.at).where(
        MACHINE_CHANGE.c.machine_id.in_(machine_ids),
        MACHINE_CHANGE.c.kind == ChangeKind.CALIBRATION.value,
    )
    # A calibration that was logged by hand answers the check that it is called by.
    found += [(row.machine_id, row.what, read_moment(row.at)) for row in connection.execute(logged)]
    return found
