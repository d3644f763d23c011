"""Edits of a plate besides its stamps: the room as it was started, and whether its bed was cleaned."""

from __future__ import annotations

from typing import Final, TypedDict, Unpack

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_reading
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.schema import PLATE, RUN

COLDEST_C: Final = -90.0
HOTTEST_C: Final = 100.0


class PlateFacts(TypedDict, total=False):
    """Of a plate: the room in °C and % relative humidity, None where nobody read it; a clean bed."""

    temperature_c: float | None
    humidity_pct: float | None
    bed_cleaned: bool


def edit_plate(book: LabBook, *, run_id: int, code: str, **values: Unpack[PlateFacts]) -> Record | None:
    """Say how room and bed were as a plate was started, by any run on it.

    Raises
    ------
    StoreError
        A figure cannot be, or the study is settled.
    """
    temperature, humidity = values.get("temperature_c"), values.get("humidity_pct")
    if temperature is not None and not COLDEST_C <= temperature <= HOTTEST_C:
        raise StoreError(
            tr(
                "A room has between {COLDEST_C} and {HOTTEST_C} °C; check the unit.",
                COLDEST_C=format_reading(COLDEST_C),
                HOTTEST_C=format_reading(HOTTEST_C),
            )
        )
    if humidity is not None and not 0 <= humidity <= 100:
        raise StoreError(tr("Relative humidity lies between 0 and 100 %."))

    def change(edit: Edit) -> None:
        edit.update(PLATE, edit.get(RUN, run_id)["plate_id"], **values)

    named = {"temperature_c": "temperature", "humidity_pct": "humidity", "bed_cleaned": "bed"}
    what = tr(" and ").join(named[name] for name in values)
    return edit_open(book, tr("note the {what} of run {code}", what=what, code=code), change)
