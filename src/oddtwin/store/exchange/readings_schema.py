"""The published schema of one row of a readings table."""

from __future__ import annotations

from datetime import date, datetime

from pydantic import BaseModel, Field

from oddtwin.core.language import mark
from oddtwin.core.readings import Combine, ResponseKind, Source


class ReadingRow(BaseModel):
    """One row of a readings table (CSV): one value of one response of one print."""

    arm: str = Field(min_length=1, description="name of the arm")
    value: float | str | None = Field(
        description="number in the unit, >40, <5 or 40..60; grade 0 to 4 or its word; y, n or 5 of 7; "
        "a word; empty: no reading"
    )
    response: str = ""
    unit: str = ""
    pair: str = Field(
        "", description="prints of both arms with the same pair are compared in the pair; also called block"
    )
    machine: str = ""
    piece: str = ""
    run: str = Field("", description="name of the print; rows with the same are readings of one print")
    plate: str = Field("", description="name of a plate that several prints share")
    zone: str = Field("", description="zone of a grade, or name of a size")
    waste: str = Field("", description="kind of a waste")
    nominal: float | None = Field(None, description="of a size, in the unit")
    kind: ResponseKind = ResponseKind.QUANTITY
    set_aside: str = Field("", description="reason, or 1 or yes, when the print does not count")
    combine: Combine = Combine.MEAN
    spool: str = ""
    day: date | None = Field(None, description="day on which the print was started")
    failed: str = Field("", description="how it failed because of the change, or 1 or yes; an outcome")
    level: str = Field("", description="on a ladder; the baseline's is the safe end")
    order: float | None = Field(None, description="place in the printed order")
    low: float | None = Field(None, description="lower end, in the unit, where there is no value")
    high: float | None = Field(None, description="upper end, in the unit, where there is no value")
    resolution: float | None = Field(None, description="smallest step of the instrument, in the unit")
    position: str = Field("", description="of an onset: where its zone lies")
    retake: int = Field(0, description="0 for the first reading, 1 for the same measured once more")
    by: str = Field("", description=mark("who read it"))
    instrument: str = Field("", description="with what")
    at: datetime | None = Field(None, description="when")
    source: Source = Field(Source.IMPORT, description="where it came from")
    u: float | None = Field(None, description="its own standard uncertainty, in the unit")
    evidence: str = Field("", description="photograph, region and method it was measured by")
