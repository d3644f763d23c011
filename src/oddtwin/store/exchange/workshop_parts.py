"""The parts of a study file that tell the workshop: machines, pieces, spools, rates."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, field_validator

from oddtwin.core.photo import What
from oddtwin.core.study.looked import EARLIER_TOP_MM, USUAL_ELEVATION_DEG
from oddtwin.core.toolpath.motion import limits_from
from oddtwin.store.columns import Finite
from oddtwin.store.exchange.part import Moment, Name, NotNegative, Part, Positive

Pixels = Annotated[int, Field(ge=0, le=10**6)]


class SizePart(Part):
    """A nominal size of a piece."""

    name: Name
    mm: Finite


class EstimatePart(Part):
    """What one print of a piece takes on one machine."""

    machine: Name
    minutes: NotNegative = 0.0
    part_g: NotNegative = 0.0
    waste_g: NotNegative = 0.0


class RegionStepPart(Part):
    """One step of an overhang, and where its lower edge is, px."""

    angle_deg: Annotated[float, Field(ge=0, le=90, description="from upright")]
    left: Pixels
    top: Pixels
    width: Pixels
    height: Pixels


class RegionPart(Part):
    """What is measured of a view, and where, in pixels of the photograph that it was drawn on."""

    name: Name = Field(description="of the response that its figures are readings of")
    what: What
    left: Pixels
    top: Pixels
    width: Pixels
    height: Pixels
    reference: Annotated[str, Field(pattern="^[0-9a-f]{64}$", description="hash of that photograph")]
    px_per_mm: Positive | None = None
    corner: Literal["left", "right"] = "left"
    layer_mm: Positive | None = None
    speed_mm_s: Positive | None = None
    accel_mm_s2: Positive | None = None
    elevation_deg: Annotated[float, Field(gt=0, lt=90)] = USUAL_ELEVATION_DEG
    steps: list[RegionStepPart] = Field(default=[], description="of an overhang whose onset is measured")
    limit_mm: Positive | None = Field(default=None, description="droop from which on a step hangs")


class TiePart(Part):
    """A corner of a face: as shares of its photograph, and on the plate."""

    x: Annotated[float, Field(ge=0, le=1)]
    y: Annotated[float, Field(ge=0, le=1)]
    model_x_mm: Finite
    model_y_mm: Finite
    model_z_mm: Finite = EARLIER_TOP_MM


class ViewPart(Part):
    """What is photographed of a piece: a face under a lamp."""

    face: Name
    lamp: str = ""
    zone: str = ""
    regions: list[RegionPart] = Field(default=[])
    ties: list[TiePart] = Field(default=[], description="three corners that tie it to the model")
    tied_on: str = Field(default="", pattern="^([0-9a-f]{64})?$", description="hash of their photograph")


class PiecePart(Part):
    """A test object; minutes and grams are estimates for one print."""

    name: Name
    zones: list[str] = Field(default=[])
    minutes: NotNegative = 0.0
    part_g: NotNegative = 0.0
    waste_g: NotNegative = 0.0
    faults: list[str] = Field(default=[], description="faults that it can show")
    sizes: list[SizePart] = Field(default=[])
    views: list[ViewPart] = Field(default=[], description="what is photographed of it, in order")
    on_machines: list[EstimatePart] = Field(default=[], description="where a machine takes something else")


class MachinePart(Part):
    """A machine, and what one print costs on it besides printing."""

    name: Name
    overhead_min: NotNegative = Field(default=0.0, description="heating, homing and levelling of one print")
    cost_per_h: NotNegative = 0.0
    power_w: NotNegative = 0.0
    motion: dict[str, Any] = Field(
        default={}, description="limits, as the command “gcode --machine” reads them"
    )

    @field_validator("motion")
    @classmethod
    def _possible(cls, value: dict[str, Any]) -> dict[str, Any]:
        limits_from(value)
        return value


class SpoolPart(Part):
    """A spool of filament."""

    name: Name
    price_per_kg: NotNegative = 0.0
    left_g: NotNegative | None = None
    material: str = Field(default="", description="such as PLA; its density counts where none is given")
    diameter_mm: Annotated[float, Field(gt=0, lt=100)] | None = None
    density_g_cm3: Annotated[float, Field(gt=0, lt=100)] | None = None
    weighed: Moment | None = Field(default=None, description="when what is left on it was weighed")
    dried: Moment | None = None
    abrasive: bool = Field(default=False, description="whether its filling wears the nozzle")


class RatesPart(Part):
    """What the workshop pays, and when somebody is there."""

    currency: str = "€"
    energy_per_kwh: NotNegative = 0.0
    labour_per_h: NotNegative = 0.0
    hands_min: NotNegative = Field(default=5.0, description="minutes of hands for one print")
    check_min: NotNegative = Field(default=5.0, description="minutes for one recalibration check")
    weekdays: str = Field(default="7:00-8:30, 17:00-22:00", description="when somebody is there")
    weekend: str = "9:00-22:00"
    overnight: bool = False
