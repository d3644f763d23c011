"""Edits at the machine: stamps, readings, notes, departures, setting aside."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, Final, NamedTuple, TypedDict, Unpack

from oddtwin.core.design import SeededOrder
from oddtwin.core.language import tr
from oddtwin.core.quantities import now, read_moment, seconds_of, write_moment
from oddtwin.core.readings import Source, Spot, Subject, Typed
from oddtwin.core.study import ArmRole, RunReading
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.codec import row_of
from oddtwin.store.record import Row
from oddtwin.store.schema import ARM, ARM_FILE, BLOCK, DEVIATION, PLATE, READING, RECHECK, RESPONSE, RUN

WHOLE: Final = Spot()
"""A reading of the whole print."""


_NOT_STARTED: Final[Row] = {
    "started": "",
    "finished": "",
    "sha256": "",
    "events": [],
    "temperature_c": None,
    "humidity_pct": None,
}


class Room(NamedTuple):
    """How the room is: °C and % relative humidity; None where nobody measures it."""

    temperature_c: float | None = None
    humidity_pct: float | None = None


NO_ROOM: Final = Room()


def start_run(
    book: LabBook, *, run_id: int, code: str, at: datetime | None = None, room: Room = NO_ROOM
) -> Record | None:
    """Stamp the start of a run with all that lies on its plate, and the hash of its sliced file.

    Spool and operator of the last started run are taken over. What was typed of the room stays.

    Raises
    ------
    StoreError
        It was started or set aside already.
    """

    def change(edit: Edit) -> None:
        run = edit.get(RUN, run_id)
        plates = {row["id"]: row for row in edit.rows(PLATE, "study_id", run["study_id"])}
        if plates[run["plate_id"]]["started"] or run["set_aside"]:
            raise StoreError(tr("Run {code} was started or set aside already.", code=code))
        runs = edit.rows(RUN, "study_id", run["study_id"])
        others = [row for row in runs if plates[row["plate_id"]]["started"]]
        last = max(
            others, key=lambda row: seconds_of(read_moment(plates[row["plate_id"]]["started"])), default=run
        )
        # Whoever typed it stood in the room; what measures it may hang elsewhere.
        there = plates[run["plate_id"]]
        told = {name: value for name, value in room._asdict().items() if there[name] is None}
        edit.update(PLATE, run["plate_id"], started=_stamp(at), sha256=_file_of(edit, run), **told)
        for row in runs:
            if row["plate_id"] == run["plate_id"]:
                taken_over = {name: row[name] or last[name] for name in ("spool", "operator")}
                edit.update(RUN, row["id"], **taken_over)

    return edit_open(book, tr("start run {code}", code=code), change)


def finish_run(book: LabBook, *, run_id: int, code: str, at: datetime | None = None) -> Record | None:
    """Stamp the finish of a run that was started, with all that lies on its plate.

    Raises
    ------
    StoreError
        It is not printing.
    """

    def change(edit: Edit) -> None:
        plate = edit.get(PLATE, edit.get(RUN, run_id)["plate_id"])
        if not plate["started"] or plate["finished"]:
            raise StoreError(tr("Run {code} is not printing.", code=code))
        # A clock that was set back is told as a threat; the stamp is kept all the same.
        edit.update(PLATE, plate["id"], finished=_stamp(at))

    return edit_open(book, tr("finish run {code}", code=code), change)


def clear_stamps(book: LabBook, *, run_id: int, code: str) -> Record | None:
    """Take back the stamps of a plate that was started by mistake, and what was noted meanwhile, by any run.

    Raises
    ------
    StoreError
        The study is settled.
    """

    def change(edit: Edit) -> None:
        edit.update(PLATE, edit.get(RUN, run_id)["plate_id"], **_NOT_STARTED)

    return edit_open(book, tr("clear the stamps of run {code}", code=code), change)


def enter_readings(
    book: LabBook,
    *,
    run_id: int,
    response_id: int,
    spot: Spot = WHOLE,
    values: Sequence[Typed | float],
    title: str,
    source: Source = Source.TYPED,
    by: str = "",
) -> Record | None:
    """Enter the readings of one response and spot of a run, in place of earlier ones.

    What is read once for a plate is kept with the first run on it, whichever it was typed at.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    run_id, response_id : int
        Of which run and response.
    spot : Spot
        Zone, size or kind of waste; empty for the whole print.
    values : sequence of Typed or float
        In the response's unit: one reading, several retakes, or none to take the reading out.
    title : str
        Readable name, such as "waste of run K7M".
    source : Source
        Where they come from.
    by : str
        Who read them; the run's operator by default.

    Raises
    ------
    StoreError
        The study is settled.
    """
    typed = [value if isinstance(value, Typed) else Typed(float(value)) for value in values]

    def change(edit: Edit) -> None:
        put_readings(edit, run_id, response_id, spot, typed, source=source, by=by)

    return edit_open(
        book, tr("enter {title}", title=title) if typed else tr("clear {title}", title=title), change
    )


class Measured(NamedTuple):
    """What a figure was measured from: its own standard uncertainty, and photograph, region and method."""

    u: float | None = None
    evidence: str = ""


def put_readings(
    edit: Edit,
    run_id: int,
    response_id: int,
    spot: Spot,
    typed: Sequence[Typed],
    *,
    source: Source = Source.TYPED,
    by: str | Sequence[str] = "",
    measured: Sequence[Measured] = (),
) -> None:
    """Put the readings of one response and spot of a run in place of earlier ones, inside a larger edit.

    ``by`` names one reader of all, or the reader of each.
    """
    response, run = edit.get(RESPONSE, response_id), edit.get(RUN, run_id)
    keeper = _keeper(edit, response, run)
    readers = [by or run["operator"]] * len(typed) if isinstance(by, str) else list(by)
    rows = [
        {
            **row_of(
                RunReading(0, keeper, response_id, item.value, **_told(item), **spot._asdict(), retake=number)
            ),
            "source": source.value,
            "at": _stamp(None),
            "by": readers[number],
            "instrument": response["instrument"],
            **(measured[number] if measured else Measured())._asdict(),
        }
        for number, item in enumerate(typed)
    ]
    old = [
        row
        for row in edit.rows(READING, "run_id", keeper)
        if row["response_id"] == response_id and (row["zone"], row["waste"]) == (spot.zone, spot.waste)
    ]
    for row, new in zip(old, rows, strict=False):
        # A value that was there is no news: who read it, and when, stays.
        if any(row[name] != new[name] for name in ("value", "bound", "high", "out_of", "word", "evidence")):
            edit.update(READING, row["id"], **new)
    for row in old[len(rows) :]:
        edit.delete(READING, row["id"])
    edit.insert_all(READING, rows[len(old) :])


def _told(item: Typed) -> dict[str, Any]:
    return {name: value for name, value in item.fields().items() if name != "value"}


def _keeper(edit: Edit, response: Row, run: Row) -> int:
    """Return the id of the run that keeps a reading: the first on the plate, where it is the plate's."""
    if response["subject"] != Subject.PLATE:
        return int(run["id"])
    # What is read of a plate is kept with its first print, so that it is there once, whichever print it was
    # typed at.
    on_plate = edit.rows(RUN, "plate_id", run["plate_id"])
    return int(min(on_plate, key=lambda row: (row["position"], row["id"]))["id"])


