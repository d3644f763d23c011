"""Edits of how things are looked at: views of a piece, what is measured of them, the rig, faults, eyes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any, TypedDict, Unpack

import numpy as np

from oddtwin.core.language import mark, tr
from oddtwin.core.photo import What, by_points
from oddtwin.core.quantities import format_reading, now, write_moment
from oddtwin.core.study import MeasuredRegion, Rig, Tie, tied_places, view_name
from oddtwin.operations.workshop import named
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.schema import FAULT, PHOTOGRAPH, RIG, THRESHOLD, VIEW


class RigDetails(TypedDict, total=False):
    """How photographs are taken; lengths in mm, the exposure in seconds."""

    page: str
    check_x_mm: float | None
    check_y_mm: float | None
    camera_mm: float | None
    exposure_s: float | None
    lamps: str


def add_view(book: LabBook, *, piece_id: int, face: str, lamp: str = "", zone: str = "") -> Record | None:
    """Add a view of a piece, photographed after those that there are.

    Raises
    ------
    StoreError
        The face is not named, or the view is there already.
    """
    cleaned, light = named(face, mark("face")), lamp.strip()

    def change(edit: Edit) -> None:
        there = edit.rows(VIEW, "piece_id", piece_id)
        # By the whole name: a study file tells views by nothing else.
        name = view_name(cleaned, light)
        if any(view_name(row["face"], row["lamp"]) == name for row in there):
            raise StoreError(tr("There is a view “{name}” already.", name=name))
        last = max((row["position"] for row in there), default=-1)
        edit.insert(VIEW, piece_id=piece_id, position=last + 1, face=cleaned, lamp=light, zone=zone.strip())

    return book.edit(tr("add view {cleaned}", cleaned=cleaned), change)


def remove_view(book: LabBook, *, view_id: int, name: str) -> Record | None:
    """Take out a view that was never photographed.

    Raises
    ------
    StoreError
        There are photographs of it.
    """

    def change(edit: Edit) -> None:
        if edit.ids(PHOTOGRAPH, "view_id", view_id):
            raise StoreError(
                tr(
                    "There are photographs of {name}, so the view stays; move or remove them first.",
                    name=name,
                )
            )
        edit.delete(VIEW, view_id)

    return book.edit(tr("remove view {name}", name=name), change)


def set_regions(
    book: LabBook, *, view_id: int, name: str, regions: Sequence[MeasuredRegion]
) -> Record | None:
    """Say what is measured of a view, in place of what was measured before.

    Raises
    ------
    StoreError
        Two regions have one name: their figures would be taken for retakes; or an onset has too few steps.
    """
    names = [one.name for one in regions]
    for one in names:
        if names.count(one) > 1:
            raise StoreError(
                tr("“{one}” is measured in this view already; give the region another name.", one=one)
            )
    for region in regions:
        angles = {step.angle_deg for step in region.steps}
        if region.what == What.ONSET and (len(angles) < 2 or len(angles) < len(region.steps)):
            raise StoreError(tr("An onset needs two or more steps, each with an angle of its own."))
    return book.edit(
        tr("edit what is measured of {name}", name=name),
        lambda edit: edit.update(VIEW, view_id, regions=[asdict(one) for one in regions]),
    )


def tie_view(book: LabBook, *, view_id: int, name: str, ties: Sequence[Tie], tied_on: str) -> Record | None:
    """Tie a view to the axes of the model by three corners; none of them unties it.

    Raises
    ------
    StoreError
        There are not three, or they lie on one line.
    """
    if ties and len(ties) != 3:
        raise StoreError(tr("Three corners tie a view to the model."))
    if ties:
        # Both ways: a triangle that is one on the plate may be a line in the picture.
        on_plate = tied_places(ties)
        on_photograph = np.array([(one.x, one.y) for one in ties]) * 1000
        try:
            by_points(on_plate, on_photograph)
            by_points(on_photograph, on_plate)
        except ValueError as error:
            raise StoreError(str(error)) from None
    return book.edit(
        tr("tie {name} to the model", name=name),
        lambda edit: edit.update(VIEW, view_id, ties=[asdict(one) for one in ties], tied_on=tied_on),
    )


def edit_rig(book: LabBook, **values: Unpack[RigDetails]) -> Record | None:
    """Change how photographs are taken.

    Raises
    ------
    StoreError
        A length that cannot be that of a mat, a camera or an exposure.
    """
    for name, low, high, noun in (
        ("check_x_mm", 100.0, 200.0, tr("the bar across")),
        ("check_y_mm", 150.0, 250.0, tr("the bar along")),
        ("camera_mm", 50.0, 5000.0, tr("the camera’s height")),
        ("exposure_s", 0.0, 600.0, tr("the exposure")),
    ):
        value: Any = values.get(name)
        if value is not None and not low < value < high:
            unit = "s" if name == "exposure_s" else "mm"
            raise StoreError(
                tr(
                    "Give {noun} between {low} and {high} {unit}.",
                    noun=noun,
                    low=format_reading(low),
                    high=format_reading(high),
                    unit=unit,
                )
            )

    def change(edit: Edit) -> None:
        row = next(iter(edit.rows(RIG, "id", 1)), None)
        if row is None:
            edit.insert(RIG, **{**asdict(Rig()), **values})
        else:
            edit.update(RIG, row["id"], **values)

    return book.edit(tr("edit how photographs are taken"), change)


def add_fault(book: LabBook, *, name: str, code: str = "", light: str = "") -> Record | None:
    """Add a fault to the workshop's own list.

    Raises
    ------
    StoreError
        The name is missing, or name or code are taken.
    """
    cleaned = named(name, mark("fault"))

    def change(edit: Edit) -> None:
        rows = list(edit.connection.execute(FAULT.select()).mappings())
        if any(row["name"].casefold() == cleaned.casefold() for row in rows):
            raise StoreError(tr("There is a fault called “{cleaned}” already.", cleaned=cleaned))
        if code.strip() and any(row["code"].casefold() == code.strip().casefold() for row in rows):
            raise StoreError(tr("The code “{code}” is taken; give the fault another.", code=code.strip()))
        last = max((row["position"] for row in rows), default=-1)
        edit.insert(FAULT, position=last + 1, name=cleaned, code=code.strip(), light=light.strip())

    return book.edit(tr("add fault {cleaned}", cleaned=cleaned), change)


def remove_fault(book: LabBook, *, fault_id: int, name: str) -> Record | None:
    """Take a fault out of the workshop's list; marks keep its name."""
    return book.edit(tr("remove fault {name}", name=name), lambda edit: edit.delete(FAULT, fault_id))


class Seen(TypedDict):
    """What the looks of one judge at faults of known size came to."""

    judge: str
    fault: str
    unit: str
    value: float
    low: float | None
    high: float | None
    lapse: float
    trials: int
    screen: str


def keep_threshold(book: LabBook, **values: Unpack[Seen]) -> Record | None:
    """Keep the smallest fault that a judge sees, in place of an earlier one.

    Raises
    ------
    StoreError
        Nobody says who judges.
    """
    judge = named(values["judge"], mark("judge"))

    def change(edit: Edit) -> None:
        # Eyes change with light and years: only the newest figure of a fault holds.
        for row in edit.rows(THRESHOLD, "judge", judge):
            if row["fault"] == values["fault"]:
                edit.delete(THRESHOLD, row["id"])
        edit.insert(THRESHOLD, **{**values, "judge": judge, "at": write_moment(now())})

    return book.edit(tr("keep what {judge} sees of {values}", judge=judge, values=values["fault"]), change)


def remove_threshold(book: LabBook, *, threshold_id: int, judge: str) -> Record | None:
    """Forget what a judge sees."""
    return book.edit(
        tr("forget what {judge} sees", judge=judge), lambda edit: edit.delete(THRESHOLD, threshold_id)
    )
