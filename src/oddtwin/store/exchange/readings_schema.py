"""The published schema of one row of a readings table."""

from __future__ import annotations

from datetime import date

from pydantic import BaseModel, Field

from oddtwin.core.readings import Combine, ResponseType


class ReadingRow(BaseModel):
    """One row of a readings table (CSV): one value of one response of one print."""

    arm: str = Field(min_length=1, description="name of the arm")
    value: float | str | None = Field(
        description="number in the unit, or grade 0 to 4 or its word; empty: no reading"
    )
    response: str = ""
    unit: str = ""
    pair: str = Field("", description="prints of both arms with the same pair are compared in the pair")
    machine: str = ""
    piece: str = ""
    run: str = Field("", description="name of the print; rows with the same are readings of one print")
    zone: str = Field("", description="zone of a grade, or kind of a waste")
    type: ResponseType = ResponseType.NUMBER
    set_aside: str = Field("", description="reason, or 1 or yes, when the print does not count")
    combine: Combine = Combine.MEAN
    spool: str = ""
    day: date | None = Field(None, description="day on which the print was started")
