"""Edits of calibrations: readings kept from the first on, finished with a figure, logged on the machine."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Final

from oddtwin.core.calibrate import JOBS, CalibrationJob, Result, calibration
from oddtwin.core.customs import ChangeKind
from oddtwin.core.language import tr
from oddtwin.core.quantities import convert, now, with_unit, write_moment
from oddtwin.core.readings import Typed
from oddtwin.operations.looking import login
from oddtwin.operations.machine_log import insert_machine_change
from oddtwin.operations.runs import WHOLE, Measured, put_readings
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.record import Row
from oddtwin.store.schema import CALIBRATION, RESPONSE

_NORMAL: Final = 1.959964


def type_calibration(
    book: LabBook,
    *,
    job: str,
    machine_id: int | None,
    readings: str,
    options: Mapping[str, float],
    instrument: str = "",
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
    instrument : str
        What is checked, where it is an instrument.

    Raises
    ------
    StoreError
        There is no such calibration, or it is of an instrument and nobody says of which.
    """
    asked, name = _job(job), " ".join(instrument.split())
    title = asked.title.lower()
    if asked.of_instrument and not name:
        raise StoreError(tr("Please say which instrument first."))

    def change(edit: Edit) -> None:
        there = _open(edit, job, machine_id, name)
        if there is None:
            edit.insert(
                CALIBRATION,
                instrument=name,
                machine_id=machine_id,
                job=job,
                readings=readings,
                options=dict(options),
                begun=write_moment(now()),
            )
        elif (there["readings"], there["options"]) != (readings, dict(options)):
            edit.update(CALIBRATION, there["id"], readings=readings, options=dict(options))

    return book.edit(tr("type readings of {title}", title=title), change)


def finish_calibration(
    book: LabBook,
    *,
    job: str,
    machine_id: int | None,
    log: bool = False,
    made: datetime | None = None,
    instrument: str = "",
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
    instrument : str
        What was checked, where it is an instrument.

    Raises
    ------
    StoreError
        Nothing was typed, the readings tell nothing, there is no machine to log it on, or it lies in the
        future.
    """
    asked = _job(job)
    if made is not None and made > now():
        raise StoreError(tr("That is in the future; keep a calibration once it is made."))

    def change(edit: Edit) -> None:
        there = _open(edit, job, machine_id, " ".join(instrument.split()))
        if there is None:
            raise StoreError(tr("Type the readings first."))
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

    return book.edit(tr("finish {title}", title=asked.title.lower()), change)


def _log(
    edit: Edit, job: CalibrationJob, machine_id: int | None, found: Result, before: Row | None, at: str
) -> None:
    if machine_id is None or not job.logs:
        raise StoreError(
            tr("{title} is nothing that is set on a machine; keep it without logging it.", title=job.title)
        )
    if found.value is None:
        raise StoreError(tr("There is no figure to log: the limit lies beyond what was tried."))
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


def take_calibration(
    book: LabBook, *, calibration_id: int, run_id: int, response_id: int, code: str
) -> Record | None:
    """Enter what a calibration came to as the reading of a print, with its uncertainty.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    calibration_id : int
        Of a finished calibration that has a figure.
    run_id, response_id : int
        Of which print and response; the response is in a unit of the same family.
    code : str
        Of the run.

    Raises
    ------
    StoreError
        It has no figure, the units do not go together, or the study is settled.
    """

    def change(edit: Edit) -> None:
        row, response = edit.get(CALIBRATION, calibration_id), edit.get(RESPONSE, response_id)
        # An open one may still change: a reading is what was finished.
        if not row["at"] or row["value"] is None:
            raise StoreError(tr("That calibration has no figure yet: keep it first."))
        try:
            times = convert(1.0, row["unit"], response["unit"])
        except ValueError:
            raise StoreError(
                tr(
                    "{response} is in {response2}, and the calibration in {row}.",
                    response=response["name"],
                    response2=response["unit"] or tr("no unit"),
                    row=row["unit"] or tr("no unit"),
                )
            ) from None
        ends = row["low"], row["high"]
        # By the normal figure: what degrees of freedom it had is not kept.
        u = None if None in ends else times * (ends[1] - ends[0]) / (2 * _NORMAL)
        evidence = tr("calibration {row} of {row2}", row=row["job"], row2=row["at"][:10])
        put_readings(
            edit, run_id, response_id, WHOLE, [Typed(times * row["value"])], measured=[Measured(u, evidence)]
        )

    return edit_open(book, tr("take a calibration as reading of run {code}", code=code), change)


def remove_calibration(book: LabBook, *, calibration_id: int) -> Record | None:
    """Take a calibration out; undo brings it back."""
    return book.edit(tr("remove a calibration"), lambda edit: edit.delete(CALIBRATION, calibration_id))


def _job(name: str) -> CalibrationJob:
    found = next((job for job in JOBS if job.name == name), None)
    if found is None:
        raise StoreError(tr("There is no calibration “{name}”.", name=name))
    return found


def _open(edit: Edit, job: str, machine_id: int | None, instrument: str) -> Row | None:
    """Return the calibration of a job and machine, or instrument, that is not finished."""
    here = machine_id, instrument.casefold()
    rows = [
        row
        for row in edit.rows(CALIBRATION, "job", job)
        if (row["machine_id"], row["instrument"].casefold()) == here
    ]
    return next((row for row in rows if not row["at"]), None)


def _last(edit: Edit, job: str, machine_id: int | None) -> Row | None:
    """Return the calibration of a job and machine that was finished last."""
    rows = [row for row in edit.rows(CALIBRATION, "job", job) if row["machine_id"] == machine_id]
    return max((row for row in rows if row["at"]), key=lambda row: row["id"], default=None)


def _figure(value: float, unit: str) -> str:
    # Kept, and compared with what was kept before: with a point wherever it was written.
    return with_unit(f"{value:.4g}".replace("-", "−"), unit)


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
