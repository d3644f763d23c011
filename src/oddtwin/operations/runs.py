"""Edits at the machine: stamps, readings, notes, departures, setting aside."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from oddtwin.core.design import SeededOrder
from oddtwin.core.quantities import now, read_moment, seconds_of, write_moment
from oddtwin.core.study import ArmRole
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.record import Row
from oddtwin.store.schema import ARM, ARM_FILE, BLOCK, DEVIATION, READING, RECHECK, RUN


def start_run(book: LabBook, *, run_id: int, code: str, at: datetime | None = None) -> Record | None:
    """Stamp the start of a run, and the hash of its sliced file.

    Spool and operator of the last started run are taken over.
    """

    def change(edit: Edit) -> None:
        run = edit.get(RUN, run_id)
        if run["started"] or run["set_aside"]:
            raise StoreError(f"Run {code} was started or set aside already.")
        others = [row for row in edit.rows(RUN, "study_id", run["study_id"]) if row["started"]]
        last = max(others, key=lambda row: seconds_of(read_moment(row["started"])), default=run)
        taken_over = {name: run[name] or last[name] for name in ("spool", "operator")}
        edit.update(RUN, run_id, started=_stamp(at), sha256=_file_of(edit, run), **taken_over)

    return edit_open(book, f"start run {code}", change)


def finish_run(book: LabBook, *, run_id: int, code: str, at: datetime | None = None) -> Record | None:
    """Stamp the finish of a run that was started."""

    def change(edit: Edit) -> None:
        run = edit.get(RUN, run_id)
        if not run["started"] or run["finished"]:
            raise StoreError(f"Run {code} is not printing.")
        # A clock that was set back is told as a threat; the stamp is kept all the same.
        edit.update(RUN, run_id, finished=_stamp(at))

    return edit_open(book, f"finish run {code}", change)


def clear_stamps(book: LabBook, *, run_id: int, code: str) -> Record | None:
    """Take back the stamps of a run that was started by mistake."""
    return edit_open(
        book,
        f"clear the stamps of run {code}",
        lambda edit: edit.update(RUN, run_id, started="", finished="", sha256=""),
    )


def enter_readings(
    book: LabBook, *, run_id: int, response_id: int, zone: str = "", values: Sequence[float], title: str
) -> Record | None:
    """Enter the readings of one response (in its unit) and zone of a run, in place of earlier ones.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    run_id, response_id : int
        Of which run and response.
    zone : str
        Zone of a grade, kind of a waste; empty for the whole print.
    values : sequence of float
        One reading, several repeated ones, or none to take the reading out.
    title : str
        Readable name, such as "waste of run K7M".
    """

    def change(edit: Edit) -> None:
        old = [
            row
            for row in edit.rows(READING, "run_id", run_id)
            if row["response_id"] == response_id and row["zone"] == zone
        ]
        for row, value in zip(old, values, strict=False):
            edit.update(READING, row["id"], value=float(value))
        for row in old[len(values) :]:
            edit.delete(READING, row["id"])
        for value in values[len(old) :]:
            edit.insert(READING, run_id=run_id, response_id=response_id, zone=zone, value=float(value))

    return edit_open(book, f"enter {title}" if values else f"clear {title}", change)


def edit_run(book: LabBook, *, run_id: int, code: str, **values: str) -> Record | None:
    """Change the ``note``, the ``spool`` or the ``operator`` of a run."""
    return edit_open(
        book,
        f"edit the {' and '.join(values)} of run {code}",
        lambda edit: edit.update(RUN, run_id, **values),
    )


def set_aside(book: LabBook, *, run_id: int, code: str, reason: str) -> Record | None:
    """Set a run aside with its reason; it is kept, counted and shown, but does not enter."""
    if not reason.strip():
        raise StoreError(f"Please say why run {code} is set aside.")
    return edit_open(
        book, f"set aside run {code}", lambda edit: edit.update(RUN, run_id, set_aside=reason.strip())
    )


def count_again(book: LabBook, *, run_id: int, code: str) -> Record | None:
    """Let a run that was set aside count again."""
    return edit_open(book, f"count run {code} again", lambda edit: edit.update(RUN, run_id, set_aside=""))


def reprint(book: LabBook, *, run_id: int, code: str) -> Record | None:
    """Plan a new run in place of one that was set aside, at the end of the run list."""

    def change(edit: Edit) -> None:
        run = edit.get(RUN, run_id)
        runs = edit.rows(RUN, "study_id", run["study_id"])
        if not run["set_aside"]:
            raise StoreError(f"Run {code} counts; set it aside before printing it again.")
        if any(row["reprint_of"] == run_id for row in runs):
            raise StoreError(f"Run {code} has a reprint already.")
        new_code = SeededOrder(run_id).code({row["code"] for row in runs})
        edit.insert(
            RUN,
            study_id=run["study_id"],
            position=max(row["position"] for row in runs) + 1,
            block_id=run["block_id"],
            arm_id=run["arm_id"],
            code=new_code,
            reprint_of=run_id,
            spool=run["spool"],
            machine_id=run["machine_id"],
            place=run["place"],
            turn_deg=run["turn_deg"],
        )

    return edit_open(book, f"reprint run {code}", change)


def add_deviation(book: LabBook, *, run_id: int, code: str, text: str) -> Record | None:
    """Note that a run departed from what must stay the same."""
    if not text.strip():
        raise StoreError("Please say what was not the same.")

    def change(edit: Edit) -> None:
        edit.insert(DEVIATION, run_id=run_id, text=text.strip())

    return edit_open(book, f"note a departure in run {code}", change)


def remove_deviation(book: LabBook, *, deviation_id: int, code: str) -> Record | None:
    """Take back a departure that was noted by mistake."""
    return edit_open(
        book, f"take back a departure in run {code}", lambda edit: edit.delete(DEVIATION, deviation_id)
    )


def answer_recheck(book: LabBook, *, run_id: int, code: str, text: str, waived: str = "") -> Record | None:
    """Say of a recalibration check of a run that it was done, or why it was waived."""

    def change(edit: Edit) -> None:
        for row in edit.rows(RECHECK, "run_id", run_id):
            if row["text"] == text:
                edit.delete(RECHECK, row["id"])
        edit.insert(RECHECK, run_id=run_id, text=text, at=_stamp(None), waived=waived.strip())

    return edit_open(book, f"{'waive' if waived.strip() else 'check'} {text} for run {code}", change)


def open_recheck(book: LabBook, *, recheck_id: int, code: str) -> Record | None:
    """Take back the answer to a recalibration check."""
    return edit_open(book, f"open a check of run {code} again", lambda edit: edit.delete(RECHECK, recheck_id))


def _file_of(edit: Edit, run: Row) -> str:
    """Return the hash of the file that a run is printed from; a control prints the baseline's."""
    piece = edit.get(BLOCK, run["block_id"])["piece_id"]
    arm = edit.get(ARM, run["arm_id"])
    if arm["role"] == ArmRole.CONTROL.value:
        arm = next(row for row in edit.rows(ARM, "study_id", arm["study_id"]) if row["is_baseline"])
    files = [row for row in edit.rows(ARM_FILE, "arm_id", arm["id"]) if row["piece_id"] == piece]
    return str(files[0]["sha256"]) if files else ""


def _stamp(at: datetime | None) -> str:
    return write_moment(at or now())
