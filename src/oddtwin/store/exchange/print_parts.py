"""The parts of a study file that tell the prints: plates, runs, and what was read of them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from oddtwin.core.language import mark
from oddtwin.core.readings import Bound, Source
from oddtwin.core.study import TALLEST_MM, EventKind
from oddtwin.store.columns import Finite
from oddtwin.store.exchange.part import Moment, Name, Part


class RecheckPart(Part):
    """A recalibration check of a run: done, or waived with a reason."""

    text: Name
    at: Moment
    waived: str = ""


class ReadingPart(Part):
    """One value of one response; grades and sizes name a zone, waste names its kind."""

    response: str
    value: Finite = Field(default=0.0, description="0 for a word")
    zone: str = ""
    waste: str = ""
    nominal: Finite | None = Field(default=None, description="of a size")
    bound: Bound = Field(default=Bound.EXACT, description="empty, or > or < or ..: an end of where it lies")
    high: Finite | None = Field(default=None, description="upper end of where it lies")
    out_of: Annotated[int, Field(ge=1, le=10**6)] = Field(
        default=1, description="of how many value counts the yes"
    )
    word: str = ""
    retake: Annotated[int, Field(ge=0, le=1000)] = Field(
        default=0, description="1 where the same was measured once more"
    )
    by: str = Field(default="", description=mark("who read it"))
    instrument: str = ""
    at: Moment | None = None
    source: Source = Source.TYPED
    u: Finite | None = Field(default=None, description="its own standard uncertainty, in the unit")
    evidence: str = Field(default="", description="photograph, region and method it was measured by")


class MarkPart(Part):
    """A fault flagged at its place on a photograph; x and y are shares of its width and height."""

    x: Annotated[float, Field(ge=0, le=1)]
    y: Annotated[float, Field(ge=0, le=1)]
    fault: Name
    grade: Annotated[int, Field(ge=0, le=4)]
    zone: str = ""
    note: str = ""
    by: str = ""
    at: Moment | None = None


class PhotographPart(Part):
    """A photograph of a print; its content is not in this file."""

    view: str = Field(default="", description="name of the view of the piece: face, or “face, lamp”")
    sha256: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
    name: str = ""
    retake: Annotated[int, Field(ge=0, le=1000)] = 0
    taken: Moment | None = None
    exposure_s: Annotated[float, Field(gt=0, lt=1e5)] | None = None
    width: Annotated[int, Field(ge=0, le=10**6)] = 0
    height: Annotated[int, Field(ge=0, le=10**6)] = 0
    hdr: bool = Field(default=False, description="whether the camera mixed several exposures")
    marks: list[MarkPart] = Field(default=[])


class SlotPart(Part):
    """When a run is to be started and will be done."""

    start: Moment
    end: Moment
    pinned: bool = Field(default=False, description="whether the user put it there")


class EventPart(Part):
    """What happened while a plate printed."""

    kind: EventKind
    at: Moment
    z_mm: Annotated[float, Field(ge=0, le=TALLEST_MM, allow_inf_nan=False)] | None = Field(
        default=None, description="height of the layer that was printed"
    )


class PlatePart(Part):
    """One print job with all that lies on it."""

    started: Moment | None = None
    finished: Moment | None = None
    sha256: str = Field(
        default="", pattern="^([0-9a-f]{64})?$", description="of the sliced file printed from"
    )
    slot: SlotPart | None = Field(default=None, description="its place in the timetable")
    events: list[EventPart] = Field(default=[], description="what happened while it printed")
    temperature_c: Annotated[float, Field(ge=-90, le=100)] | None = Field(
        default=None, description="of the room as it was started"
    )
    humidity_pct: Annotated[float, Field(ge=0, le=100)] | None = Field(
        default=None, description="relative, of the room"
    )
    bed_cleaned: bool = Field(default=False, description="whether the bed was cleaned before it")


class RunPart(Part):
    """One printed piece, in planned order."""

    code: Name
    arm: str
    pair: str = ""
    machine: str = ""
    piece: str = ""
    plate: Annotated[int, Field(ge=0, le=10**6)] = Field(
        default=0, description="number of its plate, from 1; 0 for one of its own that was not started"
    )
    spool: str = ""
    note: str = ""
    set_aside: str = Field(default="", description="reason why it does not count; empty when it does")
    failed: str = Field(
        default="", description="how it failed because of the change: an outcome, and it counts"
    )
    reprint_of: str = Field(default="", description="code of the run that it replaces")
    operator: str = ""
    place: Annotated[int, Field(ge=0, le=10_000)] = Field(
        default=0, description="on a shared plate; 0 for its own plate"
    )
    turn_deg: Annotated[int, Field(ge=-360, le=360)] = Field(
        default=0, description="orientation on the plate"
    )
    rechecks: list[RecheckPart] = Field(default=[])
    readings: list[ReadingPart] = Field(default=[])
    departures: list[str] = Field(default=[])
    photographs: list[PhotographPart] = Field(default=[])
