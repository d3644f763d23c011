"""Edits of photographs: filed under print and view, moved, marked, measured."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import now, write_moment
from oddtwin.core.readings import GRADES, ResponseKind, Source, Spot, Typed
from oddtwin.operations.runs import WHOLE, Measured, put_readings
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.record import Row
from oddtwin.store.schema import BLOCK, MARK, PHOTOGRAPH, PIECE, READING, RESPONSE, RUN, VIEW
from oddtwin.work.shots import Filed, Shot


def add_photographs(book: LabBook, *, filed: Sequence[Filed]) -> Record | None:
    """File photographs under their prints and views.

    What there is of a print and view already makes a new one a retake.

    Raises
    ------
    StoreError
        The study is settled, or the very same photograph is filed in it already.
    """
    if not filed:
        return None

    def change(edit: Edit) -> None:
        for run_id, view_id, shot in filed:
            _refuse_other_piece(edit, run_id, view_id)
            _refuse_twice(edit, run_id, shot)
            edit.insert(
                PHOTOGRAPH,
                run_id=run_id,
                view_id=view_id,
                sha256=shot.sha256,
                name=shot.name,
                retake=_next_retake(edit, run_id, view_id),
                taken=write_moment(shot.taken) if shot.taken else "",
                exposure_s=shot.exposure_s,
                width=shot.width,
                height=shot.height,
                hdr=shot.hdr,
            )

    noun = trn("photograph", "photographs", len(filed))
    return edit_open(book, tr("file {filed} {noun}", filed=len(filed), noun=noun), change)


def _refuse_twice(edit: Edit, run_id: int, shot: Shot) -> None:
    """One picture of two prints would be compared with itself."""
    study = edit.get(RUN, run_id)["study_id"]
    for row in edit.rows(PHOTOGRAPH, "sha256", shot.sha256):
        there = edit.get(RUN, row["run_id"])
        if there["study_id"] == study:
            raise StoreError(
                tr(
                    "{shot} is filed under run {there} already; drag it from there if that is wrong.",
                    shot=shot.name or tr("This photograph"),
                    there=there["code"],
                )
            )


def _next_retake(edit: Edit, run_id: int, view_id: int) -> int:
    there = [row["retake"] for row in edit.rows(PHOTOGRAPH, "run_id", run_id) if row["view_id"] == view_id]
    return max(there, default=-1) + 1


def move_photograph(
    book: LabBook, *, photograph_id: int, run_id: int, view_id: int, code: str
) -> Record | None:
    """File a photograph under another print or view; its marks go with it, and so do their grades.

    Raises
    ------
    StoreError
        The study is settled, or the print is of another piece.
    """

    def change(edit: Edit) -> None:
        old = edit.get(PHOTOGRAPH, photograph_id)
        if (old["run_id"], old["view_id"]) == (run_id, view_id):
            return
        _refuse_other_piece(edit, run_id, view_id)
        marks = edit.rows(MARK, "photograph_id", photograph_id)
        # Moved, it is the last of its new place: the numbers of the others stay as they were.
        retake = _next_retake(edit, run_id, view_id)
        edit.update(PHOTOGRAPH, photograph_id, run_id=run_id, view_id=view_id, retake=retake)
        for mark in marks:
            edit.update(MARK, mark["id"], run_id=run_id)
        # The grades of both prints: one loses what the other gains.
        for mark in marks:
            for run in (old["run_id"], run_id):
                _grade_zone(edit, run, mark["fault"], mark["zone"], mark["by"])

    return edit_open(book, tr("move a photograph to run {code}", code=code), change)


def _refuse_other_piece(edit: Edit, run_id: int, view_id: int) -> None:
    """A view of one piece is no view of a print of another: its zones and regions would lie."""
    run = edit.get(RUN, run_id)
    piece = edit.get(BLOCK, run["block_id"])["piece_id"]
    if piece is not None and piece != edit.get(VIEW, view_id)["piece_id"]:
        raise StoreError(
            tr("Run {run} is a print of another piece, which does not have this view.", run=run["code"])
        )


def remove_photograph(book: LabBook, *, photograph_id: int, code: str) -> Record | None:
    """Take a photograph with its marks out of a study; undo brings them back.

    Raises
    ------
    StoreError
        Readings were measured from it.
    """

    def change(edit: Edit) -> None:
        old = edit.get(PHOTOGRAPH, photograph_id)
        read = edit.rows(READING, "run_id", old["run_id"])
        if any(old["sha256"] in row["evidence"] for row in read):
            raise StoreError(tr("Figures were measured from this photograph; take those readings out first."))
        marks = edit.rows(MARK, "photograph_id", photograph_id)
        edit.delete(PHOTOGRAPH, photograph_id)
        for mark in marks:
            _grade_zone(edit, old["run_id"], mark["fault"], mark["zone"], mark["by"])

    return edit_open(book, tr("remove a photograph of run {code}", code=code), change)


class Flag(NamedTuple):
    """A fault at its place: shares of width and height, name, grade 0 to 4, zone, note, and who says it."""

    x: float
    y: float
    fault: str
    grade: int
    zone: str = ""
    note: str = ""
    by: str = ""


def mark_fault(book: LabBook, *, photograph_id: int, code: str, flag: Flag) -> Record | None:
    """Flag a fault on a photograph; the worst of a zone becomes the reading of that zone.

    Raises
    ------
    StoreError
        The fault is not named, the place is not on the photograph, or the piece has zones and none is named.
    """
    fault = " ".join(flag.fault.split())
    if not fault:
        raise StoreError(tr("Please say which fault it is."))
    if not (0 <= flag.x <= 1 and 0 <= flag.y <= 1):
        raise StoreError(tr("The place does not lie on the photograph."))
    if flag.grade not in range(len(GRADES)):
        raise StoreError(tr("Grade a fault from 0 to {GRADES}.", GRADES=len(GRADES) - 1))

    def change(edit: Edit) -> None:
        photograph = edit.get(PHOTOGRAPH, photograph_id)
        zone = _zone(edit, photograph, flag.zone)
        by = flag.by.strip() or edit.get(RUN, photograph["run_id"])["operator"]
        edit.insert(
            MARK,
            run_id=photograph["run_id"],
            photograph_id=photograph_id,
            x=flag.x,
            y=flag.y,
            fault=fault,
            grade=flag.grade,
            zone=zone,
            note=flag.note.strip(),
            by=by,
            at=write_moment(now()),
        )
        _grade_zone(edit, photograph["run_id"], fault, zone, by)

    return edit_open(book, tr("mark {fault} on run {code}", fault=fault, code=code), change)


def remove_mark(book: LabBook, *, mark_id: int, code: str) -> Record | None:
    """Take a mark back; the grade of its zone follows from those that are left."""

    def change(edit: Edit) -> None:
        mark = edit.get(MARK, mark_id)
        edit.delete(MARK, mark_id)
        _grade_zone(edit, mark["run_id"], mark["fault"], mark["zone"], mark["by"])

    return edit_open(book, tr("take back a mark on run {code}", code=code), change)


def _zone(edit: Edit, photograph: Row, zone: str) -> str:
    view = edit.get(VIEW, photograph["view_id"]) if photograph["view_id"] is not None else None
    zones = edit.get(PIECE, view["piece_id"])["zones"] if view else []
    found = zone.strip() or (view["zone"] if view else "")
    if zones and found not in zones:
        raise StoreError(tr("Please say in which zone it is: {zones}.", zones=", ".join(zones)))
    return found if zones else ""


def _grade_zone(edit: Edit, run_id: int, fault: str, zone: str, by: str) -> None:
    """Let the worst mark of a zone be its reading, where the study grades that fault."""
    run = edit.get(RUN, run_id)
    for response in edit.rows(RESPONSE, "study_id", run["study_id"]):
        if response["kind"] != ResponseKind.GRADE or response["name"].casefold() != fault.casefold():
            continue
        grades = [
            row["grade"]
            for row in edit.rows(MARK, "run_id", run_id)
            if row["fault"].casefold() == fault.casefold() and row["zone"] == zone
        ]
        typed = [Typed(float(max(grades)))] if grades else []
        put_readings(edit, run_id, response["id"], Spot(zone), typed, source=Source.PHOTOGRAPH, by=by)


class Figure(NamedTuple):
    """Readings of one print, of each photograph of it, in the response's unit, and what they are from."""

    run_id: int
    typed: tuple[Typed, ...]
    measured: tuple[Measured, ...]


def enter_measured(
    book: LabBook, *, response_id: int, name: str, zone: str, figures: Sequence[Figure]
) -> Record | None:
    """Enter what was measured from photographs as readings, in place of earlier ones; all are one edit.

    Several photographs of one print are retakes of one another.

    Raises
    ------
    StoreError
        The study is settled.
    """

    def change(edit: Edit) -> None:
        spot = Spot(zone) if zone else WHOLE
        for figure in figures:
            put_readings(
                edit,
                figure.run_id,
                response_id,
                spot,
                figure.typed,
                source=Source.PHOTOGRAPH,
                measured=figure.measured,
            )

    return edit_open(book, tr("measure {name} on {figures} prints", name=name, figures=len(figures)), change)
