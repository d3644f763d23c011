"""Edits of calibrations: readings kept from the first on, finished with a figure, logged on the machine."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from oddtwin.core.calibrate import JOBS, CalibrationJob, Result, calibration
from oddtwin.core.customs import ChangeKind
from oddtwin.core.quantities import format_number, now, with_unit, write_moment
from oddtwin.operations.looking import login
from oddtwin.operations.machine_log import insert_machine_change
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.record import Row
from oddtwin.store.schema import CALIBRATION


def type_calibration(
    book: LabBook,
    *,
    job: str,
    machine_id: int | None,
    readings: str,
    options: Mapping[str, float],
) -> Record | None:
    """Keep the readings of a calibration as they are typed, in place of what was typed before.

    Parameters
    ----------
    book : LabBook
        That keeps them.
    job : str
        Name of the calibration.
    machine_id : int or None
        Of the machine.
    readings : str
        CSV with the columns of the job.
    options : mapping of str to float
        What must be known besides.

    Raises
    ------
    StoreError
        There is no such calibration.
    """
    title = _job(job).title.lower()

    def change(edit: Edit) -> None:
        there = _open(edit, job, machine_id)
        if there is None:
            edit.insert(
                CALIBRATION,
                machine_id=machine_id,
                job=job,
                readings=readings,
                options=dict(options),
                begun=write_moment(now()),
            )
        elif (there["readings"], there["options"]) != (readings, dict(options)):
            edit.update(CALIBRATION, there["id"], readings=readings, options=dict(options))

    return book.edit(f"type readings of {title}", change)


def finish_calibration(
    book: LabBook, *, job: str, machine_id: int | None, log: bool = False, made: datetime | None = None
) -> Record | None:
    """Finish the open calibration of a job and machine: its figure is kept, and maybe logged on the machine.

    Parameters
    ----------
    book : LabBook
        That keeps it.
    job : str
        Name of the calibration.
    machine_id : int or None
        Of the machine.
    log : bool
        Whether it goes into the machine's change log.
    made : datetime, optional
        When it was made, where it is entered later, as from paper.

    Raises
    ------
    StoreError
        Nothing was typed, the readings tell nothing, there is no machine to log it on, or it lies in the
        future.
    """
    asked = _job(job)
    if made is not None and made > now():
        raise StoreError("That is in the future; keep a calibration once it is made.")

    def change(edit: Edit) -> None:
        there = _open(edit, job, machine_id)
        if there is None:
            raise StoreError("Type the readings first.")
        try:
            found = calibration(asked, there["readings"], there["options"])
        except ValueError as error:
            raise StoreError(str(error)) from None
        # Read before it is written: afterwards this one is the last.
        before = _last(edit, job, machine_id)
        at = write_moment(made or now())
        edit.update(CALIBRATION, there["id"], at=at, by=login(), **_figures(found))
        if log:
            _log(edit, asked, machine_id, found, before, at)

    return book.edit(f"finish {asked.title.lower()}", change)


def _log(
    edit: Edit, job: CalibrationJob, machine_id: int | None, found: Result, before: Row | None, at: str
) -> None:
    if machine_id is None or not job.logs:
        raise StoreError(f"{job.title} is nothing that is set on a machine; keep it without logging it.")
    if found.value is None:
        raise StoreError("There is no figure to log: the limit lies beyond what was tried.")
    insert_machine_change(
        edit,
        machine_id=machine_id,
        at=at,
        kind=ChangeKind.CALIBRATION.value,
        what=job.logs,
        before="" if before is None or before["value"] is None else _figure(before["value"], before["unit"]),
        after=_figure(found.value, found.unit),
        note=found.sentence,
    )


def remove_calibration(book: LabBook, *, calibration_id: int) -> Record | None:
    """Take a calibration out; undo brings it back."""
    return book.edit("remove a calibration", lambda edit: edit.delete(CALIBRATION, calibration_id))


def _job(name: str) -> CalibrationJob:
    found = next((job for job in JOBS if job.name == name), None)
    if found is None:
        raise StoreError(f"There is no calibration “{name}”.")
    return found


def _open(edit: Edit, job: str, machine_id: int | None) -> Row | None:
    """Return the calibration of a job and machine that is not finished."""
    rows = [row for row in edit.rows(CALIBRATION, "job", job) if row["machine_id"] == machine_id]
    return next((row for row in rows if not row["at"]), None)


def _last(edit: Edit, job: str, machine_id: int | None) -> Row | None:
    """Return the calibration of a job and machine that was finished last."""
    rows = [row for row in edit.rows(CALIBRATION, "job", job) if row["machine_id"] == machine_id]
    return max((row for row in rows if row["at"]), key=lambda row: row["id"], default=None)


def _figure(value: float, unit: str) -> str:
    return with_unit(format_number(value), unit)


def _figures(found: Result) -> Row:
    low, high = found.ci95 or (None, None)
    return {
        "value": found.value,
        "unit": found.unit,
        "low": _finite(low),
        "high": _finite(high),
        "sentence": found.sentence,
    }


def _finite(end: float | None) -> float | None:
    return end if end is not None and abs(end) < float("inf") else None
