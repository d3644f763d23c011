"""Edits of what happened while a plate printed."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from oddtwin.core.language import tr
from oddtwin.core.quantities import now, with_offset
from oddtwin.core.study import EventKind, Plate, PrintEvent
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.codec import row_of, value_of
from oddtwin.store.schema import PLATE, RUN

Events = tuple[PrintEvent, ...]


def note_event(
    book: LabBook,
    *,
    run_id: int,
    code: str,
    kind: EventKind,
    z_mm: float | None = None,
    at: datetime | None = None,
) -> Record | None:
    """Note what happened while the plate of a run printed.

    Parameters
    ----------
    book : LabBook
        With a study that is not settled.
    run_id, code : int and str
        Of any run on the plate.
    kind : EventKind
        What happened.
    z_mm : float, optional
        Height of the layer that was printed, mm.
    at : datetime, optional
        When; now by default, and at the finish where the plate is done.

    Raises
    ------
    StoreError
        The plate was not started, its first layer was noted already, or it is no height.
    """

    def noted(plate: Plate) -> Events:
        if plate.started is None:
            raise StoreError(tr("Run {code} was not started: start it, then note what happens.", code=code))
        if kind is EventKind.FIRST_LAYER and any(one.kind is kind for one in plate.events):
            raise StoreError(tr("The first layer of run {code} was noted already.", code=code))
        event = PrintEvent(kind, with_offset(at or plate.finished or now()), z_mm)
        return (*plate.events, event)

    return _edit(book, tr("note {kind} in run {code}", kind=kind, code=code), run_id, noted)


def edit_event(book: LabBook, *, run_id: int, code: str, number: int, z_mm: float | None) -> Record | None:
    """Say at which height an event happened.

    Parameters
    ----------
    book : LabBook
        With a study that is not settled.
    run_id, code : int and str
        Of any run on the plate.
    number : int
        Of the event, from 0 in the order noted.
    z_mm : float or None
        Height of the layer that was printed, mm; None where it is not known.

    Raises
    ------
    StoreError
        It is no height, or the event is gone.
    """

    def edited(plate: Plate) -> Events:
        event = _event(plate, number)
        return (
            *plate.events[:number],
            PrintEvent(event.kind, event.at, z_mm),
            *plate.events[number + 1 :],
        )

    return _edit(book, tr("say where it happened in run {code}", code=code), run_id, edited)


def remove_event(book: LabBook, *, run_id: int, code: str, number: int) -> Record | None:
    """Take back an event that was noted by mistake, by its number from 0.

    Raises
    ------
    StoreError
        The event is gone.
    """

    def without(plate: Plate) -> Events:
        event = _event(plate, number)
        return tuple(one for one in plate.events if one is not event)

    return _edit(book, tr("take back what was noted in run {code}", code=code), run_id, without)


def _event(plate: Plate, number: int) -> PrintEvent:
    if not 0 <= number < len(plate.events):
        raise StoreError(tr("That was taken back already."))
    return plate.events[number]


def _edit(book: LabBook, title: str, run_id: int, edited: Callable[[Plate], Events]) -> Record | None:
    def change(edit: Edit) -> None:
        row = edit.get(PLATE, edit.get(RUN, run_id)["plate_id"])
        plate = value_of(Plate, row, slot=None)
        try:
            events = edited(plate)
        except ValueError as error:
            raise StoreError(str(error)) from None
        edit.update(PLATE, row["id"], events=row_of(Plate(events=events))["events"])

    return edit_open(book, title, change)