class RunWords(TypedDict, total=False):
    """Note, spool and operator of a run."""

    note: str
    spool: str
    operator: str


def edit_run(book: LabBook, *, run_id: int, code: str, **values: Unpack[RunWords]) -> Record | None:
    """Change what is written to a run."""
    return edit_open(
        book,
        tr("edit the {values} of run {code}", values=tr(" and ").join(values), code=code),
        lambda edit: edit.update(RUN, run_id, **values),
    )


def set_aside(book: LabBook, *, run_id: int, code: str, reason: str) -> Record | None:
    """Set a run aside with its reason; it is kept, counted and shown, but does not enter.

    Raises
    ------
    StoreError
        The reason is missing.
    """
    if not reason.strip():
        raise StoreError(tr("Please say why run {code} is set aside.", code=code))
    return edit_open(
        book,
        tr("set aside run {code}", code=code),
        lambda edit: edit.update(RUN, run_id, set_aside=reason.strip()),
    )


def note_failure(book: LabBook, *, run_id: int, code: str, how: str) -> Record | None:
    """Write down that a run failed because of what was changed; empty takes it back.

    It still counts: its minutes and grams stay, and how often each arm failed is compared.
    """
    title = (
        tr("note that run {code} failed", code=code)
        if how.strip()
        else tr("take back that run {code} failed", code=code)
    )
    return edit_open(book, title, lambda edit: edit.update(RUN, run_id, failed=how.strip()))


