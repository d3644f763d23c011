"""Edits of the twin check: which sliced file an arm has, what the check found, what a machine can do."""

from __future__ import annotations

from collections.abc import Mapping
from statistics import fmean
from typing import Any

from oddtwin.core.language import tr
from oddtwin.core.predicted import plan_spool
from oddtwin.core.quantities import capitalized, now, write_moment
from oddtwin.core.toolpath.motion import LimitsError, limits_from
from oddtwin.operations.settled import edit_open
from oddtwin.operations.workshop import put_estimate
from oddtwin.store import Edit, LabBook, Record, StoreError, load_study
from oddtwin.store.codec import row_of
from oddtwin.store.schema import ARM, ARM_FILE, MACHINE, PREDICTION, TWIN_CHECK
from oddtwin.work import ChosenFile


def choose_file(book: LabBook, *, arm_id: int, piece_id: int | None, chosen: ChosenFile) -> Record | None:
    """Say which sliced file an arm has for a piece; a check made with another file is dropped.

    Parameters
    ----------
    book : LabBook
        Open for writing; the file is kept in it already.
    arm_id : int
        Of which arm.
    piece_id : int or None
        Of which piece.
    chosen : ChosenFile
        As it was kept.

    Raises
    ------
    StoreError
        The study is settled.
    """

    def change(edit: Edit) -> None:
        _forget(edit, arm_id, piece_id)
        new = edit.insert(ARM_FILE, arm_id=arm_id, piece_id=piece_id, **row_of(chosen))
        insert_predictions(edit, new, chosen.seconds)

    return edit_open(book, tr("choose the file {chosen}", chosen=chosen.name), change)


def remove_file(book: LabBook, *, arm_id: int, piece_id: int | None, name: str) -> Record | None:
    """Take an arm's sliced file out of the study; its content stays in the lab book."""
    return edit_open(
        book, tr("take out the file {name}", name=name), lambda edit: _forget(edit, arm_id, piece_id)
    )


def keep_check(
    book: LabBook,
    *,
    study_id: int,
    piece_id: int | None,
    result: Mapping[str, Any],
    seconds: Mapping[int, Mapping[int, float]] | None = None,
) -> Record | None:
    """Keep what the twin check of one piece's files found, in place of an earlier one.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id, piece_id : int
        Of which study and piece.
    result : mapping
        As `core.toolpath.match.as_json` gives it.
    seconds : mapping, optional
        Seconds by machine id for each file id whose times were predicted anew.
    """

    def change(edit: Edit) -> None:
        _drop_checks(edit, study_id, piece_id)
        at = write_moment(now())
        edit.insert(TWIN_CHECK, study_id=study_id, piece_id=piece_id, at=at, result=dict(result))
        for file_id, by_machine in (seconds or {}).items():
            for row in edit.ids(PREDICTION, "arm_file_id", file_id):
                edit.delete(PREDICTION, row)
            insert_predictions(edit, file_id, by_machine)

    return edit_open(book, tr("check the sliced files"), change)


def take_estimates(book: LabBook, *, study_id: int, piece_id: int, name: str) -> Record | None:
    """Let the plan reckon with the sliced files: minutes and grams of a piece on every machine.

    They are the means of the arms' files, since a piece has one estimate on a machine.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id, piece_id : int
        Which files.
    name : str
        Of the piece.

    Raises
    ------
    StoreError
        No file was chosen for the piece.
    """

    def change(edit: Edit) -> None:
        study = load_study(edit.connection, study_id)
        files = [file for file in study.files if file.piece_id == piece_id]
        if not files:
            raise StoreError(tr("{name} has no sliced file yet; choose the files first.", name=name))
        blind = [file.name for file in files if not file.waste_known]
        if blind:
            raise StoreError(tr(
                "{blind} names no feature that is understood, so its waste is not known; "
                "type minutes, part and waste of the piece yourself.",
                blind=blind[0],
            ))  # fmt: skip
        spool = plan_spool(study)
        masses = [spool.grams(file.filament_mm, file.volume_mm3, file.mass_g) for file in files]
        whole = fmean(masses)
        waste = fmean(
            mass * file.waste_mm / max(file.filament_mm, 1e-9)
            for mass, file in zip(masses, files, strict=True)
        )
        for machine_id in study.machines:
            seconds = [file.seconds[machine_id] for file in files if machine_id in file.seconds]
            if seconds:
                put_estimate(
                    edit,
                    piece_id,
                    machine_id,
                    minutes=round(fmean(seconds) / 60, 1),
                    part_g=round(whole - waste, 2),
                    waste_g=round(waste, 2),
                )

    return book.edit(tr("take minutes and grams of {name} into the plan", name=name), change)


def set_motion(book: LabBook, *, machine_id: int, name: str, motion: Mapping[str, Any]) -> Record | None:
    """Say what a machine can do; times that were predicted with other limits are forgotten.

    Raises
    ------
    StoreError
        A limit is unknown or impossible.
    """
    try:
        limits_from(motion)
    except LimitsError as error:
        raise StoreError(f"{capitalized(str(error))}.") from None

    def change(edit: Edit) -> None:
        edit.update(MACHINE, machine_id, motion=dict(motion))
        for row in edit.ids(PREDICTION, "machine_id", machine_id):
            edit.delete(PREDICTION, row)

    return book.edit(tr("set the limits of {name}", name=name), change)


def insert_predictions(edit: Edit, file_id: int, seconds: Mapping[int, float]) -> None:
    """Add the predicted seconds of a sliced file, by machine id, inside a larger edit."""
    rows = [
        {"arm_file_id": file_id, "machine_id": key, "seconds": float(value)} for key, value in seconds.items()
    ]
    edit.insert_all(PREDICTION, rows)


def _forget(edit: Edit, arm_id: int, piece_id: int | None) -> None:
    for row in edit.rows(ARM_FILE, "arm_id", arm_id):
        if row["piece_id"] == piece_id:
            edit.delete(ARM_FILE, row["id"])
    _drop_checks(edit, edit.get(ARM, arm_id)["study_id"], piece_id)


def _drop_checks(edit: Edit, study_id: int, piece_id: int | None) -> None:
    for row in edit.rows(TWIN_CHECK, "study_id", study_id):
        if row["piece_id"] == piece_id:
            edit.delete(TWIN_CHECK, row["id"])