def count_again(book: LabBook, *, run_id: int, code: str) -> Record | None:
    """Let a run that was set aside count again."""
    return edit_open(
        book, tr("count run {code} again", code=code), lambda edit: edit.update(RUN, run_id, set_aside="")
    )


def reprint(book: LabBook, *, run_id: int, code: str) -> Record | None:
    """Plan a new run in place of one that was set aside, at the end of the run list.

    Raises
    ------
    StoreError
        The run still counts, or has a reprint already.
    """

    def change(edit: Edit) -> None:
        run = edit.get(RUN, run_id)
        runs = edit.rows(RUN, "study_id", run["study_id"])
        if not run["set_aside"]:
            raise StoreError(tr("Run {code} counts; set it aside before printing it again.", code=code))
        if any(row["reprint_of"] == run_id for row in runs):
            raise StoreError(tr("Run {code} has a reprint already.", code=code))
        new_code = SeededOrder(run_id).code({row["code"] for row in runs})
        edit.insert(
            RUN,
            study_id=run["study_id"],
            plate_id=edit.insert(PLATE, study_id=run["study_id"]),
            position=max(row["position"] for row in runs) + 1,
            block_id=run["block_id"],
            arm_id=run["arm_id"],
            code=new_code,
            reprint_of=run_id,
            spool=run["spool"],
            machine_id=run["machine_id"],
            turn_deg=run["turn_deg"],
        )

    return edit_open(book, tr("reprint run {code}", code=code), change)


def add_deviation(book: LabBook, *, run_id: int, code: str, text: str) -> Record | None:
    """Note that a run departed from what must stay the same.

    Raises
    ------
    StoreError
        The text is missing.
    """
    if not text.strip():
        raise StoreError(tr("Please say what was not the same."))

    def change(edit: Edit) -> None:
        edit.insert(DEVIATION, run_id=run_id, text=text.strip())

    return edit_open(book, tr("note a departure in run {code}", code=code), change)


def remove_deviation(book: LabBook, *, deviation_id: int, code: str) -> Record | None:
    """Take back a departure that was noted by mistake."""
    return edit_open(
        book,
        tr("take back a departure in run {code}", code=code),
        lambda edit: edit.delete(DEVIATION, deviation_id),
    )


def answer_recheck(book: LabBook, *, run_id: int, code: str, text: str, waived: str = "") -> Record | None:
    """Say of a recalibration check of a run that it was done, or why it was waived."""

    def change(edit: Edit) -> None:
        for row in edit.rows(RECHECK, "run_id", run_id):
            if row["text"] == text:
                edit.delete(RECHECK, row["id"])
        edit.insert(RECHECK, run_id=run_id, text=text, at=_stamp(None), waived=waived.strip())

    return edit_open(
        book,
        tr(
            "{part} {text} for run {code}",
            part=tr("waive") if waived.strip() else tr("check"),
            text=text,
            code=code,
        ),
        change,
    )


def open_recheck(book: LabBook, *, recheck_id: int, code: str) -> Record | None:
    """Take back the answer to a recalibration check."""
    return edit_open(
        book, tr("open a check of run {code} again", code=code), lambda edit: edit.delete(RECHECK, recheck_id)
    )


def _file_of(edit: Edit, run: Row) -> str:
    """Return the hash of the file that a run is printed from; a control prints the baseline's."""
    piece = edit.get(BLOCK, run["block_id"])["piece_id"]
    arm = edit.get(ARM, run["arm_id"])
    if arm["role"] in (ArmRole.CONTROL, ArmRole.POSITIVE):
        arm = next(row for row in edit.rows(ARM, "study_id", arm["study_id"]) if row["is_baseline"])
    files = [row for row in edit.rows(ARM_FILE, "arm_id", arm["id"]) if row["piece_id"] == piece]
    return str(files[0]["sha256"]) if files else ""


def _stamp(at: datetime | None) -> str:
    return write_moment(at or now())
